//! `velvet-dial evaluate`
use clap::Args;
use std::io::{self, Write};
use std::process::ExitCode;
use velvet_dial_examiner::{Options, believed, believes, ceiling, evaluate, most, tune, tuning};

/// What to draw.
#[derive(Debug, Args)]
pub struct Evaluate {
    /// Everything follows from it; the same seed gives the same figures.
    #[arg(long, default_value_t = Options::default().seed)]
    seed: u64,
    /// Engines drawn of each rival: 1 to 10000, about three seconds each.
    #[arg(long, default_value_t = Options::default().engines as u32, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    engines: u32,
    /// A pressure this far, in percent, from what the engine made when sound brings it in although the sheet is kept: 1 to 100.
    #[arg(long, default_value_t = (100.0 * Options::default().noticed).round() as u8, value_parser = clap::value_parser!(u8).range(1..=100))]
    noticed: u8,
    /// Count the five rivals that things are tuned on instead of the five that were left out of all tuning.
    #[arg(long)]
    tuned_on: bool,
    /// Judge by readings and intake alone and follow no order of checks, in a tenth of the time.
    #[arg(long)]
    unfollowed: bool,
    /// What an hour of work costs when the search is followed, 10 to 1000; parts and engines are priced in the same money.
    #[arg(long, default_value_t = Options::default().hour as u32, value_parser = clap::value_parser!(u32).range(10..=1000))]
    hour: u32,
    /// Print one JSON object instead of tables.
    #[arg(long)]
    json: bool,
    /// Score values of the model's own error on every rival that is tuned on, and what the others of those would choose for each, instead of the tables.
    #[arg(long)]
    tune: bool,
    /// Print the most that the readings could tell somebody who knew each engine as it was when sound and its maker's faults, instead of the tables.
    #[arg(long, conflicts_with_all = ["tune", "believes"])]
    ceiling: bool,
    /// Print what is believed of nine healthy engines before anything is read, beside what the trade calls usual, instead of the tables.
    #[arg(long, conflicts_with = "tune")]
    believes: bool,
}

impl Evaluate {
    /// Draws engines, asks, prints.
    pub fn run(&self) -> ExitCode {
        if self.believes {
            let rows = believed();
            let text = if self.json { serde_json::to_string(&rows).unwrap_or_default() } else { believes(&rows) };
            let _ = writeln!(io::stdout().lock(), "{}", text.trim_end());
            return ExitCode::SUCCESS;
        }
        eprintln!("Drawing {} engines of each rival; this takes a while.", self.engines);
        let noticed = f64::from(self.noticed) / 100.0;
        let options = Options {
            seed: self.seed,
            engines: self.engines as usize,
            noticed,
            tuned_on: self.tuned_on,
            unfollowed: self.unfollowed,
            hour: f64::from(self.hour),
            ..Options::default()
        };
        if self.ceiling {
            let rows = ceiling(options);
            let text = if self.json { serde_json::to_string(&rows).unwrap_or_default() } else { most(&rows) };
            let _ = writeln!(io::stdout().lock(), "{}", text.trim_end());
            return ExitCode::SUCCESS;
        }
        if self.tune {
            let _ = writeln!(io::stdout().lock(), "{}", tuning(&tune(options)).trim_end());
            return ExitCode::SUCCESS;
        }
        let evaluation = evaluate(options);
        let text = if self.json { serde_json::to_string(&evaluation).unwrap_or_default() } else { evaluation.to_string() };
        // A reader that went away ends the work quietly.
        let _ = writeln!(io::stdout().lock(), "{}", text.trim_end());
        ExitCode::SUCCESS
    }
}
