//! The stop lines of an engine: what a held reading says about whether it may go on running.
//!
//! They belong to the engine, not to fixed numbers. Near idle (up to 1.25 of the idle speed, in gear or not) under a third of its idle minimum; no pressure
//! at any speed the engine makes by itself (above half of its idle, since no starter turns it so fast); at speed under four tenths of the minimum for that
//! speed; and less than half of what the same engine showed at less speed on the same gauge at like oil temperature. The minimum is the sheet's; between two
//! of its speeds on the line between them, above the last one the last; where the sheet says nothing, the trade's rule of thumb of 70 kPa for
//! each 1000 rpm. A needle under its first mark may stand at nothing, and is taken so.
//!
//! There is a line above as well: far over the pressure at which the relief opens, filter and cooler burst. Stop lines go by the value as it was read. Whether a
//! reading is *below its limit* goes by what the gauge can tell ([`crate::limits::decide`]), and *undecided* is a word of its own.
use crate::case::{Case, Reading, Shows};
use crate::circuit::nominal::RULE_OF_THUMB_KPA_PER_KRPM;
use crate::instrument::Sensitivity;
use crate::limits::{Decision, decide};
use crate::start_up::StartUp;
use crate::unit::Gear;

const BY_ITSELF: f64 = 0.5;
const IDLE_SHARE: f64 = 1.0 / 3.0;
const SPEED_SHARE: f64 = 0.4;
const STARVES_SHARE: f64 = 0.5;
/// At most this is no pressure at all: no workshop gauge tells it from nothing.
const NONE_KPA: f64 = 5.0;
/// Faster by this factor, and oil within this of the same temperature, for one reading to be held against another.
const FASTER: f64 = 1.1;
const LIKE_K: f64 = 15.0;
/// A sheet's line is a reading's own within this share of its speed and of this of its temperature.
const OWN_SHARE: f64 = 0.1;
const OWN_K: f64 = 20.0;
/// Oil at least this warm is held to a rule of thumb, which is for hot oil, °C.
const HOT_C: f64 = 75.0;

/// The upper stop line, as shares of the relief's opening pressure and of the largest maximum of the sheet. Cold oil lifts a good relief to about 1.3 times its
/// opening pressure. Where neither is known: under what a filter bursts at (about 1400 kPa and up), over what a good relief lets pass, kPa.
const OVER_RELIEF: f64 = 1.6;
const OVER_MOST: f64 = 1.5;
const OVER_KPA: f64 = 1000.0;
/// Hot pressure falls by about this share for each K, where a reading's own sensitivity is not worked out.
const SHARE_PER_K: f64 = 0.02;

/// What a reading says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) struct Says {
    pub none: bool,
    pub idle: bool,
    pub speed: bool,
    pub starves: bool,
    pub over: bool,
    /// Below its own limit, as surely as the gauge can tell.
    pub below_limit: bool,
    /// The gauge cannot tell whether it is below its own limit.
    pub undecided: bool,
    /// The engine turned by itself and the needle showed a value.
    pub measured: bool,
}

impl Says {
    pub fn stops(self) -> bool {
        self.none || self.idle || self.speed || self.starves || self.over
    }

    /// Clear of every stop line.
    pub fn clear(self) -> bool {
        self.measured && !self.stops()
    }

    /// Neither below its limit nor undecided.
    pub fn decided(self) -> bool {
        !self.below_limit && !self.undecided
    }

    /// The facts of the safety rules.
    pub fn facts(self) -> impl Iterator<Item = &'static str> {
        [
            (self.none, "reading:none"),
            (self.idle, "reading:idle"),
            (self.speed, "reading:speed"),
            (self.starves, "reading:starves"),
            (self.over, "reading:over"),
            (self.below_limit, "reading:below_limit"),
            (self.undecided, "reading:undecided"),
        ]
        .into_iter()
        .filter_map(|(holds, fact)| holds.then_some(fact))
    }
}

/// Holds a reading of a case to the lines.
pub(super) fn says(case: &Case, reading: &Reading) -> Says {
    let idle_rpm = case.engine.idle_rpm;
    if !runs(case, reading.rpm) {
        // Cranked, or standing: what it shows then is no held reading of a running engine.
        return Says::default();
    }
    // A lamp may be its switch's fault: it stops no engine by itself, and a knock beside it does.
    if reading.shows.is_some_and(Shows::is_of_a_lamp) {
        return Says::default();
    }
    let lines = StopLines::of(case, reading.gear);
    let below = lines.under_kpa(reading.rpm);
    let (low, pegged) = match reading.shown() {
        Shows::Value => (reading.kpa, false),
        Shows::UnderFirstMark | Shows::LampOn => (0.0, false),
        Shows::Pegged | Shows::LampOut => (reading.kpa, true),
    };
    let near_idle = case.engine.idles_at(reading.rpm);
    let against_limit = if pegged { Decision::Within } else { against_limit(case, reading, low) };
    let starves = case.readings.iter().any(|other| {
        let alike = other.instrument == reading.instrument && other.phase == reading.phase && other.shown() != Shows::UnderFirstMark;
        let near = (other.oil_temp_c - reading.oil_temp_c).abs() <= LIKE_K;
        alike && near && other.rpm > BY_ITSELF * idle_rpm && reading.rpm >= FASTER * other.rpm && low < STARVES_SHARE * other.kpa
    });
    Says {
        none: low <= NONE_KPA,
        idle: !pegged && near_idle && below.is_some_and(|line| low < line),
        speed: !pegged && !near_idle && below.is_some_and(|line| low < line),
        starves: !pegged && starves,
        over: reading.kpa >= lines.over_kpa(),
        below_limit: against_limit == Decision::Below,
        undecided: against_limit == Decision::Undecided,
        measured: reading.shown() != Shows::UnderFirstMark,
    }
}

/// What the gauge can tell of a reading and its own limit.
fn against_limit(case: &Case, reading: &Reading, kpa: f64) -> Decision {
    let least = own_least_kpa(case, reading);
    let sensitivity = Sensitivity { kpa_per_k: SHARE_PER_K * kpa, kpa_per_rpm: kpa / reading.rpm };
    let doubt = case.gauge(reading).doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, sensitivity);
    decide(kpa, doubt.total_kpa(), (least > 0.0).then_some(least), None).1
}

fn over_line_kpa(case: &Case) -> f64 {
    let most = case.spec.iter().flat_map(|sheet| &sheet.points).filter_map(|point| point.max_kpa).reduce(f64::max);
    let lines = [case.engine.relief_opens_kpa.map(|kpa| OVER_RELIEF * kpa), most.map(|kpa| OVER_MOST * kpa)];
    lines.into_iter().flatten().reduce(f64::max).unwrap_or(OVER_KPA)
}

/// True at a speed that the engine makes by itself: no starter turns it so fast.
fn runs(case: &Case, rpm: f64) -> bool {
    rpm > BY_ITSELF * case.engine.idle_rpm
}

/// The stop lines of an engine in a gear. The sheet is read and sorted once, for all rows of a recorded run.
pub struct StopLines<'a> {
    case: &'a Case,
    named: Vec<(f64, f64)>,
    over_kpa: f64,
    start_up: std::cell::OnceCell<StartUp>,
}

impl<'a> StopLines<'a> {
    /// The lines of a case's engine.
    pub fn of(case: &'a Case, gear: Gear) -> Self {
        Self { case, named: named(case, gear), over_kpa: over_line_kpa(case), start_up: std::cell::OnceCell::new() }
    }

    /// By speed the pressure under which a running engine must be shut off, kPa. None at a speed that a starter may make.
    pub fn under_kpa(&self, rpm: f64) -> Option<f64> {
        let share = if self.case.engine.idles_at(rpm) { IDLE_SHARE } else { SPEED_SHARE };
        runs(self.case, rpm).then(|| (share * least_kpa(self.case, &self.named, rpm)).max(NONE_KPA))
    }

    /// The seconds that a start of it may take.
    pub fn start_up(&self) -> &StartUp {
        self.start_up.get_or_init(|| StartUp::of(self.case))
    }

    /// The pressure from which a running engine must be shut off before filter or cooler burst, kPa.
    pub fn over_kpa(&self) -> f64 {
        self.over_kpa
    }
}

/// Speeds and least pressures the sheet names, by rising speed; of two at one speed that for this gear.
fn named(case: &Case, gear: Gear) -> Vec<(f64, f64)> {
    let mut named: Vec<(f64, f64, bool)> = case
        .spec
        .iter()
        .flat_map(|sheet| &sheet.points)
        .filter_map(|point| Some((point.rpm, point.min_kpa?, point.gear == gear)))
        .collect();
    named.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.2.cmp(&a.2)));
    named.dedup_by(|later, first| (later.0 - first.0).abs() < 1.0);
    named.into_iter().map(|(rpm, kpa, _)| (rpm, kpa)).collect()
}

/// The least pressure at a speed, kPa: of those that the sheet names, else the rule of thumb's.
fn least_kpa(case: &Case, named: &[(f64, f64)], rpm: f64) -> f64 {
    let idle_rpm = case.engine.idle_rpm;
    let thumb = RULE_OF_THUMB_KPA_PER_KRPM * rpm.max(idle_rpm.min(rpm / 0.7)) / 1000.0;
    if case.engine.idles_at(rpm) {
        let of_idle = named.iter().filter(|(at, _)| case.engine.idles_at(*at));
        return of_idle.min_by(|a, b| (a.0 - rpm).abs().total_cmp(&(b.0 - rpm).abs())).map_or(thumb, |(_, kpa)| *kpa);
    }
    let under = named.iter().rev().find(|(at, _)| *at <= rpm);
    let over = named.iter().find(|(at, _)| *at > rpm);
    match (under, over) {
        (Some((low_rpm, low)), Some((high_rpm, high))) => low + (high - low) * (rpm - low_rpm) / (high_rpm - low_rpm),
        // A sheet that names idle alone says nothing of speed.
        (Some((at, _)), None) if case.engine.idles_at(*at) => thumb,
        (Some((_, kpa)), None) => *kpa,
        (None, Some((at, kpa))) => thumb.min(kpa * rpm / at),
        (None, None) => thumb,
    }
}

/// The limit that is a reading's own: of the sheet's line at its speed and temperature, else the rule of thumb where there is no sheet; 0 where none is.
fn own_least_kpa(case: &Case, reading: &Reading) -> f64 {
    let Some(sheet) = &case.spec else {
        return if reading.oil_temp_c >= HOT_C { RULE_OF_THUMB_KPA_PER_KRPM * reading.rpm / 1000.0 } else { 0.0 };
    };
    let own = |share: f64, kelvin: f64| (share <= OWN_SHARE) && (kelvin <= OWN_K || reading.oil_temp_c < HOT_C);
    sheet
        .points
        .iter()
        .filter(|point| {
            point.gear == reading.gear && own((point.rpm / reading.rpm - 1.0).abs(), (point.oil_temp_c - reading.oil_temp_c).abs())
        })
        .filter_map(|point| point.min_kpa)
        .fold(0.0, f64::max)
}
