//! What the core's tests share: an engine, random engines, a case and its diagnosis.
pub mod recorder;

use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::{Arc, Mutex, PoisonError};
use velvet_dial_core::case::{Case, parse, spec_points};
use velvet_dial_core::circuit::nominal::{self, DIMENSIONS};
use velvet_dial_core::circuit::*;
use velvet_dial_core::diagnosis::{Diagnosis, Setting, diagnose};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::oil;
use velvet_dial_core::trace::Tracer;

/// A two-litre engine with every part fitted, so that every fault has something to act on.
pub fn full_layout() -> Layout {
    Layout {
        pump: PumpKind::Controlled,
        rockers: Rockers::Shaft,
        piston_jets: true,
        turbo: true,
        valve_control: true,
        cooler: Cooler::Thermostat,
        ..Layout::default()
    }
}

pub fn card(layout: Layout) -> Card {
    Card { relief_opens_kpa: Some(450.0), layout, ..Card::of(2.0, 4, 750.0, "5W-30") }
}

pub fn sheet() -> [PointOfSpec; 2] {
    [
        PointOfSpec { rpm: 750.0, oil_temp_c: 100.0, min_kpa: Some(100.0), max_kpa: None },
        PointOfSpec { rpm: 3000.0, oil_temp_c: 100.0, min_kpa: Some(300.0), max_kpa: Some(550.0) },
    ]
}

/// The typical healthy engine of a layout.
pub fn typical(layout: Layout) -> Circuit {
    nominal::circuit(&card(layout), oil::typical("5W-30").unwrap(), &Unknowns::typical())
}

pub fn harmed(circuit: &Circuit, faults: &[(Fault, f64)]) -> Circuit {
    let mut circuit = circuit.clone();
    harm(&mut circuit, faults);
    circuit
}

/// Every fault there is, from the knowledge file, so that a new cause cannot be forgotten here.
pub fn faults() -> Vec<Fault> {
    let mut all: Vec<Fault> = knowledge().causes.iter().map(|cause| cause.fault).collect();
    all.sort();
    all.dedup();
    all
}

prop_compose! {
    pub fn layouts()(
        port in 0..4usize, controlled: bool, straight: bool, rockers in 0..3usize, jets: bool, turbo: bool, valve: bool, cooler in 0..3usize
    ) -> Layout {
        Layout {
            port: Port::ALL[port].0,
            pump: if controlled { PumpKind::Controlled } else { PumpKind::Fixed },
            cam_feed: Some(if straight { CamFeed::Straight } else { CamFeed::Restricted }),
            rockers: Rockers::ALL[rockers].0,
            piston_jets: jets,
            turbo,
            valve_control: valve,
            cooler: Cooler::ALL[cooler].0,
            ..Layout::default()
        }
    }
}

prop_compose! {
    /// A healthy engine of any size and layout.
    pub fn engines()(layout in layouts(), litres in 0.8..6.0f64, grade in 0..12usize, u in prop::array::uniform25(0.02..0.98f64)) -> (Card, Circuit) {
        let grade = &oil::grades()[grade];
        let card = Card { displacement_l: litres, oil_grade: grade.grade.clone(), ..card(layout) };
        let circuit = nominal::circuit(&card, oil::typical(&grade.grade).unwrap(), &Unknowns::from_unit(&u, &card));
        (card, circuit)
    }
}

pub fn swept(circuit: &Circuit, rpm: f64) -> f64 {
    circuit.pump.per_turn_m3 * rpm / 60.0
}

/// Numbers in 0..1 that fill a range evenly and need no generator: the fractional parts of multiples of irrational numbers.
pub fn even(index: usize) -> [f64; DIMENSIONS] {
    std::array::from_fn(|dimension| ((index + 1) as f64 * ((dimension + 2) as f64).sqrt().fract()).fract())
}

pub fn example() -> Value {
    json!({
        "format": "velvet-dial.case/1", "id": "tug",
        "engine": { "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30", "relief_opens_kpa": 450, "layout": { "turbo": true } },
        "spec": { "source": "sheet 12, rev C", "in_force_from": "2026-03-01", "points": [
            { "rpm": 750, "oil_temp_c": 100, "gear": "neutral", "min_kpa": 100, "max_kpa": null },
            { "rpm": 3000, "oil_temp_c": 100, "gear": "neutral", "min_kpa": 300, "max_kpa": 550 } ] },
        "instruments": { "g1": { "kind": "bourdon", "full_scale_kpa": 1000, "class_percent": 1.6, "graduation_kpa": 20, "calibrated_on": "2026-08-14" } },
        "readings": [ { "rpm": 750, "oil_temp_c": 98, "oil_temp_estimated": false, "gear": "neutral", "kpa": 62, "spread_kpa": 4, "instrument": "g1", "phase": "before" } ],
        "evidence": [ { "check": "level", "outcome": "ok" } ],
        "circumstances": [ "sump_was_off" ]
    })
}

pub fn with(change: impl FnOnce(&mut Value)) -> Value {
    let mut value = example();
    change(&mut value);
    value
}

pub fn case(value: &Value) -> Case {
    parse(value.to_string().as_bytes()).unwrap()
}

/// The tracer of a case's engine, made once for all tests of a file.
pub fn tracer(case: &Case) -> Arc<Tracer> {
    static MADE: Mutex<Vec<Arc<Tracer>>> = Mutex::new(Vec::new());
    let spec = spec_points(case);
    let mut made = MADE.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some(tracer) = made.iter().find(|tracer| tracer.is_for(&case.engine, &spec)) {
        return Arc::clone(tracer);
    }
    let tracer = Arc::new(Tracer::new(&case.engine, &spec).unwrap());
    made.push(Arc::clone(&tracer));
    tracer
}

pub fn known(value: &Value) -> (Case, Diagnosis) {
    known_in(value, &Setting::default())
}

pub fn known_in(value: &Value, setting: &Setting) -> (Case, Diagnosis) {
    let case = case(value);
    let diagnosis = diagnose(&case, &tracer(&case), setting);
    (case, diagnosis)
}

pub fn hot(rpm: f64, kpa: f64) -> Value {
    json!({ "rpm": rpm, "oil_temp_c": 100, "kpa": kpa, "instrument": "g1" })
}

pub fn leader(diagnosis: &Diagnosis) -> &'static str {
    &knowledge().causes[diagnosis.posterior.ranked()[0]].id
}

pub fn odds(diagnosis: &Diagnosis, cause: &str) -> f64 {
    diagnosis.posterior.of(knowledge().cause(cause).unwrap())
}
