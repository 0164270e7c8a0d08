//! The command line: enlarge files, measure and compare them, list the models, do the arithmetic of a print.

mod args;
mod commands;
mod models;
mod steps;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
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
        args::Command::Compare(args) => commands::compare(&args),
        args::Command::Models(args) => models::models(&args),
        args::Command::Size(args) => commands::size(&args),
        args::Command::TryModel { file } => {
            dettaglio_core::model::own::child_main(&file);
            Ok(())
        }
    };
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            // One line, whatever the depth of the causes.
            eprintln!("dettaglio: {}", one_line(&format!("{error:#}")));
            ExitCode::FAILURE
        }
    }
}

/// The message alone, without the usage that follows it.
pub(crate) fn one_line(text: &str) -> String {
    let message = text.split("\n\nUsage:").next().unwrap_or(text);
    let message = message.strip_prefix("error: ").unwrap_or(message);
    message.split_whitespace().collect::<Vec<_>>().join(" ")
}
