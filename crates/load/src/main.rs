//! What the server bears: a full database under many users, and kills in mid-write. Prints figures; fails only where something acknowledged was lost.
mod drive;
mod fill;
mod kill;
mod person;
mod rigs;
mod screen;
mod server;

use clap::Parser;
use std::error::Error;
use std::path::PathBuf;
use std::process::ExitCode;

/// What goes wrong here is told as it is: nobody acts on it but the person who runs it.
type Done<T> = Result<T, Box<dyn Error>>;

/// Fills, drives, kills.
#[derive(Debug, Parser)]
#[command(name = "velvet-dial-load")]
enum Command {
    /// Fill a database and drive users on it: p50 and p95 of boards, jobs, taps and reports, queries a page, memory.
    Load(Load),
    /// Kill server and database with SIGKILL while people write, and count what was acknowledged against what is found.
    Kill(Kill),
    /// Link rigs at a thousand samples a second each: how far behind a screen is, what the server needs, whether all is kept once; and the strip of an hour.
    Rigs(Rigs),
}

/// How much.
#[derive(Debug, clap::Args)]
struct Load {
    /// Program to serve with.
    #[arg(long)]
    server: PathBuf,
    /// Folder of the database; filled when it is empty, used as it is when not.
    #[arg(long, default_value = "var/load")]
    data: PathBuf,
    /// Jobs.
    #[arg(long, default_value_t = 20_000)]
    jobs: u64,
    /// Entries in all.
    #[arg(long, default_value_t = 2_000_000)]
    entries: u64,
    /// Engines, each with draws of its own.
    #[arg(long, default_value_t = 40)]
    engines: u64,
    /// People who tap once in five seconds.
    #[arg(long, default_value_t = 100)]
    people: u64,
    /// How long they do, s.
    #[arg(long, default_value_t = 60)]
    seconds: u64,
}

/// How often.
#[derive(Debug, clap::Args)]
struct Kill {
    /// Program to serve with.
    #[arg(long)]
    server: PathBuf,
    /// Kills in all: of the server and of the database by turns.
    #[arg(long, default_value_t = 20)]
    times: u64,
    /// People who write.
    #[arg(long, default_value_t = 8)]
    people: u64,
}

/// How many, for how long.
#[derive(Debug, clap::Args)]
struct Rigs {
    /// Program to serve with.
    #[arg(long)]
    server: PathBuf,
    /// Rigs at once.
    #[arg(long, default_value_t = 4)]
    rigs: u64,
    /// How long they record, s.
    #[arg(long, default_value_t = 600)]
    seconds: u64,
}

#[tokio::main]
async fn main() -> ExitCode {
    let done = match Command::parse() {
        Command::Load(load) => drive::run(&load).await,
        Command::Kill(kill) => kill::run(&kill).await,
        Command::Rigs(how) => rigs::run(&how).await,
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{error}");
            let mut source = error.source();
            while let Some(deeper) = source {
                eprintln!("  because: {deeper}");
                source = deeper.source();
            }
            ExitCode::FAILURE
        }
    }
}
