//! The case file, version 1, as types; unknown keys and values out of range are errors that name their path.
use super::{Act, BenchSaid, Replaced};
use crate::choice::choice;
use crate::circuit::{Card, PointOfSpec, nominal};
use crate::experience::{KnownPattern, Memory};
use crate::instrument::Instrument;
use crate::knowledge::knowledge;
use crate::limits::Sheet;
use crate::strip_down::StripDown;
use crate::unit::Gear;
use chrono::{DateTime, FixedOffset, Utc};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The value of `format`.
pub const FORMAT: &str = "velvet-dial.case/1";
/// Most readings in one case; a job has a dozen.
pub(super) const MOST_READINGS: usize = 200;
pub(super) const MOST_POINTS: usize = 200;
/// Known patterns of one family.
pub(super) const MOST_PATTERNS: usize = 50;
/// Letters of a family's name.
pub const MOST_FAMILY: usize = 60;

/// A case.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Case {
    /// Always [`FORMAT`].
    pub format: String,
    /// Echoed back.
    #[serde(default)]
    pub id: Option<String>,
    /// The engine.
    pub engine: Card,
    /// The limits in force; without them the rule of thumb is used.
    #[serde(default)]
    pub spec: Option<Sheet>,
    /// Instruments by the name readings use.
    #[serde(default)]
    pub instruments: BTreeMap<String, Instrument>,
    /// Readings in the order they were taken.
    #[serde(default)]
    pub readings: Vec<Reading>,
    /// Outcomes of checks in the order they were found.
    #[serde(default)]
    pub evidence: Vec<Evidence>,
    /// What was said or seen at intake.
    #[serde(default)]
    pub circumstances: Vec<String>,
    /// By whom and with what effect a part was replaced before this visit.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub replaced: Vec<Replaced>,
    /// What was done, for the order that the flag follows.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub acts: Vec<Act>,
    /// The state of the bench; derived where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bench: Option<BenchSaid>,
    /// The cause that this engine's usual failure is, as a person names it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pattern: Option<String>,
    /// Known patterns of this engine's family: they raise the odds of their causes before anything is found.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub known_patterns: Vec<KnownPattern>,
    /// What the shop's own closed jobs of this family were: they move the odds before anything is found, and how long they took moves the price of an opening.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub memory: Option<Memory>,
    /// Checks that are put off or cannot be done here: they are not proposed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub put_off: Vec<String>,
    /// What was measured with the engine open; each figure counts as the outcome of its check, where that was not answered.
    #[serde(default, skip_serializing_if = "StripDown::is_empty")]
    pub strip_down: StripDown,
}

impl Case {
    /// A case in which nothing is known but the engine.
    pub fn of(engine: Card) -> Self {
        Self {
            format: FORMAT.to_owned(),
            id: None,
            engine,
            spec: None,
            instruments: BTreeMap::new(),
            readings: Vec::new(),
            evidence: Vec::new(),
            circumstances: Vec::new(),
            replaced: Vec::new(),
            acts: Vec::new(),
            bench: None,
            pattern: None,
            known_patterns: Vec::new(),
            memory: None,
            put_off: Vec::new(),
            strip_down: StripDown::default(),
        }
    }
}

/// Before or after it was put right.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Phase {
    /// As it came.
    #[default]
    Before,
    /// As it goes.
    After,
}

choice! {
    /// What the needle said.
    Shows {
        /// A value.
        Value = "value": "a value",
        /// Under the first mark of the scale, which `kpa` is.
        UnderFirstMark = "under_first_mark": "under the first mark",
        /// Against its upper stop; `kpa` is the last mark.
        Pegged = "pegged": "against the stop",
        /// The lamp is on: the pressure is under the one at which its switch opens.
        LampOn = "lamp_on": "lamp on",
        /// The lamp is out: the pressure is over it.
        LampOut = "lamp_out": "lamp out",
    }
}

impl Shows {
    /// It is what a lamp says.
    pub fn is_of_a_lamp(self) -> bool {
        matches!(self, Self::LampOn | Self::LampOut)
    }

    /// Why this instrument cannot have shown it at this speed; none where it can. A lamp is on or out and shows no value, a gauge shows one.
    pub fn refused_by(self, instrument: &Instrument, rpm: f64) -> Option<String> {
        match (instrument.lamp_opens_kpa(), self.is_of_a_lamp()) {
            (Some(_), false) => Some("a lamp switch shows no value: say whether the lamp is on or out".to_owned()),
            (None, true) => Some("a lamp is on or out, a gauge shows a pressure: name the lamp switch, or the value".to_owned()),
            (Some(_), true) => instrument
                .armed_from_rpm
                .filter(|armed| rpm < *armed)
                .map(|armed| format!("this warning is armed only from {armed:.0} rpm: at {rpm:.0} rpm it says nothing")),
            (None, false) => None,
        }
    }
}
choice! {
    /// How the speed was held.
    SpeedHeld {
        /// Measured with a counter.
        Measured = "measured": "measured",
        /// By hand and the dash.
        ByHand = "by_hand": "by hand",
    }
}
choice! {
    /// How the vehicle stands.
    Slope {
        /// Level.
        Level = "level": "level",
        /// Nose up.
        NoseUp = "nose_up": "nose up",
        /// Nose down.
        NoseDown = "nose_down": "nose down",
    }
}

/// One pressure read at a known speed and oil temperature.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// Speed, turns a minute.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// True when it was not read with a probe.
    #[serde(default)]
    pub oil_temp_estimated: bool,
    /// Gear.
    #[serde(default)]
    pub gear: Gear,
    /// Pressure, kPa gauge.
    pub kpa: f64,
    /// How far the needle moved either side during the hold, kPa.
    #[serde(default)]
    pub spread_kpa: f64,
    /// Name among the case's instruments; without it the ordinary workshop gauge is assumed.
    #[serde(default)]
    pub instrument: Option<String>,
    /// Before or after.
    #[serde(default)]
    pub phase: Phase,
    /// What the needle said; a value where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shows: Option<Shows>,
    /// How the speed was held; measured where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub speed_held: Option<SpeedHeld>,
    /// How the vehicle stood; level where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub slope: Option<Slope>,
    /// How long it was held, s.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hold_s: Option<f64>,
    /// When, with the offset of the shop's clock: by its date a gauge is overdue or not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<DateTime<FixedOffset>>,
    /// Why it is not weighed; it stays readable.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub set_aside: Option<String>,
}

impl Reading {
    /// A reading of a value on the ordinary gauge, before, at a measured speed.
    pub fn of(rpm: f64, oil_temp_c: f64, kpa: f64) -> Self {
        Self {
            rpm,
            oil_temp_c,
            oil_temp_estimated: false,
            gear: Gear::Neutral,
            kpa,
            spread_kpa: 0.0,
            instrument: None,
            phase: Phase::Before,
            shows: None,
            speed_held: None,
            slope: None,
            hold_s: None,
            at: None,
            set_aside: None,
        }
    }

    /// The moment it was taken.
    pub fn moment(&self) -> Option<DateTime<Utc>> {
        self.at.map(|at| at.to_utc())
    }

    /// What the needle said; a lamp that is on says as much as a needle under the mark at which its switch opens.
    pub fn shown(&self) -> Shows {
        match self.shows.unwrap_or(Shows::Value) {
            Shows::LampOn => Shows::UnderFirstMark,
            Shows::LampOut => Shows::Pegged,
            other => other,
        }
    }

    /// True on level ground.
    pub fn is_level(&self) -> bool {
        self.slope.is_none_or(|slope| slope == Slope::Level)
    }
}

/// The outcome of a check.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Evidence {
    /// Check.
    pub check: String,
    /// Outcome; may be left out where `outcomes` has some.
    #[serde(default)]
    pub outcome: String,
    /// Several outcomes of one look, for checks that can have them: carbon and bearing metal in one sump.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outcomes: Vec<String>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<DateTime<Utc>>,
    /// Before or after it was put right, where that is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub phase: Option<Phase>,
}

impl Evidence {
    /// An outcome without a time.
    pub fn of(check: &str, outcome: &str) -> Self {
        Self { check: check.to_owned(), outcome: outcome.to_owned(), outcomes: Vec::new(), at: None, phase: None }
    }

    /// Everything that this look found.
    pub fn seen(&self) -> impl Iterator<Item = &str> {
        let more = self.outcomes.iter().filter(|outcome| **outcome != self.outcome);
        std::iter::once(&self.outcome).filter(|outcome| !outcome.is_empty()).chain(more).map(String::as_str)
    }

    /// It found this, alone or beside other things.
    pub fn saw(&self, outcome: &str) -> bool {
        self.seen().any(|seen| seen == outcome)
    }

    /// The keys of what it found, as findings carry them.
    pub fn keys(&self) -> impl Iterator<Item = String> {
        self.seen().map(|outcome| format!("{}={outcome}", self.check))
    }
}

impl Case {
    /// The gauge of a reading, as it counted on the day it was read.
    pub fn gauge(&self, reading: &Reading) -> Instrument {
        reading
            .instrument
            .as_ref()
            .and_then(|name| self.instruments.get(name))
            .cloned()
            .unwrap_or_default()
            .on(reading.at.map(|at| at.date_naive()))
    }

    /// How many times the card's minutes an opening takes in this shop.
    pub fn times(&self) -> f64 {
        self.memory.as_ref().map_or(1.0, |memory| memory.took.times())
    }

    /// Nobody complained: it came for an inspection, before a purchase or a season.
    pub fn without_complaint(&self) -> bool {
        const NONE: &str = "no_complaint";
        let like =
            |told: &String| knowledge().circumstance(told).is_some_and(|known| known.id == NONE || known.like.as_deref() == Some(NONE));
        self.circumstances.iter().any(like)
    }

    /// Counts what was measured with the engine open as outcomes of the checks that nobody answered.
    pub fn count_figures(&mut self, at: Option<DateTime<Utc>>) {
        for (check, outcome) in self.strip_down.outcomes(self.engine.cylinders) {
            if self.evidence.iter().all(|entry| entry.check != check || entry.phase == Some(Phase::After)) {
                self.evidence.push(Evidence { at, ..Evidence::of(check, outcome) });
            }
        }
    }

    /// The answers that are weighed: of a check that was done before the repair more than once, the last.
    pub fn weighed_evidence(&self) -> impl Iterator<Item = &Evidence> {
        let told = || self.evidence.iter().enumerate().filter(|(_, entry)| entry.phase != Some(Phase::After));
        let overtaken = move |place: usize, entry: &Evidence| {
            told().any(|(other_place, other)| other.check == entry.check && (other.at, other_place) > (entry.at, place))
        };
        told().filter(move |(place, entry)| !overtaken(*place, entry)).map(|(_, entry)| entry)
    }
}

/// The limits as the circuit's calibration needs them.
pub fn spec_points(case: &Case) -> Vec<PointOfSpec> {
    case.spec.iter().flat_map(|sheet| &sheet.points).map(PointOfSpec::from).collect()
}

/// The oil temperature at which a case's engine is hot, °C.
pub fn hot_c(case: &Case) -> f64 {
    nominal::hot_c(&case.engine, &spec_points(case))
}
