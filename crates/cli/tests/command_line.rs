//! The command line from outside: files, exit codes, one-line errors.

use std::path::{Path, PathBuf};

use assert_cmd::Command;
use predicates::prelude::*;
use predicates::str::contains;
use rstest::{fixture, rstest};
use tempfile::TempDir;

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn dettaglio() -> Command {
    let mut command = Command::cargo_bin("dettaglio").expect("the program");
    command.env("DETTAGLIO_MODELS", project().join("models"));
    command
}

fn one_line() -> impl Predicate<str> {
    predicate::function(|text: &str| text.trim_end().lines().count() == 1)
}

#[fixture]
fn folder() -> TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    let picture = image::RgbImage::from_fn(90, 60, |x, y| image::Rgb([(x * 2) as u8, (y * 4) as u8, (x * y) as u8]));
    picture.save(folder.path().join("vases.png")).expect("a picture");
    folder
}

#[rstest]
#[case(&["--factor", "2"], "out.tif", (180, 120))]
#[case(&["--percent", "350", "--draft"], "out.png", (315, 210))]
#[case(&["--print", "6x4in", "--ppi", "100"], "out.jpg", (600, 400))]
#[case(&["--long", "200", "--model", "everyday-x4-draft"], "out.tiff", (200, 133))]
#[case(&["--height", "30", "--model", "lanczos3", "--depth", "16"], "out.tif", (45, 30))]
fn a_picture_becomes_a_file(folder: TempDir, #[case] how: &[&str], #[case] name: &str, #[case] size: (u32, u32)) {
    let out = folder.path().join(name);
    let mut command = dettaglio();
    command.arg("enlarge").arg(folder.path().join("vases.png")).arg("-o").arg(&out).args(how);
    command.assert().success().stdout(contains(format!("{} x {} px", size.0, size.1)));
    let result = image::open(&out).expect("a picture");
    assert_eq!((result.width(), result.height()), size);
}

#[rstest]
#[case::no_size(&["-o", "out.tif"], "--factor")]
#[case::two_sizes(&["-o", "out.tif", "--factor", "2", "--width", "500"], "cannot be used with")]
#[case::print_without_ppi(&["-o", "out.tif", "--print", "60x40cm"], "--ppi")]
#[case::no_paper(&["-o", "out.tif", "--print", "large", "--ppi", "240"], "60x40cm")]
#[case::zero(&["-o", "out.tif", "--factor", "0"], "above 0")]
#[case::too_much(&["-o", "out.tif", "--factor", "99"], "32 times")]
#[case::no_format(&["-o", "out.bmp", "--factor", "2"], "tif, png or jpg")]
#[case::no_model(&["-o", "out.tif", "--factor", "2", "--model", "magic"], "everyday-x2-draft")]
#[case::sixteen_in_jpeg(&["-o", "out.jpg", "--factor", "2", "--depth", "16"], "TIFF or PNG")]
#[case::itself(&["-o", "vases.png", "--factor", "2", "--force"], "never changed")]
#[case::there_already(&["-o", "vases.png", "--factor", "2"], "--force")]
#[case::no_folder(&["-o", "nowhere/out.tif", "--factor", "2"], "nowhere")]
fn what_cannot_be_done_is_said_in_a_line(folder: TempDir, #[case] rest: &[&str], #[case] hint: &str) {
    let mut command = dettaglio();
    command.current_dir(folder.path()).arg("enlarge").arg("vases.png").args(rest);
    command.assert().failure().stderr(contains(hint).and(contains("panicked").not()).and(one_line()));
    let files = std::fs::read_dir(folder.path()).expect("the folder").count();
    assert_eq!(files, 1, "nothing is left behind");
}

#[rstest]
#[case("missing.jpg", None, "No such file")]
#[case("list.jpg", Some(&b"one vase, one bowl"[..]), "not a picture")]
#[case("empty.png", Some(&b""[..]), "not a picture")]
fn a_bad_original_is_refused_by_name(
    folder: TempDir,
    #[case] name: &str,
    #[case] content: Option<&[u8]>,
    #[case] reason: &str,
) {
    if let Some(content) = content {
        std::fs::write(folder.path().join(name), content).expect("a file");
    }
    let mut command = dettaglio();
    command.current_dir(folder.path()).args(["enlarge", name, "-o", "out.tif", "--factor", "2"]);
    command.assert().failure().stderr(contains(name).and(contains(reason)).and(one_line()));
}

#[test]
fn models_are_listed_for_people_and_programs() {
    dettaglio().arg("models").assert().success().stdout(contains("dB over bicubic"));
    let output = dettaglio().args(["models", "--json"]).output().expect("it runs");
    let cards: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert!(cards.as_array().is_some_and(|list| list.iter().any(|card| card["id"] == "everyday-x4-draft")));
}

#[test]
fn the_arithmetic_needs_no_picture() {
    let print = ["size", "1500x1000", "--print", "60x40cm", "--ppi", "240"];
    dettaglio().args(print).assert().success().stdout(contains("5669 x 3779 px").and(contains("64 ppi")));
    let output = dettaglio().args(print).arg("--json").output().expect("it runs");
    let answer: serde_json::Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(answer["size"]["width"], 5669);
    dettaglio().args(["size", "1500", "--factor", "2"]).assert().failure().stderr(contains("1500x1000"));
}
