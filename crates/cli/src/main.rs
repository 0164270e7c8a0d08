//! The command line: enlarge a file, list the models, or do the arithmetic of a print alone.

mod args;
mod commands;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    let outcome = match args::Cli::parse().command {
        args::Command::Enlarge(args) => commands::enlarge(&args),
        args::Command::Models(args) => commands::models(&args),
        args::Command::Size(args) => commands::size(&args),
    };
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            // One line, whatever the depth of the causes.
            eprintln!("dettaglio: {}", format!("{error:#}").replace('\n', " "));
            ExitCode::FAILURE
        }
    }
}
