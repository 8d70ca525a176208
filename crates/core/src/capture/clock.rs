//! Times as recorders write them: a number, a clock, a date with a clock.
use super::number::number;
use chrono::NaiveDate;

/// How a column writes its times.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Style {
    /// A number of some unit.
    Number,
    /// Hours, minutes and seconds, or minutes and seconds.
    Clock,
    /// A day with its clock.
    Moment,
}

const DAY_S: f64 = 86_400.0;

/// How a cell writes a time; none when it is no time.
pub(super) fn style(cell: &[u8]) -> Option<Style> {
    if number(cell, false).is_some() {
        return Some(Style::Number);
    }
    let text = std::str::from_utf8(cell).ok()?;
    match (date(text).is_some(), clock(text).is_some()) {
        (true, _) => Some(Style::Moment),
        (false, true) => Some(Style::Clock),
        _ => None,
    }
}

/// Seconds that a clock or a moment says, from midnight or from the year nought.
pub(super) fn seconds(cell: &[u8]) -> Option<f64> {
    let text = std::str::from_utf8(cell).ok()?;
    let day = date(text).map_or(0.0, |days| f64::from(days) * DAY_S);
    match clock(text) {
        Some(seconds) => Some(day + seconds),
        None if day > 0.0 && !text.contains(':') => Some(day),
        None => None,
    }
}

/// Parts between spaces and the letter between day and clock.
fn parts(text: &str) -> impl Iterator<Item = &str> {
    text.split([' ', 'T', '\t', '_']).filter(|part| !part.is_empty())
}

fn date(text: &str) -> Option<i32> {
    let part = parts(text).find(|part| !part.contains(':'))?;
    let mut groups = part.split(['-', '.', '/']);
    let (a, b, c) = (groups.next()?, groups.next()?, groups.next()?);
    if groups.next().is_some() || a.is_empty() {
        return None;
    }
    let value = |group: &str| group.parse::<i32>().ok();
    let (a_value, b_value, c_value) = (value(a)?, value(b)?, value(c)?);
    // Day before month, unless it can only be the other way: either gives the same seconds within one run.
    let (year, month, day) = match (a.len() == 4, b_value > 12) {
        (true, _) => (a_value, b_value, c_value),
        (false, true) => (c_value, a_value, b_value),
        (false, false) => (c_value, b_value, a_value),
    };
    let year = if (0..100).contains(&year) { 2000 + year } else { year };
    use chrono::Datelike;
    NaiveDate::from_ymd_opt(year, month.try_into().ok()?, day.try_into().ok()?).map(|day| day.num_days_from_ce())
}

fn clock(text: &str) -> Option<f64> {
    let part = parts(text).find(|part| part.contains(':'))?;
    let part = part.trim_end_matches('Z').split('+').next()?;
    let mut places = [0.0; 3];
    let mut count = 0;
    for group in part.split(':') {
        let place = places.get_mut(count)?;
        *place = number(group.as_bytes(), false).filter(|value| *value >= 0.0)?;
        count += 1;
    }
    let [first, second, third] = places;
    // Recorders that round write sixty seconds.
    if count < 2 || second > 60.0 || third > 60.0 {
        return None;
    }
    let lower = text.to_ascii_lowercase();
    let half = match (lower.ends_with("pm"), lower.ends_with("am"), first) {
        (true, _, hour) if hour < 12.0 => 12.0,
        (_, true, 12.0) => -12.0,
        _ => 0.0,
    };
    Some(if count == 2 { 60.0 * first + second } else { 3600.0 * (first + half) + 60.0 * second + third })
}

/// A clock that passes midnight goes on.
pub(super) fn unwrap_midnight(times: &mut [f64]) {
    let (mut days, mut last) = (0.0, f64::NEG_INFINITY);
    for time in times.iter_mut().filter(|time| time.is_finite()) {
        if *time + days * DAY_S < last - 0.5 * DAY_S {
            days += 1.0;
        }
        *time += days * DAY_S;
        last = *time;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn clocks_and_days() {
        let at = |text: &str| seconds(text.as_bytes());
        for (text, written, after_midnight) in [
            ("00:00:01.5", Style::Clock, Some(1.5)),
            ("10:02:03,250", Style::Clock, Some(36_123.25)),
            ("02:03.5", Style::Clock, Some(123.5)),
            ("1:00:00 pm", Style::Clock, Some(46_800.0)),
            ("12:00:01 AM", Style::Clock, Some(1.0)),
            ("2026-03-01T10:00:00.125Z", Style::Moment, None),
            ("01.03.2026 10:00:00", Style::Moment, None),
            ("03/25/2026 10:00:00", Style::Moment, None),
            ("12.5", Style::Number, None),
        ] {
            assert_eq!(style(text.as_bytes()), Some(written), "{text}");
            assert!(after_midnight.is_none() || at(text) == after_midnight, "{text}: {:?}", at(text));
        }
        assert_eq!(at("2026-03-01T10:00:00.125Z").zip(at("2026-03-01 10:00:00")).map(|(a, b)| a - b), Some(0.125));
        assert_eq!(at("01.03.2026 10:00:00"), at("2026-03-01T10:00:00+00:00"));
        for none in ["", "x", "25:61:00", "1:2:3:4", "a:b", "99-99-99", "12:", "2026-13-45 x", "2026-03-01 10:00:75"] {
            assert_eq!(at(none), None, "{none}");
        }
        let mut night = [86_398.0, 86_399.0, 0.0, 1.0];
        unwrap_midnight(&mut night);
        assert_eq!(night, [86_398.0, 86_399.0, 86_400.0, 86_401.0]);
    }
}
