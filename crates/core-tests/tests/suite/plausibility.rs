//! Readings that cannot be, readings that say a side, slopes, estimates, and what is sound: from the readings to the words.
use crate::support::{hot, known, leader, odds, with};
use serde_json::{Value, json};
use velvet_dial_core::diagnosis::Diagnosis;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::{Bearing, entropy_bits};

fn read(readings: Value) -> Diagnosis {
    changed(readings, |_| {})
}

fn changed(readings: Value, change: impl FnOnce(&mut Value)) -> Diagnosis {
    known(&with(|v| {
        v["readings"] = readings;
        v["evidence"] = json!([]);
        v["circumstances"] = json!([]);
        v["instruments"]["g2"] = json!({ "full_scale_kpa": 600, "class_percent": 1.0, "graduation_kpa": 10 });
        change(v);
    }))
    .1
}

fn on(gauge: &str, rpm: f64, kpa: f64) -> Value {
    let mut reading = hot(rpm, kpa);
    reading["instrument"] = json!(gauge);
    reading
}

#[test]
fn what_no_engine_does_is_set_apart_with_its_reason_and_what_to_take_again() {
    let cold = |rpm: f64, kpa: f64| json!({ "rpm": rpm, "oil_temp_c": 20, "kpa": kpa, "instrument": "g1" });
    let rows: [(&str, Value, &[usize]); 9] = [
        ("the same at idle and at speed: a held peak", json!([hot(3000.0, 410.0), hot(750.0, 410.0)]), &[1]),
        ("and in the other order", json!([hot(750.0, 300.0), hot(3000.0, 300.0)]), &[1]),
        ("both near nothing", json!([hot(750.0, 4.0), hot(3000.0, 4.0)]), &[]),
        ("both cold on the relief", json!([cold(830.0, 450.0), cold(2500.0, 452.0)]), &[]),
        ("two speeds on the plateau", json!([hot(2000.0, 450.0), hot(4000.0, 455.0)]), &[]),
        ("two gauges that disagree: the coarser", json!([on("g1", 750.0, 250.0), on("g2", 750.0, 120.0)]), &[0]),
        ("two gauges that agree", json!([on("g1", 750.0, 130.0), on("g2", 750.0, 120.0)]), &[]),
        (
            "a fall with revs on one and not on the other",
            json!([on("g1", 750.0, 180.0), on("g1", 3000.0, 90.0), on("g2", 760.0, 175.0), on("g2", 2950.0, 430.0)]),
            &[1],
        ),
        ("a fall with revs on the only gauge there is", json!([on("g1", 750.0, 180.0), on("g1", 3000.0, 100.0)]), &[]),
    ];
    for (name, readings, not) in rows {
        let diagnosis = read(readings);
        let told: Vec<usize> = diagnosis.not_believed.iter().map(|told| told.reading).collect();
        assert_eq!(told, not, "{name}");
        for told in &diagnosis.not_believed {
            assert!(told.why.ends_with('.') && told.again.ends_with('.'), "{name}: {told:?}");
        }
        if !not.is_empty() {
            assert!(diagnosis.findings.iter().any(|finding| finding.key == "not_believed"), "{name}");
            assert!(
                diagnosis.verdict.points.iter().all(|p| p.reading.as_ref().is_none_or(|r| !not.contains(&r.reading))),
                "{name}: not judged"
            );
        }
    }
    // A needle off zero takes the readings of its gauge with it.
    let off = changed(json!([on("g2", 750.0, 140.0), on("g1", 3000.0, 420.0)]), |v| {
        v["evidence"] = json!([{ "check": "gauge_zero", "outcome": "off" }])
    });
    assert_eq!(off.not_believed.iter().map(|told| told.reading).collect::<Vec<_>>(), [1]);
}

#[test]
fn a_reading_set_aside_weighs_nothing() {
    let slip = json!([hot(750.0, 190.0), hot(3000.0, 440.0), hot(2000.0, 43.0)]);
    let without = read(json!([hot(750.0, 190.0), hot(3000.0, 440.0)]));
    let aside = changed(slip, |v| v["readings"][2]["set_aside"] = json!("read at a slant"));
    assert_eq!(aside.posterior.came_first, without.posterior.came_first);
    assert_eq!(aside.readings.len(), 3, "it is still there");
}

#[test]
fn a_needle_under_its_first_mark_or_on_its_stop_says_its_side() {
    let shows = |rpm: f64, kpa: f64, word: &str| {
        let mut reading = hot(rpm, kpa);
        reading["shows"] = json!(word);
        changed(json!([hot(3000.0, 410.0), reading]), |_| {})
    };
    let under = shows(750.0, 40.0, "under_first_mark");
    assert_eq!(under.readings[1].decision, Decision::Below);
    let (near, far) = (read(json!([hot(3000.0, 410.0), hot(750.0, 20.0)])), read(json!([hot(3000.0, 410.0), hot(750.0, 190.0)])));
    for cause in ["pickup_air", "within_spec"] {
        let (side, low, high) = (odds(&under, cause), odds(&near, cause), odds(&far, cause));
        assert!((side - low).abs() < (side - high).abs(), "{cause}: {side} is nearer {low} than {high}");
    }
    assert_eq!(shows(2000.0, 600.0, "pegged").readings[1].decision, Decision::NotMeasured, "no limit at that speed");
    let mut cold = json!({ "rpm": 830, "oil_temp_c": 20, "kpa": 900, "instrument": "g1", "shows": "pegged" });
    let pegged = read(json!([hot(3000.0, 440.0), cold.take()]));
    assert!(odds(&pegged, "relief_shut") + odds(&pegged, "relief_heavy") + odds(&pegged, "oil_thick") > 0.3, "far over anything healthy");
    assert_eq!(
        shows(750.0, 150.0, "under_first_mark").readings[1].decision,
        Decision::Undecided,
        "a mark over the limit tells nothing of it"
    );
}

#[test]
fn an_estimated_temperature_and_a_speed_held_by_hand_flatten_the_odds() {
    let with_key = |kpa: [f64; 3], key: &str, value: Value| {
        let readings: Vec<Value> = [750.0, 2000.0, 3000.0]
            .into_iter()
            .zip(kpa)
            .map(|(rpm, kpa)| {
                let mut reading = hot(rpm, kpa);
                reading[key] = value.clone();
                reading
            })
            .collect();
        read(json!(readings))
    };
    let bits = |diagnosis: &Diagnosis| entropy_bits(&diagnosis.posterior.came_first);
    // Less is known in the mean; a single run may happen to suit the colder oil.
    let mut sums = [0.0; 4];
    for kpa in [[30.0, 300.0, 410.0], [190.0, 380.0, 440.0], [70.0, 240.0, 370.0], [180.0, 200.0, 160.0], [150.0, 210.0, 225.0]] {
        let (probe, estimated) = (with_key(kpa, "oil_temp_estimated", json!(false)), with_key(kpa, "oil_temp_estimated", json!(true)));
        let lead = |diagnosis: &Diagnosis| odds(diagnosis, leader(&probe));
        let of_run = [bits(&probe), bits(&estimated), lead(&probe), lead(&estimated)];
        sums.iter_mut().zip(of_run).for_each(|(sum, one)| *sum += one);
    }
    assert!(sums[1] > sums[0] && sums[3] < sums[2], "bits with a probe and an estimate, then of the leader: {sums:?}");
    let [probe, estimated] = [false, true].map(|estimated| with_key([30.0, 300.0, 410.0], "oil_temp_estimated", json!(estimated)));
    assert!(estimated.readings[0].u_kpa() > probe.readings[0].u_kpa());
    let by_hand = with_key([30.0, 300.0, 410.0], "speed_held", json!("by_hand"));
    assert_ne!(by_hand.posterior.came_first, probe.posterior.came_first);
}

#[test]
fn a_reading_on_a_slope_is_the_check_on_ramps() {
    let slope = |kpa: f64| {
        let mut sloped = hot(750.0, kpa);
        sloped["slope"] = json!("nose_down");
        changed(json!([hot(750.0, 45.0), hot(3000.0, 410.0), sloped]), |_| {})
    };
    let (better, same) = (slope(140.0), slope(46.0));
    assert!(odds(&better, "pickup_air") > 2.0 * odds(&same, "pickup_air"));
    let tilted = changed(json!([hot(750.0, 45.0), hot(3000.0, 410.0)]), |v| {
        v["evidence"] = json!([{ "check": "tilt", "outcome": "better_covered" }])
    });
    assert!((odds(&tilted, "pickup_air") - odds(&better, "pickup_air")).abs() < 1e-9, "the same fact");
    assert_eq!(slope(20.0).verdict.overall, slope(140.0).verdict.overall, "a slope is not judged by the sheet");
}

#[test]
fn two_gauges_are_two_gauges_whatever_they_are_called() {
    let named = |one: &str, other: &str| {
        known(&with(|v| {
            let gauge = json!({ "full_scale_kpa": 1000, "class_percent": 2.5, "graduation_kpa": 20 });
            v["instruments"] = json!({ one: gauge, other: gauge, "aaa": gauge });
            v["evidence"] = json!([]);
            v["circumstances"] = json!([]);
            v["readings"] = json!([on(one, 750.0, 95.0), on(one, 3000.0, 380.0), on(other, 2000.0, 250.0)]);
        }))
        .1
        .posterior
        .came_first
    };
    // A third gauge in the drawer that stands first in the alphabet changes nothing.
    let with_drawer = named("big", "small");
    let without = known(&with(|v| {
        let gauge = json!({ "full_scale_kpa": 1000, "class_percent": 2.5, "graduation_kpa": 20 });
        v["instruments"] = json!({ "big": gauge, "small": gauge });
        v["evidence"] = json!([]);
        v["circumstances"] = json!([]);
        v["readings"] = json!([on("big", 750.0, 95.0), on("big", 3000.0, 380.0), on("small", 2000.0, 250.0)]);
    }))
    .1
    .posterior
    .came_first;
    assert_eq!(with_drawer, without);
    assert_eq!(Bearing::at(velvet_dial_core::circuit::Working { rpm: 750.0, oil_temp_c: 90.0 }, 100.0, 5.0).common_kpa, 0.0);
}

#[test]
fn sound_comes_first_where_every_point_is_within_and_never_where_one_is_surely_below() {
    for (idle, middle, fast) in [(190.0, 380.0, 440.0), (150.0, 310.0, 400.0), (240.0, 420.0, 460.0), (130.0, 280.0, 370.0)] {
        let diagnosis = read(json!([hot(750.0, idle), hot(2000.0, middle), hot(3000.0, fast)]));
        assert_eq!(diagnosis.verdict.overall, Decision::Within);
        assert!(diagnosis.sound > 0.5, "{idle} {fast}: {}", diagnosis.sound);
    }
    for (idle, fast) in [(50.0, 400.0), (180.0, 200.0), (40.0, 140.0)] {
        let diagnosis = read(json!([hot(750.0, idle), hot(3000.0, fast)]));
        assert!(diagnosis.sound < 0.02, "{idle} {fast}: {}", diagnosis.sound);
    }
    // An idle that is itself too low reads as low pressure, and is told apart from it.
    let slow = read(json!([hot(560.0, 85.0), hot(2000.0, 330.0), hot(3000.0, 420.0)]));
    assert_eq!(leader(&slow), "idle_low");
    assert!(slow.sound > 0.5);
}

/// The same figure at speed before a repair and at idle after it is no held peak.
#[test]
fn a_repair_between_two_readings_parts_them() {
    let told = |mended_at: Option<&str>| {
        let at = |mut reading: Value, at: &str| {
            reading["at"] = json!(at);
            reading["phase"] = json!("after");
            reading
        };
        let readings = json!([at(hot(3000.0, 176.0), "2026-03-06T10:00:00Z"), at(hot(750.0, 176.0), "2026-03-06T17:00:00Z")]);
        changed(readings, |v| {
            v["acts"] = mended_at.map_or(json!([]), |at| json!([{ "act": "repair", "cause": "screen_blocked", "at": at }]))
        })
        .not_believed
        .len()
    };
    assert_eq!([told(None), told(Some("2026-03-06T09:00:00Z")), told(Some("2026-03-06T15:00:00Z"))], [1, 1, 0]);
}

#[test]
fn limits_revised_on_paper_move_the_verdict_and_hardly_the_causes() {
    let under = |idle_min: f64, fast_min: f64| {
        changed(json!([hot(750.0, 62.0), hot(2000.0, 150.0), hot(3000.0, 215.0)]), |v| {
            v["spec"]["points"] = json!([
                { "rpm": 750, "oil_temp_c": 100, "min_kpa": idle_min }, { "rpm": 3000, "oil_temp_c": 100, "min_kpa": fast_min }
            ])
        })
    };
    let (strict, mild) = (under(100.0, 300.0), under(85.0, 260.0));
    assert_eq!((strict.verdict.overall, leader(&strict)), (Decision::Below, leader(&mild)));
    for (a, b) in strict.posterior.came_first.iter().zip(&mild.posterior.came_first) {
        assert!((a - b).abs() < 0.12, "{a} {b}");
    }
    // Paper that the readings keep moves the odds of sound by no more than five, whatever it prints.
    let kept: Vec<f64> = [(20.0, 60.0), (60.0, 150.0), (110.0, 240.0)]
        .into_iter()
        .map(|(idle_min, fast_min)| {
            let diagnosis = changed(json!([hot(750.0, 140.0), hot(2000.0, 260.0), hot(3000.0, 330.0)]), |v| {
                v["spec"]["points"] = json!([
                    { "rpm": 750, "oil_temp_c": 100, "min_kpa": idle_min }, { "rpm": 3000, "oil_temp_c": 100, "min_kpa": fast_min }
                ])
            });
            diagnosis.sound / (1.0 - diagnosis.sound)
        })
        .collect();
    let (most, least) = (kept.iter().copied().fold(0.0, f64::max), kept.iter().copied().fold(f64::INFINITY, f64::min));
    assert!(most / least < 5.0, "{kept:?}");
}

#[test]
fn two_sides_of_one_fact_are_not_counted_twice() {
    let with_facts = |told: Value, found: Value| {
        changed(json!([hot(750.0, 90.0)]), |v| {
            v["circumstances"] = told;
            v["evidence"] = found;
        })
    };
    let knock = json!([{ "check": "noise", "outcome": "deep_knock" }]);
    let (one, both) = (with_facts(json!([]), knock.clone()), with_facts(json!(["knock"]), knock));
    let odds_of = |d: &Diagnosis| odds(d, "bearings_crank") / (1.0 - odds(d, "bearings_crank"));
    assert!(odds_of(&both) > odds_of(&one) && odds_of(&both) < 2.0 * odds_of(&one), "{} {}", odds_of(&both), odds_of(&one));
    let metal = |checks: &[&str]| {
        let found: Vec<Value> = checks.iter().map(|check| json!({ "check": check, "outcome": "bearing_metal" })).collect();
        odds_of(&with_facts(json!([]), json!(found)))
    };
    let (filter, sump, together) = (metal(&["filter_cut"]), metal(&["sump_debris"]), metal(&["filter_cut", "sump_debris"]));
    assert!(together > sump.max(filter) && together < 4.0 * sump.max(filter), "{filter} {sump} {together}");
}
