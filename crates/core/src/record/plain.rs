//! What was wrong, how it is known and whether it is proven, for the customer.
use crate::case::Diagnosis;
use crate::limits::Decision;
use crate::trace::knowledge::knowledge;
use crate::unit::percent;

/// A sentence each. `repaired` is the repair that holds, with the cause it was.
pub fn sentences(now: &Diagnosis, repaired: Option<Option<usize>>) -> Vec<String> {
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
    if repaired.is_some() {
        let proof = match now.proof.overall {
            Decision::Within => "After the repair every point of the sheet was read again and is within its limit.",
            Decision::NotMeasured => "After the repair not every point of the sheet has been read again: the proof is still missing.",
            Decision::Undecided => {
                "After the repair a reading lies so near its limit that the gauge cannot tell: the proof is still missing."
            }
            Decision::Below | Decision::Above => "After the repair a point is still outside its limit: this is not mended yet.",
        };
        plain.push(proof.to_owned());
    }
    plain
}
