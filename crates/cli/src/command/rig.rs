//! `velvet-dial rig`: a stand-in rig, a program of its own that knows the server by its protocol alone.
use clap::Args;
use serde::Deserialize;
use std::io;
use std::path::PathBuf;
use std::process::ExitCode;
use tracing_subscriber::EnvFilter;
use velvet_dial_core::circuit::{Card, Fault};
use velvet_dial_rig::standin::{self, Oddity, Plan};

/// The stand-in.
#[derive(Debug, Args)]
pub struct Rig {
    /// Where the server listens for rigs, host:port; `serve` says it.
    #[arg(long)]
    to: String,
    /// Name that the rig was paired under.
    #[arg(long)]
    name: String,
    /// Token that the pairing showed.
    #[arg(long, env = "VELVET_DIAL_RIG_TOKEN", hide_env_values = true)]
    token: String,
    /// Certificates in PEM that the server's is one of, or signed by: the link is encrypted then, and --to names the host as its certificate does.
    #[arg(long)]
    trusted: Option<PathBuf>,
    /// The engine's card as JSON, or a file that holds it or a whole case.
    #[arg(long)]
    engine: String,
    /// What is wrong with it, in the words of the causes: screen_blocked, relief_open, bearings_crank …
    #[arg(long)]
    fault: Option<String>,
    /// How much, 0 to 1.
    #[arg(long, default_value_t = 0.6)]
    severity: f64,
    /// Samples a second, 1 to 1000.
    #[arg(long, default_value_t = 100.0)]
    rate: f64,
    /// How much faster than an engine the oil warms.
    #[arg(long, default_value_t = 1.0)]
    warms: f64,
    /// The bay, °C.
    #[arg(long, default_value_t = 18.0)]
    air: f64,
    /// What is odd about it; may be given more than once: bounce, drift, dropouts, stuck-peak, wrong-zero, jumping-dash.
    #[arg(long)]
    odd: Vec<String>,
    /// The engine's own module tells its pressure and its stored codes as well.
    #[arg(long)]
    module: bool,
    /// Another seed is another engine of the card.
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

/// A file with a card in it, or a case.
#[derive(Deserialize)]
#[serde(untagged)]
enum Given {
    Card(Card),
    Case { engine: Card },
}

impl Rig {
    /// Runs until it is ended.
    pub fn run(self) -> ExitCode {
        let filter = EnvFilter::try_from_default_env().unwrap_or_else(|_| EnvFilter::new("info"));
        tracing_subscriber::fmt().with_env_filter(filter).with_writer(io::stderr).compact().init();
        let plan = match self.plan() {
            Ok(plan) => plan,
            Err(why) => {
                eprintln!("{why}");
                return ExitCode::from(2);
            }
        };
        match actix_web::rt::System::new().block_on(standin::run(plan)) {
            Ok(()) => ExitCode::SUCCESS,
            Err(error) => {
                eprintln!("The stand-in did not start: {error}.");
                ExitCode::FAILURE
            }
        }
    }

    fn plan(self) -> Result<Plan, String> {
        let text = if self.engine.trim_start().starts_with('{') {
            self.engine.clone()
        } else {
            std::fs::read_to_string(PathBuf::from(&self.engine)).map_err(|error| format!("{}: {error}", self.engine))?
        };
        let given: Given = serde_json::from_str(&text).map_err(|_| "--engine: this is neither an engine's card nor a case".to_owned())?;
        let card = match given {
            Given::Card(card) | Given::Case { engine: card } => card,
        };
        let fault = match self.fault.as_deref() {
            None | Some("none") => None,
            Some(word) => {
                let fault = serde_json::from_value::<Fault>(serde_json::Value::String(word.to_owned()));
                Some((
                    fault.map_err(|_| {
                        format!("--fault: “{word}” is no cause that harms a circuit; try screen_blocked, relief_open, bearings_crank")
                    })?,
                    self.severity.clamp(0.0, 1.0),
                ))
            }
        };
        let odd = self.odd.iter().map(|word| {
            let known = Oddity::ALL.iter().find(|(known, _)| known == word).map(|(_, oddity)| *oddity);
            known.ok_or_else(|| format!("--odd: “{word}” is not one of {}", Oddity::ALL.map(|(word, _)| word).join(", ")))
        });
        let odd = odd.collect::<Result<Vec<_>, _>>()?;
        Ok(Plan {
            to: self.to,
            name: self.name,
            token: self.token,
            trusted: self.trusted,
            card,
            fault,
            rate_hz: self.rate,
            warms: self.warms,
            air_c: self.air,
            odd,
            module: self.module,
            seed: self.seed,
        })
    }
}
