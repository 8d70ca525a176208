//! A part on the oil's way: what speaks for and against it, the checks that touch it, and what it costs to reach.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::assess::{Assessed, assess};
use crate::job::cards;
use crate::ui::picture::route::{Consumer, Scene, Station};
use crate::ui::show;
use crate::ui::words::group_name;
use actix_web::{HttpResponse, web};
use askama::Template;
use velvet_dial_core::case::hot_c;
use velvet_dial_core::circuit::{Cooler, Place, Working};
use velvet_dial_core::diagnosis::reasons;
use velvet_dial_core::knowledge::{Check, knowledge};
use velvet_dial_core::trace::{Proposal, Step, Strategy};
use velvet_dial_core::unit::Units;

/// The parts in the order of the oil, as the knowledge counts them along its way: word in an address, group of the causes.
const PARTS: [(&str, &str); 9] = [
    ("oil", "oil"),
    ("pickup", "pickup"),
    ("pump", "pump"),
    ("relief", "relief"),
    ("filter", "filter"),
    ("gallery", "gallery"),
    ("bearings", "bearings"),
    ("top", "top end"),
    ("port", "indication"),
];

fn consumer_causes(place: Place) -> &'static [&'static str] {
    match place {
        Place::Crank => &["bearings_crank", "bearing_single"],
        Place::Cam => &["bearings_cam"],
        Place::Head => &["rockers_worn", "feed_oversize"],
        Place::Turbo => &["turbo_feed"],
        Place::Jets => &["jets_open"],
        Place::ValveControl => &["valve_control"],
        Place::Leak => &["gallery_leak"],
    }
}

/// The oil's way as the leading explanation makes it, and a sentence that says so.
pub fn parts(assessed: &Assessed, unit: Units) -> (Scene, String) {
    let know = knowledge();
    let now = &assessed.now;
    let stations = PARTS.iter().enumerate().map(|(along, (word, group))| Station {
        word,
        odds: know.any_of(&now.posterior.states, group),
        checks: assessed.next.iter().flat_map(steps).filter(|check| usize::from(check.along) == along).count(),
    });
    let stations = stations.collect();
    // Where it is shortest; else at hot idle.
    let worst =
        now.verdict.points.iter().filter_map(|point| point.reading.as_ref().map(|judged| (judged.probability_conforms, point.point)));
    let worst = worst.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, point)| Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c });
    let at = worst.unwrap_or(Working { rpm: assessed.case.engine.idle_rpm, oil_temp_c: hot_c(&assessed.case) });
    let leader = now.posterior.leader().and_then(|index| know.causes.get(index).map(|cause| (index, cause)));
    let leader = leader.filter(|(_, cause)| !cause.conforms && !now.findings.is_empty());
    let left = leader.and_then(|(index, _)| assessed.tracer.left(index, &now.pressures));
    let flows = left.unwrap_or_else(|| assessed.tracer.healthy()).flows(at);
    let whose =
        leader.map_or("a healthy engine of this card".to_owned(), |(_, cause)| format!("“{}”, the leading explanation,", cause.name));
    let numbered = assessed.job.order() == Strategy::AlongTheOil && !assessed.job.closed();
    let order = if numbered { "Numbers: the order along the oil. " } else { "" };
    let says = format!("{order}Pressures and flows as {whose} makes them at {:.0} rpm and {}.", at.rpm, unit.temp(at.oil_temp_c));
    let consumers = flows.places.iter().filter(|(place, _)| *place != Place::Leak).map(|(place, flow)| Consumer {
        place: *place,
        flow: *flow,
        odds: know.any(&now.posterior.states, |cause| {
            know.causes.get(cause).is_some_and(|cause| consumer_causes(*place).contains(&cause.id.as_str()))
        }),
    });
    let consumers = consumers.collect();
    let layout = &assessed.case.engine.layout;
    (Scene { stations, consumers, flows, port: layout.port, cooler: layout.cooler != Cooler::None, numbered }, says)
}

/// The checks of a proposal.
fn steps(proposal: &Proposal) -> Vec<&'static Check> {
    let check = |step: &Step| if let Step::Check(check) = step { knowledge().check(check) } else { None };
    match &proposal.step {
        Step::Bench(_, behind) => behind.iter().filter_map(check).collect(),
        step => check(step).into_iter().collect(),
    }
}

/// A cause of the part.
struct Cause {
    name: &'static str,
    percent: String,
    /// What says most for it and most against it.
    says: Vec<String>,
}

/// A check that touches it.
struct Touches {
    ask: &'static str,
    minutes: String,
    first: &'static str,
    /// What was found; empty while it is not done.
    found: String,
    id: &'static str,
    /// It can be done from here.
    open: bool,
}

#[derive(Template)]
#[template(path = "job/trace/part.html")]
struct Part {
    number: i64,
    name: String,
    percent: String,
    causes: Vec<Cause>,
    checks: Vec<Touches>,
    reach: String,
    /// Calculators that belong to it.
    works: &'static [(&'static str, &'static str)],
}

/// Calculators by the part they belong to, in the parts' order.
const WORKS: [&[(&str, &str)]; 9] = [
    &[("mixture", "oils mixed"), ("fill", "first fill")],
    &[("tilt", "sump on a slope"), ("screen", "screen")],
    &[("build", "seconds until pressure")],
    &[("relief", "relief valve")],
    &[],
    &[("restrictor", "restrictor")],
    &[("strip", "clearance strip"), ("journals", "journal map")],
    &[("restrictor", "restrictor")],
    &[("dash", "dash against gauge"), ("lamp", "lamp switch")],
];

/// What a part opens.
pub async fn fragment(context: JobContext, path: web::Path<(i64, String)>) -> Result<HttpResponse, Failure> {
    let along = PARTS.iter().position(|(word, _)| *word == path.1).ok_or(Failure::NoPage)?;
    let assessed = assess(context.app.clone(), context.job().await?, None).await?;
    let unit = context.preferences.unit;
    let part = context.app.work.out(move || part(&assessed, along, unit)).await?.ok_or(Failure::NoPage)?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(part.render()?))
}

fn part(assessed: &Assessed, along: usize, unit: Units) -> Option<Part> {
    let know = knowledge();
    let (_, group) = PARTS.get(along)?;
    let posterior = &assessed.now.posterior;
    let mut own: Vec<usize> =
        posterior.ranked().into_iter().filter(|index| know.causes.get(*index).is_some_and(|cause| cause.group == *group)).collect();
    own.truncate(4);
    let causes = own.iter().filter_map(|index| {
        let cause = know.causes.get(*index)?;
        let told = reasons(&assessed.case, &assessed.tracer, &assessed.now, *index);
        let most = |sign: f64| {
            let side = told.iter().filter(|reason| reason.reading.is_none() && sign * reason.log_odds > 0.22);
            side.max_by(|a, b| (sign * a.log_odds).total_cmp(&(sign * b.log_odds))).map(|reason| reason.label.clone())
        };
        let said =
            [(1.0, "for it"), (-1.0, "against it")].into_iter().filter_map(|(sign, side)| most(sign).map(|what| format!("{side}: {what}")));
        Some(Cause { name: &cause.name, percent: show::percent(posterior.of(*index)), says: said.collect() })
    });
    let causes = causes.collect();
    let layout = &assessed.case.engine.layout;
    let touching =
        know.checks.iter().filter(|check| usize::from(check.along) == along && check.needs.is_none_or(|needs| needs.is_in(layout)));
    let situation = assessed.now.situation(&assessed.case);
    let checks: Vec<Touches> = touching
        .filter_map(|check| {
            let card = cards::card(assessed, &check.id, unit)?;
            let way = situation.way_to_check(check);
            let more = way.as_ref().map_or(0.0, |way| situation.price(know, way).minutes);
            Some(Touches {
                ask: &check.ask,
                minutes: show::minutes(check.minutes_on(&assessed.case.engine) + more),
                first: card.opening,
                found: card.answer.map_or_else(String::new, |answer| answer.label),
                id: &check.id,
                open: way.is_some() && card.put_off.is_none(),
            })
        })
        .collect();
    let opening = know.checks.iter().filter(|check| usize::from(check.along) == along).filter_map(|check| {
        let way = situation.way_to_check(check)?;
        Some(situation.price(know, &way))
    });
    let reach = opening.min_by(|a, b| a.minutes.total_cmp(&b.minutes)).map(|price| {
        if price.minutes < 1.0 {
            "Nothing has to be opened for it.".to_owned()
        } else {
            format!("Reached in {} at the least, before any check.", show::minutes(price.minutes))
        }
    });
    Some(Part {
        number: assessed.job.head.number,
        name: group_name(group),
        percent: show::percent(know.any_of(&posterior.states, group)),
        causes,
        checks,
        works: WORKS.get(along).copied().unwrap_or_default(),
        reach: reach.unwrap_or_else(|| "It cannot be reached while the engine must not run.".to_owned()),
    })
}
