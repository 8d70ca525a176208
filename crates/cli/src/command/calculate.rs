//! `velvet-dial calculate [NAME [INPUT]]`
use clap::Args;
use std::io::{self, Write};
use std::process::ExitCode;
use velvet_dial_core::calculator::{ALL, Calculator};

/// What to work out.
#[derive(Debug, Args)]
pub struct Calculate {
    /// The calculator; without it they are listed.
    name: Option<String>,
    /// Its input as a JSON object; without it the input is described.
    input: Option<String>,
}

impl Calculate {
    /// Exit 0 with the figure, 1 when the numbers do not do, 2 when there is no such calculator.
    pub fn run(&self) -> ExitCode {
        let Some(name) = &self.name else {
            let list: Vec<String> = ALL.iter().map(|calculator| format!("{:<10} {}", calculator.name, calculator.answers)).collect();
            return say(&list.join("\n"));
        };
        let Some(calculator) = Calculator::named(name) else {
            let known: Vec<&str> = ALL.iter().map(|calculator| calculator.name).collect();
            eprintln!("“{name}” is no calculator known here; use one of: {}", known.join(", "));
            return ExitCode::from(2);
        };
        let Some(input) = &self.input else {
            let schema = serde_json::to_string_pretty(&calculator.schema()).unwrap_or_default();
            return say(&format!("{}\n\nExample: {}\n\n{schema}", calculator.answers, calculator.example));
        };
        match calculator.run(input) {
            Ok(figure) => say(&serde_json::to_string_pretty(&figure).unwrap_or_default()),
            Err(error) => {
                eprintln!("{error}\nAn input that works: {}", calculator.example);
                ExitCode::FAILURE
            }
        }
    }
}

/// A reader that went away ends the work quietly.
fn say(text: &str) -> ExitCode {
    let _ = writeln!(io::stdout().lock(), "{text}");
    ExitCode::SUCCESS
}
