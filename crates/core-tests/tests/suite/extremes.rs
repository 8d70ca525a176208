//! Whatever a form or a file accepts can be worked out: engines, sheets, gauges and readings at the ends of their ranges, in any mixture.
use proptest::prelude::*;
use serde_json::{Value, json};
use velvet_dial_core::case::{parse, spec_points};
use velvet_dial_core::circuit::{CamFeed, Cooler, Port, PumpDrive, PumpKind, Rockers};
use velvet_dial_core::diagnosis::curves;
use velvet_dial_core::diagnosis::{Setting, diagnose, report};
use velvet_dial_core::field::{self, Field};
use velvet_dial_core::limits::{Point, questionable};
use velvet_dial_core::oil;
use velvet_dial_core::trace::Tracer;
use velvet_dial_core::unit::Units;

/// The ends of a range, near them, and the middle.
fn end(of: &'static Field) -> impl Strategy<Value = f64> {
    let (least, most) = (of.min, of.max);
    prop_oneof![Just(least), Just(most), Just(least + 1e-3 * (most - least)), Just(0.5 * (least + most)), least..=most]
}

fn maybe(of: &'static Field) -> impl Strategy<Value = Option<f64>> {
    prop_oneof![Just(None), end(of).prop_map(Some)]
}

fn word<T>(of: &'static [(T, &'static str, &'static str)]) -> impl Strategy<Value = &'static str> {
    (0..of.len()).prop_map(move |place| of.get(place).map_or("", |(_, id, _)| *id))
}

prop_compose! {
    fn engine()(
        numbers in (end(&field::DISPLACEMENT), 1..=16u32, end(&field::IDLE), maybe(&field::RELIEF), maybe(&field::JETS)),
        grade in 0..oil::grades().len(),
        words in (word(Port::ALL), word(PumpKind::ALL), word(PumpDrive::ALL), word(CamFeed::ALL), word(Rockers::ALL), word(Cooler::ALL)),
        parts in any::<(bool, bool, bool)>(),
    ) -> Value {
        let (litres, cylinders, idle, relief, jets) = numbers;
        let (port, pump, drive, cam, rockers, cooler) = words;
        json!({ "displacement_l": litres, "cylinders": cylinders, "idle_rpm": idle, "oil_grade": oil::grades().get(grade).map(|known| &known.grade), "relief_opens_kpa": relief,
            "layout": { "port": port, "pump": pump, "pump_drive": drive, "cam_feed": cam, "rockers": rockers, "cooler": cooler,
                "turbo": parts.0, "piston_jets": parts.1, "valve_control": parts.2, "jets_open_kpa": jets } })
    }
}

prop_compose! {
    fn point()(rpm in end(&field::RPM), temp in end(&field::OIL_TEMP), a in maybe(&field::PRESSURE), b in maybe(&field::PRESSURE)) -> Value {
        let (min, max) = match (a, b) {
            (Some(a), Some(b)) => (Some(f64::min(a, b)), Some(f64::max(a, b))),
            other => other,
        };
        json!({ "rpm": rpm, "oil_temp_c": temp, "min_kpa": min, "max_kpa": max })
    }
}

prop_compose! {
    fn reading()(rpm in end(&field::RPM), temp in end(&field::OIL_TEMP), kpa in end(&field::PRESSURE), spread in end(&field::SPREAD), after in any::<bool>()) -> Value {
        json!({ "rpm": rpm, "oil_temp_c": temp, "kpa": kpa, "spread_kpa": spread, "instrument": "g", "phase": if after { "after" } else { "before" } })
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn whatever_is_accepted_is_worked_out(
        engine in engine(),
        points in prop::collection::vec(point(), 0..4),
        gauge in (end(&field::FULL_SCALE), end(&field::CLASS), end(&field::GRADUATION)),
        readings in prop::collection::vec(reading(), 1..4),
    ) {
        let spec = if points.is_empty() { Value::Null } else { json!({ "points": points }) };
        let gauge = json!({ "full_scale_kpa": gauge.0, "class_percent": gauge.1, "graduation_kpa": gauge.2 });
        let file = json!({ "format": "velvet-dial.case/1", "engine": engine, "spec": spec, "instruments": { "g": gauge }, "readings": readings });
        let case = parse(file.to_string().as_bytes()).unwrap();
        let tracer = Tracer::new(&case.engine, &spec_points(&case)).unwrap();
        let now = diagnose(&case, &tracer, &Setting::default());
        let sum: f64 = now.posterior.came_first.iter().sum();
        prop_assert!((sum - 1.0).abs() < 1e-6, "{sum}");
        prop_assert!(serde_json::to_string(&report(&case, &now)).unwrap().len() > 100);
        for curve in curves(&case, &now, &tracer) {
            prop_assert!(curve.kpa.iter().all(|kpa| kpa.is_finite() && *kpa >= 0.0), "{curve:?}");
        }
        for judged in &now.readings {
            prop_assert!(judged.measured_kpa.is_finite() && judged.u_kpa().is_finite(), "{judged:?}");
        }
        prop_assert!(tracer.bytes() > 100_000);
    }
}

#[test]
fn a_limit_in_another_unit_is_questioned_and_no_usual_one_is() {
    let asked = |point: &Point| questionable(point, Units::default());
    let point = |rpm: f64, min: Option<f64>, max: Option<f64>| {
        serde_json::from_value(json!({ "rpm": rpm, "oil_temp_c": 100, "min_kpa": min, "max_kpa": max })).unwrap()
    };
    for (rpm, min, max) in
        [(750.0, 100.0, 550.0), (600.0, 35.0, 700.0), (3000.0, 300.0, 560.0), (2000.0, 140.0, 900.0), (5000.0, 420.0, 1100.0)]
    {
        assert_eq!(asked(&point(rpm, Some(min), Some(max))), None, "{rpm} {min} {max}");
        // The same sheet read as bar or as psi while it stands in the other.
        for factor in [0.01, 0.145, 6.895] {
            let wrong = asked(&point(rpm, Some(min * factor), None)).is_some() || asked(&point(rpm, None, Some(max * factor))).is_some();
            assert!(wrong, "{rpm} {min} {max} times {factor}");
        }
    }
}

/// A tracer that has let go what it needs only meanwhile says the same as one that has not.
#[test]
fn a_rested_tracer_says_the_same_and_takes_less() {
    let file = |readings: usize| {
        let all: Vec<Value> = (0..readings)
            .map(|place| json!({ "rpm": 780.0 + 740.0 * place as f64, "oil_temp_c": 97.0, "kpa": 60.0 + 80.0 * place as f64 }))
            .collect();
        let engine = json!({ "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 780, "oil_grade": "5W-30" });
        parse(json!({ "format": "velvet-dial.case/1", "engine": engine, "readings": all }).to_string().as_bytes()).unwrap()
    };
    let case = file(1);
    let (rested, never) = (Tracer::new(&case.engine, &[]).unwrap(), Tracer::new(&case.engine, &[]).unwrap());
    for readings in [1, 2, 4, 3, 4] {
        let case = file(readings);
        let of = |tracer: &Tracer| diagnose(&case, tracer, &Setting::default()).posterior.came_first;
        assert_eq!(of(&rested), of(&never), "{readings} readings");
        let before = rested.bytes();
        rested.rest();
        assert!(rested.bytes() <= before && never.bytes() > rested.bytes());
    }
    assert!(rested.bytes() < 6 << 20, "{}", rested.bytes());
}
