//! What to do next: one proposal with its reason and its price, the next few, the rest by where it is done; by which of four orders; and the part that it always is.
use super::list::in_vain;
use crate::http::Failure;
use crate::job::assess::{Assessed, assess, usual};
use crate::job::cards::{self, CheckCard};
use crate::job::frame::PageFrame;
use crate::job::next_step::{self, NextCard};
use crate::job::opening;
use crate::job::{JobContext, ScreenData};
use crate::ui::show;
use crate::ui::words::access_words;
use actix_web::HttpResponse;
use askama::Template;
use velvet_dial_core::knowledge::{Access, knowledge};
use velvet_dial_core::trace::{Plan, Proposal, Step, Strategy, Until, plans, price_if_wrong, proof_of};
use velvet_dial_store::jobs::Body;

/// One of the four orders.
struct Way {
    id: &'static str,
    label: String,
    here: bool,
    /// What it may be expected to cost; empty until that is worked out.
    price: String,
}

/// A step in the list.
struct Row {
    name: String,
    price: String,
    /// Where a tap leads.
    to: String,
}

/// Steps by where they are done.
struct Place {
    name: &'static str,
    rows: Vec<Row>,
}

/// What lies behind an opening, as one list.
struct Opening {
    name: &'static str,
    price: String,
    steps: Vec<String>,
}

/// The part that it always is.
struct Pattern {
    cause: &'static str,
    name: &'static str,
    says: Vec<String>,
}

#[derive(Template)]
#[template(path = "job/trace/next.html")]
struct Panel<'a> {
    frame: &'a PageFrame,
    ways: Vec<Way>,
    order: String,
    order_entry: String,
    next: Option<NextCard>,
    /// What the proposal costs and may save.
    price: String,
    /// The technician's own choice, and what it costs against the proposal.
    instead: Option<(CheckCard, String)>,
    then: Vec<Row>,
    places: Vec<Place>,
    openings: Vec<Opening>,
    /// A check on this page waits for the yes.
    waits: bool,
    /// The yes, or why it is opened without one, once it was said.
    said: Option<String>,
    pattern: Option<Pattern>,
    pattern_entry: String,
    causes: Vec<(&'static str, &'static str)>,
}

/// Rows under the proposal.
const NEXT: usize = 4;

fn ways(order: Strategy, plans: Option<&[Plan]>) -> Vec<Way> {
    let way = |(one, id, label): &(Strategy, &'static str, &'static str)| {
        let plan = plans.and_then(|plans| plans.iter().find(|plan| plan.order == *one));
        let price = plan.map(|plan| format!("{}, right in {:.0} of 100", show::roughly(plan.minutes), 100.0 * plan.right));
        Way { id, label: (*label).to_owned(), here: *one == order, price: price.unwrap_or_default() }
    };
    Strategy::ALL.iter().map(way).collect()
}

#[derive(Template)]
#[template(path = "job/trace/orders.html")]
struct Orders {
    ways: Vec<Way>,
}

/// What each order may be expected to cost until it is good enough to act; it takes a moment, so the page asks for it by itself.
pub async fn prices(context: JobContext) -> Result<HttpResponse, Failure> {
    let assessed = assess(context.app.clone(), context.job().await?, None).await?;
    let orders = move || {
        let now = &assessed.now;
        let plans = now.plans.get_or_init(|| {
            let situation = now.situation(&assessed.case);
            plans(Until::GoodEnough, knowledge(), &now.posterior.states, &situation, usual(now))
        });
        Orders { ways: ways(assessed.job.order(), Some(plans)) }
    };
    let orders = context.app.work.out(orders).await?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(orders.render()?))
}

/// Draws the panel.
pub fn panel(data: &ScreenData) -> askama::Result<String> {
    let assessed = data.assessed;
    let live = |wanted: fn(&Body) -> bool| assessed.job.live().find(|entry| wanted(&entry.body));
    let id = |entry: Option<&velvet_dial_store::jobs::Entry>| entry.map(|entry| entry.id.to_string()).unwrap_or_default();
    let order = assessed.job.order();
    let proposed = next_step::proposed(assessed);
    let first = proposed.first();
    let (near, far) = cards::one_reading_at_a_time(proposed);
    let covered = data.frame.covered;
    // Where it is for the trainee to say what is next, everything stands by its place alone.
    let named = if covered { 0 } else { 1 + NEXT };
    let then: Vec<&Proposal> = near.iter().take(named).skip(1).copied().collect();
    let mut others: Vec<&Proposal> = near.iter().skip(named).chain(&far).copied().collect();
    if covered {
        others.sort_by_key(|proposal| cards::name(assessed, &proposal.step));
    }
    let know = knowledge();
    let plans = assessed.now.plans.get().map(Vec::as_slice);
    let instead = data
        .query
        .get("instead")
        .and_then(|check| cards::card(assessed, check, data.frame.unit))
        .filter(|card| covered || first.is_none_or(|first| first.check() != Some(card.id)))
        .map(|card| CheckCard { effects: cards::effects_of(assessed, card.id), ..card });
    let mut next = next_step::next_step(assessed, data.frame.unit).filter(|_| !covered);
    if let Some(NextCard::Check(card)) = &mut next {
        card.effects = cards::effects_of(assessed, card.id);
    }
    let waits = matches!(&next, Some(NextCard::Check(card)) if card.waits) || instead.as_ref().is_some_and(|card| card.waits);
    Panel {
        frame: data.frame,
        waits,
        ways: ways(order, plans),
        order: Strategy::ALL.iter().find(|(one, ..)| *one == order).map_or(String::new(), |(_, _, label)| (*label).to_owned()),
        order_entry: id(live(|body| matches!(body, Body::Order { .. }))),
        next,
        price: first.filter(|_| !covered).map(|first| price(assessed, first, data.money())).unwrap_or_default(),
        instead: instead.map(|card| {
            let says = if covered { "Your choice.".to_owned() } else { against(assessed, card.id) };
            (card, says)
        }),
        then: then.iter().map(|proposal| row(data, proposal)).collect(),
        places: places(data, &others),
        openings: openings(data),
        said: opening::said(data),
        pattern: pattern(assessed),
        pattern_entry: id(live(|body| matches!(body, Body::Pattern { .. }))),
        causes: know.causes.iter().filter(|cause| cause.group != "none").map(|cause| (cause.id.as_str(), cause.name.as_str())).collect(),
    }
    .render()
}

/// “3 min, about 5 EUR. Saves about 40 min on average: acting on … now would be wrong in 4 of 10 such jobs, and costs 5 h when it is.”
fn price(assessed: &Assessed, proposal: &Proposal, money: Option<&str>) -> String {
    let know = knowledge();
    let saves = proposal.saves_minutes();
    let leader = assessed.now.posterior.leader().and_then(|index| Some((index, know.causes.get(index)?)));
    let because = leader.filter(|_| saves >= 1.0).and_then(|(index, cause)| {
        let wrong = 10.0 * (1.0 - assessed.now.posterior.of(index));
        let (in_vain, _) = price_if_wrong(know, index)?;
        let wrong = match wrong.round() {
            0.0 => "now and then".to_owned(),
            10.0 => "nearly always".to_owned(),
            of_ten => format!("in {of_ten:.0} of 10 such jobs"),
        };
        let acts = if cause.conforms { "handing it back as it is".to_owned() } else { format!("acting on “{}” now", cause.name) };
        let saves = show::roughly(saves);
        Some(format!(". Saves {saves} on average: {acts} would be wrong {wrong}, which costs {} with the comeback, or the engine where the real fault ruins it", show::minutes(in_vain)))
    });
    format!("{}{}{}", show::minutes(proposal.minutes), about(proposal, money), because.unwrap_or_default())
}

/// What a proposal costs, for those who may see that.
fn about(proposal: &Proposal, money: Option<&str>) -> String {
    money.map(|money| format!(", about {:.0} {money}", proposal.money)).unwrap_or_default()
}

/// What a check costs against what is proposed.
fn against(assessed: &Assessed, check: &str) -> String {
    let of = |wanted: &str| assessed.next.iter().chain(&assessed.now.next).find(|proposal| proposal.check() == Some(wanted));
    let Some(best) = assessed.next.first() else { return String::new() };
    match of(check) {
        Some(own) => match best.saves_minutes() - own.saves_minutes() {
            worse if worse >= 1.0 => format!("Your choice. It may be expected to cost {} against the proposal.", show::roughly(worse)),
            _ => "Your choice, as good as the proposal.".to_owned(),
        },
        None => "Your choice. It will probably not help any further, or something must be opened first.".to_owned(),
    }
}

fn row(data: &ScreenData, proposal: &Proposal) -> Row {
    let number = data.frame.number;
    let opening = match &proposal.step {
        Step::Check(check) => {
            let check = knowledge().check(check);
            let access = check.map_or(Access::Outside, |check| check.access(&data.assessed.case.engine));
            if proposal.opening_minutes > 0.0 { access_words(access) } else { "" }
        }
        _ => "",
    };
    let to = match &proposal.step {
        Step::Check(check) => format!("/jobs/{number}/trace?instead={check}"),
        Step::Reading(_) => format!("/jobs/{number}/run"),
        Step::Bench(step, _) if step.opens() => format!("/jobs/{number}/open-up"),
        Step::Bench(..) => format!("/jobs/{number}/rig"),
    };
    let opening = if opening.is_empty() { String::new() } else { format!(", {opening}") };
    Row { name: cards::name(data.assessed, &proposal.step), price: format!("{}{opening}", show::minutes(proposal.minutes)), to }
}

/// The rest by where it is done.
fn places(data: &ScreenData, others: &[&Proposal]) -> Vec<Place> {
    let know = knowledge();
    let place = |proposal: &&Proposal| match &proposal.step {
        Step::Check(check) => know.check(check).map_or(0, |check| match check.access(&data.assessed.case.engine) {
            Access::Outside if check.gauge => 1,
            Access::Outside => 0,
            Access::Cover | Access::Sump => 2,
            Access::EngineOut => 3,
        }),
        Step::Reading(_) => 1,
        Step::Bench(step, _) if step.opens() => 2,
        Step::Bench(..) => 1,
    };
    ["Beside the vehicle", "At the gauge", "Under sump and cover", "Engine out"]
        .into_iter()
        .enumerate()
        .map(|(index, name)| Place { name, rows: others.iter().filter(|one| place(one) == index).map(|one| row(data, one)).collect() })
        .filter(|place| !place.rows.is_empty())
        .collect()
}

/// What is opened, with what is looked at behind it in the order of the bench.
fn openings(data: &ScreenData) -> Vec<Opening> {
    let assessed = data.assessed;
    let opened = assessed.now.next.iter().filter_map(|proposal| match &proposal.step {
        Step::Bench(step, behind) if step.opens() => Some(Opening {
            name: step.label(),
            price: format!("{}{}", show::minutes(proposal.minutes), about(proposal, data.money())),
            steps: behind.iter().map(|step| cards::name(assessed, step)).collect(),
        }),
        _ => None,
    });
    opened.collect()
}

/// What is said of the part that it always is: its odds, the check that would prove it, and what it costs to believe it wrongly.
fn pattern(assessed: &Assessed) -> Option<Pattern> {
    let know = knowledge();
    let index = know.cause(assessed.case.pattern.as_ref()?)?;
    let cause = know.causes.get(index)?;
    let mut says = vec![format!(
        "{} as things stand, {} before anything was found.",
        show::percent(assessed.now.posterior.of(index)),
        show::percent(*assessed.now.priors.get(index)?)
    )];
    match proof_of(know, &assessed.now.situation(&assessed.case), index).and_then(|check| know.check(check)) {
        Some(check) => {
            says.push(format!("What would prove it: {} ({}).", check.ask, show::minutes(check.minutes_on(&assessed.case.engine))))
        }
        None => says.push("No check that can be done from here would prove it.".to_owned()),
    }
    says.extend(in_vain(index).map(|costs| format!("Replaced on that belief alone and wrong: {costs}.")));
    Some(Pattern { cause: &cause.id, name: &cause.name, says })
}
