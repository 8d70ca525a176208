//! An engine that runs in time: its pressures are the circuit's, and what is slow about it is slow the right way.
use crate::support::{engines, harmed, typical};
use proptest::prelude::*;
use velvet_dial_core::circuit::{Circuit, Fault, Layout, Working};
use velvet_dial_core::running::{Hand, Running};

const CRANK: Hand = Hand { on: true, cranking: true, throttle: 0.0 };
const IDLE: Hand = Hand { on: true, cranking: false, throttle: 0.0 };
const OFF: Hand = Hand { on: false, cranking: false, throttle: 0.0 };

fn engine(circuit: Circuit) -> Running {
    Running::rested(circuit, 2.0, 750.0, 6000.0, 15.0)
}

/// Seconds until the gauge shows so much, and the engine then.
fn until(engine: &mut Running, hand: Hand, kpa: f64, most_s: f64) -> Option<f64> {
    let mut time = 0.0;
    while time < most_s {
        engine.go_on(0.02, hand);
        time += 0.02;
        if engine.kpa >= kpa {
            return Some(time);
        }
    }
    None
}

#[test]
fn it_starts_warms_runs_and_stops_as_an_engine_does() {
    let mut engine = engine(typical(Layout::default()));
    engine.go_on(60.0, OFF);
    assert!((engine.rpm, engine.kpa) == (0.0, 0.0) && (engine.oil_temp_c - 15.0).abs() < 1e-6, "it stands");
    engine.go_on(0.2, OFF);
    engine.go_on(5.0, Hand { on: true, ..IDLE });
    assert_eq!(engine.rpm, 0.0, "fuel alone starts nothing");
    engine.go_on(1.5, Hand { on: false, ..CRANK });
    assert!((150.0..230.0).contains(&engine.rpm), "cranked: {}", engine.rpm);
    engine.go_on(5.0, IDLE);
    assert!(engine.rpm > 850.0, "cold it idles fast: {}", engine.rpm);
    let cold = engine.kpa;
    let mut last = engine.oil_temp_c;
    for _ in 0..20 {
        engine.go_on(60.0, IDLE);
        assert!(engine.oil_temp_c >= last, "it warms");
        last = engine.oil_temp_c;
    }
    assert!(
        (85.0..110.0).contains(&last) && (engine.rpm - 750.0).abs() < 5.0 && engine.kpa < 0.7 * cold,
        "hot idle {} of {cold} cold",
        engine.kpa
    );
    engine.go_on(5.0, Hand { throttle: 0.4, ..IDLE });
    assert!((engine.rpm - engine.asked_rpm(0.4)).abs() < 5.0 && engine.kpa > 200.0);
    engine.go_on(12.0, OFF);
    assert!(engine.rpm == 0.0 && engine.kpa < 1.0, "stopped, the line empties");
    let hot = engine.oil_temp_c;
    engine.go_on(3600.0, OFF);
    assert!(engine.oil_temp_c < hot - 20.0, "and it cools");
}

#[test]
fn pressure_shows_when_the_gallery_is_full_and_not_before() {
    let sound = typical(Layout::default());
    let start = |circuit: Circuit| {
        let mut engine = engine(circuit);
        engine.go_on(1.0, CRANK);
        until(&mut engine, IDLE, 35.0, 60.0)
    };
    let quick = start(sound.clone()).unwrap();
    assert!((0.0..4.0).contains(&quick), "{quick} s");
    assert_eq!(start(harmed(&sound, &[(Fault::PumpDrive, 1.0)])), None, "a broken drive never shows any");
    // Started again at once it is still full; after a night it has to fill.
    let mut again = engine(sound);
    again.go_on(1.0, CRANK);
    again.go_on(20.0, IDLE);
    again.go_on(3.0, OFF);
    again.go_on(0.6, CRANK);
    assert!(until(&mut again, IDLE, 35.0, 10.0).unwrap() <= quick + 0.3);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Held long enough, any engine shows what its circuit makes at that speed and temperature, however the time is cut.
    #[test]
    fn held_long_enough_it_shows_what_the_circuit_makes((card, circuit) in engines(), throttle in 0.0..0.9f64, step in 0.01..7.0f64) {
        let mut engine = Running::rested(circuit.clone(), card.displacement_l, card.idle_rpm, card.rated_rpm(), 20.0);
        engine.warms = 40.0;
        engine.go_on(1.5, CRANK);
        let mut time = 0.0;
        while time < 90.0 {
            engine.go_on(step, Hand { throttle, ..IDLE });
            time += step;
        }
        let made = circuit.port_kpa(Working { rpm: engine.rpm, oil_temp_c: engine.oil_temp_c });
        prop_assert!((engine.kpa - made).abs() <= 0.02 * made + 1.0, "{} for {made}", engine.kpa);
        prop_assert!((engine.rpm - engine.asked_rpm(throttle)).abs() < 0.01 * engine.rpm);
    }
}
