//! A job of the practice bench: the vehicle answers by itself. What was done is in the job's history with its price; what it showed follows from the scene.
use super::context::{JobContext, Sent};
use crate::http::form;
use crate::http::{Failure, FormState};
use crate::job::assess::assess;
use crate::job::frame::ScreenRequest;
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use std::collections::HashMap;
use std::fmt::Write;
use std::sync::{Arc, LazyLock};
use velvet_dial_core::circuit::Working;
use velvet_dial_core::field;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::scene::Scene;
use velvet_dial_practice::senses::sense;
use velvet_dial_store::jobs::{Body, Job};

/// What the frame of a practice job shows, on every screen.
pub struct Bench {
    pub grade: String,
    /// Minutes so far.
    pub minutes: String,
    /// Money so far, in the shop's.
    pub money: String,
    pub ended: bool,
    /// What each check that was done showed, by its id.
    senses: HashMap<String, &'static str>,
    /// The gauge as it was read last.
    pub gauge: Option<Dial>,
    /// Idle and hot, for the form.
    pub idle_rpm: String,
    pub hot: String,
}

/// A gauge whose needle the trainee reads.
pub struct Dial {
    pub at: String,
    pub svg: String,
}

impl Bench {
    /// What a check showed; none before it is done.
    pub fn sensed(&self, check: &str) -> Option<&'static str> {
        self.senses.get(check).copied()
    }
}

/// Scenes by seed and grade.
type SceneCache = moka::sync::Cache<(u64, u8), Option<Arc<Scene>>>;

/// Scenes that were drawn lately: each follows from its seed, and is drawn again when it is not here.
static SCENES: LazyLock<SceneCache> = LazyLock::new(|| moka::sync::Cache::new(256));
/// Oil temperature of a hot engine in the form where there is no sheet, °C.
const HOT_C: f64 = 95.0;

/// The scene of a job; none where it is a real one.
pub fn scene(job: &Job) -> Option<Arc<Scene>> {
    let which = job.head.scene?;
    let grade = *Grade::ALL.get(usize::from(which.grade))?;
    SCENES.get_with((which.seed, which.grade), || Scene::drawn(which.seed, grade).map(Arc::new))
}

/// The causes that were repaired before an entry.
pub fn repaired(job: &Job, before_seq: i32) -> Vec<usize> {
    let bodies = job.entries.iter().filter(|entry| entry.seq < before_seq).map(|entry| &entry.body);
    let causes = bodies.filter_map(|body| if let Body::Repair(repair) = body { repair.cause.as_deref() } else { None });
    causes.filter_map(|id| knowledge().cause(id)).collect()
}

/// Minutes and money of everything that was done so far, withdrawn or not.
pub fn spent(job: &Job) -> (f64, f64) {
    let know = knowledge();
    job.entries.iter().fold((0.0, 0.0), |(minutes, money), entry| {
        let (more, cost) = match &entry.body {
            Body::Sensed { minutes, money, .. } => (*minutes, *money),
            Body::Repair(repair) => {
                let row = repair.cause.as_deref().and_then(|id| know.cause(id)).and_then(|place| know.causes.get(place));
                row.map_or((0.0, 0.0), |cause| (cause.repair_minutes, know.money(cause.repair_minutes, cause.parts)))
            }
            _ => (0.0, 0.0),
        };
        (minutes + more, money + cost)
    })
}

/// Whether a check was done, and since the last repair where there was one.
pub fn was_done(job: &Job, check: &str) -> bool {
    let since = job.entries.iter().rev().take_while(|entry| !matches!(entry.body, Body::Repair(_)));
    since.into_iter().any(|entry| matches!(&entry.body, Body::Sensed { check: done, at: None, .. } if done == check))
}

/// The bench of a job; none where it is a real one.
pub fn bench(job: &Job, unit: Units) -> Option<Bench> {
    let scene = scene(job)?;
    let mut senses = HashMap::new();
    let mut gauge = None;
    for entry in &job.entries {
        match &entry.body {
            Body::Sensed { check, at: None, .. } => {
                let outcome = scene.outcome_after(check, &repaired(job, entry.seq));
                let outcome = knowledge().check(check).and_then(|row| row.outcomes.get(outcome)).map_or("", |outcome| &outcome.id);
                senses.extend(sense(check, outcome).map(|said| (check.clone(), said)));
            }
            Body::Sensed { at: Some((rpm, oil_temp_c)), .. } => {
                let at = Working { rpm: *rpm, oil_temp_c: *oil_temp_c };
                let kpa = scene.gauge_after_kpa(at, &repaired(job, entry.seq));
                let card = scene.brief().instruments.into_values().next().unwrap_or_default();
                gauge = Some(Dial { at: format!("{rpm:.0} rpm, oil at {}", unit.temp(*oil_temp_c)), svg: dial(&card, kpa) });
            }
            // After a repair each check is done anew.
            Body::Repair(_) => senses.clear(),
            _ => {}
        }
    }
    let (minutes, money) = spent(job);
    let hot_c = job.sheet().and_then(|sheet| sheet.points.first()).map_or(HOT_C, |point| point.oil_temp_c);
    Some(Bench {
        grade: first_upper(scene.grade.label()),
        minutes: show::minutes(minutes),
        money: format!("{money:.0}"),
        ended: job.head.scene.is_some_and(|scene| scene.ended_at.is_some()),
        senses,
        gauge,
        idle_rpm: format!("{:.0}", job.engine.card.idle_rpm),
        hot: format!("{:.0}", unit.temperature.of_c(hot_c)),
    })
}

/// A dial with the gauge's own marks, in kPa, and its needle. The number is for the trainee to read.
fn dial(card: &Instrument, kpa: f64) -> String {
    let full = card.full_scale_kpa;
    let point = |share: f64, radius: f64| {
        let angle = (135.0 + 270.0 * share.clamp(-0.02, 1.02)).to_radians();
        (110.0 + radius * angle.cos(), 110.0 + radius * angle.sin())
    };
    let mut svg = String::from(
        "<svg class=\"bench-dial\" viewBox=\"0 0 220 200\" role=\"img\" aria-label=\"The test gauge: read its needle\"><circle class=\"face\" cx=\"110\" cy=\"110\" r=\"88\"/>",
    );
    let step = card.graduation_kpa.max(full / 200.0);
    let long = (5.0 * step).max(full / 10.0);
    for place in 0..=(full / step).round() as usize {
        let at = place as f64 * step;
        let major = (at / long - (at / long).round()).abs() < 1e-6;
        let ((x1, y1), (x2, y2)) = (point(at / full, 80.0), point(at / full, if major { 66.0 } else { 73.0 }));
        let _ = write!(
            svg,
            "<line class=\"{}\" x1=\"{x1:.1}\" y1=\"{y1:.1}\" x2=\"{x2:.1}\" y2=\"{y2:.1}\"/>",
            if major { "major" } else { "minor" }
        );
        if major {
            let (x, y) = point(at / full, 53.0);
            let _ = write!(svg, "<text x=\"{x:.1}\" y=\"{:.1}\">{at:.0}</text>", y + 4.0);
        }
    }
    let ((x, y), (bx, by)) = (point(kpa / full, 76.0), point(kpa / full, -14.0));
    let _ = write!(
        svg,
        "<line class=\"pointer\" x1=\"{bx:.1}\" y1=\"{by:.1}\" x2=\"{x:.1}\" y2=\"{y:.1}\"/><circle class=\"hub\" cx=\"110\" cy=\"110\" r=\"5\"/><text class=\"unit\" x=\"110\" y=\"150\">kPa</text></svg>"
    );
    svg
}

/// Does a check on the bench, or runs the engine and shows the gauge.
async fn do_it(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let text = |name: &str| form.get(name).map_or("", |text| text.trim());
    let stage = Stage::parse(text("stage")).unwrap_or(Stage::Look);
    let sent = Sent::of(&form);
    let job = context.job().await?;
    let ended = job.head.scene.is_none_or(|scene| scene.ended_at.is_some());
    if ended {
        return Err(Failure::Form("this is no scene of the practice bench, or it was handed back".to_owned()));
    }
    let (minutes, money, check, at) = match text("check") {
        "" => {
            let unit = context.preferences.unit;
            let mut form_state = FormState::of("bench");
            for name in ["rpm", "oil"] {
                form_state.keep(name, text(name));
            }
            let rpm = form_state.take("rpm", field::RPM.parse(text("rpm")));
            let oil = form_state.take("oil", field::OIL_TEMP.parse_temp(text("oil"), unit.temperature));
            let (Some(rpm), Some(oil)) = (rpm, oil) else {
                let ask = ScreenRequest { seen: sent.seen(), form_state, ..ScreenRequest::default() };
                return context.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
            };
            let (minutes, money) = price_of_reading(&job, oil);
            (minutes, money, String::new(), Some((rpm, oil)))
        }
        id => {
            let check = knowledge().check(id).ok_or_else(|| Failure::Form("this check is not on the list".to_owned()))?;
            let assessed = assess(context.app.clone(), job, None).await?;
            let situation = assessed.now.situation(&assessed.case);
            let way = situation.way_to_check(check).map_or_else(Default::default, |way| situation.price(knowledge(), &way));
            let card = &assessed.case.engine;
            let minutes = way.minutes + check.minutes_on(card);
            (minutes, knowledge().money(minutes, way.material + check.material_on(card)), id.to_owned(), None)
        }
    };
    let fields = vec![("stage".to_owned(), stage.id().to_owned()), ("check".to_owned(), check.clone())];
    context.write(stage, sent, Body::Sensed { check, at, minutes, money }, "bench", fields).await
}

/// Minutes and money of a reading: the gauge is fitted once, the oil warmed once, and each reading held and noted.
fn price_of_reading(job: &Job, oil_temp_c: f64) -> (f64, f64) {
    const HELD_MIN: f64 = 3.0;
    const WARM_C: f64 = 60.0;
    let moves = &knowledge().moves;
    let taken = |warm: bool| {
        job.entries.iter().any(|entry| matches!(&entry.body, Body::Sensed { at: Some((_, oil)), .. } if !warm || *oil >= WARM_C))
    };
    let fit = if taken(false) { 0.0 } else { moves.fit_gauge.minutes };
    let warm = if oil_temp_c < WARM_C || taken(true) { 0.0 } else { moves.warm_up.minutes };
    let minutes = fit + warm + HELD_MIN;
    (minutes, knowledge().money(minutes, 0.0))
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/bench", post().to(do_it));
}
