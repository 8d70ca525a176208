//! How numbers and moments are written on a screen.
use chrono::NaiveDateTime;
use velvet_dial_core::case::{Reading, Shows};
use velvet_dial_core::limits::COVERAGE;
pub use velvet_dial_core::unit::percent;
use velvet_dial_core::unit::{Pressure, Units};
use velvet_dial_store::zone::Zone;

/// A pressure with its unit.
pub fn pressure(kpa: f64, unit: Units) -> String {
    unit.with_unit(kpa)
}

/// What a needle said: a value, or that it stood under its first mark or against its stop.
pub fn read(reading: &Reading, unit: Units) -> String {
    let said = pressure(reading.kpa, unit);
    match reading.shown() {
        _ if reading.shows == Some(Shows::LampOn) => format!("lamp on, under {said}"),
        _ if reading.shows == Some(Shows::LampOut) => format!("lamp out, over {said}"),
        Shows::UnderFirstMark => format!("under {said}"),
        Shows::Pegged => format!("over {said}"),
        Shows::Value | Shows::LampOn | Shows::LampOut => said,
    }
}

/// An uncertainty as “plus or minus”, as wide as the verdict goes by.
pub fn plus_minus(u_kpa: f64, unit: Units) -> String {
    let wide = COVERAGE * u_kpa / unit.kpa();
    let text = match unit.pressure {
        Pressure::Bar => format!("{wide:.2}"),
        Pressure::Kpa | Pressure::Psi => format!("{:.0}", wide.ceil()),
    };
    format!("± {text} {}", unit.label())
}

/// Minutes of work.
pub fn minutes(minutes: f64) -> String {
    let whole = minutes.round() as i64;
    match (whole / 60, whole % 60) {
        (0, m) => format!("{m} min"),
        (h, 0) => format!("{h} h"),
        (h, m) => format!("{h} h {m} min"),
    }
}

/// Minutes that are only expected: as fine as anybody can say.
pub fn roughly(minutes_expected: f64) -> String {
    let step = match minutes_expected {
        m if m < 10.0 => 1.0,
        m if m < 60.0 => 5.0,
        m if m < 180.0 => 15.0,
        _ => 60.0,
    };
    minutes((minutes_expected / step).round() * step)
}

/// A moment by the shop's clock, for a screen of the shop.
pub fn moment(at: NaiveDateTime, zone: &Zone) -> String {
    zone.wall(at).format("%-d %b %H:%M").to_string()
}

/// A moment by the shop's clock with its year, for what leaves the shop.
pub fn moment_with_year(at: NaiveDateTime, zone: &Zone) -> String {
    zone.wall(at).format("%-d %b %Y %H:%M").to_string()
}

/// A day by the shop's clock.
pub fn day(at: NaiveDateTime, zone: &Zone) -> String {
    zone.wall(at).format("%-d %B %Y").to_string()
}

/// A path for a query string.
pub fn query_escape(path: &str) -> String {
    path.bytes()
        .map(|byte| match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'-' | b'_' | b'.' => char::from(byte).to_string(),
            _ => format!("%{byte:02X}"),
        })
        .collect()
}

/// A pressure as it is typed in a unit: as fine as to come back as the same hundredth of a kPa.
pub fn typed(kpa: f64, unit: Units) -> String {
    let text = format!("{:.4}", kpa / unit.kpa());
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// A number as it is typed: no more digits than it has.
pub fn plain(value: f64) -> String {
    let text = format!("{value:.2}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// Two words are the same, however many references a template puts before them.
pub fn same(a: &str, b: &str) -> bool {
    a == b
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_written_as_the_trade_reads_them() {
        for (shown, told) in [
            (percent(0.004), "< 1 %"),
            (percent(0.334), "33 %"),
            (percent(0.9951), "> 99 %"),
            (pressure(62.0, Pressure::Kpa.into()), "62 kPa"),
            (minutes(12.4), "12 min"),
            (minutes(60.0), "1 h"),
            (minutes(95.0), "1 h 35 min"),
            (plus_minus(10.4, Pressure::Kpa.into()), "± 18 kPa"),
            (plus_minus(10.4, Pressure::Bar.into()), "± 0.17 bar"),
            (plain(2.50), "2.5"),
            (plain(780.0), "780"),
            (plain(0.126), "0.13"),
            (query_escape("/jobs/9?a=b&c"), "/jobs/9%3Fa%3Db%26c"),
        ] {
            assert_eq!(shown, told);
        }
    }

    /// What a form shows of a kept pressure is the same hundredth of a kPa when it comes back, in every unit.
    #[test]
    fn a_pressure_survives_its_form() {
        for unit in Pressure::ALL {
            for hundredths in (0..250_000u32).step_by(37) {
                let kpa = f64::from(hundredths) / 100.0;
                let back = typed(kpa, unit.into()).parse::<f64>().map(|value| (100.0 * value * unit.kpa()).round() / 100.0);
                assert_eq!(back, Ok(kpa), "{kpa} kPa in {}", unit.label());
            }
        }
    }

    #[test]
    fn moments_go_by_the_shops_clock_and_leave_it_with_their_year() {
        let at: NaiveDateTime = "2026-03-29T00:59:30".parse().unwrap_or_default();
        let later = at + chrono::TimeDelta::minutes(1);
        // The night the clocks go forward: a minute later it is an hour and a minute later on the wall.
        for (zone, first, second) in [
            ("UTC", "29 Mar 00:59", "29 Mar 01:00"),
            ("Europe/Lisbon", "29 Mar 00:59", "29 Mar 02:00"),
            ("Pacific/Auckland", "29 Mar 13:59", "29 Mar 14:00"),
            ("America/Anchorage", "28 Mar 16:59", "28 Mar 17:00"),
        ] {
            let zone = Zone::named(zone).unwrap_or_default();
            assert_eq!((moment(at, &zone), moment(later, &zone)), (first.to_owned(), second.to_owned()), "{}", zone.name());
        }
        let auckland = Zone::named("Pacific/Auckland").unwrap_or_default();
        let new_year: NaiveDateTime = "2026-12-31T12:00:00".parse().unwrap_or_default();
        assert_eq!(
            (day(new_year, &auckland), moment_with_year(new_year, &auckland)),
            ("1 January 2027".to_owned(), "1 Jan 2027 01:00".to_owned())
        );
        assert_eq!(auckland.day(new_year).to_string(), "2027-01-01");
    }
}
