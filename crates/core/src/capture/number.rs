//! Numbers as recorders write them.

/// Powers of ten that a double holds exactly.
const EXACT: [f64; 23] =
    [1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22];

/// The number in a cell, its tenths behind a point or a comma; none for anything else. `thousands` takes a comma as parting thousands.
///
/// Up to fifteen digits are read as a whole number over a power of ten, which is exact to the last bit (Clinger 1990, *How to read floating point numbers
/// accurately*); longer ones and powers go to the standard library.
pub(super) fn number(cell: &[u8], thousands: bool) -> Option<f64> {
    let (negative, digits) = match cell {
        [b'-', rest @ ..] => (true, rest),
        [b'+', rest @ ..] => (false, rest),
        rest => (false, rest),
    };
    let (mut whole, mut count, mut after) = (0u64, 0usize, None::<usize>);
    for byte in digits {
        match byte {
            b'0'..=b'9' => {
                whole = whole.wrapping_mul(10).wrapping_add(u64::from(byte - b'0'));
                count += 1;
                if let Some(places) = &mut after {
                    *places += 1;
                }
            }
            b'.' | b',' if after.is_none() && !(thousands && *byte == b',') => after = Some(0),
            _ => return slow(cell, thousands),
        }
    }
    if count == 0 {
        return None;
    }
    let Some(scale) = EXACT.get(after.unwrap_or(0)).filter(|_| count <= 15) else {
        return slow(cell, thousands);
    };
    let value = whole as f64 / scale;
    Some(if negative { -value } else { value })
}

/// The plain number that a line begins with, and how long it is: digits with at most one point, up to the delimiter or the line's end. None for anything that needs a second look.
#[inline]
pub(super) fn leading(line: &[u8], delimiter: u8) -> Option<(f64, usize)> {
    let negative = line.first() == Some(&b'-');
    let start = usize::from(negative);
    let (mut whole, mut places, mut after, mut length) = (0u64, 0usize, false, start);
    for byte in line.get(start..)? {
        let digit = byte.wrapping_sub(b'0');
        if digit < 10 {
            whole = whole.wrapping_mul(10).wrapping_add(u64::from(digit));
            places += usize::from(after);
        } else if *byte == delimiter || *byte == b'\n' || *byte == b'\r' {
            break;
        } else if *byte == b'.' && !after {
            after = true;
        } else {
            return None;
        }
        length += 1;
    }
    let digits = length - start - usize::from(after);
    let value = whole as f64 / EXACT.get(places).filter(|_| (1..=15).contains(&digits))?;
    Some((if negative { -value } else { value }, length))
}

#[cold]
fn slow(cell: &[u8], thousands: bool) -> Option<f64> {
    let text = std::str::from_utf8(cell).ok()?.replace(['−', '–'], "-");
    let text: String = text.chars().filter(|letter| !matches!(letter, ' ' | '\u{a0}' | '\u{202f}' | '\'')).collect();
    // Of a point and a comma the later one stands before the tenths.
    let plain = match (text.rfind('.'), text.rfind(',')) {
        (Some(point), Some(comma)) if comma > point => text.replace('.', "").replace(',', "."),
        (_, Some(_)) if thousands => text.replace(',', ""),
        (Some(_), Some(_)) => text.replace(',', ""),
        (None, Some(_)) => text.replace(',', "."),
        _ => text,
    };
    let numeric = plain.starts_with(|first: char| first.is_ascii_digit() || matches!(first, '-' | '+' | '.'));
    plain.parse::<f64>().ok().filter(|value| numeric && value.is_finite())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn whatever_a_recorder_writes() {
        for (cell, thousands, value) in [
            ("98,5", false, Some(98.5)),
            ("-0.25", false, Some(-0.25)),
            ("+12", false, Some(12.0)),
            (".5", false, Some(0.5)),
            ("7.", false, Some(7.0)),
            ("1,500", false, Some(1.5)),
            ("1,500", true, Some(1500.0)),
            ("1.234,5", false, Some(1234.5)),
            ("1,234.5", false, Some(1234.5)),
            ("12 500", false, Some(12500.0)),
            ("1.2e2", false, Some(120.0)),
            ("−3", false, Some(-3.0)),
            ("0.12345678901234567890", false, Some(0.123_456_789_012_345_68)),
            ("", false, None),
            ("-", false, None),
            (".", false, None),
            ("1.2.3", false, None),
            ("inf", false, None),
            ("NaN", false, None),
            ("OL", false, None),
            ("12bar", false, None),
        ] {
            assert_eq!(number(cell.as_bytes(), thousands), value, "{cell}");
        }
    }

    proptest! {
        /// Where it stands, it is the same number, and ends at the delimiter.
        #[test]
        fn a_leading_number_is_the_number(value in -1e7..1e7f64, places in 0usize..6, rest in "[;,x ]{0,3}") {
            let cell = format!("{value:.places$}");
            let line = format!("{cell};{rest}");
            prop_assert_eq!(leading(line.as_bytes(), b';'), number(cell.as_bytes(), false).map(|value| (value, cell.len())));
            prop_assert_eq!(leading(cell.as_bytes(), b';').map(|(_, length)| length), Some(cell.len()));
        }

        /// To the last bit what the standard library reads.
        #[test]
        fn to_the_last_bit(value in any::<f64>(), places in 0usize..12) {
            let short = format!("{value:.places$}");
            prop_assert_eq!(number(short.as_bytes(), false), short.parse::<f64>().ok().filter(|value| value.is_finite()));
            let small = format!("{:.places$}", value % 1e6);
            prop_assert_eq!(number(small.as_bytes(), false), small.parse::<f64>().ok().filter(|value| value.is_finite()));
        }

        #[test]
        fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..40)) {
            prop_assert!(number(&bytes, false).is_none_or(f64::is_finite));
        }
    }
}
