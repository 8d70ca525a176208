//! Look first: checks of minutes that need no gauge, in the planner's order, what is done and what is put off behind.
use crate::job::ScreenData;
use crate::job::cards::{self, CheckCard};
use crate::job::frame::PageFrame;
use crate::ui::show;
use askama::Template;
use velvet_dial_core::trace::knowledge::knowledge;

#[derive(Template)]
#[template(path = "job/look/look.html")]
struct Surface<'a> {
    bench: &'a PageFrame,
    cards: Vec<CheckCard>,
    /// Minutes of the checks that are done, and of those that are left; empty for none.
    done: String,
    left: String,
}

/// Draws the screen.
pub fn draw(drawn: &ScreenData) -> askama::Result<String> {
    let assessed = drawn.assessed;
    let mut cards = cards::quick(assessed);
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
    Surface { bench: drawn.frame, cards, done, left }.render()
}
