//! Which gauge for this job: the narrow one that can tell the limit, the wide one that survives the cold peak, or one that does both.
//!
//! Relations: a class is a share of full scale and half a graduation what an eye can tell, both limits of error (JCGM 100, 4.3.7), so the
//! error at the limit is known whatever the reading. Good practice of the trade: full scale about twice the working pressure, and a tenth over the
//! highest pressure it will meet. A gauge is *blind* below ten times its error. Checked by properties (`tests/calculator.rs`).
use super::{CalculatorError, hold, together};
use crate::field;
use crate::instrument::Instrument;
use crate::message;
use crate::message::typed;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The pressures of the job and the gauges of the shop.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct GaugeChoice {
    /// The least limit the job asks about, kPa: mostly hot idle.
    pub least_kpa: f64,
    /// Highest pressure expected hot, kPa.
    pub working_kpa: f64,
    /// Highest pressure expected cold, kPa.
    pub cold_peak_kpa: f64,
    /// Pressure expected where the least limit is asked, kPa: for a gauge that is fitted for that point alone. Twice the limit when it is left out.
    #[serde(default)]
    pub idle_kpa: Option<f64>,
    /// The shop's gauges.
    pub gauges: Vec<Candidate>,
}

/// A gauge of the shop.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Candidate {
    /// What the shop calls it.
    pub name: String,
    /// Full scale, kPa.
    pub full_scale_kpa: f64,
    /// Class, percent of full scale.
    pub class_percent: f64,
    /// Smallest graduation, kPa.
    pub graduation_kpa: f64,
}

/// How a gauge suits the job.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Suited {
    /// The gauge.
    pub name: String,
    /// Standard uncertainty at the limit, kPa.
    pub u_at_limit_kpa: f64,
    /// Of the limit, percent: what it cannot tell there.
    pub error_at_limit_percent: f64,
    /// Below this it is blind, kPa.
    pub blind_below_kpa: f64,
    /// It can tell the limit: that does not lie in its blind zone.
    pub tells_limit: bool,
    /// Room over the highest hot pressure, percent of that; negative when it is overloaded.
    pub head_room_hot_percent: f64,
    /// Room over the cold peak, percent of that; negative when it is overloaded.
    pub head_room_cold_percent: f64,
    /// Full scale over the working pressure; about two is right.
    pub full_scale_over_working: f64,
}

/// The choice: the finest gauge that survives and can tell.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Choice {
    /// For the cold start; none when every gauge would be overloaded.
    pub cold: Option<String>,
    /// For the hot readings; none when every gauge would be overloaded or is blind at the limit.
    pub hot: Option<String>,
    /// For the point of the least limit alone, where none that tells it survives the rest: not to be revved over `idle_up_to_kpa`.
    pub idle_only: Option<String>,
    /// As far as that one goes, kPa.
    pub idle_up_to_kpa: Option<f64>,
    /// One gauge does both.
    pub one_does_both: bool,
    /// The choice in a sentence.
    pub says: String,
    /// Every gauge, the finest at the limit first.
    pub gauges: Vec<Suited>,
}

/// Room wanted over the highest pressure a gauge meets, as a share.
const ROOM: f64 = 0.1;
/// A gauge is blind below so many of its own standard uncertainties.
const BLIND: f64 = 10.0;

/// The gauges to use cold and hot, and how each suits.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, without a gauge, and when the pressures do not rise from limit to working to cold peak.
///
/// ```
/// # use velvet_dial_core::calculator::{Candidate, GaugeChoice, choose};
/// let gauge = |name: &str, full_scale_kpa: f64| Candidate { name: name.into(), full_scale_kpa, class_percent: 1.0, graduation_kpa: full_scale_kpa / 50.0 };
/// let job = GaugeChoice { least_kpa: 60.0, working_kpa: 300.0, cold_peak_kpa: 800.0, idle_kpa: None, gauges: vec![gauge("wide", 1000.0), gauge("narrow", 400.0)] };
/// let choice = choose(&job).unwrap();
/// assert_eq!((choice.cold.as_deref(), choice.hot.as_deref()), (Some("wide"), Some("narrow")));
/// // Where the narrow one would not survive the speeds it is for hot idle alone.
/// let choice = choose(&GaugeChoice { working_kpa: 390.0, ..job.clone() }).unwrap();
/// assert_eq!((choice.hot, choice.idle_only.as_deref()), (None, Some("narrow")));
/// assert!(choose(&GaugeChoice { gauges: vec![], ..job }).is_err());
/// ```
pub fn choose(job: &GaugeChoice) -> Result<Choice, CalculatorError> {
    let least = hold(&field::PRESSURE, job.least_kpa)?;
    let working = hold(&field::PRESSURE, job.working_kpa)?;
    let peak = hold(&field::PRESSURE, job.cold_peak_kpa)?;
    if !(0.0 < least && least <= working && working <= peak) {
        return Err(together(message!("calculator-gauge-order", least = typed(least), working = typed(working), peak = typed(peak))));
    }
    if job.gauges.is_empty() {
        return Err(together(message!("calculator-no-gauge")));
    }
    let mut gauges = Vec::new();
    for gauge in &job.gauges {
        gauges.push(suits(gauge, (least, working, peak))?);
    }
    gauges.sort_by(|a, b| a.u_at_limit_kpa.total_cmp(&b.u_at_limit_kpa));
    // The finest that is not overloaded: hot readings want the limit told, and cold the peak survived.
    let finest = |fits: fn(&Suited) -> bool| gauges.iter().find(|gauge| fits(gauge)).map(|gauge| gauge.name.clone());
    let cold = finest(|gauge| gauge.head_room_cold_percent >= 100.0 * ROOM);
    let hot = finest(|gauge| gauge.tells_limit && gauge.head_room_hot_percent >= 100.0 * ROOM);
    let idle = hold(&field::PRESSURE, job.idle_kpa.unwrap_or((2.0 * least).min(working)))?;
    let full_scale = |suited: &Suited| suited.full_scale_over_working * working;
    let idle_gauge = gauges.iter().find(|gauge| hot.is_none() && gauge.tells_limit && full_scale(gauge) >= (1.0 + ROOM) * idle.max(least));
    let (idle_only, idle_up_to_kpa) =
        (idle_gauge.map(|gauge| gauge.name.clone()), idle_gauge.map(|gauge| full_scale(gauge) / (1.0 + ROOM)));
    let says = match (&cold, &hot) {
        (Some(cold), None) if idle_only.is_some() => {
            let idle = idle_only.as_deref().unwrap_or_default();
            format!("{cold} for the cold start and at speed; {idle} for hot idle alone, and only up to its highest pressure below.")
        }
        (_, None) if gauges.iter().all(|gauge| !gauge.tells_limit) => {
            "None of the shop's gauges is fine enough for this limit. Borrow one with a smaller range or a better class, or use a transducer.".to_owned()
        }
        (_, None) => "The gauges that are fine enough for the limit would be overloaded. Use a transducer.".to_owned(),
        (None, Some(hot)) => {
            format!("{hot} is fine enough for the hot limit, but no gauge survives the cold start. Fit it when the engine is hot.")
        }
        (Some(cold), Some(hot)) if cold == hot => format!("{hot} does both."),
        (Some(cold), Some(hot)) => format!("Start cold on {cold}, change to {hot} when it is hot and no longer over the highest hot pressure."),
    };
    Ok(Choice { idle_only, idle_up_to_kpa, one_does_both: cold.is_some() && cold == hot, cold, hot, says, gauges })
}

fn suits(gauge: &Candidate, (least, working, peak): (f64, f64, f64)) -> Result<Suited, CalculatorError> {
    let full_scale_kpa = hold(&field::FULL_SCALE, gauge.full_scale_kpa)?;
    let instrument = Instrument {
        full_scale_kpa,
        class_percent: hold(&field::CLASS, gauge.class_percent)?,
        graduation_kpa: hold(&field::GRADUATION, gauge.graduation_kpa)?,
        ..Instrument::default()
    };
    let u_at_limit_kpa = instrument.own_u_kpa();
    let room = |over: f64| 100.0 * (full_scale_kpa / over - 1.0);
    Ok(Suited {
        name: gauge.name.clone(),
        u_at_limit_kpa,
        error_at_limit_percent: 100.0 * u_at_limit_kpa / least,
        blind_below_kpa: (BLIND * u_at_limit_kpa).min(full_scale_kpa),
        tells_limit: least >= (BLIND * u_at_limit_kpa).min(full_scale_kpa),
        head_room_hot_percent: room(working),
        head_room_cold_percent: room(peak),
        full_scale_over_working: full_scale_kpa / working,
    })
}
