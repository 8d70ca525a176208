//! The start: seconds until pressure shows, and the peak while the oil is cold.
use super::coarse::Coarse;
use super::quality::Zero;
use super::run::Run;
use super::smooth::quantile;

/// The crank turns, turns a minute.
const TURNING_RPM: f64 = 50.0;
/// Pressure shows at this over the zero, kPa: about where a lamp's switch opens; less where the engine makes little at all.
pub const SHOWS_KPA: f64 = 35.0;
const SHOWS_SHARE: f64 = 0.4;
/// The run must have stood so long before it, s.
const STOOD_S: f64 = 0.2;
/// What comes within this of the start belongs to it, s.
const START_S: f64 = 60.0;
/// Oil below this is cold, °C.
const COLD_C: f64 = 50.0;
/// Where no temperature was recorded, the start is cold for so long, s.
const COLD_S: f64 = 60.0;

/// Seconds from the first turn of the crank until pressure shows; none when the run does not hold a start.
pub(super) fn build_time_s(run: &Run, zero: Zero) -> Option<f64> {
    let turns = run.rpm.iter().position(|rpm| rpm.is_finite() && *rpm > TURNING_RPM)?;
    let start = run.time_s.get(turns).copied()?;
    let base = zero.before_kpa.unwrap_or(0.0);
    let stood = run.time_s.first().is_some_and(|first| start - first >= STOOD_S);
    let empty = run.kpa.get(turns).is_some_and(|kpa| kpa - base < SHOWS_KPA);
    if !stood || !empty {
        return None;
    }
    let end = run.time_s.partition_point(|time| *time <= start + START_S);
    let after = run.kpa.get(turns..end).unwrap_or_default();
    let level = after.iter().copied().fold(0.0, f64::max) - base;
    let shows = base + SHOWS_KPA.min(SHOWS_SHARE * level).max(3.0);
    let at = after.iter().position(|kpa| *kpa >= shows)?;
    let reached = run.time_s.get(turns + at).copied()?;
    // Between two rows the pressure rose evenly.
    let before = (turns + at).checked_sub(1).and_then(|row| run.time_s.get(row).zip(run.kpa.get(row)));
    let exact = match (before, run.kpa.get(turns + at)) {
        (Some((time, kpa)), Some(here)) if at > 0 && here > kpa => time + (reached - time) * (shows - kpa) / (here - kpa),
        _ => reached,
    };
    Some(exact - start)
}

/// The highest pressure while the oil is cold, kPa; none when the run was never cold.
///
/// Of each step of the run the middle of its rows, and of three steps running the middle one: a blow in the line or on the wire lasts a row, a peak of oil longer.
pub(super) fn cold_peak_kpa(run: &Run, steps: &Coarse, started: Option<f64>) -> Option<f64> {
    let first = run.time_s.first().copied()?;
    let middles: Vec<f64> = steps
        .rows
        .array_windows()
        .map(|[from, to]| quantile(&mut run.kpa.get(*from..*to).unwrap_or_default().to_vec(), 0.5).unwrap_or(f64::NAN))
        .collect();
    let cold = |step: usize, time: f64| match steps.run.oil_temp_c.get(step) {
        Some(temp) => temp.is_finite() && *temp < COLD_C,
        None => started.is_some() && time - first < COLD_S,
    };
    let calm = |step: usize| {
        let mut three =
            [step.saturating_sub(1), step, (step + 1).min(middles.len() - 1)].map(|at| middles.get(at).copied().unwrap_or(f64::NAN));
        three.sort_by(f64::total_cmp);
        three.get(1).copied().unwrap_or(f64::NAN)
    };
    let of_cold = steps.run.time_s.iter().enumerate().filter(|(step, time)| cold(*step, **time)).map(|(step, _)| calm(step));
    let peak = of_cold.filter(|kpa| kpa.is_finite()).fold(f64::MIN, f64::max);
    (peak > 5.0).then_some(peak)
}
