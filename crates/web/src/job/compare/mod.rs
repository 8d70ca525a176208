//! The compare stage: the pressure map, each point of the sheet in a sentence and in figures, what would decide an undecided one, and what would be if something were otherwise.
mod dash;
mod points;
mod set_apart;
mod what_if;

use crate::http::Failure;
use crate::http::form::Sent;
use crate::job::cards::{self, CheckCard};
use crate::job::frame::PageFrame;
use crate::job::run::view::scene;
use crate::job::{Assessed, JobContext, Screen, ScreenData};
use crate::state::ShopContext;
use crate::ui::picture::map::{self, Carried, Map};
use crate::ui::picture::warm::{self, Warm};
use crate::ui::words::{besides_said, sheet_name};
use actix_web::web::{ServiceConfig, post};
use askama::Template;
use dash::DashComparison;
use points::PointRow;
use set_apart::Apart;
use velvet_dial_core::case::Phase;
use velvet_dial_core::diagnosis::{Basis, Change, Projected, by_sheet, project, unmeasured};
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::limits::{COVERAGE, Decision, Sheet};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Job;
use what_if::{WhatIfQuestion, WhatIfView};

/// What is worked out for the screen off the threads that serve.
pub struct Worked {
    /// Each point of the sheet carried to each changed state, where it was read.
    projected: Vec<Projected>,
    asked: WhatIfQuestion,
    /// What the other revisions would have said.
    others: Vec<(Sheet, Decision)>,
    warm: Option<WarmUp>,
}

/// Idle pressure over oil temperature: as read, and as thinning alone explains it from the coldest.
pub struct WarmUp {
    pub read: Vec<(f64, f64)>,
    pub thinning: Vec<(f64, [f64; 3])>,
}

/// Works it out; `query` is what the address asks for.
fn worked(assessed: &Assessed, query: &Sent, unit: Units) -> Worked {
    let (case, tracer) = (&assessed.case, &assessed.tracer);
    // For the map.
    velvet_dial_core::diagnosis::curves(case, &assessed.now, tracer);
    let wanted = changes(query);
    let projected = assessed.now.verdict.points.iter().flat_map(|point| project(case, point, tracer));
    let projected = projected.filter(|projected| Some(projected.change) == wanted).collect();
    let in_force = assessed.job.sheet();
    let others = assessed.job.engine.sheets.iter().filter(|sheet| Some(*sheet) != in_force && in_force.is_some());
    let others = others.map(|sheet| (sheet.clone(), by_sheet(case, Some(sheet), tracer))).collect();
    Worked { projected, asked: what_if::asked(assessed, query, unit), others, warm: warm_up(assessed) }
}

/// Oil warmed by so much between the coldest and the hottest idle tells something, K.
const WARMED_K: f64 = 25.0;

fn warm_up(assessed: &Assessed) -> Option<WarmUp> {
    let case = &assessed.case;
    let at_idle = case.readings.iter().filter(|reading| {
        reading.phase == Phase::Before && reading.set_aside.is_none() && reading.is_level() && case.engine.idles_at(reading.rpm)
    });
    let mut read: Vec<(f64, f64)> = at_idle.map(|reading| (reading.oil_temp_c, reading.kpa)).collect();
    read.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (first, last) = (read.first()?, read.last()?);
    if last.0 - first.0 < WARMED_K {
        return None;
    }
    let rpm = case.engine.idle_rpm;
    let healthy = assessed.tracer.healthy();
    let at = |temp: f64| healthy.bands(&[rpm], temp).first().copied().unwrap_or_default();
    let [_, cold, _] = at(first.0);
    let steps = 10;
    let thinning = (0..=steps).map(|step| {
        let temp = first.0 + (last.0 - first.0) * f64::from(step) / f64::from(steps);
        // From what was read cold on: where a healthy engine's relief holds it, thinning takes nothing yet.
        (temp, at(temp).map(|kpa| first.1 * kpa / cold.max(1.0)))
    });
    Some(WarmUp { thinning: thinning.collect(), read })
}

const CHANGES: [(Change, &str, &str); 4] = [
    (Change::HotDay, "hot_day", "Hot day"),
    (Change::InGear, "in_gear", "In gear"),
    (Change::OldOil, "old_oil", "End of the oil"),
    (Change::AllAtOnce, "all", "All three"),
];

fn changes(query: &Sent) -> Option<Change> {
    let asked = query.get("carried")?;
    CHANGES.iter().find(|(_, id, _)| id == asked).map(|(change, ..)| *change)
}

/// A way to carry the readings.
struct Way {
    id: &'static str,
    label: &'static str,
    here: bool,
}

/// Another revision.
struct Other {
    what: String,
    decision: &'static str,
    word: &'static str,
}

/// What lies on the surface.
struct Work {
    overall: &'static str,
    overall_word: &'static str,
    /// What the verdict means and what to do about it.
    sentence: String,
    unmeasured: Vec<&'static str>,
    map: Map,
    ways: Vec<Way>,
    /// What the carried readings would say.
    carried: Vec<String>,
    points: Vec<PointRow>,
    apart: Vec<Apart>,
    /// What the sheet says beside its limits.
    besides: Vec<String>,
    /// One of them does not count.
    doubted: bool,
    source: String,
    others: Vec<Other>,
    rule_of_thumb: bool,
    warm: Option<Warm>,
    /// The dash against the gauge, asked once it is fitted, and what was read of both.
    dash: Option<CheckCard>,
    beside: Option<DashComparison>,
    told: WhatIfView,
}

#[derive(Template)]
#[template(path = "job/compare/compare.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    work: Work,
}

/// The screen.
pub struct Compare;

impl Screen for Compare {
    const STAGE: Stage = Stage::Compare;
    type Loaded = ();
    type Computed = Worked;

    async fn load(_: &JobContext, _: &Job) -> Result<(), Failure> {
        Ok(())
    }

    fn compute(assessed: &Assessed, _: &ShopContext, query: &Sent, unit: Units) -> Worked {
        worked(assessed, query, unit)
    }

    fn draw(data: &ScreenData, (): &(), worked: &Worked) -> askama::Result<String> {
        draw(data, worked)
    }
}

fn draw(data: &ScreenData, worked: &Worked) -> askama::Result<String> {
    let (assessed, unit) = (data.assessed, data.frame.unit);
    let verdict = &assessed.now.verdict;
    let wanted = changes(data.query);
    let mut scene = scene(assessed);
    for projected in &worked.projected {
        let near =
            verdict.points.iter().filter(|point| point.point.rpm >= projected.rpm).min_by(|a, b| a.point.rpm.total_cmp(&b.point.rpm));
        let from = near.and_then(|point| point.reading.as_ref().map(|judged| (point.point.rpm, judged.measured_kpa)));
        let from = from.unwrap_or((projected.rpm, projected.kpa));
        scene.carried.push(Carried { from, rpm: projected.rpm, kpa: projected.kpa, u_kpa: projected.u_kpa });
    }
    scene.curves.extend(worked.asked.curve().cloned());
    let says = |projected: &Projected| {
        let stands = match projected.decision {
            Decision::Within => "still within",
            Decision::Below => "below",
            Decision::Above => "above",
            _ => "too near its limit for this gauge",
        };
        let (rpm, temp) = (projected.rpm, unit.temp(projected.oil_temp_c));
        format!(
            "At {rpm:.0} rpm and {temp} it would show {} ± {} {}: {stands}.",
            unit.show(projected.kpa),
            unit.show(COVERAGE * projected.u_kpa),
            unit.label()
        )
    };
    let apart = set_apart::apart(assessed, unit);
    let work = Work {
        overall: verdict.overall.id(),
        overall_word: verdict.overall.word(),
        sentence: points::overall(assessed),
        unmeasured: unmeasured(&assessed.case, &assessed.now).iter().map(|one| one.act).collect(),
        map: map::map(&scene, unit),
        ways: CHANGES.iter().map(|(change, id, label)| Way { id, label, here: Some(*change) == wanted }).collect(),
        carried: worked.projected.iter().map(says).collect(),
        points: verdict.points.iter().map(|judged| points::row(assessed, judged, unit)).collect(),
        doubted: apart.iter().any(|reading| !reading.why.is_empty()),
        apart,
        source: assessed.job.sheet().map(sheet_name).unwrap_or_default(),
        besides: assessed.job.sheet().map_or_else(Vec::new, |sheet| besides_said(&sheet.besides, unit)),
        others: worked.others.iter().map(|(sheet, decision)| other(sheet, *decision, unit)).collect(),
        rule_of_thumb: verdict.basis == Basis::RuleOfThumb,
        warm: worked.warm.as_ref().map(|told| warm::warm(&told.read, &told.thinning, unit)),
        dash: cards::card(assessed, "module_compare", data.frame.unit).filter(|_| !assessed.case.readings.is_empty()),
        beside: dash::beside(assessed, unit),
        told: what_if::told(assessed, &worked.asked, unit),
    };
    Surface { frame: data.frame, work }.render()
}

fn other(sheet: &Sheet, decision: Decision, unit: Units) -> Other {
    let points: Vec<String> =
        sheet.points.iter().map(|p| format!("{:.0} rpm {}", p.rpm, limit_words(p.min_kpa, p.max_kpa, unit))).collect();
    Other { what: format!("{}: {}", sheet_name(sheet), points.join("; ")), decision: decision.id(), word: decision.word() }
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/apart", post().to(set_apart::set_apart));
}
