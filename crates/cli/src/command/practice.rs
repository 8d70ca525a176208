//! `velvet-dial practice`
use clap::Args;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use velvet_dial_practice::proving::{prove, stock, table};
use velvet_dial_practice::run_file::RunFile;
use velvet_dial_practice::written::{self, Written};

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
    /// Check scenes that somebody wrote (velvet-dial.scene/1, docs/practice.md), and say what is wrong with each; nothing is drawn then.
    #[arg(long, num_args = 1.., value_name = "FILE", conflicts_with_all = ["json", "stock", "schema"])]
    check: Vec<PathBuf>,
    /// Replay a run that was exported from a scene's marks (velvet-dial.practice-run/1): what was done, what it was worth, its marks.
    #[arg(long, value_name = "FILE", conflicts_with_all = ["json", "stock", "schema", "check"])]
    replay: Option<PathBuf>,
    /// Print the JSON Schema of a written scene.
    #[arg(long)]
    schema: bool,
}

/// Seeds that are tried for an author whose own will not do.
const TRIED: u64 = 40;

impl Practice {
    /// Draws scenes, plays five bots through each, prints.
    pub fn run(&self) -> ExitCode {
        if self.schema {
            let _ = writeln!(io::stdout().lock(), "{:#}", written::schema().to_value());
            return ExitCode::SUCCESS;
        }
        if let Some(file) = &self.replay {
            return match replay(file) {
                Ok(text) => {
                    let _ = writeln!(io::stdout().lock(), "{}", text.trim_end());
                    ExitCode::SUCCESS
                }
                Err(why) => {
                    eprintln!("{}: {why}", file.display());
                    ExitCode::FAILURE
                }
            };
        }
        if !self.check.is_empty() {
            let wrong = self.check.iter().filter(|file| !check(file)).count();
            return ExitCode::from(u8::from(wrong > 0));
        }
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

fn replay(file: &Path) -> Result<String, String> {
    let text = std::fs::read_to_string(file).map_err(|error| error.to_string())?;
    RunFile::read(&text)?.replay().ok_or_else(|| "its scene cannot be made by this version any more".to_owned())
}

/// Says what is wrong with a file; true where nothing is.
fn check(file: &Path) -> bool {
    let name = file.display();
    let say = |text: String| {
        let _ = writeln!(io::stdout().lock(), "{name}: {text}");
    };
    let text = match std::fs::read_to_string(file) {
        Ok(text) => text,
        Err(error) => {
            say(error.to_string());
            return false;
        }
    };
    let written = match Written::read(&text) {
        Ok(written) => written,
        Err(wrong) => {
            wrong.into_iter().for_each(say);
            return false;
        }
    };
    match written.solvable() {
        Ok(_) => {
            say("can be given to somebody.".to_owned());
            true
        }
        Err(why) => {
            say(why);
            let other = (1..=TRIED).find(|seed| Written { seed: *seed, ..written.clone() }.solvable().is_ok());
            say(other.map_or_else(|| format!("None of the seeds 1 to {TRIED} will do."), |seed| format!("The seed {seed} would do.")));
            false
        }
    }
}
