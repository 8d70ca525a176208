//! Engine speed from pulses: counted, a second, or the signal itself.
use super::run::Run;
use crate::message;
use crate::message::number;

/// Pulses a turn that engines and rigs have: ignition and injection by cylinders, cam and crank wheels, flywheels.
const USUAL: [f64; 20] = [0.5, 1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 12.0, 24.0, 30.0, 34.0, 35.0, 36.0, 58.0, 60.0, 116.0, 120.0];
/// An engine idles about here, turns a minute.
const IDLE_RPM: f64 = 800.0;
/// Counted over so many pulses, and so long at least and at most, s.
const GATE_PULSES: f64 = 50.0;
const GATE_S: (f64, f64) = (0.3, 1.5);

/// Speed from pulses a second.
pub(super) fn from_rate(run: &mut Run, hz: Vec<f64>, per_turn: Option<f64>) {
    let per_turn = per_turn.unwrap_or_else(|| found(run, &hz));
    run.rpm = hz.into_iter().map(|hz| 60.0 * hz / per_turn).collect();
    run.pulses_per_turn = Some(per_turn);
}

/// Speed from a count that only grows, or from a signal that goes up and down.
pub(super) fn from_pulses(run: &mut Run, cells: Vec<f64>, per_turn: Option<f64>) {
    let falls = cells.array_windows().filter(|[a, b]| b < a).count();
    let counts = if falls * 20 > cells.len() { edges(&cells) } else { wrapped(cells) };
    let hz = rate(&run.time_s, &counts);
    from_rate(run, hz, per_turn);
}

/// A counter that starts again from nought goes on.
fn wrapped(mut counts: Vec<f64>) -> Vec<f64> {
    let (mut carried, mut last) = (0.0, f64::NEG_INFINITY);
    for count in counts.iter_mut().filter(|count| count.is_finite()) {
        if *count + carried < last {
            carried = last;
        }
        *count += carried;
        last = *count;
    }
    counts
}

/// Rising edges so far, with a dead band of a fifth of the signal's swing.
fn edges(signal: &[f64]) -> Vec<f64> {
    let (low, high) = signal.iter().filter(|v| v.is_finite()).fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(*v), high.max(*v)));
    let (up, down) = (low + 0.6 * (high - low), low + 0.4 * (high - low));
    let (mut is_up, mut count) = (true, 0.0);
    signal
        .iter()
        .map(|value| {
            if is_up && *value < down {
                is_up = false;
            } else if !is_up && *value > up {
                is_up = true;
                count += 1.0;
            }
            count
        })
        .collect()
}

/// Counts a second about each row.
fn rate(time_s: &[f64], counts: &[f64]) -> Vec<f64> {
    let ends = |values: &[f64]| values.first().copied().zip(values.iter().copied().rfind(|value| value.is_finite()));
    let mean_hz = ends(counts).zip(ends(time_s)).map_or(0.0, |((c0, c1), (t0, t1))| (c1 - c0) / (t1 - t0).max(1e-9));
    let gate_s = (GATE_PULSES / mean_hz.max(1e-9)).clamp(GATE_S.0, GATE_S.1);
    let mut left = 0;
    let mut right = 0;
    let at = |row: usize| time_s.get(row).copied().zip(counts.get(row).copied());
    time_s
        .iter()
        .map(|time| {
            while at(left).is_some_and(|(from, _)| from < time - gate_s / 2.0) {
                left += 1;
            }
            while at(right + 1).is_some_and(|(to, _)| to <= time + gate_s / 2.0) {
                right += 1;
            }
            // A slow recorder has one row in the gate: its neighbours bound it.
            let (from, to) =
                if right > left { (left, right) } else { (left.saturating_sub(1), (right + 1).min(time_s.len().saturating_sub(1))) };
            at(from).zip(at(to)).map_or(f64::NAN, |((t0, c0), (t1, c1))| if t1 > t0 { (c1 - c0) / (t1 - t0) } else { 0.0 })
        })
        .collect()
}

/// Pulses a turn by which the slowest steady running comes nearest to an idle.
fn found(run: &mut Run, hz: &[f64]) -> f64 {
    let mut running: Vec<f64> = hz.iter().copied().filter(|hz| hz.is_finite() && *hz > 0.0).collect();
    running.sort_by(f64::total_cmp);
    let most = running.get(running.len() * 98 / 100).copied().unwrap_or(0.0);
    // Cranking and the way up are short: the tenth part of the running time lies at idle.
    let slow =
        running.iter().copied().find(|hz| *hz > most / 12.0).map_or(0.0, |_| running.get(running.len() / 10).copied().unwrap_or(0.0));
    let away = |per_turn: f64| (60.0 * slow / per_turn / IDLE_RPM).ln().abs();
    let likeliest = USUAL.into_iter().min_by(|a, b| away(*a).total_cmp(&away(*b))).unwrap_or(1.0);
    run.notes.push(message!("run-pulses-guessed", pulses = likeliest, speed = number(60.0 * slow / likeliest, 0)));
    likeliest
}
