//! Scores of enlargers.

use std::fmt::Write as _;

use dettaglio_core::compare::{drift, psnr, sharpness, ssim, texture};
use dettaglio_core::enlarge::{Averaging, Kernel, resample};
use dettaglio_core::model::{Card, EVERYDAY, Grade, Kind, Model, Network, PHOTOGRAPHS, Score, Shelf};
use dettaglio_core::picture::{Original, Planes, Region, Size};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::treatment::Treatment;

use super::damage::Outcome;
use super::sets::{Sets, Subject};
use super::{clamped, rounded, shrunk};

/// A model, its seconds per input megapixel, and the largest difference between tiles and whole in 8-bit levels.
pub type Scored = (Card, f64, f32);

/// Every picture of every set for which there is something to enlarge by the model's factor.
pub fn score(shelf: &Shelf, model: &Model, sets: &Sets) -> Outcome<Vec<Score>> {
    let card = model.card();
    let network = model.network()?;
    let everyday = if card.subject == EVERYDAY { None } else { everyday(shelf, card.factor)? };
    let mut scores = Vec::new();
    for (set, subjects) in sets.each() {
        for subject in subjects {
            if let Some(score) = score_one(&*network, everyday.as_deref(), set, subject)? {
                scores.push(score);
            }
        }
    }
    Ok(scores)
}

/// Everyday of this factor and the draft's size, which is the size of the subject models.
fn everyday(shelf: &Shelf, factor: u32) -> Outcome<Option<std::sync::Arc<dyn Network>>> {
    let model = shelf.models().iter().find(|m| {
        let card = m.card();
        card.kind == Kind::Enlarge && card.subject == EVERYDAY && card.factor == factor && card.grade == Grade::Draft
    });
    Ok(model.map(|m| m.network()).transpose()?)
}

fn score_one(
    network: &dyn Network,
    everyday: Option<&dyn Network>,
    set: &str,
    subject: &Subject,
) -> Outcome<Option<Score>> {
    let factor = network.factor();
    let whole = subject.truth.size();
    let small = Size::new(whole.width / factor, whole.height / factor);
    let size = small.times(factor);
    let truth = subject.truth.cut(Region::new(0, 0, size.width, size.height));
    let input = match &subject.given {
        // The damage of another factor's set.
        Some(given) if given.size() != small => return Ok(None),
        Some(given) => given.clone(),
        None => shrunk(&truth, small, Averaging::Encoded),
    };
    let border = factor + 4;
    let plain = |input: &Planes, kernel| resample(input, size, size.whole(), kernel);
    let bicubic = plain(&input, Kernel::Bicubic);
    let learned = clamped(network.run(&input, None)?);
    let everyday = everyday.map(|e| e.run(&input, None)).transpose()?.map(clamped);
    let light_gain = match subject.given {
        Some(_) => None,
        None => {
            let in_light = shrunk(&truth, small, Averaging::Light);
            let learned = clamped(network.run(&in_light, None)?);
            Some(psnr(&learned, &truth, border) - psnr(&plain(&in_light, Kernel::Bicubic), &truth, border))
        }
    };
    Ok(Some(Score {
        set: set.to_owned(),
        photo: subject.name.clone(),
        nearest: rounded(psnr(&plain(&input, Kernel::Nearest), &truth, border), 2),
        bicubic: rounded(psnr(&bicubic, &truth, border), 2),
        lanczos: rounded(psnr(&plain(&input, Kernel::Lanczos3), &truth, border), 2),
        everyday: everyday.as_ref().map(|e| rounded(psnr(e, &truth, border), 2)),
        model: rounded(psnr(&learned, &truth, border), 2),
        bicubic_ssim: rounded(ssim(&bicubic, &truth, border), 4),
        model_ssim: rounded(ssim(&learned, &truth, border), 4),
        bicubic_sharpness: rounded(sharpness(&bicubic, &truth, border), 3),
        model_sharpness: rounded(sharpness(&learned, &truth, border), 3),
        bicubic_texture: rounded(texture(&bicubic, &truth, border), 2),
        everyday_texture: everyday.as_ref().map(|e| rounded(texture(e, &truth, border), 2)),
        model_texture: rounded(texture(&learned, &truth, border), 2),
        drift: rounded(drift(&learned, &truth), 2),
        light_gain: light_gain.map(|gain| rounded(gain, 2)),
    }))
}

/// A photograph done in tiles by the renderer against the same at once by the network, in 8-bit levels.
pub fn seams(shelf: &Shelf, model: &Model, sets: &Sets) -> Outcome<f32> {
    let photograph = sets.photographs().first().ok_or("there are photographs")?;
    let size = Size::new(400.min(photograph.planes.size().width), 300.min(photograph.planes.size().height));
    let planes = photograph.planes.cut(size.whole());
    let whole = clamped(model.network()?.run(&planes, None)?);
    let treatment = Treatment::with_model(shelf, &model.card().id, size, size.times(model.card().factor))?;
    let original = Original::from_planes(&planes);
    let tiled =
        Renderer::new(shelf.clone(), 256 << 20).render(&original, &treatment, whole.size().whole(), &Unhurried)?;
    let pairs = tiled.values().iter().zip(whole.values());
    Ok(pairs.map(|(a, b)| (a - b).abs() * 255.0).fold(0.0, f32::max))
}

/// Mean gain over bicubic on what the model was made for.
pub fn own_gain(card: &Card) -> f64 {
    let own = card.own_scores();
    own.iter().map(|s| s.gain()).sum::<f64>() / own.len().max(1) as f64
}

const INTRODUCTION: &str = "\
# The models, measured

Written by `cargo run --release -p dettaglio-core --example evaluate -- foundry/held-out models docs/models.md`.

Every picture below was shrunk (antialiased bicubic in encoded values, rounded to 8 bits), enlarged again and compared
with itself; old prints and every second lettering came with their damage instead. None was used in training, and no
photograph comes from the same source as those that were.

- PSNR in dB on BT.601 luminance, leaving out a border of the factor and 4 px; more is better. SSIM likewise.
- *Sharpness* is the mean gradient over the truth's: below 1 softer, above 1 sharper (or noisier).
- *Texture* is how far the local strength of fine detail lies from the truth's, in dB: 0 is equal, less is better.
- *Drift* is the mean CIEDE2000 of 8 px averages: colour and tone that moved.
- *In light* shrinks in linear light instead, as a sensor does, and gives the gain over bicubic there.
";

/// The part of the document on enlargers.
pub fn document(all: &[Scored]) -> Result<String, std::fmt::Error> {
    let mut text = String::from(INTRODUCTION);
    overview(&mut text, all)?;
    choice(&mut text, all)?;
    for scored in all {
        describe(&mut text, scored)?;
    }
    Ok(text)
}

fn overview(text: &mut String, all: &[Scored]) -> std::fmt::Result {
    writeln!(text, "\n## At a glance\n")?;
    writeln!(text, "Each model on its own subject; times on the machine that wrote this.\n")?;
    writeln!(
        text,
        "| model | pictures | bicubic | Lanczos 3 | model | gain | SSIM | sharpness | texture | drift | seams, levels | s / MP | parameters |"
    )?;
    writeln!(text, "|---|---|---|---|---|---|---|---|---|---|---|---|---|")?;
    for (card, seconds, seams) in all {
        let own = card.own_scores();
        writeln!(
            text,
            "| {} | {} {} | {:.2} | {:.2} | {:.2} | **{:+.2}** | {:.4} | {:.2} | {:.2} | {:.2} | {seams:.3} | {seconds:.2} | {} |",
            card.title(),
            own.len(),
            own.first().map_or("", |s| &s.set),
            mean(&own, |s| s.bicubic),
            mean(&own, |s| s.lanczos),
            mean(&own, |s| s.model),
            mean(&own, |s| s.gain()),
            mean(&own, |s| s.model_ssim),
            mean(&own, |s| s.model_sharpness),
            mean(&own, |s| s.model_texture),
            mean(&own, |s| s.drift),
            card.parameters,
        )?;
    }
    writeln!(
        text,
        "\nSeams: the largest difference between a photograph done in tiles and done at once. Up to 0.004 levels come from \
         tiles being kept with 16 bits; nothing else differs."
    )
}

/// What choosing by subject brings, on the subject and off it.
fn choice(text: &mut String, all: &[Scored]) -> std::fmt::Result {
    writeln!(text, "\n## What choosing by subject brings\n")?;
    writeln!(
        text,
        "Every subject model against Everyday, draft, of the same factor: PSNR gained (dB), and texture error of \
         Everyday and of the model (dB, less is better).\n"
    )?;
    writeln!(
        text,
        "| model | set | pictures | PSNR over Everyday | least | most | texture, Everyday | texture, model |"
    )?;
    writeln!(text, "|---|---|---|---|---|---|---|---|")?;
    for (card, _, _) in all.iter().filter(|(card, _, _)| card.subject != EVERYDAY) {
        let mut sets: Vec<&str> = card.scores.iter().map(|s| s.set.as_str()).collect();
        sets.dedup();
        for set in sets {
            let scores: Vec<&Score> = card.scores.iter().filter(|s| s.set == set).collect();
            let gains: Vec<f64> = scores.iter().filter_map(|s| Some(s.model - s.everyday?)).collect();
            if gains.is_empty() {
                continue;
            }
            let own = if set == card.subject { "**" } else { "" };
            writeln!(
                text,
                "| {} | {own}{set}{own} | {} | {own}{:+.2}{own} | {:+.2} | {:+.2} | {:.2} | {:.2} |",
                card.title(),
                scores.len(),
                gains.iter().sum::<f64>() / gains.len() as f64,
                gains.iter().copied().fold(f64::INFINITY, f64::min),
                gains.iter().copied().fold(f64::NEG_INFINITY, f64::max),
                mean(&scores, |s| s.everyday_texture.unwrap_or_default()),
                mean(&scores, |s| s.model_texture),
            )?;
        }
    }
    Ok(())
}

fn describe(text: &mut String, (card, _, _): &Scored) -> std::fmt::Result {
    writeln!(text, "\n## {}\n\n{}", card.title(), card.purpose)?;
    writeln!(text, "`{}`, made on {}: {}.\n", card.id, card.made_on, card.recipe)?;
    writeln!(
        text,
        "| picture | nearest | bicubic | Lanczos 3 | Everyday | model | gain | SSIM bicubic | SSIM model | sharpness bicubic | sharpness model | texture bicubic | texture model | drift | in light |"
    )?;
    writeln!(text, "|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|")?;
    let own = card.own_scores();
    for s in &own {
        row(text, &s.photo, &[s])?;
    }
    row(text, "**mean**", &own)?;
    let others = card.scores.iter().filter(|s| s.set == PHOTOGRAPHS).collect::<Vec<_>>();
    if own.first().is_some_and(|s| s.set != PHOTOGRAPHS) && !others.is_empty() {
        row(text, "*photographs of all kinds, mean*", &others)?;
    }
    writeln!(text, "\nKnown weaknesses: {}.", card.weaknesses.join(". "))
}

fn row(text: &mut String, name: &str, scores: &[&Score]) -> std::fmt::Result {
    let everyday: Vec<f64> = scores.iter().filter_map(|s| s.everyday).collect();
    let light: Vec<f64> = scores.iter().filter_map(|s| s.light_gain).collect();
    let some = |values: &[f64], sign: bool| match values.len() {
        0 => String::new(),
        n if sign => format!("{:+.2}", values.iter().sum::<f64>() / n as f64),
        n => format!("{:.2}", values.iter().sum::<f64>() / n as f64),
    };
    writeln!(
        text,
        "| {name} | {:.2} | {:.2} | {:.2} | {} | {:.2} | {:+.2} | {:.4} | {:.4} | {:.2} | {:.2} | {:.2} | {:.2} | {:.2} | {} |",
        mean(scores, |s| s.nearest),
        mean(scores, |s| s.bicubic),
        mean(scores, |s| s.lanczos),
        some(&everyday, false),
        mean(scores, |s| s.model),
        mean(scores, |s| s.gain()),
        mean(scores, |s| s.bicubic_ssim),
        mean(scores, |s| s.model_ssim),
        mean(scores, |s| s.bicubic_sharpness),
        mean(scores, |s| s.model_sharpness),
        mean(scores, |s| s.bicubic_texture),
        mean(scores, |s| s.model_texture),
        mean(scores, |s| s.drift),
        some(&light, true),
    )
}

fn mean(scores: &[&Score], figure: impl Fn(&Score) -> f64) -> f64 {
    scores.iter().map(|s| figure(s)).sum::<f64>() / scores.len().max(1) as f64
}
