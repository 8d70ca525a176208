//! How many seconds an engine may take from the first turn of the crank until pressure shows, and after how many it is stopped.
//!
//! The trade's three and six seconds are for a car's engine whose filter and galleries hold their oil. What work has emptied must be filled first: its volume over what the
//! pump of this card delivers at idle speed with cold oil ([`Circuit::build_time`](crate::circuit::Circuit::build_time)). No engine is left running without pressure for
//! longer than [`MOST_STOP_S`]; where filling takes longer than that, it is filled by cranking without fuel.
use crate::case::{Case, Deed};
use crate::circuit::nominal::{self, Unknowns};
use crate::circuit::{Build, Dry, Working};
use crate::oil;

/// Within so many seconds a filled engine of any size shows pressure.
const NORMAL_S: f64 = 3.0;
/// After so many seconds without pressure a filled engine is stopped.
const STOP_S: f64 = 6.0;
/// After so many seconds any running engine without pressure is stopped.
pub const MOST_STOP_S: f64 = 10.0;
/// Oil of a cold start, °C.
const COLD_C: f64 = 20.0;
/// What a filter holds for each litre of displacement, where the card does not say, l.
const FILTER_L_PER_L: f64 = 0.15;
/// Work after which galleries, filter and suction are empty, and after which the filter alone is.
const EMPTIED: [&str; 5] = ["sump_was_off", "pump_was_fitted", "engine_was_rebuilt", "pump_already_replaced", "stood_long"];
const FILTER_EMPTIED: [&str; 2] = ["after_oil_service", "filter_already_replaced"];

/// The seconds that a start may take.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct StartUp {
    /// Pressure within so long is as it should be, s.
    pub normal_s: f64,
    /// No pressure after so long: stop the engine, s.
    pub stop_s: f64,
    /// What must be filled first, for a sentence; empty where everything holds its oil.
    pub empty: &'static str,
    /// Filling takes longer than a running engine may be without pressure: it is cranked without fuel first.
    pub crank_first: bool,
}

impl StartUp {
    /// The seconds for a case's engine, its oil and what was emptied.
    pub fn of(case: &Case) -> Self {
        let card = &case.engine;
        let told = |words: &[&str]| case.circumstances.iter().any(|told| words.contains(&told.as_str()));
        let refilled = case.acts.iter().any(|act| act.act == Deed::Refill);
        let rested = Dry::rested(card.displacement_l);
        let (dry, empty) = if told(&EMPTIED) {
            (Dry::after_work(card.displacement_l), "galleries, filter and suction may be empty")
        } else if refilled || told(&FILTER_EMPTIED) {
            let filter_m3 = 1e-3 * card.filter_l.unwrap_or(FILTER_L_PER_L * card.displacement_l);
            (Dry { after_pump_m3: rested.after_pump_m3 + filter_m3, ..rested }, "the new filter fills first")
        } else {
            (rested, "")
        };
        let filled_s = oil::typical(&card.oil_grade).ok().map(|oil| {
            let circuit = nominal::circuit(card, oil, &Unknowns { hot_c: crate::case::hot_c(case), ..Unknowns::typical() });
            circuit.build_time(Working { rpm: card.idle_rpm, oil_temp_c: COLD_C }, dry)
        });
        let fill_s = match filled_s {
            Some(Build::After(seconds)) => seconds,
            Some(Build::Never) => MOST_STOP_S,
            None => 0.0,
        };
        // A filled car's engine takes under a second: what is beyond that is added.
        let normal_s = (NORMAL_S - 1.0 + fill_s.max(1.0)).min(MOST_STOP_S);
        // What the sheet says of this engine comes before what engines of its size mostly take.
        let sheet_s = case.spec.as_ref().and_then(|sheet| sheet.besides.build_s).filter(|_| empty.is_empty());
        let normal_s = sheet_s.map_or(normal_s, |seconds| seconds.clamp(1.0, MOST_STOP_S));
        let stop_s = (STOP_S / NORMAL_S * normal_s).min(MOST_STOP_S);
        Self { normal_s: normal_s.round(), stop_s: stop_s.round(), empty, crank_first: fill_s > STOP_S }
    }

    /// What it means that pressure showed after so long.
    pub fn outcome(&self, seconds: f64) -> &'static str {
        match seconds {
            seconds if seconds <= self.normal_s => "normal",
            seconds if seconds <= self.stop_s => "slow",
            _ => "none",
        }
    }

    /// In a sentence, for whoever counts.
    pub fn says(&self) -> String {
        let Self { normal_s, stop_s, empty, .. } = self;
        let because = if empty.is_empty() { String::new() } else { format!(" ({empty})") };
        let crank = if self.crank_first { " Crank it without fuel until pressure shows before it is started." } else { "" };
        format!("This engine{because}: up to {normal_s:.0} s is right. None after {stop_s:.0} s: stop the engine at once.{crank}")
    }
}
