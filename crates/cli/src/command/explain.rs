//! `velvet-dial explain FILE…`: everything behind a diagnosis, with the shop's memory and with causes struck out.
use super::cases::{answer_each, json_of};
use chrono::{DateTime, Utc};
use clap::Args;
use std::fs;
use std::path::PathBuf;
use std::process::ExitCode;
use velvet_dial_core::case::{Act, Deed};
use velvet_dial_core::diagnosis;
use velvet_dial_core::diagnosis::Setting;
use velvet_dial_core::experience::Memory;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::oil::Oil;
use velvet_dial_core::trace::Exclusion;

/// What to explain.
#[derive(Debug, Args)]
pub struct Explain {
    /// Case files, as for `diagnose`.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The shop's closed jobs on this engine family: {"family": "…", "closed": {"pickup_air": 3}}. Leave it out to switch the memory off.
    #[arg(long)]
    memory: Option<PathBuf>,
    /// A cause struck out and the finding it rests on, for example relief_open:relief_plunger=free. It comes back when the finding is not in the case.
    #[arg(long = "strike", value_name = "CAUSE:FINDING", value_parser = strike)]
    exclusions: Vec<Exclusion>,
    /// The oil's own data sheet in place of its grade's typical values: viscosity at 40 °C and at 100 °C in mm²/s, for example 63,10.7.
    #[arg(long, value_name = "NU40,NU100", value_parser = sheet_oil)]
    oil: Option<Oil>,
    /// It has been put right: readings after it count as proof. The same as an act `repair` in the file.
    #[arg(long)]
    put_right: bool,
    /// The moment it is asked at, for a flag that is overruled until then, for example 2026-03-06T16:00:00Z.
    #[arg(long)]
    now: Option<DateTime<Utc>>,
}

fn strike(text: &str) -> Result<Exclusion, String> {
    let Some((cause, because)) = text.split_once(':').filter(|(_, because)| !because.is_empty()) else {
        return Err("a strike is a cause and the fact it rests on, for example relief_open:relief_plunger=free".to_owned());
    };
    if knowledge().cause(cause).is_none() {
        return Err(format!("“{cause}” is no cause known here"));
    }
    Ok(Exclusion { cause: cause.to_owned(), because: because.to_owned() })
}

/// Density at 15 °C where a sheet's two viscosities stand alone, kg/m³.
const USUAL_DENSITY: f64 = 855.0;

fn sheet_oil(text: &str) -> Result<Oil, String> {
    let numbers = text.split_once(',').and_then(|(nu_40, nu_100)| Some((nu_40.trim().parse().ok()?, nu_100.trim().parse().ok()?)));
    let (nu_40, nu_100) = numbers.ok_or("give two viscosities with a comma between them, at 40 °C and at 100 °C, for example 63,10.7")?;
    Oil::new(nu_40, nu_100, USUAL_DENSITY).map_err(|error| error.to_string())
}

impl Explain {
    /// Exit 0 when all is done, 1 when some case was bad or some file unreadable, 2 when the memory is.
    pub fn run(&self) -> ExitCode {
        let memory = match self.memory.as_ref().map(read_memory).transpose() {
            Ok(memory) => memory,
            Err(message) => {
                eprintln!("{message}");
                return ExitCode::from(2);
            }
        };
        let setting = Setting { now: self.now, memory: memory.as_ref(), exclusions: &self.exclusions };
        answer_each(&self.files, self.oil, |case, tracer| {
            let mut case = case.clone();
            if self.put_right {
                case.acts.push(Act::of(Deed::Repair));
            }
            let diagnosis = diagnosis::diagnose(&case, tracer, &setting);
            json_of(diagnosis::explain(&case, tracer, &setting, &diagnosis))
        })
    }
}

fn read_memory(file: &PathBuf) -> Result<Memory, String> {
    let text = fs::read_to_string(file).map_err(|error| format!("{}: {error}", file.display()))?;
    let memory: Memory = serde_json::from_str(&text).map_err(|error| format!("{}: {error}", file.display()))?;
    memory.checked(knowledge()).map_err(|error| format!("{}: {error}", file.display()))
}
