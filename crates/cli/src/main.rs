//! `velvet-dial`: serve the application, diagnose case files, add users.
mod command;

use clap::Parser;
use std::process::ExitCode;

/// The system's own keeps what many threads have given back; draws come and go by the megabyte.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    command::run(command::Cli::parse())
}
