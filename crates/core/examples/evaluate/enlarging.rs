//! Scores of enlargers.

use std::fmt::Write as _;

use dettaglio_core::compare::{drift, psnr, sharpness, ssim};
use dettaglio_core::enlarge::{Averaging, resample};
use dettaglio_core::model::{Model, Network, Shelf};
use dettaglio_core::picture::{Original, Planes};
use dettaglio_core::render::{Renderer, Unhurried};
use dettaglio_core::screen::{screen, weave};
use dettaglio_domain::geometry::{Region, Size};
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, EVERYDAY, Kind, PHOTOGRAPHS, Score, perceived_nearer};
use dettaglio_domain::treatment::Treatment;

use super::damage::Outcome;
use super::perception::Judge;
use super::sets::{Sets, Subject};
use super::{clamped, rounded, shrunk};

/// A model, its seconds per input megapixel, and the largest difference between tiles and whole in 8-bit levels.
pub type Scored = (Card, f64, f32);

/// Every picture of every set for which there is something to enlarge by the model's factor.
pub fn score(shelf: &Shelf, model: &Model, sets: &Sets, judge: &mut Judge) -> Outcome<Vec<Score>> {
    let card = model.card();
    let network = model.network()?;
    let everyday = if card.subject == EVERYDAY { None } else { everyday(shelf, card)? };
    let mut scores = Vec::new();
    for (set, subjects) in sets.each() {
        // The network that sees is slow: it looks at what the model was made for.
        let own = set == card.subject || (card.subject == EVERYDAY && set == PHOTOGRAPHS);
        for subject in subjects {
            let judge = own.then_some(&mut *judge);
            if let Some(score) = score_one(&*network, everyday.as_deref(), set, subject, judge)? {
                scores.push(score);
            }
        }
    }
    Ok(scores)
}

/// Everyday of the same factor and grade.
fn everyday(shelf: &Shelf, own: &Card) -> Outcome<Option<std::sync::Arc<dyn Network>>> {
    let model = shelf.models().iter().find(|m| {
        let card = m.card();
        card.kind() == Kind::Enlarge
            && card.subject == EVERYDAY
            && (card.factor(), card.grade) == (own.factor(), own.grade)
    });
    Ok(model.map(|m| m.network()).transpose()?)
}

fn score_one(
    network: &dyn Network,
    everyday: Option<&dyn Network>,
    set: &str,
    subject: &Subject,
    mut judge: Option<&mut Judge>,
) -> Outcome<Option<Score>> {
    let factor = network.factor();
    let whole = subject.truth.size();
    let small = Size::new(whole.width / factor, whole.height / factor);
    let size = small.times(factor);
    let truth = subject.truth.cut(Region::new(0, 0, size.width, size.height));
    let is_damaged = !subject.given.is_empty();
    let input = match subject.given.iter().find(|given| given.size() == small) {
        Some(given) => given.clone(),
        // Damaged for other factors only.
        None if is_damaged => return Ok(None),
        None => shrunk(&truth, small, Averaging::Encoded),
    };
    let border = factor + 4;
    let plain = |input: &Planes, kernel| resample(input, size, size.whole(), kernel);
    let bicubic = plain(&input, Kernel::Bicubic);
    let learned = clamped(network.run(&input, None)?);
    let everyday = everyday.map(|e| e.run(&input, None)).transpose()?.map(clamped);
    let light_gain = if is_damaged {
        None
    } else {
        let in_light = shrunk(&truth, small, Averaging::Light);
        let learned = clamped(network.run(&in_light, None)?);
        Some(psnr(&learned, &truth, border) - psnr(&plain(&in_light, Kernel::Bicubic), &truth, border))
    };
    let mut perceived = |planes: &Planes| -> Outcome<Option<f64>> {
        judge.as_mut().map(|judge| Ok(rounded(judge.distance(planes, &truth)?, 2))).transpose()
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
        bicubic_perceived: perceived(&bicubic)?,
        everyday_perceived: everyday.as_ref().map(&mut perceived).transpose()?.flatten(),
        model_perceived: perceived(&learned)?,
        screen: screen(&learned, factor, border).map(|energy| rounded(energy, 1)),
        weave: weave(&learned, border).map(|energy| rounded(energy, 1)),
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
    let treatment = Treatment::with_model(shelf, &model.card().id, size, size.times(model.card().factor()))?;
    let original = Original::from_planes(&planes);
    let tiled = Renderer::new(shelf.clone(), 256 << 20).render(
        &original,
        &treatment,
        whole.size().whole().seen_as(),
        &Unhurried,
    )?;
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
- *Perceived* is how far it lies from the truth to a general network that has learned to see, in the middle of the picture, on a model's own subject: 0 is equal, less is
  better ([how](../foundry/dettaglio_foundry/perception.py)).
- *Screen* is the most energy on the lattice of the factor over that around it: photographs have 1 to 4, and above 10 a regular pattern
  shows; white noise of one level is added to both, as what it hides is not seen. *Weave* is the same for any fine frequency; pictures may have peaks of their own.
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
        "| model | pictures | bicubic | Lanczos 3 | model | gain | SSIM | sharpness | perceived: bicubic | model | most screen | drift | seams, levels | s / MP | parameters |"
    )?;
    writeln!(text, "|---|---|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|")?;
    for (card, seconds, seams) in all {
        let own = card.own_scores();
        writeln!(
            text,
            "| {} | {} {} | {:.2} | {:.2} | {:.2} | **{:+.2}** | {:.4} | {:.2} | {} | {} | {} | {:.2} | {seams:.3} | {seconds:.2} | {} |",
            card.title(),
            own.len(),
            own.first().map_or("", |s| &s.set),
            mean(&own, |s| s.bicubic),
            mean(&own, |s| s.lanczos),
            mean(&own, |s| s.model),
            mean(&own, |s| s.gain()),
            mean(&own, |s| s.model_ssim),
            mean(&own, |s| s.model_sharpness),
            known(&own, |s| s.bicubic_perceived, 1),
            known(&own, |s| s.model_perceived, 1),
            most_screen(&card.scores().iter().collect::<Vec<_>>()),
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
        "Every subject model against Everyday of the same factor and grade: PSNR gained (dB), and how far each is perceived \
         to lie from the truth (less is better).\n"
    )?;
    writeln!(
        text,
        "| model | set | pictures | PSNR over Everyday | least | most | perceived: Everyday | model | nearer by | most screen |"
    )?;
    writeln!(text, "|---|---|--:|--:|--:|--:|--:|--:|--:|--:|")?;
    for (card, _, _) in all.iter().filter(|(card, _, _)| card.subject != EVERYDAY) {
        let mut sets: Vec<&str> = card.scores().iter().map(|s| s.set.as_str()).collect();
        sets.dedup();
        for set in sets {
            let scores: Vec<&Score> = card.scores().iter().filter(|s| s.set == set).collect();
            let gains: Vec<f64> = scores.iter().filter_map(|s| Some(s.model - s.everyday?)).collect();
            if gains.is_empty() {
                continue;
            }
            let own = if set == card.subject { "**" } else { "" };
            writeln!(
                text,
                "| {} | {own}{set}{own} | {} | {own}{:+.2}{own} | {:+.2} | {:+.2} | {} | {} | {} | {} |",
                card.title(),
                scores.len(),
                gains.iter().sum::<f64>() / gains.len() as f64,
                gains.iter().copied().fold(f64::INFINITY, f64::min),
                gains.iter().copied().fold(f64::NEG_INFINITY, f64::max),
                known(&scores, |s| s.everyday_perceived, 1),
                known(&scores, |s| s.model_perceived, 1),
                perceived_nearer(&scores).map_or(String::new(), |share| format!("{own}{:.0} %{own}", 100.0 * share)),
                most_screen(&scores),
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
        "| picture | nearest | bicubic | Lanczos 3 | Everyday | model | gain | SSIM bicubic | SSIM model | sharpness | perceived: bicubic | Everyday | model | screen | weave | drift | in light |"
    )?;
    writeln!(text, "|---|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|--:|")?;
    let own = card.own_scores();
    for s in &own {
        row(text, &s.photo, &[s])?;
    }
    row(text, "**mean**", &own)?;
    let others = card.scores().iter().filter(|s| s.set == PHOTOGRAPHS).collect::<Vec<_>>();
    if own.first().is_some_and(|s| s.set != PHOTOGRAPHS) && !others.is_empty() {
        row(text, "*photographs of all kinds, mean*", &others)?;
    }
    spread(text, &own)?;
    writeln!(text, "Known weaknesses: {}.", card.weaknesses.join(". "))
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
        "| {name} | {:.2} | {:.2} | {:.2} | {} | {:.2} | {:+.2} | {:.4} | {:.4} | {:.2} | {} | {} | {} | {} | {} | {:.2} | {} |",
        mean(scores, |s| s.nearest),
        mean(scores, |s| s.bicubic),
        mean(scores, |s| s.lanczos),
        some(&everyday, false),
        mean(scores, |s| s.model),
        mean(scores, |s| s.gain()),
        mean(scores, |s| s.bicubic_ssim),
        mean(scores, |s| s.model_ssim),
        mean(scores, |s| s.model_sharpness),
        known(scores, |s| s.bicubic_perceived, 1),
        known(scores, |s| s.everyday_perceived, 1),
        known(scores, |s| s.model_perceived, 1),
        known(scores, |s| s.screen, 1),
        known(scores, |s| s.weave, 1),
        mean(scores, |s| s.drift),
        some(&light, true),
    )
}

/// The spread of the gain over the pictures, and where it is least.
fn spread(text: &mut String, scores: &[&Score]) -> std::fmt::Result {
    let middle = mean(scores, |s| s.gain());
    let deviation = mean(scores, |s| (s.gain() - middle).powi(2)).sqrt();
    let Some(worst) = scores.iter().min_by(|a, b| a.gain().total_cmp(&b.gain())) else { return Ok(()) };
    writeln!(
        text,
        "\nGain over bicubic {middle:+.2} dB, standard deviation over the pictures {deviation:.2}; least on {}: {:+.2}.\n",
        worst.photo,
        worst.gain()
    )
}

/// The mean of what is known of all; nothing where it is not.
fn known(scores: &[&Score], figure: impl Fn(&Score) -> Option<f64>, digits: usize) -> String {
    let values: Vec<f64> = scores.iter().filter_map(|s| figure(s)).collect();
    if values.is_empty() {
        return String::new();
    }
    format!("{:.digits$}", values.iter().sum::<f64>() / values.len() as f64)
}

fn most_screen(scores: &[&Score]) -> String {
    let most = scores.iter().filter_map(|s| s.screen).fold(0.0, f64::max);
    if most > 0.0 { format!("{most:.1}") } else { String::new() }
}

fn mean(scores: &[&Score], figure: impl Fn(&Score) -> f64) -> f64 {
    scores.iter().map(|s| figure(s)).sum::<f64>() / scores.len().max(1) as f64
}
