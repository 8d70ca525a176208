//! What came of a scene after it was handed back, in sentences: the work goes on when the vehicle has left.
use crate::condition::{Condition, HOT_C};
use crate::play::{Did, Played};
use crate::scene::Scene;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::count::count;
use velvet_dial_core::knowledge::{Link, knowledge};
use velvet_dial_core::unit::first_upper;

/// What came of it, the weightiest first.
pub fn aftermath(scene: &Scene, played: &Played, condition: &Condition) -> Vec<String> {
    let now = scene.now(condition);
    let name = |cause: usize| knowledge().causes.get(cause).map_or("", |row| row.name.as_str());
    let mut said = Vec::new();
    if !now.turns() {
        said.push("It left on a trailer with an engine that does not turn.".to_owned());
    } else if now.is_cured() {
        said.push("It left and did not come back.".to_owned());
    } else if let Some(left) = source_left(scene, condition) {
        said.push(format!("It came back after six weeks. What had led to the damage was still there: {}.", name(left)));
    } else if condition.hidden {
        said.push(
            "It left with its lamp out and came back after the first frost: it starves cold, and hot the fault is what it was.".to_owned(),
        );
    } else {
        let idle = Working { rpm: scene.brief().engine.idle_rpm, oil_temp_c: HOT_C };
        let fate = if now.starves(idle) {
            "on a rope within the week, with its bearings gone"
        } else {
            "after eight days with the same complaint"
        };
        said.push(format!("It came back {fate}."));
    }
    let vain = played.in_vain();
    if vain > 0 {
        let parts = count(vain, "good part was|good parts were");
        said.push(format!("{} fitted for nothing.", first_upper(&parts.replacen("1 good", "one good", 1))));
    }
    if played.not_agreed {
        let repairs: f64 = played.acts.iter().filter(|act| matches!(act.did, Did::Repair(_))).map(|act| act.money).sum();
        said.push(format!("The customer had not agreed to the opening and did not pay for the repair: {repairs:.0} stays with the shop."));
    }
    if played.cured && played.repaired() && !played.rechecked() {
        said.push("Nobody could say whether it held until the lamp stayed out for a month.".to_owned());
    }
    if scene.gauge_is_off() && !played.acts.iter().any(|act| act.did == Did::Check("gauge_zero".to_owned())) {
        said.push("The gauge went back on its hook. It is still off.".to_owned());
    }
    said
}

/// The first of a linked pair, where only what it led to was repaired.
fn source_left(scene: &Scene, condition: &Condition) -> Option<usize> {
    let truth = scene.truth().filter(|truth| truth.link == Link::Linked)?;
    let second = truth.second?;
    (condition.repaired.contains(&second) && !condition.repaired.contains(&truth.first)).then_some(truth.first)
}
