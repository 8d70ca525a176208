//! The start: seconds until pressure shows, and the peak while the oil is cold.
use super::quality::Zero;
use super::read::Run;

/// The crank turns, turns a minute.
const TURNING_RPM: f64 = 50.0;
/// Pressure shows at this over the zero, kPa: about where a lamp's switch opens; less where the engine makes little at all.
const SHOWS_KPA: f64 = 35.0;
const SHOWS_SHARE: f64 = 0.4;
/// The run must have stood so long before it, s.
const STOOD_S: f64 = 0.2;
/// What comes within this of the start belongs to it, s.
const START_S: f64 = 60.0;
/// Oil below this is cold, °C.
const COLD_C: f64 = 50.0;
/// Where no temperature was recorded, the start is cold for so long, s.
const COLD_S: f64 = 60.0;
/// A peak is felt over so long, s: shorter ones are a blow in the line.
const PEAK_S: f64 = 0.08;

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
pub(super) fn cold_peak_kpa(run: &Run, started: Option<f64>) -> Option<f64> {
    let first = run.time_s.first().copied()?;
    let cold = |row: usize, time: f64| match run.oil_temp_c.get(row) {
        Some(temp) => temp.is_finite() && *temp < COLD_C,
        None => started.is_some() && time - first < COLD_S,
    };
    let mut peak = f64::MIN;
    let (mut from, mut sum) = (0, 0.0);
    for (row, (time, kpa)) in run.time_s.iter().zip(&run.kpa).enumerate() {
        sum += kpa;
        while let Some((_, old)) = run.time_s.get(from).zip(run.kpa.get(from)).filter(|(since, _)| time - **since > PEAK_S && from < row) {
            sum -= old;
            from += 1;
        }
        if cold(row, *time) {
            peak = peak.max(sum / (row + 1 - from) as f64);
        }
    }
    (peak > 5.0).then_some(peak)
}
