//! Cards and readings for tests.

use crate::clean::NoiseCurve;
use crate::file::{Channels, Depth, Facts};
use crate::geometry::Size;
use crate::hash::ContentHash;
use crate::model::{
    Card, Cleaner, CleaningScore, Element, Enlarger, Grade, LevelKind, PHOTOGRAPHS, Repairer, Restorer, Score, Task,
    TensorFormat, Trial,
};
use crate::reading::{Content, Detail, NoiseReading, Reading};

/// A card for a texture model in a test.
pub fn texture_card(factor: u32) -> Card {
    let (subject, sha256) = ("fur".to_owned(), ContentHash::of(b"no file either"));
    let task = Task::Enlarge(Enlarger { grain: true, ..enlarger(factor) });
    Card { id: format!("fur-x{factor}-fine"), subject, sha256, task, ..card(factor, Grade::Fine) }
}

/// What was measured on a photograph, for a test.
pub fn score() -> Score {
    Score {
        set: PHOTOGRAPHS.to_owned(),
        photo: "vases".to_owned(),
        nearest: 0.0,
        bicubic: 0.0,
        lanczos: 0.0,
        everyday: None,
        model: 0.0,
        bicubic_ssim: 0.0,
        model_ssim: 0.0,
        bicubic_sharpness: 0.0,
        model_sharpness: 0.0,
        bicubic_perceived: None,
        everyday_perceived: None,
        model_perceived: None,
        screen: None,
        weave: None,
        drift: 0.0,
        light_gain: None,
    }
}

/// A card for a restorer in a test.
pub fn restorer_card() -> Card {
    let task = Task::Face(Restorer { level: None, strength: None, cleaning: Vec::new() });
    Card { id: "face".to_owned(), task, subject: "faces".to_owned(), ..card(2, Grade::Fine) }
}

/// What was gained over a damaged picture, for a test.
pub fn cleaning_score() -> CleaningScore {
    CleaningScore {
        damage: "dust".to_owned(),
        undamaged: false,
        face: None,
        photos: 6,
        before: 20.0,
        after: 26.0,
        least_gain: 0.0,
        before_ssim: 0.0,
        after_ssim: 0.0,
        after_rgb: None,
        worst: String::new(),
    }
}

/// A card for a finder of wear in a test.
pub fn finder_card() -> Card {
    let task = Task::Find(Repairer { level: None, cleaning: Vec::new() });
    Card { id: "wear-finder".to_owned(), task, subject: "wear".to_owned(), ..card(2, Grade::Fine) }
}

/// A card for a filler of wear in a test.
pub fn filler_card() -> Card {
    let task = Task::Fill(Repairer { level: Some(LevelKind::Wear), cleaning: Vec::new() });
    Card { id: "wear-filler".to_owned(), task, subject: "wear".to_owned(), ..card(2, Grade::Fine) }
}

/// A card for a cleaner in a test.
pub fn cleaner_card() -> Card {
    let (id, subject) = ("camera-noise-draft".to_owned(), "noise".to_owned());
    Card { id, task: cleaner(LevelKind::Noise), subject, ..card(2, Grade::Draft) }
}

/// A cleaner that is told something, in a test.
pub fn cleaner(level: LevelKind) -> Task {
    Task::Clean(Cleaner { level: Some(level), cleaning: Vec::new() })
}

/// An enlarger that was not measured yet, in a test.
pub fn enlarger(factor: u32) -> Enlarger {
    Enlarger { factor, grain: false, cleans: false, level: None, scores: Vec::new() }
}

/// A card for a test.
pub fn card(factor: u32, grade: Grade) -> Card {
    let grade_name = if grade == Grade::Draft { "draft" } else { "fine" };
    Card {
        id: format!("everyday-x{factor}-{grade_name}"),
        name: format!("Everyday x{factor}"),
        subject: "everyday".to_owned(),
        grade,
        purpose: "Tests.".to_owned(),
        halo: 2,
        multiple: 1,
        parameters: 0,
        licence: "CC0-1.0".to_owned(),
        training_data: Vec::new(),
        recipe: String::new(),
        made_on: "2026-01-01".to_owned(),
        weaknesses: Vec::new(),
        trial: None,
        sha256: ContentHash::of(b"no file"),
        task: Task::Enlarge(enlarger(factor)),
    }
}

/// What a trial run found of a person's own model, for a test.
pub fn trial(factor: u32) -> Trial {
    Trial {
        format: TensorFormat::USUAL,
        element: Element::Float,
        factor,
        halo: 3,
        multiple: 2,
        block_columns: 16,
        tile_difference: 0.0,
        likeness: 30.0,
        pixels_per_second: 1e5,
        bytes_per_pixel: 100,
    }
}

/// The facts of a photograph of this size, for a test.
pub fn facts(size: Size) -> Facts {
    Facts {
        format: "PNG".to_owned(),
        bytes: 1000,
        size,
        depth: Depth::Eight,
        channels: Channels::Colour,
        profile: None,
        turned: false,
        had_transparency: false,
        camera: None,
        iso: None,
        taken: None,
        exposure: None,
        jpeg_quality: None,
    }
}

/// The reading of a sound photograph of this size, for a test.
pub fn reading(size: Size) -> Reading {
    Reading {
        noise: NoiseReading { level: NoiseCurve::flat(0.5), sigma: 0.5, colour: 0.3, luminance: 0.4, hidden: false },
        softness: None,
        jpeg_quality: None,
        former_jpeg: None,
        detail: Detail { usable: 1.0, size, enlarged: None, ends_abruptly: false, spectrum: None },
        content: Content { flat: 0.5, brightness: 0.5, ..Content::default() },
        screen: None,
        sight: None,
        border: None,
    }
}
