//! A file cut open: its text, what parts its cells, the recorder's own header rows, the names, the units, and where the numbers begin.
use super::CaptureError;
use super::clock::{Style, style};
use super::number::number;
use std::borrow::Cow;

/// Largest file taken, bytes.
pub const MOST_BYTES: usize = 64 << 20;
/// Most rows of a recorded run: over an hour at a thousand samples a second.
pub const MOST_ROWS: usize = 4_000_000;
/// Most columns of a recorded run.
pub const MOST_COLUMNS: usize = 64;
/// Lines looked at to understand a file.
const LOOKED_AT: usize = 400;
/// Longest line that is looked at, bytes.
const MOST_LINE: usize = 64 << 10;
/// Longest stretch of header rows before the names.
const MOST_HEADER_LINES: usize = 200;

/// A file understood so far that its cells can be read.
#[derive(Debug, Clone, PartialEq)]
pub struct Table<'a> {
    /// All of it, as text a byte a letter where it is numbers.
    pub(super) bytes: Cow<'a, [u8]>,
    /// What parts the cells; a space stands for any run of spaces.
    pub(super) delimiter: u8,
    /// Where the first row of numbers begins, and its line, the first being 1.
    pub(super) start: usize,
    pub(super) first_line: u64,
    /// Names of the columns.
    pub header: Vec<String>,
    /// Units in a row under the names; empty where there is none.
    pub units: Vec<String>,
    /// Cells of the first row.
    pub first: Vec<String>,
    /// How each column writes time, where it does.
    pub(super) styles: Vec<Option<Style>>,
    /// Columns whose commas part thousands.
    pub(super) thousands: Vec<bool>,
    /// The recorder's own header rows.
    pub said: Vec<String>,
}

/// Text of a few bytes, whatever wrote them: UTF-8, else a byte a letter as Western recorders do.
fn text(bytes: &[u8]) -> String {
    match std::str::from_utf8(bytes) {
        Ok(text) => text.to_owned(),
        Err(_) => bytes.iter().map(|byte| char::from(*byte)).collect(),
    }
}

/// One byte a letter: two bytes a letter, as some export, are made one.
fn narrowed(bytes: &[u8]) -> Cow<'_, [u8]> {
    let pairs = |bytes: &[u8], of: fn([u8; 2]) -> u16| {
        let units: Vec<u16> = bytes.as_chunks::<2>().0.iter().map(|pair| of(*pair)).collect();
        Cow::Owned(String::from_utf16_lossy(&units).into_bytes())
    };
    match bytes {
        [0xff, 0xfe, rest @ ..] => pairs(rest, u16::from_le_bytes),
        [0xfe, 0xff, rest @ ..] => pairs(rest, u16::from_be_bytes),
        [0xef, 0xbb, 0xbf, rest @ ..] => Cow::Borrowed(rest),
        _ => Cow::Borrowed(bytes),
    }
}

/// The cells of a line.
pub(super) fn cells(line: &[u8], delimiter: u8) -> Vec<&[u8]> {
    let line = line.trim_ascii();
    if delimiter == b' ' {
        return line.split(u8::is_ascii_whitespace).filter(|cell| !cell.is_empty()).collect();
    }
    let mut cells = Vec::new();
    let (mut start, mut quoted) = (0, false);
    for (at, byte) in line.iter().enumerate() {
        match byte {
            b'"' => quoted = !quoted,
            byte if *byte == delimiter && !quoted => {
                cells.push(bare(line.get(start..at).unwrap_or_default()));
                start = at + 1;
            }
            _ => {}
        }
    }
    cells.push(bare(line.get(start..).unwrap_or_default()));
    cells
}

/// A cell without the spaces and quotation marks round it.
pub(super) fn bare(cell: &[u8]) -> &[u8] {
    let cell = cell.trim_ascii();
    cell.strip_prefix(b"\"").and_then(|cell| cell.strip_suffix(b"\"")).unwrap_or(cell).trim_ascii()
}

fn says_a_number(cell: &[u8]) -> bool {
    style(cell).is_some()
}

/// Cuts a file open.
///
/// # Errors
/// [`CaptureError`] for what is empty, too large, no text, too wide, or has no rows of numbers.
pub fn table(bytes: &[u8]) -> Result<Table<'_>, CaptureError> {
    if bytes.len() > MOST_BYTES {
        return Err(CaptureError::TooLarge);
    }
    let bytes = narrowed(bytes);
    if bytes.iter().all(u8::is_ascii_whitespace) {
        return Err(CaptureError::Empty);
    }
    let rows = memchr::memchr_iter(b'\n', &bytes).count();
    if rows > MOST_ROWS {
        return Err(CaptureError::TooLong(rows));
    }
    let start = bytes.get(..bytes.len().min(4096)).unwrap_or(&bytes);
    let odd = start.iter().filter(|byte| byte.is_ascii_control() && !byte.is_ascii_whitespace()).count();
    if start.contains(&0) || odd * 50 > start.len() {
        return Err(CaptureError::NotText);
    }
    let mut lines: Vec<(usize, &[u8])> = Vec::new();
    let mut at = 0;
    for line in bytes.split(|byte| *byte == b'\n').take(MOST_HEADER_LINES + LOOKED_AT) {
        if line.len() > MOST_LINE {
            return Err(CaptureError::LongLine { line: lines.len() as u64 + 1 });
        }
        lines.push((at, line));
        at += line.len() + 1;
    }
    let (delimiter, count) = parted_by(&lines)?;
    if count > MOST_COLUMNS {
        return Err(CaptureError::TooWide(count));
    }
    let rows: Vec<Vec<&[u8]>> = lines.iter().map(|(_, line)| cells(line, delimiter)).collect();
    let numeric = |row: &Vec<&[u8]>| {
        let numbers = row.iter().filter(|cell| says_a_number(cell)).count();
        row.len() == count && numbers >= 1 && 2 * numbers >= row.iter().filter(|cell| !cell.is_empty()).count()
    };
    // Two rows of numbers running: a header row may hold a number, and even be as wide.
    let first = (0..rows.len())
        .find(|i| {
            rows.get(*i).is_some_and(numeric) && rows.get(i + 1).is_none_or(|next| numeric(next) || next.iter().all(|cell| cell.is_empty()))
        })
        .ok_or(CaptureError::NoRows)?;
    let first_row = rows.get(first).map(Vec::as_slice).unwrap_or_default();
    let named = |i: usize| rows.get(i).filter(|row| row.len() >= count.saturating_sub(1).max(1) && row.iter().any(|cell| !cell.is_empty()));
    let wide = |row: &[&[u8]]| {
        row.len() >= count.saturating_sub(1) && (count == 1 || row.iter().filter(|cell| !cell.is_empty()).count() * 2 > count)
    };
    let above: Vec<usize> = (0..first).rev().filter(|i| named(*i).is_some()).take(2).collect();
    let words = |i: usize| -> Vec<String> {
        let mut words: Vec<String> =
            rows.get(i).into_iter().flatten().map(|cell| text(cell).trim_start_matches('#').trim().to_owned()).collect();
        words.resize(count, String::new());
        words
    };
    let (header, units, names_line) = match above.as_slice() {
        [row, over, ..] if is_units(&words(*row)) && rows.get(*over).is_some_and(|row| wide(row)) => (words(*over), words(*row), *over),
        [row, ..] if rows.get(*row).is_some_and(|row| wide(row)) => (words(*row), Vec::new(), *row),
        _ => ((1..=count).map(|number| format!("column {number}")).collect(), Vec::new(), first),
    };
    let said = lines.iter().take(names_line).map(|(_, line)| text(line.trim_ascii())).filter(|line| !line.is_empty()).collect();
    let styles = (0..count).map(|at| rows.iter().skip(first).find_map(|row| row.get(at).and_then(|cell| style(cell)))).collect();
    let (start, first_line) = (lines.get(first).map_or(0, |(at, _)| *at), first as u64 + 1);
    let spread = spread(bytes.get(start..).unwrap_or_default(), delimiter);
    let thousands = (0..count).map(|at| parts_thousands(spread.iter().filter_map(|row| row.get(at).copied()))).collect();
    let first = first_row.iter().map(|cell| text(cell)).collect();
    Ok(Table { delimiter, start, first_line, header, units, first, styles, thousands, said, bytes: bytes.clone() })
}

/// What parts the cells: that by which most rows have the same number of cells, and most of those are numbers.
fn parted_by(lines: &[(usize, &[u8])]) -> Result<(u8, usize), CaptureError> {
    let filled: Vec<&[u8]> = lines.iter().map(|(_, line)| *line).filter(|line| !line.trim_ascii().is_empty()).collect();
    let last = filled.get(filled.len().saturating_sub(LOOKED_AT / 2)..).unwrap_or(&filled);
    let mut best: Option<(f64, u8, usize)> = None;
    for delimiter in *b"\t;,| " {
        let rows: Vec<Vec<&[u8]>> = last.iter().map(|line| cells(line, delimiter)).collect();
        let Some(count) = usual(rows.iter().map(Vec::len)) else { continue };
        let alike: Vec<&Vec<&[u8]>> = rows.iter().filter(|row| row.len() == count).collect();
        let (all, numbers) = alike
            .iter()
            .flat_map(|row| row.iter())
            .filter(|cell| !cell.is_empty())
            .fold((0usize, 0usize), |(all, numbers), cell| (all + 1, numbers + usize::from(says_a_number(cell))));
        let share = alike.len() as f64 / rows.len() as f64 * numbers as f64 / all.max(1) as f64;
        // A single column is a last resort, and a space parts dates from their clocks as well.
        let score = share - if count < 2 { 0.6 } else { 0.0 } - if delimiter == b' ' { 0.2 } else { 0.0 };
        if numbers > 0 && best.is_none_or(|(before, ..)| score > before + 1e-9) {
            best = Some((score, delimiter, count));
        }
    }
    best.map(|(_, delimiter, count)| (delimiter, count)).ok_or(CaptureError::NoRows)
}

fn usual(counts: impl Iterator<Item = usize>) -> Option<usize> {
    let mut seen: Vec<(usize, usize)> = Vec::new();
    for count in counts {
        match seen.iter_mut().find(|(known, _)| *known == count) {
            Some((_, times)) => *times += 1,
            None => seen.push((count, 1)),
        }
    }
    seen.into_iter().max_by_key(|(count, times)| (*times, *count)).map(|(count, _)| count)
}

/// True for a row that holds units and nothing else.
fn is_units(words: &[String]) -> bool {
    let unit = |word: &str| {
        let word = word.trim_matches(['[', ']', '(', ')', ' ']);
        super::columns::is_unit(word) || matches!(word, "" | "-" | "v" | "V" | "mV" | "%" | "km/h" | "mph" | "A" | "°")
    };
    words.iter().any(|word| !word.is_empty()) && words.iter().all(|word| unit(word))
}

/// Rows from all over a file.
fn spread(body: &[u8], delimiter: u8) -> Vec<Vec<&[u8]>> {
    const PLACES: usize = 200;
    let rows = (0..PLACES).flat_map(|place| {
        let rest = body.get(body.len() / PLACES * place..).unwrap_or_default();
        // The first line begins somewhere in its middle.
        rest.split(|byte| *byte == b'\n').skip(1).take(3)
    });
    rows.map(|line| cells(line, delimiter)).collect()
}

/// Commas part thousands when three digits follow each of them, and numbers without one are whole hundreds of the same size.
fn parts_thousands<'a>(cells: impl Iterator<Item = &'a [u8]>) -> bool {
    let (mut with, mut without) = (0, 0);
    for cell in cells {
        match cell.iter().position(|byte| *byte == b',') {
            Some(at) => {
                let after = cell.get(at + 1..).unwrap_or_default();
                let three = after.len() == 3 || after.get(3) == Some(&b'.');
                if !three || at == 0 || at > 3 || cell.first() == Some(&b'0') {
                    return false;
                }
                with += 1;
            }
            None => without += usize::from(number(cell, false).is_some_and(|value| (100.0..1000.0).contains(&value))),
        }
    }
    with > 0 && without > 0
}
