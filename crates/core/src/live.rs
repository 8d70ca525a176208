//! The run as it happens: whether the engine stands where the point wants it, whether the oil is where it should be, whether pressure came, and when to stop.
//!
//! What counts as steady is what counts in a recorded run ([`crate::capture`]): the same bands over the last moments, so that a hold taken live is found again in the record.
use crate::capture::{self, Run};
use crate::flag::StopLines;
use crate::message;
use crate::message::{number, pressure};
use crate::script::{Point, near_rpm};
use crate::start_up::StartUp;
use crate::unit::Units;

/// A running engine beyond a stop line for so long is stopped, s.
const BEYOND_S: f64 = 2.0;
/// Pressure under this is none, kPa: where no speed is measured, there is no other line.
const NONE_KPA: f64 = 10.0;
/// The crank turns above this; the engine runs above the other, turns a minute.
const TURNS_RPM: f64 = 50.0;
const RUNS_RPM: f64 = 300.0;
/// Oil is looked at from this on when it is to become hot, °C.
const FROM_C: f64 = 20.0;

/// How full a bar is, and what it says.
#[derive(Debug, Clone, PartialEq)]
pub struct Bar {
    /// From 0 to 1.
    pub full: f64,
    /// In words.
    pub says: String,
}

/// What a guided run shows of this moment.
#[derive(Debug, Clone, PartialEq)]
pub struct Now {
    /// Steadiness at the point's speed.
    pub steady: Bar,
    /// Oil temperature towards what the point wants; none where it was not measured.
    pub warm: Option<Bar>,
    /// The stretch that may be taken, s of the run: both bars are full.
    pub hold: Option<(f64, f64)>,
    /// The stretch that a person may take all the same.
    pub so_far: Option<(f64, f64)>,
}

/// What this moment is for a point of the run, told in these units: `run` holds the last half minute.
pub fn now(run: &Run, point: &Point, units: Units) -> Now {
    let stands = capture::standing(run);
    let last = run.time_s.last().copied().unwrap_or_default();
    let rpm = recent(&run.time_s, &run.rpm);
    let oil = recent(&run.time_s, &run.oil_temp_c);
    let held_s = stands.map_or(0.0, |from| last - from);
    let beside = point.rpm.zip(rpm).filter(|(wanted, rpm)| (rpm - wanted).abs() > near_rpm(*wanted));
    let steady = match (rpm, beside) {
        (Some(rpm), _) if rpm < RUNS_RPM => Bar { full: 0.0, says: "the engine is stopped".to_owned() },
        (Some(rpm), Some((wanted, _))) => {
            let way = if rpm < wanted { "more" } else { "less" };
            Bar { full: 0.0, says: format!("{rpm:.0} rpm: {way}, to {wanted:.0}") }
        }
        (rpm, _) => {
            let of = rpm.map_or_else(String::new, |rpm| format!("{rpm:.0} rpm, "));
            let hold_s = point.hold_s();
            Bar { full: (held_s / hold_s).min(1.0), says: format!("{of}steady for {:.0} of {hold_s:.0} s", held_s.min(hold_s).floor()) }
        }
    };
    let warm = oil.and_then(|oil| {
        let (low, high) = point.oil_c?;
        Some(if oil > high {
            Bar { full: 0.0, says: format!("{}: too warm for this point by now", units.temp(oil)) }
        } else if oil >= low {
            Bar { full: 1.0, says: units.temp(oil) }
        } else {
            Bar {
                full: ((oil - FROM_C) / (low - FROM_C)).clamp(0.0, 0.99),
                says: format!("{:.0} of {}", units.temperature.of_c(oil), units.temp(low)),
            }
        })
    });
    let so_far = stands.filter(|_| held_s >= 2.0 && steady.full > 0.0).map(|from| (from, last));
    let full = steady.full >= 1.0 && warm.as_ref().is_none_or(|warm| warm.full >= 1.0);
    Now { hold: so_far.filter(|_| full), so_far, steady, warm }
}

/// A start: how long pressure took, or how long it is waited for.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Start {
    /// Pressure showed after so long, s.
    Built(f64),
    /// It is waited for since so long, s.
    Waiting(f64),
}

/// The last start within the run; none when it holds none. `zero_kpa` is what the gauge shows at rest.
pub fn start(run: &Run, zero_kpa: f64) -> Option<Start> {
    let mut stood = false;
    let mut turned: Option<usize> = None;
    for (row, rpm) in run.rpm.iter().enumerate() {
        if *rpm < TURNS_RPM {
            stood = true;
        } else if stood && *rpm >= TURNS_RPM {
            (stood, turned) = (false, Some(row));
        }
    }
    let turned = turned.filter(|_| !stood)?;
    let since = run.time_s.get(turned).copied()?;
    let shows = zero_kpa + capture::SHOWS_KPA;
    if run.kpa.get(turned).is_some_and(|kpa| *kpa >= shows) {
        return None;
    }
    let built = run.kpa.iter().enumerate().skip(turned).find(|(_, kpa)| **kpa >= shows).and_then(|(row, _)| run.time_s.get(row).copied());
    Some(match built {
        Some(at) => Start::Built(at - since),
        None => Start::Waiting(run.time_s.last().copied()? - since),
    })
}

/// The outcome of the check `build_time` that a start is; none while it is waited for.
pub fn build_outcome(start: Start, allowed: &StartUp) -> Option<&'static str> {
    match start {
        Start::Built(seconds) => Some(allowed.outcome(seconds)),
        Start::Waiting(seconds) => (seconds > allowed.stop_s).then_some("none"),
    }
}

/// A stretch in which the pressure of a running engine was beyond a stop line, or nobody can say where the lower line is and there was no pressure.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Beyond {
    /// From when, s of the run.
    pub from_s: f64,
    /// To when, s of the run.
    pub to_s: f64,
    /// Mean pressure, kPa.
    pub kpa: f64,
    /// Mean speed, turns a minute; none where it was not measured.
    pub rpm: Option<f64>,
    /// The stop line, kPa; none where it depends on a speed that was not measured.
    pub line_kpa: Option<f64>,
}

impl Beyond {
    /// The pressure was over the upper line.
    pub fn over(&self) -> bool {
        self.line_kpa.is_some_and(|line| self.kpa > line)
    }
}

/// Why the engine must be stopped now.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum StopCall {
    /// No pressure so long after the first turn of the crank, s.
    NoPressure(f64),
    /// The pressure is below the engine's stop line, or over the upper one.
    BeyondLine(Beyond),
    /// The pressure fell to zero, and the speed is not measured.
    Lost(Beyond),
}

impl StopCall {
    /// When the fault began, s of the run, and for how long it has lasted, s. `last_s` is this moment.
    pub fn since(&self, last_s: f64) -> (f64, f64) {
        match self {
            Self::NoPressure(seconds) => (last_s - seconds, *seconds),
            Self::BeyondLine(beyond) | Self::Lost(beyond) => (beyond.from_s, beyond.to_s - beyond.from_s),
        }
    }

    /// What to shout across the shop, in these units.
    pub fn says(&self, units: Units) -> String {
        let says = match self {
            Self::NoPressure(seconds) => message!("stop-no-pressure", seconds = number(*seconds, 0)),
            Self::BeyondLine(beyond @ Beyond { kpa, line_kpa: Some(line), .. }) if beyond.over() => {
                message!("stop-over", pressure = pressure(*kpa), line = pressure(*line))
            }
            Self::BeyondLine(Beyond { kpa, rpm: Some(rpm), line_kpa: Some(line), .. }) => {
                message!("stop-below", pressure = pressure(*kpa), speed = number(*rpm, 0), line = pressure(*line))
            }
            Self::BeyondLine(_) | Self::Lost(_) => message!("stop-lost"),
        };
        says.words(units)
    }
}

/// Why the engine must be stopped now; none while nothing says so. `zero_kpa` is what the gauge shows at rest.
pub fn stop_call(run: &Run, zero_kpa: f64, lines: &StopLines) -> Option<StopCall> {
    if let Some(Start::Waiting(seconds)) = start(run, zero_kpa)
        && seconds > lines.start_up().stop_s
    {
        return Some(StopCall::NoPressure(seconds));
    }
    let last = run.time_s.last().copied()?;
    let beyond = beyond_lines(run, zero_kpa, lines).pop().filter(|beyond| beyond.to_s >= last)?;
    Some(if beyond.line_kpa.is_some() { StopCall::BeyondLine(beyond) } else { StopCall::Lost(beyond) })
}

/// Why the live gauge cannot call a stop as it should; none where it can.
pub fn cannot_call(run: &Run) -> Option<&'static str> {
    match (run.kpa.is_empty(), run.rpm.is_empty()) {
        (true, _) => Some("Pressure is not measured, so this gauge cannot call a stop. Watch the dash lamp, and shut off if it comes on."),
        (false, true) => Some(
            "Speed is not measured, so a stop is called only when the pressure falls to zero or is far too high. Watch the needle yourself.",
        ),
        (false, false) => None,
    }
}

/// Every stretch of a run in which the engine ran beyond a stop line for two seconds or longer, see [`stop_call`]. How long pressure takes at a start is judged there.
pub fn beyond_lines(run: &Run, zero_kpa: f64, lines: &StopLines) -> Vec<Beyond> {
    let shows = zero_kpa + capture::SHOWS_KPA;
    let mut found: Vec<Beyond> = Vec::new();
    // The rows on one side of the lines, without a gap.
    let (mut side, mut rows) = (Side::Between, Vec::new());
    // Since when the crank turns, where the run saw that; whether pressure has shown since.
    let (mut turns_since, mut built) = (None, !run.rpm.is_empty());
    for (row, (time, kpa)) in run.time_s.iter().zip(&run.kpa).enumerate() {
        let rpm = run.rpm.get(row).copied();
        if !kpa.is_finite() || rpm.is_some_and(|rpm| !rpm.is_finite()) {
            continue;
        }
        if rpm.is_some_and(|rpm| rpm < TURNS_RPM) {
            (turns_since, built) = (None, false);
        } else if !built && turns_since.is_none() {
            turns_since = Some(*time);
        }
        built |= *kpa >= shows;
        let judged = built || (rpm.is_some() && turns_since.is_some_and(|since| time - since > lines.start_up().stop_s));
        let limit = match rpm {
            Some(rpm) => lines.under_kpa(rpm),
            None => Some(NONE_KPA),
        };
        let above_zero = kpa - zero_kpa;
        let now = if above_zero >= lines.over_kpa() {
            Side::Over
        } else if judged && limit.is_some_and(|limit| above_zero < limit) {
            Side::Under
        } else {
            Side::Between
        };
        if now != side {
            found.extend(stretch(run, &rows, side, lines));
            rows.clear();
        }
        side = now;
        if side != Side::Between {
            rows.push(row);
        }
    }
    found.extend(stretch(run, &rows, side, lines));
    found
}

/// On which side of the stop lines a pressure lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Side {
    Under,
    Between,
    Over,
}

/// What these neighbouring rows are; none where they are too short.
fn stretch(run: &Run, rows: &[usize], side: Side, lines: &StopLines) -> Option<Beyond> {
    let time = |row: Option<&usize>| run.time_s.get(*row?).copied();
    let (from_s, to_s) = (time(rows.first())?, time(rows.last())?);
    if to_s - from_s < BEYOND_S {
        return None;
    }
    let of_rows = |values: &[f64]| mean(rows.iter().filter_map(|row| values.get(*row).copied()));
    let rpm = of_rows(&run.rpm);
    let line_kpa = if side == Side::Over { Some(lines.over_kpa()) } else { rpm.and_then(|rpm| lines.under_kpa(rpm)) };
    Some(Beyond { from_s, to_s, kpa: of_rows(&run.kpa)?, rpm, line_kpa })
}

/// The mean over the last half second; none where a channel says nothing.
fn recent(time_s: &[f64], values: &[f64]) -> Option<f64> {
    let last = time_s.last()?;
    let from = time_s.partition_point(|time| *time < last - 0.5);
    mean(values.get(from..)?.iter().copied().filter(|value| value.is_finite()))
}

/// None of no values.
fn mean(values: impl Iterator<Item = f64>) -> Option<f64> {
    let (sum, count) = values.fold((0.0, 0), |(sum, count), value| (sum + value, count + 1));
    (count > 0).then(|| sum / f64::from(count))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::case::{Case, FORMAT, Phase};
    use crate::script::script;
    use crate::unit::Gear;

    fn case() -> Case {
        let card = r#"{"displacement_l": 2.0, "cylinders": 4, "idle_rpm": 750, "oil_grade": "5W-30"}"#;
        serde_json::from_str(&format!(r#"{{"format": "{FORMAT}", "engine": {card}}}"#)).unwrap()
    }

    /// The stop that is called now.
    fn called(run: &Run, zero_kpa: f64) -> Option<StopCall> {
        stop_call(run, zero_kpa, &StopLines::of(&case(), Gear::default()))
    }

    /// The stretches beyond a stop line.
    fn beyond(run: &Run) -> Vec<Beyond> {
        beyond_lines(run, 0.0, &StopLines::of(&case(), Gear::default()))
    }

    fn point(id: &str) -> Point {
        script(&case(), Phase::Before).into_iter().find(|point| point.id == id).unwrap()
    }

    /// Twenty moments a second, each by its time.
    fn run(seconds: f64, at: impl Fn(f64) -> (f64, f64, f64)) -> Run {
        let mut run = Run::default();
        for row in 0..(seconds * 20.0) as usize {
            let time = row as f64 / 20.0;
            let (rpm, kpa, oil) = at(time);
            run.time_s.push(time);
            run.rpm.push(rpm);
            run.kpa.push(kpa);
            run.oil_temp_c.push(oil);
        }
        run
    }

    #[test]
    fn both_bars_fill_where_the_point_wants_it_and_nowhere_else() {
        for (point_id, rpm, oil, seconds, steady, warm, hold) in [
            ("hot-idle", 760.0, 92.0, 14.0, 1.0, 1.0, true),
            ("hot-idle", 760.0, 92.0, 5.0, 0.5, 1.0, false),
            ("hot-idle", 760.0, 47.5, 14.0, 1.0, 0.5, false),
            ("hot-idle", 2000.0, 92.0, 14.0, 0.0, 1.0, false),
            ("hot-idle", 0.0, 92.0, 14.0, 0.0, 1.0, false),
            ("held-2000", 2000.0, 92.0, 14.0, 1.0, 1.0, true),
            ("cold-idle", 800.0, 20.0, 14.0, 1.0, 1.0, true),
            ("cold-idle", 800.0, 92.0, 14.0, 1.0, 0.0, false),
        ] {
            let told = now(&run(seconds, |_| (rpm, 150.0, oil)), &point(point_id), Units::default());
            let full = told.warm.as_ref().unwrap().full;
            assert!((told.steady.full - steady).abs() < 0.02 && (full - warm).abs() < 0.02, "{point_id} {rpm} {oil} {seconds}: {told:?}");
            assert_eq!(told.hold.is_some(), hold, "{point_id} {rpm} {oil} {seconds}");
        }
        // A speed that was left begins anew.
        let told = now(
            &run(20.0, |time| if time < 14.0 { (760.0, 150.0, 92.0) } else { (900.0 + 40.0 * (time - 14.0), 160.0, 92.0) }),
            &point("hot-idle"),
            Units::default(),
        );
        assert!(told.hold.is_none(), "{told:?}");
    }

    #[test]
    fn a_start_is_timed_and_an_engine_without_pressure_is_stopped() {
        let starts = |built: f64, seconds: f64| {
            run(seconds, move |time| match time {
                ..2.0 => (0.0, 1.0, 20.0),
                _ if time - 2.0 < built => (220.0_f64.max(800.0 * (time - 2.5)).min(800.0), 1.0, 20.0),
                _ => (800.0, 320.0, 20.0),
            })
        };
        for (built, seconds, outcome, stops) in
            [(1.0, 9.0, Some("normal"), false), (4.5, 9.0, Some("slow"), false), (30.0, 6.0, None, false), (30.0, 9.0, Some("none"), true)]
        {
            let run = starts(built, seconds);
            let start = start(&run, 1.0).unwrap();
            assert_eq!(build_outcome(start, &StartUp::of(&case())), outcome, "{built} {start:?}");
            assert_eq!(called(&run, 1.0).is_some(), stops, "{built} {start:?}");
            if let Start::Built(seconds) = start {
                assert!((seconds - built).abs() < 0.06, "{seconds} for {built}");
            }
        }
        assert_eq!(start(&run(9.0, |_| (800.0, 320.0, 20.0)), 0.0), None);
        assert_eq!(called(&Run::default(), 0.0), None);
    }

    /// The stop lines of a reading hold for the live gauge and for a recorded run: an engine of 750 rpm without a sheet must show 17.5 kPa at idle and 84 at 3000 rpm.
    #[test]
    fn the_live_gauge_stops_where_a_reading_would() {
        let falls = |rpm: f64, kpa: f64, at: f64| run(9.0, move |time| if time > at { (rpm, kpa, 90.0) } else { (750.0, 150.0, 90.0) });
        for (rpm, kpa, at, stops) in [
            (750.0, 12.0, 5.0, true),
            (750.0, 25.0, 5.0, false),
            (750.0, 12.0, 8.0, false),
            (750.0, 2.0, 5.0, true),
            (3000.0, 40.0, 5.0, true),
            (3000.0, 25.0, 6.5, true),
            (3000.0, 110.0, 5.0, false),
            (3000.0, 990.0, 5.0, false),
            (3000.0, 1010.0, 5.0, true),
            (750.0, 1200.0, 6.5, true),
            (750.0, 1200.0, 8.0, false),
            // Shut off, or turned by the starter.
            (0.0, 0.0, 5.0, false),
            (250.0, 0.0, 5.0, false),
        ] {
            let run = falls(rpm, kpa, at);
            let call = called(&run, 0.0);
            assert_eq!(call.is_some(), stops, "{kpa} kPa at {rpm} from {at} s: {call:?}");
            let recorded = beyond(&run);
            assert_eq!(recorded.len(), usize::from(stops), "{kpa} kPa at {rpm} from {at} s");
            if let Some(call) = call {
                let (from_s, seconds) = call.since(9.0);
                assert!((from_s - at).abs() < 0.11 && (seconds - (9.0 - at)).abs() < 0.16, "{call:?}");
                assert!(call.says(Units::default()).starts_with("Stop the engine."));
            }
        }
        // What was over before this moment is in the record and is no call.
        let over = run(20.0, |time| (750.0, if (5.0..9.0).contains(&time) { 8.0 } else { 150.0 }, 90.0));
        assert_eq!((called(&over, 0.0), beyond(&over).len()), (None, 1));
        // A gauge that does not rest at zero shows less than it says.
        assert!(called(&falls(750.0, 25.0, 5.0), 10.0).is_some());
    }

    #[test]
    fn without_speed_or_pressure_it_says_that_it_cannot_call() {
        let without = |mut run: Run| {
            run.rpm.clear();
            run
        };
        let stops = without(run(9.0, |time| (800.0, if time > 5.0 { 2.0 } else { 300.0 }, 90.0)));
        assert!(cannot_call(&stops).is_some_and(|says| says.starts_with("Speed is not measured")));
        assert!(matches!(called(&stops, 0.0), Some(StopCall::Lost(_))));
        // Far too high is called by the pressure alone.
        let over = called(&without(run(9.0, |time| (800.0, if time > 5.0 { 1100.0 } else { 300.0 }, 20.0))), 0.0);
        assert!(over.is_some_and(|call| call.says(Units::default()).contains("over its upper stop line of 10")), "{over:?}");
        // Low, but there; and never there at all, which is an engine that has not been started.
        for kpa in [25.0, 0.0] {
            assert_eq!(called(&without(run(9.0, |_| (800.0, kpa, 90.0))), 0.0), None);
        }
        assert!(cannot_call(&Run::default()).is_some_and(|says| says.starts_with("Pressure is not measured")));
        assert_eq!(cannot_call(&run(1.0, |_| (800.0, 100.0, 90.0))), None);
    }
}
