//! What was wrong, how it is known and whether it is proven, for the customer: proven after the repair, measured, seen, supposed, or not proven.
use super::RepairSaid;
use crate::case::{Case, Effect, Phase};
use crate::diagnosis::{Diagnosis, Proof, ProofWord};
use crate::experience::Known;
use crate::knowledge::knowledge;
use crate::limits::Decision;
use crate::unit::first_upper;

/// A sentence each. `repairs` are those that hold, in the order they were done; `known` is how the technician says that the cause is known.
pub fn sentences(case: &Case, now: &Diagnosis, repairs: &[RepairSaid], known: Option<Known>, proof: Option<&Proof>) -> Vec<String> {
    let verdict = match now.verdict.overall {
        Decision::Below => "The oil pressure was measured with a test gauge and was too low.",
        Decision::Above => "The oil pressure was measured with a test gauge and was too high.",
        Decision::Within => "The oil pressure was measured with a test gauge and is as it should be.",
        Decision::Undecided => "The oil pressure was measured with a test gauge and is so near its limit that this gauge cannot decide.",
        Decision::NotMeasured => "The oil pressure has not yet been measured at every point the sheet names.",
    };
    let inspected = case.without_complaint() && repairs.is_empty();
    let mut plain = vec![if inspected { condition(now.verdict.overall).to_owned() } else { verdict.to_owned() }];
    plain.extend(spent_before(case));
    let (in_vain, counts): (Vec<&RepairSaid>, Vec<&RepairSaid>) = repairs.iter().partition(|repair| repair.in_vain.is_some());
    let mut rounds = rounds(case, &counts);
    let last = rounds.pop().unwrap_or_default();
    let earlier: Vec<String> = in_vain.into_iter().chain(rounds.concat()).map(name).collect();
    if !earlier.is_empty() {
        plain.push(format!("Repaired first, and not enough: {}.", list(&earlier)));
    }
    if inspected && !matches!(now.verdict.overall, Decision::Below | Decision::Above) {
        plain.push(format!("No fault was reported. The chance that the oil system is in order is {}.", in_ten(now.sound)));
    } else {
        plain.extend(what_was_wrong(now, &last, known, proof));
    }
    if let Some(proof) = proof.filter(|_| !last.is_empty()) {
        let read = match proof.word {
            ProofWord::Proven => {
                "After the repair every point was read again, as it was read before, and is within its limit: it is proven."
            }
            ProofWord::InPart => "After the repair what was read is within its limit. That is proof in part:",
            ProofWord::NotProven => "After the repair it is not proven:",
            ProofWord::Worse => "After the repair the pressure is further outside its limit than before:",
        };
        plain.push(read.to_owned());
        plain.extend(proof.says.iter().cloned());
    }
    plain
}

/// The condition of an engine that came without a complaint.
fn condition(verdict: Decision) -> &'static str {
    match verdict {
        Decision::Below => "Condition: the oil pressure was measured with a test gauge and is too low.",
        Decision::Above => "Condition: the oil pressure was measured with a test gauge and is too high.",
        Decision::Within => "Condition: the oil pressure was measured with a test gauge and keeps every limit of the sheet.",
        Decision::Undecided => {
            "Condition: the oil pressure was measured with a test gauge and is so near its limit that this gauge cannot decide."
        }
        Decision::NotMeasured => "Condition: the oil pressure has not yet been measured at every point the sheet names.",
    }
}

/// What was replaced for this complaint before the vehicle came: by whom, and what it changed.
fn spent_before(case: &Case) -> Vec<String> {
    let know = knowledge();
    let parts = case.circumstances.iter().filter_map(|told| Some((told, know.circumstance(told)?.part.as_deref()?)));
    let (mut in_vain, mut changed) = (Vec::new(), Vec::new());
    for (told, part) in parts {
        let known = case.replaced.iter().find(|replaced| replaced.circumstance == *told);
        let effect = known.and_then(|known| known.effect).filter(|effect| *effect != Effect::NoChange);
        let by = known.and_then(|known| known.by).map(|by| format!(" (by {})", by.label())).unwrap_or_default();
        match effect {
            Some(effect) => changed.push(format!("{}{by}: {}.", first_upper(part), effect.label())),
            None => in_vain.push(format!("{part}{by}")),
        }
    }
    let in_vain =
        (!in_vain.is_empty()).then(|| format!("Replaced before this visit for the same complaint, without result: {}.", list(&in_vain)));
    let changed = (!changed.is_empty()).then(|| format!("Replaced before this visit for the same complaint. {}", changed.join(" ")));
    in_vain.into_iter().chain(changed).collect()
}

/// Repairs by rounds: those of one round were done together, and nothing was read between them.
fn rounds<'a>(case: &Case, repairs: &[&'a RepairSaid]) -> Vec<Vec<&'a RepairSaid>> {
    let mut rounds: Vec<Vec<&'a RepairSaid>> = Vec::new();
    let after = || case.readings.iter().filter(|reading| reading.phase == Phase::After && reading.set_aside.is_none());
    for repair in repairs {
        let read_since = |before: &RepairSaid| after().any(|reading| reading.moment().is_some_and(|at| before.at < at && at <= repair.at));
        match rounds.last_mut() {
            Some(round) if !round.last().is_some_and(|before| read_since(before)) => round.push(repair),
            _ => rounds.push(vec![repair]),
        }
    }
    rounds
}

fn what_was_wrong(now: &Diagnosis, last: &[&RepairSaid], known: Option<Known>, proof: Option<&Proof>) -> Vec<String> {
    let know = knowledge();
    let stopgaps = last.iter().filter(|repair| repair.stopgap);
    let mut says: Vec<String> = stopgaps
        .map(|repair| {
            format!(
                "A stopgap was used: {} It hides the fault and does not remove it. Have the fault itself repaired.",
                sentence(&repair.done)
            )
        })
        .collect();
    let repaired: Vec<&RepairSaid> = last.iter().copied().filter(|repair| !repair.stopgap).collect();
    let mut names: Vec<String> = repaired.iter().map(|repair| name(repair)).collect();
    names.dedup();
    let word = proof.map(|proof| proof.word);
    match (names.as_slice(), repaired.first()) {
        ([name], Some(repair)) => {
            let how = match (word, known) {
                (Some(ProofWord::Proven), Some(Known::Seen)) => format!("What was wrong: {name}. It was seen with the engine open."),
                (Some(ProofWord::Proven), _) => format!("What was wrong: {name}."),
                (_, Some(Known::Seen)) => format!("What was found: {name}. It was seen with the engine open."),
                (Some(ProofWord::InPart), Some(Known::CameBack)) => {
                    format!("What was repaired: {name}. The pressure came back, as far as it was measured again.")
                }
                (_, Some(Known::Supposed)) => format!("What was repaired: {name}. It is supposed that this was the fault: nobody saw it."),
                _ => format!("What was repaired: {name}. It is not yet proven that this was the fault."),
            };
            let gave = repair.id.as_deref().and_then(|id| know.cause(id)).map(|index| in_ten(now.posterior.of(index)));
            let gave = gave.map(|gave| format!(" Before the repair, measurements and checks gave it a chance of {gave}."));
            says.push(how + &gave.unwrap_or_default());
        }
        ([_, _, ..], _) => says.push(format!("Repaired together: {}. One of these was the fault; which one is not known.", list(&names))),
        _ => {}
    }
    if last.is_empty() {
        let leader = now.posterior.ranked().first().and_then(|index| Some((know.causes.get(*index)?, now.posterior.of(*index))));
        says.push(match leader.filter(|_| !now.findings.is_empty()) {
            Some((cause, odds)) => {
                format!("Most likely so far: {} ({}). Nothing has been repaired yet.", cause.name.to_lowercase(), in_ten(odds))
            }
            None => "Nothing has been found out yet.".to_owned(),
        });
    }
    says
}

fn name(repair: &RepairSaid) -> String {
    repair.cause.to_lowercase()
}

/// A probability as people say it.
pub fn in_ten(probability: f64) -> String {
    match (10.0 * probability).round() {
        0.0 => "less than 1 in 10".to_owned(),
        10.0 => "more than 9 in 10".to_owned(),
        tenths => format!("{tenths:.0} in 10"),
    }
}

/// What somebody typed, with a full stop.
fn sentence(typed: &str) -> String {
    let typed = typed.trim();
    if typed.ends_with(['.', '!', '?']) { typed.to_owned() } else { format!("{typed}.") }
}

/// “a”, “a and b”, “a, b and c”.
fn list(parts: &[String]) -> String {
    match parts {
        [] => String::new(),
        [only] => only.clone(),
        [rest @ .., last] => format!("{} and {last}", rest.join(", ")),
    }
}
