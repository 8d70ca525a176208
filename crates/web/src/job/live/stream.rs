//! What the rig shows, ten times a second, as server-sent events: figures and bars as they stand on the screen, and the frames since the last event.
//!
//! The stream is asked for its next event when the browser has taken the one before. Who is slow gets more frames at once, drawn together into coarser ones; the recording
//! knows nothing of it.
use super::stopped;
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::assess::assess;
use crate::job::run::source::{Source, level};
use crate::ui::picture::strip;
use crate::ui::show;
use actix_web::web::{self, Bytes};
use actix_web::{Error, HttpResponse};
use futures_util::stream::unfold;
use serde::{Deserialize, Serialize};
use std::time::Duration;
use tokio::time::{Instant, sleep, timeout};
use uuid::Uuid;
use velvet_dial_core::capture::{self, Motion, Run};
use velvet_dial_core::case::{Case, Phase};
use velvet_dial_core::flag::StopLines;
use velvet_dial_core::live::{self, Start, StopCall};
use velvet_dial_core::script::{Point, script};
use velvet_dial_rig::chunk;
use velvet_dial_rig::hub::{Frame, Linked};
use velvet_dial_store::rigs;

/// An event so often at most.
const EVERY: Duration = Duration::from_millis(100);
/// Where the value alone is shown.
const SELDOM: Duration = Duration::from_secs(1);
/// And a word at least so often, so that a link that broke is known.
const AT_LEAST: Duration = Duration::from_secs(2);
/// A stream ends after so long; the browser asks anew, and shows again that it may.
const LONGEST: Duration = Duration::from_secs(600);
/// Frames of one event; more are drawn together.
const MOST: usize = 600;
/// The needle's motion is looked for so often, over so long, s.
const NEEDLE_EVERY: Duration = Duration::from_secs(3);
const NEEDLE_S: f64 = 180.0;
/// What the bars look at, s.
const LOOKS_S: f64 = 30.0;

#[derive(Deserialize)]
#[serde(default)]
#[derive(Default)]
pub struct Wanted {
    phase: String,
    point: String,
    /// The value alone, once a second.
    brief: bool,
}

/// What is said at once.
#[derive(Serialize)]
struct Event {
    /// The rig is linked.
    on: bool,
    /// What is said of the link; empty while it stands.
    link: String,
    /// Key of the run.
    run: String,
    value: String,
    unit: &'static str,
    rpm: String,
    oil: String,
    dash: String,
    steady: (f64, String),
    warm: Option<(f64, String)>,
    hold: Option<(f64, f64)>,
    so_far: Option<(f64, f64)>,
    stop: Option<String>,
    /// It has its entry: every screen of the job shows it.
    stop_written: bool,
    /// Why no stop can be called as it should.
    blind: Option<&'static str>,
    /// The oil is too warm for the point by now.
    late: bool,
    /// Seconds until pressure showed, and the outcome that this is.
    built: Option<(String, &'static str)>,
    /// How the needle moved, and the outcome that this is.
    needle: Option<(String, &'static str)>,
    /// Times that the rig's own key for a hold was pressed.
    keys: u64,
    /// Marked moments, seconds of the run.
    marks: Vec<f64>,
    codes: Vec<String>,
    /// Time, least, mean and greatest pressure, speed, oil, dash.
    frames: Vec<[Option<f64>; 7]>,
}

/// A watcher and how far they have seen.
struct Watcher {
    context: JobContext,
    every: Duration,
    /// By which the engine's stop lines are known.
    case: Case,
    point: Option<Point>,
    zero_kpa: f64,
    /// The stop that is called this moment has its entry; when that was tried last.
    called: bool,
    tried: Option<Instant>,
    after: u64,
    run: Uuid,
    last: Instant,
    ends: Instant,
    /// How the needle moved when it was last looked at, and when that was.
    needle: (Option<(String, &'static str)>, Instant),
}

/// The stream of a job's rig.
pub async fn stream(context: JobContext, wanted: web::Query<Wanted>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let zero_kpa = job.zero_kpa();
    let mut point = None;
    let case = job.case();
    if !wanted.brief {
        let assessed = assess(context.app.clone(), job, None).await?;
        let phase = if wanted.phase == "after" { Phase::After } else { Phase::Before };
        point = script(&assessed.case, phase).into_iter().find(|point| point.id == wanted.point);
    }
    let now = Instant::now();
    let every = if wanted.brief { SELDOM } else { EVERY };
    let (run, last, ends) = (Uuid::nil(), now - every, now + LONGEST);
    let watcher =
        Watcher { context, every, case, point, zero_kpa, called: false, tried: None, after: 0, run, last, ends, needle: (None, now) };
    let events = unfold(Some(watcher), |watcher| async move {
        let mut watcher = watcher.filter(|watcher| watcher.ends > Instant::now())?;
        let text = watcher.next().await;
        Some((Ok::<Bytes, Error>(Bytes::from(text)), Some(watcher)))
    });
    Ok(crate::http::events(events))
}

impl Watcher {
    /// The next event, when there is something new to say.
    async fn next(&mut self) -> String {
        sleep((self.last + self.every).saturating_duration_since(Instant::now())).await;
        let linked = self.context.app.hub.of_job(self.context.viewer.shop, self.context.number);
        if let Some(linked) = &linked {
            if self.run != linked.run {
                (self.run, self.after) = (linked.run, 0);
            }
            let mut watch = linked.watch();
            let seen = self.after;
            // Silence is news too.
            let _news = timeout(AT_LEAST, watch.wait_for(|closed| *closed > seen)).await;
        } else {
            sleep(AT_LEAST / 4).await;
        }
        self.last = Instant::now();
        let asked = self.point.as_ref().is_some_and(|point| point.check == Some("needle"));
        if asked && self.needle.1.elapsed() > NEEDLE_EVERY {
            self.needle = (self.needle_moved().await, Instant::now());
        }
        let (mut event, call) = self.event(linked.as_deref());
        self.write_down(call).await;
        event.stop_written = self.called;
        if event.link.is_empty() {
            event.needle.clone_from(&self.needle.0);
        }
        format!("data: {}\n\n", serde_json::to_string(&event).unwrap_or_default())
    }

    /// How the needle moved over the last minutes, from what is kept: frames are too coarse for it.
    async fn needle_moved(&self) -> Option<(String, &'static str)> {
        let (app, number) = (&self.context.app, self.context.number);
        let recorded = rigs::recorded(&app.db, &self.context.viewer, number, self.run).await.ok()?;
        let (from_s, to_s) = ((recorded.clock().seconds() - NEEDLE_S).max(0.0), recorded.clock().seconds());
        let run = Source::Rig(recorded).stretch(&self.context, from_s, to_s).await.ok()?;
        let unit = self.context.preferences.unit;
        let look = move || {
            let needle = capture::analysed(&run, None).needle?;
            let outcome = match needle.kind {
                Motion::Steady => "steady",
                Motion::Sway => "sway",
                Motion::Flutter => "flutter",
                Motion::Jumping => "jumping",
            };
            Some((format!("± {}. {}", show::pressure(needle.size_kpa, unit), needle.points_to), outcome))
        };
        app.work.out(look).await.ok()?
    }

    /// A stop that is called becomes an entry, once.
    async fn write_down(&mut self, call: Option<(StopCall, f64)>) {
        let Some((call, last_s)) = call else {
            (self.called, self.tried) = (false, None);
            return;
        };
        if !self.called && self.tried.is_none_or(|tried| tried.elapsed() > AT_LEAST) {
            self.tried = Some(Instant::now());
            let written = stopped::record(&self.context, self.run, &call, last_s).await;
            self.called = written.inspect_err(|error| tracing::error!("a stop call was not written: {error}")).unwrap_or(false);
        }
    }

    /// What is said now, and the stop that is called with the time of the run at which it is.
    fn event(&mut self, linked: Option<&Linked>) -> (Event, Option<(StopCall, f64)>) {
        let unit = self.context.preferences.unit;
        let mut event = Event {
            on: false,
            link: "The data logger is not connected yet. It connects automatically.".to_owned(),
            run: String::new(),
            value: "–".to_owned(),
            unit: unit.label(),
            rpm: String::new(),
            oil: String::new(),
            dash: String::new(),
            steady: (0.0, "no link".to_owned()),
            warm: None,
            hold: None,
            so_far: None,
            stop: None,
            stop_written: false,
            blind: None,
            late: false,
            built: None,
            needle: None,
            keys: 0,
            marks: Vec::new(),
            codes: Vec::new(),
            frames: Vec::new(),
        };
        let Some(linked) = linked else { return (event, None) };
        let told = linked.told();
        let (closed, frames) = linked.frames(self.after);
        self.after = closed;
        event.run = linked.run.to_string();
        event.codes = told.codes;
        event.keys = told.holds_asked;
        event.marks = told.marks;
        let frames = if self.every == SELDOM { Vec::new() } else { frames };
        event.frames = thinned(&frames, MOST).iter().map(|frame| strip::row(&level(frame.time_s, &frame.peaks), unit)).collect();
        let (_, recent) = linked.frames(closed.saturating_sub((LOOKS_S / velvet_dial_rig::hub::FRAME_S) as u64));
        event.on = told.on;
        event.link = match (told.on, told.silent_s) {
            (false, _) => {
                "The connection is lost. The data logger sends what it measured when it is back. Nothing is recorded until then.".to_owned()
            }
            (true, silent) if silent > 2.0 => format!("Nothing came for {silent:.0} s."),
            _ => String::new(),
        };
        let Some(last) = recent.last() else { return (event, None) };
        let [kpa, rpm, oil, dash, _] = last.peaks.map(|peak| f64::from(peak.mean));
        event.value = if kpa.is_finite() && event.link.is_empty() { unit.show(kpa) } else { "–".to_owned() };
        let said = |value: f64, text: String| if value.is_finite() { text } else { String::new() };
        event.rpm = said(rpm, format!("{rpm:.0} rpm"));
        event.oil = said(oil, unit.temp(oil));
        event.dash = said(dash, show::pressure(dash, unit));
        if !event.link.is_empty() {
            return (event, None);
        }
        let run = run_of(&recent);
        let gear = self.point.as_ref().map(|point| point.gear).unwrap_or_default();
        let lines = StopLines::of(&self.case, gear);
        let call = live::stop_call(&run, self.zero_kpa, &lines);
        event.stop = call.as_ref().map(|call| call.says(unit));
        event.blind = live::cannot_call(&run);
        if let Some(start @ Start::Built(seconds)) = live::start(&run, self.zero_kpa) {
            event.built = live::build_outcome(start, lines.start_up()).map(|outcome| (format!("{seconds:.1} s"), outcome));
        }
        if let Some(point) = &self.point {
            let now = live::now(&run, point, unit);
            event.late = point.oil_c.is_some_and(|(_, most)| oil > most);
            event.steady = (now.steady.full, now.steady.says);
            event.warm = now.warm.map(|bar| (bar.full, bar.says));
            // Nobody keeps an engine running for a reading that says it must be shut off.
            (event.hold, event.so_far) = if call.is_some() { (None, None) } else { (now.hold, now.so_far) };
        }
        (event, call.map(|call| (call, last.time_s)))
    }
}

/// The last half minute as a run.
fn run_of(frames: &[Frame]) -> Run {
    let mut run = Run::default();
    let column = |place: usize| -> Vec<f64> {
        let means: Vec<f64> = frames.iter().map(|frame| frame.peaks.get(place).map_or(f64::NAN, |peak| f64::from(peak.mean))).collect();
        if means.iter().any(|mean| mean.is_finite()) { means } else { Vec::new() }
    };
    run.time_s = frames.iter().map(|frame| frame.time_s).collect();
    (run.kpa, run.rpm, run.oil_temp_c) = (column(0), column(1), column(2));
    run
}

/// So many frames that it is not too many: neighbours are drawn together, and keep their least and greatest.
fn thinned(frames: &[Frame], most: usize) -> Vec<Frame> {
    let per = frames.len().div_ceil(most).max(1);
    frames
        .chunks(per)
        .filter_map(|some| {
            let time_s = some.first()?.time_s;
            Some(Frame { time_s, peaks: chunk::together(some.iter().map(|frame| &frame.peaks)) })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_rig::chunk::Peak;

    /// Who is slow sees fewer frames, and every peak of them.
    #[test]
    fn frames_are_drawn_together_without_losing_a_peak() {
        let frame = |place: usize| {
            let value = if place == 377 { 900.0 } else { 100.0 + place as f32 % 7.0 };
            Frame { time_s: place as f64 * 0.05, peaks: [Peak { least: value, mean: value, most: value }; 5] }
        };
        let all: Vec<Frame> = (0..1000).map(frame).collect();
        for most in [1, 7, 100, 999, 1000, 5000] {
            let some = thinned(&all, most);
            assert!(some.len() <= most && some.len() <= all.len());
            assert!(some.iter().any(|frame| frame.peaks.iter().all(|peak| peak.most == 900.0)), "{most}");
            assert!(some.iter().any(|frame| frame.peaks.iter().all(|peak| peak.least == 100.0)), "{most}");
            assert!(some.array_windows().all(|[a, b]| a.time_s < b.time_s));
        }
        assert!(thinned(&[], 10).is_empty());
    }
}
