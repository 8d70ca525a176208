//! The command line.
mod backup;
mod calculate;
mod capture;
mod cases;
mod customer;
mod database;
mod diagnose;
mod evaluate;
mod explain;
mod key;
mod nightly;
mod practice;
mod restore;
mod rig;
mod serve;
mod summaries;
mod user;
mod verify;

use clap::{Parser, Subcommand};
use std::process::ExitCode;

/// Traces low or lost oil pressure from complaint to proof.
#[derive(Debug, Parser)]
#[command(name = "velvet-dial", version)]
pub struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Serve the application. Without a database address a private MariaDB is started. TLS is left to a proxy in front.
    Serve(serve::Serve),
    /// Diagnose case files (velvet-dial.case/1) and print one JSON object a case. `.jsonl` holds one case a line; `-` is standard input.
    Diagnose(diagnose::Diagnose),
    /// Print everything behind a diagnosis: doubts, what would decide, why each cause stands where it does, what the four orders would cost.
    Explain(explain::Explain),
    /// Work out a figure beside the job: relief valve, clearance strip, tilt, thread and others. Without a name they are listed.
    Calculate(calculate::Calculate),
    /// Print what a recorded run tells: holds, start, sweep, warm-up, needle, gaps, zero (velvet-dial.capture/1).
    Capture(capture::Capture),
    /// Run a stand-in rig: a computed engine with a fault, which calls a server as a rig on a real one does.
    Rig(rig::Rig),
    /// Print the JSON Schema of the case file, or the description of what other programs can do.
    Schema {
        /// OpenAPI 3.1 of the door for other programs.
        #[arg(long)]
        api: bool,
    },
    /// Print every check, opening and repair as one table (docs/trade.md).
    Trade,
    /// Draw blind cases from engines built otherwise than the tracer assumes, and print how often it is right.
    Evaluate(evaluate::Evaluate),
    /// Draw practice scenes, play five ways to work through them, and print whether each can be proven and how they are marked
    Practice(practice::Practice),
    /// Make what the board tells of every job anew from the ledgers. Works while the server runs.
    Summaries(summaries::Summaries),
    /// Take a backup of the database and the server's keys into one file. Works while the server runs.
    Backup(backup::Backup),
    /// Put a backup back and verify it, up to any moment that the binary log reaches; what was there is kept. The server must not run.
    Restore(restore::Restore),
    /// Check that reports are what they were when they were made: ledger, case, text, figures and signature, from the file alone; or a job as the database keeps it.
    Verify(verify::Verify),
    /// Print the public key that this server's reports are checked with.
    Key(key::Key),
    /// Who may sign in. Works while the server runs.
    #[command(subcommand)]
    User(user::User),
    /// What is kept of a customer. Works while the server runs.
    #[command(subcommand)]
    Customer(customer::Customer),
}

/// Runs what was asked for.
pub fn run(cli: Cli) -> ExitCode {
    let broken: Vec<String> = velvet_dial_core::knowledge::faults().into_iter().chain(velvet_dial_core::safety::fault()).collect();
    if !broken.is_empty() {
        eprintln!("The knowledge files do not hold together:\n  {}", broken.join("\n  "));
        return ExitCode::FAILURE;
    }
    match cli.command {
        Command::Serve(serve) => serve.run(),
        Command::Diagnose(diagnose) => diagnose.run(),
        Command::Explain(explain) => explain.run(),
        Command::Calculate(calculate) => calculate.run(),
        Command::Capture(capture) => capture.run(),
        Command::Rig(rig) => rig.run(),
        Command::Schema { api } => {
            println!("{:#}", if api { velvet_dial_web::api_document() } else { velvet_dial_core::case::schema() });
            ExitCode::SUCCESS
        }
        Command::Trade => {
            print!("{}", velvet_dial_core::trade::document());
            ExitCode::SUCCESS
        }
        Command::Evaluate(evaluate) => evaluate.run(),
        Command::Practice(practice) => practice.run(),
        Command::Summaries(summaries) => summaries.run(),
        Command::Backup(backup) => backup.run(),
        Command::Restore(restore) => restore.run(),
        Command::Verify(verify) => verify.run(),
        Command::Key(key) => key.run(),
        Command::User(user) => user.run(),
        Command::Customer(customer) => customer.run(),
    }
}
