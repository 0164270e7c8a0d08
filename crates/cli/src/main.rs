//! The command line: enlarge files, measure and compare them, list the models, do the arithmetic of a print.

/// As `println!`, and goes on where nobody reads any more: piped into `head`, say, a batch still runs to its end.
macro_rules! say {
    ($($what:tt)*) => { crate::say_line(format_args!($($what)*)) };
}

mod args;
mod commands;
mod devices;
mod models;
mod rehearse;
mod steps;
mod trace;

use std::fmt::Arguments;
use std::io::{ErrorKind, Write, stdout};
use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    // Before any thread is started: a helper gives up its rights for the whole process.
    if dettaglio_core::helper_main() {
        return ExitCode::SUCCESS;
    }
    if let Ok(program) = std::env::current_exe() {
        dettaglio_core::model::run_own_models_in(&program);
    }
    let cli = match args::Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) if error.use_stderr() => {
            eprintln!("dettaglio: {}", one_line(&error.to_string()));
            return ExitCode::from(2);
        }
        // Help and version, which were asked for.
        Err(error) => error.exit(),
    };
    let outcome = match cli.command {
        args::Command::Enlarge(args) => commands::enlarge(&args),
        args::Command::Read(args) => commands::read(&args),
        args::Command::Faces(args) => commands::faces(&args),
        args::Command::Suggest(args) => commands::suggest(&args),
        args::Command::Rehearse(args) => rehearse::rehearse(&args),
        args::Command::Trace(args) => trace::trace(&args),
        args::Command::Compare(args) => commands::compare(&args),
        args::Command::Models(args) => models::models(&args),
        args::Command::Devices(args) => devices::devices(&args),
        args::Command::Size(args) => commands::size(&args),
        args::Command::TryModel { file } => {
            dettaglio_core::model::own::child_main(&file);
            Ok(())
        }
    };
    devices::tell_failure();
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            // One line, whatever the depth of the causes.
            eprintln!("dettaglio: {}", one_line(&format!("{error:#}")));
            ExitCode::FAILURE
        }
    }
}

/// Writes a line for `say!`. What cannot be written for another reason, such as a full disk, is an error.
pub(crate) fn say_line(line: Arguments<'_>) {
    match writeln!(stdout().lock(), "{line}") {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            eprintln!("dettaglio: the answer cannot be written: {error}");
            std::process::exit(1);
        }
        _ => {}
    }
}

/// The message alone, without the usage that follows it.
pub(crate) fn one_line(text: &str) -> String {
    let message = text.split("\n\nUsage:").next().unwrap_or(text);
    let message = message.strip_prefix("error: ").unwrap_or(message);
    message.split_whitespace().collect::<Vec<_>>().join(" ")
}
