//! Scores of cleaners, and what cleaning brings before enlarging.

use std::fmt::Write as _;

use dettaglio_core::clean::conditioning_map;
use dettaglio_core::compare::{psnr, psnr_rgb, ssim};
use dettaglio_core::enlarge::Averaging;
use dettaglio_core::model::{Model, Shelf};
use dettaglio_core::picture::Planes;
use dettaglio_core::reading::noise;
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_domain::clean::{Clean, Conditioning, Noise, NoiseCurve, SOFTNESS_SCALE};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, CleaningScore, Grade, LevelKind, ModelRef};
use dettaglio_domain::recipe::Recipe;
use dettaglio_domain::size::Target;

use super::damage::{self, Outcome, Photo};
use super::sets::Sets;
use super::{clamped, rounded, shrunk};

/// A damaged picture, what it was, and what a cleaner is told of it.
struct Damaged {
    picture: Planes,
    truth: Planes,
    level: Conditioning,
}

type Damage = (String, Box<dyn Fn(&Planes) -> Outcome<Damaged>>);

const BORDER: u32 = 5;

pub const INTRODUCTION: &str = "
# Cleaners

The same photographs, damaged by a known amount, cleaned and compared with the undamaged ones. Noise cleaners are told
the noise that was put in where it is white, and what the product's own reading found where it is a sensor's
(Poisson-Gaussian in light, mosaic, demosaicing, encoding). What is called by night are dark pictures with points of light and wires;
sigma is that of middle grey. The first line is an undamaged picture: what a cleaner takes
away where there is nothing to clean; 42 dB and more is invisible.
";

/// A sensor's noise, and what the product's own reading finds of it.
fn sensor(sigma: f32) -> Damage {
    let damage = move |truth: &Planes| {
        let (picture, truth) = damage::sensor(truth, sigma);
        let level = Conditioning::Noise(noise::read(&noise::blocks(&damage::as_original(&picture), 40_000)).level);
        Ok(Damaged { picture, truth, level })
    };
    (format!("sensor noise, sigma {sigma}"), Box::new(damage))
}

fn damages(kind: LevelKind) -> Vec<Damage> {
    let untouched: Damage = (
        "nothing".to_owned(),
        Box::new(|truth| {
            Ok(Damaged { picture: truth.clone(), truth: truth.clone(), level: Conditioning::Constant(0.0) })
        }),
    );
    let white = |sigma: f32| -> Damage {
        let damage = move |truth: &Planes| {
            let level = Conditioning::Constant(sigma / 255.0);
            Ok(Damaged { picture: damage::white_noise(truth, sigma), truth: truth.clone(), level })
        };
        (format!("white noise, sigma {sigma}"), Box::new(damage))
    };
    let jpeg = |quality: u8| -> Damage {
        let damage = move |truth: &Planes| {
            let level = Conditioning::Constant(1.0 - f32::from(quality) / 100.0);
            Ok(Damaged { picture: damage::jpeg(truth, quality)?, truth: truth.clone(), level })
        };
        (format!("JPEG, quality {quality}"), Box::new(damage))
    };
    let blur = |sigma: f32| -> Damage {
        let damage = move |truth: &Planes| {
            let level = Conditioning::Constant(sigma / SOFTNESS_SCALE);
            Ok(Damaged { picture: damage::rounded(&damage::blurred(truth, sigma)), truth: truth.clone(), level })
        };
        (format!("blur, sigma {sigma} px"), Box::new(damage))
    };
    let mut all = vec![untouched];
    match kind {
        LevelKind::Noise => {
            all.extend([5.0, 15.0, 25.0, 50.0].map(white));
            all.extend([5.0, 15.0, 30.0].map(sensor));
        }
        LevelKind::Compression => all.extend([20, 40, 60, 80].map(jpeg)),
        LevelKind::Softness => all.extend([0.7, 1.0, 1.4, 1.8].map(blur)),
        // No cleaner is told that.
        LevelKind::Scale | LevelKind::Wear => {}
    }
    all
}

/// Figures for every kind of damage.
pub fn score(model: &Model, sets: &Sets) -> Outcome<Vec<CleaningScore>> {
    let network = model.network()?;
    let kind = model.card().level().ok_or("a cleaner's card says what it is told")?;
    let mut trials: Vec<(String, _, &[Photo])> =
        damages(kind).into_iter().map(|(name, damage)| (name, damage, sets.photographs())).collect();
    if kind == LevelKind::Noise {
        let by_night = |sigma| {
            let (name, damage) = sensor(sigma);
            (format!("by night, {name}"), damage, sets.night())
        };
        trials.extend([15.0, 30.0].map(by_night));
    }
    let mut scores = Vec::new();
    for (name, damage, photos) in trials {
        let mut sums = [0.0; 5];
        let (mut least_gain, mut worst) = (f64::INFINITY, "");
        for photo in photos {
            let Damaged { picture, truth, level } = damage(&photo.planes)?;
            let map = conditioning_map(level, &picture);
            let cleaned = clamped(network.run(&picture, Some(&map))?);
            let (before, after) = (psnr(&picture, &truth, BORDER), psnr(&cleaned, &truth, BORDER));
            if after - before < least_gain {
                (least_gain, worst) = (after - before, &photo.name);
            }
            let rgb = psnr_rgb(&cleaned, &truth, BORDER);
            let figures = [before, after, ssim(&picture, &truth, BORDER), ssim(&cleaned, &truth, BORDER), rgb];
            sums.iter_mut().zip(figures).for_each(|(sum, figure)| *sum += figure / photos.len() as f64);
        }
        // An undamaged picture has no finite PSNR before: what is left after is what counts.
        let [before, after, before_ssim, after_ssim, after_rgb] = sums;
        let finite = |v: f64| if v.is_finite() { rounded(v, 2) } else { 0.0 };
        scores.push(CleaningScore {
            damage: name,
            undamaged: before.is_infinite(),
            face: None,
            photos: photos.len(),
            before: finite(before),
            after: rounded(after, 2),
            least_gain: finite(least_gain),
            before_ssim: rounded(before_ssim, 4),
            after_ssim: rounded(after_ssim, 4),
            after_rgb: Some(rounded(after_rgb, 2)),
            worst: worst.to_owned(),
        });
    }
    Ok(scores)
}

pub fn describe(text: &mut String, card: &Card, seconds_per_megapixel: f64) -> std::fmt::Result {
    writeln!(text, "\n## {}\n\n{}", card.title(), card.purpose)?;
    writeln!(
        text,
        "`{}`, {} parameters, {:.2} s per megapixel when this was written. Made on {}: {}.\n",
        card.id, card.parameters, seconds_per_megapixel, card.made_on, card.recipe
    )?;
    writeln!(
        text,
        "| damage | before | after | mean gain | least gain | on | SSIM before | SSIM after | colours, after |"
    )?;
    writeln!(text, "|---|--:|--:|--:|--:|---|--:|--:|--:|")?;
    for s in card.cleaning() {
        if s.before == 0.0 {
            writeln!(text, "| {} | | {:.2} | | | | | {:.4} | |", s.damage, s.after, s.after_ssim)?;
            continue;
        }
        writeln!(
            text,
            "| {} | {:.2} | {:.2} | **{:+.2}** | {:+.2} | {} | {:.4} | {:.4} | {} |",
            s.damage,
            s.before,
            s.after,
            s.after - s.before,
            s.least_gain,
            s.worst,
            s.before_ssim,
            s.after_ssim,
            s.after_rgb.map_or(String::new(), |rgb| format!("{rgb:.2}"))
        )?;
    }
    writeln!(text, "\nKnown weaknesses: {}.", card.weaknesses.join(". "))
}

/// Noisy pictures enlarged as they are, and cleaned first.
pub fn before_enlarging(text: &mut String, shelf: &Shelf, photos: &[Photo]) -> Outcome<()> {
    let Some(cleaner) = shelf.cleaners(LevelKind::Noise).next().cloned() else { return Ok(()) };
    let renderer = Renderer::new(shelf.clone(), 1 << 30);
    writeln!(
        text,
        "\n# What cleaning first brings\n\nThe photographs shrunk four times, given a sensor's noise, then enlarged four \
         times by Everyday: as they are, after {} at full strength (told what the reading found), and by bicubic alone. \
         Mean PSNR over all of them in dB.\n",
        cleaner.title()
    )?;
    writeln!(text, "| noise, sigma | bicubic | enlarged alone | cleaned, then enlarged | gain of cleaning |")?;
    writeln!(text, "|---|---|---|---|---|")?;
    for sigma in [3.0, 8.0, 15.0, 25.0] {
        let mut sums = [0.0; 3];
        for photo in photos {
            let small = Size::new(photo.planes.size().width / 4, photo.planes.size().height / 4);
            let size = small.times(4);
            let truth = photo.planes.cut(Region::new(0, 0, size.width, size.height));
            let (noisy, _) = damage::sensor(&shrunk(&truth, small, Averaging::Encoded), sigma);
            let original = damage::as_original(&noisy);
            let level = noise::read(&noise::blocks(&original, 40_000)).level;
            let alone = Recipe::learned("everyday", Grade::Fine);
            let noise = Noise {
                model: ModelRef::of(&cleaner),
                level,
                grain: 1.0,
                speckle: 1.0,
                keep_texture: 0.0,
                keep_lines: 0.0,
            };
            let clean = Clean { noise: Some(noise).filter(|n| n.level != NoiseCurve::default()), ..Clean::default() };
            let mut cleaned = alone.clone();
            cleaned.steps.clean = clean;
            let worked = |recipe: &Recipe| recipe.work_out(shelf, small, Target::Factor { factor: 4.0 });
            let treatments = [
                worked(&alone)?.treatment.untreated(Kernel::Bicubic),
                worked(&alone)?.treatment,
                worked(&cleaned)?.treatment,
            ];
            for (sum, treatment) in sums.iter_mut().zip(&treatments) {
                let result = renderer.render(&original, treatment, size.whole().seen_as(), &Unhurried)?;
                *sum += psnr(&result, &truth, 8) / photos.len() as f64;
            }
        }
        let [bicubic, alone, cleaned] = sums;
        writeln!(text, "| {sigma} | {bicubic:.2} | {alone:.2} | {cleaned:.2} | **{:+.2}** |", cleaned - alone)?;
        println!("cleaning first at sigma {sigma}: {:+.2} dB", cleaned - alone);
    }
    Ok(())
}
