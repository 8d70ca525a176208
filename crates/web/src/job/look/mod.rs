//! Look first: checks of minutes that need no gauge, in the planner's order, what is done and what is put off behind.
use crate::http::Failure;
use crate::http::form::Sent as Query;
use crate::job::cards::{self, CheckCard};
use crate::job::frame::PageFrame;
use crate::job::{Assessed, JobContext, Screen, ScreenData};
use crate::state::ShopContext;
use crate::ui::show;
use askama::Template;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Job;

#[derive(Template)]
#[template(path = "job/look/look.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    cards: Vec<CheckCard>,
    /// Minutes of the checks that are done, and of those that are left; empty for none.
    done: String,
    left: String,
}

/// The screen.
pub struct Look;

impl Screen for Look {
    const STAGE: Stage = Stage::Look;
    const LONG: bool = false;
    type Loaded = ();
    type Computed = ();

    async fn load(_: &JobContext, _: &Job) -> Result<(), Failure> {
        Ok(())
    }

    fn compute(_: &Assessed, _: &ShopContext, _: &Query, _: Units) {}

    fn draw(data: &ScreenData, (): &(), (): &()) -> askama::Result<String> {
        draw(data)
    }
}

fn draw(data: &ScreenData) -> askama::Result<String> {
    let assessed = data.assessed;
    let mut cards = cards::quick(assessed, data.frame.unit);
    // What the planner proposes first stands first; what tells nothing more stands as the work goes.
    let place = |card: &CheckCard| assessed.next.iter().position(|proposal| proposal.check() == Some(card.id)).unwrap_or(usize::MAX);
    cards.sort_by_key(|card| (card.answer.is_some(), card.put_off.is_some(), place(card)));
    let minutes = |which: fn(&CheckCard) -> bool| {
        let of = |card: &CheckCard| knowledge().check(card.id).map_or(0.0, |check| check.minutes_on(&assessed.case.engine));
        let sum: f64 = cards.iter().filter(|card| which(card)).map(of).sum();
        if sum > 0.0 { show::minutes(sum) } else { String::new() }
    };
    let done = minutes(|card| card.answer.is_some());
    let left = minutes(|card| card.answer.is_none() && card.put_off.is_none());
    Surface { frame: data.frame, cards, done, left }.render()
}
