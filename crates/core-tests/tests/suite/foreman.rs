//! What a foreman would say to jobs written down as data, each beside what the tool says; a case that is not met says why in its own row.
use crate::support::{example, known, leader, odds};
use serde_json::{Map, Value, json};
use std::collections::BTreeSet;
use velvet_dial_core::diagnosis::Diagnosis;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::trace::{Enough, Proposal, Step};

/// Of a hundred cases so many must be met.
const MET_OF_100: usize = 94;

fn cases() -> Vec<Value> {
    let read: Value = toml::from_str(include_str!("foreman.toml")).unwrap();
    read["case"].as_array().unwrap().clone()
}

pub fn words(of: &Value, key: &str) -> Vec<String> {
    of[key].as_array().into_iter().flatten().map(|word| word.as_str().unwrap().to_owned()).collect()
}

fn merged(into: &mut Value, from: &Value) {
    for (key, value) in from.as_object().into_iter().flatten() {
        into[key] = value.clone();
    }
}

/// The case file of a row.
pub fn file(row: &Value) -> Value {
    let mut value = example();
    value["circumstances"] = json!(words(row, "told"));
    merged(&mut value["engine"], &row["engine"]);
    if row["layout"].is_object() {
        value["engine"]["layout"] = row["layout"].clone();
    }
    value["instruments"]["dash"] = json!({ "kind": "vehicle", "full_scale_kpa": 1000, "class_percent": 2.5, "graduation_kpa": 50 });
    if let Some(points) = row["points"].as_array() {
        let point = |of: &Value| {
            let most = of[3].as_f64().filter(|most| *most > 0.0);
            json!({ "rpm": of[0], "oil_temp_c": of[1], "min_kpa": of[2], "max_kpa": most })
        };
        value["spec"]["points"] = points.iter().map(point).collect();
    }
    if row["points"].as_array().is_some_and(Vec::is_empty) {
        value["spec"] = Value::Null;
    }
    let gauge = row["gauge"].as_str().unwrap_or("g1");
    let reading = |of: &Value| json!({ "rpm": of[0], "oil_temp_c": of[1], "kpa": of[2], "instrument": gauge });
    value["readings"] = row["read"].as_array().into_iter().flatten().map(reading).collect();
    let found = |word: &String| {
        let (check, outcomes) = word.split_once('=').unwrap();
        match outcomes.split('+').collect::<Vec<_>>().as_slice() {
            [one] => json!({ "check": check, "outcome": one }),
            several => json!({ "check": check, "outcomes": several }),
        }
    };
    value["evidence"] = words(row, "found").iter().map(found).collect();
    if value["readings"].as_array().unwrap().is_empty() && value["evidence"].as_array().unwrap().is_empty() {
        // A file holds something that was found; nobody knowing the grade moves nothing.
        value["evidence"] = json!([{ "check": "oil_grade", "outcome": "unknown" }]);
    }
    if row["pattern"].is_object() {
        value["known_patterns"] = json!([row["pattern"]]);
    }
    value
}

fn named(proposal: &Proposal) -> String {
    match &proposal.step {
        Step::Check(check) => (*check).to_owned(),
        Step::Reading(_) => "reading".to_owned(),
        Step::Bench(step, _) => serde_json::to_value(step).unwrap().as_str().unwrap().to_owned(),
    }
}

fn acts_on(now: &Diagnosis) -> Option<usize> {
    now.settled
        .or(now.mend_now)
        .or_else(|| matches!(now.enough, Some(Enough::Certain | Enough::NothingWorthIt)).then(|| now.posterior.leader()).flatten())
}

/// What of a row the tool does not say, in words; empty where it says all of it.
fn unmet(row: &Value) -> Vec<String> {
    let known_keys: BTreeSet<&str> = "say engine layout points gauge told read found pattern first three least most ok flag verdict next never act acts_on left_alone miss"
        .split(' ')
        .collect();
    let strange: Vec<&String> = row.as_object().unwrap().keys().filter(|key| !known_keys.contains(key.as_str())).collect();
    assert!(strange.is_empty(), "{}: {strange:?}", row["say"]);
    let now = known(&file(row)).1;
    let know = knowledge();
    let mut unmet = Vec::new();
    let mut expect = |met: bool, says: String| {
        if !met {
            unmet.push(says);
        }
    };
    let ranked: Vec<&str> = now.posterior.ranked().iter().map(|cause| know.causes[*cause].id.as_str()).collect();
    let three = || ranked.iter().take(3).map(|cause| format!("{cause} {:.2}", odds(&now, cause))).collect::<Vec<_>>().join(", ");
    if let Some(first) = row["first"].as_str() {
        expect(leader(&now) == first, format!("first is {}", three()));
    }
    if let Some(cause) = row["three"].as_str() {
        expect(ranked[..3].contains(&cause), format!("{cause} has {:.2}; {}", odds(&now, cause), three()));
    }
    let none = Map::new();
    for (key, holds) in [("least", (|p, bound| p >= bound) as fn(f64, f64) -> bool), ("most", |p, bound| p <= bound)] {
        for (cause, bound) in row[key].as_object().unwrap_or(&none) {
            let p = odds(&now, cause);
            expect(holds(p, bound.as_f64().unwrap()), format!("{cause} has {p:.3}; {}", three()));
        }
    }
    if let Some([from, to]) = row["ok"].as_array().map(|bounds| [&bounds[0], &bounds[1]].map(|bound| bound.as_f64().unwrap())) {
        expect((from..=to).contains(&now.sound), format!("the oil system is OK with {:.2}; {}", now.sound, three()));
    }
    for (key, says) in [("flag", json!(now.flag.word)), ("verdict", json!(now.verdict.overall))] {
        expect(row[key].is_null() || row[key] == says, format!("{key} is {says}"));
    }
    let proposed: Vec<String> = now.next.iter().map(named).collect();
    let next = words(row, "next");
    let opens: Vec<&String> = proposed.iter().take(4).collect();
    expect(next.is_empty() || proposed.first().is_some_and(|first| next.contains(first)), format!("proposed: {opens:?}"));
    for never in words(row, "never") {
        expect(!proposed.contains(&never), format!("{never} is proposed"));
    }
    if let Some(act) = row["act"].as_bool() {
        expect(acts_on(&now).is_some() == act, format!("enough is {:?}; {}", now.enough, three()));
    }
    if let Some(cause) = row["acts_on"].as_str() {
        expect(acts_on(&now) == know.cause(cause), format!("acts on {:?}", acts_on(&now).map(|cause| &know.causes[cause].id)));
    }
    if row["left_alone"].as_bool() == Some(true) {
        expect(now.enough == Some(Enough::InSpec), format!("enough is {:?}; OK with {:.2}", now.enough, now.sound));
    }
    unmet
}

#[test]
fn the_foreman_nods() {
    let rows = cases();
    assert!(rows.len() >= 80, "{}", rows.len());
    let mut wrong = Vec::new();
    let mut met = 0;
    for row in &rows {
        let unmet = unmet(row);
        met += usize::from(unmet.is_empty());
        let excused = row["miss"].as_str().is_some_and(|why| !why.is_empty());
        if unmet.is_empty() == excused {
            wrong.push(format!(
                "{}\n    {}",
                row["say"].as_str().unwrap(),
                if excused { "is met now: take its `miss` out".to_owned() } else { unmet.join("; ") }
            ));
        }
    }
    assert!(wrong.is_empty(), "{met} of {} are met.\n{}", rows.len(), wrong.join("\n"));
    assert!(100 * met >= MET_OF_100 * rows.len(), "{met} of {}", rows.len());
}
