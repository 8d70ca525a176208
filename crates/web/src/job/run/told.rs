//! What a recorded run tells: its facts, and its holds on offer with what each would say of the sheet.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::run::source::{RIGS, Source};
use crate::ui::show;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use std::sync::Arc;
use uuid::Uuid;
use velvet_dial_core::capture::{self, Analysis, Hold, Run};
use velvet_dial_core::case::{Case, Phase, Reading};
use velvet_dial_core::diagnosis::judge;
use velvet_dial_core::flag::StopLines;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::live::{self, StopCall};
use velvet_dial_core::start_up::StartUp;
use velvet_dial_core::trace::Tracer;
use velvet_dial_core::unit::{Gear, Units};
use velvet_dial_store::jobs::{Body, Job};
use velvet_dial_store::rigs::{self, Mark};

/// A hold on offer.
pub struct Offer {
    pub number: usize,
    pub span: String,
    pub place: String,
    pub read: String,
    /// What the sheet says to it; empty where there is no line for it.
    pub limit: String,
    pub decision: &'static str,
    pub word: &'static str,
    /// Asked for when it was not recorded.
    pub rpm: Option<String>,
    /// Likewise.
    pub oil_temp_c: Option<String>,
    pub pressure: String,
    pub spread: String,
    pub from_s: String,
    pub to_s: String,
    pub taken: bool,
}

/// One thing that a run tells beside its holds.
pub struct Fact {
    pub what: &'static str,
    pub told: String,
    /// The check that it answers.
    pub answers: Option<Answers>,
}

/// A check that the run answers by itself, taken over by a tap.
pub struct Answers {
    pub check: &'static str,
    pub outcome: &'static str,
    pub label: String,
    /// The finding a tap would supersede.
    pub supersedes: String,
    /// It is recorded so already.
    pub done: bool,
}

impl Answers {
    fn of(job: &Job, phase: Phase, check: &'static str, outcome: &'static str) -> Option<Self> {
        let label = knowledge().found(check, outcome)?.1.label.clone();
        let stands = job.live().find_map(|entry| match &entry.body {
            Body::Evidence { check: of, outcome, phase: then, .. } if of == check && *then == phase => {
                Some((entry.id.to_string(), outcome.clone()))
            }
            _ => None,
        });
        let done = stands.as_ref().is_some_and(|(_, stands)| stands == outcome);
        Some(Self { check, outcome, label, supersedes: stands.map(|(entry, _)| entry).unwrap_or_default(), done })
    }
}

/// A marked moment.
pub struct Marked {
    pub id: String,
    pub at: String,
    pub note: String,
    pub who: String,
}

/// What stands round every offer.
pub struct Taking {
    pub number: i64,
    pub id: String,
    pub gauges: Vec<String>,
    /// The one used last in this job, or the rig's own.
    pub gauge: String,
    pub key: Uuid,
    pub seen: i32,
    pub repaired: bool,
}

/// All that is told of a run.
#[derive(Template)]
#[template(path = "job/run/told.html")]
pub struct RunAnalysis {
    pub offers: Vec<Offer>,
    /// Times of the holds, as the strip reads them.
    pub holds: String,
    pub facts: Vec<Fact>,
    pub notes: Vec<String>,
    pub seconds: String,
    pub samples: usize,
    /// Moments that somebody marked.
    pub marks: Vec<Marked>,
    /// Their times, as the strip reads them.
    pub mark_times: String,
    /// The run in figures, for those who cannot see it.
    pub figures: Vec<[String; 4]>,
    pub taking: Taking,
}

#[derive(Template)]
#[template(path = "job/run/hold.html")]
struct One {
    offer: Offer,
    taking: Taking,
}

/// By what a hold is judged.
struct Judging {
    case: Case,
    tracer: Arc<Tracer>,
    taken: Vec<(f64, f64)>,
    gauge: String,
    phase: Phase,
    unit: Units,
    /// What the gauge shows at rest.
    zero_kpa: f64,
}

impl Taking {
    fn of(job: &Job, source: &Source, number: i64, id: Uuid) -> Self {
        let of_rig = match source {
            Source::Rig(recorded) => {
                recorded.gauge.and_then(|key| job.gauges.iter().find(|gauge| gauge.id == key)).map(|gauge| gauge.name.clone())
            }
            Source::File { .. } => None,
        };
        let used = || job.case().readings.iter().filter_map(|reading| reading.instrument.clone()).next_back();
        Self {
            number,
            id: id.to_string(),
            gauges: job.gauges.iter().map(|gauge| gauge.name.clone()).collect(),
            gauge: of_rig.or_else(used).or_else(|| job.fitted_gauge().map(|gauge| gauge.name.clone())).unwrap_or_default(),
            key: Uuid::new_v4(),
            seen: job.seq(),
            repaired: job.repair().is_some(),
        }
    }
}

fn judging(context: &JobContext, job: &Job, taking: &Taking, id: Uuid) -> Result<Judging, Failure> {
    let case = job.case();
    let tracer = context.app.kept.tracer(&case)?;
    let taken = job.live().filter_map(|entry| match &entry.body {
        Body::Reading(taken) => taken.capture.filter(|(run, ..)| *run == id).map(|(_, from, to)| (from, to)),
        _ => None,
    });
    let taken = taken.collect();
    let phase = if taking.repaired { Phase::After } else { Phase::Before };
    let zero_kpa = job.zero_kpa();
    Ok(Judging { case, tracer, taken, gauge: taking.gauge.clone(), phase, unit: context.preferences.unit, zero_kpa })
}

/// All that a run tells, for the page it stands on.
pub async fn told(context: &JobContext, job: &Job, source: &Source, id: Uuid, run: Arc<Run>) -> Result<RunAnalysis, Failure> {
    let taking = Taking::of(job, source, context.number, id);
    let judging = judging(context, job, &taking, id)?;
    let card = job.engine.card.clone();
    let marks = marks(context, source).await?;
    let job = job.clone();
    let work = move || {
        let told = capture::analysed(&run, Some(&card));
        let beyond = beyond_lines(&run, &judging);
        let offers = told.holds.iter().enumerate().map(|(place, hold)| judging.offer(place + 1, hold)).collect();
        RunAnalysis {
            offers,
            holds: serde_json::to_string(&told.holds.iter().map(|hold| (hold.from_s, hold.to_s)).collect::<Vec<_>>()).unwrap_or_default(),
            facts: facts(&told, &job, &judging),
            seconds: format!("{:.0}", told.to_s - told.from_s),
            samples: told.samples,
            figures: figures(&run, judging.unit),
            mark_times: serde_json::to_string(&marks.iter().map(|mark| mark.at_s).collect::<Vec<_>>()).unwrap_or_default(),
            marks: marks.into_iter().map(marked).collect(),
            notes: beyond.into_iter().chain(told.notes.iter().map(|note| note.words(judging.unit))).collect(),
            taking,
        }
    };
    Ok(context.app.work.behind(work).await?)
}

/// Where the engine ran beyond a stop line, in words.
fn beyond_lines(run: &Run, judging: &Judging) -> Vec<String> {
    let stretches = live::beyond_lines(run, judging.zero_kpa, &StopLines::of(&judging.case, Gear::default()));
    let words = stretches.iter().filter(|beyond| beyond.line_kpa.is_some()).map(|beyond| {
        let (side, seconds) = (if beyond.over() { "Over the upper" } else { "Below the" }, beyond.to_s - beyond.from_s);
        format!("{side} stop line for {seconds:.1} s from {:.1} s on: {}", beyond.from_s, StopCall::BeyondLine(*beyond).says(judging.unit))
    });
    words.collect()
}

/// The marks of a rig's run; a file has none.
pub async fn marks(context: &JobContext, source: &Source) -> Result<Vec<Mark>, Failure> {
    match source {
        Source::Rig(recorded) => Ok(rigs::marks(&context.app.db, recorded).await?),
        Source::File { .. } => Ok(Vec::new()),
    }
}

fn marked(mark: Mark) -> Marked {
    Marked {
        id: mark.id.to_string(),
        at: format!("{:.1} s", mark.at_s),
        note: mark.note,
        who: mark.who.unwrap_or_else(|| "at the data logger".to_owned()),
    }
}

/// The part of a rig's page that takes a moment.
pub async fn fragment(context: JobContext, path: web::Path<(i64, Uuid)>) -> Result<HttpResponse, Failure> {
    let source = Source::of(&context, RIGS, path.1).await?;
    let job = context.job().await?;
    let run = source.whole(&context).await?.map_err(|error| Failure::Form(error.to_string()))?;
    let told = told(&context, &job, &source, path.1, run).await?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(told.render()?))
}

/// Which stretch.
#[derive(Deserialize)]
pub struct Stretch {
    number: usize,
    from: f64,
    to: f64,
}

/// One hold as a person moved it, judged anew.
pub async fn hold(
    context: JobContext,
    path: web::Path<(i64, String, Uuid)>,
    stretch: web::Query<Stretch>,
) -> Result<HttpResponse, Failure> {
    let source = Source::of(&context, &path.1, path.2).await?;
    let job = context.job().await?;
    let taking = Taking::of(&job, &source, context.number, path.2);
    let judging = judging(&context, &job, &taking, path.2)?;
    let (number, from_s, to_s) = (stretch.number, stretch.from, stretch.to);
    let run = source.stretch(&context, from_s, to_s).await?;
    let offer = move || capture::between(&run, from_s, to_s).map(|hold| judging.offer(number, &hold));
    let offer = context.app.work.out(offer).await?.ok_or_else(|| Failure::Form("a stretch in which nothing was recorded".to_owned()))?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(One { offer, taking }.render()?))
}

impl Judging {
    fn offer(&self, number: usize, hold: &Hold) -> Offer {
        let unit = self.unit;
        let place = [hold.rpm.map(|rpm| format!("{rpm:.0} rpm")), hold.oil_temp_c.map(|temp| unit.temp(temp))];
        let judged = hold.rpm.zip(hold.oil_temp_c).map(|(rpm, oil_temp_c)| {
            let instrument = Some(self.gauge.clone()).filter(|gauge| !gauge.is_empty());
            let reading =
                Reading { spread_kpa: hold.spread_kpa, phase: self.phase, instrument, ..Reading::of(rpm, oil_temp_c, hold.kpa.max(0.0)) };
            judge(&self.case, self.case.readings.len(), &reading, &self.tracer)
        });
        let judged = judged.filter(|judged| judged.point.is_some());
        Offer {
            number,
            span: format!("{:.1} to {:.1} s", hold.from_s, hold.to_s),
            place: place.into_iter().flatten().collect::<Vec<_>>().join(" · "),
            read: format!("{} ± {}", show::pressure(hold.kpa, unit), unit.show(hold.spread_kpa)),
            limit: judged
                .as_ref()
                .and_then(|judged| judged.point)
                .map(|point| limit_words(point.min_kpa, point.max_kpa, unit))
                .unwrap_or_default(),
            decision: judged.as_ref().map_or("", |judged| judged.decision.id()),
            word: judged.as_ref().map_or("", |judged| judged.decision.word()),
            rpm: hold.rpm.map(|rpm| format!("{rpm:.0}")),
            oil_temp_c: hold.oil_temp_c.map(|temp| format!("{temp:.1}")),
            pressure: format!("{:.2}", hold.kpa.max(0.0)),
            spread: format!("{:.2}", hold.spread_kpa),
            from_s: format!("{:.2}", hold.from_s),
            to_s: format!("{:.2}", hold.to_s),
            taken: self.taken.iter().any(|(from, to)| (from - hold.from_s).abs() < 0.01 && (to - hold.to_s).abs() < 0.01),
        }
    }
}

/// The run in some twenty rows.
fn figures(run: &Run, unit: Units) -> Vec<[String; 4]> {
    let said = |value: f64, text: String| if value.is_finite() { text } else { "–".to_owned() };
    capture::levels(run, f64::MIN, f64::MAX, 20)
        .into_iter()
        .map(|level| {
            let [least, mean, most] = level.kpa;
            [
                format!("{:.0} s", level.time_s),
                format!("{} ({} to {})", show::pressure(mean, unit), unit.show(least), unit.show(most)),
                said(level.rpm, format!("{:.0} rpm", level.rpm)),
                said(level.oil_temp_c, unit.temp(level.oil_temp_c)),
            ]
        })
        .collect()
}

/// What a run tells beside its holds, in the order of the run.
fn facts(told: &Analysis, job: &Job, judging: &Judging) -> Vec<Fact> {
    let unit = judging.unit;
    let kpa = |kpa: f64| show::pressure(kpa, unit);
    let said = [
        ("At rest", told.zero_kpa.map(|zero| format!("{} with the engine standing", kpa(zero)))),
        ("Start", told.build_time_s.map(|seconds| format!("pressure shows after {seconds:.1} s"))),
        ("Cold peak", told.cold_peak_kpa.map(kpa)),
        ("Warm-up", told.warm_up.as_ref().map(|warm| warm.says.words(unit))),
        (
            "Sweep",
            told.sweep.map(|sweep| match sweep.knee_rpm {
                Some(knee) => format!("relief opening point at {knee:.0} rpm"),
                None => "rises to the end".to_owned(),
            }),
        ),
        ("Needle", told.needle.as_ref().map(|needle| format!("± {}. {}", kpa(needle.size_kpa), needle.points_to))),
        ("Dash", told.dash_needle.as_ref().map(|needle| format!("± {}. {}", kpa(needle.size_kpa), needle.points_to))),
    ];
    let answers = |what: &str| match what {
        "Start" => Answers::of(job, judging.phase, "build_time", StartUp::of(&judging.case).outcome(told.build_time_s?)),
        "Needle" => Answers::of(job, judging.phase, "needle", told.needle.as_ref()?.kind.outcome()),
        _ => None,
    };
    said.into_iter().filter_map(|(what, told)| told.map(|told| Fact { what, told, answers: answers(what) })).collect()
}
