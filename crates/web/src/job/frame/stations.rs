//! The oil line: the stages as stations, each with its state and its outcome in a few words.
use crate::job::assess::Assessed;
use crate::job::bench;
use crate::job::opening::may_be_open;
use crate::ui::{count, show};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::rigging;
use velvet_dial_core::stage::{QUICK, Stage};
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Body;

/// One station.
pub struct Station {
    pub id: &'static str,
    pub title: &'static str,
    pub outcome: String,
    pub done: bool,
    pub here: bool,
    /// The outcome is bad news: a wedge instead of a ring.
    pub alarm: bool,
    /// Key that leads here.
    pub shortcut: usize,
}

pub(super) fn stations(assessed: &Assessed, here: Stage, unit: Units) -> Vec<Station> {
    Stage::ALL
        .into_iter()
        .map(|stage| {
            let (outcome, done, alarm) = outcome(assessed, stage, unit);
            Station { id: stage.id(), title: stage.title(), outcome, done, here: stage == here, alarm, shortcut: stage.place() }
        })
        .collect()
}

/// Words, done, alarm.
fn outcome(assessed: &Assessed, stage: Stage, unit: Units) -> (String, bool, bool) {
    let (case, now) = (&assessed.case, &assessed.now);
    let quiet = |text: &str| (text.to_owned(), false, false);
    match stage {
        Stage::Intake => match case.circumstances.len() {
            0 => quiet("ask what was seen"),
            n => (count(n, "symptom"), true, false),
        },
        Stage::Look => match case.evidence.iter().filter(|e| QUICK.contains(&e.check.as_str())).count() {
            0 => quiet("no gauge needed"),
            n => (format!("{n} of {} looked at", QUICK.len()), n == QUICK.len(), false),
        },
        Stage::Rig => match rigged(assessed) {
            0 => quiet("fit the gauge"),
            n => (format!("{n} of {} done", rigging::steps().len()), assessed.case.bench.is_some(), false),
        },
        Stage::Run => match assessed.job.live().filter(|e| e.body.kind() == "reading").count() {
            0 => quiet("read at known speed"),
            n => (count(n, "reading"), true, false),
        },
        Stage::Compare => (
            verdict_words(assessed, unit),
            now.verdict.overall == Decision::Within,
            matches!(now.verdict.overall, Decision::Below | Decision::Above),
        ),
        Stage::Trace if bench::is_covered(&assessed.job) => quiet("suspects covered"),
        Stage::Trace => now.posterior.ranked().first().map_or_else(
            || quiet(""),
            |leader| {
                let name = knowledge().causes.get(*leader).map_or("", |cause| cause.group.as_str());
                (format!("{} {name}", show::percent(now.posterior.of(*leader))), now.settled.is_some(), false)
            },
        ),
        Stage::OpenUp => match (opened(assessed), may_be_open(&assessed.job)) {
            (0, false) => quiet("not yet"),
            (0, true) => quiet("approved"),
            (n, _) => (format!("{n} looked at"), true, false),
        },
        Stage::PutRight => {
            if assessed.job.repair().is_some() {
                ("recorded".to_owned(), true, false)
            } else {
                quiet("not yet")
            }
        }
        Stage::Prove => match now.proof.overall {
            Decision::NotMeasured => quiet(if assessed.job.repair().is_some() { "read it again hot" } else { "not yet" }),
            decision => {
                (format!("{} after", decision.word()), decision == Decision::Within, matches!(decision, Decision::Below | Decision::Above))
            }
        },
    }
}

/// What was looked at or measured behind an opening.
fn opened(assessed: &Assessed) -> usize {
    let seen = |body: &Body| match body {
        Body::Evidence { check, .. } => knowledge().opens(check, &assessed.case.engine),
        Body::Journal { .. } | Body::Measured { .. } => true,
        _ => false,
    };
    assessed.job.live().filter(|entry| seen(&entry.body)).count()
}

/// Steps of the rig that are answered.
fn rigged(assessed: &Assessed) -> usize {
    assessed.job.rig_steps().count()
}

/// The worst point in a few words.
fn verdict_words(assessed: &Assessed, unit: Units) -> String {
    let verdict = &assessed.now.verdict;
    let Some(worst) = verdict.points.iter().find(|p| p.decision() == verdict.overall) else {
        return "no reading yet".to_owned();
    };
    let place = if assessed.case.engine.idles_at(worst.point.rpm) { "hot idle".to_owned() } else { format!("{:.0} rpm", worst.point.rpm) };
    let measured = worst.reading.as_ref().map(|r| r.measured_kpa);
    match (verdict.overall, measured, worst.point.min_kpa, worst.point.max_kpa) {
        (Decision::Below, Some(kpa), Some(min), _) => {
            format!("{place} {} short", show::pressure(min - kpa, unit))
        }
        (Decision::Above, Some(kpa), _, Some(max)) => {
            format!("{place} {} over", show::pressure(kpa - max, unit))
        }
        (Decision::Within, ..) => "all points within".to_owned(),
        (Decision::NotMeasured, ..) => {
            format!("{} of {} points read", verdict.points.len() - verdict.missing().count(), verdict.points.len())
        }
        (decision, ..) => format!("{place} {}", decision.word()),
    }
}
