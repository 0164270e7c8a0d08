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
    // Whoever runs the tests may have models of their own.
    command.env("DETTAGLIO_DATA", project().join("target/no-data"));
    // And plug-ins.
    command.env("DETTAGLIO_PLUGINS", "").env_remove("DETTAGLIO_DEVICE");
    command
}

#[rstest]
#[case::none_there(&["--device", "gpu"], "no graphics processor was found; the runtime has no plug-ins here")]
#[case::unknown(&["--device", "lamp-gpu"], "there is no device lamp-gpu")]
#[case::no_name(&["--device", "GPU!"], "auto, cpu, gpu, or a name that `dettaglio devices` lists")]
fn a_device_that_is_not_there_is_refused(folder: TempDir, #[case] how: &[&str], #[case] why: &str) {
    let out = folder.path().join("out.png");
    let mut command = dettaglio();
    command.arg("enlarge").arg(folder.path().join("vases.png")).arg("-o").arg(&out).args(["--factor", "2"]).args(how);
    command.assert().failure().stderr(contains(why).and(one_line()));
    assert!(!out.exists());
}

#[rstest]
fn a_plugin_that_is_none_is_told_of_once_and_the_processor_computes(folder: TempDir) {
    let plugin = folder.path().join("libonnxruntime_providers_lamp.so");
    std::fs::write(&plugin, "no library").unwrap();
    let with = || {
        let mut command = dettaglio();
        command.env("DETTAGLIO_PLUGINS", &plugin).env("DETTAGLIO_DATA", folder.path().join("data"));
        command
    };
    let told = contains("libonnxruntime_providers_lamp.so");
    with().arg("devices").assert().success().stdout(contains("cpu").and(contains("computes"))).stderr(told.clone());
    let mut command = with();
    command.args(["enlarge", "--factor", "2", "--draft", "-o"]).arg(folder.path().join("out.png"));
    command.arg(folder.path().join("vases.png")).assert().success().stderr(told.not());
    let listed = with().args(["devices", "--json"]).assert().success();
    let all: serde_json::Value = serde_json::from_slice(&listed.get_output().stdout).unwrap();
    assert_eq!((&all["computing"], &all["devices"]), (&"cpu".into(), &serde_json::json!([])));
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
#[case::no_format(&["-o", "out.bmp", "--factor", "2"], "tif, png, jpg, webp or dng")]
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

/// A picture with noise and JPEG marks.
fn worn(folder: &Path) -> PathBuf {
    let mut state = 1_u32;
    let mut noise = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        ((state >> 16) % 41) as i32 - 20
    };
    let mut level = |base: u32| (base as i32 + noise()).clamp(0, 255) as u8;
    let picture = image::RgbImage::from_fn(300, 200, |x, y| {
        let base = if (x / 60 + y / 50) % 2 == 0 { 70 } else { 170 };
        image::Rgb([level(base), level(base), level(base)])
    });
    let path = folder.join("worn.jpg");
    let mut file = std::fs::File::create(&path).expect("a file");
    image::codecs::jpeg::JpegEncoder::new_with_quality(&mut file, 80).encode_image(&picture).expect("a picture");
    path
}

fn printed(command: &mut Command) -> String {
    String::from_utf8(command.assert().success().get_output().stdout.clone()).expect("text")
}

#[rstest]
fn a_picture_is_read_in_words_and_in_figures(folder: TempDir) {
    let picture = worn(folder.path());
    dettaglio().arg("read").arg(&picture).assert().success().stdout(contains("noise").and(contains("quality 80")));
    let json = printed(dettaglio().arg("read").arg(&picture).arg("--json"));
    let json: serde_json::Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!(json["facts"]["jpeg_quality"], 80.0);
    assert!(json["reading"]["noise"]["sigma"].as_f64().expect("a figure") > 5.0, "{json}");
}

#[rstest]
fn a_suggestion_can_be_written_changed_and_carried_out(folder: TempDir) {
    let picture = worn(folder.path());
    let (file, out) = (folder.path().join("t.json"), folder.path().join("out.png"));
    let mut suggest = dettaglio();
    suggest.arg("suggest").arg(&picture).args(["--factor", "2", "-o"]).arg(&file);
    suggest.assert().success().stderr(contains("noise of sigma"));
    let enlarge = |out: &Path, how: &[&str]| {
        let mut command = dettaglio();
        command
            .arg("enlarge")
            .arg(&picture)
            .args(["--factor", "2", "-o"])
            .arg(out)
            .arg("--treatment")
            .arg(&file)
            .args(how);
        printed(&mut command)
    };
    let said = enlarge(&out, &[]);
    assert!(said.contains("Camera noise") && said.contains("edges"), "{said}");
    let said = enlarge(&folder.path().join("less.png"), &["--grain", "off", "--marks", "off", "--edges", "off"]);
    assert!(!said.contains("Camera noise") && !said.contains("edges"), "{said}");
    // The same treatment of the same picture is the same file.
    let again = folder.path().join("again.png");
    enlarge(&again, &[]);
    assert!(std::fs::read(&out).unwrap() == std::fs::read(&again).unwrap());
    dettaglio().arg("compare").arg(&out).arg(&again).assert().success().stdout(contains("equal"));
    let figures = printed(dettaglio().arg("compare").arg(&out).arg(folder.path().join("less.png")).arg("--json"));
    let figures: serde_json::Value = serde_json::from_str(&figures).expect("JSON");
    let psnr = figures["psnr"].as_f64().expect("a figure");
    assert!(psnr > 10.0 && psnr < 40.0 && figures["departure_p95"].as_f64() > Some(0.0), "{figures}");
}

#[rstest]
fn folders_and_patterns_are_worked_through_and_one_failure_does_not_stop_the_rest(folder: TempDir) {
    worn(folder.path());
    std::fs::write(folder.path().join("broken.png"), b"no picture").unwrap();
    let into = folder.path().join("results");
    let mut command = dettaglio();
    command.arg("enlarge").arg(folder.path()).arg("--into").arg(&into);
    command.args(["--factor", "1.5", "--model", "bicubic", "--format", "webp", "--pattern", "{name}-{method}"]);
    command.assert().code(1).stderr(contains("broken.png").and(contains("1 of 3 pictures")));
    let mut names: Vec<String> =
        std::fs::read_dir(&into).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into_owned()).collect();
    names.sort();
    assert_eq!(names, ["vases-bicubic.webp", "worn-bicubic.webp"]);
    let pattern = format!("{}/*.jpg", folder.path().display());
    let mut command = dettaglio();
    command.args(["enlarge", &pattern, "--factor", "2", "--model", "nearest", "--into"]).arg(&into);
    command.assert().success().stdout(contains("worn_600x400.tif"));
}

#[rstest]
#[case(&["--crop", "10,5,40x40", "--factor", "2"], (80, 80))]
#[case(&["--turn", "90", "--factor", "2"], (120, 180))]
#[case(&["--print", "6x6in", "--ppi", "30", "--border"], (180, 180))]
#[case(&["--print", "6x4in", "--ppi", "30", "--bleed", "25.4"], (240, 180))]
#[case(&["--straighten", "-3", "--factor", "1"], (83, 55))]
fn the_frame_decides_the_size(folder: TempDir, #[case] how: &[&str], #[case] size: (u32, u32)) {
    let out = folder.path().join("out.png");
    let mut command = dettaglio();
    command
        .arg("enlarge")
        .arg(folder.path().join("vases.png"))
        .arg("-o")
        .arg(&out)
        .args(["--model", "bicubic"])
        .args(how);
    command.assert().success();
    let result = image::open(&out).expect("a picture");
    assert_eq!((result.width(), result.height()), size);
}

#[rstest]
#[case(&["--crop", "80,0,40x40"], "leaves the picture")]
#[case(&["--crop", "all"], "120,80,600x400")]
#[case(&["--straighten", "30"], "up to 15")]
#[case(&["--edges", "9"], "0 to 3")]
#[case(&["--grain", "much"], "neither a figure nor off")]
#[case(&["--marks", "1"], "no trace of JPEG")]
#[case(&["--cleaner", "everyday-x2-draft"], "no cleaner for noise")]
#[case(&["--treatment", "missing.json"], "missing.json")]
#[case(&["--profile", "wide"], "original")]
fn a_step_that_makes_no_sense_is_refused_in_one_line(folder: TempDir, #[case] how: &[&str], #[case] words: &str) {
    let mut command = dettaglio();
    command.current_dir(folder.path()).args(["enlarge", "vases.png", "-o", "out.tif", "--factor", "2"]).args(how);
    command.assert().failure().stderr(contains(words).and(one_line()));
    assert!(!folder.path().join("out.tif").exists());
}

#[rstest]
fn a_model_of_ones_own_is_added_used_retired_and_restored(folder: TempDir) {
    let own = project().join("crates/core/tests/own");
    let with_data = |arguments: &[&str]| {
        let mut command = dettaglio();
        command.env("DETTAGLIO_DATA", folder.path().join("data")).args(arguments);
        command
    };
    let file = own.join("bytes-last-x3.onnx");
    let added = printed(&mut with_data(&["models", "add", file.to_str().unwrap(), "--name", "Thrice"]));
    assert!(added.contains("x3, halo 1 px") && added.contains("three colours"), "{added}");
    let id = added.lines().next().unwrap().rsplit(' ').next().unwrap().to_owned();
    let (picture, out) = (folder.path().join("vases.png"), folder.path().join("large.png"));
    let enlarge = ["enlarge", picture.to_str().unwrap(), "-o", out.to_str().unwrap(), "--factor", "3", "--model", &id];
    with_data(&enlarge).assert().success().stdout(contains("Thrice"));
    assert_eq!(image::open(&out).unwrap().width(), 270);

    printed(&mut with_data(&["models", "retire", &id]));
    assert!(printed(&mut with_data(&["models"])).contains("retired"));
    printed(&mut with_data(&["models", "restore", &id]));
    assert!(!printed(&mut with_data(&["models"])).contains("retired"));
}

#[rstest]
#[case("vases.png", "not an ONNX file")]
#[case("nowhere.onnx", "nowhere.onnx")]
fn a_file_that_is_no_model_is_refused_in_a_line(folder: TempDir, #[case] name: &str, #[case] words: &str) {
    let mut command = dettaglio();
    command.env("DETTAGLIO_DATA", folder.path()).arg("models").arg("add").arg(folder.path().join(name));
    command.assert().failure().code(1).stderr(contains(words).and(one_line()));
}

/// A made-up person, 384 x 480 px, with some 95 px between the eyes.
fn person() -> PathBuf {
    project().join("foundry/heads/kept/1002-0.png")
}

#[rstest]
fn faces_are_found_and_told(folder: TempDir) {
    dettaglio()
        .arg("faces")
        .arg(person())
        .assert()
        .success()
        .stdout(contains("1 face").and(contains("can be restored")));
    let out = dettaglio().args(["faces", "--json"]).arg(person()).assert().success().get_output().stdout.clone();
    let faces: serde_json::Value = serde_json::from_slice(&out).expect("JSON");
    assert!(faces[0]["eyes"].as_f64().is_some_and(|eyes| (80.0..110.0).contains(&eyes)), "{faces}");
    dettaglio().arg("faces").arg(folder.path().join("vases.png")).assert().success().stdout(contains("no faces found"));
}

#[rstest]
fn a_restored_face_differs_and_the_rest_does_not(folder: TempDir) {
    let enlarged = |faces: &str| {
        let out = folder.path().join(format!("{faces}.png"));
        let mut command = dettaglio();
        command.arg("enlarge").arg(person()).args(["--factor", "1.5", "--model", "lanczos3", "--faces", faces, "-o"]);
        command.arg(&out).assert().success();
        image::open(out).expect("a picture").into_rgb8()
    };
    let (off, auto) = (enlarged("off"), enlarged("auto"));
    let changed = |x: u32, y: u32| off.get_pixel(x, y) != auto.get_pixel(x, y);
    assert!((200..300).any(|x| (220..280).any(|y| changed(x, y))), "around the eyes");
    assert!(!(0..off.width()).any(|x| changed(x, off.height() - 1)), "not at the lower edge");
}

#[rstest]
#[case("perhaps", "off, auto nor a figure")]
#[case("3", "0 to 1")]
fn a_strength_of_faces_that_makes_no_sense_is_said_in_a_line(folder: TempDir, #[case] faces: &str, #[case] hint: &str) {
    let mut command = dettaglio();
    command.arg("enlarge").arg(person()).args(["--factor", "1.5", "--faces", faces, "-o"]);
    command.arg(folder.path().join("out.png")).assert().failure().stderr(contains(hint).and(one_line()));
}

fn demo(name: &str) -> PathBuf {
    project().join("demo/pictures").join(name)
}

#[rstest]
fn an_old_print_is_repaired_and_says_so(folder: TempDir) {
    let out = folder.path().join("out.png");
    let mut command = dettaglio();
    command.arg("enlarge").arg(demo("fornace-1931.jpg")).args(["--factor", "1", "--model", "lanczos3"]);
    command.args(["--repair", "0.6", "--repair-only", "specks,lines", "--fade", "auto", "-o"]).arg(&out);
    let said = contains("specks, lines filled at sensitivity 0.6").and(contains("faded tone brought back at 80 %"));
    command.assert().success().stdout(said);
}

#[rstest]
fn what_lies_at_one_place_in_every_scan_is_filled_there_alone(folder: TempDir) {
    let pictures = ["off", "filled"].map(|name| folder.path().join(format!("{name}.png")));
    for (out, fill) in pictures.iter().zip([&[][..], &["--fill", "200,150-300,160:14", "--fill", "60,50:10"]]) {
        let mut command = dettaglio();
        command.arg("enlarge").arg(demo("fornace-1931.jpg")).args(["--factor", "1", "--model", "lanczos3"]);
        let said =
            command.args(["--halftone", "off", "--fade", "off"]).args(fill).arg("-o").arg(out).assert().success();
        if !fill.is_empty() {
            said.stdout(contains("what was marked filled"));
        }
    }
    let [before, after] = pictures.map(|picture| image::open(picture).unwrap().to_rgb8());
    let changed: Vec<(u32, u32)> =
        before.enumerate_pixels().filter(|(x, y, p)| after.get_pixel(*x, *y) != *p).map(|(x, y, _)| (x, y)).collect();
    let beside = |x: u32, y: u32| (190..310).contains(&x) && (140..170).contains(&y);
    let around = |x: u32, y: u32| x.abs_diff(60) < 9 && y.abs_diff(50) < 9;
    assert!(changed.iter().all(|(x, y)| beside(*x, *y) || around(*x, *y)), "nothing else changes");
    assert!(changed.iter().any(|(x, y)| beside(*x, *y)) && changed.iter().any(|(x, y)| around(*x, *y)));
}

#[rstest]
fn the_dots_of_a_halftone_are_taken_out(folder: TempDir) {
    let (plain, out) = (folder.path().join("plain.png"), folder.path().join("out.png"));
    let rough = |halftone: &str, out: &Path| {
        let mut command = dettaglio();
        command.arg("enlarge").arg(demo("fornace-1931.jpg")).args(["--factor", "1", "--model", "lanczos3"]);
        let said = command.args(["--halftone", halftone, "-o"]).arg(out).assert().success();
        if halftone == "auto" {
            said.stdout(contains("dots of 3.5 px at 45° of a halftone taken out at 100 %"));
        }
        let picture = image::open(out).unwrap().to_luma8();
        let steps = picture.rows().map(|row| {
            let values: Vec<u8> = row.map(|pixel| pixel.0[0]).collect();
            values.windows(2).map(|pair| u64::from(pair[0].abs_diff(pair[1]))).sum::<u64>()
        });
        steps.sum::<u64>()
    };
    let (with, without) = (rough("off", &plain), rough("auto", &out));
    assert!(3 * without < with, "{with} with, {without} without");
}

#[rstest]
#[case(&["--repair", "2"], "the sensitivity of Repair is 2")]
#[case(&["--repair", "perhaps"], "off, auto nor a figure")]
#[case(&["--repair", "auto", "--repair-only", "stains"], "specks")]
#[case(&["--repair-only", "specks"], "--repair")]
#[case(&["--fill", "12"], "marks nothing")]
#[case(&["--fill", "12,-4:9"], "marks nothing")]
#[case(&["--fill", "5000,4:9"], "lies outside the picture")]
#[case(&["--fill", "12,4:0"], "a brush of 0 px")]
#[case(&["--fade", "1.5"], "black and white of this picture")]
#[case(&["--halftone", "0.5"], "no dots of a print were found")]
fn what_cannot_be_repaired_is_said(folder: TempDir, #[case] how: &[&str], #[case] words: &str) {
    let mut command = dettaglio();
    command.arg("enlarge").arg(folder.path().join("vases.png")).args(["--factor", "2", "-o"]);
    command.arg(folder.path().join("out.png")).args(how).assert().failure().stderr(contains(words));
}

#[rstest]
fn a_raw_file_stays_raw(folder: TempDir) {
    let out = folder.path().join("kiln.dng");
    let mut command = dettaglio();
    command.arg("enlarge").arg(demo("kiln-chimneys.dng")).args(["--factor", "1.5", "--model", "lanczos3", "-o"]);
    command.arg(&out).assert().success().stdout(contains("in the camera's colours"));
    dettaglio().arg("read").arg(&out).assert().success().stdout(contains("1800 x 1200").and(contains("DNG")));
}

#[rstest]
fn a_finished_picture_becomes_no_raw_file(folder: TempDir) {
    let out = folder.path().join("vases.dng");
    let mut command = dettaglio();
    command.arg("enlarge").arg(folder.path().join("vases.png")).args(["--factor", "2", "-o"]).arg(&out);
    command.assert().failure().stderr(contains("a camera's raw file alone").and(one_line()));
    assert!(!out.exists());
}

#[test]
fn a_listing_that_nobody_reads_to_its_end_is_no_error() {
    let mut listing = std::process::Command::new(assert_cmd::cargo::cargo_bin("dettaglio"))
        .args(["models", "--json"])
        .env("DETTAGLIO_MODELS", project().join("models"))
        .env("DETTAGLIO_DATA", project().join("target/no-data"))
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .expect("it starts");
    drop(listing.stdout.take());
    let ended = listing.wait_with_output().expect("it ends");
    assert!(ended.status.success() && ended.stderr.is_empty(), "{}", String::from_utf8_lossy(&ended.stderr));
}

#[test]
#[cfg(target_os = "linux")]
fn an_answer_that_cannot_be_written_is_an_error() {
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full").expect("a disk that is always full");
    let ended = std::process::Command::new(assert_cmd::cargo::cargo_bin("dettaglio"))
        .args(["size", "3000x2000", "--factor", "2"])
        .stdout(full)
        .output()
        .expect("it starts");
    let said = String::from_utf8_lossy(&ended.stderr);
    assert!(!ended.status.success() && said.contains("cannot be written") && one_line().eval(&said), "{said}");
}

#[rstest]
fn a_rehearsal_is_printed_for_people_and_for_programs(folder: TempDir) {
    let pictures = project().join("crates/core/tests/pictures");
    let (fern, shop) = (pictures.join("courtyard-fern.jpg"), pictures.join("weavers-shop.jpg"));
    let models = ["--factor", "2", "--parts", "2", "--models", "everyday-x2-draft"];
    let table = printed(dettaglio().arg("rehearse").args([&fern, &shop]).args(models));
    let rows: Vec<&str> = table.lines().filter(|line| line.contains("Everyday x2, draft")).collect();
    assert_eq!(rows.len(), 3, "one a picture, and one over all: {table}");
    assert!(!table.contains("Lettering") && table.contains("all 2 pictures") && table.contains("Bicubic"), "{table}");

    let json = printed(dettaglio().arg("rehearse").arg(&fern).args(models).args(["--json", "--put-back"]));
    let json: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(json["rehearsal"]["parts"].as_array().unwrap().len(), 2);
    let psnr = |name: &str| {
        let rows = json["rehearsal"]["rows"].as_array().unwrap();
        rows.iter().find(|row| row["name"] == name).unwrap()["figures"]["psnr"].as_f64().unwrap()
    };
    assert!(psnr("Everyday x2, draft") > psnr("Bicubic") && psnr("Bicubic") > psnr("Nearest"));

    let csv = printed(dettaglio().arg("rehearse").arg(&fern).args(models).arg("--csv"));
    assert!(csv.starts_with("picture,candidate,parts,psnr"), "{csv}");
    assert!(csv.lines().all(|line| line.split(',').count() >= 10), "{csv}");

    let small = folder.path().join("vases.png");
    image::RgbImage::new(40, 300).save(&small).unwrap();
    dettaglio().arg("rehearse").arg(&small).assert().failure().stderr(contains("needs 48 px").and(one_line()));
    dettaglio().args(["rehearse", "--factor", "9"]).arg(&fern).assert().code(2).stderr(one_line());
    dettaglio().args(["rehearse", "--models", "none-such"]).arg(&fern).assert().failure().stderr(contains("none-such"));
}

/// An emblem: a ring, a bar and a dot in three colours on white, as soft as a small picture is.
fn emblem(path: &Path) {
    let picture = image::RgbImage::from_fn(160, 120, |x, y| {
        let cover = |inside: &dyn Fn(f64, f64) -> bool| {
            let part = |k: u32| f64::from(k) / 4.0 + 0.125;
            let hits = (0..16).filter(|k| inside(f64::from(x) + part(k % 4), f64::from(y) + part(k / 4))).count();
            hits as f64 / 16.0
        };
        let ring = cover(&|x, y| (30.0..45.0).contains(&(x - 60.0).hypot(y - 60.0)));
        let bar = cover(&|x, y| (110.0..150.0).contains(&x) && (40.0..56.0).contains(&y));
        let dot = cover(&|x, y| (x - 130.0).hypot(y - 84.0) < 10.0);
        let mut colour = [255.0; 3];
        for (share, ink) in [(ring, [20.0, 60.0, 140.0]), (bar, [156.0, 82.0, 0.0]), (dot, [0.0, 0.0, 0.0])] {
            for c in 0..3 {
                colour[c] += (ink[c] - colour[c]) * share;
            }
        }
        image::Rgb(colour.map(|v: f64| v.round() as u8))
    });
    picture.save(path).expect("a picture");
}

#[rstest]
fn an_emblem_is_traced_into_a_file_of_few_nodes(folder: TempDir) {
    let (input, output) = (folder.path().join("emblem.png"), folder.path().join("emblem.svg"));
    emblem(&input);
    let trace = || {
        let mut command = dettaglio();
        command.arg("trace").arg(&input).arg("-o").arg(&output);
        command
    };
    trace().args(["--print", "60x45cm"]).assert().success().stdout(contains("nodes").and(contains("#ffffff")));
    let text = std::fs::read_to_string(&output).unwrap();
    assert!(text.contains("width=\"600mm\" height=\"450mm\" viewBox=\"0 0 160 120\""), "{text}");
    assert_eq!(text.matches("<path ").count(), 4, "white and three inks: {text}");
    let nodes = text.matches(['L', 'C']).count();
    assert!(nodes <= 40, "{nodes} nodes: {text}");
    let pages = input.with_extension("pdf");
    dettaglio().arg("trace").arg(&input).arg("-o").arg(&pages).args(["--print", "60x45cm"]).assert().success();
    let page = String::from_utf8_lossy(&std::fs::read(&pages).unwrap()).into_owned();
    assert!(page.starts_with("%PDF-1.7") && page.contains("/MediaBox [0 0 1"), "{page}");
    let other = input.with_extension("eps");
    dettaglio().arg("trace").arg(&input).arg("-o").arg(other).assert().failure().stderr(contains("svg nor pdf"));
    // What is there stays, unless it is said otherwise.
    trace().assert().failure().stderr(one_line()).stderr(contains("--force"));
    trace().args(["--force", "--colours", "2"]).assert().success();
    assert_eq!(std::fs::read_to_string(&output).unwrap().matches("<path ").count(), 2);
    trace().args(["--force", "--colours", "1"]).assert().failure();
}

#[rstest]
fn a_traced_emblem_is_printed_in_other_inks_and_as_pixels(folder: TempDir) {
    let (input, output) = (folder.path().join("emblem.png"), folder.path().join("emblem.svg"));
    emblem(&input);
    let trace = |ink: &str| {
        let mut command = dettaglio();
        command.arg("trace").arg(&input).arg("-o").arg(&output).args(["--force", "--clear-ground", "--ink", ink]);
        command
    };
    let found = {
        let told = trace("#123456=#123456").assert().success();
        let told = String::from_utf8_lossy(&told.get_output().stdout).into_owned();
        told.split_whitespace().rfind(|word| word.starts_with('#')).expect("a colour").to_owned()
    };
    trace(&format!("{found}=#102a50=Kiln & quay")).assert().success().stdout(contains("#102a50"));
    let text = std::fs::read_to_string(&output).unwrap();
    assert!(text.contains("<title>Kiln &amp; quay</title>") && !text.contains("#ffffff"), "{text}");
    for wrong in ["#102a50", "#12345=#102a50", "#123456=blue"] {
        trace(wrong).assert().failure().stderr(contains("#"));
    }
    let long = format!("#123456=#102a50={}", "n".repeat(61));
    trace(&long).assert().failure().stderr(one_line()).stderr(contains("up to 60 letters"));

    let pixels = input.with_extension("tif");
    let enlarge = |factor: &str| {
        let mut command = dettaglio();
        command.arg("enlarge").arg(&input).arg("-o").arg(&pixels).args(["--model", "traced", "--factor", factor]);
        command
    };
    enlarge("12").assert().success();
    let large = image::open(&pixels).unwrap();
    assert_eq!((large.width(), large.height()), (1920, 1440));
    enlarge("2").args(["--force", "--strength", "0.5"]).assert().failure().stderr(contains("choose a model"));
}

#[rstest]
fn a_photograph_is_not_traced_and_it_is_said_why(folder: TempDir) {
    let photograph = project().join("crates/core/tests/pictures/furnace-hall.jpg");
    let output = folder.path().join("hall.svg");
    let refused = dettaglio().arg("trace").arg(photograph).arg("-o").arg(&output).assert().failure();
    refused.stderr(one_line()).stderr(contains("no drawing in a few plain colours"));
    assert!(!output.exists());
    let wrong = dettaglio().arg("trace").arg(folder.path().join("vases.png")).args(["-o", "vases.png"]).assert();
    wrong.failure().stderr(contains("svg nor pdf"));
}
