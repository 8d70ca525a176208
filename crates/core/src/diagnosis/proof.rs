//! What the readings after the repair prove: the very points that failed, on the same gauge and hold, and the condition of the complaint.
//!
//! Points count as the same within 5 % of speed and 5 K: by a rule of thumb each reading has a point of its own. A sender or a wire is proven by dash or lamp against the
//! gauge, since the pressure was never wrong.
//!
//! *Proven* is said when every point of a sheet was read again within its limit and nothing of what was there before is missing; *in part* names what is missing; *not proven* is a point that is
//! still outside, or no reading at all; *worse* is a point that stands further outside than it came, beyond both readings' doubt. A lamp that goes out and a road test without a gauge are no readings.
use super::condition::not_read_again;
use super::{Basis, Diagnosis, JudgedPoint, Verdict};
use crate::case::{Act, Case, Deed, Phase, Reading};
use crate::knowledge::{Cause, knowledge};
use crate::limits::{Decision, Point};
use serde::{Deserialize, Serialize};

/// How far it is proven.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ProofWord {
    /// Every point read again and within, as it was read before.
    Proven,
    /// Within where it was read, and something is missing.
    InPart,
    /// A point is still outside, or nothing was read.
    NotProven,
    /// A point stands further outside than it came.
    Worse,
}

impl ProofWord {
    /// On a screen and on paper.
    pub fn label(self) -> &'static str {
        match self {
            Self::Proven => "proven",
            Self::InPart => "proven in part",
            Self::NotProven => "not proven",
            Self::Worse => "worse than it came",
        }
    }
}

/// What is proven, and what is missing or wrong, a sentence each. Pressures do not stand in it; speeds do.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Proof {
    /// How far.
    pub word: ProofWord,
    /// Sentences; none where it is proven.
    pub says: Vec<String>,
}

/// Both readings count with two standard uncertainties.
const DOUBT: f64 = 2.0;
/// A reading after is of the point of one before within this share of its speed, and this of its oil temperature.
const NEAR_SHARE: f64 = 0.05;
const NEAR_K: f64 = 5.0;
/// The findings after the repair that prove sender or wiring put right.
const AGREES: [(&str, &str); 2] = [("module_compare", "agrees"), ("lamp_switch", "in_range")];
/// A hold after may be so much shorter than before, as a share.
const SHORTER: f64 = 0.5;

/// What is proven; none while nothing was put right and nothing read after.
pub fn proof(case: &Case, now: &Diagnosis) -> Option<Proof> {
    let repaired = case.acts.iter().any(|act| act.act == Deed::Repair);
    let after = || case.readings.iter().enumerate().filter(|(_, reading)| reading.phase == Phase::After && reading.set_aside.is_none());
    if !repaired && after().next().is_none() {
        return None;
    }
    if indication_only(case) {
        let agrees = case.evidence.iter().any(|entry| {
            entry.phase == Some(Phase::After) && AGREES.iter().any(|(check, outcome)| entry.check == *check && entry.saw(outcome))
        });
        let says =
            vec!["Dash or lamp was not compared with the gauge after the repair: that is what proves a sender or a wire.".to_owned()];
        return Some(if agrees { Proof { word: ProofWord::Proven, says: Vec::new() } } else { Proof { word: ProofWord::InPart, says } });
    }
    if after().next().is_none() {
        let says = vec![
            "Nothing was read after the repair. A lamp that goes out proves nothing, a road test without a gauge is half a proof."
                .to_owned(),
        ];
        return Some(Proof { word: ProofWord::NotProven, says });
    }
    let name = |point: &Point| {
        if case.engine.idles_at(point.rpm) { "Idle".to_owned() } else { format!("{:.0} rpm", point.rpm) }
    };
    let pairs = || now.proof.points.iter().map(|then| (judged_at(&now.verdict, then.point), then));
    let outside = |decision: Decision| matches!(decision, Decision::Below | Decision::Above);
    let worse: Vec<String> = pairs()
        .filter(|(before, then)| is_worse(*before, then))
        .map(|(_, then)| format!("{} is further outside its limit than before.", name(&then.point)))
        .collect();
    if !worse.is_empty() {
        return Some(Proof { word: ProofWord::Worse, says: worse });
    }
    let still: Vec<String> = now
        .proof
        .points
        .iter()
        .filter(|then| outside(then.decision()))
        .map(|then| format!("{} is still {} its limit.", name(&then.point), then.decision().word()))
        .collect();
    if !still.is_empty() {
        return Some(Proof { word: ProofWord::NotProven, says: still });
    }
    let mut missing = Vec::new();
    if now.proof.basis == Basis::RuleOfThumb {
        missing.push("There is no sheet: a rule of thumb is no pass for a warranty.".to_owned());
    }
    // By the rule of thumb a side has lines only where it was read.
    let unread = now
        .verdict
        .points
        .iter()
        .filter(|before| before.reading.is_some() && judged_at(&now.proof, before.point).is_none_or(|then| then.reading.is_none()));
    missing.extend(unread.map(|before| format!("{} was read before and not after.", name(&before.point))));
    for (before, then) in pairs() {
        let Some(judged) = &then.reading else {
            if before.is_none_or(|before| before.reading.is_none()) {
                missing.push(format!("{} is on the sheet and was not read.", name(&then.point)));
            }
            continue;
        };
        if then.decision() == Decision::Undecided {
            missing.push(format!("{} is so near its limit that the gauge cannot decide.", name(&then.point)));
        }
        let was = before.and_then(|before| before.reading.as_ref()).and_then(|judged| case.readings.get(judged.reading));
        if let (Some(was), Some(is)) = (was, case.readings.get(judged.reading)) {
            missing.extend(otherwise(case, was, is).map(|what| format!("{} {what}.", name(&then.point))));
        }
    }
    if case.acts.iter().any(|act| act.act == Deed::Repair && act.stopgap) {
        missing.push("A stopgap keeps the pressure up. The fault itself is still there.".to_owned());
    }
    let label = |id: &str| knowledge().circumstance(id).map_or(id.to_owned(), |told| told.label.to_lowercase());
    missing
        .extend(not_read_again(case).map(|told| format!("The condition of the complaint was not read after the repair: {}.", label(told))));
    let word = if missing.is_empty() { ProofWord::Proven } else { ProofWord::InPart };
    Some(Proof { word, says: missing })
}

fn judged_at(side: &Verdict, point: Point) -> Option<&JudgedPoint> {
    let exact = side.points.iter().find(|judged| judged.point == point);
    let near = |judged: &&JudgedPoint| {
        (judged.point.rpm / point.rpm.max(1.0) - 1.0).abs() <= NEAR_SHARE
            && (judged.point.oil_temp_c - point.oil_temp_c).abs() <= NEAR_K
            && judged.point.gear == point.gear
    };
    exact.or_else(|| side.points.iter().find(near).filter(|_| side.basis == Basis::RuleOfThumb))
}

/// Further outside than it came, beyond both doubts.
fn is_worse(before: Option<&JudgedPoint>, then: &JudgedPoint) -> bool {
    let Some((was, is)) = before.and_then(|before| before.reading.as_ref()).zip(then.reading.as_ref()) else { return false };
    let doubt = DOUBT * was.u_kpa().hypot(is.u_kpa());
    match is.decision {
        Decision::Below => is.measured_kpa < was.measured_kpa - doubt,
        Decision::Above => is.measured_kpa > was.measured_kpa + doubt,
        _ => false,
    }
}

/// Only sender, wiring or dash were put right, and the readings before had nothing to do with it.
fn indication_only(case: &Case) -> bool {
    let know = knowledge();
    let known = |act: &Act| know.causes.get(know.cause(act.cause.as_deref()?)?);
    let mut repairs = case.acts.iter().filter(|act| act.act == Deed::Repair).map(known).peekable();
    repairs.peek().is_some() && repairs.all(|cause| cause.is_some_and(Cause::is_the_displays))
}

/// What was otherwise at the same point. A finer gauge than before is welcome.
fn otherwise(case: &Case, was: &Reading, is: &Reading) -> impl Iterator<Item = &'static str> {
    let coarser = case.gauge(is).own_u_kpa() > case.gauge(was).own_u_kpa();
    let shorter = was.hold_s.zip(is.hold_s).is_some_and(|(was, is)| is < SHORTER * was);
    let told = [
        (was.instrument != is.instrument && coarser, "was read with a coarser gauge than before"),
        (
            was.slope.unwrap_or(crate::case::Slope::Level) != is.slope.unwrap_or(crate::case::Slope::Level),
            "was read on another slope than before",
        ),
        (shorter, "was held for less than half as long as before"),
    ];
    told.into_iter().filter(|(differs, _)| *differs).map(|(_, what)| what)
}
