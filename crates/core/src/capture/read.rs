//! From cells to channels, in parallel stretches of the file; what cannot be read is left out and told, and loses nothing beside it.
use super::CaptureError;
use super::clock::{self, Style};
use super::columns::{Column, Mapping, Quantity, Scale, Turns};
use super::file::{Table, bare};
use super::number::{leading, number};
use super::run::Run;
use super::smooth::median;
use super::turns;
use crate::message;
use crate::message::Message;
use rayon::prelude::*;

/// Pressures beyond this are no pressure but a recorder's word for “over range”, kPa.
const MOST_KPA: f64 = 5000.0;
const LEAST_KPA: f64 = -110.0;
/// A channel may be silent so long and still be what it last said, s.
const HELD_S: f64 = 5.0;
/// Share of rows that must be readable.
const MOST_BAD: f64 = 0.5;
/// Bytes a stretch holds, about, and how many stretches are read at once.
const STRETCH: usize = 1 << 18;
const AT_ONCE: usize = 64;

/// One stretch of the file, read.
#[derive(Default)]
struct Stretch {
    columns: [Vec<f64>; 6],
    lines: u64,
    rows: u64,
    bad: Bad,
    last_cells: usize,
    last_taken: bool,
}

/// Rows that could not be read: how many, and the first.
#[derive(Default, Clone)]
struct Bad {
    count: u64,
    /// Line, what, and what stood there.
    first: Option<(u64, Quantity, String)>,
}

const TIME: usize = 0;
const KPA: usize = 1;
const SPEED: usize = 2;
const TEMP: usize = 3;
const DASH: usize = 4;
const SUPPLY: usize = 5;

/// Words that say a channel had nothing to say.
fn is_silence(cell: &[u8]) -> bool {
    cell.is_empty()
        || [&b"nan"[..], b"-", b"--", b"---", b"n/a", b"#n/a", b"null", b"none", b"invalid", b"*"]
            .iter()
            .any(|word| cell.eq_ignore_ascii_case(word))
}

/// Words that say the signal left its range.
fn is_over(cell: &[u8]) -> bool {
    [&b"ol"[..], b"over", b"overrange", b"ovf", b"inf", b"+inf", b"sat", b"over range", b"overflow"]
        .iter()
        .any(|word| cell.eq_ignore_ascii_case(word))
}

/// Reads every row under a mapping.
///
/// # Errors
/// [`CaptureError::NotNumbers`] when a column that is needed holds no numbers, [`CaptureError::Rows`] when most rows cannot be read, [`CaptureError::Empty`] for fewer
/// than two that can.
pub fn read(table: &Table<'_>, mapping: &Mapping) -> Result<Run, CaptureError> {
    let body = table.bytes.get(table.start..).unwrap_or_default();
    let plan = Plan::of(table, mapping);
    let mut notes = mapping.assumed.clone();
    let (mut whole, mut bad, mut line, mut last) = (0, Bad::default(), table.first_line, Stretch::default());
    let lines = memchr::memchr_iter(b'\n', body).count() + 1;
    let mut columns: [Vec<f64>; 6] = std::array::from_fn(|_| Vec::with_capacity(lines));
    // Some at a time: what was read of a long file does not lie in memory twice.
    for some in cut(body).chunks(AT_ONCE) {
        let stretches: Vec<Stretch> = some.par_iter().map(|bytes| stretch(bytes, &plan)).collect();
        for mut part in stretches {
            whole += part.rows;
            bad.count += part.bad.count;
            if bad.first.is_none() {
                bad.first = part.bad.first.take().map(|(at, quantity, cell)| (line + at, quantity, cell));
            }
            line += part.lines;
            for (all, some) in columns.iter_mut().zip(&mut part.columns) {
                all.append(some);
            }
            last = part;
        }
    }
    // Cut off within its last number a row looks whole when nothing behind it is needed: it is not taken either.
    let cut_off = !body.ends_with(b"\n") && !body.is_empty() && last.last_cells < table.header.len();
    if let Some((line, quantity, cell)) = &bad.first {
        let name = column_of(mapping, *quantity).and_then(|at| table.header.get(at)).cloned().unwrap_or_default();
        if bad.count == whole {
            return Err(CaptureError::NotNumbers { column: name, typed: cell.clone(), line: *line });
        }
        if bad.count as f64 > MOST_BAD * whole as f64 {
            return Err(CaptureError::Rows { count: bad.count, whole, line: *line, column: name, typed: cell.clone() });
        }
        if !(cut_off && bad.count == 1) {
            notes.push(message!("run-left-out", rows = bad.count as usize, line = line.to_string(), cell = cell.as_str(), name = name));
        }
    }
    if cut_off {
        notes.push(message!("run-cut-off"));
        if last.last_taken {
            columns.iter_mut().for_each(|column| _ = column.pop());
        }
    }
    assemble(columns, table, mapping, notes)
}

fn column_of(mapping: &Mapping, quantity: Quantity) -> Option<usize> {
    match quantity {
        Quantity::Time => mapping.time.map(|column| column.at),
        Quantity::Pressure => Some(mapping.pressure.at),
        Quantity::Speed | Quantity::Pulses => mapping.speed.map(|column| column.at),
        Quantity::OilTemp => mapping.oil_temp.map(|column| column.at),
        Quantity::Supply => mapping.ratiometric.map(|(at, _)| at),
        Quantity::Dash => mapping.dash.map(|column| column.at),
    }
}

/// Stretches of whole lines.
fn cut(body: &[u8]) -> Vec<&[u8]> {
    let mut parts = Vec::new();
    let mut rest = body;
    while !rest.is_empty() {
        let end = rest.get(STRETCH..).and_then(|after| memchr::memchr(b'\n', after)).map_or(rest.len(), |at| STRETCH + at + 1);
        let (part, after) = rest.split_at_checked(end).unwrap_or((rest, &[]));
        parts.push(part);
        rest = after;
    }
    parts
}

/// How the rows of a table are read.
struct Plan<'a> {
    table: &'a Table<'a>,
    /// What a column is for, up to the last that is wanted.
    slots: Vec<Option<(usize, Quantity)>>,
    /// Columns wanted, and what for.
    wanted: Vec<(usize, usize, Quantity)>,
    time: Style,
    /// Every wanted cell may be a plain number.
    plain: bool,
}

impl<'a> Plan<'a> {
    fn of(table: &'a Table<'a>, mapping: &Mapping) -> Self {
        let all = [
            (TIME, Quantity::Time),
            (KPA, Quantity::Pressure),
            (SPEED, Quantity::Speed),
            (TEMP, Quantity::OilTemp),
            (DASH, Quantity::Dash),
            (SUPPLY, Quantity::Supply),
        ];
        let wanted: Vec<(usize, usize, Quantity)> =
            all.into_iter().filter_map(|(slot, quantity)| column_of(mapping, quantity).map(|at| (at, slot, quantity))).collect();
        let mut slots = vec![None; wanted.iter().map(|(at, ..)| at + 1).max().unwrap_or(0)];
        for (at, slot, quantity) in &wanted {
            if let Some(place) = slots.get_mut(*at) {
                *place = Some((*slot, *quantity));
            }
        }
        let time = mapping.time.and_then(|time| table.styles.get(time.at).copied().flatten()).unwrap_or(Style::Number);
        let apart = wanted.len() == slots.iter().flatten().count();
        let plain = time == Style::Number && apart && table.delimiter != b' ' && !table.thousands.contains(&true);
        Self { table, slots, wanted, time, plain }
    }

    /// A row of plain numbers, and where the next begins; none for any that needs a second look.
    #[inline]
    fn plain_row(&self, bytes: &[u8], start: usize) -> Option<([f64; 6], usize)> {
        let mut row = [f64::NAN; 6];
        let mut at = start;
        let last = self.slots.len().checked_sub(1)?;
        for (column, slot) in self.slots.iter().enumerate() {
            let rest = bytes.get(at..)?;
            let length = match slot {
                Some((slot, _)) => {
                    let (value, length) = leading(rest, self.table.delimiter)?;
                    *row.get_mut(*slot)? = value;
                    length
                }
                None => memchr::memchr2(self.table.delimiter, b'\n', rest)?,
            };
            at += length;
            if column < last {
                if bytes.get(at) != Some(&self.table.delimiter) {
                    return None;
                }
                at += 1;
            }
        }
        let end = match bytes.get(at)? {
            b'\n' => at,
            _ => at + memchr::memchr(b'\n', bytes.get(at..)?)?,
        };
        Some((row, end + 1))
    }

    /// A cell of a line that is looked at twice.
    fn take(&self, at: usize, cell: &[u8], line: &mut Line) {
        line.cells = at + 1;
        let Some(Some((slot, quantity))) = self.slots.get(at) else { return };
        let cell = bare(cell);
        let read = if *slot == TIME && self.time != Style::Number {
            clock::seconds(cell)
        } else {
            number(cell, self.table.thousands.get(at).copied().unwrap_or(false))
        };
        let value = match read {
            Some(value) => value,
            None if is_over(cell) => f64::INFINITY,
            None => {
                if !is_silence(cell) && line.wrong.is_none() {
                    line.wrong = Some((*quantity, String::from_utf8_lossy(cell).chars().take(24).collect()));
                }
                return;
            }
        };
        if let Some(place) = line.row.get_mut(*slot) {
            *place = value;
        }
    }

    /// Any line.
    fn line(&self, bytes: &[u8]) -> Line {
        let mut line = Line { row: [f64::NAN; 6], cells: 0, wrong: None };
        super::file::cells(bytes, self.table.delimiter).into_iter().enumerate().for_each(|(at, cell)| self.take(at, cell, &mut line));
        if line.wrong.is_none() && line.cells < self.slots.len() {
            let missing = self.wanted.iter().find(|(at, ..)| *at >= line.cells).map_or(Quantity::Pressure, |(_, _, quantity)| *quantity);
            line.wrong = Some((missing, String::new()));
        }
        line
    }
}

/// A line that was looked at twice.
struct Line {
    row: [f64; 6],
    cells: usize,
    wrong: Option<(Quantity, String)>,
}

/// Reads the rows of a stretch; only cells that are wanted are looked at, and plain numbers where they stand.
fn stretch(bytes: &[u8], plan: &Plan<'_>) -> Stretch {
    let mut out = Stretch::default();
    let mut is_wanted = [false; 6];
    for (_, slot, _) in &plan.wanted {
        if let (Some(wanted), Some(column)) = (is_wanted.get_mut(*slot), out.columns.get_mut(*slot)) {
            *wanted = true;
            column.reserve(bytes.len() / 24);
        }
    }
    let keep = |columns: &mut [Vec<f64>; 6], row: [f64; 6]| {
        for ((column, value), wanted) in columns.iter_mut().zip(row).zip(is_wanted) {
            if wanted {
                column.push(value);
            }
        }
    };
    let mut start = 0;
    while start < bytes.len() {
        if plan.plain
            && let Some((row, next)) = plan.plain_row(bytes, start)
        {
            keep(&mut out.columns, row);
            out.lines += 1;
            out.rows += 1;
            out.last_cells = usize::MAX;
            start = next;
            continue;
        }
        let rest = bytes.get(start..).unwrap_or_default();
        let end = memchr::memchr(b'\n', rest).map_or(bytes.len(), |at| start + at);
        let text = bytes.get(start..end).unwrap_or_default();
        start = end + 1;
        out.lines += 1;
        if text.iter().all(|byte| byte.is_ascii_whitespace() || *byte == plan.table.delimiter) {
            continue;
        }
        out.rows += 1;
        let line = plan.line(text);
        out.last_cells = line.cells;
        out.last_taken = line.wrong.is_none();
        match line.wrong {
            None => keep(&mut out.columns, line.row),
            Some((quantity, cell)) => {
                out.bad.count += 1;
                if out.bad.first.is_none() {
                    out.bad.first = Some((out.lines - 1, quantity, cell));
                }
            }
        }
    }
    out
}

/// Puts the channels together on one clock.
fn assemble(columns: [Vec<f64>; 6], table: &Table<'_>, mapping: &Mapping, mut notes: Vec<Message>) -> Result<Run, CaptureError> {
    let [times, mut kpa, speed, mut temp, mut dash, supply] = columns;
    let rows = kpa.len();
    if rows < 2 {
        return Err(CaptureError::TooFew);
    }
    let style = mapping.time.and_then(|time| table.styles.get(time.at).copied().flatten());
    let mut time_s = match (mapping.time, mapping.rate_hz) {
        (Some(column), _) => super::time::seconds(times, column, style.unwrap_or(Style::Number), &mut notes),
        (None, Some(hz)) => (0..rows).map(|row| row as f64 / hz).collect(),
        (None, None) => return Err(CaptureError::Unnamed { columns: table.header.clone(), missing: vec![Quantity::Time] }),
    };
    scaled(&mut kpa, mapping.pressure, mapping.ratiometric.map(|(_, nominal)| (supply.as_slice(), nominal)));
    if let Some(column) = mapping.dash {
        scaled(&mut dash, column, None);
    }
    let fahrenheit = mapping.oil_temp.is_some_and(|column| column.unit.factor.is_nan())
        && median(temp.iter().step_by(temp.len().div_ceil(2000).max(1)).copied()).is_some_and(|middle| middle > 150.0);
    if let Some(Column { at, unit }) = mapping.oil_temp {
        let unit = match unit.factor.is_nan() {
            true if fahrenheit => Scale::FAHRENHEIT,
            true => Scale::PLAIN,
            false => unit,
        };
        if mapping.oil_temp.is_some_and(|column| column.unit.factor.is_nan()) {
            let name = table.header.get(at).cloned().unwrap_or_default();
            notes.push(message!("run-no-temperature-unit", name = name.as_str(), unit = if fahrenheit { "°F" } else { "°C" }));
        }
        temp.iter_mut().for_each(|value| *value = unit.of(*value));
    }
    let over = kpa.iter().filter(|value| !(LEAST_KPA..=MOST_KPA).contains(*value) && !value.is_nan()).count();
    if over > 0 {
        notes.push(message!("run-over-range", pressures = over));
        kpa.iter_mut().filter(|value| !(LEAST_KPA..=MOST_KPA).contains(*value)).for_each(|value| *value = f64::NAN);
    }
    if 2 * over > rows {
        return Err(CaptureError::OverRange { count: over, whole: rows });
    }
    let rows = super::time::ordered(&mut time_s, &kpa, &mut notes);
    if rows.as_ref().is_some_and(|rows| rows.len() < 2) {
        return Err(CaptureError::TooFew);
    }
    let pick = |column: Vec<f64>| -> Vec<f64> {
        match &rows {
            Some(rows) if !column.is_empty() => rows.iter().filter_map(|row| column.get(*row).copied()).collect(),
            _ => column,
        }
    };
    let mut run = Run { time_s: pick(time_s), kpa: pick(kpa), notes, ..Run::default() };
    (run.oil_temp_c, run.dash_kpa) = rayon::join(|| held(&run.time_s, pick(temp)), || pick(dash));
    if let Some(column) = mapping.speed {
        let raw = pick(speed);
        match column.unit {
            Turns::Rpm => run.rpm = held(&run.time_s, raw),
            Turns::Hertz(per_turn) => turns::from_rate(&mut run, raw, per_turn),
            Turns::Counted(per_turn) => turns::from_pulses(&mut run, raw, per_turn),
        }
    }
    let reversed = run.rpm.iter().filter(|rpm| **rpm < -1.0).count();
    run.rpm.iter_mut().filter(|rpm| **rpm < 0.0).for_each(|rpm| *rpm = 0.0);
    if reversed > 0 {
        run.notes.push(message!("run-speeds-below-zero", speeds = reversed));
    }
    let wild = run.rpm.iter().filter(|rpm| **rpm > 12_000.0).count();
    if wild > 0 {
        run.rpm.iter_mut().filter(|rpm| **rpm > 12_000.0).for_each(|rpm| *rpm = f64::NAN);
        run.notes.push(message!("run-speeds-too-high", speeds = wild));
    }
    let odd = run.oil_temp_c.iter().filter(|temp| !(-50.0..=200.0).contains(*temp) && !temp.is_nan()).count();
    if odd > 0 {
        run.oil_temp_c.iter_mut().filter(|temp| !(-50.0..=200.0).contains(*temp)).for_each(|temp| *temp = f64::NAN);
        run.notes.push(message!("run-temperatures-too-far", temperatures = odd));
    }
    Ok(run)
}

/// A run of channels that stand on one clock already, as a live rig's do: `speed` in turns a minute, or in pulses as they were counted where `per_turn` says how many make a turn.
/// Moments without a pressure are left out.
pub fn recorded(time_s: Vec<f64>, kpa: Vec<f64>, speed: Vec<f64>, per_turn: Option<f64>, oil_temp_c: Vec<f64>, dash_kpa: Vec<f64>) -> Run {
    let silent = kpa.iter().any(|kpa| !kpa.is_finite());
    let said: Vec<bool> = kpa.iter().map(|kpa| kpa.is_finite()).collect();
    let pick = |column: Vec<f64>| -> Vec<f64> {
        if silent { column.into_iter().zip(&said).filter(|(_, said)| **said).map(|(value, _)| value).collect() } else { column }
    };
    let mut run = Run { time_s: pick(time_s), kpa: pick(kpa), ..Run::default() };
    (run.oil_temp_c, run.dash_kpa) = rayon::join(|| held(&run.time_s, pick(oil_temp_c)), || pick(dash_kpa));
    match per_turn {
        Some(_) => turns::from_pulses(&mut run, pick(speed), per_turn),
        None => run.rpm = held(&run.time_s, pick(speed)),
    }
    run
}

/// Cells to pressures; volts that follow their supply are brought to the nominal one first.
fn scaled(cells: &mut [f64], column: Column<Scale>, ratiometric: Option<(&[f64], f64)>) {
    for (row, cell) in cells.iter_mut().enumerate() {
        let brought = match ratiometric.and_then(|(supply, nominal)| supply.get(row).map(|supply| nominal / supply)) {
            Some(ratio) if ratio.is_finite() && ratio > 0.0 => *cell * ratio,
            _ => *cell,
        };
        *cell = column.unit.of(brought);
    }
}

/// A channel that says something now and then goes on as it last was, for a while.
fn held(time_s: &[f64], mut column: Vec<f64>) -> Vec<f64> {
    if !column.iter().any(|value| value.is_finite()) {
        return Vec::new();
    }
    let mut last: Option<(f64, f64)> = None;
    for (value, time) in column.iter_mut().zip(time_s) {
        match (value.is_finite(), last) {
            (true, _) => last = Some((*time, *value)),
            (false, Some((since, said))) if time - since <= HELD_S => *value = said,
            _ => *value = f64::NAN,
        }
    }
    column
}
