//! What is suggested for a picture and a print.
//!
//! | part | what lives there |
//! |---|---|
//! | [`Suggestion`] | models and strengths for every step, each with its reason |
//! | [`Followed`] | how far a person's choice follows it |
//! | [`Trial`] | what the picture's own parts said of the candidates, and how that decides |

mod areas;
mod doubt;
mod faces;
mod followed;
mod reason;
mod subject;
mod suggestion;
mod trial;
mod usual;

pub use followed::Followed;
pub use reason::{PrintFacts, Reason, Step};
pub use subject::{LETTERING, PRINTS};
pub use suggestion::{Suggestion, usual_grade};
pub use trial::{
    Chosen, Circumstances, HARDLY, KeptTrial, MOST_OF_A_PATTERN, MOST_OVERSHOOT, Trial, Tried, best, entrants,
    expected_of_fine, factor_for, is_far_behind, usual_or_best,
};
pub use usual::Usual;
