//! How numbers and moments are written on a screen.
use chrono::NaiveDateTime;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::zone::Zone;

/// Odds as percent.
pub fn percent(p: f64) -> String {
    if p < 0.01 {
        "< 1 %".to_owned()
    } else if p > 0.99 {
        "> 99 %".to_owned()
    } else {
        format!("{:.0} %", 100.0 * p)
    }
}

/// A pressure with its unit.
pub fn pressure(kpa: f64, unit: Pressure) -> String {
    format!("{} {}", unit.show(kpa), unit.label())
}

/// A doubt: twice the standard uncertainty, as the trade reads “plus or minus”.
pub fn plus_minus(u_kpa: f64, unit: Pressure) -> String {
    let wide = 2.0 * u_kpa / unit.kpa();
    let text = match unit {
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
pub fn typed(kpa: f64, unit: Pressure) -> String {
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
