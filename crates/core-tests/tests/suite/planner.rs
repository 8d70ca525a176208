//! What is proposed next: never what cannot be done from where the bench stands, readings and moves as steps with a price, and a stop that counts what being wrong costs.
use crate::support::{hot, known, tracer, with};
use proptest::prelude::*;
use serde_json::{Value, json};
use velvet_dial_core::case::{EngineIs, OilIs, SumpIs};
use velvet_dial_core::circuit::{Card, Layout};
use velvet_dial_core::diagnosis::{Setting, explain, report};
use velvet_dial_core::knowledge::{Access, Engine, Sump, knowledge};
use velvet_dial_core::trace::*;

/// A job at which nothing was read yet, with the bench as given.
fn job(bench: Value, evidence: &[(&str, &str)]) -> Value {
    with(|v| {
        v["readings"] = json!([]);
        v["circumstances"] = json!(["lamp_only_hot"]);
        v["evidence"] = evidence.iter().map(|(check, outcome)| json!({ "check": check, "outcome": outcome })).collect();
        v["bench"] = bench;
    })
}

fn bench_moves(next: &[Proposal]) -> Vec<Move> {
    next.iter().filter_map(|p| if let Step::Bench(step, _) = p.step { Some(step) } else { None }).collect()
}

#[test]
fn with_no_gauge_fitted_fitting_it_is_a_step_of_its_own() {
    let (_, fresh) = known(&job(json!(null), &[("level", "ok")]));
    assert_eq!(fresh.bench, BenchState::default(), "as it comes in");
    for proposal in &fresh.next {
        assert!(!matches!(proposal.step, Step::Reading(_)), "no reading without a gauge");
        assert!(proposal.check().is_none_or(|check| !knowledge().check(check).unwrap().gauge));
    }
    assert!(bench_moves(&fresh.next).contains(&Move::FitGauge));
    // Fitted and cold, the cold idle can be read, and warming up is the step to the hot ones.
    let (_, cold) = known(&job(json!({ "gauge_fitted": true }), &[("level", "ok")]));
    assert!(cold.next.iter().any(|p| matches!(p.step, Step::Reading(place) if cold.takeable[place].name == "cold idle")));
    assert!(bench_moves(&cold.next).contains(&Move::WarmUp));
    // A reading taken is not proposed again, and hot oil means no cold reading.
    let (_, read) = known(&with(|v| v["readings"] = json!([hot(750.0, 70.0)])));
    assert_eq!((read.bench.gauge_fitted, read.bench.oil), (true, OilIs::Hot));
    assert!(read.takeable.iter().all(|reading| reading.at.oil_temp_c > 60.0 && reading.at.rpm > 1000.0));
    assert!(read.next.iter().any(|p| matches!(p.step, Step::Reading(_))), "the speeds not yet held are worth reading");
}

#[test]
fn an_open_sump_holds_back_what_runs_until_it_is_closed() {
    let (case, open) = known(&with(|v| v["evidence"] = json!([{ "check": "sump_debris", "outcome": "none" }])));
    assert_eq!(open.bench.sump, SumpIs::Off);
    for proposal in &open.next {
        let check = proposal.check().map(|check| knowledge().check(check).unwrap());
        assert!(
            check.is_none_or(|check| check.engine_on(&case.engine) != Some(Engine::Running) && check.sump != Some(Sump::Filled)),
            "{proposal:?}"
        );
        assert!(!matches!(proposal.step, Step::Reading(_)));
    }
    assert!(bench_moves(&open.next).contains(&Move::CloseSump) && !bench_moves(&open.next).contains(&Move::OpenSump));
    let situation = open.situation(&case);
    assert_eq!(situation.way_to_check(knowledge().check("screen_light").unwrap()), Some(vec![]), "what lies open costs no opening");
    // A refill that is known to come later closes it; one whose order nobody knows does not.
    let closed = |evidence_at: Value, refill_at: Value| {
        known(&with(|v| {
            v["evidence"] = json!([{ "check": "sump_debris", "outcome": "none", "at": evidence_at }]);
            v["acts"] = json!([{ "act": "refill", "at": refill_at }]);
        }))
        .1
        .bench
        .sump
    };
    assert_eq!(closed(json!("2026-03-06T08:00:00Z"), json!("2026-03-06T12:00:00Z")), SumpIs::Closed);
    assert_eq!(closed(json!(null), json!(null)), SumpIs::Off);
}

#[test]
fn the_price_is_the_cards() {
    let know = knowledge();
    let of = |change: fn(&mut Card)| {
        let mut card = Card::of(2.0, 4, 750.0, "5W-30");
        change(&mut card);
        card
    };
    let plain = of(|_| {});
    let plunger = know.check("relief_plunger").unwrap();
    assert_eq!(plunger.access(&plain), Access::Outside);
    assert_eq!(plunger.access(&of(|card| card.relief_access = Some(velvet_dial_core::circuit::PartAccess::InSump))), Access::Sump);
    assert_eq!(know.opening(Access::Sump, &of(|card| card.sump_off_minutes = Some(240.0))).minutes, 240.0);
    let blow = know.check("gallery_blow").unwrap();
    assert_eq!(blow.access(&plain), Access::Sump);
    assert_eq!(blow.access(&of(|card| card.blow_access = Some(velvet_dial_core::circuit::BlowAccess::Outside))), Access::Outside);
    let change = know.check("oil_change_retest").unwrap();
    assert_eq!(change.minutes_on(&plain), 40.0);
    assert!(change.material_on(&of(|card| card.displacement_l = 12.0)) > 4.0 * change.material_on(&plain), "twelve litres take more oil");
}

#[test]
fn a_named_pattern_is_looked_at_once_and_first_if_it_is_quick() {
    let named = |evidence: &[(&str, &str)], cause: &str| {
        let mut value = job(json!(null), evidence);
        value["pattern"] = json!(cause);
        known(&value).1
    };
    // Always the filter: a look at its number takes three minutes.
    assert_eq!(named(&[("level", "ok")], "filter_wrong").next[0].check(), Some("filter_id"));
    let done = named(&[("level", "ok"), ("filter_id", "right")], "filter_wrong");
    assert!(done.next.iter().all(|proposal| proposal.check() != Some("filter_id")), "once");
    // Always the cam bearings: nothing quick can say so, so nothing jumps the queue.
    let with_pattern = named(&[("level", "ok")], "bearings_cam");
    assert!(with_pattern.next[0].check() != Some("cam_bearings"));
    assert_eq!(
        with_pattern.posterior.came_first,
        known(&job(json!(null), &[("level", "ok")])).1.posterior.came_first,
        "a belief is no evidence"
    );
}

#[test]
fn one_acts_at_the_certainty_the_mistake_is_worth() {
    let know = knowledge();
    let at = |id: &str| know.causes[know.cause(id).unwrap()].act_at;
    assert!(at("filter_blocked") < at("oil_low") && at("oil_low") < at("pump_worn") && at("pump_worn") < at("bearings_crank"));
    assert!(at("something_else") > 1.0, "what is not on the list is never settled");
    // A worn-out van and a ship's engine with the same odds: what is at stake decides whether learning still pays.
    let worth = |money: f64| {
        let (_, diagnosis) = known(&with(|v| {
            v["engine"]["worth"] = json!(money);
            v["readings"] = json!([hot(750.0, 190.0), hot(2000.0, 260.0), hot(3000.0, 240.0)]);
            v["evidence"] = json!([]);
        }));
        diagnosis.next.iter().map(|proposal| proposal.worth_minutes).fold(0.0, f64::max)
    };
    assert!(worth(200_000.0) > 2.0 * worth(100.0), "{} {}", worth(200_000.0), worth(100.0));
}

#[test]
fn a_clean_strip_down_raises_what_is_not_on_the_list_and_never_settles_it() {
    let sound: Vec<(&str, &str)> = knowledge()
        .checks
        .iter()
        .filter(|check| check.needs.is_none() && !["second_gauge", "gauge_zero", "module_compare"].contains(&check.id.as_str()))
        .map(|check| {
            let most = (0..check.outcomes.len()).max_by(|a, b| check.usual.p[*a].total_cmp(&check.usual.p[*b])).unwrap();
            (check.id.as_str(), check.outcomes[most].id.as_str())
        })
        .collect();
    let read = json!([hot(750.0, 45.0), hot(2000.0, 120.0), hot(3000.0, 180.0)]);
    let low = |evidence: &[(&str, &str)]| {
        let mut value = job(json!(null), evidence);
        value["readings"] = read.clone();
        known(&value).1
    };
    let (before, after) = (low(&[]), low(&sound));
    let other = |diagnosis: &velvet_dial_core::diagnosis::Diagnosis| crate::support::odds(diagnosis, "something_else");
    assert!(
        sound.len() >= 29 && other(&after) > 20.0 * other(&before) && other(&after) > 0.08,
        "{} after {}",
        other(&after),
        other(&before)
    );
    assert!(crate::support::odds(&after, "bearings_crank") < 0.3, "{}", crate::support::odds(&after, "bearings_crank"));
    assert!(after.settled.is_none_or(|cause| knowledge().causes[cause].id != "something_else"));
}

#[test]
fn proposals_are_told_in_the_words_of_the_format() {
    let (case, diagnosis) = known(&job(json!(null), &[("level", "ok")]));
    let out = serde_json::to_value(report(&case, &diagnosis)).unwrap();
    let mut kinds: Vec<&str> = out["next"].as_array().unwrap().iter().map(|next| next["kind"].as_str().unwrap()).collect();
    kinds.sort();
    kinds.dedup();
    assert_eq!(kinds, ["bench", "check"]);
    let fit = out["next"].as_array().unwrap().iter().find(|next| next["kind"] == "bench").unwrap();
    assert!(fit["state"].is_string() && fit["minutes"].as_f64().unwrap() > 0.0 && fit["opening_minutes"] == fit["minutes"]);
    assert!(fit["checks"].as_array().is_some_and(|checks| !checks.is_empty()));
    let told = serde_json::to_value(explain(&case, &tracer(&case), &Setting::default(), &diagnosis)).unwrap();
    assert_eq!(told["orders"].as_array().unwrap().len(), 4);
    for order in told["orders"].as_array().unwrap() {
        assert!(order["minutes"].as_f64().unwrap() > 0.0 && !order["first"].as_array().unwrap().is_empty(), "{order}");
    }
    let price = |name: &str| told["orders"].as_array().unwrap().iter().find(|o| o["order"] == name).unwrap()["minutes"].as_f64().unwrap();
    assert!(price("most_told") < price("along_the_oil"), "skipping nothing costs most");
}

prop_compose! {
    fn states()(hot_oil: bool, gauge_fitted: bool, cover_off: bool, sump in 0..3usize, out: bool) -> BenchState {
        BenchState {
            oil: if hot_oil { OilIs::Hot } else { OilIs::Cold },
            gauge_fitted,
            cover_off,
            sump: [SumpIs::Closed, SumpIs::Drained, SumpIs::Off][sump],
            engine: if out { EngineIs::Out } else { EngineIs::In },
        }
    }
}

prop_compose! {
    fn layouts()(controlled: bool, jets: bool, turbo: bool, cooler: bool, belt: bool) -> Layout {
        use velvet_dial_core::circuit::{Cooler, PumpDrive, PumpKind};
        Layout {
            pump: if controlled { PumpKind::Controlled } else { PumpKind::Fixed },
            piston_jets: jets,
            turbo,
            cooler: if cooler { Cooler::Plain } else { Cooler::None },
            pump_drive: Some(if belt { PumpDrive::Belt } else { PumpDrive::Crank }),
            ..Layout::default()
        }
    }
}

/// Odds that are anything, made of a few numbers.
fn odds_of(seed: u64) -> Vec<f64> {
    let raw: Vec<f64> =
        (0..knowledge().states()).map(|state| (((seed as f64 + 1.0) * (state as f64 + 2.0).sqrt()).fract()).powi(6)).collect();
    let sum: f64 = raw.iter().sum();
    raw.into_iter().map(|p| p / sum).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10_000))]

    /// Ten thousand benches: what is proposed as a check or a reading can be done there and then; a move leads to where what lies behind it can be.
    #[test]
    fn nothing_impossible_is_ever_proposed(
        state in states(), layout in layouts(), run: bool, crank: bool, shown: bool, done in prop::collection::vec(0..42usize, 0..8), which in 0..6u64
    ) {
        let know = knowledge();
        let card = Card { layout, ..Card::of(2.0, 4, 750.0, "5W-30") };
        let mut situation = Situation::at(&card, state);
        situation.allowed = Allowed { run, crank: crank || run, one_reading: run || (shown && crank) };
        situation.done = done.iter().map(|index| know.checks[index % know.checks.len()].id.as_str()).collect();
        let table = |rows: usize| vec![(0..5).map(|part| if part == rows % 5 { 0.6 } else { 0.1 }).collect::<Vec<f64>>(); 1].concat();
        let ahead = std::sync::Arc::new(Ahead { parts_kpa: vec![50.0, 100.0, 200.0, 300.0], table: (0..know.states()).map(table).collect() });
        situation.readings = [(750.0, 20.0, "cold idle"), (750.0, 95.0, "hot idle"), (3000.0, 95.0, "hot 3000 held")]
            .map(|(rpm, oil_temp_c, name)| Takeable {
                name: name.into(),
                at: velvet_dial_core::circuit::Working { rpm, oil_temp_c },
                gear: velvet_dial_core::unit::Gear::Neutral,
                slope: velvet_dial_core::case::Slope::Level,
                ahead: ahead.clone(),
            })
            .to_vec();
        let states = odds_of(which);
        let now = Posterior::of_states(know, states);
        let turned = |engine: Option<Engine>| matches!(engine, Some(Engine::Running | Engine::Cranked));
        let next = next_steps(know, &now, &situation);
        // What may save more than it costs comes first, and in either part what tells most a minute.
        let pays = Proposal::pays;
        prop_assert!(next.is_sorted_by(|a, b| (pays(a) && !pays(b)) || (pays(a) == pays(b) && a.bits_a_minute >= b.bits_a_minute)));
        prop_assert_eq!(enough(know, &now, &next) == Some(Enough::NothingWorthIt), settled(know, &now).is_none() && !next.is_empty() && !next.iter().any(pays));
        for proposal in next {
            let possible = |step: &Step, state: BenchState| match step {
                Step::Check(id) => {
                    let check = know.check(id).unwrap();
                    let open = match check.access(&card) {
                        Access::Outside => true,
                        Access::Cover => state.cover_off || state.engine == EngineIs::Out,
                        Access::Sump => state.sump == SumpIs::Off,
                        Access::EngineOut => state.engine == EngineIs::Out,
                    };
                    let filled = state.sump == SumpIs::Closed && (state.engine == EngineIs::In || !turned(check.engine_on(&card)));
                    let allowed = match check.engine_on(&card) {
                        Some(Engine::Running) => run || (*id == "noise" && situation.allowed.one_reading),
                        Some(Engine::Cranked) => situation.allowed.crank,
                        _ => true,
                    };
                    open && allowed
                        && (!turned(check.engine_on(&card)) || filled)
                        && (check.sump != Some(Sump::Filled) || state.sump == SumpIs::Closed)
                        && (check.sump != Some(Sump::On) || state.sump != SumpIs::Off)
                        && (!check.gauge || state.gauge_fitted)
                        && (!check.hot || state.oil == OilIs::Hot)
                        && check.fits(&card) && check.needs.is_none_or(|part| part.is_in(&card.layout))
                        && !situation.done.contains(id)
                }
                Step::Reading(place) => {
                    let reading = &situation.readings[*place];
                    let warm = (reading.at.oil_temp_c > 60.0) == (state.oil == OilIs::Hot);
                    let allowed = run || (situation.allowed.one_reading && reading.at.rpm < 1000.0);
                    allowed && warm && state.gauge_fitted && state.sump == SumpIs::Closed && state.engine == EngineIs::In
                }
                Step::Bench(..) => false,
            };
            match &proposal.step {
                Step::Bench(first, behind) => {
                    prop_assert!(!behind.is_empty() && (run || *first != Move::WarmUp), "{first:?}");
                    for step in behind {
                        let way = match step {
                            Step::Check(id) => situation.way_to_check(know.check(id).unwrap()),
                            Step::Reading(place) => situation.way_to_reading(&situation.readings[*place]),
                            Step::Bench(..) => None,
                        };
                        prop_assert_eq!(way.unwrap().first().copied(), Some(*first));
                    }
                }
                step => prop_assert!(possible(step, state), "{step:?} in {state:?}"),
            }
            prop_assert!(proposal.minutes > 0.0 && proposal.opening_minutes <= proposal.minutes && proposal.gain_bits > 0.0);
        }
    }
}

#[test]
fn following_any_order_ends_and_repeats_nothing() {
    let know = knowledge();
    let value = with(|v| {
        v["readings"] = json!([hot(750.0, 70.0), hot(2000.0, 240.0)]);
        v["evidence"] = json!([]);
    });
    let (case, diagnosis) = known(&value);
    let situation = diagnosis.situation(&case);
    for (order, ..) in velvet_dial_core::trace::Strategy::ALL {
        let mut walk = Walk::new(&diagnosis.posterior.states, &situation);
        let mut seen: Vec<Step> = Vec::new();
        while let Next::Do(step, way) = walk.next((*order, Until::Certain), know, 0) {
            assert!(!seen.contains(&step), "{order:?} does {step:?} twice");
            walk.take(know, &step, &way, 0);
            seen.push(step);
            assert!(seen.len() < 60);
        }
        assert!(!seen.is_empty() && walk.minutes > 0.0);
    }
}
