//! A strange file is opened in a process of its own, with little memory and little time.

use std::io::Read;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

use dettaglio_domain::model::Trial;
use rustix::process::{Resource, Rlimit, setrlimit};

use super::foreign::{Declared, OnnxRaw};
use super::parts;
use super::refusal::Refusal;
use super::trial;
use crate::apart::said_within;
use crate::model::engine::Engine;

/// The hidden command with which a program runs itself for a trial; the file follows.
pub const CHILD_COMMAND: &str = "try-model";

/// Of a model file.
const LARGEST_MEGABYTES: u64 = 512;

/// Nodes, weights and values of a model: the largest known networks for pictures have a few thousand.
const MOST_PARTS: usize = 20_000;

/// Of the whole trial.
const SECONDS: u64 = 120;

/// Address space of the trial's process: its threads' stacks and the runtime's arenas count as well.
const ADDRESS_SPACE: u64 = 12 << 30;

/// Tries a file in a new process of `program`, which answers [`CHILD_COMMAND`] with [`child_main`].
pub fn try_file(program: &Path, file: &Path) -> Result<Trial, Refusal> {
    sniff(file)?;
    let not_tried = |e: std::io::Error| Refusal::NotTried { why: e.to_string() };
    // From an empty folder, so that no name in the file leads anywhere.
    let (nowhere, file) = (tempfile::tempdir().map_err(not_tried)?, file.canonicalize().map_err(not_tried)?);
    let mut command = Command::new(program);
    command.arg(CHILD_COMMAND).arg(file).current_dir(nowhere.path());
    let Some((status, answer)) = said_within(&mut command, Duration::from_secs(SECONDS)).map_err(not_tried)? else {
        return Err(Refusal::TimedOut { seconds: SECONDS });
    };
    match serde_json::from_str::<Result<Trial, Refusal>>(&answer) {
        Ok(answer) if status.success() => answer,
        _ => Err(Refusal::Crashed { how: status.to_string() }),
    }
}

/// The child's side: tries the file and prints what it found.
pub fn child_main(file: &Path) {
    let _ = setrlimit(Resource::As, Rlimit { current: Some(ADDRESS_SPACE), maximum: Some(ADDRESS_SPACE) });
    let _ = setrlimit(Resource::Core, Rlimit { current: Some(0), maximum: Some(0) });
    let answer = try_in_this_process(file);
    println!("{}", serde_json::to_string(&answer).unwrap_or_default());
}

/// Tries a file right here: for files that are trusted not to bring the process down.
pub fn try_in_this_process(file: &Path) -> Result<Trial, Refusal> {
    let bytes = std::fs::read(file).map_err(|e| Refusal::NotTried { why: e.to_string() })?;
    // The runtime compares each with all others: a hundred thousand names hold it up for a minute.
    let parts = parts::count(&bytes);
    if parts > MOST_PARTS {
        return Err(Refusal::TooManyParts { parts, limit: MOST_PARTS });
    }
    let engine = Engine::load().map_err(|e| Refusal::NotTried { why: e.to_string() })?;
    let session = engine.session(&bytes).map_err(unopened)?;
    let declared = Declared::of(&session)?;
    let raw = OnnxRaw::new(session, declared.element, Duration::from_secs(SECONDS))?;
    trial::run(&raw, &declared, &peak_memory)
}

/// What the runtime's refusal means for the person.
fn unopened(why: String) -> Refusal {
    let has = |words: &[&str]| words.iter().any(|word| why.to_lowercase().contains(word));
    let line = || why.lines().next().unwrap_or_default().chars().take(300).collect();
    if has(&["external data", "external initializer", "external_data"]) {
        Refusal::ExternalData
    } else if has(&["protobuf", "invalid graph proto", "no graph"]) {
        Refusal::Damaged
    } else if has(&[
        "not a registered function",
        "is not implemented",
        "not implemented",
        "could not find an implementation",
    ]) {
        Refusal::Operator { why: line() }
    } else {
        Refusal::Unopened { why: line() }
    }
}

/// What can be told without opening it.
fn sniff(file: &Path) -> Result<(), Refusal> {
    let not_tried = |e: std::io::Error| Refusal::NotTried { why: e.to_string() };
    let megabytes = std::fs::metadata(file).map_err(not_tried)?.len() >> 20;
    if megabytes > LARGEST_MEGABYTES {
        return Err(Refusal::TooLarge { megabytes, limit: LARGEST_MEGABYTES });
    }
    // A model's first field is its version of the format: field 1, a number (onnx.proto, ModelProto.ir_version).
    let mut start = [0; 2];
    let mut opened = std::fs::File::open(file).map_err(not_tried)?;
    match opened.read_exact(&mut start) {
        Ok(()) if start[0] == 0x08 && (1..64).contains(&start[1]) => Ok(()),
        _ => Err(Refusal::NotOnnx),
    }
}

/// The most bytes that this process has held (Linux; 0 elsewhere).
fn peak_memory() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kilobytes = line.and_then(|l| l.split_whitespace().next()).and_then(|n| n.parse::<u64>().ok());
    kilobytes.unwrap_or(0) * 1024
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(b"PK\x03\x04 an archive", true)]
    #[case(b"", true)]
    #[case(b"\x08\x08\x12\x07pytorch", false)]
    fn what_is_no_onnx_file_is_told_at_once(#[case] bytes: &[u8], #[case] refused: bool) {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("m.onnx");
        std::fs::write(&file, bytes).unwrap();
        assert_eq!(sniff(&file) == Err(Refusal::NotOnnx), refused);
    }

    #[test]
    fn a_model_that_names_other_files_is_refused_before_the_runtime_sees_it() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("m.onnx");
        std::fs::write(&file, b"\x08\x08 ... \x6a\x1a\x0a\x08location\x12\x0e.dettaglio/key").unwrap();
        assert_eq!(try_in_this_process(&file).unwrap_err(), Refusal::ExternalData);
    }

    #[rstest]
    #[case("Fatal error: mine:Sparkle(-1) is not a registered function/op", "operator libraries")]
    #[case("Load model from memory failed: Protobuf parsing failed.", "cut short or damaged")]
    #[case("External data path does not exist", "weights inside")]
    #[case("something else\nand more", "something else")]
    fn the_runtimes_words_become_ours(#[case] why: &str, #[case] part: &str) {
        let text = unopened(why.to_owned()).to_string();
        assert!(text.contains(part) && !text.contains('\n'), "{text}");
    }

    #[test]
    fn a_program_that_does_not_answer_is_no_trial() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("m.onnx");
        std::fs::write(&file, b"\x08\x08").unwrap();
        assert!(matches!(try_file(Path::new("/bin/false"), &file), Err(Refusal::Crashed { .. })));
        assert!(matches!(try_file(Path::new("/no/such/program"), &file), Err(Refusal::NotTried { .. })));
    }
}
