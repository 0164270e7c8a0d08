//! Two hundred intents at random, always the same, each with what is said of it: for the front end's tests to compare with.
//!
//! `cargo run --release -p dettaglio-domain --features testing --example intents`

use dettaglio_domain::intent::Intent;
use dettaglio_domain::model::{Catalogue, Grade};
use dettaglio_domain::stand_in;
use dettaglio_domain::words::{InWords, Known};
use proptest::option;
use proptest::prelude::*;
use proptest::sample::select;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::{Value, json};

const COUNT: usize = 200;

/// A share in hundredths, as a slider gives it.
fn share() -> impl Strategy<Value = f64> {
    (0..=100_u32).prop_map(|percent| f64::from(percent) / 100.0)
}

/// A figure with so many decimals at most.
fn figure(least: f64, most: f64, decimals: i32) -> impl Strategy<Value = f64> {
    let scale = 10_f64.powi(decimals);
    (least..most).prop_map(move |value| (value * scale).round() / scale)
}

fn target() -> impl Strategy<Value = Value> {
    let pixels = |by: &'static str| (500..20_000_u32).prop_map(move |px| json!({ "by": by, "px": px }));
    let print = (figure(5.0, 150.0, 1), figure(5.0, 150.0, 1), select(vec!["mm", "cm", "in"]), figure(72.0, 600.0, 0));
    prop_oneof![
        figure(0.5, 12.0, 3).prop_map(|factor| json!({ "by": "factor", "factor": factor })),
        figure(50.0, 900.0, 1).prop_map(|percent| json!({ "by": "percent", "percent": percent })),
        print.prop_map(|(width, height, unit, ppi)| {
            json!({ "by": "print", "paper": { "width": width, "height": height, "unit": unit }, "ppi": ppi })
        }),
        pixels("width"),
        pixels("height"),
        pixels("long_edge"),
        pixels("short_edge"),
    ]
}

fn model() -> Value {
    json!({ "model": "camera-noise-draft", "sha256": "0".repeat(64) })
}

fn steps() -> impl Strategy<Value = Value> {
    let enlarge = prop_oneof![
        (select(vec!["everyday", "fur"]), select(vec!["draft", "fine"]), share())
            .prop_map(|(subject, grade, strength)| json!({ "by": "learned", "subject": subject, "grade": grade, "strength": strength })),
        select(vec!["nearest", "bicubic", "lanczos3"]).prop_map(|kernel| json!({ "by": "plain", "kernel": kernel })),
    ];
    let clean = (option::of(share()), option::of(share()), option::of(share())).prop_map(|(marks, noise, softness)| {
        json!({
            "marks": marks.map(|strength| json!({ "model": model(), "quality": 60.0, "strength": strength })),
            "noise": noise.map(|grain| json!({
                "model": model(), "level": vec![4.0; 8], "grain": grain, "speckle": 1.0, "keep_texture": 0.0,
            })),
            "softness": softness.map(|strength| json!({ "model": model(), "sigma": 0.8, "strength": strength })),
        })
    });
    let edges = (figure(0.1, 3.0, 1), figure(0.3, 12.0, 1)).prop_map(
        |(strength, width)| json!({ "strength": strength, "width": width, "halo_guard": 0.5, "leave_flat": 0.5 }),
    );
    let grain = share().prop_map(|amount| json!({ "amount": amount, "level": vec![4.0; 8], "size": 1.0 }));
    let finish =
        (option::of(edges), option::of(grain)).prop_map(|(edges, grain)| json!({ "edges": edges, "grain": grain }));
    let wear = any::<[bool; 3]>().prop_map(|[specks, lines, breaks]| {
        json!({ "finder": model(), "filler": model(), "specks": specks, "lines": lines, "breaks": breaks, "sensitivity": 0.5 })
    });
    let fade = share().prop_map(|strength| {
        json!({ "black": [0.1, 0.1, 0.1], "white": [0.9, 0.9, 0.9], "gamma": [1.0, 1.0, 1.0], "strength": strength })
    });
    let halftone =
        share().prop_map(|strength| json!({ "waves": [{ "across": 0.2, "down": 0.1 }], "strength": strength }));
    let repair = (option::of(halftone), option::of(wear), option::of(fade)).prop_map(|(halftone, wear, fade)| {
        let mut repair = json!({ "wear": wear, "fade": fade });
        if let Some(halftone) = halftone {
            repair["halftone"] = halftone;
        }
        repair
    });
    (enlarge, clean, finish, repair, option::of(share())).prop_map(|(enlarge, clean, finish, repair, faces)| {
        json!({
            "enlarge": enlarge, "clean": clean, "finish": finish, "repair": repair,
            "faces": faces.map(|strength| json!({ "strength": strength })),
        })
    })
}

fn frame() -> impl Strategy<Value = Value> {
    let crop = Just(json!({ "x": 10, "y": 10, "width": 300, "height": 200 }));
    (any::<bool>(), 0..4_u8, figure(-15.0, 15.0, 1), option::of(crop)).prop_map(|(mirrored, turns, degrees, crop)| {
        json!({ "mirrored": mirrored, "quarter_turns": turns, "degrees": degrees, "crop": crop })
    })
}

fn intent() -> impl Strategy<Value = Value> {
    let output = (select(vec![("jpeg", 8), ("png", 16), ("tiff", 16), ("tiff", 8), ("webp", 8)]), 1..=100_u8)
        .prop_map(|((format, depth), quality)| json!({ "format": format, "depth": depth, "quality": quality }));
    let around = prop_oneof![
        Just(json!({ "kind": "none" })),
        Just(json!({ "kind": "border" })),
        figure(1.0, 50.0, 1).prop_map(|mm| json!({ "kind": "bleed", "mm": mm, "fill": "mirror" })),
    ];
    (target(), steps(), frame(), around, output, any::<bool>()).prop_map(
        |(target, steps, frame, surround, output, other)| {
            let mut intent = steps;
            let alternatives = if other {
                vec![json!({ "letter": "B", "enlarge": { "by": "plain", "kernel": "bicubic" } })]
            } else {
                vec![]
            };
            let rest = json!({
                "target": target, "frame": frame, "surround": surround, "output": output, "alternatives": alternatives,
            });
            if let (Some(intent), Value::Object(rest)) = (intent.as_object_mut(), rest) {
                intent.extend(rest);
            }
            intent
        },
    )
}

/// The intents with what is said of them.
pub fn cases() -> Result<Vec<Value>, serde_json::Error> {
    let catalogue = Catalogue::of([stand_in::card(4, Grade::Draft), stand_in::texture_card(4)]);
    let mut runner = TestRunner::deterministic();
    let drawn = (intent(), 0..4_usize, 0..4_usize);
    let mut cases = Vec::new();
    while cases.len() < COUNT {
        let Ok(tree) = drawn.new_tree(&mut runner) else { continue };
        let (intent, passes, faces) = tree.current();
        let asked: Intent = serde_json::from_value(intent.clone())?;
        let restored = if asked.recipe.steps.faces.is_some() { faces / 2 } else { 0 };
        let in_words = InWords::of(&asked, &catalogue, Known { passes, faces, restored });
        cases.push(json!({ "intent": intent, "in_words": in_words }));
    }
    Ok(cases)
}

fn main() -> Result<(), serde_json::Error> {
    println!("{}", serde_json::to_string(&cases()?)?);
    Ok(())
}
