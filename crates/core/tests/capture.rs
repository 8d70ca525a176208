//! Recorded runs: what is understood, what is told, and that nothing is half-imported.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
use proptest::prelude::*;
use velvet_dial_core::capture::{CaptureError, guess, holds, read, table};
use velvet_dial_core::field;
use velvet_dial_core::unit::Pressure;

fn understood(header: &str) -> bool {
    guess(&header.split(';').map(str::to_owned).collect::<Vec<_>>()).is_ok()
}

#[test]
fn headers_in_any_order_and_manner() {
    for header in [
        "Time [s];Oil pressure [bar];Engine speed [rpm];Oil temp [°C]",
        "rpm;oil_temp_c;pressure_kpa;time_ms",
        "Elapsed (min);Speed;Temperature (°F);Press (psi)",
        "extra;t s;kPa;revs;temp C",
    ] {
        assert!(understood(header), "{header}");
    }
    for header in ["a;b;c;d", "time s;pressure;rpm;temp c", "time s;pressure bar;pressure kpa;rpm;temp c", "time s;pressure bar;temp c"] {
        assert!(!understood(header), "{header}");
    }
}

fn run(text: &str) -> Result<usize, CaptureError> {
    let table = table(text.as_bytes())?;
    let mapping = guess(&table.header).unwrap();
    read(&table, &mapping).map(|capture| capture.samples.len())
}

#[test]
fn bad_files_are_told_in_a_sentence() {
    const HEAD: &str = "time s,pressure bar,rpm,oil temp c\n";
    assert_eq!(run(&format!("\u{feff}{HEAD}0,1.2,800,90\n0.1,1.2,800,90\n")), Ok(2));
    assert_eq!(run("time s;pressure bar;rpm;oil temp c\n0;1,2;800;90\n0,1;1,3;800;90\n"), Ok(2), "decimal commas");
    let told = [
        table(b"").unwrap_err(),
        table(b"  \n \n").unwrap_err(),
        table(HEAD.as_bytes()).unwrap_err(),
        table(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR").unwrap_err(),
        table(&vec![b'1'; 9 * 1024 * 1024]).unwrap_err(),
        run(&format!("{HEAD}0,1.2,800,90\n")).unwrap_err(),
    ];
    let bad = run(&format!(
        "{HEAD}0,1.2,800,90\n1,x,800,90\n2,1.2,-3,90\n3,1.2,800\n2.5,1.2,800,9000\n2.5,1.2,800,90\n1,1.2,800,90\nNaN,1,2,3\n"
    ));
    let Err(CaptureError::Rows { told: rows, total }) = bad else { panic!("{bad:?}") };
    let rows: Vec<String> = rows.iter().map(|row| format!("line {}: {}", row.line, row.reason)).collect();
    let sentences: Vec<String> = told.iter().map(ToString::to_string).collect();
    insta::assert_snapshot!(format!("{}\n{}\nin all {total}", sentences.join("\n"), rows.join("\n")));
}

#[test]
fn the_demo_run_has_the_holds_a_person_sees() {
    let table = table(include_bytes!("../../web/demo/run-tug4.csv")).unwrap();
    let capture = read(&table, &guess(&table.header).unwrap()).unwrap();
    let found: Vec<i64> = holds(&capture).iter().map(|hold| (hold.rpm / 10.0).round() as i64 * 10).collect();
    assert_eq!(found, [790, 1500, 2000, 3000, 780]);
}

proptest! {
    /// A run made of holds and ramps gives back its holds, none overlapping, each within its band.
    #[test]
    fn holds_are_found_where_they_were_made(speeds in prop::collection::vec(700.0..4500.0f64, 1..5), seconds in 6.0..15.0f64, wobble in 0.0..20.0f64) {
        let mut text = String::from("time s,pressure kpa,rpm,oil temp c\n");
        let (mut time, mut made, mut last) = (0.0, Vec::new(), 0.0f64);
        for speed in speeds.iter().filter(|s| **s > 0.0) {
            if (speed - last).abs() < 400.0 { continue; }
            made.push(*speed);
            for i in 0..10 { text += &format!("{time:.2},200,{:.1},90\n", last + (speed - last) * f64::from(i) / 10.0); time += 0.2; }
            for i in 0..(seconds / 0.2) as i32 { text += &format!("{time:.2},200,{:.1},90\n", speed + wobble * f64::from(i % 3 - 1)); time += 0.2; }
            last = *speed;
        }
        let table = table(text.as_bytes()).unwrap();
        let capture = read(&table, &guess(&table.header).unwrap()).unwrap();
        let found = holds(&capture);
        prop_assert_eq!(found.len(), made.len());
        for (hold, speed) in found.iter().zip(&made) {
            prop_assert!((hold.rpm - speed).abs() < 40.0 && hold.to_s - hold.from_s >= 5.0);
        }
        prop_assert!(found.windows(2).all(|w| w[0].to_s < w[1].from_s));
    }

    #[test]
    fn units_survive_a_round_trip(kpa in 0.0..2500.0f64) {
        for unit in Pressure::ALL {
            let typed = format!("{}", kpa / unit.kpa());
            prop_assert!((field::PRESSURE.parse_pressure(&typed, unit).unwrap() - kpa).abs() < 1e-6);
            prop_assert_eq!(Pressure::parse(unit.label()), Some(unit));
        }
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        if let Ok(table) = table(&bytes) {
            prop_assert!(!table.rows.is_empty());
            let _ = guess(&table.header).map(|mapping| read(&table, &mapping).map(|capture| holds(&capture)));
        }
    }
}

#[test]
fn every_field_says_what_is_wrong_and_what_is_right() {
    let told: Vec<String> = ["", "abc", "-50", "9000", "NaN", "inf", "1e999"]
        .iter()
        .map(|typed| field::OIL_TEMP.parse(typed).map_or_else(|e| e.to_string(), |v| v.to_string()))
        .collect();
    insta::assert_snapshot!(told.join("\n"));
    assert_eq!(field::OIL_TEMP.parse(" 98,5 "), Ok(98.5));
    // A lone comma with three digits after it: asked back where both fit, taken as the one that fits, and plain where nobody parts thousands so.
    for (field, typed, value) in [
        (&field::RPM, "1,500", None),
        (&field::RPM, "1 500", Some(1500.0)),
        (&field::ODOMETER, "1\u{202f}182\u{a0}400", Some(1_182_400.0)),
        (&field::PRESSURE, "2,350", None),
        (&field::RPM, "1,50", Some(1.5)),
        (&field::RPM, "0,500", Some(0.5)),
        (&field::RPM, "1500,000", Some(1500.0)),
        (&field::IDLE, "1,500", Some(1500.0)),
        (&field::OIL_TEMP, "98,500", Some(98.5)),
        (&field::DISPLACEMENT, "1,998", Some(1.998)),
    ] {
        match value {
            Some(value) => assert_eq!(field.parse(typed), Ok(value), "{typed}"),
            None => assert!(field.parse(typed).unwrap_err().to_string().contains("may be"), "{typed}"),
        }
    }
    for odd in ["182 40", "1 5 0 0", "1  500", " 1 500 rpm"] {
        assert!(field::ODOMETER.parse(odd).unwrap_err().to_string().contains("is not a number"), "{odd}");
    }
    assert_eq!(field::PRESSURE.parse_pressure("2,350", velvet_dial_core::unit::Pressure::Bar), Ok(235.0));
    for field in field::ALL {
        assert!(field.parse(&field.min.to_string()).is_ok() && field.parse(&field.max.to_string()).is_ok(), "{}", field.key);
        assert!(field.hold(field.min - 1.0).is_err() && field.hold(field.max + 1.0).is_err() && field.hold(f64::NAN).is_err());
    }
}
