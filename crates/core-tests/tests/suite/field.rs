//! What may be typed: what is wrong is said, what would be right beside it.
use proptest::prelude::*;
use velvet_dial_core::field;
use velvet_dial_core::unit::{Pressure, Temperature, Units};

proptest! {
    #[test]
    fn units_survive_a_round_trip(kpa in 0.0..2500.0f64) {
        for unit in Pressure::ALL {
            // A few kPa with a tenth are asked back: they look like bar.
            let said = if unit == Pressure::Kpa && kpa < 12.0 { " kPa" } else { "" };
            let typed = format!("{}{said}", kpa / unit.kpa());
            prop_assert!((field::PRESSURE.parse_pressure(&typed, unit).unwrap() - kpa).abs() < 1e-6);
            prop_assert_eq!(Pressure::parse(unit.label()), Some(unit));
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

/// A figure may carry its unit, whatever the switch says; a unit of something else is no number.
#[test]
fn every_figure_may_carry_its_unit() {
    for (field, typed, value) in [
        (&field::OIL_TEMP, "212 °F", Some(100.0)),
        (&field::OIL_TEMP, "98,5C", Some(98.5)),
        (&field::RPM, "780 rpm", Some(780.0)),
        (&field::RPM, "1 500 /min", Some(1500.0)),
        (&field::PRESSURE, "1,2 bar", Some(120.0)),
        (&field::PRESSURE, "20psi", Some(137.895_145_86)),
        (&field::ZERO, "-0.1 bar", Some(-10.0)),
        (&field::THREAD_DIAMETER, "0.405 in", Some(10.287)),
        (&field::THREAD_DIAMETER, "10.3 mm", Some(10.3)),
        (&field::ODOMETER, "100 miles", Some(160.9344)),
        (&field::HOLD, "2 min", Some(120.0)),
        (&field::SUMP_OFF, "2 h", Some(120.0)),
        (&field::DISPLACEMENT, "1998 cc", Some(1.998)),
        (&field::SHARE, "40 %", Some(0.4)),
        (&field::CLASS, "1.6 %", Some(1.6)),
        (&field::VOLTS, "500 mV", Some(0.5)),
        (&field::CYLINDERS, "4 bar", None),
        (&field::PRESSURE, "3 rpm", None),
        (&field::RPM, "12 bar", None),
        (&field::OIL_TEMP, "9 K9", None),
    ] {
        let read = field.parse(typed);
        match value {
            Some(value) => assert!(read.as_ref().is_ok_and(|read| (read - value).abs() < 1e-9), "{typed}: {read:?}"),
            None => assert!(read.is_err_and(|error| error.to_string().contains("is not a number")), "{typed}"),
        }
    }
    // The unit behind the number wins over the one that is liked, and the range is held in both.
    assert_eq!(field::PRESSURE.parse_pressure("1,2 bar", Pressure::Psi), Ok(120.0));
    let bare = field::PRESSURE.parse_pressure("4,2", Pressure::Kpa).unwrap_err().to_string();
    assert!(bare.contains("“4,2 bar”") && bare.contains("“4,2 kPa”"), "{bare}");
    for (typed, kpa) in [("4,2 kPa", 4.2), ("4,2 bar", 420.0), ("4", 4.0), ("0", 0.0), ("12,5", 12.5)] {
        assert_eq!(field::PRESSURE.parse_pressure(typed, Pressure::Kpa), Ok(kpa), "{typed}");
    }
    assert_eq!(field::SPREAD.parse_pressure("4,2", Pressure::Kpa), Ok(4.2), "a needle may well move so little");
    assert!(field::PRESSURE.parse_pressure("30 bar", Pressure::Kpa).is_err_and(|error| error.to_string().contains("too high")));
}

proptest! {
    /// A tenth of a degree shown in °F and typed back is the same tenth; a unit behind the figure goes before the switch; the range is told in the unit that is liked.
    #[test]
    fn temperatures_survive_a_round_trip(tenths in -199..1499i32) {
        let temp_c = f64::from(tenths) / 10.0;
        for (unit, id, label) in Temperature::ALL {
            let shown = format!("{:.2}", unit.of_c(temp_c));
            let back = field::OIL_TEMP.parse_temp(&shown, *unit).unwrap();
            prop_assert!((back - temp_c).abs() < 0.01, "{shown} {label}: {back}");
            prop_assert_eq!(field::OIL_TEMP.parse_temp(&format!("{shown} {label}"), Temperature::Celsius), Ok(back));
            let wrong = field::OIL_TEMP.parse_temp("9000", *unit).unwrap_err().to_string();
            prop_assert!(wrong.contains(label) && wrong.contains("too high"), "{}", wrong);
            let units = Units { pressure: Pressure::Psi, temperature: *unit };
            prop_assert_eq!(Units::parse(&units.sent()), Some(units));
            prop_assert!(units.sent().ends_with(id) && units.temp(temp_c).ends_with(label));
        }
    }
}
