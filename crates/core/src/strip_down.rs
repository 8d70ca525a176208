//! Figures taken with the engine open, and what each says as the outcome of a check.
//!
//! Rules: a journal is *bad* when it is scored or blue, or wider than the sheet allows; where the sheet's limit is not known, wider than [`WIDE_RATIO`] times a new one's
//! clearance, which leaks four times as much. A screen counts as clear above 0.7 of its light and as blocked under 0.2, where most pumps begin to starve inside the speeds
//! an engine is driven at (the circuit's suction side). A spring is weak or heavy beyond nine hundredths of the sheet's force: with the same wire, three
//! hundredths of its length where it is fitted at two thirds of it. A check that somebody answered by hand stands over what a figure says.
use crate::choice::choice;
use crate::field::{self, Field, FieldError};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Without a limit of the sheet a journal of so many times a new one's clearance is wide.
const WIDE_RATIO: f64 = 1.6;
/// Open shares over which a screen is clear, and under which it is blocked.
const CLEAR: f64 = 0.7;
const BLOCKED: f64 = 0.2;
/// A spring is off beyond this share of the sheet's force.
const SPRING_OFF: f64 = 0.09;
/// A spring is mostly fitted at this share of its length.
const USUALLY_FITTED: f64 = 2.0 / 3.0;
/// Journals that must be noted before their map as a whole says something, as a share of all.
const MAPPED: f64 = 0.65;

choice! {
    /// A kind of journal.
    JournalKind {
        /// Carries the crank in the block.
        Main = "main": "main",
        /// Carries a rod.
        Rod = "rod": "rod",
    }
}
choice! {
    /// How a journal looks.
    Condition {
        /// As it should.
        Good = "good": "good",
        /// The overlay is worn through, grey and matt.
        Grey = "grey": "grey",
        /// Grooves that a nail feels.
        Scored = "scored": "scored",
        /// Coloured by heat.
        Blue = "blue": "blue from heat",
    }
}

/// What the sheet says of the crank's bearings, and how many carry it.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CrankSaid {
    /// Main bearings, 2 to 12; one more than cylinders for six and fewer, else one more than half of them, where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mains: Option<u32>,
    /// Clearance of a new one, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub new_mm: Option<f64>,
    /// Most the sheet allows, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub limit_mm: Option<f64>,
}

/// One journal as it was found.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct JournalSaid {
    /// Kind.
    pub kind: JournalKind,
    /// Number from the front, from 1.
    pub number: u32,
    /// How it looks.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub condition: Option<Condition>,
    /// Clearance from the plastic clearance strip, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clearance_mm: Option<f64>,
    /// At the other end of the print, mm, where it was read there too.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub other_end_mm: Option<f64>,
}

/// The pickup's screen against a lamp.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ScreenMeasured {
    /// Share of it that lets light through, 0.005 to 1.
    pub open_share: f64,
}

/// The relief's spring.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Spring {
    /// Length as it lies on the bench, mm.
    pub free_mm: f64,
    /// The sheet's free length, mm.
    pub sheet_mm: f64,
    /// Length fitted, valve shut, mm, where it was measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fitted_mm: Option<f64>,
    /// Thickness of its wire, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wire_mm: Option<f64>,
    /// The sheet's, or that of the spring it is compared with, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet_wire_mm: Option<f64>,
    /// Coils that move.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub coils: Option<f64>,
    /// The sheet's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet_coils: Option<f64>,
    /// Load at the length that the sheet names, N.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub load_n: Option<f64>,
    /// The sheet's load there, N.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sheet_load_n: Option<f64>,
}

/// The pump's clearances against the sheet's limits.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PumpMeasured {
    /// Tip clearance, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tip_mm: Option<f64>,
    /// Most the sheet allows, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tip_limit_mm: Option<f64>,
    /// End float, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub end_float_mm: Option<f64>,
    /// Most the sheet allows, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub end_float_limit_mm: Option<f64>,
}

/// What was measured with the engine open.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct StripDown {
    /// What the sheet says of the crank.
    #[serde(default)]
    pub crank: CrankSaid,
    /// Journals that were looked at or measured.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub journals: Vec<JournalSaid>,
    /// Screen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub screen: Option<ScreenMeasured>,
    /// Relief spring.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spring: Option<Spring>,
    /// Pump.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pump: Option<PumpMeasured>,
}

/// Why a figure was not taken.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum StripDownError {
    /// A number out of its range; the key names it.
    #[error("{1}")]
    Field(&'static str, FieldError),
    /// Numbers that are each in range and do not go together.
    #[error("{1}")]
    Together(&'static str, String),
}

impl StripDownError {
    /// The key of the figure that it is about.
    pub fn key(&self) -> &'static str {
        let (Self::Field(key, _) | Self::Together(key, _)) = self;
        key
    }
}

fn hold(key: &'static str, field: &Field, value: Option<f64>) -> Result<(), StripDownError> {
    value.map_or(Ok(()), |value| field.hold(value).map(drop).map_err(|error| StripDownError::Field(key, error)))
}

impl CrankSaid {
    /// Holds it to its ranges.
    ///
    /// # Errors
    /// [`StripDownError`] out of range, and for a limit under the clearance of a new one.
    pub fn held(self) -> Result<Self, StripDownError> {
        hold("mains", &field::MAINS, self.mains.map(f64::from))?;
        hold("new_mm", &field::CLEARANCE, self.new_mm)?;
        hold("limit_mm", &field::CLEARANCE, self.limit_mm)?;
        match self.new_mm.zip(self.limit_mm) {
            Some((new, limit)) if limit < new => Err(StripDownError::Together(
                "limit_mm",
                format!("A limit of {limit} mm is under a new bearing's {new} mm: the sheet has the two the other way round."),
            )),
            _ => Ok(self),
        }
    }

    /// How many mains carry a crank of so many cylinders.
    pub fn mains_of(self, cylinders: u32) -> u32 {
        let usual = if cylinders <= 6 { cylinders + 1 } else { cylinders / 2 + 1 };
        self.mains.unwrap_or(usual.max(2))
    }
}

impl JournalSaid {
    /// One of which nothing is said yet.
    pub fn of(kind: JournalKind, number: u32) -> Self {
        Self { kind, number, condition: None, clearance_mm: None, other_end_mm: None }
    }

    /// Holds its clearances to their range.
    ///
    /// # Errors
    /// [`StripDownError`] out of range, and for the other end of a print whose first end was not read.
    pub fn held(self) -> Result<Self, StripDownError> {
        hold("clearance_mm", &field::CLEARANCE, self.clearance_mm)?;
        hold("other_end_mm", &field::CLEARANCE, self.other_end_mm)?;
        if self.other_end_mm.is_some() && self.clearance_mm.is_none() {
            return Err(StripDownError::Together("clearance_mm", "One end of the print is read and the other not: type both.".to_owned()));
        }
        Ok(self)
    }

    /// The same journal.
    pub fn is(&self, kind: JournalKind, number: u32) -> bool {
        self.kind == kind && self.number == number
    }

    /// The clearance that leaks as much as the print from end to end, mm: a taper leaks as the mean of its cubes.
    pub fn leaks_as_mm(&self) -> Option<f64> {
        let a = self.clearance_mm?;
        let b = self.other_end_mm.unwrap_or(a);
        Some((0.25 * (a * a * a + a * a * b + a * b * b + b * b * b)).cbrt())
    }

    /// The wider end, mm.
    pub fn widest_mm(&self) -> Option<f64> {
        self.clearance_mm.map(|a| a.max(self.other_end_mm.unwrap_or(a)))
    }

    /// It has to be renewed.
    pub fn is_bad(&self, crank: CrankSaid) -> bool {
        self.is_damaged() || self.is_wide(crank)
    }

    /// Scored, or blue.
    pub fn is_damaged(&self) -> bool {
        matches!(self.condition, Some(Condition::Scored | Condition::Blue))
    }

    /// Wider than the sheet allows.
    pub fn is_wide(&self, crank: CrankSaid) -> bool {
        let limit = crank.limit_mm.or(crank.new_mm.map(|new| WIDE_RATIO * new));
        self.widest_mm().zip(limit).is_some_and(|(widest, limit)| widest > limit)
    }
}

impl ScreenMeasured {
    /// Holds it to its range.
    ///
    /// # Errors
    /// [`StripDownError`] out of range.
    pub fn held(self) -> Result<Self, StripDownError> {
        hold("open_share", &field::OPEN_SHARE, Some(self.open_share)).map(|()| self)
    }
}

impl Spring {
    /// Holds its lengths to their range.
    ///
    /// # Errors
    /// [`StripDownError`] out of range, and for a spring that would be longer fitted than free.
    pub fn held(self) -> Result<Self, StripDownError> {
        hold("free_mm", &field::SPRING_LENGTH, Some(self.free_mm))?;
        hold("sheet_mm", &field::SPRING_LENGTH, Some(self.sheet_mm))?;
        hold("fitted_mm", &field::SPRING_LENGTH, self.fitted_mm)?;
        hold("wire_mm", &field::SPRING_WIRE, self.wire_mm)?;
        hold("sheet_wire_mm", &field::SPRING_WIRE, self.sheet_wire_mm)?;
        hold("coils", &field::SPRING_COILS, self.coils)?;
        hold("sheet_coils", &field::SPRING_COILS, self.sheet_coils)?;
        hold("load_n", &field::SPRING_LOAD, self.load_n)?;
        hold("sheet_load_n", &field::SPRING_LOAD, self.sheet_load_n)?;
        let pairs = [
            ("sheet_wire_mm", self.wire_mm, self.sheet_wire_mm),
            ("sheet_coils", self.coils, self.sheet_coils),
            ("sheet_load_n", self.load_n, self.sheet_load_n),
        ];
        if let Some((key, ..)) = pairs.iter().find(|(_, own, sheet)| own.is_some() != sheet.is_some()) {
            return Err(StripDownError::Together(
                key,
                "Only one of the two is typed. Enter the spring's figure and the sheet's.".to_owned(),
            ));
        }
        match self.fitted_mm {
            Some(fitted) if fitted >= self.free_mm.min(self.sheet_mm) => Err(StripDownError::Together(
                "fitted_mm",
                format!("Fitted it cannot be {fitted} mm, longer than it lies free: the fitted length is the shorter one."),
            )),
            _ => Ok(self),
        }
    }
}

impl Spring {
    /// How many times the sheet's force it has: by its load where that was measured, else as the length it is pressed by (Hooke), the fourth power of its wire and the
    /// inverse of its coils (EN 13906-1). Where its fitted length was not measured, a spring fitted at two thirds of its length is assumed.
    pub fn force_ratio(&self) -> f64 {
        if let Some((load, sheet)) = self.load_n.zip(self.sheet_load_n) {
            return load / sheet;
        }
        let fitted = self.fitted_mm.unwrap_or(USUALLY_FITTED * self.sheet_mm);
        let pressed = (self.free_mm - fitted).max(0.0) / (self.sheet_mm - fitted);
        let wire = self.wire_mm.zip(self.sheet_wire_mm).map_or(1.0, |(wire, sheet)| (wire / sheet).powi(4));
        let coils = self.coils.zip(self.sheet_coils).map_or(1.0, |(coils, sheet)| sheet / coils);
        pressed * wire * coils
    }
}

/// Pressure at which the valve opens with this spring, kPa, where the card says what it opens at with the sheet's.
pub fn spring_opens_kpa(spring: &Spring, sheet_kpa: f64) -> Option<f64> {
    spring.fitted_mm.or(spring.load_n)?;
    Some(sheet_kpa * spring.force_ratio())
}

impl PumpMeasured {
    /// Holds its figures to their range.
    ///
    /// # Errors
    /// [`StripDownError`] out of range, and where nothing is said.
    pub fn held(self) -> Result<Self, StripDownError> {
        let figures = [
            ("tip_mm", self.tip_mm),
            ("tip_limit_mm", self.tip_limit_mm),
            ("end_float_mm", self.end_float_mm),
            ("end_float_limit_mm", self.end_float_limit_mm),
        ];
        for (key, value) in figures {
            hold(key, &field::PUMP_CLEARANCE, value)?;
        }
        if self.tip_mm.or(self.end_float_mm).is_none() {
            return Err(StripDownError::Together("tip_mm", "Neither tip clearance nor end float is read: type one of the two.".to_owned()));
        }
        Ok(self)
    }

    /// Over a limit; none where no figure has one.
    pub fn is_worn(&self) -> Option<bool> {
        let over = |value: Option<f64>, limit: Option<f64>| value.zip(limit).map(|(value, limit)| value > limit);
        match (over(self.tip_mm, self.tip_limit_mm), over(self.end_float_mm, self.end_float_limit_mm)) {
            (None, None) => None,
            (tip, float) => Some(tip.unwrap_or(false) || float.unwrap_or(false)),
        }
    }
}

impl StripDown {
    /// Nothing was measured.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// What the figures say, as outcomes of checks.
    ///
    /// ```
    /// # use velvet_dial_core::strip_down::{ScreenMeasured, StripDown};
    /// let seen = StripDown { screen: Some(ScreenMeasured { open_share: 0.1 }), ..StripDown::default() };
    /// assert_eq!(seen.outcomes(4), [("screen_light", "blocked")]);
    /// ```
    pub fn outcomes(&self, cylinders: u32) -> Vec<(&'static str, &'static str)> {
        let mut told = Vec::new();
        told.extend(self.screen.map(|screen| {
            let light = match screen.open_share {
                share if share >= CLEAR => "clear",
                share if share >= BLOCKED => "part",
                _ => "blocked",
            };
            ("screen_light", light)
        }));
        told.extend(self.spring.and_then(|spring| match spring.force_ratio() - 1.0 {
            off if off < -SPRING_OFF => Some(("relief_plunger", "short_spring")),
            off if off > SPRING_OFF => Some(("relief_plunger", "long_spring")),
            _ => None,
        }));
        let worn = self.pump.and_then(|pump| pump.is_worn());
        told.extend(worn.map(|worn| ("pump_clearance", if worn { "worn" } else { "in_limits" })));
        told.extend(self.strip().map(|outcome| ("strip_gauge", outcome)));
        told.extend(self.map(cylinders).map(|outcome| ("journal_map", outcome)));
        told
    }

    fn strip(&self) -> Option<&'static str> {
        let judged = self.crank.limit_mm.or(self.crank.new_mm).is_some();
        let measured = judged && self.journals.iter().any(|journal| journal.clearance_mm.is_some());
        match () {
            () if self.journals.iter().any(JournalSaid::is_damaged) => Some("damaged"),
            () if self.journals.iter().any(|journal| journal.is_wide(self.crank)) => Some("wide"),
            () => measured.then_some("in_limits"),
        }
    }

    /// The map as a whole, once most of it is noted.
    fn map(&self, cylinders: u32) -> Option<&'static str> {
        let places = places(cylinders, self.crank);
        let bad: Vec<bool> = places
            .iter()
            .filter_map(|place| self.journals.iter().find(|said| said.is(place.kind, place.number)))
            .map(|said| said.is_bad(self.crank))
            .collect();
        if (bad.len() as f64) < MAPPED * places.len() as f64 {
            return None;
        }
        let far = bad.len().div_ceil(2);
        Some(match bad.iter().filter(|bad| **bad).count() {
            0 => "even",
            1 => "one_bad",
            _ if bad.iter().take(far).all(|bad| !bad) => "far_end_bad",
            _ => "several_bad",
        })
    }
}

/// A journal's place on the crank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Places {
    /// Kind.
    pub kind: JournalKind,
    /// Number from the front.
    pub number: u32,
}

/// The journals in the order the oil reaches them: each main, then the rods that it feeds.
pub fn places(cylinders: u32, crank: CrankSaid) -> Vec<Places> {
    let mains = crank.mains_of(cylinders);
    let rods_behind = |main: u32| {
        // Rods are shared out among the mains but the last, as evenly as they go.
        let bays = mains.saturating_sub(1).max(1);
        let before = |main: u32| (cylinders * main).div_ceil(bays).min(cylinders);
        if main < mains { before(main - 1)..before(main) } else { cylinders..cylinders }
    };
    let main = |number: u32| {
        let rods = rods_behind(number).map(|rod| Places { kind: JournalKind::Rod, number: rod + 1 });
        std::iter::once(Places { kind: JournalKind::Main, number }).chain(rods)
    };
    (1..=mains).flat_map(main).collect()
}
