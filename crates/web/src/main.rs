//! `velvet-dial`: serve the application, diagnose case files, add users.
use clap::Parser;
use std::process::ExitCode;
use velvet_dial::command;

fn main() -> ExitCode {
    command::run(command::Cli::parse())
}
