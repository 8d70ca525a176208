//! Each reading against the sheet, with its doubt, brought to the sheet's speed and temperature.
use crate::case::{Case, Phase, Reading, Shows};
use crate::circuit::Working;
use crate::circuit::nominal::RULE_OF_THUMB_KPA_PER_KRPM;
use crate::instrument::{Budget, CLASS, GRADUATION, MOVEMENT, Sensitivity, TEMPERATURE};
use crate::limits::{self, Decision, Point};
use crate::plausibility::NotBelieved;
use crate::trace::{Bearing, Local, Tracer};

/// What the readings are judged by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Basis {
    /// The maker's sheet.
    Sheet,
    /// 70 kPa for each 1000 rpm, hot: never a pass for a warranty.
    RuleOfThumb,
}

/// A reading judged.
#[derive(Debug, Clone, PartialEq)]
pub struct JudgedReading {
    /// Place among the case's readings.
    pub reading: usize,
    /// The limit it is judged by, if there is one at its speed, temperature and gear.
    pub point: Option<Point>,
    /// The pressure brought to that point, kPa; as read when there is none.
    pub measured_kpa: f64,
    /// True when speed or temperature differed and the model brought it over.
    pub brought: bool,
    /// The doubt, item by item.
    pub budget: Budget,
    /// Probability that the true value conforms.
    pub probability_conforms: f64,
    /// What it says.
    pub decision: Decision,
    /// No limit stands against it, and it is over what filters and coolers are built for, kPa: that ceiling.
    pub over_ceiling_kpa: Option<f64>,
}

impl JudgedReading {
    /// Combined standard uncertainty, kPa.
    pub fn u_kpa(&self) -> f64 {
        self.budget.total_kpa()
    }

    /// A full scale that would decide an undecided reading with a gauge of the same class, kPa; `None` when no gauge would.
    pub fn deciding_full_scale_kpa(&self, class_percent: f64) -> Option<f64> {
        let left = self.deciding_u_kpa()?.powi(2) - self.u_without_kpa(&[CLASS, GRADUATION]).powi(2);
        // Half of what is left for the class, half for the graduation that comes with it.
        (left > 0.0).then(|| (0.5 * left).sqrt() * 3f64.sqrt() * 100.0 / class_percent).filter(|scale| *scale > self.measured_kpa * 1.1)
    }

    /// What would decide it where it is undecided, the easiest first; empty when it lies on the limit, or is decided.
    pub fn deciders(&self, estimated: bool) -> Vec<Decider> {
        let Some(need) = self.deciding_u_kpa().filter(|_| self.decision == Decision::Undecided) else { return Vec::new() };
        let enough = |without: &[&str]| self.u_without_kpa(without) <= need;
        let mut found = Vec::new();
        if enough(&[MOVEMENT]) {
            found.push(Decider::SteadierHold);
        }
        if estimated && enough(&[TEMPERATURE]) {
            found.push(Decider::Probe);
        }
        if self.brought && enough(&[BROUGHT]) {
            found.push(Decider::SheetsTemperature);
        }
        found.extend(self.deciding_full_scale_kpa(1.0).map(|full_scale_kpa| Decider::NarrowerGauge { full_scale_kpa }));
        if found.is_empty() && enough(&[MOVEMENT, TEMPERATURE, BROUGHT, CLASS, GRADUATION]) {
            found.push(Decider::AllOfIt);
        }
        found
    }

    fn deciding_u_kpa(&self) -> Option<f64> {
        let point = self.point?;
        limits::deciding_u_kpa(self.measured_kpa, point.min_kpa, point.max_kpa)
    }

    fn u_without_kpa(&self, items: &[&str]) -> f64 {
        self.budget.items.iter().filter(|item| !items.contains(&item.from)).map(|item| item.u_kpa.powi(2)).sum::<f64>().sqrt()
    }
}

/// What would decide an undecided reading.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Decider {
    /// The needle held still.
    SteadierHold,
    /// A probe in the oil in place of an estimate.
    Probe,
    /// Reading at the sheet's own temperature and speed.
    SheetsTemperature,
    /// A class 1.0 gauge of this full scale or less.
    NarrowerGauge {
        /// Full scale, kPa.
        full_scale_kpa: f64,
    },
    /// Only all of it together.
    AllOfIt,
}

const BROUGHT: &str = "brought to the sheet's point";

/// A line of the sheet with the reading that speaks for it.
#[derive(Debug, Clone, PartialEq)]
pub struct JudgedPoint {
    /// The line.
    pub point: Point,
    /// The last reading at it.
    pub reading: Option<JudgedReading>,
}

impl JudgedPoint {
    /// What was found at it.
    pub fn decision(&self) -> Decision {
        self.reading.as_ref().map_or(Decision::NotMeasured, |judged| judged.decision)
    }
}

/// The verdict over a phase.
#[derive(Debug, Clone, PartialEq)]
pub struct Verdict {
    /// What it was judged by.
    pub basis: Basis,
    /// The sheet as a whole.
    pub overall: Decision,
    /// Line by line.
    pub points: Vec<JudgedPoint>,
}

impl Verdict {
    /// Lines not yet read.
    pub fn missing(&self) -> impl Iterator<Item = &Point> {
        self.points.iter().filter(|p| p.reading.is_none()).map(|p| &p.point)
    }
}

/// A reading counts for a line within this of its speed (the larger of both) …
const NEAR_RPM: f64 = 60.0;
const NEAR_SHARE: f64 = 0.08;
/// … and this of its temperature; further off, thinning alone no longer brings it over.
const NEAR_K: f64 = 20.0;
/// Oil at least this warm counts as hot for the rule of thumb, °C.
const HOT_ENOUGH_C: f64 = 75.0;

/// What filters, coolers and seals of ordinary engines are built for, kPa, and how far over a stated relief pressure a sound engine may be: hot at idle, hot at
/// speed, and cold. By rule of thumb: element and housing burst from about 1500 kPa on, and no engine needs half of that hot.
const CEILING: [(f64, f64); 3] = [(500.0, 1.1), (700.0, 1.5), (1000.0, 2.0)];

/// The most that any engine may show at a reading where its sheet names no maximum, kPa.
fn ceiling_kpa(case: &Case, reading: &Reading) -> f64 {
    let [idle, speed, cold] = CEILING;
    let (most, over_relief) = match reading.oil_temp_c >= HOT_ENOUGH_C {
        true if case.engine.idles_at(reading.rpm) => idle,
        true => speed,
        false => cold,
    };
    most.max(over_relief * case.engine.relief_opens_kpa.unwrap_or(0.0))
}

fn nearest(case: &Case, reading: &Reading) -> Option<Point> {
    let Some(sheet) = &case.spec else {
        return (reading.oil_temp_c >= HOT_ENOUGH_C && reading.rpm > 0.0).then(|| Point {
            rpm: reading.rpm,
            oil_temp_c: reading.oil_temp_c,
            gear: reading.gear,
            min_kpa: Some(RULE_OF_THUMB_KPA_PER_KRPM * reading.rpm / 1000.0),
            max_kpa: None,
        });
    };
    sheet
        .points
        .iter()
        .filter(|p| p.gear == reading.gear)
        .filter(|p| (p.rpm - reading.rpm).abs() <= NEAR_RPM.max(NEAR_SHARE * p.rpm))
        .filter(|p| (p.oil_temp_c - reading.oil_temp_c).abs() <= NEAR_K)
        .min_by(|a, b| (a.rpm - reading.rpm).abs().total_cmp(&(b.rpm - reading.rpm).abs()))
        .copied()
}

/// Judges one reading.
pub fn judge(case: &Case, index: usize, reading: &Reading, tracer: &Tracer) -> JudgedReading {
    let gauge = case.gauge(reading);
    // The vehicle's own word is held to no limit: the sheet asks for a gauge.
    let point = nearest(case, reading).filter(|_| !gauge.is_vehicles_own());
    let at = Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c };
    let to = point.map_or(at, |p| Working { rpm: p.rpm, oil_temp_c: p.oil_temp_c });
    let gauge_only = gauge.doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, Sensitivity::default());
    let Local { kpa_per_k, kpa_per_rpm, ratio, ratio_sd } = tracer.local(&Bearing::at(at, reading.kpa, gauge_only.total_kpa()), to);
    let mut budget = gauge.doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, Sensitivity { kpa_per_k, kpa_per_rpm });
    let brought = to != at;
    if brought {
        for item in &mut budget.items {
            item.u_kpa *= ratio;
        }
        budget.add(BROUGHT, reading.kpa * ratio_sd);
    }
    let measured_kpa = reading.kpa * ratio;
    let ceiling_kpa = ceiling_kpa(case, reading);
    let judged_by = point.map(|point| Point { max_kpa: Some(point.max_kpa.unwrap_or(ceiling_kpa)), ..point });
    let (probability_conforms, decision) =
        judged_by.map_or((0.5, Decision::NotMeasured), |p| decided(reading.shown(), measured_kpa, budget.total_kpa(), &p));
    let over_ceiling = decision == Decision::Above && point.is_some_and(|point| point.max_kpa.is_none());
    JudgedReading {
        reading: index,
        point,
        measured_kpa,
        brought,
        budget,
        probability_conforms,
        decision,
        over_ceiling_kpa: over_ceiling.then_some(ceiling_kpa),
    }
}

/// What a needle says of a limit: by its value, or by the side of its mark.
fn decided(shows: Shows, kpa: f64, u_kpa: f64, point: &Point) -> (f64, Decision) {
    // The mark is surely on the limit's side when it is there within its doubt.
    let under = |limit: Option<f64>| limit.is_some_and(|limit| kpa <= limit + u_kpa);
    let over = |limit: Option<f64>| limit.is_some_and(|limit| kpa >= limit - u_kpa);
    match shows {
        Shows::Value => limits::decide(kpa, u_kpa, point.min_kpa, point.max_kpa),
        Shows::UnderFirstMark if under(point.min_kpa) => (0.02, Decision::Below),
        Shows::UnderFirstMark if point.min_kpa.is_none() && under(point.max_kpa) => (0.98, Decision::Within),
        Shows::Pegged if over(point.max_kpa) => (0.02, Decision::Above),
        Shows::Pegged if point.max_kpa.is_none() && over(point.min_kpa) => (0.98, Decision::Within),
        Shows::UnderFirstMark | Shows::Pegged | Shows::LampOn | Shows::LampOut => (0.5, Decision::Undecided),
    }
}

/// Which readings are weighed: level, believed, and not set apart by a person.
pub(super) fn weighable<'a>(case: &'a Case, not_believed: &'a [NotBelieved]) -> impl Fn(usize) -> bool + Copy + 'a {
    move |index: usize| {
        let person = case.readings.get(index).is_some_and(|reading| reading.set_aside.is_none() && reading.is_level());
        person && not_believed.iter().all(|told| told.reading != index)
    }
}

/// What the believed readings before say to a sheet, whichever the case is judged by.
pub fn by_sheet(case: &Case, sheet: Option<&limits::Sheet>, tracer: &Tracer) -> Decision {
    let case = Case { spec: sheet.cloned(), ..case.clone() };
    let unbelieved = crate::plausibility::not_believed(&case);
    let judged: Vec<JudgedReading> =
        case.readings.iter().enumerate().map(|(place, reading)| judge(&case, place, reading, tracer)).collect();
    verdict(&case, Phase::Before, &judged, weighable(&case, &unbelieved)).overall
}

/// The verdict over the readings of a phase that are weighed, each already judged.
pub(super) fn verdict(case: &Case, phase: Phase, judged: &[JudgedReading], weighed: impl Fn(usize) -> bool) -> Verdict {
    let of_phase: Vec<&JudgedReading> =
        judged.iter().filter(|j| weighed(j.reading) && case.readings.get(j.reading).is_some_and(|r| r.phase == phase)).collect();
    let (basis, points): (_, Vec<JudgedPoint>) = match &case.spec {
        Some(sheet) => (
            Basis::Sheet,
            sheet
                .points
                .iter()
                .map(|point| JudgedPoint {
                    point: *point,
                    reading: of_phase.iter().rev().find(|j| j.point == Some(*point)).map(|j| (*j).clone()),
                })
                .collect(),
        ),
        None => (
            Basis::RuleOfThumb,
            of_phase.iter().filter_map(|j| j.point.map(|point| JudgedPoint { point, reading: Some((*j).clone()) })).collect(),
        ),
    };
    Verdict { basis, overall: limits::overall(points.iter().map(JudgedPoint::decision)), points }
}
