//! A run in steps of a twentieth of a second, for all that does not look at single swings of the needle: a recorder of a thousand rows a second says no more about a hold than one
//! of twenty.
use super::run::Run;

/// Width of a step, s; a slower recorder's rows are its steps.
const STEP_S: f64 = 0.05;

/// A run in steps, and the row that each begins with.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Coarse {
    /// Means of each step, at the time of its first row.
    pub run: Run,
    /// First row of each step, and behind the last one the number of rows.
    pub rows: Vec<usize>,
}

/// The steps of a run.
pub(super) fn coarse(run: &Run) -> Coarse {
    let mut rows: Vec<usize> = Vec::new();
    let mut end_s = f64::NEG_INFINITY;
    for (row, time) in run.time_s.iter().enumerate() {
        if *time >= end_s {
            rows.push(row);
            end_s = time + STEP_S;
        }
    }
    rows.push(run.time_s.len());
    if rows.len() > run.time_s.len() {
        return Coarse { run: run.clone(), rows };
    }
    let means = |channel: &[f64]| -> Vec<f64> {
        if channel.is_empty() {
            return Vec::new();
        }
        let mean = |from: usize, to: usize| {
            let some = channel.get(from..to).into_iter().flatten().filter(|value| value.is_finite());
            let (sum, count) = some.fold((0.0, 0u32), |(sum, count), value| (sum + value, count + 1));
            if count > 0 { sum / f64::from(count) } else { f64::NAN }
        };
        rows.array_windows().map(|[from, to]| mean(*from, *to)).collect()
    };
    let time_s = rows.iter().filter_map(|row| run.time_s.get(*row).copied()).collect();
    let (kpa, (rpm, oil_temp_c)) = rayon::join(|| means(&run.kpa), || (means(&run.rpm), means(&run.oil_temp_c)));
    let run = Run { time_s, kpa, rpm, oil_temp_c, ..Run::default() };
    Coarse { run, rows }
}
