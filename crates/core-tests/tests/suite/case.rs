//! A case from its bytes to what is known of it: errors, verdict, laws of the odds, the next check, the flag.
use crate::support::{example, hot, known, leader, odds, with};
use proptest::prelude::*;
use serde_json::{Value, json};
use velvet_dial_core::case::{parse, spec_points};
use velvet_dial_core::diagnosis::{Setting, diagnose, report};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::{Tracer, entropy_bits};

#[test]
fn every_wrong_file_is_told_where_and_why() {
    let told = |value: Value| {
        let error = parse(value.to_string().as_bytes()).unwrap_err();
        // The parser adds a line and column, which hang on the order of the keys.
        format!("{}: {}", error.path, error.message.split(" at line ").next().unwrap())
    };
    let all = [
        told(with(|v| v["motor"] = json!(1))),
        told(with(|v| v["engine"]["rpm"] = json!(1))),
        told(with(|v| {
            v["engine"].as_object_mut().unwrap().remove("cylinders");
        })),
        told(with(|v| v["format"] = json!("other/2"))),
        told(with(|v| v["engine"]["oil_grade"] = json!("7W-35"))),
        told(with(|v| v["readings"][0]["rpm"] = json!(-5))),
        told(with(|v| v["readings"][0]["oil_temp_c"] = json!(9000))),
        told(with(|v| v["readings"][0]["instrument"] = json!("g9"))),
        told(with(|v| v["spec"]["points"][1]["min_kpa"] = json!(600))),
        told(with(|v| v["evidence"][0]["outcome"] = json!("purple"))),
        told(with(|v| v["evidence"][0]["check"] = json!("tarot"))),
        told(with(|v| v["circumstances"] = json!(["knock", "knock"]))),
        told(with(|v| {
            v["readings"] = json!([]);
            v["evidence"] = json!([]);
        })),
        told(with(|v| v["readings"][0]["phase"] = json!("during"))),
        told(with(|v| v["spec"]["points"] = json!(vec![json!({ "rpm": 750, "oil_temp_c": 100, "min_kpa": 100 }); 201]))),
    ];
    // A mark that an editor put before the first byte is no part of the file.
    let good = with(|_| {}).to_string();
    assert_eq!(parse(format!("\u{feff}{good}").as_bytes()), parse(good.as_bytes()));
    insta::assert_snapshot!(all.join("\n"));
}

#[test]
fn the_example_of_the_format_is_answered_to_the_letter() {
    let (case, diagnosis) = known(&example());
    let out = serde_json::to_value(report(&case, &diagnosis)).unwrap();
    let keys = |value: &Value| {
        let mut keys: Vec<String> = value.as_object().unwrap().keys().cloned().collect();
        keys.sort();
        keys.join(" ")
    };
    assert_eq!(keys(&out), "causes id next not_believed pairs settled sound stop verdict");
    assert_eq!(
        keys(&out["verdict"]["points"][0]),
        "brought_from_c decision gear max_kpa measured_kpa min_kpa oil_temp_c probability_conforms rpm u_kpa"
    );
    assert_eq!(
        (out["id"].as_str(), out["verdict"]["overall"].as_str(), out["stop"]["run_engine"].as_bool()),
        (Some("tug"), Some("below"), Some(true))
    );
    let causes = out["causes"].as_array().unwrap();
    assert_eq!(causes.len(), knowledge().causes.len());
    let sum: f64 = causes.iter().map(|c| c["probability"].as_f64().unwrap()).sum();
    assert!((sum - 1.0).abs() < 1e-9 && causes.windows(2).all(|w| w[0]["probability"].as_f64() >= w[1]["probability"].as_f64()));
    assert_eq!(out["next"].as_array().unwrap().len(), 5);
}

/// A known pattern raises the odds of its cause as many times before anything is found, and nothing else among the others; what is read moves it like any other.
#[test]
fn a_known_pattern_multiplies_the_odds_of_its_cause_and_of_no_other() {
    let priors = |patterns: Value| {
        let now = known(&with(|v| v["known_patterns"] = patterns)).1;
        (now.priors.clone(), now.posterior.came_first.clone())
    };
    let cause = knowledge().cause("pickup_air").unwrap();
    let times = |of: &[f64], with: &[f64], index: usize| (with[index] / (1.0 - with[index])) / (of[index] / (1.0 - of[index]));
    let (before, after) = priors(json!([]));
    for raised in [1.1, 3.0, 20.0] {
        let (known, moved) = priors(json!([{ "cause": "pickup_air", "times": raised, "source": "note 14" }]));
        assert!((known.iter().sum::<f64>() - before.iter().sum::<f64>()).abs() < 1e-9);
        assert!((times(&before, &known, cause) / raised - 1.0).abs() < 1e-6);
        let shares: Vec<f64> = (0..before.len()).filter(|index| *index != cause).map(|index| known[index] / before[index]).collect();
        assert!(shares.windows(2).all(|two| (two[0] - two[1]).abs() < 1e-9), "the others keep what they were to one another");
        assert!(moved[cause] > after[cause]);
    }
    let wrong = |pattern: Value| parse(with(|v| v["known_patterns"] = json!([pattern])).to_string().as_bytes()).unwrap_err().to_string();
    let pattern = |key: &str, value: Value| {
        let mut pattern = json!({ "cause": "pickup_air", "times": 3, "source": "note 14" });
        pattern[key] = value;
        wrong(pattern)
    };
    for (told, says) in [
        (pattern("cause", json!("moon")), "no cause known here"),
        (pattern("times", json!(1.0)), "Times as likely"),
        (pattern("times", json!(50)), "only said"),
        (pattern("times", json!(500)), "Times as likely"),
        (pattern("source", json!(" ")), "needs its source"),
    ] {
        assert!(told.contains(says), "{told}");
    }
    let counted = json!([{ "cause": "pickup_air", "times": 50, "cases": 60, "source": "60 jobs" }]);
    assert!(parse(with(|v| v["known_patterns"] = counted).to_string().as_bytes()).is_ok(), "what was counted may weigh more");
    let twice = json!([{ "cause": "pickup_air", "times": 3, "source": "a" }, { "cause": "pickup_air", "times": 3, "source": "b" }]);
    assert!(parse(with(|v| v["known_patterns"] = twice).to_string().as_bytes()).unwrap_err().to_string().contains("given twice"));
}

#[test]
fn the_verdict_has_five_words() {
    let overall = |idle: f64, fast: Option<f64>| {
        let readings: Vec<Value> = [Some(hot(750.0, idle)), fast.map(|kpa| hot(3000.0, kpa))].into_iter().flatten().collect();
        known(&with(|v| v["readings"] = json!(readings))).1.verdict.overall
    };
    assert_eq!(overall(40.0, Some(400.0)), Decision::Below);
    assert_eq!(overall(180.0, Some(700.0)), Decision::Above);
    assert_eq!(overall(105.0, Some(400.0)), Decision::Undecided);
    assert_eq!(overall(180.0, Some(420.0)), Decision::Within);
    assert_eq!(overall(180.0, None), Decision::NotMeasured, "a sheet half read is no pass");
}

#[test]
fn a_narrow_gauge_decides_what_a_wide_one_cannot() {
    let reading = |full_scale: f64, class: f64, graduation: f64| {
        known(&with(|v| {
            v["readings"] = json!([hot(750.0, 112.0)]);
            v["instruments"]["g1"] = json!({ "full_scale_kpa": full_scale, "class_percent": class, "graduation_kpa": graduation });
        }))
        .1
        .readings[0]
            .clone()
    };
    let wide = reading(1600.0, 1.6, 50.0);
    assert_eq!(wide.decision, Decision::Undecided);
    let needed = wide.deciding_full_scale_kpa(1.0).unwrap();
    assert!(needed > 160.0 && needed < 1600.0, "{needed}");
    assert_eq!(reading(250.0, 1.0, 5.0).decision, Decision::Within);
}

#[test]
fn what_it_cannot_bring_over_it_does_not_judge() {
    let at = |oil_temp_c: f64| known(&with(|v| v["readings"][0]["oil_temp_c"] = json!(oil_temp_c))).1.readings[0].clone();
    let (near, far) = (at(88.0), at(40.0));
    assert!(near.brought && near.measured_kpa < 62.0, "hotter at the sheet's point, so thinner, so lower: {}", near.measured_kpa);
    assert!(
        near.budget.items.iter().any(|item| item.from.starts_with("brought") && item.u_kpa > 0.1),
        "bringing it over adds its own doubt"
    );
    assert_eq!((far.decision, far.point), (Decision::NotMeasured, None));
    let thumb = known(&with(|v| v["spec"] = Value::Null)).1.verdict;
    assert_eq!(thumb.basis, velvet_dial_core::diagnosis::Basis::RuleOfThumb);
    assert_eq!(thumb.points[0].point.min_kpa, Some(52.5));
}

#[test]
fn the_pressures_alone_lead_to_the_cause() {
    let told = |readings: Value| {
        let (_, diagnosis) = known(&with(|v| {
            v["readings"] = readings;
            v["circumstances"] = json!([]);
            v["evidence"] = json!([]);
        }));
        diagnosis.posterior.ranked().into_iter().take(3).map(|i| knowledge().causes[i].id.as_str()).collect::<Vec<_>>()
    };
    let cold = |kpa: f64| json!({ "rpm": 850, "oil_temp_c": 20, "kpa": kpa, "instrument": "g1" });
    let rows = [
        ("pickup_air", json!([cold(400.0), hot(750.0, 30.0), hot(2000.0, 300.0), hot(3000.0, 410.0)])),
        ("screen_blocked", json!([cold(430.0), hot(750.0, 180.0), hot(2000.0, 230.0), hot(3000.0, 180.0)])),
        ("relief_open", json!([cold(110.0), hot(750.0, 40.0), hot(2000.0, 190.0), hot(3000.0, 320.0)])),
        ("relief_weak", json!([cold(220.0), hot(750.0, 150.0), hot(2000.0, 220.0), hot(3000.0, 235.0)])),
        ("relief_shut", json!([cold(990.0), hot(750.0, 180.0), hot(2000.0, 460.0), hot(3000.0, 640.0)])),
        ("bearings_crank", json!([cold(410.0), hot(750.0, 50.0), hot(2000.0, 110.0), hot(3000.0, 150.0)])),
        ("within_spec", json!([cold(450.0), hot(750.0, 190.0), hot(2000.0, 420.0), hot(3000.0, 445.0)])),
    ];
    for (cause, readings) in rows {
        let first = told(readings);
        assert!(first.contains(&cause), "{cause} is not among {first:?}");
    }
}

#[test]
fn evidence_moves_the_odds_the_way_its_reason_says() {
    let (_, before) = known(&example());
    let add = |check: &str, outcome: &str| {
        known(&with(|v| v["evidence"] = json!([{ "check": "level", "outcome": "ok" }, { "check": check, "outcome": outcome }]))).1
    };
    for (check, outcome, cause) in [
        ("pickup_seal", "one_sided", "pickup_air"),
        ("relief_plunger", "debris", "relief_open"),
        ("screen_light", "blocked", "screen_blocked"),
        ("strip_gauge", "wide", "bearings_crank"),
        ("second_gauge", "disagrees", "test_gauge"),
        ("oil_look", "fuel", "oil_diluted"),
    ] {
        let after = add(check, outcome);
        assert!(odds(&after, cause) > 2.0 * odds(&before, cause), "{check} {outcome}");
        assert!(entropy_bits(&after.posterior.came_first).is_finite());
    }
    assert_eq!(leader(&add("pickup_seal", "missing")), "pickup_air");
}

fn any_evidence() -> impl Strategy<Value = Vec<(usize, usize)>> {
    let checks = knowledge().checks.len();
    prop::collection::vec((0..checks, 0..10usize), 1..6).prop_map(|mut all| {
        all.sort();
        all.dedup_by_key(|(check, _)| *check);
        all
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn the_order_of_evidence_does_not_matter(evidence in any_evidence(), turn in 0..6usize) {
        let as_json = |list: &[(usize, usize)]| list.iter().map(|(check, outcome)| {
            let check = &knowledge().checks[*check];
            json!({ "check": check.id, "outcome": check.outcomes[outcome % check.outcomes.len()].id })
        }).collect::<Vec<_>>();
        let mut turned = evidence.clone();
        turned.rotate_left(turn % evidence.len());
        let one = known(&with(|v| v["evidence"] = json!(as_json(&evidence)))).1;
        let other = known(&with(|v| v["evidence"] = json!(as_json(&turned)))).1;
        prop_assert!((one.posterior.came_first.iter().sum::<f64>() - 1.0).abs() < 1e-9);
        for (a, b) in one.posterior.came_first.iter().zip(&other.posterior.came_first) {
            prop_assert!((a - b).abs() < 1e-9);
        }
        // A check that no cause here tells apart moves nothing that matters.
        let useless = known(&with(|v| {
            let mut list = as_json(&evidence);
            list.retain(|e| e["check"] != "jet_ball");
            v["evidence"] = json!(list);
        })).1;
        let more = known(&with(|v| {
            let mut list = as_json(&evidence);
            list.retain(|e| e["check"] != "jet_ball");
            list.push(json!({ "check": "jet_ball", "outcome": "springs" }));
            v["evidence"] = json!(list);
        })).1;
        // The check is of the jets: what it moves is theirs and the unknown's, and nobody else moves by more than that.
        let own: Vec<usize> = ["something_else", "jets_open"].iter().map(|cause| knowledge().cause(cause).unwrap()).collect();
        let share: f64 = own.iter().map(|cause| useless.posterior.of(*cause)).sum();
        for (i, (a, b)) in useless.posterior.came_first.iter().zip(&more.posterior.came_first).enumerate() {
            prop_assert!(own.contains(&i) || (a - b).abs() <= share + 1e-9);
        }
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300), cut in 0..900usize) {
        let _ = parse(&bytes);
        let mut text = example().to_string().into_bytes();
        let at = cut % text.len();
        text[at] = bytes.first().copied().unwrap_or(b'}');
        if let Ok(case) = parse(&text) && let Ok(tracer) = Tracer::new(&case.engine, &spec_points(&case)) {
            let sum: f64 = diagnose(&case, &tracer, &Setting::default()).posterior.came_first.iter().sum();
            prop_assert!((sum - 1.0).abs() < 1e-9);
        }
    }
}
