//! All that is asked for of a picture: how large, what is done to it, what it is compared with, and into what kind of file.

use serde::{Deserialize, Serialize};
use serde_json::Value;

use crate::face::Face;
use crate::file::OutputSettings;
use crate::geometry::Size;
use crate::model::Catalogue;
use crate::numbers::beyond_measure;
use crate::recipe::{Area, Recipe, RecipeError, Steps, Worked};
use crate::size::Target;

/// What is asked for of one picture.
#[derive(Clone, Debug, PartialEq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Intent {
    /// How large.
    pub target: Target,
    /// What is done to it.
    #[serde(flatten)]
    pub recipe: Recipe,
    /// Into what kind of file; a resolution that the target states goes before one given here.
    pub output: OutputSettings,
    /// The letter of these steps, beside those that they are compared with.
    #[serde(default)]
    pub letter: Letter,
    /// Other treatments of the same picture for the same print.
    #[serde(default)]
    pub alternatives: Vec<Alternative>,
    /// From how far it will be seen, in metres; 1.5 times the print's diagonal when not given.
    #[serde(default)]
    pub distance_m: Option<f64>,
}

/// What a treatment is called while it is compared with others.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[allow(missing_docs, reason = "letters")]
pub enum Letter {
    #[default]
    A,
    B,
    C,
    D,
    E,
    F,
}

impl Letter {
    /// All of them, in the order in which they are given out.
    pub const ALL: [Letter; 6] = [Letter::A, Letter::B, Letter::C, Letter::D, Letter::E, Letter::F];
}

/// Another treatment of the same picture.
#[derive(Clone, Debug, PartialEq, Deserialize, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Alternative {
    /// Its letter.
    pub letter: Letter,
    /// What is done to the whole.
    #[serde(flatten)]
    pub steps: Steps,
    /// Parts with settings of their own.
    #[serde(default)]
    pub areas: Vec<Area>,
}

/// The form in which intents are kept today. Forms 1 (without a number) and 2 differ only in that number.
const FORM: u64 = 2;

/// Under which name the form's number is kept.
const FORM_FIELD: &str = "form";

/// Why a kept intent cannot be read.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum IntentError {
    /// It was kept by a later version of the program.
    #[error(
        "it was kept in form {0}, and this version of the program reads forms up to {FORM}: use the version that kept it, or a later one"
    )]
    Later(u64),
    /// It is none, or damaged.
    #[error("what was asked for of the picture cannot be read: {0}")]
    Unreadable(String),
}

impl Intent {
    /// As it is kept: JSON with the number of its form.
    pub fn to_kept(&self) -> String {
        let mut value = serde_json::to_value(self).expect("an intent is plain data");
        value[FORM_FIELD] = FORM.into();
        value.to_string()
    }

    /// From what was kept, in today's form or any earlier one.
    ///
    /// # Errors
    /// When it was kept by a later version, or is no intent.
    pub fn from_kept(text: &str) -> Result<Self, IntentError> {
        let unreadable = |error: serde_json::Error| IntentError::Unreadable(error.to_string());
        let value: Value = serde_json::from_str(text).map_err(unreadable)?;
        if let Some(number) = beyond_measure(&value) {
            return Err(IntentError::Unreadable(format!("{number} is beyond every measure")));
        }
        match value.get(FORM_FIELD).map_or(Some(1), Value::as_u64) {
            Some(form) if form > FORM => Err(IntentError::Later(form)),
            _ => serde_json::from_value(value).map_err(unreadable),
        }
    }

    /// The output settings with the resolution that the target states.
    pub fn settings(&self) -> OutputSettings {
        let ppi = match self.target {
            Target::Print { ppi, .. } => Some(ppi),
            _ => self.output.ppi,
        };
        OutputSettings { ppi, ..self.output }
    }

    /// What its steps come to for an original of this size; `found` are the picture's faces, which count where the intent says nothing of them.
    pub fn work_out(&self, catalogue: &Catalogue, original: Size, found: &[Face]) -> Result<Worked, RecipeError> {
        self.recipe.clone().knowing(found).work_out(catalogue, original, self.target)
    }

    /// What another of its treatments comes to.
    pub fn work_out_other(
        &self,
        other: &Alternative,
        catalogue: &Catalogue,
        original: Size,
        found: &[Face],
    ) -> Result<Worked, RecipeError> {
        let Alternative { steps, areas, .. } = other.clone();
        let recipe = Recipe { steps, areas, ..self.recipe.clone().knowing(found) };
        recipe.work_out(catalogue, original, self.target)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::file::Format;
    use crate::model::Grade;
    use crate::size::{Paper, Unit};

    fn intent() -> Intent {
        let paper = Paper { width: 60.0, height: 40.0, unit: Unit::Cm };
        let recipe = Recipe::learned("everyday", Grade::Fine);
        let other = Alternative { letter: Letter::B, steps: recipe.steps.clone(), areas: Vec::new() };
        let (target, output) = (Target::Print { paper, ppi: 240.0 }, OutputSettings::new(Format::Tiff));
        Intent { target, recipe, output, letter: Letter::A, alternatives: vec![other], distance_m: Some(2.0) }
    }

    #[test]
    fn a_number_that_would_be_kept_as_nothing_is_not_read() {
        let kept = intent().to_kept().replace("240.0", "1e39");
        let error = Intent::from_kept(&kept).unwrap_err().to_string();
        assert!(error.contains("beyond every measure"), "{error}");
    }

    #[test]
    fn what_is_kept_is_read_again() {
        assert_eq!(Intent::from_kept(&intent().to_kept()).unwrap(), intent());
    }

    #[rstest]
    #[case::first(
        r#"{"target":{"by":"factor","factor":2.0},"enlarge":{"by":"learned","subject":"everyday","grade":"draft"},
        "output":{"format":"tiff","depth":16},"before":"bicubic"}"#
    )]
    #[case::before_areas_and_letters(r#"{"target":{"by":"factor","factor":2.0},"frame":{"quarter_turns":1},"clean":{},
        "enlarge":{"by":"learned","subject":"everyday","grade":"draft","strength":0.8},"finish":{},"surround":{"kind":"border"},
        "output":{"format":"jpeg","depth":8,"quality":90},"before":"lanczos3","distance_m":1.0}"#)]
    #[case::before_forms_had_numbers(
        r#"{"target":{"by":"factor","factor":2.0},"enlarge":{"by":"plain","kernel":"bicubic"},
        "output":{"format":"tiff","depth":16},"letter":"C","alternatives":[],"areas":[],"distance_m":null}"#
    )]
    fn earlier_forms_are_read(#[case] kept: &str) {
        assert_eq!(Intent::from_kept(kept).unwrap().target, Target::Factor { factor: 2.0 });
    }

    #[test]
    fn what_cannot_be_read_is_said() {
        let later = Intent::from_kept(r#"{"form":3,"wish":"unknown"}"#).unwrap_err().to_string();
        assert!(later.contains("form 3") && later.contains("later"), "{later}");
        assert!(matches!(Intent::from_kept(r#"{"target":{"by":"guess"}}"#), Err(IntentError::Unreadable(_))));
        assert!(matches!(Intent::from_kept("{"), Err(IntentError::Unreadable(_))));
    }

    #[test]
    fn a_print_states_its_own_resolution() {
        assert_eq!(intent().settings().ppi, Some(240.0));
        let free = Intent { target: Target::Factor { factor: 2.0 }, ..intent() };
        assert_eq!(free.settings().ppi, None);
    }
}
