//! A rig without an engine: the core's circuit in time, a fault in it, a gauge that may be odd, and nothing but the protocol towards the server.
mod bench;
mod link;

use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use thiserror::Error;
use tokio::time::{Instant, MissedTickBehavior, interval};
use velvet_dial_core::circuit::{Card, Circuit, Fault, Unknowns, harm, nominal};
use velvet_dial_core::oil::typical;
use velvet_dial_core::running::Running;

use bench::Bench;

/// What is odd about the rig or the vehicle's own signal, as real ones are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Oddity {
    /// Air in the gauge line: the needle swings after every change.
    Bounce,
    /// The zero creeps away by a kPa a minute.
    Drift,
    /// The link breaks for some seconds, about twice a minute.
    Dropouts,
    /// The peak hold was not cleared: what is shown never falls.
    StuckPeak,
    /// It reads 14 kPa with its line open.
    WrongZero,
    /// The vehicle's own signal jumps to nothing and back.
    JumpingDash,
}

impl Oddity {
    /// All of them by their words.
    pub const ALL: [(&str, Self); 6] = [
        ("bounce", Self::Bounce),
        ("drift", Self::Drift),
        ("dropouts", Self::Dropouts),
        ("stuck-peak", Self::StuckPeak),
        ("wrong-zero", Self::WrongZero),
        ("jumping-dash", Self::JumpingDash),
    ];
}

/// What the stand-in is.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Where the server listens for rigs, `host:port`.
    pub to: String,
    /// Name of its pairing.
    pub name: String,
    /// Token of its pairing.
    pub token: String,
    /// Certificates that the server's is one of, or signed by: the link is encrypted then.
    pub trusted: Option<PathBuf>,
    /// The engine.
    pub card: Card,
    /// What is wrong with it, and how much, 0 to 1.
    pub fault: Option<(Fault, f64)>,
    /// Samples a second, 1 to 1000.
    pub rate_hz: f64,
    /// How much faster than an engine the oil warms.
    pub warms: f64,
    /// The bay, °C.
    pub air_c: f64,
    /// What is odd.
    pub odd: Vec<Oddity>,
    /// The engine's own module tells its idea of the pressure, and what it stores.
    pub module: bool,
    /// Another seed is another engine of the card.
    pub seed: u64,
}

/// Why a stand-in cannot begin.
#[derive(Debug, Error)]
pub enum PlanError {
    /// No such oil.
    #[error("the card's oil is not one of the list: {0}")]
    Oil(#[from] velvet_dial_core::oil::OilError),
    /// Too many or too few samples.
    #[error("a rig sends 1 to 1000 samples a second, not {0}")]
    Rate(f64),
    /// A name with a space in it.
    #[error("the name of a rig is one word of up to 40 letters, as it was paired")]
    Name,
}

/// The circuit of a plan.
fn circuit(plan: &Plan) -> Result<Circuit, PlanError> {
    let mut random = ChaCha8Rng::seed_from_u64(plan.seed);
    // An engine near the middle of its kind, and never twice the same.
    let mut unknown = std::array::from_fn(|_| 0.5);
    for part in &mut unknown {
        *part += rand::Rng::random_range(&mut random, -0.12..0.12);
    }
    let mut circuit = nominal::circuit(&plan.card, typical(&plan.card.oil_grade)?, &Unknowns::from_unit(&unknown, &plan.card));
    if let Some(fault) = plan.fault {
        harm(&mut circuit, &[fault]);
    }
    Ok(circuit)
}

/// Runs for ever: engine and samples go on whether the link stands or not.
///
/// # Errors
/// [`PlanError`] for a plan that cannot be followed.
pub async fn run(plan: Plan) -> Result<(), PlanError> {
    if !(1.0..=1000.0).contains(&plan.rate_hz) {
        return Err(PlanError::Rate(plan.rate_hz));
    }
    if plan.name.is_empty() || plan.name.len() > 40 || plan.name.contains(char::is_whitespace) {
        return Err(PlanError::Name);
    }
    let card = &plan.card;
    let mut engine = Running::rested(circuit(&plan)?, card.displacement_l, card.idle_rpm, card.rated_rpm(), plan.air_c);
    engine.warms = plan.warms;
    let bench = Arc::new(Mutex::new(Bench::new(engine, &plan)));
    let linked = tokio::spawn(link::keep_linked(plan, Arc::clone(&bench)));
    let mut tick = interval(Duration::from_millis(20));
    tick.set_missed_tick_behavior(MissedTickBehavior::Skip);
    let begun = Instant::now();
    while !linked.is_finished() {
        tick.tick().await;
        bench.lock().unwrap_or_else(PoisonError::into_inner).go_on_to(begun.elapsed().as_secs_f64());
    }
    Ok(())
}
