//! A scene that was handed back: its marks, what was done with what each step was worth, and the engine that was hidden.
use crate::job::bench;
use crate::ui::words::cause_name;
use crate::ui::{Chrome, show};
use askama::Template;
use velvet_dial_core::case::{Phase, spec_points};
use velvet_dial_core::circuit::Working;
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::knowledge::{Link, knowledge};
use velvet_dial_core::trace::{Step, Tracer};
use velvet_dial_core::unit::Units;
use velvet_dial_practice::bots::{Bot, Ready};
use velvet_dial_practice::marks::{MOST, Marks};
use velvet_dial_practice::play::{Act, Choice, Did, Played};
use velvet_dial_practice::scene::Scene;
use velvet_dial_store::jobs::{Body, Entry, Job};

/// One mark.
pub struct MarkRow {
    pub of: &'static str,
    pub points: String,
    /// Width of its bar, of a hundred.
    pub width: String,
    pub because: Vec<String>,
}

/// A step that was taken.
pub struct StepRow {
    pub at: String,
    pub what: String,
    /// What it was worth beside the best that could be done then.
    pub worth: String,
    pub best: String,
    /// Who led after it.
    pub leader: String,
}

/// Pressures of the hidden engine at a point.
pub struct PressureRow {
    pub at: String,
    pub sound: String,
    pub was: String,
}

/// Everything about a scene that was handed back.
pub struct MarkedScene {
    pub number: i64,
    pub grade: &'static str,
    pub total: String,
    /// Justified, lucky, in vain, not found.
    pub verdict: String,
    pub marks: Vec<MarkRow>,
    pub hidden: String,
    pub gauge_off: bool,
    pub steps: Vec<StepRow>,
    pub pressures: Vec<PressureRow>,
    pub minutes: String,
    pub money: String,
    pub planner_minutes: String,
    pub planner_money: String,
    /// What the planner did.
    pub planner: Vec<String>,
}

#[derive(Template)]
#[template(path = "practice/marked.html")]
pub struct Page {
    pub chrome: Chrome,
    pub told: MarkedScene,
}

/// The job as it stood before an entry, judged.
fn before(job: &Job, tracer: &Tracer, seq: i32) -> Diagnosis {
    let mut then = job.clone();
    then.entries.retain(|entry| entry.seq < seq);
    diagnose(&then.case(), tracer, &Setting::default())
}

fn worth(now: &Diagnosis, wanted: impl Fn(&Step) -> bool) -> (f64, String) {
    let holds = |step: &Step| match step {
        Step::Bench(_, behind) => behind.iter().any(&wanted),
        step => wanted(step),
    };
    let best = now.next.iter().max_by(|a, b| a.bits_a_minute.total_cmp(&b.bits_a_minute));
    let most = best.map_or(0.0, |best| best.bits_a_minute);
    let own = now.next.iter().filter(|one| holds(&one.step)).map(|one| one.bits_a_minute).fold(0.0, f64::max);
    let name = best.map(|best| match &best.step {
        Step::Check(check) => knowledge().check(check).map_or_else(String::new, |check| check.ask.clone()),
        Step::Reading(place) => now.takeable.get(*place).map_or_else(String::new, |reading| format!("reading: {}", reading.name)),
        Step::Bench(step, _) => step.label().to_owned(),
    });
    (if most > 0.0 { (own / most).min(1.0) } else { 1.0 }, name.unwrap_or_default())
}

/// What was done, from the job's history, and a row for each step.
fn played(job: &Job, tracer: &Tracer, scene: &Scene) -> (Played, Vec<StepRow>) {
    use velvet_dial_core::vehicle::Vehicle;
    let know = knowledge();
    let mut played = Played::default();
    let mut rows = Vec::new();
    let done = job.entries.iter().filter(|entry| matches!(entry.body, Body::Sensed { .. } | Body::Repair(_)));
    for entry in done {
        let now = before(job, tracer, entry.seq);
        let at = show::minutes(played.minutes());
        let leader = |now: &Diagnosis| now.posterior.leader().map_or_else(String::new, |cause| said(cause, now.posterior.of(cause)));
        match &entry.body {
            Body::Sensed { check, at: None, minutes, money } => {
                let (share, best) = worth(&now, |step| matches!(step, Step::Check(one) if one == check));
                let what = know.check(check).map_or(check.as_str(), |check| check.ask.as_str()).to_owned();
                played.acts.push(Act { did: Did::Check(check.clone()), minutes: *minutes, money: *money, worth: Some(share) });
                if !now.flag.allowed() && know.check(check).is_some_and(|row| row.running(&job.engine.card)) {
                    played.forbidden_runs += 1;
                }
                rows.push(StepRow { at, what, worth: percent(share), best, leader: leader(&after(job, tracer, entry)) });
            }
            Body::Sensed { at: Some((rpm, _)), minutes, money, .. } => {
                let again = played.acts.iter().any(|act| matches!(act.did, Did::Run | Did::Reading(_)));
                let repaired = played.acts.iter().any(|act| matches!(act.did, Did::Repair(_)));
                let did = match (repaired, again) {
                    (true, _) => Did::Recheck,
                    (false, true) => Did::Reading(format!("{rpm:.0}")),
                    (false, false) => Did::Run,
                };
                if !now.flag.allowed() && !now.flag.one_reading() {
                    played.forbidden_runs += 1;
                }
                let (share, best) = worth(&now, |step| matches!(step, Step::Reading(_)));
                let weighed = Some(share).filter(|_| did != Did::Recheck && again);
                rows.push(StepRow {
                    at,
                    what: format!("Gauge at {rpm:.0} rpm"),
                    worth: weighed.map_or_else(String::new, percent),
                    best: if weighed.is_some() { best } else { String::new() },
                    leader: leader(&after(job, tracer, entry)),
                });
                played.acts.push(Act { did, minutes: *minutes, money: *money, worth: weighed });
            }
            Body::Repair(repair) => {
                let Some(place) = repair.cause.as_deref().and_then(|id| know.cause(id)) else { continue };
                let Some(cause) = know.causes.get(place) else { continue };
                let (right, probability) = (scene.is_cured_by(place), now.posterior.of(place));
                let money = know.money(cause.repair_minutes, cause.parts);
                rows.push(StepRow {
                    at,
                    what: format!("Repaired: {}", cause.name),
                    worth: format!("{} then", show::percent(probability)),
                    best: if right { "it was at fault" } else { "it was not at fault" }.to_owned(),
                    leader: String::new(),
                });
                played.choices.push(Choice {
                    cause: cause.id.clone(),
                    probability,
                    act_at: cause.act_at,
                    right,
                    at_minutes: played.minutes(),
                });
                played.acts.push(Act { did: Did::Repair(cause.id.clone()), minutes: cause.repair_minutes, money, worth: None });
            }
            _ => {}
        }
    }
    // The record: what was read and found counts where it was entered.
    let entered = |wanted: fn(&Body) -> bool| job.live().any(|entry| wanted(&entry.body));
    played.reading_not_entered = !entered(|body| matches!(body, Body::Reading(taken) if taken.reading.phase == Phase::Before));
    played.recheck_not_entered = !entered(|body| matches!(body, Body::Reading(taken) if taken.reading.phase == Phase::After));
    (played, rows)
}

/// The job as it stood when the next thing was done: with what was entered of this one.
fn after(job: &Job, tracer: &Tracer, entry: &Entry) -> Diagnosis {
    let next = job.entries.iter().find(|later| later.seq > entry.seq && matches!(later.body, Body::Sensed { .. } | Body::Repair(_)));
    before(job, tracer, next.map_or(i32::MAX, |next| next.seq))
}

fn said(cause: usize, probability: f64) -> String {
    let name = knowledge().causes.get(cause).map_or("", |cause| cause.id.as_str());
    format!("{}: {}", cause_name(name), show::percent(probability))
}

fn percent(share: f64) -> String {
    format!("{:.0} %", 100.0 * share)
}

fn hidden(scene: &Scene) -> String {
    let Some(truth) = scene.truth() else { return String::new() };
    let name = |cause: usize| knowledge().causes.get(cause).map_or("", |cause| cause.name.as_str());
    let bad = if scene.is_slight() { "slight" } else { "marked" };
    match (truth.link, truth.second) {
        (Link::Linked, Some(second)) => format!("{} ({bad}), which led to: {}", name(truth.first), name(second)),
        (_, Some(second)) => format!("{} and {} ({bad}); neither led to the other", name(truth.first), name(second)),
        _ => format!("{} ({bad})", name(truth.first)),
    }
}

fn verdict(played: &Played) -> String {
    match played {
        one if one.choices.is_empty() => "No cause was repaired.",
        one if !one.is_cured() => "The fault was not found.",
        one if one.is_lucky() => "Found, and lucky: little spoke for this cause when it was chosen.",
        one if one.in_vain() > 0 => "Found, after repairs in vain.",
        one if !one.looked_first() => "Found, by what the customer said alone: nothing was looked at or read before the repair.",
        one if one.is_justified() => "Found and justified: enough spoke for it when it was chosen.",
        _ => "Found, before it was certain enough to act.",
    }
    .to_owned()
}

/// Everything about a scene that was handed back; none where its scene cannot be drawn any more.
pub fn marked(job: &Job, unit: Units) -> Option<MarkedScene> {
    let scene = bench::scene(job)?;
    let case = job.case();
    let tracer = Tracer::new(&case.engine, &spec_points(&case)).ok()?;
    let (played, steps) = played(job, &tracer, &scene);
    let planner = Ready::of(&scene)?.played(Bot::Planner);
    let marks = Marks::of(&played, planner.money());
    let know = knowledge();
    let way = planner.acts.iter().map(|act| match &act.did {
        Did::Run => "The run: every point of the sheet".to_owned(),
        Did::Check(check) => know.check(check).map_or_else(String::new, |check| check.ask.clone()),
        Did::Reading(name) => format!("Reading: {name}"),
        Did::Repair(cause) => format!("Repair: {}", cause_name(cause)),
        Did::Recheck => "Readings after the repair".to_owned(),
    });
    let kpa = |kpa: f64| show::pressure(kpa, unit);
    let brief = scene.read(Vec::new());
    let pressures = brief.readings.iter().map(|reading| {
        let [was, sound] = scene.true_kpa(Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c });
        PressureRow { at: format!("{:.0} rpm, {}", reading.rpm, unit.temp(reading.oil_temp_c)), sound: kpa(sound), was: kpa(was) }
    });
    let (minutes, money) = bench::spent(job);
    Some(MarkedScene {
        number: job.head.number,
        grade: scene.grade.label(),
        total: format!("{:.0}", marks.total()),
        verdict: verdict(&played),
        marks: marks
            .marks
            .iter()
            .map(|mark| MarkRow {
                of: mark.of,
                points: format!("{:.0}", mark.points),
                width: format!("{:.0}", 100.0 * mark.points / MOST),
                because: mark.because.clone(),
            })
            .collect(),
        hidden: hidden(&scene),
        gauge_off: scene.gauge_is_off(),
        steps,
        pressures: pressures.collect(),
        minutes: show::minutes(minutes),
        money: format!("{money:.0}"),
        planner_minutes: show::minutes(planner.minutes()),
        planner_money: format!("{:.0}", planner.money()),
        planner: way.collect(),
    })
}
