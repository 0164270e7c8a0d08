//! What a model does, on a small picture: for its place on the shelf.

use dettaglio_domain::clean::{Conditioning, SOFTNESS_SCALE};
use dettaglio_domain::file::Facts;
use dettaglio_domain::geometry::Size;
use dettaglio_domain::kernel::Kernel;
use dettaglio_domain::model::{Card, Kind, LevelKind};

use super::error::ModelError;
use super::network::Network;
use crate::clean::conditioning_map;
use crate::enlarge::resample;
use crate::face::canvas;
use crate::picture::{Original, Planes};
use crate::reading;

/// The same picture without and with a model, of one size.
pub struct Example {
    /// Enlarged by bicubic, or as it was.
    pub before: Planes,
    /// Through the model.
    pub after: Planes,
}

impl Example {
    /// Runs a model over the whole of a small picture; a cleaner is told what the picture's reading finds.
    pub fn of(card: &Card, network: &dyn Network, original: &Original, facts: &Facts) -> Result<Self, ModelError> {
        let mut picture = original.planes();
        let level = network.level().map(|kind| match level(kind, original, facts) {
            Some(conditioning) => conditioning_map(conditioning, &picture),
            None => {
                let spots = spots(picture.size());
                lay_on(&mut picture, &spots, |_| 1.0);
                spots
            }
        });
        let mut after = network.run(&picture, level.as_deref())?;
        after.values_mut().iter_mut().for_each(|v| *v = v.clamp(0.0, 1.0));
        let before = match card.kind() {
            Kind::Find => {
                let found: Vec<f32> = (0..picture.size().area() as usize)
                    .map(|i| f32::from(u8::from((0..3).any(|kind| after.plane(kind)[i] > 0.5))))
                    .collect();
                after = picture.clone();
                lay_on(&mut after, &found, |channel| [1.0, 0.72, 0.2][channel]);
                picture
            }
            Kind::Clean | Kind::Face | Kind::Fill => picture,
            Kind::Enlarge => resample(&picture, after.size(), after.size().whole(), Kernel::Bicubic),
        };
        Ok(Self { before, after })
    }
}

/// Discs of 3 px radius, 24 px apart: 1 in them, 0 elsewhere.
fn spots(size: Size) -> Vec<f32> {
    let from_middle = |at: u64| (at % 24) as f32 - 11.5;
    let pixels = 0..size.area();
    let width = u64::from(size.width);
    pixels.map(|i| f32::from(u8::from(from_middle(i % width).hypot(from_middle(i / width)) < 3.0))).collect()
}

/// Gives every marked pixel a colour.
fn lay_on(picture: &mut Planes, marks: &[f32], colour: impl Fn(usize) -> f32) {
    for (channel, plane) in picture.values_mut().chunks_exact_mut(marks.len()).enumerate() {
        plane.iter_mut().zip(marks).filter(|(_, mark)| **mark > 0.0).for_each(|(value, _)| *value = colour(channel));
    }
}

/// What a network is told of a picture; nothing for one that is told what is marked.
fn level(kind: LevelKind, original: &Original, facts: &Facts) -> Option<Conditioning> {
    let reading = reading::measure(original, facts);
    Some(match kind {
        LevelKind::Wear => return None,
        LevelKind::Noise => Conditioning::Noise(reading.noise.level),
        LevelKind::Compression => Conditioning::Constant(1.0 - reading.worst_quality().unwrap_or(75.0) / 100.0),
        LevelKind::Softness => {
            Conditioning::Constant(reading.softness.map_or(1.0, |s| s.sigma.min(2.0)) / SOFTNESS_SCALE)
        }
        // The example shows a face that had 30 px between the eyes.
        LevelKind::Scale => Conditioning::Constant(canvas::scale_level(30.0)),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::codec::{Decoded, png_bytes, read};
    use crate::model::stand_in::{self, Repeat, Smear};
    use dettaglio_domain::hash::ContentHash;
    use dettaglio_domain::limits::Limits;
    use dettaglio_domain::model::Grade;

    fn decoded() -> Decoded {
        let size = Size::new(96, 80);
        let values = (0..3 * size.area()).map(|i| ((i * 7919) % 251) as f32 / 251.0).collect();
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), png_bytes(&Planes::from_values(size, values))).unwrap();
        read(file.path(), ContentHash::of_file(file.path()).unwrap(), &Limits::default()).unwrap()
    }

    #[test]
    fn both_sides_have_one_size() {
        let Decoded { original, facts } = decoded();
        let card = stand_in::card(4, Grade::Draft);
        let example = Example::of(&card, &Repeat { factor: 4 }, &original, &facts).unwrap();
        assert_eq!(example.before.size(), Size::new(384, 320));
        assert_eq!(example.after.size(), example.before.size());
    }

    #[test]
    fn a_cleaner_is_told_what_is_read() {
        let Decoded { original, facts } = decoded();
        let example = Example::of(&stand_in::cleaner_card(), &Smear, &original, &facts).unwrap();
        assert_eq!(example.before, original.planes());
        assert_ne!(example.after, example.before);
    }
}
