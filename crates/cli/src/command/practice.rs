//! `velvet-dial practice`
use clap::Args;
use std::io::{self, Write};
use std::process::ExitCode;
use velvet_dial_practice::proving::{prove, stock, table};

/// Which scenes.
#[derive(Debug, Args)]
pub struct Practice {
    /// The first scene's seed; the same seed gives the same scenes.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Scenes of each of the five grades: 1 to 10000, some seconds each.
    #[arg(long, default_value_t = 20, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    scenes: u32,
    /// Print one JSON object instead of the table.
    #[arg(long)]
    json: bool,
    /// Print the seeds of so many proven scenes of each grade as TOML (crates/practice/stock.toml), instead of the table.
    #[arg(long, conflicts_with = "json")]
    stock: bool,
}

impl Practice {
    /// Draws scenes, plays five bots through each, prints.
    pub fn run(&self) -> ExitCode {
        eprintln!("Drawing {} scenes of each grade; this takes a while.", self.scenes);
        if self.stock {
            let _ = write!(io::stdout().lock(), "{}", stock(self.seed, self.scenes as usize));
            return ExitCode::SUCCESS;
        }
        let grades = prove(self.seed, self.scenes as usize);
        let text = if self.json { serde_json::to_string(&grades).unwrap_or_default() } else { table(&grades) };
        let _ = writeln!(io::stdout().lock(), "{}", text.trim_end());
        ExitCode::SUCCESS
    }
}
