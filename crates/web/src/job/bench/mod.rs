//! A job of the practice bench: the vehicle answers by itself. What was done is in the job's history with its price; what it showed follows from the scene.
mod act;
mod dial;
mod price;
mod seen;
mod walk;

pub use act::routes;
pub use walk::{Line, Walk, is_reworded};

use crate::ui::show;
use dial::{Face, dial};
use seen::seen;
use std::collections::HashMap;
use std::sync::{Arc, LazyLock};
use velvet_dial_core::case::Phase;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::QUICK;
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::hints::{HINT_MONEY, LOOK_MONEY, MOST_HINTS, SHEET_MONEY, hint};
use velvet_dial_practice::scene::Scene;
use velvet_dial_practice::written::{self, Guide, Written};
use velvet_dial_store::jobs::{Body, Help, Job, SceneBegun, Suspects};

/// What the frame of a practice job shows, on every screen.
pub struct Bench {
    /// “Lesson 3” or “Second grade”.
    pub name: String,
    /// Minutes so far.
    pub minutes: String,
    /// Money so far, in the shop's.
    pub money: String,
    pub ended: bool,
    /// What each check that was done showed, by its id.
    senses: HashMap<String, (&'static str, &'static str)>,
    seed: u64,
    /// The gauge as it was read last.
    pub gauge: Option<Dial>,
    /// The gauge with its line open.
    pub at_rest: String,
    /// What happened by itself at the last run.
    pub happened: Option<&'static str>,
    /// It turns.
    pub turns: bool,
    /// Hints that were bought.
    pub hints: Vec<String>,
    /// What the next one costs; none where there is no more.
    pub hint_price: Option<String>,
    /// What the maker said of the sheet; empty before they are asked, none where there is no sheet to ask for.
    pub sheet: Option<&'static str>,
    pub sheet_price: String,
    /// The suspects are not shown, and what a look costs where one can be bought.
    pub covered: Option<Option<String>>,
    /// What somebody who has never done this does now.
    pub guide: Option<GuideStep>,
    /// Idle and hot, for the form.
    pub idle_rpm: String,
    pub hot: String,
}

/// A step of a guided scene.
pub struct GuideStep {
    /// Which of how many.
    pub place: String,
    pub say: String,
    /// Where it is done; none for the last.
    pub at: Option<String>,
}

/// A gauge whose needle the trainee reads.
pub struct Dial {
    pub at: String,
    pub svg: String,
}

impl Bench {
    /// What a check showed; none before it is done.
    pub fn sensed(&self, check: &str) -> Option<&'static str> {
        self.senses.get(check).map(|(_, said)| *said)
    }

    /// What was heard, by its place in the script, since its name would say what it means; none where nothing is listened to.
    pub fn heard(&self, check: &str) -> Option<usize> {
        let (outcome, _) = self.senses.get(check).filter(|_| check == "noise")?;
        knowledge().check(check)?.outcome(outcome)
    }

    /// What was seen there, drawn; empty where words say it.
    pub fn seen(&self, check: &str) -> String {
        self.senses.get(check).and_then(|(outcome, _)| seen(check, outcome, self.seed)).unwrap_or_default()
    }
}

/// Scenes by seed, grade and what was written.
type SceneCache = moka::sync::Cache<(u64, u8, Option<String>), Option<Arc<Scene>>>;

/// Scenes that were made lately: each follows from its seed or its file, and is made again when it is not here.
static SCENES: LazyLock<SceneCache> = LazyLock::new(|| moka::sync::Cache::new(256));
/// Oil temperature of a hot engine in the form where there is no sheet, °C.
const HOT_C: f64 = 95.0;

/// The scene that something was begun with.
pub fn scene_of(begun: &SceneBegun) -> Option<Arc<Scene>> {
    let grade = Grade::at(begun.grade)?;
    SCENES.get_with((begun.seed, begun.grade, begun.given.written.clone()), || {
        written::scene_of(begun.seed, grade, begun.given.written.as_deref()).map(Arc::new)
    })
}

/// The scene of a job; none where it is a real one.
pub fn scene(job: &Job) -> Option<Arc<Scene>> {
    scene_of(&job.head.scene.as_ref()?.begun)
}

/// “lesson 3” or “second grade”.
pub fn name_of(begun: &SceneBegun) -> String {
    match (begun.given.lesson, Grade::at(begun.grade)) {
        (Some(lesson), _) => format!("lesson {lesson}"),
        (None, Some(grade)) => format!("{} grade", grade.label()),
        (None, None) => String::new(),
    }
}

/// Whether a check was done, and since the last repair where there was one.
pub fn was_done(job: &Job, check: &str) -> bool {
    let since = job.entries.iter().rev().take_while(|entry| !matches!(entry.body, Body::Repair(_)));
    since.into_iter().any(|entry| matches!(&entry.body, Body::Sensed { check: done, at: None, .. } if done == check))
}

/// The suspects of this job are covered just now.
pub fn is_covered(job: &Job) -> bool {
    let Some(scene) = &job.head.scene else { return false };
    let ended = scene.ended_at.is_some();
    let uncovered = job.entries.iter().rev().find_map(|entry| match &entry.body {
        Body::Helped { help: Help::Suspects, .. } => Some(true),
        Body::Sensed { .. } | Body::Repair(_) => Some(false),
        _ => None,
    });
    !ended && scene.begun.given.suspects != Suspects::Open && uncovered != Some(true)
}

/// The bench of a job; none where it is a real one.
pub fn bench(job: &Job, unit: Units) -> Option<Bench> {
    let begun = &job.head.scene.as_ref()?.begun;
    let ended = job.head.scene.as_ref()?.ended_at.is_some();
    let scene = scene(job)?;
    let walk = Walk::through(job, &scene);
    let card = scene.brief().instruments.into_values().next().unwrap_or_default();
    let face = |runs: bool| Face {
        card: &card,
        in_bar: scene.seed.is_multiple_of(3),
        from_left: scene.seed.is_multiple_of(2),
        runs,
        air: !walk.bled,
    };
    let gauge = walk.read.map(|(Working { rpm, oil_temp_c }, kpa)| Dial {
        at: format!("{rpm:.0} rpm, oil at {}", unit.temp(oil_temp_c)),
        svg: dial(&face(true), kpa),
    });
    let hot_c = job.sheet().and_then(|sheet| sheet.points.first()).map_or(HOT_C, |point| point.oil_temp_c);
    let price = |money: f64| format!("{money:.0}");
    Some(Bench {
        name: first_upper(&name_of(begun)),
        minutes: show::minutes(walk.minutes),
        money: price(walk.money),
        ended,
        gauge,
        at_rest: dial(&face(false), scene.at_rest_kpa()),
        happened: walk.happened,
        turns: scene.now(&walk.condition).turns(),
        hints: (0..walk.hints).filter_map(|place| hint(&scene, &walk.condition, place)).collect(),
        hint_price: (walk.hints < MOST_HINTS).then(|| price(HINT_MONEY)),
        sheet: job.sheet().map(|_| match (walk.asked_sheet, scene.sheet_in_force()) {
            (false, _) => "",
            (true, None) => "The maker answers: your sheet is the one in force.",
            (true, Some(_)) => "The maker answers: yours was a first issue. The one in force is the engine's sheet now.",
        }),
        sheet_price: price(SHEET_MONEY),
        covered: is_covered(job).then(|| (begun.given.suspects == Suspects::AtAPrice).then(|| price(LOOK_MONEY))),
        guide: if ended { None } else { guide(job, begun) },
        idle_rpm: format!("{:.0}", job.engine.card.idle_rpm),
        hot: format!("{:.0}", unit.temperature.of_c(hot_c)),
        senses: walk.senses,
        seed: scene.seed,
    })
}

/// The first step of a guided scene that was not done, and after the last that it is handed back.
fn guide(job: &Job, begun: &SceneBegun) -> Option<GuideStep> {
    let steps = Written::read(begun.given.written.as_deref()?).ok()?.guide;
    if steps.is_empty() {
        return None;
    }
    let entered = |wanted: &dyn Fn(&Body) -> bool| job.live().any(|entry| wanted(&entry.body));
    let reading = |phase: Phase| entered(&|body| matches!(body, Body::Reading(taken) if taken.reading.phase == phase));
    let done = |step: &Guide| match step.until.as_str() {
        "reading" => reading(Phase::Before),
        "repair" => entered(&|body| matches!(body, Body::Repair(_))),
        "recheck" => reading(Phase::After),
        step if step.starts_with("rig:") => entered(&|body| matches!(body, Body::Rig(done) if step.ends_with(&format!(":{}", done.step)))),
        check => entered(&|body| matches!(body, Body::Evidence { check: found, .. } if found == check)),
    };
    let of = steps.len() + 1;
    Some(match steps.iter().position(|step| !done(step)) {
        Some(place) => {
            let step = steps.get(place)?;
            let at = Some(place_of(job.head.number, &step.until));
            GuideStep { place: format!("Step {} of {of}", place + 1), say: step.say.clone(), at }
        }
        None => {
            let say = "It is proven. Press “Hand it back” and see what it was worth.".to_owned();
            GuideStep { place: format!("Step {of} of {of}"), say, at: None }
        }
    })
}

/// Where a guide's step is done.
fn place_of(number: i64, until: &str) -> String {
    let at = match until {
        "reading" => "run".to_owned(),
        "repair" => "put-right".to_owned(),
        "recheck" => "prove".to_owned(),
        look if QUICK.contains(&look) => format!("look#check-{look}"),
        step => match step.strip_prefix("rig:") {
            Some(step) => format!("rig#rig-{step}"),
            None => format!("trace?instead={step}"),
        },
    };
    format!("/jobs/{number}/{at}")
}
