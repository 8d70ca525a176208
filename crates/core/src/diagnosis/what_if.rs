//! What if: another oil, another temperature, the leading fault mended or one more added, the relief set higher; what the gauge would then show. Nothing here is measured.
//!
//! The engines that the readings leave of the leading explanation are changed and solved anew, so that what is not known of this engine stays in the answer as spread. A turned
//! adjuster or a heavier spring is told with what else it does: what filter and cooler get, and what it hides.
use super::Diagnosis;
use crate::case::Case;
use crate::circuit::Working;
use crate::diagnosis::{Curve, SPEEDS};
use crate::knowledge::knowledge;
use crate::limits::{self, Decision, Point};
use crate::oil::{self, OilError};
use crate::trace::{Flows, Left, Tracer};

/// What is otherwise; all of it at once.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Otherwise {
    /// Another grade in it.
    pub oil_grade: Option<String>,
    /// Oil at this temperature, °C; the sheet's where none is said.
    pub oil_temp_c: Option<f64>,
    /// The leading fault is mended.
    pub mended: bool,
    /// A fault more, by its cause, and how much, 0 to 1.
    pub added: Option<(usize, f64)>,
    /// The relief opens later by this, kPa; earlier below nothing.
    pub relief_kpa: Option<f64>,
}

impl Otherwise {
    /// Nothing is.
    pub fn is_nothing(&self) -> bool {
        *self == Self::default()
    }
}

/// A line of the sheet as it would be read.
#[derive(Debug, Clone, PartialEq)]
pub struct WouldBe {
    /// The line.
    pub point: Point,
    /// At which temperature it would be read, °C.
    pub oil_temp_c: f64,
    /// As things are, kPa: the band's middle.
    pub now_kpa: f64,
    /// As it would be: the band, kPa.
    pub then_kpa: [f64; 3],
    /// What that would say, at the sheet's own temperature alone.
    pub decision: Option<Decision>,
}

/// The answer.
#[derive(Debug, Clone, PartialEq)]
pub struct WhatIf {
    /// What the gauge would show over speed.
    pub curve: Curve,
    /// The sheet's lines.
    pub points: Vec<WouldBe>,
    /// How oil goes round cold and fast, where the relief works hardest: now and then, and at which point.
    pub hardest: Option<(Working, Flows, Flows)>,
    /// Hot idle now and then, kPa.
    pub hot_idle_kpa: (f64, f64),
}

/// The word in a curve's place of a cause.
pub const WHAT_IF: &str = "what_if";
/// A cold start, °C.
const COLD_START_C: f64 = 20.0;
/// Half of a band's width over its standard deviation, for the shares of [`crate::trace::BAND`].
const BAND_SDS: f64 = 1.2816;

/// Works it out.
///
/// # Errors
/// [`OilError`] for a grade that is not known.
pub fn what_if(case: &Case, tracer: &Tracer, now: &Diagnosis, otherwise: &Otherwise) -> Result<WhatIf, OilError> {
    let know = knowledge();
    let leader = now.posterior.leader().filter(|_| !now.findings.is_empty());
    let as_is = leader.and_then(|cause| tracer.left(cause, &now.pressures)).unwrap_or_else(|| tracer.healthy());
    let thinner = match &otherwise.oil_grade {
        Some(grade) => Some((oil::typical(&case.engine.oil_grade)?, oil::typical(grade)?)),
        None => None,
    };
    let changed = |temp: f64| -> Left<'_> {
        let mut left = if otherwise.mended { as_is.clone().mended() } else { as_is.clone() };
        if let Some((cause, much)) = otherwise.added.and_then(|(cause, much)| know.causes.get(cause).map(|cause| (cause, much))) {
            left = left.harmed(cause.fault, much);
        }
        let share = thinner.as_ref().map_or(1.0, |(from, to)| to.mu_pa_s(temp) / from.mu_pa_s(temp));
        let raised = 1e3 * otherwise.relief_kpa.unwrap_or(0.0);
        left.changed(|circuit| {
            circuit.oil = circuit.oil.scaled(share);
            circuit.relief.cracks_pa = (circuit.relief.cracks_pa + raised).max(1e4);
        })
    };
    let sheet: Vec<Point> = case.spec.iter().flat_map(|sheet| &sheet.points).copied().collect();
    let hot = crate::case::hot_c(case);
    let usual = sheet.iter().map(|point| point.oil_temp_c).fold(f64::NAN, f64::max);
    let temp = otherwise.oil_temp_c.unwrap_or(if usual.is_finite() { usual } else { hot });
    let curve = Curve::of((WHAT_IF, "What if"), &changed(temp).bands(&SPEEDS, temp), false);
    let one = |left: &Left, rpm: f64, temp: f64| left.bands(&[rpm], temp).first().copied().unwrap_or_default();
    let points = sheet.iter().map(|point| {
        let at = otherwise.oil_temp_c.unwrap_or(point.oil_temp_c);
        let then_kpa = one(&changed(at), point.rpm, at);
        let [low, middle, high] = then_kpa;
        let u_kpa = ((high - low) / (2.0 * BAND_SDS)).max(0.01 * middle);
        let at_the_sheets = (at - point.oil_temp_c).abs() < 1.0;
        WouldBe {
            point: *point,
            oil_temp_c: at,
            now_kpa: one(&as_is, point.rpm, at)[1],
            then_kpa,
            decision: at_the_sheets.then(|| limits::decide(middle, u_kpa, point.min_kpa, point.max_kpa).1),
        }
    });
    let hardest = Working { rpm: 0.5 * case.engine.rated_rpm(), oil_temp_c: COLD_START_C };
    let idle = case.engine.idle_rpm;
    Ok(WhatIf {
        curve,
        points: points.collect(),
        hardest: otherwise.relief_kpa.map(|_| (hardest, as_is.flows(hardest), changed(COLD_START_C).flows(hardest))),
        hot_idle_kpa: (one(&as_is, idle, hot)[1], one(&changed(hot), idle, hot)[1]),
    })
}
