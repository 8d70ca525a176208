//! Which thread this is, and what it is mistaken for.
//!
//! Dimensions: `knowledge/threads.toml`, each with the standard it is from. A measured crest diameter, pitch and taper are held against every
//! thread: diameter to 0.15 mm on a parallel thread; on a tapered one anywhere over the length a caliper meets, which with a taper of 1 in 16 is half a
//! millimetre under the nominal; a port's bore is under it by twice the thread's depth, 1.0825 pitches at 60° (ISO 68-1) and 1.2806 at 55° (ISO 228-1); pitch to 2 %, what a pitch gauge or ten turns along a rule can tell. The fit is 0 where all agree and grows by one for
//! each such width it is off (root of the sum of squares). Two threads are *lookalikes* when one starts in the other: diameters within 0.7 mm and
//! pitches within 12 %. They bind where the difference of their pitches has used up the play between the flanks, about a tenth of a pitch. Checked: every thread finds itself, and 1/8 of 27 and of 28 turns warn of each other (`tests/calculator.rs`).
use super::{CalculatorError, INCH_MM, hold, together};
use crate::choice::choice;
use crate::field;
use crate::message;
use crate::message::number;
use crate::thread::{Family, Thread, threads};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

choice! {
    /// What is stamped on the old sender or plug.
    Stamp {
        /// G: parallel pipe, ISO 228-1.
        G = "g": "G",
        /// R or KR: tapered pipe, outside, ISO 7-1.
        R = "r": "R",
        /// Rc or PT: tapered pipe, inside, ISO 7-1.
        Rc = "rc": "Rc or PT",
        /// NPT, ASME B1.20.1.
        Npt = "npt": "NPT",
        /// M: metric.
        M = "m": "M",
    }
}
choice! {
    /// Where sender and engine were designed: each region mostly used its own threads.
    Origin {
        /// North America.
        America = "america": "North America",
        /// Britain, before metric.
        Britain = "britain": "Britain, older",
        /// East Asia.
        Asia = "asia": "East Asia",
        /// The continent of Europe.
        Europe = "europe": "continental Europe",
    }
}

impl Stamp {
    fn is_of(self, family: Family) -> bool {
        match self {
            Self::G => family == Family::InchPipe55Parallel,
            Self::R | Self::Rc => family == Family::InchPipe55Taper,
            Self::Npt => family == Family::InchPipe60Taper,
            Self::M => family == Family::MetricFine,
        }
    }
}

impl Origin {
    fn uses(self, family: Family) -> bool {
        match self {
            Self::America => matches!(family, Family::InchPipe60Taper | Family::StraightInch),
            Self::Britain => matches!(family, Family::InchPipe55Taper | Family::InchPipe55Parallel | Family::StraightInch),
            Self::Asia => matches!(family, Family::InchPipe55Taper | Family::MetricFine),
            Self::Europe => matches!(family, Family::MetricFine | Family::InchPipe55Parallel),
        }
    }
}

/// A thread as it was measured; one of the two pitches, or none.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ThreadMeasured {
    /// Diameter over the crests, mm, 4 to 40: outside on a plug, the bore on a port.
    pub diameter_mm: f64,
    /// Pitch, mm, 0.3 to 3.
    #[serde(default)]
    pub pitch_mm: Option<f64>,
    /// Turns an inch, 8 to 40.
    #[serde(default)]
    pub turns_per_inch: Option<f64>,
    /// It is tapered; leave it out when it cannot be calculated.
    #[serde(default)]
    pub tapered: Option<bool>,
    /// It is the port that was measured, not the plug.
    #[serde(default)]
    pub female: bool,
    /// What is stamped on it, where anything is.
    #[serde(default)]
    pub stamp: Option<Stamp>,
    /// Where it comes from, where that is known.
    #[serde(default)]
    pub origin: Option<Origin>,
}

/// A thread it may be.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Match {
    /// Its designation.
    pub name: &'static str,
    /// Its family.
    pub family: Family,
    /// How far off it is; up to 1 is what measuring leaves open.
    pub off: f64,
    /// Diameter, mm.
    pub diameter_mm: f64,
    /// Pitch, mm.
    pub pitch_mm: f64,
    /// Turns an inch.
    pub turns_per_inch: f64,
    /// How it seals.
    pub seals: &'static str,
    /// What starts in it, or it in them.
    pub lookalikes: Vec<Lookalike>,
}

/// A thread that starts in another and does not belong there.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Lookalike {
    /// Its designation.
    pub name: &'static str,
    /// How much thicker it is, mm.
    pub thicker_mm: f64,
    /// Turns after which the two bind; none when their pitch is the same.
    pub binds_after_turns: Option<f64>,
    /// The warning.
    pub warning: String,
}

/// Reading of a caliper on a parallel thread, mm.
const DIAMETER_OFF_MM: f64 = 0.15;
/// A tapered plug measures this much less towards its small end, mm.
const TAPER_RUN_MM: f64 = 0.5;
/// Reading of a pitch gauge, share.
const PITCH_OFF: f64 = 0.02;
/// A wrong taper counts as so many widths: it is seen at once.
const WRONG_TAPER: f64 = 2.0;
/// Another stamp counts as so many widths, since senders are changed; another region as fewer, since it is a habit and no rule.
const WRONG_STAMP: f64 = 1.5;
const WRONG_ORIGIN: f64 = 0.7;
/// Matches told at most, and how far off the last may be.
const TOLD: usize = 4;
const FAR: f64 = 3.0;
const STARTS_MM: f64 = 0.7;
const STARTS_PITCH: f64 = 0.12;
/// Play between the flanks, share of the pitch.
const PLAY: f64 = 0.1;

/// The threads it may be, the best first, each with what it is mistaken for. Empty when none is near: then an adapter must be made.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and with two pitches that contradict each other.
///
/// ```
/// # use velvet_dial_core::calculator::{ThreadMeasured, which};
/// let measured = ThreadMeasured { diameter_mm: 10.1, pitch_mm: None, turns_per_inch: Some(27.0), tapered: Some(true), female: false, stamp: None, origin: None };
/// let best = &which(&measured).unwrap()[0];
/// assert!(best.name.starts_with("1/8") && best.lookalikes.iter().any(|other| other.name.contains("28")));
/// assert!(which(&ThreadMeasured { diameter_mm: 400.0, ..measured }).is_err());
/// ```
pub fn which(measured: &ThreadMeasured) -> Result<Vec<Match>, CalculatorError> {
    let diameter = hold(&field::THREAD_DIAMETER, measured.diameter_mm)?;
    let by_mm = measured.pitch_mm.map(|pitch| hold(&field::PITCH, pitch)).transpose()?;
    let by_inch = measured.turns_per_inch.map(|turns| hold(&field::TURNS_PER_INCH, turns)).transpose()?.map(|turns| INCH_MM / turns);
    if let (Some(mm), Some(inch)) = (by_mm, by_inch)
        && (mm / inch - 1.0).abs() > PITCH_OFF
    {
        return Err(together(message!("calculator-pitch", pitch = mm, is = number(INCH_MM / mm, 1), given = number(INCH_MM / inch, 1))));
    }
    let pitch = by_mm.or(by_inch);
    let mut matches: Vec<Match> = threads()
        .iter()
        .map(|thread| {
            // A port's crests stand one depth of thread inside the nominal all round.
            let crests_mm = thread.diameter_mm - if measured.female { thread.family.bore_under() * thread.pitch_mm } else { 0.0 };
            let under = if thread.family.tapered() { (crests_mm - diameter).clamp(0.0, TAPER_RUN_MM) } else { 0.0 };
            let diameter_off = (diameter + under - crests_mm) / DIAMETER_OFF_MM;
            let pitch_off = pitch.map_or(0.0, |pitch| (pitch / thread.pitch_mm - 1.0) / PITCH_OFF);
            let taper_off = if measured.tapered.is_some_and(|tapered| tapered != thread.family.tapered()) { WRONG_TAPER } else { 0.0 };
            let stamp_off = if measured.stamp.is_some_and(|stamp| !stamp.is_of(thread.family)) { WRONG_STAMP } else { 0.0 };
            let origin_off = if measured.origin.is_some_and(|origin| !origin.uses(thread.family)) { WRONG_ORIGIN } else { 0.0 };
            let hints = f64::powi(stamp_off, 2) + f64::powi(origin_off, 2);
            (thread, (diameter_off.powi(2) + pitch_off.powi(2) + f64::powi(taper_off, 2) + hints).sqrt())
        })
        .filter(|(_, off)| *off <= FAR)
        .map(|(thread, off)| Match {
            name: &thread.name,
            family: thread.family,
            off,
            diameter_mm: thread.diameter_mm,
            pitch_mm: thread.pitch_mm,
            turns_per_inch: INCH_MM / thread.pitch_mm,
            seals: thread.family.seals(),
            lookalikes: lookalikes(thread),
        })
        .collect();
    matches.sort_by(|a, b| a.off.total_cmp(&b.off));
    matches.truncate(TOLD);
    Ok(matches)
}

fn lookalikes(thread: &Thread) -> Vec<Lookalike> {
    threads()
        .iter()
        .filter(|other| other.name != thread.name)
        .filter(|other| {
            (other.diameter_mm - thread.diameter_mm).abs() <= STARTS_MM && (other.pitch_mm / thread.pitch_mm - 1.0).abs() <= STARTS_PITCH
        })
        .map(|other| {
            let apart = (other.pitch_mm - thread.pitch_mm).abs();
            let binds_after_turns = (apart > 1e-6).then(|| PLAY * thread.pitch_mm / apart);
            let warning = match binds_after_turns {
                Some(turns) => {
                    format!("It starts, then binds: after {turns:.0} turns a tenth of a pitch apart, which is all the play there is. Forced, it splits an aluminium housing.")
                }
                None if other.family.flank_deg() != thread.family.flank_deg() => {
                    "Same pitch, other flanks: it screws in and does not seal.".to_owned()
                }
                None => "Same pitch, one tapered and one not: it screws in and seals by luck.".to_owned(),
            };
            Lookalike { name: &other.name, thicker_mm: other.diameter_mm - thread.diameter_mm, binds_after_turns, warning }
        })
        .collect()
}
