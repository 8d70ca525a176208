//! `velvet-dial`: serve the application, diagnose case files, add users.
mod command;

use clap::Parser;
use std::process::ExitCode;

fn main() -> ExitCode {
    command::run(command::Cli::parse())
}
