//! One clock for a run: units told by their size, coarse stamps spread, times that go back seen to.
use super::clock::{Style, unwrap_midnight};
use super::columns::{Column, Scale};
use crate::message;
use crate::message::{Message, number};

/// Numbers beyond this count from an epoch, s.
const EPOCH_S: f64 = 1e8;
/// A clock that steps back by more begins anew, s.
const RESTART_S: f64 = 2.0;
/// Seconds put between the end of a recording and one that begins anew in the same file.
const APART_S: f64 = 10.0;

/// Seconds of each row, from cells in a column's unit.
pub(super) fn seconds(mut cells: Vec<f64>, column: Column<Scale>, style: Style, notes: &mut Vec<Message>) -> Vec<f64> {
    match style {
        Style::Clock => unwrap_midnight(&mut cells),
        Style::Moment => {}
        Style::Number => {
            let unit = if column.unit.factor.is_nan() { by_size(&cells, notes) } else { column.unit };
            cells.iter_mut().for_each(|cell| *cell = unit.of(*cell));
        }
    }
    // A moment and an epoch count from the run's own beginning.
    let first = cells.iter().copied().find(|time| time.is_finite()).unwrap_or(0.0);
    if style != Style::Number || first.abs() > EPOCH_S {
        cells.iter_mut().for_each(|time| *time -= first);
    }
    cells
}

/// The unit of times that have none, by the step between rows and how far they count.
fn by_size(cells: &[f64], notes: &mut Vec<Message>) -> Scale {
    let mut steps: Vec<f64> = cells.array_windows().map(|[a, b]| b - a).filter(|step| *step > 0.0).take(20_000).collect();
    steps.sort_by(f64::total_cmp);
    let step = steps.get(steps.len() / 2).copied().unwrap_or(1.0);
    let first = cells.iter().copied().find(|time| time.is_finite()).unwrap_or(0.0);
    let (factor, unit) = match first.abs() {
        first if first > 1e14 => (1e-6, "microseconds"),
        first if first > 1e11 => (1e-3, "milliseconds"),
        first if (20_000.0..80_000.0).contains(&first) && step < 0.01 => (86_400.0, "days"),
        _ if step >= 5.0 => (1e-3, "milliseconds"),
        _ => (1.0, "seconds"),
    };
    notes.push(message!("run-no-time-unit", unit = unit, step = number(step, 4)));
    Scale::by(factor)
}

/// Puts times in order and says which rows stand: those with a time and a pressure, in time.
///
/// None when all of them do, as in most files.
///
/// Stamps that many rows share are spread over the rows that share them. A row that steps back a little is left out; a clock that begins anew is carried on behind a gap.
pub(super) fn ordered(time_s: &mut [f64], kpa: &[f64], notes: &mut Vec<Message>) -> Option<Vec<usize>> {
    if time_s.array_windows().all(|[a, b]| b > a) && kpa.iter().all(|kpa| kpa.is_finite()) {
        return None;
    }
    spread(time_s, notes);
    let mut rows = Vec::with_capacity(time_s.len());
    let (mut last, mut shift) = (f64::NEG_INFINITY, 0.0);
    let (mut back, mut anew, mut timeless) = (0usize, 0usize, 0usize);
    for (row, time) in time_s.iter_mut().enumerate() {
        if !time.is_finite() {
            timeless += 1;
            continue;
        }
        *time += shift;
        if *time < last - RESTART_S {
            anew += 1;
            let carried = last + APART_S - *time;
            shift += carried;
            *time += carried;
        }
        if *time <= last {
            back += 1;
            continue;
        }
        last = *time;
        if kpa.get(row).is_some_and(|kpa| kpa.is_finite()) {
            rows.push(row);
        }
    }
    if timeless > 0 {
        notes.push(message!("run-no-time", rows = timeless));
    }
    if back > 0 {
        notes.push(message!("run-times-repeat", rows = back));
    }
    if anew > 0 {
        notes.push(message!("run-clock-restarts", times = anew));
    }
    Some(rows)
}

/// Rows that share a stamp, as of a clock that ticks in whole seconds, are spread evenly up to the next stamp.
fn spread(time_s: &mut [f64], notes: &mut Vec<Message>) {
    let shared = time_s.array_windows().filter(|[a, b]| a == b).count();
    if shared * 10 < time_s.len() * 3 || shared == 0 {
        return;
    }
    let mut start = 0;
    let mut tick = 0.0;
    while start < time_s.len() {
        let stamp = time_s.get(start).copied().unwrap_or_default();
        let end = time_s.iter().skip(start).position(|time| *time != stamp).map_or(time_s.len(), |count| start + count);
        if let Some(next) = time_s.get(end).filter(|next| **next > stamp) {
            tick = next - stamp;
        }
        let count = (end - start) as f64;
        for (place, time) in time_s.iter_mut().skip(start).take(end - start).enumerate() {
            *time = stamp + tick * place as f64 / count;
        }
        start = end;
    }
    notes.push(message!("run-coarse-clock"));
}
