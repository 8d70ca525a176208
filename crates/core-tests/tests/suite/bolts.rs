//! How each step is done, case by case, as a working mechanic would say it: texts, openings, orders, repairs and what findings ask. The rows are data.
use crate::foreman::{file, words};
use crate::support::{known, odds};
use serde_json::{Map, Value, json};
use std::collections::BTreeSet;
use velvet_dial_core::calculator::Calculator;
use velvet_dial_core::case::{Phase, parse};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::diagnosis::how;
use velvet_dial_core::knowledge::{Access, Reached, knowledge};
use velvet_dial_core::methods::method;
use velvet_dial_core::opened::{debris, debris_faults, opening_said, plan, repair_of};
use velvet_dial_core::rigging;
use velvet_dial_core::script::script;
use velvet_dial_core::start_up::StartUp;
use velvet_dial_core::strip_down::{CrankSaid, JournalSaid, Spring, StripDown};
use velvet_dial_core::trade;
use velvet_dial_core::unit::Units;

const KEYS: &str = "say engine layout points told read found how how_not opens repair_opens offered not_offered steps steps_not ready opening looks setup outcomes causes raised lowered \
    raised_by_told lowered_by_told prints spring says source start methods script script_not calculate";

fn access(word: &str) -> Access {
    serde_json::from_value::<Reached>(json!(word)).unwrap_or(Reached::Outside).on(&Card::of(2.0, 4, 750.0, "5W-30"))
}

/// Where the parts stand in the text, each after the one before; the first that does not.
fn missing_in_order<'a>(text: &str, parts: &'a [String]) -> Option<&'a String> {
    let mut from = 0;
    parts.iter().find(|part| match text[from..].find(part.as_str()) {
        Some(at) => {
            from += at + part.len();
            false
        }
        None => true,
    })
}

fn of_rows<'a>(row: &'a Value, key: &str) -> impl Iterator<Item = (&'a String, Vec<String>)> + use<'a> {
    let list = |of: &Value| of.as_array().into_iter().flatten().map(|word| word.as_str().unwrap().to_owned()).collect();
    row[key].as_object().into_iter().flatten().map(move |(name, of)| (name, list(of)))
}

fn without(row: &Value, key: &str) -> Value {
    let mut plain = row.clone();
    plain[key] = Value::Null;
    plain
}

/// What of a row the tool does not say; empty where it says all of it.
fn unmet(row: &Value) -> Vec<String> {
    let strange: Vec<&String> = row.as_object().unwrap().keys().filter(|key| !KEYS.split_whitespace().any(|known| known == *key)).collect();
    assert!(strange.is_empty(), "{}: {strange:?}", row["say"]);
    let know = knowledge();
    let (case, now) = known(&file(row));
    let card = &case.engine;
    let mut unmet = Vec::new();
    let mut expect = |met: bool, says: String| {
        if !met {
            unmet.push(says);
        }
    };
    let check = |id: &str| know.check(id).unwrap_or_else(|| panic!("{id} is not a check"));
    for (id, parts) in of_rows(row, "how") {
        let text = how(&case, check(id), Units::default()).to_lowercase();
        expect(missing_in_order(&text, &parts).is_none(), format!("{id} says: {text}"));
    }
    for (id, parts) in of_rows(row, "how_not") {
        let text = how(&case, check(id), Units::default()).to_lowercase();
        expect(!parts.iter().any(|part| text.contains(part.as_str())), format!("{id} says: {text}"));
    }
    for (id, word) in row["opens"].as_object().into_iter().flatten() {
        expect(check(id).access(card) == access(word.as_str().unwrap()), format!("{id} opens {:?}", check(id).access(card)));
    }
    for (cause, word) in row["repair_opens"].as_object().into_iter().flatten() {
        let opens = repair_of(cause).unwrap().access(card);
        expect(opens == access(word.as_str().unwrap()), format!("the repair of {cause} opens {opens:?}"));
    }
    let situation = now.situation(&case);
    for (key, wanted) in [("offered", true), ("not_offered", false)] {
        for id in words(row, key) {
            expect(situation.way_to_check(check(&id)).is_some() == wanted, format!("{id} is {}offered", if wanted { "not " } else { "" }));
        }
    }
    let said = |steps: &[&velvet_dial_core::opened::Hand]| -> String {
        steps.iter().map(|step| format!("{} {}. ", step.act, step.mind).to_lowercase()).collect()
    };
    for (cause, parts) in of_rows(row, "steps") {
        let text = said(&repair_of(cause).unwrap().steps_on(card));
        expect(missing_in_order(&text, &parts).is_none(), format!("{cause}: {:?} is not in: {text}", missing_in_order(&text, &parts)));
    }
    for (cause, parts) in of_rows(row, "steps_not") {
        let text = said(&repair_of(cause).unwrap().steps_on(card));
        expect(!parts.iter().any(|part| text.contains(part.as_str())), format!("{cause}: {text}"));
    }
    for (cause, things) in of_rows(row, "ready") {
        let hand = &repair_of(cause).unwrap().hand;
        expect(things.iter().all(|thing| hand.contains(thing)), format!("{cause}: {hand:?}"));
    }
    for (opens, parts) in of_rows(row, "opening") {
        let steps: Vec<_> = opening_said(access(opens)).unwrap().steps.iter().collect();
        let text = said(&steps);
        expect(missing_in_order(&text, &parts).is_none(), format!("{opens}: {:?} is not in: {text}", missing_in_order(&text, &parts)));
    }
    let looks = words(row, "looks");
    if !looks.is_empty() {
        let mut behind: Vec<_> = know.checks.iter().filter(|check| check.access(card) == Access::Sump).collect();
        behind.sort_by(|a, b| a.order.total_cmp(&b.order));
        let order: String = behind.iter().map(|check| format!("{} ", check.id)).collect();
        expect(missing_in_order(&order, &looks).is_none(), order);
    }
    let setup = words(row, "setup");
    let steps: String = rigging::steps().iter().map(|step| format!("{} ", step.id)).collect();
    expect(missing_in_order(&steps, &setup).is_none(), steps.clone());
    for word in words(row, "outcomes") {
        let (check, outcome) = word.split_once('=').unwrap();
        expect(know.found(check, outcome).is_some(), format!("{word} is not known"));
    }
    for cause in words(row, "causes") {
        expect(know.cause(&cause).is_some(), format!("{cause} is not known"));
    }
    for (key, of, rises) in
        [("raised", "found", true), ("lowered", "found", false), ("raised_by_told", "told", true), ("lowered_by_told", "told", false)]
    {
        let causes = words(row, key);
        if !causes.is_empty() {
            let before = known(&file(&without(row, of))).1;
            for cause in causes {
                let (was, is) = (odds(&before, &cause), odds(&now, &cause));
                expect(if rises { is > 1.05 * was } else { is < 0.95 * was }, format!("{cause} went from {was:.3} to {is:.3}"));
            }
        }
    }
    if let Some(prints) = row["prints"].as_object() {
        let limit = CrankSaid { limit_mm: prints["limit_mm"].as_f64(), ..CrankSaid::default() };
        let wide: BTreeSet<String> = prints["journals"]
            .as_array()
            .unwrap()
            .iter()
            .filter_map(|of| {
                let number = of[1].as_u64().unwrap() as u32;
                let kind = serde_json::from_value(of[0].clone()).unwrap();
                let journal = JournalSaid { clearance_mm: of[2].as_f64(), other_end_mm: of[3].as_f64(), ..JournalSaid::of(kind, number) };
                journal.is_wide(limit).then(|| format!("{} {number}", of[0].as_str().unwrap()))
            })
            .collect();
        let wanted: BTreeSet<String> = prints["wide"].as_array().unwrap().iter().map(|word| word.as_str().unwrap().to_owned()).collect();
        expect(wide == wanted, format!("wide are {wide:?}"));
    }
    if row["spring"].is_object() {
        let spring: Spring = serde_json::from_value(row["spring"].clone()).unwrap();
        let outcomes = StripDown { spring: Some(spring.held().unwrap()), ..StripDown::default() }.outcomes(4);
        let said: Vec<String> = outcomes.iter().map(|(check, outcome)| format!("{check}={outcome}")).collect();
        expect(said == [row["says"].as_str().unwrap()], format!("it says {said:?}"));
    }
    if row["source"].is_array() {
        let asked = debris(&case);
        let text: String = asked
            .iter()
            .map(|found| format!("{} {} {}. ", found.debris.name, found.debris.from, found.debris.went.join(" ")).to_lowercase())
            .collect();
        let parts = words(row, "source");
        expect(parts.is_empty() == asked.is_empty() && parts.iter().all(|part| text.contains(part.as_str())), text);
        expect(asked.iter().all(|found| !found.source_mended), "nothing was repaired yet".to_owned());
    }
    let start = StartUp::of(&case).says().to_lowercase();
    expect(words(row, "start").iter().all(|part| start.contains(part.as_str())), start);
    for id in words(row, "methods") {
        expect(method(&id).is_some(), format!("{id} is not a question"));
    }
    let titles: String = script(&case, Phase::Before).iter().map(|point| format!("{}. ", point.title.to_lowercase())).collect();
    expect(missing_in_order(&titles, &words(row, "script")).is_none(), titles.clone());
    expect(!words(row, "script_not").iter().any(|title| titles.contains(title.as_str())), titles);
    if let Some(sum) = row["calculate"].as_object() {
        let answer = Calculator::named(sum["name"].as_str().unwrap()).map(|of| of.run(&sum["input"].to_string()).unwrap());
        let none = Map::new();
        for (key, bounds) in sum["between"].as_object().unwrap_or(&none) {
            let value = answer.as_ref().and_then(|answer| answer[key].as_f64());
            let within = |value: f64| (bounds[0].as_f64().unwrap()..=bounds[1].as_f64().unwrap()).contains(&value);
            expect(value.is_some_and(within), format!("{key} is {value:?}"));
        }
    }
    // Whatever the plan says, it says it of this engine.
    let _ = plan(&case, &now, None);
    unmet
}

#[test]
fn a_working_mechanic_nods() {
    let read: Value = toml::from_str(include_str!("bolts.toml")).unwrap();
    let rows = read["case"].as_array().unwrap();
    assert!(rows.len() >= 60, "{}", rows.len());
    let wrong: Vec<String> = rows
        .iter()
        .map(|row| (row["say"].as_str().unwrap(), unmet(row)))
        .filter(|(_, unmet)| !unmet.is_empty())
        .map(|(say, unmet)| format!("{say}\n    {}", unmet.join("\n    ")))
        .collect();
    assert!(wrong.is_empty(), "{} of {} are met.\n{}", rows.len() - wrong.len(), rows.len(), wrong.join("\n"));
}

/// The table of the trade in docs is that of the knowledge files, and what they say of debris holds together.
#[test]
fn the_trade_in_docs_is_that_of_the_knowledge() {
    assert_eq!(debris_faults(), Vec::<String>::new());
    let docs = include_str!("../../../../docs/trade.md");
    let made = trade::document();
    let differs = docs.lines().zip(made.lines()).find(|(one, other)| one != other);
    assert!(docs == made, "docs/trade.md is not current (`velvet-dial trade > docs/trade.md`): {differs:?}");
    for check in &knowledge().checks {
        assert!(made.contains(&format!("`{}`", check.id)) && !check.why_here().is_empty(), "{}", check.id);
    }
}

/// No speed, amount or torque stands in a text: they come from the card, the sheet or a rule that is cited.
#[test]
fn no_text_names_a_speed_an_amount_or_a_torque_of_its_own() {
    let files = [
        include_str!("../../../core/knowledge/checks.toml"),
        include_str!("../../../core/knowledge/repairs.toml"),
        include_str!("../../../core/knowledge/rig.toml"),
        include_str!("../../../core/knowledge/methods.toml"),
        include_str!("../../../core/knowledge/debris.toml"),
    ];
    let words =
        |text: &str| -> Vec<String> { text.split(|c: char| c.is_whitespace() || ",.;:()\"".contains(c)).map(str::to_lowercase).collect() };
    let units = ["rpm", "nm", "l", "litre", "litres", "kpa", "bar", "psi", "ml"];
    let mut found = Vec::new();
    for line in files.iter().flat_map(|text| text.lines()).filter(|line| !line.starts_with('#')) {
        let texts = line.split('"').skip(1).step_by(2);
        for pair in texts.map(words).collect::<Vec<_>>().iter().flat_map(|words| words.windows(2)) {
            let number = pair[0].parse::<f64>();
            if number.is_ok() && units.contains(&pair[1].as_str()) || number.is_ok_and(|number| number >= 400.0) {
                found.push(format!("{} {}", pair[0], pair[1]));
            }
        }
    }
    assert_eq!(found, Vec::<String>::new());
    // Every brace is filled, on any engine.
    for case in [json!({}), json!({ "fuel": "diesel", "top_open": "runs" })] {
        let mut value = crate::support::example();
        for (key, said) in case.as_object().unwrap() {
            value["engine"][key] = said.clone();
        }
        let case = parse(value.to_string().as_bytes()).unwrap();
        let open: Vec<String> =
            knowledge().checks.iter().map(|check| how(&case, check, Units::default())).filter(|text| text.contains(['{', '}'])).collect();
        assert_eq!(open, Vec::<String>::new());
    }
}
