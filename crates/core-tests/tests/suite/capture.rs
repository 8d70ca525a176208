//! Recorded runs: whatever recorder wrote them, they tell the same; what is wrong with one is said, and nothing beside it is lost.
use crate::support::recorder::{MANNERS, WHOLE, record, written};
use crate::support::{card, case, example, harmed, typical};
use proptest::prelude::*;
use std::sync::LazyLock;
use velvet_dial_core::capture::{
    Analysis, CaptureError, Motion, Run, Sure, analyse, analysed, between, holds, mapping, read, recorded, schema, standing, table,
    write_csv,
};
use velvet_dial_core::circuit::{Fault, Layout};
use velvet_dial_core::flag::StopLines;
use velvet_dial_core::live::{self, Start};
use velvet_dial_core::unit::Gear;

const STILL: fn(f64, f64) -> f64 = |_, _| 0.0;

/// One run of a healthy engine, recorded once for all tests.
static SOUND: LazyLock<Run> = LazyLock::new(|| record(&typical(Layout::default()), WHOLE, 25.0, 1.0, STILL));

fn speeds(told: &Analysis) -> Vec<i64> {
    told.holds.iter().map(|hold| (hold.rpm.unwrap_or(0.0) / 50.0).round() as i64 * 50).collect()
}

#[test]
fn whatever_recorder_wrote_it_the_run_tells_the_same() {
    let plain = analysed(&SOUND, None);
    let hot: Vec<i64> = speeds(&plain).into_iter().skip_while(|rpm| *rpm == 750).collect();
    assert!(hot.starts_with(&[1500, 2000, 2850, 750]), "{hot:?}");
    assert!(
        plain.holds.len() >= 5
            && plain.build_time_s.is_some()
            && plain.cold_peak_kpa.is_some()
            && plain.knee_rpm.is_some()
            && plain.warm_up.is_some()
    );
    for manner in MANNERS {
        let told = analyse(written(&SOUND, manner).as_bytes(), manner.map, None).unwrap_or_else(|error| panic!("{}: {error}", manner.name));
        let near = |a: Option<f64>, b: Option<f64>, within: f64, what: &str| {
            let apart = a.zip(b).map_or(f64::from(u8::from(a.is_some() != b.is_some())) * 1e9, |(a, b)| (a - b).abs());
            assert!(apart <= within, "{}: {what} {a:?} for {b:?}; {:?}", manner.name, told.notes);
        };
        // How a warm-up that slows down is cut lies on either side of its edge: what comes after it does not.
        let after = |told: &Analysis| told.holds.iter().filter(|hold| hold.from_s > 424.0).copied().collect::<Vec<_>>();
        assert_eq!(after(&told).len(), after(&plain).len(), "{}: {:?}", manner.name, speeds(&told));
        for (a, b) in after(&told).iter().zip(&after(&plain)) {
            near(a.rpm, b.rpm, 8.0, "speed");
            near(a.oil_temp_c, b.oil_temp_c, 1.0, "temperature");
            near(Some(a.kpa), Some(b.kpa), 2.0, "pressure");
            near(Some(a.to_s), Some(b.to_s), 5.0, "end");
        }
        near(told.build_time_s, plain.build_time_s, 0.25, "build time");
        near(told.cold_peak_kpa, plain.cold_peak_kpa, 3.0, "cold peak");
        near(told.knee_rpm, plain.knee_rpm, 110.0, "knee");
        near(told.warm_up.map(|warm| warm.left_over), plain.warm_up.as_ref().map(|warm| warm.left_over), 0.03, "left over");
        near(told.zero_kpa, plain.zero_kpa, 0.5, "zero");
        assert_eq!(told.dash_needle.is_some(), manner.name.contains("own pressure"), "{}", manner.name);
    }
    // Bytes in other dress: two bytes a letter, a mark at the start, another end of line, another alphabet.
    let text = written(&SOUND, &MANNERS[1]);
    let wide: Vec<u8> = [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    let western: Vec<u8> = text.chars().map(|letter| u8::try_from(letter as u32).unwrap()).collect();
    let marked = format!("\u{feff}{}", text.replace('\n', "\r\n")).into_bytes();
    let fingerprint = analyse(text.as_bytes(), None, None).unwrap().fingerprint;
    for bytes in [wide, western, marked] {
        assert_eq!(analyse(&bytes, None, None).unwrap().fingerprint, fingerprint, "saved again it is known");
    }
    let points = written(&SOUND, &MANNERS[0]);
    assert_eq!(analyse(points.as_bytes(), None, None).unwrap().fingerprint, fingerprint, "with other separators too");
}

/// The circuit that made the run says what should be found in it.
#[test]
fn start_knee_and_warm_up_are_those_of_the_engine() {
    let sound = typical(Layout::default());
    let worn = harmed(&sound, &[(Fault::BearingsCrank, 0.8)]);
    let short = harmed(&sound, &[(Fault::ReliefWeak, 0.6)]);
    for (circuit, left_over) in [(&sound, 0.75..1.3), (&worn, 0.05..0.6), (&short, 1.3..4.0)] {
        let run = record(circuit, WHOLE, 25.0, 1.0, STILL);
        let told = analysed(&run, Some(&card(Layout::default())));
        let hottest = told.holds.last().and_then(|hold| hold.oil_temp_c).unwrap();
        match (circuit.knee_rpm(hottest).filter(|knee| *knee < 3000.0), told.knee_rpm) {
            (Some(knee), Some(found)) => assert!((found - knee).abs() < 0.25 * knee, "{found} for {knee}"),
            (None, None) => {}
            (Some(_), None) => panic!("{:?}", told.sweep),
            (None, Some(found)) => assert!(found > 2400.0, "{found}"),
        }
        let warm = told.warm_up.unwrap();
        assert!(left_over.contains(&warm.left_over), "{warm:?}");
        for hold in told.holds.iter().filter(|hold| hold.from_s > 430.0) {
            let (rpm, oil_temp_c) = (hold.rpm.unwrap(), hold.oil_temp_c.unwrap());
            let made = circuit.port_kpa(velvet_dial_core::circuit::Working { rpm, oil_temp_c });
            assert!((hold.kpa - made).abs() < 2.0 + 0.015 * made, "{hold:?} of {made}");
        }
        assert!(told.build_time_s.is_some_and(|seconds| (0.2..6.0).contains(&seconds)), "{:?}", told.build_time_s);
    }
}

/// A blow of one row is no peak of oil.
#[test]
fn a_blow_on_the_wire_is_no_cold_peak() {
    let sound = typical(Layout::default());
    let peak = |rate_hz: f64, blow: bool| {
        let needle = move |time: f64, _: f64| if blow && (time * rate_hz).round() as i64 % 97 == 0 { 400.0 } else { 0.0 };
        analysed(&record(&sound, &WHOLE[..2], rate_hz, 1.0, needle), None).cold_peak_kpa.unwrap()
    };
    for rate_hz in [10.0, 25.0, 100.0] {
        assert!((peak(rate_hz, true) - peak(rate_hz, false)).abs() < 3.0, "{rate_hz} rows a second");
    }
}

/// A needle that is shaken is told by size, rate and what it goes with.
#[test]
fn a_needle_tells_what_shakes_it() {
    let script: &[(f64, bool, f64)] = &[
        (3.0, false, 0.0),
        (300.0, true, 0.0),
        (2.0, true, 0.15),
        (20.0, true, 0.15),
        (2.0, true, 0.3),
        (20.0, true, 0.3),
        (2.0, true, 0.0),
        (20.0, true, 0.0),
    ];
    let told = |needle: fn(f64, f64) -> f64| {
        let told = analysed(&record(&typical(Layout::default()), script, 100.0, 0.5, needle), None).needle.unwrap();
        (told.kind, told.rate_hz, told.order, told.sure, told.size_kpa, told.points_to)
    };
    let (kind, ..) = told(STILL);
    assert_eq!(kind, Motion::Steady);
    // Once in two turns: the phase is the integral of the speed, so rows of a hold are a clean line at half its rate.
    let (kind, rate, order, sure, size, why) =
        told(|time, rpm| 25.0 * (std::f64::consts::TAU * time * 0.5 * (rpm / 60.0 * 20.0).round() / 20.0).sin());
    assert_eq!((kind, sure != Sure::Hint), (Motion::Flutter, true), "{rate:?} {why}");
    assert!(
        order.is_some_and(|order| (order - 0.5).abs() < 0.03) && (15.0..28.0).contains(&size) && why.contains("cam"),
        "{order:?} {size} {why}"
    );
    let (kind, rate, order, sure, _, why) = told(|time, _| 25.0 * (std::f64::consts::TAU * time * 9.0).sin());
    assert_eq!((kind, order, sure), (Motion::Flutter, None, Sure::Good), "{why}");
    assert!(rate.is_some_and(|rate| (rate - 9.0).abs() < 0.15) && why.contains("air in the gauge's line"), "{rate:?} {why}");
    let (kind, rate, ..) = told(|time, _| 30.0 * (std::f64::consts::TAU * time * 0.3).sin());
    assert_eq!(kind, Motion::Sway, "{rate:?}");
    let (kind, .., why) = told(|time, _| if (time * 1.7).sin() > 0.6 && (time * 0.9).cos() > 0.1 { 90.0 } else { 0.0 });
    assert_eq!(kind, Motion::Jumping, "{why}");
}

/// A row of the plain manner.
fn row(time: f64, kpa: f64, rpm: f64) -> String {
    format!("{time:.2},{kpa:.1},{rpm:.0},95\n")
}

const HEAD: &str = "time s,pressure kpa,rpm,oil temp c\n";

fn rows(count: usize, of: impl Fn(usize) -> String) -> String {
    (0..count).map(of).collect()
}

/// What is odd about a recording is told, what is good of it is kept.
#[test]
fn what_is_odd_is_told_and_the_rest_is_kept() {
    let steady = |i: usize| row(i as f64 / 10.0, 120.0 + (i % 3) as f64, 800.0);
    let plain = rows(400, steady);
    for (file, rows_kept, told) in [
        (format!("{HEAD}{plain}"), 400, ""),
        (format!("{HEAD}{}", plain.trim_end().trim_end_matches("95").trim_end_matches(',')), 399, "The last line is cut off"),
        (
            format!("{HEAD}{plain}40.1,x,800,95\n40.2,---,800,95\n40.3,121,800,95\n"),
            401,
            "Left out: 1 row. For example line 402 has “x” for “pressure kpa”",
        ),
        (format!("{HEAD}{plain}{}", rows(100, steady)), 500, "The clock starts again once"),
        (
            format!("{HEAD}{plain}39.85,120,800,95\n39.90,120,800,95\n40.1,120,800,95\n"),
            401,
            "Left out: 2 rows whose time repeats or steps back",
        ),
        (
            format!("{HEAD}{plain}{}", rows(100, |i| row(60.0 + i as f64 / 10.0, 120.0, 800.0))),
            500,
            "The recording has 1 gap, 20.1 s in all",
        ),
        (format!("{HEAD}{plain}40.1,OL,800,95\n40.2,99999,800,95\n"), 400, "Left out: 2 pressures beyond any gauge"),
        (format!("{HEAD}{}", rows(400, |i| row(i as f64 / 10.0, 0.0, 800.0))), 400, "The pressure is 0 kPa from the first row to the last"),
        (
            format!("{HEAD}{}", rows(400, |i| row(i as f64 / 10.0, 300.0_f64.min(250.0 + i as f64), 800.0 + 5.0 * i as f64))),
            400,
            "stays at 300 kPa for 34.9 s",
        ),
        (
            format!("{HEAD}{}", rows(400, |i| row(i as f64 / 10.0, if i < 100 { -9.0 } else { 120.0 }, if i < 100 { 0.0 } else { 800.0 }))),
            400,
            "With the engine standing it reads -9 kPa",
        ),
        (
            format!(
                "{HEAD}{}",
                rows(900, |i| row(
                    i as f64 / 10.0,
                    match i {
                        0..100 => 0.5,
                        100..700 => 120.0,
                        _ => 14.0,
                    },
                    if (100..700).contains(&i) { 800.0 } else { 0.0 }
                ))
            ),
            900,
            "The zero moved during the run: 0 kPa before the start, 14 kPa after the stop",
        ),
        (format!("{HEAD}{plain}40.1,120,-500,95\n40.2,120,99999,95\n40.3,120,800,900\n"), 403, "One speed is beyond any engine's"),
    ] {
        let analysis = analyse(file.as_bytes(), None, None).unwrap();
        let said = analysis.notes.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n");
        assert_eq!(analysis.samples, rows_kept, "{told}: {said}");
        assert!(said.contains(told), "{told} in {said}");
        assert!(analysis.holds.array_windows().all(|[a, b]| a.to_s <= b.from_s));
    }
    let dead = analyse(format!("{HEAD}{}", rows(400, |i| row(i as f64 / 10.0, 0.0, 800.0))).as_bytes(), None, None).unwrap();
    assert!(dead.holds.is_empty() && dead.needle.is_none() && dead.cold_peak_kpa.is_none(), "nothing is taken from a dead channel");
    let gap = analyse(format!("{HEAD}{plain}{}", rows(100, |i| row(60.0 + i as f64 / 10.0, 120.0, 800.0))).as_bytes(), None, None).unwrap();
    assert!(gap.holds.len() == 2 && gap.holds.iter().all(|hold| hold.to_s < 41.0 || hold.from_s > 59.0), "no hold reaches over a gap");
}

#[test]
fn files_that_cannot_be_read_say_why() {
    let refused = |bytes: &[u8], map: Option<&str>| match analyse(bytes, map, None) {
        Err(error) => error.to_string(),
        Ok(told) => format!("taken: {} samples", told.samples),
    };
    let rows = rows(4, |i| row(i as f64, 120.0, 800.0));
    let told = [
        refused(b"", None),
        refused(b"  \n \n", None),
        refused(HEAD.as_bytes(), None),
        refused(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", None),
        refused(&vec![b'1'; (64 << 20) + 1], None),
        refused(&b"1,2\n".repeat(4_000_001), None),
        refused(&vec![b'1'; 100 << 10], None),
        refused(vec!["1"; 200].join(",").as_bytes(), None),
        refused(format!("{HEAD}0,1.2,800,90\n").as_bytes(), None),
        refused(format!("a,b,c,d\n{rows}").as_bytes(), None),
        refused(format!("time s,pressure,rpm,temp c\n{rows}").as_bytes(), None),
        refused(b"rpm,kpa\n800,100\n800,101\n800,102\n", None),
        refused(format!("{HEAD}{}", rows.replace("120.0", "low")).as_bytes(), None),
        refused(format!("{HEAD}{rows}{}", "9,x,800,90\n".repeat(9)).as_bytes(), None),
        refused(format!("{HEAD}{}", rows.replace("120.0", "99999")).as_bytes(), None),
        refused(format!("{HEAD}{rows}").as_bytes(), Some("pressure=9:bar")),
        refused(format!("{HEAD}{rows}").as_bytes(), Some("pressure=2:furlong")),
        refused(format!("{HEAD}{rows}").as_bytes(), Some("boost=2:bar")),
        refused(format!("{HEAD}{rows}").as_bytes(), Some("rate=fast")),
        refused(format!("{HEAD}{rows}").as_bytes(), Some("speed=3:hz/no")),
        refused(format!("{HEAD}{rows}").as_bytes(), Some("speed")),
    ];
    insta::assert_snapshot!(told.join("\n"));
}

/// `cargo run --bin velvet-dial -- capture --schema > docs/capture.schema.json` makes it again.
#[test]
fn the_schema_in_docs_is_that_of_the_types() {
    let kept: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/capture.schema.json")).unwrap();
    assert_eq!(schema(), kept, "docs/capture.schema.json is not current");
}

#[test]
fn pulses_are_counted_found_and_asked() {
    let at = |i: usize| i as f64 / 50.0;
    let speed = |i: usize| if i < 1000 { 790.0 } else { 1250.0 };
    let mut turns = 0.0;
    let counts: Vec<f64> = (0..2000)
        .map(|i| {
            turns += speed(i) / 60.0 / 50.0;
            turns
        })
        .collect();
    let file = |of: &dyn Fn(usize) -> String| {
        format!("time s,pulses,kpa,oil c\n{}", rows(2000, |i| format!("{:.2},{},{},95\n", at(i), of(i), 120 + i % 2)))
    };
    let counted = file(&|i| format!("{}", (4.0 * counts[i]) as u64));
    let wraps = file(&|i| format!("{}", (4.0 * counts[i]) as u64 % 256));
    let signal = file(&|i| format!("{}", if counts[i].fract() < 0.5 { 11.8 } else { 0.2 }));
    for (name, file, map) in [
        ("found", &counted, None),
        ("said", &counted, Some("speed=2:count/4")),
        ("a counter that wraps", &wraps, None),
        ("the signal itself", &signal, Some("speed=2:count/1")),
    ] {
        let told = analyse(file.as_bytes(), map, None).unwrap();
        assert_eq!(told.pulses_per_turn, Some(if name.starts_with("the") { 1.0 } else { 4.0 }), "{name}");
        let near: Vec<f64> = told.holds.iter().filter_map(|hold| hold.rpm).collect();
        assert!(near.len() == 2 && (near[0] - 790.0).abs() < 15.0 && (near[1] - 1250.0).abs() < 30.0, "{name}: {near:?}");
        assert_eq!(told.notes.iter().any(|note| note.to_string().contains("Pulses per revolution are not given")), map.is_none(), "{name}");
    }
}

#[test]
fn the_demo_run_has_the_holds_a_person_sees() {
    let told = analyse(include_bytes!("../../../web/demo/run-fork5.csv"), None, None).unwrap();
    let found: Vec<i64> = told.holds.iter().map(|hold| (hold.rpm.unwrap() / 10.0).round() as i64 * 10).collect();
    assert_eq!(found, [790, 1500, 2000, 3000, 780]);
    assert!(told.build_time_s.is_some() && told.cold_peak_kpa.is_none() && told.gaps.is_empty());
}

proptest! {
    /// A run made of holds and ramps gives back its holds, none overlapping, each within its band.
    #[test]
    fn holds_are_found_where_they_were_made(speeds in prop::collection::vec(700.0..4500.0f64, 1..5), seconds in 7.0..15.0f64, wobble in 0.0..20.0f64) {
        let mut text = String::from(HEAD);
        let (mut time, mut made, mut last) = (0.0, Vec::new(), 0.0f64);
        for speed in speeds.iter().filter(|s| **s > 0.0) {
            if (speed - last).abs() < 400.0 { continue; }
            for i in 0..10 { text += &format!("{time:.2},200,{:.1},90\n", last + (speed - last) * f64::from(i) / 10.0); time += 0.2; }
            made.push((*speed, time));
            for i in 0..(seconds / 0.2) as i32 { text += &format!("{time:.2},{},{:.1},90\n", 200 + i % 2, speed + wobble * f64::from(i % 3 - 1)); time += 0.2; }
            last = *speed;
        }
        let found = analyse(text.as_bytes(), None, None).unwrap().holds;
        prop_assert_eq!(found.len(), made.len());
        for (hold, (speed, start)) in found.iter().zip(&made) {
            prop_assert!((hold.rpm.unwrap() - speed).abs() < 30.0 && hold.to_s - hold.from_s >= 5.0 && hold.from_s >= start - 0.5);
        }
        prop_assert!(found.array_windows().all(|[a, b]| a.to_s < b.from_s));
    }

    /// Written as it was understood and read again, it is the same run; what a person drags is what the rows between say.
    #[test]
    fn an_export_comes_back_as_the_same_run(from in 0.0..500.0f64, long in 1.0..60.0f64) {
        let mut out = Vec::new();
        write_csv(&SOUND, &mut out).unwrap();
        let table = table(&out).unwrap();
        let again = read(&table, &mapping(&table, None).unwrap()).unwrap();
        prop_assert_eq!((&again.time_s, &again.kpa, &again.rpm), (&SOUND.time_s, &SOUND.kpa, &SOUND.rpm));
        let hold = between(&again, from, from + long).unwrap();
        let inside: Vec<f64> = again.time_s.iter().zip(&again.kpa).filter(|(time, _)| (from..=from + long).contains(time)).map(|(_, kpa)| *kpa).collect();
        prop_assert_eq!(hold.count, inside.len());
        prop_assert!((hold.kpa - inside.iter().sum::<f64>() / inside.len() as f64).abs() < 1e-6);
        prop_assert!(hold.from_s >= from && hold.to_s <= from + long + 1e-9 && between(&again, from, from).is_none());
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), map in "[a-z=:.0-9,/]{0,30}") {
        let _ = analyse(&bytes, Some(&map), None);
        let rows = String::from_utf8_lossy(&bytes).replace(['\0', '\n'], "");
        let file = format!("{HEAD}0,1,2,3\n{rows}\n1,{rows},3,4\n2,3,4,5\n");
        if let Ok(told) = analyse(file.as_bytes(), None, None) {
            prop_assert!(told.samples >= 2 && told.holds.iter().all(|hold| hold.kpa.is_finite()));
        }
    }
}

#[test]
fn a_run_of_nothing_and_of_two_rows_is_no_trouble() {
    for run in [Run::default(), Run { time_s: vec![0.0, 1.0], kpa: vec![f64::NAN, 3.0], ..Run::default() }] {
        let told = analysed(&run, None);
        assert!(told.holds.is_empty() && holds(&run).is_empty() && told.knee_rpm.is_none());
    }
    assert!(matches!(table(b"x\n"), Err(CaptureError::NoRows)));
}

/// A hold that the screen takes live is a hold of the record too, and the live start is the record's: both look at the same bands.
#[test]
fn what_is_seen_live_is_found_again_in_the_record() {
    let told = analysed(&SOUND, None);
    for hold in &told.holds {
        // The last half minute as it stood when the hold ended.
        let upto = |channel: &[f64], from: usize, to: usize| channel[from..to].to_vec();
        let (from, to) = (SOUND.time_s.partition_point(|t| *t < hold.to_s - 30.0), SOUND.time_s.partition_point(|t| *t <= hold.to_s));
        let recent = Run {
            time_s: upto(&SOUND.time_s, from, to),
            kpa: upto(&SOUND.kpa, from, to),
            rpm: upto(&SOUND.rpm, from, to),
            oil_temp_c: upto(&SOUND.oil_temp_c, from, to),
            ..Run::default()
        };
        let since = standing(&recent).unwrap();
        let shared = hold.to_s - since.max(hold.from_s);
        assert!(shared >= 0.8 * (hold.to_s - hold.from_s.max(hold.to_s - 30.0)) - 1.5, "{hold:?} stands live since {since}");
    }
    let to = SOUND.time_s.partition_point(|t| *t <= 25.0);
    let begun = Run { time_s: SOUND.time_s[..to].to_vec(), kpa: SOUND.kpa[..to].to_vec(), rpm: SOUND.rpm[..to].to_vec(), ..Run::default() };
    let Some(Start::Built(seconds)) = live::start(&begun, 0.0) else { panic!("no start seen") };
    assert!((seconds - told.build_time_s.unwrap()).abs() < 0.25, "{seconds} live, {:?} in the record", told.build_time_s);
    let case = case(&example());
    assert_eq!(live::stop_call(&begun, 0.0, &StopLines::of(&case, Gear::default())), None);
}

/// Channels that stand on one clock already, as a live rig's: pulses or turns, silences within, and moments without a pressure left out.
#[test]
fn a_live_runs_channels_are_a_run() {
    let turns: Vec<f64> = SOUND
        .rpm
        .iter()
        .scan(0.0, |turned, rpm| {
            *turned += rpm / 60.0 / 25.0;
            Some((60.0 * *turned).floor())
        })
        .collect();
    let mut kpa = SOUND.kpa.clone();
    kpa.iter_mut().step_by(97).for_each(|kpa| *kpa = f64::NAN);
    let silent = kpa.iter().filter(|kpa| kpa.is_nan()).count();
    let (time, oil) = (SOUND.time_s.clone(), SOUND.oil_temp_c.clone());
    for (speed, per_turn) in [(SOUND.rpm.clone(), None), (turns, Some(60.0))] {
        let run = recorded(time.clone(), kpa.clone(), speed, per_turn, oil.clone(), Vec::new());
        assert_eq!(run.time_s.len(), time.len() - silent);
        assert!(run.kpa.len() == run.rpm.len() && run.kpa.iter().all(|kpa| kpa.is_finite()) && run.dash_kpa.is_empty());
        let (told, whole) = (analysed(&run, None), analysed(&SOUND, None));
        assert_eq!(speeds(&told), speeds(&whole), "{per_turn:?}");
    }
}
