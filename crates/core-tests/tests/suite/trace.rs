//! The laws of the odds, the next check, the orders and their price, what was struck out, and what the shop remembers.
use crate::support::{case, hot, known, known_in, leader, odds, tracer, with};
use proptest::prelude::*;
use proptest::strategy::Strategy;
use serde_json::{Value, json};
use velvet_dial_core::case::{parse, spec_points};
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose, explain};
use velvet_dial_core::experience::{Memory, OWN_JOBS, OWN_TIMES, Took};
use velvet_dial_core::knowledge::{BANDS, Link, knowledge};
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::*;

fn cold(kpa: f64) -> Value {
    json!({ "rpm": 830, "oil_temp_c": 20, "kpa": kpa, "instrument": "g1" })
}

/// A case of readings alone, on an ordinary engine.
fn read(readings: &[Value]) -> Value {
    with(|v| {
        v["readings"] = json!(readings);
        v["evidence"] = json!([]);
        v["circumstances"] = json!([]);
        v["engine"]["layout"] = json!({});
    })
}

fn found(value: &Value, evidence: &[(&str, &str)]) -> Value {
    let mut value = value.clone();
    value["evidence"] = evidence.iter().map(|(check, outcome)| json!({ "check": check, "outcome": outcome })).collect();
    value
}

fn sums_to_one(diagnosis: &Diagnosis) -> bool {
    let sum: f64 = diagnosis.posterior.came_first.iter().sum();
    let states: f64 = diagnosis.posterior.states.iter().sum();
    (sum - 1.0).abs() < 1e-9 && (states - 1.0).abs() < 1e-9 && diagnosis.posterior.came_first.iter().all(|p| (0.0..=1.0).contains(p))
}

/// Four pressures of each shape of the trade's table, and the cause that must stand among the first three of thirty-four.
#[test]
fn the_pressures_alone_lead_to_the_cause() {
    let rows = [
        ("oil_low", [cold(420.0), hot(750.0, 120.0), hot(2000.0, 190.0), hot(3000.0, 150.0)]),
        ("oil_thin", [cold(430.0), hot(750.0, 78.0), hot(2000.0, 215.0), hot(3000.0, 320.0)]),
        ("screen_blocked", [cold(430.0), hot(750.0, 180.0), hot(2000.0, 230.0), hot(3000.0, 180.0)]),
        ("pickup_air", [cold(400.0), hot(750.0, 30.0), hot(2000.0, 300.0), hot(3000.0, 410.0)]),
        ("pump_worn", [cold(440.0), hot(750.0, 60.0), hot(2000.0, 210.0), hot(3000.0, 330.0)]),
        ("relief_open", [cold(110.0), hot(750.0, 40.0), hot(2000.0, 190.0), hot(3000.0, 320.0)]),
        ("relief_weak", [cold(220.0), hot(750.0, 150.0), hot(2000.0, 220.0), hot(3000.0, 235.0)]),
        ("relief_shut", [cold(990.0), hot(750.0, 180.0), hot(2000.0, 460.0), hot(3000.0, 640.0)]),
        ("filter_blocked", [cold(330.0), hot(750.0, 150.0), hot(2000.0, 320.0), hot(3000.0, 330.0)]),
        ("gallery_leak", [cold(90.0), hot(750.0, 30.0), hot(2000.0, 160.0), hot(3000.0, 290.0)]),
        ("bearings_crank", [cold(410.0), hot(750.0, 50.0), hot(2000.0, 110.0), hot(3000.0, 150.0)]),
        ("within_spec", [cold(450.0), hot(750.0, 190.0), hot(2000.0, 420.0), hot(3000.0, 445.0)]),
    ];
    for (cause, readings) in rows {
        let diagnosis = known(&read(&readings)).1;
        let first: Vec<&str> = diagnosis.posterior.ranked().into_iter().take(3).map(|i| knowledge().causes[i].id.as_str()).collect();
        assert!(first.contains(&cause), "{cause} is not among {first:?}");
        assert!(sums_to_one(&diagnosis));
    }
}

#[test]
fn what_no_cause_explains_is_said_and_one_odd_reading_does_not_decide() {
    // Falls, rises and falls again: no engine does that.
    let odd = known(&read(&[cold(900.0), hot(750.0, 20.0), hot(1500.0, 460.0), hot(2000.0, 60.0), hot(3000.0, 440.0)])).1;
    let place = odd.posterior.ranked().iter().position(|i| knowledge().causes[*i].id == "something_else").unwrap();
    assert!(place < 2, "something else stands at {place}");
    // Five sound readings and one slip of the pen keep the engine's bearings out of it.
    let sound = [cold(450.0), hot(750.0, 190.0), hot(1500.0, 380.0), hot(2000.0, 420.0), hot(3000.0, 440.0)];
    let slip = [&sound[..], &[hot(2500.0, 43.0)]].concat();
    let ratio = odds(&known(&read(&slip)).1, "bearings_crank") / odds(&known(&read(&sound)).1, "bearings_crank");
    assert!(ratio < 50.0, "a tail, not a cliff: {ratio}");
}

#[test]
fn an_indication_that_lies_is_told_from_an_engine_that_is_low() {
    let sound = [cold(450.0), hot(750.0, 190.0), hot(2000.0, 420.0), hot(3000.0, 445.0)];
    let low_dash = known(&found(&read(&sound), &[("module_compare", "reads_low"), ("sender_plug", "oil_in_plug")])).1;
    assert_eq!((leader(&low_dash), low_dash.verdict.overall), ("sender", Decision::Within));
    let wired = known(&found(&read(&sound), &[("module_compare", "jumps"), ("sender_plug", "damaged")])).1;
    assert_eq!(leader(&wired), "wiring");
    // Where the sheet is surely missed a sender explains nothing, whatever the dash does.
    let low = known(&found(&read(&[hot(750.0, 30.0), hot(3000.0, 140.0)]), &[("module_compare", "agrees")])).1;
    assert!(odds(&low, "sender") < 0.01 && odds(&low, "within_spec") < 0.01);
    let gauge =
        known(&found(&read(&[hot(750.0, 120.0), hot(3000.0, 290.0)]), &[("second_gauge", "disagrees"), ("module_compare", "reads_low")])).1;
    assert_eq!(leader(&gauge), "test_gauge");
}

#[test]
fn linked_and_met_pairs_are_hypotheses_of_their_own() {
    let know = knowledge();
    assert!(
        know.hypotheses.iter().filter(|h| h.link == Link::Linked).count() >= 8
            && know.hypotheses.iter().filter(|h| h.link == Link::Together).count() >= 5
    );
    // A blocked screen with metal and wide bearings is the screen that came first, with the bearings it starved.
    let value = found(
        &read(&[cold(420.0), hot(750.0, 60.0), hot(2000.0, 90.0), hot(3000.0, 70.0)]),
        &[("screen_light", "blocked"), ("strip_gauge", "damaged"), ("sump_debris", "bearing_metal")],
    );
    let (case, diagnosis) = known(&value);
    assert_eq!(leader(&diagnosis), "screen_blocked");
    let pair = know
        .hypotheses
        .iter()
        .position(|h| h.link == Link::Linked && know.causes[h.first].id == "screen_blocked" && h.second == know.cause("bearings_crank"));
    let both: f64 = diagnosis.posterior.states[BANDS * pair.unwrap()..][..BANDS].iter().sum();
    let alone: f64 = diagnosis.posterior.states[BANDS * know.cause("screen_blocked").unwrap()..][..BANDS].iter().sum();
    assert!(both > 2.0 * alone, "both {both}, the screen alone {alone}");
    let told = serde_json::to_value(explain(&case, &tracer(&case), &Setting::default(), &diagnosis)).unwrap();
    assert_eq!((told["pairs"][0]["first"].as_str(), told["pairs"][0]["second"].as_str()), (Some("screen_blocked"), Some("bearings_crank")));
    assert_eq!(told["pairs"][0]["reason"], "starved bearings wear wide");
}

#[test]
fn readings_in_another_order_or_split_among_gauges_say_the_same() {
    let readings = [cold(410.0), hot(750.0, 55.0), hot(2000.0, 250.0), hot(3000.0, 380.0)];
    let one = known(&read(&readings)).1;
    let mut turned = readings.clone();
    turned.reverse();
    let other = known(&read(&turned)).1;
    for (a, b) in one.posterior.came_first.iter().zip(&other.posterior.came_first) {
        // Samples are ruled out in the order of the readings, so the last decimals may differ.
        assert!((a - b).abs() < 1e-3, "{a} {b}");
    }
    assert_eq!(leader(&one), leader(&other));
    // Asked again, and asked after a longer run was weighed, it is the same to the bit.
    let case = case(&read(&readings));
    let tracer = tracer(&case);
    let first = diagnose(&case, &tracer, &Setting::default()).posterior;
    let mut longer = case.clone();
    longer.readings.push(case.readings[1].clone());
    diagnose(&longer, &tracer, &Setting::default());
    assert_eq!(diagnose(&case, &tracer, &Setting::default()).posterior, first);
    // The same reading twice is more evidence, never less, for what leads clearly.
    let twice = diagnose(&longer, &tracer, &Setting::default()).posterior;
    assert!(twice.of(twice.leader().unwrap()) > 0.0 && entropy_bits(&twice.came_first) < entropy_bits(&first.came_first) + 0.5);
}

/// A limit typed with a digit too many, or a sheet of another engine: no drawn engine keeps it, and the readings still speak.
#[test]
fn a_sheet_no_engine_keeps_does_not_silence_the_readings() {
    let readings = [cold(400.0), hot(750.0, 30.0), hot(2000.0, 300.0), hot(3000.0, 410.0)];
    let mut wrong = read(&readings);
    wrong["spec"]["points"] = json!([{ "rpm": 3000, "oil_temp_c": 100, "min_kpa": 2400 }]);
    let (_, diagnosis) = known(&wrong);
    let place = diagnosis.posterior.ranked().iter().position(|i| knowledge().causes[*i].id == "pickup_air").unwrap();
    assert!(place < 3 && odds(&diagnosis, "relief_shut") < 0.01 && sums_to_one(&diagnosis), "pickup_air stands at {place}");
}

#[test]
fn a_struck_cause_stays_out_only_while_its_fact_stands() {
    let value = found(&read(&[cold(110.0), hot(750.0, 40.0), hot(2000.0, 190.0), hot(3000.0, 320.0)]), &[("relief_plunger", "free")]);
    let open = known(&value).1;
    let exclusions = [Exclusion { cause: "relief_open".into(), because: "relief_plunger=free".into() }];
    let setting = Setting { exclusions: &exclusions, ..Setting::default() };
    let struck = known_in(&value, &setting).1;
    assert!(odds(&open, "relief_open") > 1e-3 && odds(&struck, "relief_open") < 1e-6 && sums_to_one(&struck));
    assert!(struck.findings.iter().any(|finding| finding.key == "struck relief_open" && finding.label.contains("Relief valve held open")));
    // The others share what it had, in proportion.
    let others = ["gallery_leak", "pickup_air", "jets_open"].map(|cause| odds(&struck, cause) / odds(&open, cause));
    assert!(others.iter().all(|ratio| (ratio / others[0] - 1.0).abs() < 1e-6 && *ratio > 1.0), "{others:?}");
    // The fact is superseded by what a second look found: the strike no longer holds.
    let looked_again = found(&value, &[("relief_plunger", "debris")]);
    let back = known_in(&looked_again, &setting).1;
    assert!(odds(&back, "relief_open") > 0.3 && back.findings.iter().all(|finding| !finding.key.starts_with("struck")));
    let told = serde_json::to_value(explain(&case(&looked_again), &tracer(&case(&looked_again)), &setting, &back)).unwrap();
    assert!(told["come_back"][0].as_str().unwrap().contains("relief_open"));
    // A strike on a fact that was never there, or on no cause, is nothing.
    let nothing = [
        Exclusion { cause: "gremlins".into(), because: "relief_plunger=free".into() },
        Exclusion { cause: "sender".into(), because: "knock".into() },
    ];
    let same = known_in(&value, &Setting { exclusions: &nothing, ..Setting::default() }).1;
    assert_eq!(same.posterior.came_first, open.posterior.came_first);
}

#[test]
fn a_shops_closed_jobs_move_the_priors_by_their_number_and_can_be_left_out() {
    let know = knowledge();
    let layout = velvet_dial_core::circuit::Layout::default();
    let own = know.priors(&layout);
    assert!((own.iter().sum::<f64>() - 1.0).abs() < 1e-12);
    let memory = |jobs: u32| {
        Memory { family: "baggage tug".into(), closed: [("pickup_air".to_owned(), jobs)].into(), ..Memory::default() }
            .checked(know)
            .unwrap()
    };
    let share = |jobs: u32| memory(jobs).learn(know, &own).iter().find(|l| l.cause == "pickup_air").unwrap().learned;
    let index = know.cause("pickup_air").unwrap();
    assert_eq!(share(0), own[index], "no job, no change");
    let shares: Vec<f64> = [0, 1, 5, 20, 500].map(share).to_vec();
    assert!(shares.windows(2).all(|pair| pair[0] < pair[1]) && shares[4] > 0.95, "{shares:?}");
    // With as many jobs as its own shares are worth it stands halfway between the two.
    assert!((share(OWN_JOBS as u32) - 0.5 * (own[index] + 1.0)).abs() < 1e-12);
    for jobs in [0, 3, 40] {
        let learned = memory(jobs).learn(know, &own);
        assert!((learned.iter().map(|l| l.learned).sum::<f64>() - 1.0).abs() < 1e-12 && memory(jobs).jobs() == jobs);
    }
    let value = read(&[hot(750.0, 70.0)]);
    let six = memory(6);
    let with_it = known_in(&value, &Setting { memory: Some(&six), ..Setting::default() }).1;
    let without = known(&value).1;
    assert!(odds(&with_it, "pickup_air") > 2.0 * odds(&without, "pickup_air") && (with_it.priors[index] - share(6)).abs() < 1e-12);
    let wrong =
        Memory { family: String::new(), closed: [("gremlins".to_owned(), 1)].into(), ..Memory::default() }.checked(know).unwrap_err();
    assert!(wrong.to_string().contains("gremlins"));
    // A case carries it to the same odds; a word that is no cause and times that no jobs can sum to are refused with their path.
    let carried = |memory: serde_json::Value| with_key(&value, "memory", memory);
    let case = parse(carried(json!({ "family": "baggage tug", "closed": { "pickup_air": 6 } })).to_string().as_bytes()).unwrap();
    let tracer = Tracer::new(&case.engine, &spec_points(&case)).unwrap();
    assert_eq!(diagnose(&case, &tracer, &Setting::default()).posterior.came_first, with_it.posterior.came_first);
    for (memory, path) in [
        (json!({ "family": "x", "closed": { "gremlins": 1 } }), "memory.closed.gremlins"),
        (json!({ "family": "x", "closed": {}, "took": { "jobs": 1, "log_times": 9.0 } }), "memory.took"),
    ] {
        assert_eq!(parse(carried(memory).to_string().as_bytes()).unwrap_err().path, path);
    }
}

fn with_key(value: &serde_json::Value, key: &str, of: serde_json::Value) -> serde_json::Value {
    let mut value = value.clone();
    value[key] = of;
    value
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// What jobs took over what was planned is a mean between the least and the most of them and the card's own; many alike are believed, one that was mistyped is held.
    #[test]
    fn a_shops_own_times_lie_among_its_jobs(jobs in prop::collection::vec((20.0..900.0f64, 0.3..3.5f64), 0..40), slip in 1.0..60_000.0f64) {
        let mut took = Took::default();
        jobs.iter().for_each(|(planned, times)| took.add(planned * times, *planned));
        let (least, most) = jobs.iter().fold((1.0f64, 1.0f64), |(least, most), (_, times)| (least.min(*times), most.max(*times)));
        prop_assert!(took.times() >= least - 1e-9 && took.times() <= most + 1e-9 && took.jobs as usize == jobs.len());
        let before = took.times();
        took.add(slip, 60.0);
        prop_assert!((took.times() / before).ln().abs() <= 4f64.ln() / OWN_TIMES + before.ln().abs() / OWN_TIMES + 1e-9);
        let mut alike = Took::default();
        (0..200).for_each(|_| alike.add(90.0, 60.0));
        prop_assert!((alike.times() - 1.5).abs() < 0.02);
    }
}

#[test]
fn why_adds_up_and_the_overturning_result_does_overturn() {
    let value = found(&with(|v| v["readings"] = json!([hot(750.0, 72.0)])), &[("level", "ok"), ("oil_look", "clean")]);
    let (_, diagnosis) = known(&value);
    let posterior = &diagnosis.posterior;
    assert_eq!(
        diagnosis.findings.iter().map(|f| f.key.as_str()).collect::<Vec<_>>(),
        ["readings", "idle_speed", "sump_was_off", "level=ok", "oil_look=clean"]
    );
    // What each finding is said to have moved is the difference it makes to be without it.
    let without = known(&{
        let mut value = value.clone();
        value["evidence"].as_array_mut().unwrap().pop();
        value
    })
    .1;
    let log_odds = |p: f64| (p / (1.0 - p)).ln();
    for cause in ["pickup_air", "oil_low", "pump_worn"] {
        let index = knowledge().cause(cause).unwrap();
        let moved = posterior.moved[4][index];
        assert!((moved - (log_odds(odds(&diagnosis, cause)) - log_odds(odds(&without, cause)))).abs() < 1e-9, "{cause}: {moved}");
    }
    // The single result that is said to turn the ranking over does, and no other does it more probably.
    let (_, most) = overturn(&diagnosis.next).unwrap();
    let turning = diagnosis.next.iter().filter_map(|proposal| proposal.check().zip(proposal.turns));
    let (check, turn) = turning.max_by(|a, b| a.1.probability.total_cmp(&b.1.probability)).unwrap();
    let outcome = &knowledge().check(check).unwrap().outcomes[turn.outcome].id;
    let mut then = value.clone();
    then["evidence"].as_array_mut().unwrap().push(json!({ "check": check, "outcome": outcome }));
    let after = known(&then).1;
    assert_eq!(leader(&after), knowledge().causes[turn.cause].id);
    assert_ne!(leader(&after), leader(&diagnosis));
    for proposal in &diagnosis.next {
        assert!(proposal.turns.is_none_or(|other| other.probability <= most.probability));
    }
}

#[test]
fn learning_stops_when_it_is_certain_or_no_longer_pays() {
    let sure = known(&found(
        &with(|v| v["readings"] = json!([cold(400.0), hot(750.0, 30.0), hot(2000.0, 300.0), hot(3000.0, 410.0)])),
        &[("pickup_seal", "missing")],
    ))
    .1;
    assert_eq!(sure.enough, Some(Enough::Certain));
    assert_eq!(sure.settled.map(|i| knowledge().causes[i].id.as_str()), Some("pickup_air"));
    let open = known(&read(&[hot(750.0, 70.0)])).1;
    assert_eq!((open.enough, open.settled), (None, None), "one reading is not enough to act on");
    // Two that are mended alike and told apart by nothing cheap: nothing left is worth its minutes, long before every check is done.
    let all: Vec<(&str, &str)> = knowledge()
        .checks
        .iter()
        .filter(|check| check.id != "second_gauge")
        .map(|check| (check.id.as_str(), check.outcomes[0].id.as_str()))
        .collect();
    let done = known(&found(&read(&[hot(750.0, 160.0), hot(3000.0, 420.0)]), &all)).1;
    assert!(matches!(done.enough, Some(Enough::NothingLeft | Enough::NothingWorthIt | Enough::Certain)), "{:?}", done.enough);
}

fn any_evidence() -> impl Strategy<Value = Vec<(usize, usize)>> {
    let checks = knowledge().checks.len();
    prop::collection::vec((0..checks, 0..10usize), 1..7).prop_map(|mut all| {
        all.sort();
        all.dedup_by_key(|(check, _)| *check);
        all
    })
}

fn named(list: &[(usize, usize)]) -> Vec<(&'static str, &'static str)> {
    let of = |(check, outcome): &(usize, usize)| {
        let check = &knowledge().checks[*check];
        (check.id.as_str(), check.outcomes[outcome % check.outcomes.len()].id.as_str())
    };
    list.iter().map(of).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn evidence_in_another_order_gives_the_same_odds(evidence in any_evidence(), turn in 0..7usize) {
        let base = read(&[hot(750.0, 70.0), hot(3000.0, 330.0)]);
        let mut turned = evidence.clone();
        turned.rotate_left(turn % evidence.len());
        let (one, other) = (known(&found(&base, &named(&evidence))).1, known(&found(&base, &named(&turned))).1);
        prop_assert!(sums_to_one(&one));
        for (a, b) in one.posterior.came_first.iter().zip(&other.posterior.came_first) {
            prop_assert!((a - b).abs() < 1e-9);
        }
    }

    #[test]
    fn a_check_that_tells_nothing_apart_moves_nothing(evidence in any_evidence()) {
        // Springs that all spring, on an engine without jets: every cause that is not about jets expects it alike.
        let base = read(&[hot(750.0, 70.0), hot(3000.0, 330.0)]);
        let mut list = named(&evidence);
        list.retain(|(check, _)| *check != "jet_ball");
        let before = known(&found(&base, &list)).1;
        list.push(("jet_ball", "springs"));
        let after = known(&found(&base, &list)).1;
        let apart = odds(&before, "something_else") + odds(&before, "jets_open");
        for (a, b) in before.posterior.came_first.iter().zip(&after.posterior.came_first) {
            prop_assert!((a - b).abs() <= apart + 1e-9, "moved by no more than what it speaks to");
        }
    }

    #[test]
    fn the_planner_never_proposes_what_is_done_and_expects_no_loss(evidence in any_evidence()) {
        let list = named(&evidence);
        let diagnosis = known(&found(&read(&[hot(750.0, 70.0), hot(3000.0, 330.0)]), &list)).1;
        for proposal in &diagnosis.next {
            prop_assert!(list.iter().all(|(check, _)| Some(*check) != proposal.check()));
            // Information is never expected to be negative, nor more than what is open.
            prop_assert!(proposal.gain_bits <= entropy_bits(&diagnosis.posterior.came_first) + 1e-9);
            prop_assert!(proposal.group_gain_bits <= proposal.gain_bits + 1e-9, "a group is told by its causes");
            prop_assert!(proposal.worth_minutes >= 0.0);
        }
    }

    #[test]
    fn units_do_not_matter(kpa in 20.0..600.0f64, unit in 0..3usize) {
        use velvet_dial_core::{field, unit::Pressure};
        let unit = Pressure::ALL[unit];
        let typed = format!("{}", kpa / unit.kpa());
        let read_back = field::PRESSURE.parse_pressure(&typed, unit).unwrap();
        let (one, other) = (known(&read(&[hot(750.0, kpa)])).1, known(&read(&[hot(750.0, read_back)])).1);
        for (a, b) in one.posterior.came_first.iter().zip(&other.posterior.came_first) {
            prop_assert!((a - b).abs() < 1e-6);
        }
    }
}
