//! What was measured on an original and tried on it, and what that suggests: what is kept, or taken now.

use std::sync::Arc;

use dettaglio_core::model::Shelf;
use dettaglio_core::{sight, trial};
use dettaglio_domain::frame::Frame;
use dettaglio_domain::reading::Reading;
use dettaglio_domain::recipe::{Area, Recipe, Surround};
use dettaglio_domain::size::{Resolved, Target};
use dettaglio_domain::suggest::{KeptTrial, PrintFacts, Reason, Suggestion, Trial, Usual, factor_for};
use dettaglio_domain::treatment::TreatmentError;
use dettaglio_store::orders::OriginalRow;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::state::App;
use crate::compute::studio::{Lane, blocking};
use crate::problem::Problem;

/// For which print a suggestion is wanted.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct SuggestionFor {
    /// How large.
    pub target: Target,
    /// What is kept of the original.
    #[serde(default)]
    pub frame: Frame,
    /// What lies around it.
    #[serde(default)]
    pub surround: Surround,
    /// From how far it is seen, in metres; 1.5 times the print's diagonal when not given.
    #[serde(default)]
    pub distance_m: Option<f64>,
}

/// What is suggested, with reasons.
#[derive(Debug, Serialize, ToSchema)]
pub struct SuggestionView {
    /// All settings.
    pub recipe: Recipe,
    /// Whether a model would gain anything that the eye could see on this print.
    pub gains: bool,
    /// Why.
    pub reasons: Vec<Reason>,
    /// What it is unsure of, each in half a sentence; nothing where it stands firm.
    pub doubts: Vec<String>,
    /// Parts that may be treated apart, with the models of what they show; offered, not done.
    pub areas: Vec<Area>,
    /// What a part of a step begins with when it is switched on by hand.
    pub usual: Usual,
}

impl SuggestionFor {
    /// What is suggested for an original, after it was tried on the picture; nothing is tried where no model is needed or the picture is
    /// too small.
    pub async fn tried(&self, app: &App, row: &OriginalRow) -> Result<SuggestionView, Problem> {
        let reading = reading_of(app, row).await?;
        let trial = match factor_for(self.resolved(row)?.factor) {
            Some(factor) => trial_of(app, row, &reading, factor).await?,
            None => None,
        };
        self.suggest(row, &reading, trial.as_ref(), &app.studio.renderer().shelf())
    }

    /// What is suggested for an original with this reading and trial.
    pub fn suggest(
        &self,
        row: &OriginalRow,
        reading: &Reading,
        trial: Option<&Trial>,
        shelf: &Shelf,
    ) -> Result<SuggestionView, Problem> {
        let suggestion = self.suggestion(row, reading, trial, shelf)?;
        let usual = Usual::of(reading, &suggestion, &row.facts, shelf);
        Ok(SuggestionView {
            usual,
            recipe: suggestion.recipe(self.frame, self.surround),
            gains: suggestion.gains,
            reasons: suggestion.reasons,
            doubts: suggestion.doubts,
            areas: suggestion.areas,
        })
    }

    /// What is suggested by what was measured and tried before with the models of a shelf; nothing where that is not all that is needed.
    pub fn kept(&self, row: &OriginalRow, shelf: &Shelf) -> Result<Option<Suggestion>, Problem> {
        let Some(reading) = &row.reading else { return Ok(None) };
        let mark = shelf.mark();
        let trial = match factor_for(self.resolved(row)?.factor) {
            None => None,
            Some(factor) => match row.trials.iter().find(|kept| kept.holds(mark, factor)) {
                Some(kept) => kept.trial.as_ref(),
                None => return Ok(None),
            },
        };
        self.suggestion(row, reading, trial, shelf).map(Some)
    }

    fn suggestion(
        &self,
        row: &OriginalRow,
        reading: &Reading,
        trial: Option<&Trial>,
        shelf: &Shelf,
    ) -> Result<Suggestion, Problem> {
        let resolved = self.resolved(row)?;
        let print = PrintFacts {
            factor: resolved.factor,
            ppi: resolved.print.map(|p| p.ppi),
            distance_m: resolved.print.map(|p| self.distance_m.unwrap_or_else(|| p.usual_distance_m())),
        };
        let faces = row.faces.as_deref().unwrap_or_default();
        Ok(Suggestion::of(reading, trial, faces, &row.facts, shelf, print))
    }

    /// What the print comes to for an original.
    fn resolved(&self, row: &OriginalRow) -> Result<Resolved, Problem> {
        let kept = self.frame.size(row.facts.size).map_err(TreatmentError::from)?;
        Ok(self.target.resolve(kept)?)
    }
}

/// The reading that is kept, or a fresh one.
pub async fn reading_of(app: &App, row: &OriginalRow) -> Result<Reading, Problem> {
    if let Some(reading) = row.reading.as_ref().filter(|reading| reading.sight.is_some()) {
        return Ok(reading.clone());
    }
    let original = app.studio.original(row.hash).await?;
    let (facts, measured, studio) = (row.facts.clone(), row.reading.clone(), Arc::clone(&app.studio));
    let reading = blocking(move || {
        let shelf = studio.renderer().shelf();
        match measured {
            // Measured before there was anything that looked.
            Some(measured) => Ok(Reading { sight: sight::look(&original, &shelf)?, ..measured }),
            None => sight::read(&original, &facts, &shelf),
        }
    })
    .await??;
    app.store.set_reading(row.id, &reading).await?;
    Ok(reading)
}

/// The trial that is kept for these models, or a fresh one; nothing where the picture is too small to be tried on.
pub async fn trial_of(app: &App, row: &OriginalRow, reading: &Reading, factor: u32) -> Result<Option<Trial>, Problem> {
    let shelf = app.studio.renderer().shelf().mark();
    let holds = |kept: &&KeptTrial| kept.holds(shelf, factor);
    if let Some(kept) = row.trials.iter().find(holds) {
        return Ok(kept.trial.clone());
    }
    // Whoever asks at the same time waits for the same trial.
    let _turn = app.studio.trying(row.hash).await;
    let row = app.store.original(row.id).await?;
    if let Some(kept) = row.trials.iter().find(holds) {
        return Ok(kept.trial.clone());
    }
    let original = app.studio.original(row.hash).await?;
    let reading = reading.clone();
    let shows = reading.shows(row.faces.as_deref().unwrap_or_default(), row.facts.size);
    let tried = app.studio.view(Lane::Aside, move |studio, pace| {
        trial::run(&original, &reading, shows, &studio.renderer().shelf(), factor, pace)
    });
    let trial = match tried.await? {
        Ok(trial) => trial,
        Err(error) if error.is_cancelled() => return Err(error.into()),
        // Without it the suggestion is a cautious one: better than none at all.
        Err(error) => {
            tracing::warn!(%error, picture = %row.id, "nothing could be tried");
            return Ok(None);
        }
    };
    let mut trials: Vec<KeptTrial> = row.trials.into_iter().filter(|kept| kept.shelf == shelf).collect();
    trials.push(KeptTrial { shelf, factor, trial: trial.clone() });
    app.store.set_trials(row.id, &trials).await?;
    Ok(trial)
}
