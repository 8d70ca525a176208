//! A scene that was handed back: its marks, what was done with what each step was worth, and the engine that was hidden.
use super::played::{StepRow, Told, played};
use super::timeline::timeline;
use crate::job::bench;
use crate::ui::words::cause_name;
use crate::ui::{Chrome, show};
use askama::Template;
use std::sync::Arc;
use velvet_dial_core::case::spec_points;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::{Link, knowledge};
use velvet_dial_core::trace::Tracer;
use velvet_dial_core::unit::Units;
use velvet_dial_practice::aftermath::aftermath;
use velvet_dial_practice::bots::{Bot, Ready};
use velvet_dial_practice::condition::Wreck;
use velvet_dial_practice::course::lesson;
use velvet_dial_practice::marks::{MOST, Marks, Summary};
use velvet_dial_practice::play::{Did, Played};
use velvet_dial_practice::run_file::{FORMAT, RunFile};
use velvet_dial_practice::scene::Scene;
use velvet_dial_store::jobs::Job;

/// One mark.
pub struct MarkRow {
    pub of: &'static str,
    pub points: String,
    /// Width of its bar, of a hundred.
    pub width: String,
    pub because: Vec<String>,
}

/// Pressures of the hidden engine at a point.
pub struct PressureRow {
    pub at: String,
    pub sound: String,
    pub was: String,
}

/// A place along the oil, in the engine as it was brought in and before it broke.
pub struct StationRow {
    pub name: &'static str,
    pub was: String,
    pub sound: String,
    /// Widths of their bars, of a hundred.
    pub was_width: String,
    pub sound_width: String,
}

/// Everything about a scene that was handed back.
pub struct MarkedScene {
    pub number: i64,
    pub name: String,
    pub total: String,
    /// Justified, lucky, in vain, not found.
    pub verdict: String,
    pub marks: Vec<MarkRow>,
    pub hidden: String,
    pub gauge_off: bool,
    /// What came of it.
    pub aftermath: Vec<String>,
    /// What a scene of the course teaches.
    pub lesson: Option<String>,
    /// The next scene of the course, from 1.
    pub next_lesson: Option<u8>,
    pub timeline: String,
    pub steps: Vec<StepRow>,
    pub pressures: Vec<PressureRow>,
    /// Where the circuit is compared, in words.
    pub stations_at: String,
    pub stations: Vec<StationRow>,
    pub minutes: String,
    pub money: String,
    pub planner_minutes: String,
    pub planner_money: String,
    /// What the planner did.
    pub planner: Vec<String>,
    /// The cheapest way to a proof among those of the bench's own workers: who, minutes, money. None where none of them proves it.
    pub cheapest: Option<String>,
}

#[derive(Template)]
#[template(path = "practice/marked.html")]
pub struct Page {
    pub chrome: Chrome,
    pub told: MarkedScene,
}

fn hidden(scene: &Scene) -> String {
    let Some(truth) = scene.truth() else { return String::new() };
    let name = |cause: usize| knowledge().causes.get(cause).map_or("", |cause| cause.name.as_str());
    if scene.faults().next().is_none() {
        return "nothing. The oil system is OK".to_owned();
    }
    let bad = if scene.is_slight() { "slight" } else { "marked" };
    match (truth.link, truth.second) {
        (Link::Linked, Some(second)) => format!("{} ({bad}), which led to: {}", name(truth.first), name(second)),
        (_, Some(second)) => format!("{} and {} ({bad}); neither led to the other", name(truth.first), name(second)),
        _ => format!("{} ({bad})", name(truth.first)),
    }
}

fn verdict(played: &Played, scene: &Scene) -> &'static str {
    let sound = scene.faults().next().is_none();
    match played {
        one if one.wreck == Wreck::Crank => "The engine was wrecked.",
        one if sound && one.in_vain() == 0 => "Right: nothing was at fault, and nothing was replaced.",
        _ if sound => "Nothing was at fault, and parts were replaced.",
        one if one.choices.is_empty() => "No cause was repaired.",
        one if one.wreck > Wreck::None && one.cured => "Found, after the engine had wrecked its bearings.",
        one if one.found().is_some() && !one.cured => "Found in part: something is still wrong with it.",
        one if !one.cured => "The fault was not found.",
        one if one.is_lucky() => "Found, and lucky: little spoke for this cause when it was chosen.",
        one if one.in_vain() > 0 => "Found, after repairs in vain.",
        one if !one.looked_first() => "Found, by what the customer said alone: nothing was looked at or read before the repair.",
        one if one.is_justified() => "Found and justified: enough spoke for it when it was chosen.",
        _ => "Found, before it was certain enough to act.",
    }
}

/// A scene, and the way that was gone through it.
fn told_of(job: &Job) -> Option<(Arc<Scene>, Told)> {
    let scene = bench::scene(job)?;
    let case = job.case();
    let tracer = Tracer::new(&case.engine, &spec_points(&case)).ok()?;
    let told = played(job, &tracer, &scene);
    Some((scene, told))
}

/// The cheapest proof among the planner's way and two others: who found it, and how. None where none of them proves it.
fn cheapest(ready: &Ready<'_>, planner: &Played) -> Option<(Bot, Played)> {
    let ways = [Bot::CheapestFirst, Bot::AlongTheOil].map(|bot| (bot, ready.played(bot)));
    let proven = ways.into_iter().chain([(Bot::Planner, planner.clone())]).filter(|(_, one)| one.cured && one.in_vain() == 0);
    proven.min_by(|(_, a), (_, b)| a.money().total_cmp(&b.money()))
}

/// What a list and a class tell of a scene, as it is kept when it is handed back.
pub fn summary(job: &Job) -> Option<Summary> {
    let (scene, told) = told_of(job)?;
    let know = knowledge();
    let played = &told.played;
    let planner = Ready::of(&scene)?.played(Bot::Planner);
    let marks = Marks::of(played, planner.money());
    Some(Summary {
        total: marks.total(),
        cured: played.cured,
        verdict: verdict(played, &scene).to_owned(),
        minutes: played.minutes(),
        money: played.money(),
        planner_minutes: planner.minutes(),
        planner_money: planner.money(),
        causes: scene.faults().filter_map(|cause| know.causes.get(cause)).map(|cause| cause.id.clone()).collect(),
        taken_for: played.choices.iter().filter(|choice| !choice.right).map(|choice| choice.cause.clone()).collect(),
        left_out: marks.marks.iter().filter(|mark| ["Safety", "Record"].contains(&mark.of)).flat_map(|mark| mark.because.clone()).collect(),
    })
}

/// The scene with the way that was gone through it, as a file.
pub fn run_file(job: &Job) -> Option<RunFile> {
    let (scene, told) = told_of(job)?;
    let written = job.head.scene.as_ref()?.begun.given.written.clone();
    Some(RunFile { format: FORMAT.to_owned(), seed: scene.seed, grade: scene.grade, written, played: told.played })
}

/// Everything about a scene that was handed back; none where its scene cannot be made any more.
pub fn marked(job: &Job, unit: Units) -> Option<MarkedScene> {
    let (scene, told) = told_of(job)?;
    let ready = Ready::of(&scene)?;
    let planner = ready.played(Bot::Planner);
    let marks = Marks::of(&told.played, planner.money());
    let know = knowledge();
    let way = planner.acts.iter().map(|act| match &act.did {
        Did::Run => "The run: every point of the sheet".to_owned(),
        Did::Check(check) => know.check(check).map_or_else(String::new, |check| check.ask.clone()),
        Did::Reading(name) => format!("Reading: {name}"),
        Did::Repair(cause) => format!("Repair: {}", cause_name(cause)),
        Did::Recheck => "Readings after the repair".to_owned(),
        Did::Help => "A hint".to_owned(),
        Did::Hidden => "Thicker oil, a shim or a heavier spring".to_owned(),
    });
    let kpa = |kpa: f64| show::pressure(kpa, unit);
    let at = |at: Working| format!("{:.0} rpm, {}", at.rpm, unit.temp(at.oil_temp_c));
    let points: Vec<Working> =
        scene.read().readings.iter().map(|reading| Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c }).collect();
    let pressures = points.iter().map(|point| {
        let [was, sound] = scene.true_kpa(*point);
        PressureRow { at: at(*point), sound: kpa(sound), was: kpa(was) }
    });
    // The circuit is compared where the fault shows most.
    let gap = |point: &&Working| {
        let [was, sound] = scene.true_kpa(**point);
        (was.max(1.0) / sound.max(1.0)).ln().abs()
    };
    let widest = points
        .iter()
        .max_by(|a, b| gap(a).total_cmp(&gap(b)))
        .copied()
        .unwrap_or(Working { rpm: scene.brief().engine.idle_rpm, oil_temp_c: 95.0 });
    let [was, sound] = scene.stations_kpa(widest);
    let most = was.iter().chain(&sound).fold(1.0, |a: f64, b| a.max(*b));
    let width = |kpa: f64| format!("{:.0}", (100.0 * kpa / most).clamp(0.0, 100.0));
    let names = ["Behind the pump", "Gallery", "Gallery's end", "Head"];
    let stations = names.into_iter().zip(was.into_iter().zip(sound)).map(|(name, (was, sound))| StationRow {
        name,
        was: kpa(was),
        sound: kpa(sound),
        was_width: width(was),
        sound_width: width(sound),
    });
    let faults: Vec<usize> = scene.faults().collect();
    let begun = &job.head.scene.as_ref()?.begun;
    let course = begun.given.lesson;
    Some(MarkedScene {
        number: job.head.number,
        name: bench::name_of(begun),
        total: format!("{:.0}", marks.total()),
        verdict: verdict(&told.played, &scene).to_owned(),
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
        aftermath: aftermath(&scene, &told.played, &told.walk.condition),
        lesson: course.and_then(lesson).map(|one| one.lesson.clone()),
        next_lesson: course.map(|place| place + 1).filter(|place| lesson(*place).is_some()),
        timeline: timeline(&told, &faults),
        pressures: pressures.collect(),
        stations_at: at(widest),
        stations: stations.collect(),
        minutes: show::minutes(told.played.minutes()),
        money: format!("{:.0}", told.played.money()),
        planner_minutes: show::minutes(planner.minutes()),
        planner_money: format!("{:.0}", planner.money()),
        planner: way.collect(),
        cheapest: cheapest(&ready, &planner)
            .map(|(bot, one)| format!("{}, {} and {:.0}", bot.label(), show::minutes(one.minutes()), one.money())),
        steps: told.rows,
    })
}
