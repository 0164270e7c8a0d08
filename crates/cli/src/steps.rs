//! The steps of a treatment, from what was said on the command line and what was measured.

use std::fs;

use anyhow::{Context, bail};
use dettaglio_core::codec::Decoded;
use dettaglio_core::model::Shelf;
use dettaglio_core::render::Unhurried;
use dettaglio_core::{reading, sight, trial};
use dettaglio_domain::clean::{Clean, Marks, Noise, Softness};
use dettaglio_domain::face::{Face, Faces};
use dettaglio_domain::file::Facts;
use dettaglio_domain::finish::{Edges, Finish, PrintGrain};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::halftone::Halftone;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Catalogue, EVERYDAY, Grade, LevelKind, ModelRef};
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Choice, Recipe, Surround};
use dettaglio_domain::repair::{Fade, Repair, Wear};
use dettaglio_domain::size::Target;
use dettaglio_domain::suggest::{PrintFacts, Suggestion, Usual, factor_for, usual_grade};
use dettaglio_domain::trace::Tracing;
use dettaglio_domain::treatment::Fill;

use crate::args::{AutoSetting, Crop, Setting, StepArgs};

/// What is suggested for a picture of `kept` pixels and a print.
pub fn suggestion(
    decoded: &Decoded,
    reading: &Reading,
    found: &[Face],
    shelf: &Shelf,
    kept: Size,
    target: Target,
    distance: Option<f64>,
) -> anyhow::Result<Suggestion> {
    let resolved = target.resolve(kept)?;
    let print = PrintFacts {
        factor: resolved.factor,
        ppi: resolved.print.map(|p| p.ppi),
        distance_m: resolved.print.map(|p| distance.unwrap_or_else(|| p.usual_distance_m())),
    };
    let reading = &Reading { sight: sight::look(&decoded.original, shelf)?, ..reading.clone() };
    let shows = reading.shows(found, decoded.facts.size);
    let trial = match factor_for(resolved.factor) {
        Some(factor) => trial::run(&decoded.original, reading, shows, shelf, factor, &Unhurried)?,
        None => None,
    };
    Ok(Suggestion::of(reading, trial.as_ref(), found, &decoded.facts, shelf, print))
}

impl StepArgs {
    /// The recipe for one picture. It is measured, and its faces are looked for, only where something asks for that.
    pub fn recipe(
        &self,
        decoded: &Decoded,
        shelf: &Shelf,
        find: &dyn Fn() -> anyhow::Result<Vec<Face>>,
        target: Target,
    ) -> anyhow::Result<Recipe> {
        let reading = std::cell::OnceCell::new();
        let reading = || reading.get_or_init(|| reading::measure(&decoded.original, &decoded.facts));
        let frame = self.frame(&reading)?;
        let mut recipe = match &self.treatment {
            Some(file) => {
                let text = fs::read_to_string(file).with_context(|| file.display().to_string())?;
                serde_json::from_str(&text)
                    .with_context(|| format!("{} is not a treatment that `suggest` writes", file.display()))?
            }
            None if self.suggested => {
                let kept = frame.size(decoded.original.size())?;
                let found = if self.faces == Some(AutoSetting::Off) { Vec::new() } else { find()? };
                let suggestion = suggestion(decoded, reading(), &found, shelf, kept, target, None)?;
                suggestion.recipe(frame, Surround::None)
            }
            None => {
                let factor = target.resolve(frame.size(decoded.original.size())?)?.factor;
                Recipe::learned(EVERYDAY, usual_grade(EVERYDAY, shelf, factor))
            }
        };
        if frame != Frame::default() {
            recipe.frame = frame;
        }
        self.surround(&mut recipe);
        self.enlarge(&mut recipe, shelf)?;
        self.check_marks(decoded.original.size())?;
        self.repair(&mut recipe.steps.repair, shelf, &reading)?;
        self.clean(&mut recipe.steps.clean, shelf, &decoded.facts, &reading)?;
        self.finish(&mut recipe.steps.finish, &reading);
        self.restore(&mut recipe.steps.faces, shelf)?;
        let spared = recipe.steps.finish.edges.is_some_and(|edges| edges.leave_skin > 0.0);
        if recipe.steps.faces.is_some() || spared || recipe.steps.repair.wear.is_some() {
            recipe = recipe.knowing(&find()?);
        }
        Ok(recipe)
    }

    fn restore(&self, faces: &mut Option<Faces>, shelf: &Shelf) -> anyhow::Result<()> {
        let usual = || shelf.restorer().map(|card| Faces { strength: card.usual_strength() });
        *faces = match self.faces {
            None => *faces,
            Some(AutoSetting::Off) => None,
            Some(AutoSetting::Auto) => faces.or_else(usual),
            Some(AutoSetting::To(strength)) => Some(Faces { strength }),
        };
        let wanted = faces.is_some() || self.faces == Some(AutoSetting::Auto);
        if wanted && shelf.restorer().is_none() {
            bail!("there is no model on the shelf that restores faces: leave --faces out");
        }
        Ok(())
    }

    fn frame<'a>(&self, reading: &impl Fn() -> &'a Reading) -> anyhow::Result<Frame> {
        let quarter_turns = match &self.turn {
            Some(degrees) => (degrees.parse::<u16>()? / 90) as u8,
            None => 0,
        };
        let frame = Frame { mirrored: false, quarter_turns, degrees: self.straighten.unwrap_or(0.0), crop: None };
        match self.crop {
            None => Ok(frame),
            Some(Crop::To(part)) => Ok(Frame { crop: Some(part), ..frame }),
            Some(Crop::Auto) if !frame.is_plain() => {
                bail!("--crop auto sets a picture straight by itself: leave --turn and --straighten out")
            }
            Some(Crop::Auto) => Ok(reading().border.map_or(frame, |border| border.frame)),
        }
    }

    fn surround(&self, recipe: &mut Recipe) {
        if self.border {
            recipe.surround = Surround::Border;
        }
        if let Some(mm) = self.bleed {
            recipe.surround = Surround::Bleed { mm, fill: Fill::Mirror };
        }
    }

    fn enlarge(&self, recipe: &mut Recipe, shelf: &Shelf) -> anyhow::Result<()> {
        let learned = |subject: &str, grade| Choice::Learned { subject: subject.to_owned(), grade, strength: 1.0 };
        match self.model.as_deref() {
            Some("nearest") => recipe.steps.enlarge = Choice::Plain { kernel: Kernel::Nearest },
            Some("bicubic") => recipe.steps.enlarge = Choice::Plain { kernel: Kernel::Bicubic },
            Some("lanczos3") => recipe.steps.enlarge = Choice::Plain { kernel: Kernel::Lanczos3 },
            Some("traced") => recipe.steps.enlarge = Choice::Traced(Tracing::usual()),
            Some(id) => {
                let card = shelf.card(id)?;
                recipe.steps.enlarge = learned(&card.subject, card.grade);
            }
            None => {
                if let Choice::Learned { grade, .. } = &mut recipe.steps.enlarge {
                    if self.draft {
                        *grade = Grade::Draft;
                    }
                    if self.fine {
                        *grade = Grade::Fine;
                    }
                }
            }
        }
        if let Some(wanted) = self.strength {
            match &mut recipe.steps.enlarge {
                Choice::Learned { strength, .. } => *strength = wanted,
                Choice::Plain { .. } | Choice::Traced(_) => {
                    bail!("--strength mixes a model's result with a plain one: choose a model")
                }
            }
        }
        Ok(())
    }

    /// Refuses a mark that lies beside the picture.
    fn check_marks(&self, size: Size) -> anyhow::Result<()> {
        let (width, height) = (size.width as f32, size.height as f32);
        for place in self.fill.iter().flat_map(|stroke| &stroke.points) {
            if place.x >= width || place.y >= height {
                bail!("--fill: {},{} lies outside the picture, which has {size}", place.x, place.y);
            }
        }
        Ok(())
    }

    fn repair<'r>(&self, repair: &mut Repair, shelf: &Shelf, reading: &impl Fn() -> &'r Reading) -> anyhow::Result<()> {
        let usual = || {
            Usual::wear(shelf).context("there is no model on the shelf that finds and fills wear: leave --repair out")
        };
        match self.repair {
            None => {}
            Some(AutoSetting::Off) => repair.wear = None,
            Some(AutoSetting::Auto) => repair.wear = Repair::suggested(reading(), shelf).wear,
            Some(AutoSetting::To(sensitivity)) => {
                repair.wear = Some(Wear { sensitivity, ..repair.wear.take().map_or_else(usual, Ok)? });
            }
        }
        if let Some(wear) = &mut repair.wear
            && !self.repair_only.is_empty()
        {
            let named = |kind: &str| self.repair_only.iter().any(|named| named == kind);
            (wear.specks, wear.lines, wear.breaks) = (named("specks"), named("lines"), named("breaks"));
        }
        if !self.fill.is_empty() {
            let mut wear = match repair.wear.take() {
                Some(wear) => wear,
                // What is marked is all that is wanted.
                None => Wear { specks: false, lines: false, breaks: false, ..usual()? },
            };
            wear.strokes.extend_from_slice(&self.fill);
            repair.wear = Some(wear);
        }
        match self.halftone {
            None => {}
            Some(AutoSetting::Off) => repair.halftone = None,
            Some(AutoSetting::Auto) => repair.halftone = reading().halftone(),
            Some(AutoSetting::To(strength)) => {
                let known = repair.halftone.take().or_else(|| reading().halftone());
                let halftone = known.context("--halftone: no dots of a print were found in this picture")?;
                repair.halftone = Some(Halftone { strength, ..halftone });
            }
        }
        match self.fade {
            None => {}
            Some(AutoSetting::Off) => repair.fade = None,
            Some(AutoSetting::Auto) => repair.fade = Repair::suggested(reading(), shelf).fade,
            Some(AutoSetting::To(strength)) => {
                let known = repair.fade.or_else(|| Fade::suggested(reading()));
                let fade = known.context("--fade: black and white of this picture are where they belong")?;
                repair.fade = Some(Fade { strength, ..fade });
            }
        }
        Ok(())
    }

    fn clean<'r>(
        &self,
        clean: &mut Clean,
        shelf: &Shelf,
        facts: &Facts,
        reading: &impl Fn() -> &'r Reading,
    ) -> anyhow::Result<()> {
        clean.marks = match self.marks {
            Some(Setting::Off) => None,
            Some(Setting::To(strength)) => {
                let marks = clean.marks.take().map_or_else(|| own_marks(reading(), shelf), Ok)?;
                Some(Marks { strength, ..marks })
            }
            None => clean.marks.take(),
        };
        clean.softness = match self.softness {
            Some(Setting::Off) => None,
            Some(Setting::To(strength)) => {
                let softness = clean.softness.take().map_or_else(|| own_softness(reading(), shelf), Ok)?;
                Some(Softness { strength, ..softness })
            }
            None => clean.softness.take(),
        };
        let shares = [self.speckle, self.keep_texture, self.keep_lines];
        let asked = shares.iter().any(Option::is_some) || self.cleaner.is_some();
        if self.grain == Some(Setting::Off) {
            clean.noise = None;
            if asked {
                bail!("--grain off leaves nothing for --speckle, --keep-texture, --keep-lines or --cleaner to do");
            }
        } else if self.grain.is_some() || asked {
            let usual = || Usual::noise(reading(), facts, shelf).with_context(|| no_cleaner("noise"));
            let noise = clean.noise.take().map_or_else(usual, Ok)?;
            clean.noise = Some(self.noise(noise, shelf)?);
        }
        Ok(())
    }

    /// Noise with what was asked for of it.
    fn noise(&self, mut noise: Noise, shelf: &Shelf) -> anyhow::Result<Noise> {
        if let Some(id) = &self.cleaner {
            let card = shelf.card(id)?;
            if !Catalogue::serves(card, LevelKind::Noise) {
                bail!("{id} is no cleaner for noise");
            }
            noise.model = ModelRef::of(card);
        }
        if let Some(Setting::To(share)) = self.grain {
            noise.grain = share;
        }
        noise.speckle = self.speckle.unwrap_or(noise.speckle);
        noise.keep_texture = self.keep_texture.unwrap_or(noise.keep_texture);
        noise.keep_lines = self.keep_lines.unwrap_or(noise.keep_lines);
        Ok(noise)
    }

    fn finish<'r>(&self, finish: &mut Finish, reading: &impl Fn() -> &'r Reading) {
        let asked = self.edge_width.is_some() || self.halo_guard.is_some() || self.leave_flat.is_some();
        let asked = asked || self.leave_skin.is_some();
        match self.edges {
            Some(Setting::Off) => finish.edges = None,
            None if !asked => {}
            _ => {
                let mut edges = finish.edges.unwrap_or_else(Edges::by_hand);
                if let Some(Setting::To(strength)) = self.edges {
                    edges.strength = strength;
                }
                edges.width = self.edge_width.unwrap_or(edges.width);
                edges.halo_guard = self.halo_guard.unwrap_or(edges.halo_guard);
                edges.leave_flat = self.leave_flat.unwrap_or(edges.leave_flat);
                edges.leave_skin = self.leave_skin.unwrap_or(edges.leave_skin);
                finish.edges = Some(edges);
            }
        }
        match self.print_grain {
            Some(Setting::Off) => finish.grain = None,
            Some(Setting::To(amount)) => {
                let grain = finish.grain.unwrap_or_else(|| Usual::grain(reading()));
                finish.grain = Some(PrintGrain { amount, ..grain });
            }
            None => {}
        }
    }
}

/// Compression marks as they are found in a picture.
fn own_marks(reading: &Reading, shelf: &Shelf) -> anyhow::Result<Marks> {
    reading.worst_quality().context("--marks: no trace of JPEG compression is found in this picture")?;
    Usual::marks(reading, shelf).with_context(|| no_cleaner("compression marks"))
}

/// Softness as it is measured in a picture.
fn own_softness(reading: &Reading, shelf: &Shelf) -> anyhow::Result<Softness> {
    reading.softness.context("--softness: there are too few edges to measure")?;
    Usual::softness(reading, shelf).with_context(|| no_cleaner("softness"))
}

fn no_cleaner(what: &str) -> String {
    format!("there is no cleaner for {what} on the shelf")
}
