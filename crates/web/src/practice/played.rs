//! What was done in a scene, from its job's history: act by act, with what each was worth and who led after it.
use crate::job::bench::{Line, Walk, is_reworded};
use crate::ui::show;
use crate::ui::words::cause_name;
use velvet_dial_core::case::Phase;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::knowledge::{Access, knowledge};
use velvet_dial_core::opened::repair_of;
use velvet_dial_core::rigging::SKIPPED;
use velvet_dial_core::trace::{Proposal, Step, Tracer};
use velvet_dial_practice::condition::Wreck;
use velvet_dial_practice::play::{Act, Choice, Did, Played, worth};
use velvet_dial_practice::scene::Scene;
use velvet_dial_store::jobs::{Body, Entry, Help, Job};

/// Hot enough for a verdict, °C.
const HOT_C: f64 = 60.0;

/// A step that was taken.
pub struct StepRow {
    pub at: String,
    /// The same in minutes.
    pub at_minutes: f64,
    pub what: String,
    /// What it was worth beside the best that could be done then.
    pub worth: String,
    pub best: String,
    /// Everything that could be done then, and what it was worth beside the best.
    pub all: Vec<(String, String)>,
    /// Who led after it.
    pub leader: String,
}

/// How probable each cause was, from some minute on.
pub struct Odds {
    pub at_minutes: f64,
    pub present: Vec<f64>,
}

/// A scene as it was played.
pub struct Told {
    pub played: Played,
    pub rows: Vec<StepRow>,
    /// From the beginning, and after each act.
    pub odds: Vec<Odds>,
    pub walk: Walk,
}

fn name_of(step: &Step, now: &Diagnosis) -> String {
    match step {
        Step::Check(check) => knowledge().check(check).map_or_else(String::new, |check| check.ask.clone()),
        Step::Reading(place) => now.takeable.get(*place).map_or_else(String::new, |reading| format!("reading: {}", reading.name)),
        Step::Bench(step, _) => step.label().to_owned(),
    }
}

fn percent(share: f64) -> String {
    format!("{:.0} %", 100.0 * share)
}

/// What could be done, the most useful first.
fn all(now: &Diagnosis) -> Vec<(String, String)> {
    let mut proposals: Vec<&Proposal> = now.next.iter().collect();
    proposals.sort_by(|a, b| b.bits_a_minute.total_cmp(&a.bits_a_minute));
    let most = proposals.first().map_or(0.0, |best| best.bits_a_minute);
    let share = |one: &Proposal| if most > 0.0 { one.bits_a_minute / most } else { 0.0 };
    proposals.into_iter().filter(|one| share(one) >= 0.005).map(|one| (name_of(&one.step, now), percent(share(one)))).collect()
}

fn leader(now: &Diagnosis) -> String {
    now.posterior.leader().map_or_else(String::new, |cause| {
        let name = knowledge().causes.get(cause).map_or("", |cause| cause.id.as_str());
        format!("{}: {}", cause_name(name), show::percent(now.posterior.of(cause)))
    })
}

fn is_done(entry: &Entry) -> bool {
    matches!(entry.body, Body::Sensed { .. } | Body::Repair(_) | Body::Helped { .. })
}

/// Plays a job's history through its scene.
pub fn played(job: &Job, tracer: &Tracer, scene: &Scene) -> Told {
    let know = knowledge();
    let entries = || job.entries.iter().filter(|entry| !is_reworded(job, entry));
    let done: Vec<&Entry> = entries().filter(|entry| is_done(entry)).collect();
    // Before each thing that was done, with what was entered until then, and after the last.
    let seqs = done.iter().map(|entry| entry.seq - 1).chain([job.seq()]);
    let known: Vec<Diagnosis> = seqs.map(|seq| diagnose(&job.until(seq).case(), tracer, &Setting::default())).collect();
    let mut told = Told { played: Played::default(), rows: Vec::new(), odds: Vec::new(), walk: Walk::default() };
    let mut agreed = false;
    let mut place = 0;
    for entry in entries() {
        agreed |= matches!(&entry.body, Body::Agreed { unasked: false, .. });
        let before = (told.walk.minutes, told.walk.money, told.walk.condition.wreck);
        told.walk.take(entry, scene);
        if !is_done(entry) {
            continue;
        }
        let Some([now, after]) = known.get(place..place + 2).and_then(|two| <&[Diagnosis; 2]>::try_from(two).ok()) else { continue };
        if place == 0 {
            told.odds.push(Odds { at_minutes: 0.0, present: now.posterior.present.clone() });
        }
        place += 1;
        let (minutes, money) = (told.walk.minutes - before.0, told.walk.money - before.1);
        let mut row = StepRow {
            at: show::minutes(before.0),
            at_minutes: before.0,
            what: String::new(),
            worth: String::new(),
            best: String::new(),
            all: Vec::new(),
            leader: leader(after),
        };
        let played = &mut told.played;
        let weigh = |row: &mut StepRow, wanted: &dyn Fn(&Step) -> bool| {
            let (share, best) = worth(&now.next, wanted);
            row.worth = percent(share);
            row.best = best.map(|best| name_of(&best.step, now)).unwrap_or_default();
            row.all = all(now);
            share
        };
        match &entry.body {
            Body::Sensed { check, at: None, forbidden, .. } => {
                let share = weigh(&mut row, &|step| matches!(step, Step::Check(one) if one == check));
                row.what = know.check(check).map_or(check.as_str(), |check| check.ask.as_str()).to_owned();
                played.acts.push(Act { did: Did::Check(check.clone()), minutes, money, worth: Some(share) });
                played.forbidden_runs += usize::from(*forbidden);
                played.not_agreed |= !agreed && know.opens(check, &job.engine.card);
            }
            Body::Sensed { at: Some((rpm, _)), forbidden, .. } => {
                let again = played.acts.iter().any(|act| matches!(act.did, Did::Run | Did::Reading(_)));
                let did = match (played.repaired(), again) {
                    (true, _) => Did::Recheck,
                    (false, true) => Did::Reading(format!("{rpm:.0}")),
                    (false, false) => Did::Run,
                };
                played.forbidden_runs += usize::from(*forbidden);
                let counts = matches!(did, Did::Reading(_)).then(|| weigh(&mut row, &|step| matches!(step, Step::Reading(_))));
                row.what = format!("Gauge at {rpm:.0} rpm");
                played.acts.push(Act { did, minutes, money, worth: counts });
            }
            Body::Repair(repair) if repair.stopgap => {
                row.what = "The fault was hidden, not removed".to_owned();
                played.stopgaps += 1;
                played.acts.push(Act { did: Did::Hidden, minutes, money, worth: None });
            }
            Body::Repair(repair) => {
                let Some(cause) = repair.cause.as_deref().and_then(|id| know.cause(id)) else { continue };
                let Some(named) = know.causes.get(cause) else { continue };
                // Bearings that went on this bench are part of what is wrong with it.
                let wrecked = named.id == "bearings_crank" && before.2 > Wreck::None;
                let right = scene.holds(cause) || wrecked;
                let probability = now.posterior.of(cause);
                row.what = format!("Repaired: {}", named.name);
                row.worth = format!("{} then", show::percent(probability));
                row.best = if right { "it was at fault" } else { "it was not at fault" }.to_owned();
                played.not_agreed |= !agreed && opens_it(&named.id, &job.engine.card);
                played.choices.push(Choice {
                    cause: named.id.clone(),
                    probability,
                    act_at: named.act_at,
                    right,
                    at_minutes: played.minutes(),
                });
                played.acts.push(Act { did: Did::Repair(named.id.clone()), minutes, money, worth: None });
            }
            Body::Helped { help, .. } => {
                row.what = match help {
                    Help::Hint => "A hint was bought",
                    Help::Suspects => "The suspects were uncovered",
                    Help::Sheet => "The maker was asked for the sheet in force",
                }
                .to_owned();
                played.acts.push(Act { did: Did::Help, minutes, money, worth: None });
            }
            _ => {}
        }
        told.odds.push(Odds { at_minutes: told.walk.minutes, present: after.posterior.present.clone() });
        told.rows.push(row);
    }
    finish(&mut told, job, scene, known.last());
    told
}

/// The repair of a cause opens the engine.
fn opens_it(cause: &str, card: &Card) -> bool {
    repair_of(cause).is_some_and(|repair| repair.access(card) != Access::Outside)
}

/// What can only be said at the end: whether it is cured, and what was left out.
fn finish(told: &mut Told, job: &Job, scene: &Scene, last: Option<&Diagnosis>) {
    let know = knowledge();
    let played = &mut told.played;
    let now = scene.now(&told.walk.condition);
    played.cured = now.is_cured() && now.turns();
    played.wreck = told.walk.wreck;
    played.hints = told.walk.hints;
    // An engine whose oil system is OK is found by handing it back as it is.
    let conforms = scene.truth().map(|truth| truth.first).filter(|_| scene.faults().next().is_none());
    if let Some((cause, row)) = conforms.and_then(|cause| Some((cause, know.causes.get(cause)?)))
        && played.choices.is_empty()
        && let Some(last) = last
    {
        let probability = last.posterior.of(cause);
        let at_minutes = played.minutes();
        played.choices.push(Choice { cause: row.id.clone(), probability, act_at: row.act_at, right: true, at_minutes });
    }
    // The record: what was read and found counts where it was entered.
    let readings = |phase: Phase| {
        job.live().filter_map(move |entry| match &entry.body {
            Body::Reading(taken) if taken.reading.phase == phase => Some(taken.reading.oil_temp_c),
            _ => None,
        })
    };
    played.reading_not_entered = readings(Phase::Before).next().is_none();
    played.recheck_not_entered = readings(Phase::After).next().is_none();
    played.never_hot = readings(Phase::Before).next().is_some() && readings(Phase::Before).all(|oil| oil < HOT_C);
    let rigged = |step: &str| job.live().any(|entry| matches!(&entry.body, Body::Rig(done) if done.step == step && done.answer != SKIPPED));
    let checked = |check: &str| job.live().any(|entry| matches!(&entry.body, Body::Evidence { check: found, .. } if found == check));
    if scene.sheet_in_force().is_some() && !told.walk.asked_sheet {
        played.left_out.push("asking the maker for the sheet in force: the shop's was an old one".to_owned());
    }
    if told.walk.readings > 0 {
        if !rigged("zero") && !checked("gauge_zero") {
            played.left_out.push("a look at the gauge's zero with its line open".to_owned());
        }
        if !told.walk.bled {
            played.left_out.push("bleeding the air out of the gauge's line".to_owned());
        }
        match told.walk.line {
            Line::Led => {}
            Line::Loose => played.left_out.push("leading the gauge's line past belts and exhaust".to_owned()),
            Line::Cut => played.left_out.push("leading the gauge's line past belts and exhaust, and the belt cut it".to_owned()),
        }
    }
}
