//! Where a suggestion is unsure: what a person should look at before a run.

use super::trial::{MAY_DRIFT, MAY_LOSE, MOST_DRIFT, Trial};
use crate::reading::{CLEARLY_NOISY, Reading};

/// How much nearer, to the network that sees, another subject's model must lie for eyes and figures to disagree.
const CLEARLY_NEARER: f64 = 0.15;

/// What speaks against relying on a suggestion for a picture on which a model gains, each in half a sentence; nothing where it stands
/// firm.
pub(super) fn doubts(reading: &Reading, trial: Option<&Trial>, gains: bool) -> Vec<String> {
    let mut doubts = Vec::new();
    if reading.noise.hidden && reading.noise.sigma >= CLEARLY_NOISY {
        doubts.push("whether it has noise cannot be told from its texture".to_owned());
    }
    if !gains {
        return doubts;
    }
    let Some(trial) = trial else {
        doubts.push("it is too small for anything to be tried on it".to_owned());
        return doubts;
    };
    let Some(chosen) = trial.of_chosen() else { return doubts };
    let others =
        trial.tried.iter().filter(|tried| tried.subject != trial.chosen.subject && !tried.figures.draws_screen());
    let disagrees = others
        .filter(|tried| tried.figures.psnr < chosen.psnr - MAY_LOSE)
        .filter_map(|tried| Some((tried, tried.figures.looks_nearer_than(chosen)?)))
        .filter(|(_, share)| *share >= CLEARLY_NEARER)
        .max_by(|a, b| a.1.total_cmp(&b.1));
    if let Some((tried, share)) = disagrees {
        doubts.push(format!(
            "{} looks {:.0} % nearer to it, and measures {:.1} dB further from it",
            tried.subject,
            100.0 * share,
            chosen.psnr - tried.figures.psnr
        ));
    }
    // Small means of a lively picture move with any method: what counts is how much further than with the calmest.
    let least = trial.tried.iter().map(|tried| tried.figures.drift).fold(chosen.drift, f64::min);
    if chosen.drift > MOST_DRIFT.max(least + MAY_DRIFT) {
        doubts.push(format!(
            "its colours move by {:.1} CIEDE2000 on average, with another model by {least:.1}",
            chosen.drift
        ));
    }
    doubts
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::geometry::Size;
    use crate::model::{EVERYDAY, Grade};
    use crate::rehearsal::Figures;
    use crate::stand_in;
    use crate::suggest::{Chosen, LETTERING, Tried};

    const FIGURES: Figures = Figures {
        psnr: 30.0,
        ssim: 0.9,
        perceived: Some(10.0),
        screen: Some(3.0),
        own_screen: Some(2.0),
        drift: 0.2,
        sharpness: 0.9,
        overshoot: None,
    };

    /// Everyday was chosen, and Lettering tried.
    fn trial(everyday: Figures, lettering: Figures) -> Trial {
        let tried = |subject: &str, figures| Tried { subject: subject.to_owned(), grade: Grade::Draft, figures };
        let chosen = Chosen {
            subject: EVERYDAY.to_owned(),
            grade: Grade::Draft,
            strength: 1.0,
            marks: None,
            marks_gain: 0.0,
            edges: 0.0,
            overshoot: None,
            patterned: false,
        };
        Trial { factor: 4, parts: 5, tried: vec![tried(EVERYDAY, everyday), tried(LETTERING, lettering)], chosen }
    }

    #[rstest]
    #[case::it_stands_firm(FIGURES, FIGURES, 0)]
    #[case::eyes_and_figures_disagree(FIGURES, Figures { psnr: 29.5, perceived: Some(8.0), ..FIGURES }, 1)]
    #[case::hardly(FIGURES, Figures { psnr: 29.5, perceived: Some(9.0), ..FIGURES }, 0)]
    #[case::nobody_saw(FIGURES, Figures { psnr: 29.5, perceived: None, ..FIGURES }, 0)]
    #[case::with_a_screen(FIGURES, Figures { psnr: 29.5, perceived: Some(8.0), screen: Some(50.0), ..FIGURES }, 0)]
    #[case::colours_move(Figures { drift: 0.8, ..FIGURES }, FIGURES, 1)]
    #[case::colours_move_with_any(Figures { drift: 0.8, ..FIGURES }, Figures { drift: 0.7, ..FIGURES }, 0)]
    fn a_suggestion_is_unsure_where_its_trial_is(
        #[case] everyday: Figures,
        #[case] lettering: Figures,
        #[case] count: usize,
    ) {
        let reading = stand_in::reading(Size::new(300, 200));
        let found = doubts(&reading, Some(&trial(everyday, lettering)), true);
        assert_eq!(found.len(), count, "{found:?}");
        assert!(doubts(&reading, None, false).is_empty(), "nothing is to be enlarged");
        assert_eq!(doubts(&reading, None, true).len(), 1, "nothing could be tried");
    }

    #[test]
    fn noise_that_may_be_texture_is_doubted() {
        let mut reading = stand_in::reading(Size::new(300, 200));
        (reading.noise.hidden, reading.noise.sigma) = (true, 6.0);
        assert_eq!(doubts(&reading, None, false).len(), 1);
        reading.noise.sigma = 2.0;
        assert!(doubts(&reading, None, false).is_empty());
    }
}
