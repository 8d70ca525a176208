//! Hints at a price: first the look that would tell most, then the part of the oil's way. Never the cause.
use crate::condition::{Condition, HOT_C, Now};
use crate::scene::Scene;
use velvet_dial_core::circuit::{Card, Working};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_engines::sound_outcome;

/// What a hint costs, in the shop's money.
pub const HINT_MONEY: f64 = 60.0;
/// What one look at covered suspects costs.
pub const LOOK_MONEY: f64 = 30.0;
/// What the maker's answer on the sheet costs.
pub const SHEET_MONEY: f64 = 20.0;
/// Hints that there are.
pub const MOST_HINTS: usize = 2;

/// What a hint says; `place` counts from 0.
pub fn hint(scene: &Scene, condition: &Condition, place: usize) -> Option<String> {
    let know = knowledge();
    let now = scene.now(condition);
    let card = scene.brief().engine;
    if place == 0 && scene.gauge_is_off() {
        return Some("Is the gauge itself right?".to_owned());
    }
    let Some(cause) = now.causes().next().and_then(|cause| know.causes.get(cause)) else {
        return (place < MOST_HINTS).then(|| "Do not look for a broken part. Read it hot, at every point of the sheet.".to_owned());
    };
    match place {
        0 => Some(cheapest_that_shows(&now, &card).map_or_else(
            || "No look shows it. Read the gauge hot and cold, at idle and at speed.".to_owned(),
            |ask| format!("Look closer at: {ask}."),
        )),
        1 => Some(format!("It belongs to: {}.", cause.group)),
        _ => None,
    }
}

fn cheapest_that_shows(now: &Now<'_>, card: &Card) -> Option<&'static str> {
    // Nobody is told to start an engine without oil pressure.
    let idle = Working { rpm: card.idle_rpm, oil_temp_c: HOT_C };
    let may_run = now.turns() && !now.starves(idle);
    let shows = knowledge()
        .checks
        .iter()
        .filter(|check| may_run || !check.running(card))
        .filter(|check| now.outcome(&check.id) != sound_outcome(check));
    let cheapest = shows.min_by(|a, b| a.minutes_on(card).total_cmp(&b.minutes_on(card)))?;
    Some(&cheapest.ask)
}
