//! The plan as the screen shows it.
use crate::job::put_right::steps::{self, StepRow, opened_word};
use crate::ui::show;
use crate::ui::words::access_words;
use velvet_dial_core::opened::{Plan, opening_said};
use velvet_dial_store::jobs::Job;

/// What is opened, what stays hidden, what lies ready and what it costs.
pub struct PlanWork {
    pub due: bool,
    pub openings: Vec<Opening>,
    pub hidden: Vec<String>,
    pub hand: Vec<&'static str>,
    pub costs: Vec<Cost>,
    /// Opened, looked at, closed again and nothing mended.
    pub stop_time: String,
    pub stop_money: String,
    pub spent: String,
    pub hour: String,
    /// The shop's money; none for those who may not see prices.
    pub money: Option<String>,
}

pub struct Opening {
    pub name: &'static str,
    pub done: bool,
    pub price: String,
    /// How it is opened, in the order of the hand.
    pub steps: Vec<StepRow>,
    /// The word that its ticks are written under.
    pub word: String,
    /// Looks that the diagnosis needs: the estimate counts them.
    pub needed: Vec<Look>,
    /// What else can be looked at while it is open, beside the estimate.
    pub options: Vec<Look>,
}

pub struct Look {
    pub ask: &'static str,
    pub minutes: String,
    /// Only when the strip says so.
    pub waits: bool,
}

/// What a cause would cost.
pub struct Cost {
    pub name: &'static str,
    /// What mostly comes with it and is put right with it; empty for nothing.
    pub with_it: &'static str,
    pub percent: String,
    pub time: String,
    pub parts: String,
    pub money: String,
}

/// Lays it out.
pub fn work(plan: &Plan, money: Option<&str>, job: &Job) -> PlanWork {
    let look = |look: &velvet_dial_core::opened::Look| Look {
        ask: look.check.ask.as_str(),
        minutes: show::minutes(look.minutes),
        waits: look.waits,
    };
    let openings = plan.openings.iter().map(|opening| Opening {
        name: opening.step.label(),
        done: opening.done,
        steps: opening_said(opening.access).map_or_else(Vec::new, |said| steps::rows(job, &opened_word(opening.access), said.steps.iter())),
        word: opened_word(opening.access),
        price: match money {
            Some(_) => format!("{}, {:.0} in material", show::minutes(opening.minutes), opening.material),
            None => show::minutes(opening.minutes),
        },
        needed: opening.looks.iter().filter(|known| known.needed).map(look).collect(),
        options: opening.looks.iter().filter(|known| !known.needed).map(look).collect(),
    });
    let beyond = plan.beyond.iter().map(|(check, access, odds)| {
        let odds = if *odds >= 0.01 { format!("; probability of what it would prove: {}", show::percent(*odds)) } else { String::new() };
        format!("{}: {} for that{odds}.", check.ask, access_words(*access))
    });
    let costs = plan.costs.iter().map(|cost| Cost {
        name: &cost.cause.name,
        with_it: cost.second.map_or("", |second| second.name.as_str()),
        percent: show::percent(cost.probability),
        time: show::minutes(cost.all_minutes),
        parts: format!("{:.0}", cost.parts),
        money: format!("{:.0}", cost.all_money),
    });
    PlanWork {
        due: plan.due,
        openings: openings.collect(),
        hidden: plan.cannot.iter().map(|said| (*said).to_owned()).chain(beyond).collect(),
        hand: plan.hand.clone(),
        costs: costs.collect(),
        stop_time: show::minutes(plan.looking_minutes() + plan.closing.0),
        stop_money: format!("{:.0}", plan.stop_money()),
        spent: show::minutes(plan.spent_minutes),
        hour: show::plain(plan.hour),
        money: money.map(str::to_owned),
    }
}

/// What the customer is asked for: what the leading cause costs, to the next ten.
pub fn up_to(plan: &Plan) -> Option<f64> {
    let leads = plan.costs.first().map_or_else(|| plan.stop_money(), |cost| cost.all_money);
    (!plan.openings.is_empty() && leads > 0.0).then(|| 10.0 * (leads / 10.0).ceil())
}
