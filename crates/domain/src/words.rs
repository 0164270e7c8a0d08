//! What was asked for, step by step in a few words, as it stands on the bench and in lists.

use serde::Serialize;

use crate::clean::Clean;
use crate::face::Faces;
use crate::file::{Format, OutputSettings};
use crate::finish::Finish;
use crate::frame::Frame;
use crate::intent::{Intent, Letter};
use crate::model::{Catalogue, Grade};
use crate::recipe::{Choice, Steps, Surround, Ticket};
use crate::repair::Repair;
use crate::size::Target;

/// What a step says when nothing is done in it.
const OFF: &str = "off";

/// The steps of an intent in a few words each.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct InWords {
    /// How large: "60 × 40 cm at 240 ppi".
    pub target: String,
    /// What is kept of the original, which way up, and what lies around it: "cropped, border".
    pub frame: String,
    /// What time has done and is mended: "wear, tone 70 %".
    pub repair: String,
    /// What is taken out, what enlarges, what is done at the print's scale.
    #[serde(flatten)]
    pub steps: StepsInWords,
    /// Faces: "2 of 3, 50 %".
    pub faces: String,
    /// The file: "TIFF 16-bit".
    pub deliver: String,
    /// The same of each area that has steps of its own, in their order.
    pub areas: Vec<StepsInWords>,
    /// What these steps are called among the treatments that are compared: "A: Everyday, fine; clean off".
    pub name: String,
}

/// The steps that an area may have for itself.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct StepsInWords {
    /// What is taken out: "noise 80 %, softness 40 %".
    pub clean: String,
    /// What enlarges: "Everyday, fine 90 %, 2 passes".
    pub enlarge: String,
    /// What is done at the print's scale: "edges 0.7, grain 40 %".
    pub finish: String,
}

/// What is known of a picture that an intent is put into words for.
#[derive(Clone, Copy, Debug)]
pub struct Known {
    /// How many enlarging passes of models its treatment takes.
    pub passes: usize,
    /// How many faces it has.
    pub faces: usize,
    /// How many of them are restored.
    pub restored: usize,
}

impl InWords {
    /// An intent for a picture of which so much is known.
    pub fn of(intent: &Intent, catalogue: &Catalogue, known: Known) -> Self {
        let recipe = &intent.recipe;
        let steps = StepsInWords::of(&recipe.steps, catalogue, Some(known.passes));
        let alone = intent.alternatives.is_empty();
        Self {
            target: target(&intent.target),
            frame: frame(&recipe.frame, recipe.surround),
            repair: repair(&recipe.steps.repair),
            faces: faces(recipe.steps.faces, known.faces, known.restored),
            deliver: deliver(&intent.output),
            areas: recipe
                .areas
                .iter()
                .map(|area| StepsInWords::of(&area.steps, catalogue, Some(known.passes)))
                .collect(),
            name: if alone { steps.enlarge.clone() } else { steps.named(intent.letter) },
            steps,
        }
    }
}

impl StepsInWords {
    /// Steps, of a treatment that takes so many enlarging passes of models where that is known.
    pub fn of(steps: &Steps, catalogue: &Catalogue, passes: Option<usize>) -> Self {
        Self {
            clean: clean(&steps.clean),
            enlarge: enlarge(&steps.enlarge, catalogue, passes),
            finish: finish(&steps.finish),
        }
    }

    /// What tells a treatment from others: its letter, its model, and what is cleaned before.
    pub fn named(&self, letter: Letter) -> String {
        format!("{letter:?}: {}; clean {}", self.enlarge, self.clean)
    }
}

/// How large: "60 × 40 cm at 240 ppi", "4 times", "6000 px along the long edge".
pub fn target(target: &Target) -> String {
    match *target {
        Target::Print { paper, ppi } => {
            let (width, height) = (decimal(paper.width, 2), decimal(paper.height, 2));
            format!("{width} × {height} {} at {} ppi", paper.unit.symbol(), decimal(ppi, 2))
        }
        Target::Factor { factor } => format!("{} times", decimal(factor, 3)),
        Target::Percent { percent } => format!("{} %", decimal(percent, 2)),
        Target::Width { px } => format!("{px} px wide"),
        Target::Height { px } => format!("{px} px high"),
        Target::LongEdge { px } => format!("{px} px along the long edge"),
        Target::ShortEdge { px } => format!("{px} px along the short edge"),
    }
}

/// A print: how large, and what lies around the picture.
pub fn ticket(ticket: &Ticket) -> String {
    let around = match ticket.surround {
        Surround::None => String::new(),
        Surround::Border => ", with a border".to_owned(),
        Surround::Bleed { mm, .. } => format!(", {} mm bleed", decimal(mm, 2)),
    };
    target(&ticket.target) + &around
}

/// What the pictures of an order become where they say nothing else; see [`Target::USUAL`].
pub fn usual_print(print: Option<&Ticket>) -> String {
    print.map_or_else(|| "twice their size".to_owned(), ticket)
}

fn frame(frame: &Frame, surround: Surround) -> String {
    let straightened = (frame.degrees != 0.0).then(|| format!("straightened {}°", decimal(frame.degrees, 1)));
    let around = match surround {
        Surround::None => None,
        Surround::Border => Some("border"),
        Surround::Bleed { .. } => Some("bleed"),
    };
    let parts = [
        frame.crop.map(|_| "cropped".to_owned()),
        (frame.quarter_turns > 0 || frame.mirrored).then(|| "turned".to_owned()),
        straightened,
        around.map(str::to_owned),
    ];
    listed(parts, "whole picture")
}

fn repair(repair: &Repair) -> String {
    let filled = repair.wear.as_ref().map(|wear| {
        let named = wear.named_kinds();
        match named.len() {
            0 => "by hand".to_owned(),
            3 => "wear".to_owned(),
            _ => named.join(", "),
        }
    });
    let dots = repair.halftone.as_ref().map(|halftone| format!("dots {}", percent(halftone.strength)));
    listed([dots, filled, repair.fade.map(|fade| format!("tone {}", percent(fade.strength)))], OFF)
}

fn clean(clean: &Clean) -> String {
    let parts = [
        clean.marks.as_ref().map(|marks| format!("marks {}", percent(marks.strength))),
        clean.noise.as_ref().map(|noise| format!("noise {}", percent(noise.grain))),
        clean.softness.as_ref().map(|softness| format!("softness {}", percent(softness.strength))),
    ];
    listed(parts, OFF)
}

fn enlarge(choice: &Choice, catalogue: &Catalogue, passes: Option<usize>) -> String {
    let (subject, grade, strength) = match choice {
        Choice::Plain { kernel } => return format!("{kernel}, no model"),
        Choice::Traced(_) => return "Traced as shapes".to_owned(),
        Choice::Learned { subject, grade, strength } => (subject, *grade, *strength),
    };
    if passes == Some(0) {
        return "no model needed at this size".to_owned();
    }
    let share = if strength < 1.0 { format!(" {}", percent(strength)) } else { String::new() };
    let passes = passes.filter(|passes| *passes > 1).map_or_else(String::new, |passes| format!(", {passes} passes"));
    format!("{}{share}{passes}", family(subject, grade, catalogue))
}

/// A subject's models of one grade, whatever their factors; a person's own has no grade.
fn family(subject: &str, grade: Grade, catalogue: &Catalogue) -> String {
    let grade = match grade {
        Grade::Draft => "draft",
        Grade::Fine => "fine",
    };
    match catalogue.cards().find(|card| card.subject == subject) {
        Some(card) if card.trial.is_some() => card.name.clone(),
        Some(card) => format!("{}, {grade}", card.family()),
        None => format!("{subject}, {grade}"),
    }
}

fn faces(asked: Option<Faces>, found: usize, restored: usize) -> String {
    match asked {
        _ if found == 0 => "none found".to_owned(),
        None => format!("{found} found, off"),
        Some(_) if restored == 0 => format!("{found} found, left alone"),
        Some(faces) => format!("{restored} of {found}, {}", percent(faces.strength)),
    }
}

fn finish(finish: &Finish) -> String {
    let edges = finish.edges.as_ref().map(|edges| {
        let width =
            if finish.grain.is_none() { format!(" at {} px", decimal(edges.width.into(), 1)) } else { String::new() };
        format!("edges {}{width}", decimal(edges.strength.into(), 1))
    });
    listed([edges, finish.grain.as_ref().map(|grain| format!("grain {}", percent(grain.amount)))], OFF)
}

fn deliver(output: &OutputSettings) -> String {
    match output.format {
        Format::Jpeg => format!("JPEG, quality {}", output.quality),
        Format::WebP => "WebP".to_owned(),
        Format::Dng => "DNG, camera's colours".to_owned(),
        other => format!("{other} {}-bit", output.depth.bits()),
    }
}

/// Parts with commas between them, or what is said when there are none.
fn listed<const N: usize>(parts: [Option<String>; N], none: &str) -> String {
    let parts: Vec<String> = parts.into_iter().flatten().collect();
    if parts.is_empty() { none.to_owned() } else { parts.join(", ") }
}

/// A share of 0 to 1 in whole hundredths: "80 %".
fn percent(share: f32) -> String {
    format!("{:.0} %", share * 100.0)
}

/// A figure with so many decimals at most: "2.5", "4".
fn decimal(value: f64, digits: usize) -> String {
    let text = format!("{value:.digits$}");
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;
    use serde_json::json;

    use super::*;
    use crate::model::Card;
    use crate::repair::{Fade, Wear};
    use crate::stand_in;

    fn intent(part: serde_json::Value) -> Intent {
        let mut whole = json!({
            "target": { "by": "factor", "factor": 4.0 },
            "enlarge": { "by": "learned", "subject": "everyday", "grade": "draft" },
            "output": { "format": "tiff", "depth": 16 },
        });
        whole.as_object_mut().unwrap().extend(part.as_object().unwrap().clone());
        serde_json::from_value(whole).unwrap()
    }

    fn words(part: serde_json::Value, known: Known) -> InWords {
        let catalogue = Catalogue::of([stand_in::card(4, Grade::Draft)]);
        InWords::of(&intent(part), &catalogue, known)
    }

    const NOBODY: Known = Known { passes: 1, faces: 0, restored: 0 };

    #[test]
    fn what_is_not_touched_says_so() {
        let words = words(json!({}), NOBODY);
        assert_eq!((words.target.as_str(), words.frame.as_str()), ("4 times", "whole picture"));
        assert_eq!([&words.repair, &words.steps.clean, &words.steps.finish], ["off"; 3]);
        assert_eq!((words.faces.as_str(), words.deliver.as_str()), ("none found", "TIFF 16-bit"));
        assert_eq!((words.steps.enlarge.as_str(), words.name.as_str()), ("Everyday, draft", "Everyday, draft"));
        assert!(words.areas.is_empty());
    }

    #[rstest]
    #[case(json!({ "by": "print", "paper": { "width": 60.0, "height": 39.996, "unit": "cm" }, "ppi": 240.0 }), "60 × 40 cm at 240 ppi")]
    #[case(json!({ "by": "factor", "factor": 0.125 }), "0.125 times")]
    #[case(json!({ "by": "percent", "percent": 150.0 }), "150 %")]
    #[case(json!({ "by": "long_edge", "px": 6000 }), "6000 px along the long edge")]
    fn a_size_in_the_terms_it_was_asked_for_in(#[case] asked: serde_json::Value, #[case] due: &str) {
        assert_eq!(target(&serde_json::from_value(asked).unwrap()), due);
    }

    #[rstest]
    #[case(json!({ "strength": 0.9 }), 2, "Everyday, draft 90 %, 2 passes")]
    #[case(json!({}), 0, "no model needed at this size")]
    #[case(json!({ "subject": "slate" }), 1, "slate, draft")]
    #[case(json!({ "by": "plain", "kernel": "lanczos3" }), 1, "Lanczos 3, no model")]
    fn what_enlarges(#[case] part: serde_json::Value, #[case] passes: usize, #[case] due: &str) {
        let mut choice = json!({ "by": "learned", "subject": "everyday", "grade": "draft" });
        choice.as_object_mut().unwrap().extend(part.as_object().unwrap().clone());
        assert_eq!(words(json!({ "enlarge": choice }), Known { passes, ..NOBODY }).steps.enlarge, due);
    }

    #[test]
    fn an_order_says_what_its_pictures_become() {
        let ticket: Ticket = serde_json::from_value(json!({
            "target": { "by": "print", "paper": { "width": 60.0, "height": 40.5, "unit": "cm" }, "ppi": 240.0 },
            "surround": { "kind": "bleed", "mm": 3.0, "fill": "mirror" },
        }))
        .unwrap();
        assert_eq!(usual_print(Some(&ticket)), "60 × 40.5 cm at 240 ppi, 3 mm bleed");
        assert_eq!((usual_print(None).as_str(), Target::USUAL), ("twice their size", Target::Factor { factor: 2.0 }));
    }

    #[rstest]
    #[case([true, true, true], None, "wear")]
    #[case([true, true, false], None, "specks, lines")]
    #[case([false, false, false], Some(0.8), "by hand, tone 80 %")]
    fn what_is_mended(#[case] kinds: [bool; 3], #[case] fade: Option<f32>, #[case] due: &str) {
        let [specks, lines, breaks] = kinds;
        let wear = Wear { specks, lines, breaks, ..Wear::by((&stand_in::finder_card(), &stand_in::filler_card())) };
        let fade = fade.map(|strength| Fade { black: [0.1; 3], white: [0.9; 3], gamma: [1.0; 3], strength });
        assert_eq!(repair(&Repair { wear: Some(wear), fade, ..Repair::default() }), due);
        assert_eq!(repair(&Repair::default()), "off");
    }

    #[test]
    fn a_persons_own_model_has_no_grade() {
        let trial = stand_in::trial(2);
        let own = Card {
            name: "Cloth by hand x2".to_owned(),
            subject: "own-1".to_owned(),
            trial: Some(trial),
            ..stand_in::card(2, Grade::Fine)
        };
        assert_eq!(family("own-1", Grade::Fine, &Catalogue::of([own])), "Cloth by hand x2");
    }

    #[rstest]
    #[case(None, 2, 0, "2 found, off")]
    #[case(Some(0.5), 3, 2, "2 of 3, 50 %")]
    #[case(Some(0.5), 3, 0, "3 found, left alone")]
    #[case(Some(0.5), 0, 0, "none found")]
    fn how_many_faces(#[case] strength: Option<f32>, #[case] faces: usize, #[case] restored: usize, #[case] due: &str) {
        let part = strength.map_or(json!({}), |strength| json!({ "faces": { "strength": strength } }));
        assert_eq!(words(part, Known { passes: 1, faces, restored }).faces, due);
    }

    #[test]
    fn among_others_a_treatment_has_its_letter_and_what_is_cleaned() {
        let other = json!({ "letter": "B", "enlarge": { "by": "plain", "kernel": "bicubic" } });
        let edges = json!({ "strength": 0.7, "width": 1.25, "halo_guard": 0.5, "leave_flat": 0.0 });
        let words = words(json!({ "alternatives": [other], "finish": { "edges": edges, "grain": null } }), NOBODY);
        assert_eq!(words.name, "A: Everyday, draft; clean off");
        assert_eq!(words.steps.finish, "edges 0.7 at 1.2 px");
    }

    #[rstest]
    #[case(json!({ "degrees": 1.25, "mirrored": true, "quarter_turns": 0, "crop": null }), Surround::Border, "turned, straightened 1.2°, border")]
    #[case(json!({ "degrees": 0.0, "mirrored": false, "quarter_turns": 0, "crop": { "x": 0, "y": 0, "width": 9, "height": 9 } }), Surround::None, "cropped")]
    fn what_is_kept(#[case] asked: serde_json::Value, #[case] surround: Surround, #[case] due: &str) {
        assert_eq!(frame(&serde_json::from_value(asked).unwrap(), surround), due);
    }
}
