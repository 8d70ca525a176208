//! The readings stage, before and after: the form, what was taken, dial, map and captures.
use super::FORM;
use crate::http::FormState;
use crate::http::form::{Choice, FieldView as Field};
use crate::job::ScreenData;
use crate::job::assess::Assessed;
use crate::job::cards::{self, CheckCard};
use crate::job::happened;
use crate::job::live::{self, Panel, Rigs};
use crate::job::pairs::{Pair, pairs};
use crate::job::{next_step, notes};
use crate::ui::picture::dial::{self, Dial, Shown};
use crate::ui::picture::map::{self, Map, Scene};
use crate::ui::show;
use crate::ui::words::{describe, point_name, reading_place};
use velvet_dial_core::case::{Phase, Shows, Slope, SpeedHeld};
use velvet_dial_core::diagnosis::curves;
use velvet_dial_core::diagnosis::{JudgedReading, Proof, ProofWord, proof};
use velvet_dial_core::flag::{self, Word};
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::record;
use velvet_dial_core::script::{self, Point};
use velvet_dial_core::start_up::StartUp;
use velvet_dial_core::unit::{Gear, Units};
use velvet_dial_store::jobs::{Body, Entry, File, Job, TakenReading};
use velvet_dial_store::rigs::Recorded;
use velvet_dial_store::zone::Zone;

fn closes(proven: Option<&Proof>) -> (&'static str, bool) {
    match proven.map(|proof| proof.word) {
        Some(ProofWord::Proven) => ("Close the job", true),
        Some(ProofWord::InPart) => ("Close with proof in part", false),
        Some(ProofWord::NotProven | ProofWord::Worse) | None => ("Close without proof", false),
    }
}

/// What lies on the surface.
pub struct ReadingsWork {
    pub after: bool,
    pub rows: Vec<ReadingRow>,
    pub dial: Option<Dial>,
    pub map: Map,
    /// Lines of the sheet not yet read.
    pub missing: Vec<String>,
    pub form: ReadingForm,
    pub captures: Vec<RunLine>,
    /// Runs that a rig recorded.
    pub recorded: Vec<RunLine>,
    /// The live gauge, where a rig is assigned.
    pub live: Option<Panel>,
    pub has_sheet: bool,
    /// Before and after at each point of the sheet.
    pub pairs: Vec<Pair>,
    /// Every point reads within after the repair.
    /// How far what was read after proves it; none before a repair.
    pub proof: Option<Proof>,
    /// What the closing is called, and whether it is the main act.
    pub closes: (&'static str, bool),
    pub repaired: bool,
    /// The engine must not run.
    pub forbidden: bool,
    /// The last reading was taken although the engine must not run.
    pub against_flag: bool,
    /// The seconds that a start of this engine may take.
    pub start_up: StartUp,
    pub script: Vec<Step>,
    /// The point that is done now; none when all are answered.
    pub now: Option<Now>,
}

/// A point of the run in the list of all.
pub struct Step {
    pub id: String,
    pub title: String,
    pub done: bool,
    pub now: bool,
    /// What the trace would learn most from.
    pub wanted: bool,
}

/// The point that is done now.
pub struct Now {
    pub place: usize,
    pub of: usize,
    pub title: String,
    pub act: String,
    pub caution: &'static str,
    /// A check that answers it.
    pub check: Option<CheckCard>,
}

/// A reading taken.
pub struct ReadingRow {
    pub entry: String,
    pub place: String,
    pub read: String,
    pub doubt: String,
    pub limit: String,
    pub decision: &'static str,
    pub word: &'static str,
    pub who: String,
    pub when: String,
    pub note: String,
    /// Photos of it.
    pub photos: Vec<String>,
    /// It was taken although the engine must not run.
    pub against_flag: bool,
}

/// The form: four numbers in a row, and what is chosen beside them.
pub struct ReadingForm {
    pub numbers: Vec<Field>,
    pub choices: Vec<Field>,
    /// What is seldom asked.
    pub more: Vec<Field>,
    /// One of those is not as usual.
    pub unusual: bool,
    /// The reading it corrects.
    pub supersedes: String,
}

/// A recorded run of the list.
pub struct RunLine {
    pub id: String,
    pub name: String,
    pub when: String,
    /// Readings were taken from it.
    pub read_from: bool,
    /// The entry by which it was withdrawn, and in words; empty while it counts.
    pub withdrawn: Option<(String, String)>,
}

impl RunLine {
    fn of_file(file: &File, job: &Job, unit: Units) -> Self {
        let withdrawn = job.upload_withdrawn(file.id);
        Self {
            id: file.id.to_string(),
            name: file.name.clone(),
            when: show::moment(file.uploaded_at, &job.zone),
            read_from: job.reads_from(file.id),
            withdrawn: withdrawn.map(|entry| (entry.id.to_string(), describe(&entry.body, unit))),
        }
    }
}

/// The readings of a phase as rows, the last one first.
pub fn rows(assessed: &Assessed, unit: Units, phase: Phase) -> Vec<ReadingRow> {
    let mut rows: Vec<ReadingRow> = taken(assessed)
        .filter(|(_, taken, _)| taken.reading.phase == phase)
        .map(|(entry, taken, judged)| row(&assessed.job, entry, taken, judged, unit))
        .collect();
    rows.reverse();
    rows
}

fn taken(assessed: &Assessed) -> impl Iterator<Item = (&Entry, &TakenReading, &JudgedReading)> {
    assessed.job.reading_entries().zip(&assessed.now.readings).filter_map(|(entry, judged)| match &entry.body {
        Body::Reading(taken) => Some((entry, taken, judged)),
        _ => None,
    })
}

fn row(job: &Job, entry: &Entry, taken: &TakenReading, judged: &JudgedReading, unit: Units) -> ReadingRow {
    let r = &taken.reading;
    let brought =
        if judged.brought { format!("{} at the sheet's point", show::pressure(judged.measured_kpa, unit)) } else { String::new() };
    let from = taken.capture.map(|(_, from, to)| format!("capture {from:.0}–{to:.0} s")).unwrap_or_default();
    let held = taken.held.map_or_else(String::new, |held| {
        let (drift, way) = (60.0 * held.slope_kpa_s.abs(), if held.slope_kpa_s < 0.0 { "falling" } else { "rising" });
        format!("mean of {}, {way} {} a minute", held.count, show::pressure(drift, unit))
    });
    let against_flag = against_flag(job, entry);
    let against = if against_flag { "taken although the engine must not run".to_owned() } else { String::new() };
    let note: Vec<String> = [brought, from, held, against].into_iter().filter(|text| !text.is_empty()).collect();
    ReadingRow {
        entry: entry.id.to_string(),
        place: reading_place(r, unit),
        read: show::read(r, unit),
        doubt: show::plus_minus(judged.u_kpa(), unit),
        limit: judged.point.map_or_else(|| "no limit here".to_owned(), |p| limit_words(p.min_kpa, p.max_kpa, unit)),
        decision: judged.decision.id(),
        word: if judged.point.is_none() { "no limit" } else { judged.decision.word() },
        who: entry.author_name.clone(),
        when: happened::when(entry, &job.zone),
        note: note.join(" · "),
        photos: notes::photos(job, entry.id),
        against_flag,
    }
}

/// What lies on the surface, before or after.
pub fn work(data: &ScreenData, (captures, rigs): &(Vec<File>, Rigs), after: bool) -> ReadingsWork {
    let (assessed, unit) = (data.assessed, data.frame.unit);
    let phase = if after { Phase::After } else { Phase::Before };
    let job = &assessed.job;
    let last = taken(assessed).filter(|(_, taken, _)| taken.reading.phase == phase).last();
    let reach = assessed.case.readings.iter().map(|r| r.kpa).chain(assessed.case.engine.relief_opens_kpa).fold(0.0, f64::max);
    let dial = last.map(|(_, taken, judged)| {
        let shown = Shown {
            kpa: taken.reading.kpa,
            u_kpa: judged.u_kpa(),
            min_kpa: judged.point.and_then(|p| p.min_kpa),
            max_kpa: judged.point.and_then(|p| p.max_kpa),
            reach_kpa: reach,
        };
        let caption = format!("{:.0} rpm, {}", taken.reading.rpm, unit.temp(taken.reading.oil_temp_c));
        let word = if judged.point.is_none() { "no limit here" } else { judged.decision.word() };
        dial::dial(&shown, unit, caption, judged.decision.id(), word)
    });
    let verdict = if after { &assessed.now.proof } else { &assessed.now.verdict };
    // The gauge used last is the likeliest, else the one that the rig was fitted with.
    let rigged = job.fitted_gauge().map(|gauge| gauge.name.clone());
    let last_gauge = taken(assessed).filter_map(|(_, taken, _)| taken.reading.instrument.clone()).last().or(rigged).unwrap_or_default();
    let points = script::script(&assessed.case, phase);
    let chosen = points.iter().find(|point| Some(point.id.as_str()) == data.frame.point.as_deref());
    // A data logger says how warm the oil is, whether anything was read or not.
    let warm = rigs.linked.as_ref().and_then(|linked| linked.oil_c()).is_some_and(|oil| oil >= script::COLD_C);
    let next = if after || warm {
        script::now(&points, warm || next_step::taken_hot(assessed, phase)).cloned()
    } else {
        next_step::point_now(assessed)
    };
    let now = chosen.or_else(|| points.iter().find(|point| next.as_ref().is_some_and(|next| next.id == point.id)));
    let rows = rows(assessed, unit, phase);
    let forbidden = assessed.now.flag.word == Word::DoNotRun;
    let proven = proof(&assessed.case, &assessed.now);
    ReadingsWork {
        after,
        live: live::panel(data, rigs, now, after),
        recorded: rigs.runs.iter().rev().map(|run| recorded_line(run, &job.zone)).collect(),
        start_up: StartUp::of(&assessed.case),
        script: points
            .iter()
            .map(|point| Step {
                id: point.id.clone(),
                title: point.title.clone(),
                done: point.done,
                now: Some(point) == now,
                wanted: !after && !point.done && !forbidden && next_step::wanted(assessed, point),
            })
            .collect(),
        now: now.map(|point| Now {
            place: points.iter().position(|other| other == point).unwrap_or_default() + 1,
            of: points.len(),
            title: point.title.clone(),
            act: if forbidden { MUST_NOT_RUN.to_owned() } else { point.act.clone() },
            caution: if forbidden { "" } else { point.caution },
            check: point.check.filter(|_| !forbidden).and_then(|check| cards::card(assessed, check, data.frame.unit)),
        }),
        dial,
        map: map::map(&if after { scene(assessed) } else { lines_alone(assessed) }, unit),
        missing: verdict.missing().map(|point| point_name(&assessed.case.engine, point, unit)).collect(),
        // Gear and slope follow a point that was chosen by hand alone: whoever reads another point than the script's must not find them changed.
        form: form(job, &data.frame.form_state, unit, last_gauge, chosen),
        captures: captures.iter().map(|file| RunLine::of_file(file, job, unit)).collect(),
        has_sheet: job.sheet().is_some(),
        pairs: pairs(&record::points(&assessed.case, &assessed.now), unit),
        closes: closes(proven.as_ref()),
        proof: proven,
        repaired: job.repair().is_some(),
        forbidden,
        against_flag: forbidden && rows.first().is_some_and(|row| row.against_flag),
        rows,
    }
}

/// What stands in the place of a point while the engine must not run.
const MUST_NOT_RUN: &str = "The engine must not run. This point waits: do first what the red notice says.";

/// It was read although the engine must not run, by what was known when it was read.
fn against_flag(job: &Job, entry: &Entry) -> bool {
    let (before, _) = job.case_at(entry.seq - 1);
    flag::flag(&before, None).word == Word::DoNotRun
}

fn recorded_line(run: &Recorded, zone: &Zone) -> RunLine {
    let minutes = run.clock().seconds() / 60.0;
    RunLine {
        id: run.id.to_string(),
        name: format!("{} live, {minutes:.1} min", run.rig),
        when: show::moment(run.started_at, zone),
        // A data logger's run cannot be uploaded to the wrong job, and is never withdrawn.
        read_from: true,
        withdrawn: None,
    }
}

/// The form of the next reading, or of one to be corrected.
fn form(job: &Job, form_state: &FormState, unit: Units, last_gauge: String, chosen: Option<&Point>) -> ReadingForm {
    let gauges = || {
        let ordinary = Choice { id: String::new(), label: "ordinary workshop gauge".to_owned() };
        let of_shop = job.gauges.iter().map(|gauge| Choice {
            id: gauge.name.clone(),
            label: match gauge.gauge.lamp_opens_kpa() {
                Some(opens) => format!("{} · opens at {}", gauge.name, show::pressure(opens, unit)),
                None => format!("{} · class {}", gauge.name, show::plain(gauge.gauge.class_percent)),
            },
        });
        std::iter::once(ordinary).chain(of_shop).collect()
    };
    let choices = |name: &str| match name {
        "gauge" => gauges(),
        "shows" => Choice::all(Shows::ALL),
        "slope" => Choice::all(Slope::ALL),
        "speed_held" => Choice::all(SpeedHeld::ALL),
        _ => Choice::all(Gear::ALL),
    };
    let mut numbers = FORM.draw(form_state, unit, choices);
    if form_state.form != FORM.name {
        for field in &mut numbers {
            match (field.name, chosen) {
                ("gauge", _) => field.value = last_gauge.clone(),
                ("gear", Some(point)) => field.value = point.gear.id().to_owned(),
                ("slope", Some(point)) => field.value = point.slope.unwrap_or(Slope::Level).id().to_owned(),
                _ => {}
            }
        }
    }
    let beside = numbers.split_off(numbers.iter().position(|field| field.name == "gauge").unwrap_or(numbers.len()));
    let (choices, beside): (Vec<_>, Vec<_>) = beside.into_iter().partition(|field| matches!(field.name, "gauge" | "gear" | "estimated"));
    let more: Vec<_> = beside.into_iter().filter(|field| matches!(field.name, "shows" | "slope" | "speed_held" | "hold_s")).collect();
    // What is not as usual is not hidden.
    let unusual = more.iter().any(|field| field.problem.is_some() || !matches!(field.value.as_str(), "" | "value" | "level" | "measured"));
    ReadingForm { numbers, choices, more, unusual, supersedes: form_state.typed(FORM.name, "supersedes").to_owned() }
}

/// The map beside the readings: lines alone, their bands are on the screen that compares.
fn lines_alone(assessed: &Assessed) -> Scene {
    let mut scene = scene(assessed);
    scene.curves.iter_mut().for_each(|curve| curve.band.clear());
    scene
}

/// The pressure map of a job.
pub fn scene(assessed: &Assessed) -> Scene {
    let in_force = assessed.job.sheet();
    let sheets = assessed.job.engine.sheets.iter().map(|sheet| (sheet, Some(sheet) == in_force));
    let apart = |place: usize| assessed.now.not_believed.iter().any(|told| told.reading == place);
    let readings = taken(assessed).map(|(_, taken, judged)| (&taken.reading, judged.u_kpa(), apart(judged.reading)));
    Scene::of(sheets, readings, curves(&assessed.case, &assessed.now, &assessed.tracer).to_vec())
}
