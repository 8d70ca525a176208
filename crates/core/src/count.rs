//! Numbers with the thing they count, singular or plural.

/// "no jobs", "1 job", "2 jobs". The plural takes an s unless it is given after a bar: "journal", "entry|entries".
///
/// ```
/// # use velvet_dial_core::count::count;
/// assert_eq!(count(0, "job"), "no jobs");
/// assert_eq!(count(1, "entry|entries"), "1 entry");
/// assert_eq!(count(12, "entry|entries"), "12 entries");
/// ```
pub fn count(number: usize, thing: &str) -> String {
    let (one, many) = thing.split_once('|').map_or_else(|| (thing, format!("{thing}s")), |(one, many)| (one, many.to_owned()));
    match number {
        0 => format!("no {many}"),
        1 => format!("1 {one}"),
        more => format!("{more} {many}"),
    }
}

/// "not opened", "once", "twice", "5 times".
pub fn times(number: usize) -> String {
    match number {
        0 => "never".to_owned(),
        1 => "once".to_owned(),
        2 => "twice".to_owned(),
        more => format!("{more} times"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn none_one_two_and_many_read_as_a_person_says_them() {
        let said = |number| (count(number, "reading"), count(number, "entry|entries"), times(number));
        let own = |a: &str, b: &str, c: &str| (a.to_owned(), b.to_owned(), c.to_owned());
        assert_eq!(said(0), own("no readings", "no entries", "never"));
        assert_eq!(said(1), own("1 reading", "1 entry", "once"));
        assert_eq!(said(2), own("2 readings", "2 entries", "twice"));
        assert_eq!(said(1200), own("1200 readings", "1200 entries", "1200 times"));
    }
}
