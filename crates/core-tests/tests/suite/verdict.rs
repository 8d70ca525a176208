//! The verdict: the doubt item by item, the four states, what decides, what is carried over, and the sheet's revisions.
use crate::support::{example, hot, known, tracer, with};
use proptest::prelude::*;
use serde_json::json;
use velvet_dial_core::case::schema;
use velvet_dial_core::circuit::{Card, Cooler, PumpKind};
use velvet_dial_core::diagnosis::{Change, Decider, JudgedReading, project};
use velvet_dial_core::instrument::{Instrument, Sensitivity};
use velvet_dial_core::limits::{DOUBT_ALLOWED, Decision, Sheet, decide, deciding_u_kpa, in_force, overall, probabilities};

fn judged(value: &serde_json::Value) -> JudgedReading {
    known(value).1.readings[0].clone()
}

fn gauge(full_scale: f64, class: f64, graduation: f64) -> Instrument {
    Instrument { full_scale_kpa: full_scale, class_percent: class, graduation_kpa: graduation, ..Instrument::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn a_doubt_is_the_root_of_its_items_squares(
        full_scale in 100.0..2000.0f64, class in 0.1..4.0f64, graduation in 1.0..50.0f64, spread in 0.0..40.0f64, rpm in 500.0..4000.0f64, k in -8.0..8.0f64, n in -0.5..0.5f64
    ) {
        let instrument = gauge(full_scale, class, graduation);
        let sensitivity = Sensitivity { kpa_per_k: k, kpa_per_rpm: n };
        let budget = instrument.doubt(spread, rpm, false, sensitivity);
        let squares: f64 = budget.items.iter().map(|item| item.u_kpa.powi(2)).sum();
        prop_assert!((budget.total_kpa() - squares.sqrt()).abs() < 1e-9 && budget.items.len() == 5);
        let of = |from: &str| budget.items.iter().find(|item| item.from == from).unwrap().u_kpa;
        // Limits of error are rectangular (JCGM 100, 4.3.7).
        prop_assert!((of("gauge class") - full_scale * class / 100.0 / 3f64.sqrt()).abs() < 1e-9);
        prop_assert!((of("graduation") - 0.5 * graduation / 3f64.sqrt()).abs() < 1e-9);
        prop_assert!((of("needle movement") - spread / 3f64.sqrt()).abs() < 1e-9);
        prop_assert!((of("oil temperature") - 1.5 * k.abs()).abs() < 1e-9);
        prop_assert!(budget.largest().unwrap().u_kpa <= budget.total_kpa());
        // An estimate of the temperature is worth less than a probe, and what all readings share is a part of the whole.
        prop_assert!(instrument.doubt(spread, rpm, true, sensitivity).total_kpa() >= budget.total_kpa());
        prop_assert!(budget.without_common_kpa() < budget.total_kpa());
        prop_assert!(instrument.common_kpa() <= full_scale * class / 100.0);
    }

    #[test]
    fn the_decision_follows_the_probability_and_turns_only_once(p in 0.0..600.0f64, u in 0.5..60.0f64, min in 50.0..200.0f64, width in 50.0..400.0f64) {
        let max = min + width;
        let (conforms, decision) = decide(p, u, Some(min), Some(max));
        let (under, over) = probabilities(p, u, Some(min), Some(max));
        prop_assert!((0.0..=1.0).contains(&conforms) && (conforms - (1.0 - under - over)).abs() < 1e-9);
        let meant = match conforms {
            c if c > 1.0 - DOUBT_ALLOWED => Decision::Within,
            c if c < DOUBT_ALLOWED && under >= over => Decision::Below,
            c if c < DOUBT_ALLOWED => Decision::Above,
            _ => Decision::Undecided,
        };
        prop_assert_eq!(decision, meant);
        // Higher pressure is never further below, nor less above.
        let higher = probabilities(p + 10.0, u, Some(min), Some(max));
        prop_assert!(higher.0 <= under + 1e-12 && higher.1 >= over - 1e-12);
        // On a limit alone it is even odds.
        prop_assert!((decide(min, u, Some(min), None).0 - 0.5).abs() < 1e-9);
        // The doubt that would decide it, does.
        if let Some(need) = deciding_u_kpa(p, Some(min), None) {
            let then = decide(p, 0.99 * need, Some(min), None).1;
            prop_assert!(matches!(then, Decision::Below | Decision::Within), "{then:?}");
        }
    }
}

#[test]
fn the_sheet_as_a_whole_is_its_worst_point() {
    use Decision::*;
    let rows: [(&[Decision], Decision); 7] = [
        (&[Within, Within], Within),
        (&[Within, NotMeasured], NotMeasured),
        (&[Within, Undecided, NotMeasured], Undecided),
        (&[Above, Undecided], Above),
        (&[Above, Below], Below),
        (&[NotMeasured], NotMeasured),
        (&[], NotMeasured),
    ];
    for (points, whole) in rows {
        assert_eq!(overall(points.iter().copied()), whole, "{points:?}");
    }
}

#[test]
fn the_revision_in_force_is_the_latest_begun() {
    let day = |text: &str| text.parse::<chrono::NaiveDate>().unwrap();
    let sheet = |source: &str, from: Option<&str>| Sheet {
        source: source.into(),
        in_force_from: from.map(day),
        points: vec![],
        ..Sheet::default()
    };
    let all = [sheet("C", Some("2026-03-01")), sheet("A", None), sheet("B", Some("2024-07-15"))];
    for (on, source) in
        [("2020-01-01", "A"), ("2024-07-14", "A"), ("2024-07-15", "B"), ("2026-02-28", "B"), ("2026-03-01", "C"), ("2031-01-01", "C")]
    {
        assert_eq!(in_force(&all, day(on)).unwrap().source, source, "{on}");
    }
    assert!(in_force(&all[..1], day("2020-01-01")).is_none(), "before the first there is none");
}

#[test]
fn what_decides_an_undecided_reading_does_decide_it() {
    let undecided = with(|v| {
        v["readings"] = json!([{ "rpm": 750, "oil_temp_c": 100, "kpa": 115, "spread_kpa": 1, "instrument": "g1" }]);
        v["instruments"]["g1"] = json!({ "full_scale_kpa": 1600, "class_percent": 1.6, "graduation_kpa": 50 });
    });
    let reading = judged(&undecided);
    assert_eq!(reading.decision, Decision::Undecided);
    let deciders = reading.deciders(false);
    let Some(Decider::NarrowerGauge { full_scale_kpa }) = deciders.first() else { panic!("a narrower gauge first: {deciders:?}") };
    let mut narrower = undecided.clone();
    narrower["instruments"]["g1"] =
        json!({ "full_scale_kpa": full_scale_kpa.floor(), "class_percent": 1.0, "graduation_kpa": full_scale_kpa / 100.0 });
    assert_eq!(judged(&narrower).decision, Decision::Within);
    // A needle that swings by 30 kPa: hold it still. The same reading held still is decided.
    let swinging = with(|v| {
        v["readings"] = json!([{ "rpm": 750, "oil_temp_c": 100, "kpa": 85, "spread_kpa": 30, "instrument": "g1" }]);
        v["instruments"]["g1"] = json!({ "full_scale_kpa": 250, "class_percent": 1.0, "graduation_kpa": 5 });
    });
    let reading = judged(&swinging);
    assert!(
        reading.decision == Decision::Undecided && reading.deciders(false).contains(&Decider::SteadierHold),
        "{:?}",
        reading.deciders(false)
    );
    let mut still = swinging.clone();
    still["readings"][0]["spread_kpa"] = json!(0);
    assert_eq!(judged(&still).decision, Decision::Below);
    // A temperature from running time: a probe. One far off the sheet's: read it there.
    let estimated = with(|v| {
        v["readings"] = json!([{ "rpm": 750, "oil_temp_c": 100, "oil_temp_estimated": true, "kpa": 113, "instrument": "g1" }]);
        v["instruments"]["g1"] = json!({ "full_scale_kpa": 160, "class_percent": 0.6, "graduation_kpa": 2 });
    });
    let reading = judged(&estimated);
    assert!(
        reading.decision == Decision::Undecided && reading.deciders(true).contains(&Decider::Probe),
        "{:?} {:?}",
        reading.budget,
        reading.deciders(true)
    );
    assert!(!reading.deciders(false).contains(&Decider::Probe));
    // What is decided needs nothing.
    assert!(judged(&with(|v| v["readings"] = json!([hot(750.0, 300.0)]))).deciders(false).is_empty());
}

/// A gauge is overdue by the date of the clock that hung where it was read, and not by another one's.
#[test]
fn a_gauge_is_overdue_by_the_shops_own_date() {
    let read = |at: &str| {
        judged(&with(|v| {
            v["instruments"] = json!({ "brass": { "kind": "bourdon", "full_scale_kpa": 1000.0, "class_percent": 1.6, "graduation_kpa": 20.0, "due_on": "2026-08-01" } });
            v["readings"] = json!([{ "rpm": 750, "oil_temp_c": 100, "kpa": 90, "instrument": "brass", "at": at }]);
        }))
        .u_kpa()
    };
    let good = read("2026-08-01T12:00:00Z");
    assert_eq!(read("2026-08-01T23:30:00-05:00"), good, "the first of August still, and the second in UTC");
    assert!(read("2026-08-02T04:30:00Z") > good, "the same moment where the clock shows the second");
    assert!(read("2026-08-02T00:30:00+10:00") > good, "the second there, and the first in UTC");
}

#[test]
fn a_bare_pass_is_told_as_one() {
    let value = with(|v| v["readings"] = json!([hot(750.0, 128.0), hot(3000.0, 420.0)]));
    let (case, diagnosis) = known(&value);
    let tracer = tracer(&case);
    let idle = &diagnosis.verdict.points[0];
    assert_eq!(idle.decision(), Decision::Within);
    let carried = project(&case, idle, &tracer);
    let of = |change: Change| carried.iter().find(|p| p.change == change).unwrap();
    let measured = idle.reading.as_ref().unwrap().measured_kpa;
    for change in [Change::HotDay, Change::InGear, Change::OldOil] {
        assert!(of(change).kpa < measured && of(change).kpa > of(Change::AllAtOnce).kpa, "{change:?}");
        assert!(of(change).probability_conforms < idle.reading.as_ref().unwrap().probability_conforms);
    }
    assert_ne!(of(Change::AllAtOnce).decision, Decision::Within, "a pass by a hair is none on the worst day");
    assert_eq!((of(Change::InGear).rpm, of(Change::HotDay).oil_temp_c), (670.0, 112.0));
    // Where thinning is all there is, old oil takes what it has lost.
    assert!((of(Change::OldOil).kpa / measured - 0.85).abs() < 0.06, "{}", of(Change::OldOil).kpa / measured);
    // At speed gear changes nothing, and what was not measured is carried nowhere.
    let fast = project(&case, &diagnosis.verdict.points[1], &tracer);
    assert!(fast.len() == 3 && fast.iter().all(|p| p.change != Change::InGear && p.rpm == 3000.0));
    let unread = known(&with(|v| v["readings"] = json!([hot(750.0, 128.0)]))).1;
    assert!(project(&case, &unread.verdict.points[1], &tracer).is_empty());
}

#[test]
fn a_reading_in_gear_is_held_to_the_sheets_line_in_gear() {
    let line = json!({ "rpm": 680, "oil_temp_c": 100, "gear": "drive", "min_kpa": 70, "max_kpa": null });
    let with_gear = |gear: &str, rpm: f64| {
        judged(&with(|v| {
            v["spec"]["points"].as_array_mut().unwrap().push(line.clone());
            v["readings"] = json!([{ "rpm": rpm, "oil_temp_c": 100, "gear": gear, "kpa": 85, "instrument": "g1" }]);
            v["instruments"]["g1"] = json!({ "full_scale_kpa": 250, "class_percent": 1.0, "graduation_kpa": 5 });
        }))
    };
    assert_eq!((with_gear("drive", 680.0).decision, with_gear("neutral", 750.0).decision), (Decision::Within, Decision::Below));
}

#[test]
fn bringing_a_reading_to_the_sheets_temperature_follows_the_oil() {
    // Read 15 K too cold, the same engine reads higher; brought over it must agree with what it reads at the sheet's own temperature.
    let at = |oil_temp_c: f64, kpa: f64| {
        judged(&with(|v| v["readings"] = json!([{ "rpm": 750, "oil_temp_c": oil_temp_c, "kpa": kpa, "instrument": "g1" }])))
    };
    let brought = at(85.0, 140.0);
    let thinning = velvet_dial_core::oil::typical("5W-30").map(|oil| oil.mu_pa_s(100.0) / oil.mu_pa_s(85.0)).unwrap();
    assert!(brought.brought && brought.measured_kpa < 140.0);
    // Not more than by thinning alone, and most of it: leaks behind restrictors and slip fall less than in proportion.
    let ratio = brought.measured_kpa / 140.0;
    assert!(ratio > thinning - 0.03 && ratio < 1.0, "{ratio} against {thinning}");
    assert!(at(100.0, 100.0).budget.items.len() == 5 && brought.budget.items.len() == 6, "bringing it over is an item of its own");
    assert!(at(75.0, 140.0).decision == Decision::NotMeasured, "too far off to bring");
}

/// `cargo run --bin velvet-dial -- schema > docs/case.schema.json` makes it again.
#[test]
fn the_schema_in_docs_is_that_of_the_types_and_holds_every_range() {
    let made = schema();
    let kept: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/case.schema.json")).unwrap();
    assert_eq!(made, kept, "docs/case.schema.json is not current");
    let ranged = |definition: &str, keys: &[&str]| {
        for key in keys {
            let property = &made["$defs"][definition]["properties"][*key];
            assert!(
                property["minimum"].is_number() && property["maximum"].is_number() && property["description"].is_string(),
                "{definition}.{key}: {property}"
            );
        }
    };
    ranged(
        "Card",
        &[
            "displacement_l",
            "cylinders",
            "idle_rpm",
            "relief_opens_kpa",
            "rated_rpm",
            "sump_off_minutes",
            "cover_off_minutes",
            "engine_out_minutes",
            "worth",
        ],
    );
    ranged("Layout", &["jets_open_kpa"]);
    ranged("Point", &["rpm", "oil_temp_c", "min_kpa", "max_kpa"]);
    ranged("Instrument", &["full_scale_kpa", "class_percent", "graduation_kpa", "opens_kpa", "armed_from_rpm"]);
    ranged("Reading", &["rpm", "oil_temp_c", "kpa", "spread_kpa", "hold_s"]);
    assert_eq!(made["properties"]["format"]["const"], "velvet-dial.case/1");
    assert_eq!(made["$defs"]["Evidence"]["oneOf"].as_array().unwrap().len(), 44);
    assert_eq!(made["properties"]["circumstances"]["items"]["enum"].as_array().unwrap().len(), 45);
    for closed in ["Card", "Layout", "Point", "Sheet", "Instrument", "Reading", "Evidence", "Act", "BenchSaid"] {
        assert_eq!(made["$defs"][closed]["additionalProperties"], false, "{closed} lets strangers in");
    }
    // Required is what the format says, and every key of its example is known.
    let mut required: Vec<&str> = made["$defs"]["Card"]["required"].as_array().unwrap().iter().map(|key| key.as_str().unwrap()).collect();
    required.sort();
    assert_eq!(required, ["cylinders", "displacement_l", "idle_rpm", "oil_grade"]);
    for (key, definition) in [("engine", "Card"), ("spec", "Sheet")] {
        for inner in example()[key].as_object().unwrap().keys() {
            assert!(made["$defs"][definition]["properties"].get(inner).is_some(), "{definition}.{inner}");
        }
    }
}

#[test]
fn a_case_survives_being_written_and_read_again() {
    let (case, diagnosis) = known(&with(|v| {
        v["engine"]["layout"] = json!({ "port": "gallery_end", "pump": "controlled", "pump_drive": "belt", "cam_feed": "straight", "rockers": "shaft",
            "piston_jets": true, "jets_open_kpa": 190, "turbo": true, "valve_control": true, "cooler": "thermostat" });
    }));
    let again = velvet_dial_core::case::parse(serde_json::to_string(&case).unwrap().as_bytes()).unwrap();
    assert_eq!(again, case);
    assert_eq!((again.engine.layout.pump, again.engine.layout.cooler), (PumpKind::Controlled, Cooler::Thermostat));
    let other: Card = serde_json::from_value(serde_json::to_value(&case.engine).unwrap()).unwrap();
    assert!(tracer(&case).is_for(&other, &velvet_dial_core::case::spec_points(&case)));
    assert_eq!(known(&serde_json::to_value(&again).unwrap()).1.posterior, diagnosis.posterior);
}
