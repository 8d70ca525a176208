//! What the drawings must keep to, whatever they are given.
use super::dial::{Shown, dial};
use super::map::{HEIGHT, Limit, Mark, Scene, WIDTH, map};
use super::scales::{Band, Scale, scales};
use super::strip::strip;
use super::threads::pair;
use super::{multiples, round_step};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::calculator::{ThreadMeasured, which};
use velvet_dial_core::capture::{Run, levels};
use velvet_dial_core::case::Slope;
use velvet_dial_core::diagnosis::{Curve, SPEEDS};
use velvet_dial_core::unit::{Pressure, Units};

fn number(text: &str) -> f64 {
    text.parse().unwrap_or(f64::NAN)
}

/// Every coordinate of a path or a list of points.
fn numbers(path: &str) -> Vec<f64> {
    path.split(|c: char| !(c.is_ascii_digit() || c == '.' || c == '-')).filter(|part| !part.is_empty()).map(number).collect()
}

fn some(random: &mut ChaCha8Rng) -> Units {
    [Pressure::Kpa, Pressure::Bar, Pressure::Psi][random.random_range(0..3)].into()
}

#[test]
fn a_scale_has_few_round_steps_and_reaches_its_end() {
    for exponent in -30..60 {
        let span = 1.37f64.powi(exponent);
        for most in [5.0, 6.0, 8.0] {
            let step = round_step(span, most);
            let digits = step / 10f64.powf(step.log10().floor());
            assert!([1.0, 2.0, 2.5, 5.0, 10.0].iter().any(|round| (digits / round - 1.0).abs() < 1e-6), "{step}");
            let marks = multiples(step, (span / step).ceil() * step).count();
            assert!((2..=most as usize + 2).contains(&marks), "{span} in {marks}");
        }
    }
}

/// More pressure turns the needle clockwise, the needle lies in its doubt, the number is what was read, and nothing is drawn outside the picture.
#[test]
fn a_dial_turns_with_the_pressure_and_stays_in_its_picture() {
    let mut random = ChaCha8Rng::seed_from_u64(3);
    for _ in 0..300 {
        let unit = some(&mut random);
        let shown = |kpa: f64, u_kpa: f64, reach_kpa: f64| Shown { kpa, u_kpa, min_kpa: Some(kpa / 2.0), max_kpa: None, reach_kpa };
        let (kpa, u_kpa) = (random.random_range(0.0..1500.0), random.random_range(0.0..60.0));
        let draw = |kpa: f64| dial(&shown(kpa, u_kpa, 1700.0), unit, String::new(), "within", "within");
        let (low, high) = (draw(kpa), draw(kpa + 30.0));
        let tip = |drawn: &super::dial::Dial| numbers(&drawn.needle).first().zip(numbers(&drawn.needle).get(1)).map(|(x, y)| (*x, *y));
        let angle = |drawn: &super::dial::Dial| tip(drawn).map(|(x, y)| (x - 150.0).atan2(146.0 - y)).unwrap_or(f64::NAN);
        assert!(angle(&high) > angle(&low), "{kpa} {unit:?}");
        assert_eq!(low.number, unit.show(kpa));
        let drawn = [&low.rim, &low.needle, &low.doubt, low.allowed.as_ref().unwrap_or(&low.rim)];
        assert!(drawn.into_iter().flat_map(|path| numbers(path)).all(|at| (-1.0..=301.0).contains(&at)), "{kpa}");
        assert!((5..=62).contains(&low.ticks.len()), "{} marks", low.ticks.len());
        let numerals: Vec<f64> = low.ticks.iter().filter_map(|tick| tick.numeral.as_ref()).map(|(text, ..)| number(text)).collect();
        assert!(numerals.windows(2).all(|pair| pair[0] < pair[1]) && numerals.last().is_some_and(|end| end * unit.kpa() >= kpa));
    }
}

/// Readings, limits and curves lie in the frame; names at the curves' ends never cover one another; a higher pressure is drawn higher.
#[test]
fn a_map_keeps_everything_in_its_frame_and_names_apart() {
    let mut random = ChaCha8Rng::seed_from_u64(5);
    for _ in 0..200 {
        let unit = some(&mut random);
        let marks: Vec<Mark> = (0..random.random_range(0..8))
            .map(|_| Mark {
                rpm: random.random_range(300.0..7000.0),
                kpa: random.random_range(0.0..900.0),
                u_kpa: random.random_range(0.0..80.0),
                cold: random.random(),
                after: random.random(),
                oil_temp_c: random.random_range(-20.0..130.0),
                in_gear: random.random(),
                slope: Slope::Level,
                apart: random.random(),
            })
            .collect();
        let ghosts: Vec<Curve> = (0..random.random_range(0..5))
            .map(|i| Curve {
                cause: format!("cause{i}"),
                name: if i % 2 == 0 { format!("Cause {i}") } else { format!("Cause {i} with a name that takes more than one line") },
                cold: i == 0,
                kpa: SPEEDS.iter().map(|rpm| rpm / 10.0 + random.random_range(0.0..9.0)).collect(),
                band: SPEEDS.iter().map(|rpm| [rpm / 12.0, rpm / 8.0]).collect(),
            })
            .collect();
        let limits =
            vec![Limit { rpm: 750.0, oil_temp_c: 100.0, min_kpa: Some(80.0), max_kpa: Some(900.0), in_force: true, in_gear: false }];
        let drawn = map(&Scene { limits, marks, curves: ghosts, carried: Vec::new(), rpm_reach: 3000.0 }, unit);
        let inside = |x: f64, y: f64| (0.0..=WIDTH).contains(&x) && (0.0..=HEIGHT).contains(&y);
        assert!(drawn.marks.iter().all(|mark| inside(number(&mark.x), number(&mark.low)) && number(&mark.low) >= number(&mark.high)));
        assert!(
            drawn
                .ghosts
                .iter()
                .flat_map(|ghost| numbers(&ghost.points))
                .chain(drawn.ghosts.iter().flat_map(|ghost| numbers(&ghost.band)))
                .all(|at| (0.0..=WIDTH).contains(&at))
        );
        let mut names: Vec<f64> = drawn
            .ghosts
            .iter()
            .filter_map(|ghost| ghost.label.as_ref())
            .flat_map(|name| name.lines.iter().map(|line| number(&line.y)))
            .collect();
        names.sort_by(f64::total_cmp);
        assert!(names.windows(2).all(|pair| pair[1] - pair[0] >= 14.9), "{names:?}");
        assert!(names.iter().all(|y| inside(1.0, *y)), "{names:?}");
        // No reading's figure covers a reading or another figure.
        let figures: Vec<[f64; 4]> = drawn
            .marks
            .iter()
            .filter_map(|mark| mark.label.as_ref())
            .map(|(label, anchor)| {
                let (x, y, wide) = (number(&label.x), number(&label.y), 6.5 * label.text.len() as f64);
                if *anchor == "start" { [x, y - 11.0, x + wide, y] } else { [x - wide, y - 11.0, x, y] }
            })
            .collect();
        for (i, a) in figures.iter().enumerate() {
            let apart = |b: &[f64; 4]| a[0] >= b[2] || b[0] >= a[2] || a[1] >= b[3] || b[1] >= a[3];
            assert!(figures.iter().skip(i + 1).all(apart), "{figures:?}");
        }
        let ups: Vec<f64> = drawn.y_labels.iter().map(|label| number(&label.y)).collect();
        assert!(ups.windows(2).all(|pair| pair[0] > pair[1]));
        assert!(
            drawn
                .limits
                .iter()
                .filter_map(|line| line.out.as_ref())
                .all(|(_, top, _, height)| inside(1.0, number(top)) && number(height) >= 0.0)
        );
    }
}

/// Gauges and bands lie in the picture, a blind part inside its bar, and names of bands on one line never meet.
#[test]
fn scales_keep_to_the_picture_and_names_apart() {
    let mut random = ChaCha8Rng::seed_from_u64(7);
    for _ in 0..200 {
        let unit = some(&mut random);
        let gauges: Vec<Scale> = (0..random.random_range(1..6))
            .map(|i| {
                let full_scale_kpa = random.random_range(60.0..4000.0);
                Scale { name: format!("{i}"), full_scale_kpa, blind_kpa: full_scale_kpa * random.random_range(0.0..1.0), proposed: i == 0 }
            })
            .collect();
        let bands: Vec<Band> = ["hot idle", "2500 rpm hot", "cold start"]
            .map(|name| {
                let low_kpa = random.random_range(0.0..900.0);
                Band { name: name.to_owned(), low_kpa, high_kpa: low_kpa + random.random_range(0.0..300.0) }
            })
            .into();
        let drawn = scales(&gauges, &bands, random.random_range(0.0..500.0), unit);
        assert!(drawn.bars.iter().all(|bar| number(&bar.blind) <= number(&bar.width) && number(&bar.width) <= 640.0));
        assert!(drawn.bands.iter().all(|band| number(&band.x) >= 0.0 && number(&band.x) + number(&band.width) <= 661.0));
        for (i, a) in drawn.bands.iter().enumerate() {
            for b in drawn.bands.iter().skip(i + 1).filter(|b| b.text_y == a.text_y) {
                let (left, right) = if number(&a.text_x) < number(&b.text_x) { (a, b) } else { (b, a) };
                assert!(number(&left.text_x) + 6.0 * left.name.len() as f64 <= number(&right.text_x), "{} and {}", left.name, right.name);
            }
        }
        assert!(number(&drawn.limit_x) <= 660.0 && number(&drawn.height) > number(&drawn.foot));
    }
}

/// Every thread over each of its lookalikes is drawn, and what binds is marked in the picture.
#[test]
fn every_lookalike_is_drawn_over_its_thread() {
    let mut drawn = 0;
    for thread in velvet_dial_core::thread::threads() {
        let measured = ThreadMeasured {
            diameter_mm: thread.diameter_mm,
            pitch_mm: Some(thread.pitch_mm),
            turns_per_inch: None,
            tapered: None,
            female: false,
            stamp: None,
            origin: None,
        };
        let matches = which(&measured).unwrap_or_default();
        let Some(found) = matches.iter().find(|found| found.name == thread.name) else { panic!("{} does not find itself", thread.name) };
        for other in &found.lookalikes {
            let Some(picture) = pair(found, other) else { panic!("{} over {}", other.name, found.name) };
            assert!(
                numbers(&picture.solid).into_iter().chain(numbers(&picture.line)).all(|at| (-2.0..=662.0).contains(&at)),
                "{}",
                found.name
            );
            assert_eq!(picture.binds.is_some(), other.binds_after_turns.is_some_and(|turns| turns < 12.0));
            drawn += 1;
        }
    }
    assert!(drawn > 10, "{drawn}");
}

/// A spike of one sample is drawn, however many samples share its column.
#[test]
fn a_strip_loses_no_peak_and_marks_its_holds_where_they_are() {
    for count in [1usize, 2, 519, 5200, 60_001] {
        let peak = count / 3;
        let kpa = (0..count).map(|row| if row == peak { 900.0 } else { 100.0 }).collect();
        let run = Run { time_s: (0..count).map(|row| row as f64 / 50.0).collect(), kpa, rpm: vec![800.0; count], ..Run::default() };
        let end = (count - 1) as f64 / 50.0;
        let drawn = strip(&levels(&run, f64::MIN, f64::MAX, 520), &[(0.25 * end, 0.5 * end)], &[], Pressure::Kpa.into());
        let heights: Vec<f64> = numbers(&drawn.pressure).into_iter().skip(1).step_by(2).collect();
        let highest = heights.iter().copied().fold(f64::INFINITY, f64::min);
        let scale: Vec<(f64, f64)> = drawn.y_labels.iter().map(|(text, y)| (number(text), number(y))).collect();
        let (zero, top) = (scale[0], scale[scale.len() - 1]);
        let expected = zero.1 + (top.1 - zero.1) * 900.0 / top.0;
        assert!((highest - expected).abs() < 0.2, "{count} samples: {highest} for {expected}");
        assert!(heights.len() <= 2 * 521, "no more points than the picture has columns");
        let band = &drawn.bands[0];
        let (left, middle) = (number(&band.x), number(&band.label_x));
        assert!(left <= middle && middle <= left + number(&band.width) + 0.2 && left + number(&band.width) <= 1102.0);
    }
}

/// Whatever a calculator answers its own example, and what stands at the ends of its scale, is drawn within the picture, and no name is left out.
#[test]
fn what_is_laid_in_lanes_stays_in_its_picture() {
    use super::worked::{Picture, picture};
    use velvet_dial_core::calculator::Calculator;
    let within = |text: &String| (0.0..=420.0).contains(&number(text));
    for (name, input, names) in [
        ("dash", None, 2),
        ("dash", Some(r#"{ "pairs": [ { "gauge_kpa": 0, "dash_kpa": 2500 } ] }"#), 1),
        ("gauge", None, 1),
        ("screen", None, 1),
        ("timetable", None, 3),
        (
            "timetable",
            Some(
                r#"{ "hand_over": "2026-03-06T16:00:00", "tasks": [ { "name": "Waits", "minutes": 9000, "unattended": true }, { "name": "Proves", "minutes": 1 } ] }"#,
            ),
            2,
        ),
    ] {
        let calculator = Calculator::named(name).unwrap_or_else(|| panic!("{name}"));
        let input = input.unwrap_or(calculator.example);
        let answer = calculator.run(input).unwrap_or_else(|error| panic!("{name}: {error}"));
        for unit in [Pressure::Kpa, Pressure::Bar, Pressure::Psi] {
            let Some(Picture::Lanes(drawn)) = picture(name, input, &answer, unit.into()) else { panic!("{name} draws nothing") };
            assert_eq!(drawn.lanes.len(), names, "{name}");
            assert!(
                drawn.ticks.len() <= 9 && drawn.ticks.iter().all(|(x, text)| within(x) && !text.is_empty()),
                "{name} {:?}",
                drawn.ticks
            );
            let spots: Vec<f64> = drawn.ticks.iter().map(|(x, _)| number(x)).collect();
            assert!(spots.array_windows().all(|[a, b]| b - a > 30.0), "{name}: places cover one another, {spots:?}");
            for lane in &drawn.lanes {
                assert!(lane.marks.iter().all(|(x, _)| within(x)) && !lane.name.is_empty());
                assert!(
                    lane.bars.iter().all(|bar| within(&bar.x) && number(&bar.x) + number(&bar.width) <= 420.0 && number(&bar.width) > 0.0)
                );
            }
        }
    }
}
