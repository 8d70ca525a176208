//! The library as a file: what goes out comes in, every bad row is told, and nothing that stands is changed.
#![expect(clippy::indexing_slicing, reason = "what is made here is as long as it is made")]
use proptest::prelude::*;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::library_import::{ImportError, LibraryEngine, Step, overridden, plan, questions, read, to_csv, to_json};
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::unit::{Gear, Pressure, Temperature, Units};

const UNITS: Units = Units { pressure: Pressure::Kpa, temperature: Temperature::Celsius };

fn sheets() -> impl Strategy<Value = Vec<Sheet>> {
    let point = (3u32..60, 20u32..130, 0u32..2, 1u32..400, 1u32..400).prop_map(|(rpm, temp, gear, least, more)| Point {
        rpm: f64::from(rpm) * 100.0,
        oil_temp_c: f64::from(temp),
        gear: if gear == 0 { Gear::Neutral } else { Gear::Drive },
        min_kpa: Some(f64::from(least)),
        max_kpa: (more % 2 == 0).then(|| f64::from(least + more)),
    });
    let sheet = (0usize..3, prop::collection::vec(point, 1..5)).prop_map(|(place, mut points)| {
        points.sort_by(|a, b| a.rpm.total_cmp(&b.rpm));
        points.dedup();
        let days = [None, "2021-05-01".parse().ok(), "2025-03-01".parse().ok()];
        // What a cell may hold: commas, quotes, semicolons.
        let sources = ["", "sheet 12, rev \"C\"", "blatt; eins"];
        Sheet { source: sources[place].to_owned(), in_force_from: days[place], points, ..Sheet::default() }
    });
    prop::collection::vec(sheet, 0..3).prop_map(|mut sheets| {
        sheets.dedup_by_key(|sheet| sheet.in_force_from);
        sheets.sort_by_key(|sheet| sheet.in_force_from);
        sheets.dedup_by_key(|sheet| sheet.in_force_from);
        sheets
    })
}

proptest! {
    /// CSV and JSON come back as what they were, and taken in where they stand already they add nothing.
    #[test]
    fn what_goes_out_comes_in_again(all in prop::collection::vec(sheets(), 1..4)) {
        let shelf: Vec<LibraryEngine> = all
            .into_iter()
            .enumerate()
            .map(|(place, sheets)| LibraryEngine { name: format!("Engine {place}, “old”"), card: Card::of(1.2 + place as f64, 4, 800.0, "5W-30"), sheets })
            .collect();
        for bytes in [to_csv(&shelf).unwrap(), to_json(&shelf).into_bytes()] {
            let back = read(&bytes).unwrap();
            prop_assert!(back.bad.is_empty(), "{:?}", back.bad);
            let again = |sheets: &[Sheet]| { let mut sheets = sheets.to_vec(); sheets.sort_by_key(|sheet| sheet.in_force_from); sheets };
            for (was, is) in shelf.iter().zip(&back.engines) {
                prop_assert_eq!((&was.name, &was.card, again(&was.sheets)), (&is.name, &is.card, again(&is.sheets)));
            }
            prop_assert!(plan(&back, &shelf, UNITS).iter().all(|step| matches!(step, Step::Same(_))));
            prop_assert_eq!(plan(&back, &[], UNITS).len(), shelf.len());
        }
    }
}

/// Ten kinds of bad rows, each told at its row with what would be right; the good ones around them are taken.
/// A sheet in bar where kPa are meant is questioned as a form questions it; what the library has already is not asked again.
#[test]
fn a_sheet_in_another_unit_is_questioned() {
    let of = |min_kpa: f64| {
        let point = Point { rpm: 800.0, oil_temp_c: 100.0, gear: Gear::Neutral, min_kpa: Some(min_kpa), max_kpa: None };
        let sheet = Sheet { source: "sheet 3".to_owned(), points: vec![point], ..Sheet::default() };
        LibraryEngine { name: "Heron".to_owned(), card: Card::of(1.9, 4, 800.0, "5W-30"), sheets: vec![sheet] }
    };
    let asked =
        |min_kpa: f64, stands: &[LibraryEngine]| questions(&plan(&read(to_json(&[of(min_kpa)]).as_bytes()).unwrap(), stands, UNITS), UNITS);
    assert!(asked(90.0, &[]).is_empty());
    assert!(asked(0.9, &[])[0].starts_with("Heron, “sheet 3”: 0.9 kPa as the least at 800 rpm is far from what sheets ask there"));
    assert!(asked(0.9, &[of(0.9)]).is_empty());
    assert_eq!(asked(0.9, &[of(90.0)]).len(), 1, "a revision is asked like an engine");
}

/// A sheet with the first day of one that is here takes its place: what would be different is said first. With another day it is only added.
#[test]
fn a_sheet_that_replaces_another_says_what_is_different() {
    let of = |day: &str, limits: &[(f64, f64)]| {
        let point = |&(rpm, least)| Point { rpm, oil_temp_c: 100.0, gear: Gear::Neutral, min_kpa: Some(least), max_kpa: None };
        let sheet = Sheet {
            source: "sheet 3".to_owned(),
            in_force_from: day.parse().ok(),
            points: limits.iter().map(point).collect(),
            ..Sheet::default()
        };
        LibraryEngine { name: "Heron".to_owned(), card: Card::of(1.9, 4, 800.0, "5W-30"), sheets: vec![sheet] }
    };
    let here = of("2024-01-01", &[(800.0, 90.0), (2000.0, 250.0), (3000.0, 300.0)]);
    let said = |file: LibraryEngine| overridden(&plan(&read(to_json(&[file]).as_bytes()).unwrap(), std::slice::from_ref(&here), UNITS));
    assert_eq!(
        said(of("2024-01-01", &[(800.0, 60.0), (3000.0, 300.0)])),
        [
            "Heron, “sheet 3”: it replaces the sheet in force from 2024-01-01, the same source: 3 points here, 2 points in the file",
            "Heron, “sheet 3”: 800 rpm at 100 °C: at least 90 kPa here, at least 60 kPa in the file",
            "Heron, “sheet 3”: 2000 rpm at 100 °C: at least 250 kPa here, no point in the file",
        ]
    );
    assert!(said(of("2025-01-01", &[(800.0, 60.0)])).is_empty() && said(here.clone()).is_empty());
}

#[test]
fn every_bad_row_is_told_and_the_others_are_taken() {
    let head = "engine;displacement_l;cylinders;idle_rpm;oil_grade;source;in_force_from;rpm;oil_temp_c;gear;min_kpa;max_kpa";
    let rows = [
        ("Tern 1.6;1,6;4;800;5W-30;sheet 1;2024-01-01;800;100;;100;", None),
        (";1.6;4;800;5W-30;;;800;100;;100;", Some("Every row names its engine")),
        ("Gull;;4;800;5W-30;;;800;100;;100;", Some("The first row of an engine needs it")),
        ("Gull;many;4;800;5W-30;;;800;100;;100;", Some("many")),
        ("Gull;1.6;4.5;800;5W-30;;;800;100;;100;", Some("a whole number")),
        ("Gull;1.6;4;800;99W-1;;;800;100;;100;", Some("99W-1")),
        ("Tern 1.6;1.8;4;800;5W-30;sheet 1;2024-01-01;2000;100;;200;", Some("another than in the engine's first row")),
        ("Tern 1.6;;;;;sheet 1;01.03.2024;2000;100;;200;", Some("write year-month-day")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;2000;100;reverse;200;", Some("neutral or drive")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;2000;100;;;", Some("needs a least or a most")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;2000;100;;300;200", Some("is more than the most")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;800;100;;100;", Some("is in the file already")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;;100;;200;", Some("without a speed")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;2000;100;;lots;", Some("lots")),
        ("Tern 1.6;;;;;sheet 1;2024-01-01;2500;100;drive;220;560", None),
    ];
    let text = format!("\u{feff}{head}\n{}\n", rows.map(|(row, _)| row).join("\n"));
    let told = read(text.as_bytes()).unwrap();
    let mut bad = told.bad.iter();
    for (place, (row, why)) in rows.iter().enumerate() {
        let Some(why) = why else { continue };
        let one = bad.next().unwrap();
        assert_eq!(one.row, place + 2, "{row}: {}", one.why);
        assert!(one.why.contains(why), "{row}: {}", one.why);
    }
    assert!(bad.next().is_none());
    assert_eq!(told.engines.len(), 1);
    assert_eq!(told.engines[0].sheets[0].points.len(), 2, "{:?}", told.engines[0]);
    // A card that differs is told and left; a revision of a known engine is added.
    let stands = [LibraryEngine { name: "TERN 1.6".to_owned(), card: Card::of(1.6, 4, 850.0, "5W-30"), sheets: Vec::new() }];
    assert!(matches!(plan(&told, &stands, UNITS).as_slice(), [Step::OtherCard(_), Step::Revision(_)]));
    for (bytes, wrong) in [
        (b"engine,rpm\nx,1\n".to_vec(), ImportError::Column("displacement_l")),
        (vec![0xff, 0xfe, 0x41], ImportError::NotText),
        (vec![b' '; (4 << 20) + 1], ImportError::TooLarge),
    ] {
        assert_eq!(read(&bytes), Err(wrong));
    }
    assert!(matches!(read(br#"{ "format": "other/1", "engines": [] }"#), Err(ImportError::Json(why)) if why.contains("other/1")));
}
