//! What was wrong, how it is known and whether it is proven, for the customer.
use crate::case::{Diagnosis, Proof, ProofWord};
use crate::limits::Decision;
use crate::trace::knowledge::knowledge;
use crate::unit::percent;

/// A sentence each. `repaired` is the repair that holds, with the cause it was.
pub fn sentences(now: &Diagnosis, repaired: Option<Option<usize>>, proof: Option<&Proof>) -> Vec<String> {
    let know = knowledge();
    let verdict = match now.verdict.overall {
        Decision::Below => "The oil pressure was measured with a test gauge and was too low.",
        Decision::Above => "The oil pressure was measured with a test gauge and was too high.",
        Decision::Within => "The oil pressure was measured with a test gauge and is as it should be.",
        Decision::Undecided => "The oil pressure was measured with a test gauge and lies so near its limit that this gauge cannot tell.",
        Decision::NotMeasured => "The oil pressure has not yet been measured at every point the sheet names.",
    };
    let mut plain = vec![verdict.to_owned()];
    let named = repaired.flatten();
    let leader = now.posterior.ranked().first().copied();
    if let Some((index, cause)) = named.or(leader).and_then(|index| know.causes.get(index).map(|cause| (index, cause))) {
        let (name, odds) = (cause.name.to_lowercase(), percent(now.posterior.of(index)));
        plain.push(match (named.is_some(), now.findings.is_empty()) {
            (true, _) => format!(
                "What was wrong: {name}. The measurements and checks alone gave it {odds}; it was then found when it was put right."
            ),
            (false, false) => format!("Most likely so far: {name} ({odds}). Nothing has been put right yet."),
            (false, true) => "Nothing has been found out yet.".to_owned(),
        });
    }
    if let Some(proof) = proof.filter(|_| repaired.is_some()) {
        let read = match proof.word {
            ProofWord::Proven => {
                "After the repair every point was read again, as it was read before, and is within its limit: it is proven."
            }
            ProofWord::InPart => "After the repair what was read is within its limit. That is proof in part:",
            ProofWord::NotProven => "After the repair it is not proven:",
            ProofWord::Worse => "After the repair it stands worse than it came:",
        };
        plain.push(read.to_owned());
        plain.extend(proof.says.iter().cloned());
    }
    plain
}
