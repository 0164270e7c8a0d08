//! Subjects that the rules of suggesting know by name, and which of them what is shown speaks for.

use crate::reading::Reading;
use crate::sight::Shown;

/// The subject of models made for lettering and line work.
pub const LETTERING: &str = "lettering";

/// The subject of models made for leaves and ground.
pub(super) const FOLIAGE: &str = "foliage";

/// The subject of models made for fur and feathers.
const FUR: &str = "fur";

/// The subject of models made for people.
const PORTRAIT: &str = "portrait";

/// The subject of models made for scans of old prints.
pub const PRINTS: &str = "prints";

/// The subject whose models are made for what is shown, where there is one.
pub(super) const fn subject_of(shown: Shown) -> Option<&'static str> {
    match shown {
        Shown::Fur => Some(FUR),
        Shown::Foliage => Some(FOLIAGE),
        Shown::Lettering => Some(LETTERING),
        Shown::People => Some(PORTRAIT),
        Shown::OldPrint => Some(PRINTS),
        Shown::NightSky | Shown::Building | Shown::Food => None,
    }
}

/// The share of texture from which on models made for texture are tried where it cannot be told what is shown.
const MUCH_TEXTURE: f32 = 0.2;

/// The subjects whose models may suit a picture beside Everyday's: lettering always, for signs and labels are in many a picture, and its
/// model draws them without taking anything from others.
pub(super) fn spoken_for(reading: &Reading, shows: Option<Shown>) -> Vec<&'static str> {
    let mut subjects = vec![LETTERING];
    if reading.content.faded_tone {
        subjects.push(PRINTS);
    }
    match shows {
        Some(shown) => subjects.extend(subject_of(shown).filter(|subject| !subjects.contains(subject))),
        None if reading.content.texture > MUCH_TEXTURE => subjects.extend([FOLIAGE, FUR]),
        None => {}
    }
    subjects
}
