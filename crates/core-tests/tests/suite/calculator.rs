//! The figures beside the job: each against its own law, its inverse or a figure from outside, and hostile input to all of them.
use proptest::prelude::*;
use serde_json::{Value, json};
use velvet_dial_core::calculator::*;
use velvet_dial_core::field;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::thread::threads;

fn run(name: &str, input: &Value) -> Result<Value, String> {
    Calculator::named(name).unwrap().run(&input.to_string()).map_err(|error| error.to_string())
}

fn example(name: &str) -> Value {
    serde_json::from_str(Calculator::named(name).unwrap().example).unwrap()
}

#[test]
fn every_calculator_answers_its_example_and_describes_its_input() {
    for calculator in ALL {
        assert!(calculator.run(calculator.example).is_ok_and(|figure| figure.is_object() || figure.is_array()), "{}", calculator.name);
        let schema = calculator.schema().to_value();
        let described = schema["properties"].as_object().unwrap();
        for key in example(calculator.name).as_object().unwrap().keys() {
            assert!(described.contains_key(key), "{}: {key} is not described", calculator.name);
        }
        for (key, property) in described {
            let said = property.get("description").or_else(|| property.get("allOf")).is_some();
            assert!(said, "{}: {key} has no words", calculator.name);
        }
    }
}

/// Every number of every example, made absurd in turn: never a panic, never an infinite figure, always a sentence.
#[test]
fn no_number_makes_a_calculator_panic_or_lie() {
    let absurd = [json!(0), json!(-1), json!(1e300), json!(-1e300), json!(1e-300), json!("ten"), Value::Null, json!([]), json!({})];
    for calculator in ALL {
        let sound = example(calculator.name);
        for key in sound.as_object().unwrap().keys() {
            for value in &absurd {
                let mut input = sound.clone();
                input[key] = value.clone();
                match run(calculator.name, &input) {
                    Ok(figure) => assert!(!figure.to_string().contains("null,null"), "{} {key} {value}: {figure}", calculator.name),
                    Err(sentence) => assert!(sentence.len() > 12, "{} {key} {value}: {sentence}", calculator.name),
                }
            }
        }
        let mut strange = sound.clone();
        strange["horsepower"] = json!(1);
        assert!(run(calculator.name, &strange).unwrap_err().contains("horsepower"), "{}", calculator.name);
        assert!(calculator.run("not json").is_err() && calculator.run("{}").is_err());
    }
}

#[test]
fn errors_say_what_is_wrong_and_what_would_be_right() {
    let told = |name: &str, change: &[(&str, Value)]| {
        let mut input = example(name);
        for (key, value) in change {
            input[*key] = value.clone();
        }
        run(name, &input).unwrap_err()
    };
    let all = [
        told("relief", &[("rate_n_mm", json!(0))]),
        told("relief", &[("fitted_mm", json!(70))]),
        told("relief", &[("free_mm", json!(9)), ("fitted_mm", json!(8)), ("shim_mm", json!(8))]),
        told("strip", &[("wire_mm", Value::Null)]),
        told("strip", &[("width_mm", json!(90))]),
        told("tilt", &[("oil_l", json!(30))]),
        told("tilt", &[("joint_from_front_mm", json!(500))]),
        told("tilt", &[("slope_deg", json!(60))]),
        told("pulses", &[("pulses_per_turn", json!(0))]),
        told("gauge", &[("cold_peak_kpa", json!(300))]),
        told("gauge", &[("gauges", json!([]))]),
        told("dash", &[("pairs", json!([]))]),
        told("thread", &[("diameter_mm", json!(400))]),
        told("thread", &[("pitch_mm", json!(1.5))]),
        told("fill", &[("left_in_l", json!(4.4))]),
        told("timetable", &[("tasks", json!([]))]),
        told("timetable", &[("opens", json!("18:00:00"))]),
        told("timetable", &[("hand_over", json!("soon"))]),
        told("screen", &[("open_share", json!(0))]),
        told("screen", &[("engine", json!({ "displacement_l": 2, "cylinders": 4, "idle_rpm": 750, "oil_grade": "7W-35" }))]),
        told("relief", &[("solid_mm", json!(55))]),
        told("strip", &[("width_mm", json!(0.5)), ("wire_mm", json!(0.9))]),
        told("pulses", &[("hz", json!(20000)), ("pulses_per_turn", json!(1))]),
        told("restrictor", &[("behind_kpa", json!(400))]),
        told("journals", &[("limit_mm", json!(0.02))]),
        told("journals", &[("clearances_mm", json!([]))]),
        told("mixture", &[("fuel", json!("petrol"))]),
        told("transducer", &[("high_v", json!(0.2))]),
        told("lamp", &[("idle_kpa", json!(0))]),
        told("build", &[("rpm", json!(0))]),
        told("screen", &[("engine", json!({ "displacement_l": 200, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30" }))]),
    ];
    insta::assert_snapshot!(all.join("\n"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn a_relief_valve_opens_where_pressure_times_area_is_the_springs_force(
        rate in 0.5..40.0f64, free in 30.0..120.0f64, pressed in 1.0..20.0f64, plunger in 6.0..30.0f64, pitch in 0.5..2.0f64, shim in 0.0..5.0f64, wanted in 100.0..900.0f64
    ) {
        let valve = ReliefValve {
            solid_mm: None,
            rate_n_mm: rate, free_mm: free, fitted_mm: free - pressed, plunger_mm: plunger, pitch_mm: Some(pitch), shim_mm: shim, at_kpa: None, wanted_kpa: Some(wanted),
        };
        let opens = relief(&valve).unwrap();
        prop_assert!((opens.force_n - rate * (pressed + shim)).abs() < 1e-9 * opens.force_n.max(1.0), "force balance");
        // A turn in is a shim as thick as the pitch.
        let turned = relief(&ReliefValve { shim_mm: shim + pitch, wanted_kpa: None, ..valve.clone() });
        if let Ok(turned) = turned {
            prop_assert!((turned.opens_kpa - opens.opens_kpa - opens.per_turn_kpa.unwrap()).abs() < 1e-6 * turned.opens_kpa);
        }
        // The turns asked for come within a quarter turn of the wanted pressure, and are halves; an adjuster that would need more than it has gets none.
        let per_turn = opens.per_turn_kpa.unwrap();
        match opens.turns_to_wanted {
            Some(turns) => {
                prop_assert!((2.0 * turns).fract() == 0.0 && turns.abs() <= 8.0);
                prop_assert!((opens.opens_kpa + turns * per_turn - wanted).abs() <= 0.25 * per_turn + 1e-6);
            }
            None => prop_assert!((wanted - opens.opens_kpa).abs() > 8.0 * per_turn && opens.mind.iter().any(|mind| mind.contains("turns"))),
        }
        let hides = wanted > 1.1 * opens.without_shim_kpa;
        prop_assert_eq!(opens.mind.iter().any(|mind| mind.contains("hide wear")), hides);
        prop_assert!((opens.opens_kpa + opens.shim_to_wanted_mm.unwrap() * opens.per_mm_kpa - wanted).abs() < 1e-6 * wanted);
        // A larger face opens at a lower pressure, by the square.
        let larger = relief(&ReliefValve { plunger_mm: 2.0 * plunger, ..valve }).unwrap();
        prop_assert!((larger.opens_kpa * 4.0 / opens.opens_kpa - 1.0).abs() < 1e-9);
    }

    #[test]
    fn a_strip_keeps_its_section_and_leaks_by_the_cube(wire in 0.1..1.0f64, widths in (1.3..8.0f64, 1.3..8.0f64), new in 0.01..0.2f64) {
        let print = Strip { wire_mm: Some(wire), scale: vec![], width_mm: wire * widths.0, other_end_mm: Some(wire * widths.1), new_mm: Some(new) };
        let gap = strip(&print).unwrap();
        let section = std::f64::consts::PI * wire * wire / 4.0;
        let narrow = wire * widths.0.min(widths.1);
        prop_assert!((gap.clearance_mm * narrow / section - 1.0).abs() < 1e-9, "the narrower print is the wider gap");
        prop_assert!((gap.leak_ratio.unwrap().cbrt() * new / gap.clearance_mm - 1.0).abs() < 1e-9);
        prop_assert!(gap.in_range && gap.taper_mm.unwrap() >= 0.0);
        // The same strip read off a scale printed from the same law gives the same gap.
        let mark = |ratio: f64| Print { width_mm: wire * ratio, clearance_mm: section / (wire * ratio) };
        let scale: Vec<Print> = [1.4, 3.0, 5.0, 7.9].map(mark).into_iter().filter(|m| m.width_mm <= 20.0 && (0.005..=0.5).contains(&m.clearance_mm)).collect();
        prop_assume!(scale.len() >= 2);
        let by_scale = strip(&Strip { wire_mm: None, scale, ..print }).unwrap();
        prop_assert!((by_scale.clearance_mm / gap.clearance_mm - 1.0).abs() < 1e-6);
    }

    #[test]
    fn oil_on_a_slope_keeps_its_volume(
        length in 200.0..900.0f64, width in 150.0..500.0f64, depth in 80.0..300.0f64, filled in 0.05..0.98f64, slope in -44.0..44.0f64, at in 0.0..1.0f64, up in 0.0..1.0f64
    ) {
        let oil_l = filled * length * width * depth / 1e6;
        prop_assume!((0.2..=60.0).contains(&oil_l));
        let sump = Sump { length_mm: length, width_mm: width, depth_mm: depth, oil_l, slope_deg: slope, joint_from_front_mm: at * length, joint_height_mm: up * depth };
        let here = tilt(&sump).unwrap();
        // Volume counted again in thin slices from the height at one wall and the slope.
        let over_floor = here.over_joint_mm + sump.joint_height_mm;
        prop_assert!(over_floor <= depth + 1e-9, "no oil above the roof");
        let known = [(0.0, here.front_mm), (length, here.rear_mm), (sump.joint_from_front_mm, over_floor)];
        if let Some((from, stands)) = known.into_iter().find(|(_, stands)| *stands > 1e-6 && *stands < depth - 1e-6) {
            let height = |x: f64| (stands + (x - from) * slope.to_radians().tan()).clamp(0.0, depth);
            let slices = 4000;
            let section: f64 = (0..slices).map(|i| height((f64::from(i) + 0.5) * length / f64::from(slices)) * length / f64::from(slices)).sum();
            prop_assert!((section * width / 1e6 / oil_l - 1.0).abs() < 2e-3, "{} of {oil_l}", section * width / 1e6);
        }
        prop_assert_eq!(here.covered, here.over_joint_mm > 0.0);
        // The other way round is the same sump turned about.
        let turned = tilt(&Sump { slope_deg: -slope, joint_from_front_mm: length - sump.joint_from_front_mm, ..sump }).unwrap();
        prop_assert!((turned.over_joint_mm - here.over_joint_mm).abs() < 0.01 && (turned.front_mm - here.rear_mm).abs() < 0.01);
        // Level, the depth is volume over area.
        let level = tilt(&Sump { slope_deg: 0.0, ..sump }).unwrap();
        prop_assert!((level.front_mm - filled * depth).abs() < 0.01 && (level.rear_mm - level.front_mm).abs() < 1e-6);
        // Where it is said to turn, it does.
        if let Some(turns) = here.turns_at_deg {
            let past = tilt(&Sump { slope_deg: turns, ..sump }).unwrap();
            prop_assert_ne!(past.covered, level.covered);
        }
    }

    #[test]
    fn pulses_and_speed_are_each_others_inverse(rpm in 50.0..9000.0f64, per_turn in 0.5..120.0f64, gate_s in 0.05..2.0f64) {
        let counted = speed(&Pulses { hz: rpm * per_turn / 60.0, pulses_per_turn: per_turn, gate_s }).unwrap();
        prop_assert!((counted.rpm / rpm - 1.0).abs() < 1e-12);
        // One pulse more in the gate moves the speed by what it says it can tell.
        let one_more = speed(&Pulses { hz: rpm * per_turn / 60.0 + 1.0 / gate_s, pulses_per_turn: per_turn, gate_s }).unwrap();
        prop_assert!((one_more.rpm - counted.rpm - counted.resolution_rpm).abs() < 1e-6 * counted.resolution_rpm.max(1.0));
    }

    #[test]
    fn the_gauge_chosen_is_never_overloaded_and_none_finer_would_do(
        least in 20.0..200.0f64, more in 1.0..6.0f64, colder in 1.0..3.0f64, scales in prop::collection::vec(100.0..2500.0f64, 1..6)
    ) {
        let (working, peak) = (least * more, least * more * colder);
        prop_assume!(peak <= 2500.0);
        let gauges: Vec<Candidate> = scales
            .iter()
            .enumerate()
            .map(|(i, scale)| Candidate { name: format!("g{i}"), full_scale_kpa: *scale, class_percent: 1.0 + (i % 3) as f64, graduation_kpa: scale / 50.0 })
            .collect();
        let choice = choose(&GaugeChoice { least_kpa: least, working_kpa: working, cold_peak_kpa: peak, idle_kpa: None, gauges }).unwrap();
        let of = |name: &Option<String>| name.as_ref().map(|name| choice.gauges.iter().find(|gauge| gauge.name == *name).unwrap());
        for (chosen, over, tells) in [(of(&choice.cold), peak, false), (of(&choice.hot), working, true)] {
            let fits = |gauge: &Suited| {
                let sees = !tells || least >= gauge.blind_below_kpa;
                sees && scales[gauge.name[1..].parse::<usize>().unwrap()] >= 1.1 * over - 1e-6
            };
            match chosen {
                Some(gauge) => {
                    prop_assert!(fits(gauge));
                    prop_assert!(choice.gauges.iter().filter(|other| fits(other)).all(|other| other.u_at_limit_kpa >= gauge.u_at_limit_kpa));
                }
                None => prop_assert!(!choice.gauges.iter().any(fits)),
            }
        }
        prop_assert_eq!(choice.one_does_both, choice.cold.is_some() && choice.cold == choice.hot);
        // One for hot idle alone: only where none does hot, one that tells the limit and reaches what idle is expected to show.
        let scale = |gauge: &Suited| scales[gauge.name[1..].parse::<usize>().unwrap()];
        let idles = |gauge: &Suited| least >= gauge.blind_below_kpa && scale(gauge) >= 1.1 * (2.0 * least).min(working) - 1e-6;
        match of(&choice.idle_only) {
            Some(gauge) => {
                prop_assert!(choice.hot.is_none() && idles(gauge));
                prop_assert!(choice.idle_up_to_kpa.is_some_and(|up_to| (up_to * 1.1 - scale(gauge)).abs() < 1e-6 * up_to));
            }
            None => prop_assert!(choice.hot.is_some() || !choice.gauges.iter().any(idles)),
        }
    }

    #[test]
    fn what_is_poured_and_what_stayed_fill_the_engine(capacity in 2.0..12.0f64, filter in 0.1..1.0f64, filled: bool, left in 0.0..0.8f64, emptied in 0.0..1.5f64) {
        let job = Fill { capacity_l: capacity, filter_l: filter, filter_filled: filled, left_in_l: left, emptied_too_l: emptied };
        let poured = fill(&job).unwrap();
        let in_filter = if filled { filter } else { 0.0 };
        prop_assert!((poured.total_l + in_filter + left - capacity - emptied).abs() < 1e-9);
        prop_assert!((poured.first_l + poured.top_up_l - poured.total_l).abs() < 1e-9 && poured.first_l >= 0.0 && poured.top_up_l > 0.0);
        prop_assert!(poured.first_l <= capacity - left, "never over the mark before the start");
    }

    #[test]
    fn a_plan_is_unbroken_keeps_the_shops_hours_and_ends_in_time(
        tasks in prop::collection::vec((1.0..900.0f64, any::<bool>()), 1..8), day in 1..28u32, hour in 0..24u32, saturdays: bool
    ) {
        use chrono::{Datelike, NaiveDate, NaiveTime, TimeDelta, Weekday};
        let hand_over = NaiveDate::from_ymd_opt(2026, 5, day).unwrap().and_hms_opt(hour, 30, 0).unwrap();
        let (opens, closes) = (NaiveTime::from_hms_opt(7, 30, 0).unwrap(), NaiveTime::from_hms_opt(16, 0, 0).unwrap());
        let tasks: Vec<Task> = tasks.iter().map(|(minutes, unattended)| Task { name: "x".into(), minutes: minutes.round(), unattended: *unattended }).collect();
        let plan = timetable(&Timetable { hand_over, now: Some(hand_over), opens, closes, saturdays, tasks: tasks.clone() }).unwrap();
        prop_assert!(plan.steps.last().unwrap().ends <= hand_over && plan.too_late, "it cannot begin at the hand-over");
        prop_assert!(plan.steps.windows(2).all(|pair| pair[0].ends <= pair[1].begins && pair[0].begins <= pair[0].ends));
        for (at, (step, task)) in plan.steps.iter().zip(&tasks).enumerate() {
            if step.unattended {
                // It begins the moment the work before it is done, and has its whole time until the next.
                let before = at.checked_sub(1).map(|before| plan.steps[before].ends);
                prop_assert!(step.ends - step.begins >= TimeDelta::minutes(task.minutes as i64));
                prop_assert!(before.is_none_or(|before| step.begins == before));
                continue;
            }
            // Count the open minutes between begin and end.
            let open = |at: chrono::NaiveDateTime| {
                let day = at.weekday() != Weekday::Sun && (saturdays || at.weekday() != Weekday::Sat);
                day && at.time() >= opens && at.time() < closes
            };
            let minutes = (step.ends - step.begins).num_minutes();
            let worked = (0..minutes).filter(|minute| open(step.begins + TimeDelta::minutes(*minute))).count();
            prop_assert_eq!(worked as f64, task.minutes);
        }
        let work: f64 = tasks.iter().filter(|task| !task.unattended).map(|task| task.minutes).sum();
        prop_assert_eq!(plan.work_minutes, work);
    }

    #[test]
    fn a_dash_that_is_right_agrees_and_one_that_is_far_off_does_not(kpa in 60.0..700.0f64, off in -0.05..0.05f64) {
        let read = |dash_kpa: f64, jumped: bool| {
            compare(&Dash { dash_full_scale_kpa: None, gauge: Instrument::default(), dash_percent: 10.0, pairs: vec![Pair { gauge_kpa: kpa, dash_kpa }], jumped }).unwrap()
        };
        prop_assert_eq!(read(kpa * (1.0 + off), false).outcome, Agreement::Agrees);
        prop_assert_eq!(read(kpa, true).outcome, Agreement::Jumps);
        let low = read(0.0, false);
        prop_assert_eq!(low.outcome == Agreement::ReadsLow, kpa > 2.0 * low.u_kpa);
        prop_assert_eq!(read(kpa * 2.0 + 100.0, false).outcome, Agreement::ReadsHigh);
    }
}

/// A wire of 0.38 mm, by the conserved section worked by hand: 1.13 mm wide is 0.1004 mm, 4.5 mm is 0.0252 mm.
#[test]
fn strip_widths_agree_with_a_hand_calculation() {
    for (width, clearance) in [(1.13, 0.1004), (2.0, 0.0567), (4.5, 0.0252)] {
        let gap = strip(&Strip { wire_mm: Some(0.38), scale: vec![], width_mm: width, other_end_mm: None, new_mm: None }).unwrap();
        assert!((gap.clearance_mm - clearance).abs() < 1e-4, "{width}: {}", gap.clearance_mm);
    }
    let squeezed = Strip { wire_mm: Some(0.38), scale: vec![], width_mm: 4.5, other_end_mm: None, new_mm: None };
    assert!(!strip(&squeezed).unwrap().in_range, "beyond eight diameters the section spreads");
}

#[test]
fn every_thread_finds_itself_and_lookalikes_warn_both_ways() {
    for thread in threads() {
        let measured = ThreadMeasured {
            diameter_mm: thread.diameter_mm,
            pitch_mm: Some(thread.pitch_mm),
            turns_per_inch: None,
            tapered: Some(thread.family.tapered()),
            female: false,
            stamp: None,
            origin: None,
        };
        // Half-inch pipe of both angles has the same pitch, so a tapered plug of it may be either: both are told.
        let found = which(&measured).unwrap();
        let itself = found.iter().find(|found| found.name == thread.name).unwrap();
        assert!(itself.off < 0.05 && !thread.source.is_empty() && !itself.seals.is_empty());
        for look in &itself.lookalikes {
            let other = threads().iter().find(|t| t.name == look.name).unwrap();
            let back = which(&ThreadMeasured {
                diameter_mm: other.diameter_mm,
                pitch_mm: Some(other.pitch_mm),
                tapered: Some(other.family.tapered()),
                ..measured
            })
            .unwrap();
            let back = back.iter().find(|found| found.name == other.name).unwrap();
            // Twelve in a hundred from the finer side are a little more from the coarser one, so a pair at the edge may warn one way only.
            let at_the_edge = (other.pitch_mm / thread.pitch_mm - 1.0).abs() > 0.105;
            assert!(at_the_edge || back.lookalikes.iter().any(|l| l.name == thread.name), "{} and {}", thread.name, other.name);
        }
    }
    // The three that meet at this port.
    let best = &which(&ThreadMeasured {
        diameter_mm: 9.73,
        pitch_mm: None,
        turns_per_inch: Some(28.0),
        tapered: Some(false),
        female: false,
        stamp: None,
        origin: None,
    })
    .unwrap()[0];
    assert!(best.name.contains("55° parallel"));
    let names: Vec<&str> = best.lookalikes.iter().map(|l| l.name).collect();
    assert!(names.iter().any(|n| n.contains("27 turns")) && names.contains(&"M10 × 1"), "{names:?}");
    let wrong = best.lookalikes.iter().find(|l| l.name.contains("27 turns")).unwrap();
    assert!((2.0..4.0).contains(&wrong.binds_after_turns.unwrap()) && wrong.warning.contains("aluminium"));
    // The same port from inside: a bore of 8.57 mm (ISO 228-1, table 1).
    let port = which(&ThreadMeasured {
        diameter_mm: 8.57,
        pitch_mm: None,
        turns_per_inch: Some(28.0),
        tapered: Some(false),
        female: true,
        stamp: None,
        origin: None,
    })
    .unwrap();
    assert!(port[0].name == best.name && port[0].off < 0.1, "{port:?}");
    // What is stamped on it settles what a caliper alone leaves open; where it comes from only leans.
    let caliper =
        ThreadMeasured { diameter_mm: 9.85, pitch_mm: None, turns_per_inch: None, tapered: None, female: false, stamp: None, origin: None };
    for (stamp, name) in [(Stamp::G, "55° parallel"), (Stamp::R, "55° tapered"), (Stamp::Npt, "60° tapered"), (Stamp::M, "M10")] {
        let best = &which(&ThreadMeasured { stamp: Some(stamp), ..caliper }).unwrap()[0];
        assert!(best.name.contains(name), "{stamp:?}: {}", best.name);
    }
    let from = |origin| which(&ThreadMeasured { origin: Some(origin), ..caliper }).unwrap()[0].off;
    assert!(from(Origin::Europe) <= which(&caliper).unwrap()[0].off + 0.7);
    // A tapered plug measured near its small end, no pitch gauge at hand.
    let small_end = which(&ThreadMeasured {
        diameter_mm: 9.9,
        pitch_mm: None,
        turns_per_inch: None,
        tapered: Some(true),
        female: false,
        stamp: None,
        origin: None,
    })
    .unwrap();
    assert!(small_end.iter().any(|m| m.name.contains("1/8 pipe 60°")));
    assert!(
        which(&ThreadMeasured {
            diameter_mm: 31.0,
            pitch_mm: Some(1.5),
            turns_per_inch: None,
            tapered: None,
            female: false,
            stamp: None,
            origin: None
        })
        .unwrap()
        .is_empty(),
        "an adapter must be made"
    );
}

#[test]
fn a_choked_screen_starves_earlier_the_less_is_open_and_the_colder_the_oil() {
    let at = |open: f64, temp: f64| {
        let mut input = example("screen");
        input["open_share"] = json!(open);
        input["oil_temp_c"] = json!(temp);
        let out = run("screen", &input).unwrap();
        let rpm = |key: &str| out[key].as_f64().unwrap_or(f64::INFINITY);
        assert!(rpm("early_rpm") <= rpm("starves_at_rpm") && rpm("starves_at_rpm") <= rpm("late_rpm"));
        rpm("starves_at_rpm")
    };
    let hot: Vec<f64> = [1.0, 0.2, 0.1, 0.05, 0.02].map(|open| at(open, 100.0)).to_vec();
    assert!(hot.windows(2).all(|pair| pair[0] >= pair[1]) && hot[0] > 6000.0 && hot[4] < 1500.0, "{hot:?}");
    assert!(at(0.05, 0.0) < at(0.05, 100.0), "thick oil starves first");
}

/// Figures worked by hand, and the ends of each relation.
#[test]
fn flows_mixtures_volts_and_starts_agree_with_a_hand_calculation() {
    let number = |name: &str, change: &[(&str, Value)], key: &str| {
        let mut input = example(name);
        for (field, value) in change {
            input[*field] = value.clone();
        }
        run(name, &input).unwrap()[key].as_f64().unwrap()
    };
    // 2 l/min over 180 kPa at 800 kg/m³ and 0.62: 21.2 m/s, 2.53 mm² and 1.8 mm; four times the flow is twice the bore.
    let bore = |flow: f64| number("restrictor", &[("flow_l_min", json!(flow))], "bore_mm");
    assert!((bore(2.0) - 1.8).abs() < 0.04 && (bore(8.0) / bore(2.0) - 2.0).abs() < 1e-3, "{}", bore(2.0));
    // Three new journals and one of twice the clearance: it takes 8 of 11 parts; renewed with nothing elsewhere, pressure rises 11 to 4.
    let map = json!({ "new_mm": 0.04, "limit_mm": 0.07, "kpa": 40, "other_share": 0, "clearances_mm": [0.04, 0.08, 0.04, 0.04] });
    let bearings = run("journals", &map).unwrap();
    assert!((bearings["journals"][1]["share_percent"].as_f64().unwrap() - 800.0 / 11.0).abs() < 0.01);
    assert!((bearings["with_bad_renewed_kpa"].as_f64().unwrap() - 110.0).abs() < 0.1);
    // Nothing mixed in changes nothing, all of it is the other oil, and petrol thins.
    let change = |share: f64| number("mixture", &[("other_share", json!(share))], "change_percent");
    assert!(change(0.0).abs() < 1e-9 && change(0.2) > 0.0 && change(1.0) > change(0.5));
    let petrol = [("other_grade", Value::Null), ("fuel", json!("petrol")), ("other_share", json!(0.05))];
    assert!(number("mixture", &petrol, "change_percent") < -10.0);
    // 0.8 V of a span of 4 V at 1000 kPa is 200 kPa; a ratiometric one on 4.75 V reads a twentieth more for the same rise.
    let volts = [("volts", json!(1.3)), ("zero_v", json!(0.5))];
    assert!((number("transducer", &volts, "kpa") - 200.0).abs() < 0.01);
    let sagged = [("volts", json!(1.3)), ("zero_v", json!(0.5)), ("supply_v", json!(4.75))];
    assert!((number("transducer", &sagged, "kpa") - 200.0 / 0.95).abs() < 0.1);
    // 62 kPa at 750 rpm: a switch of 40 kPa lights under 484 rpm.
    assert!((number("lamp", &[], "lights_under_rpm") - 483.9).abs() < 0.1);
    // A warm reading goes on down, inside its own range, and to its own temperature it is itself.
    let to = |to_c: f64, key: &str| number("warm", &[("to_c", json!(to_c))], key);
    assert!((to(70.0, "kpa") - 190.0).abs() < 0.1 && to(100.0, "kpa") < 150.0);
    assert!(to(100.0, "low_kpa") < to(100.0, "kpa") && to(100.0, "kpa") < to(100.0, "high_kpa"));
    let seconds = |empty: f64| number("build", &[("empty_l", json!(empty))], "seconds");
    assert!(seconds(0.1) < seconds(0.4) && seconds(0.4) < seconds(1.5));
}

#[test]
fn every_field_of_a_calculator_stands_in_the_one_table() {
    let keys: Vec<&str> = field::ALL.iter().map(|field| field.key).collect();
    for key in ["rate_n_mm", "wire_mm", "slope_deg", "hz", "capacity_l", "minutes", "open_share", "dash_percent"] {
        assert!(keys.contains(&key), "{key}");
    }
    assert!(field::ALL.iter().all(|field| field.min < field.max && !field.label.is_empty()));
}

/// Every calculator can be asked by a form made from its own schema: its example, typed in any unit, answers as it does in JSON; and what is wrong is told at its question.
#[test]
fn every_calculator_is_asked_by_its_own_schema() {
    use std::collections::HashMap;
    use velvet_dial_core::calculator::asked::{Asks, AtHand, input, questions, told};
    use velvet_dial_core::unit::Units;
    fn typed(value: &Value) -> String {
        match value {
            Value::Bool(so) => (if *so { "yes" } else { "" }).to_owned(),
            Value::String(text) => text.clone(),
            Value::Array(all) if all.iter().all(Value::is_object) => all
                .iter()
                .map(|row| row.as_object().unwrap().values().map(typed).collect::<Vec<_>>().join("; "))
                .collect::<Vec<_>>()
                .join("\n"),
            Value::Array(all) => all.iter().map(typed).collect::<Vec<_>>().join("; "),
            other => other.to_string(),
        }
    }
    for calculator in ALL {
        let example: Value = serde_json::from_str(calculator.example).unwrap();
        let mut form: HashMap<String, String> =
            example.as_object().unwrap().iter().map(|(name, value)| (name.clone(), typed(value))).collect();
        let gauges = example["gauges"].as_array().cloned().unwrap_or_default();
        let at_hand = AtHand { engine: example.get("engine").cloned(), gauge: None, gauges };
        let asked = input(calculator, &form, &at_hand, Units::default()).unwrap_or_else(|wrong| panic!("{}: {wrong:?}", calculator.name));
        let answer = calculator.run(&asked).unwrap_or_else(|error| panic!("{}: {error}", calculator.name));
        assert_eq!(answer, calculator.run(calculator.example).unwrap(), "{}", calculator.name);
        let lines = told(&answer, Units::default());
        assert!(!lines.is_empty() && lines.iter().all(|line| !line.text.is_empty()), "{}: {lines:?}", calculator.name);
        // A pressure typed in psi is the same, as a person who likes psi types it.
        let psi = Units::parse("psi f").unwrap();
        for question in questions(calculator).iter().filter(|question| question.asks == Asks::Number) {
            let Some(value) = example[&question.name].as_f64() else { continue };
            match question.unit {
                "kPa" => form.insert(question.name.clone(), format!("{:.9}", value / psi.kpa())),
                "°C" => form.insert(question.name.clone(), format!("{}", psi.temperature.of_c(value))),
                _ => None,
            };
        }
        let again = calculator.run(&input(calculator, &form, &at_hand, psi).unwrap());
        // Rows are left as they were typed: those of the dash are pressures.
        if calculator.name != "dash" {
            assert_eq!(again.unwrap(), answer, "{} in psi and °F", calculator.name);
        }
        let Some(first) = questions(calculator).into_iter().find(|question| question.needed && question.asks == Asks::Number) else {
            continue;
        };
        form.insert(first.name.clone(), "many".to_owned());
        let wrong = input(calculator, &form, &at_hand, psi).unwrap_err();
        assert!(wrong.iter().any(|(name, sentence)| *name == first.name && sentence.contains("“many” is not a number")), "{wrong:?}");
    }
}
