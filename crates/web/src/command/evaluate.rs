//! `velvet-dial evaluate`
use clap::Args;
use std::io::{self, Write};
use std::process::ExitCode;
use velvet_dial_core::evaluation::{Options, evaluate};

/// What to draw.
#[derive(Debug, Args)]
pub struct Evaluate {
    /// Everything follows from it; the same seed gives the same figures.
    #[arg(long, default_value_t = Options::default().seed)]
    seed: u64,
    /// Engines drawn: 1 to 10000, about two seconds each.
    #[arg(long, default_value_t = Options::default().engines as u32, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    engines: u32,
    /// A pressure this far, in percent, from what the engine made when sound brings it in although the sheet is kept: 1 to 100.
    #[arg(long, default_value_t = (100.0 * Options::default().noticed).round() as u8, value_parser = clap::value_parser!(u8).range(1..=100))]
    noticed: u8,
    /// Print one JSON object instead of tables.
    #[arg(long)]
    json: bool,
}

impl Evaluate {
    /// Draws, asks, prints.
    pub fn run(&self) -> ExitCode {
        eprintln!("Drawing {} engines; this takes a while.", self.engines);
        let evaluation = evaluate(Options { seed: self.seed, engines: self.engines as usize, noticed: f64::from(self.noticed) / 100.0 });
        let text = if self.json { serde_json::to_string(&evaluation).unwrap_or_default() } else { evaluation.to_string() };
        // A reader that went away ends the work quietly.
        let _ = writeln!(io::stdout().lock(), "{}", text.trim_end());
        ExitCode::SUCCESS
    }
}
