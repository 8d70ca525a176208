//! All that a run tells, in one go: what `velvet-dial capture` prints and the screens draw.
use super::coarse::coarse;
use super::columns::{self, Mapping, Quantity};
use super::file::{Table, table};
use super::hold::{Hold, holds_of};
use super::knee::{Sweep, sweep};
use super::needle::{Needle, needle};
use super::quality::{self, Gap};
use super::read::read;
use super::run::Run;
use super::warm::{WarmUp, warm_up};
use super::{CaptureError, start};
use crate::circuit::Card;
use crate::hex::hex;
use crate::message;
use crate::message::{Message, difference, number};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// What a run tells. Pressures in kPa over the air, temperatures in °C, times in seconds from the file's own beginning.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Analysis {
    /// `velvet-dial.capture/1`.
    pub format: String,
    /// SHA-256 of what was measured, hexadecimal: the same run offered again is known by it, saved with other separators or another order of columns too.
    pub fingerprint: String,
    /// Moments with a pressure.
    pub samples: usize,
    /// First and last of them, s.
    pub from_s: f64,
    /// See `from_s`.
    pub to_s: f64,
    /// Columns as they were understood: quantity and name.
    pub columns: Vec<Named>,
    /// Steady holds, in the order of time.
    pub holds: Vec<Hold>,
    /// Seconds from the first turn of the crank until pressure shows; null when the run holds no start.
    pub build_time_s: Option<f64>,
    /// Highest pressure while the oil is cold; null when it never was.
    pub cold_peak_kpa: Option<f64>,
    /// Speed at which pressure stops rising; null when it rises to the end, or nothing was swept.
    pub knee_rpm: Option<f64>,
    /// The sweep with its rise before and after the knee.
    pub sweep: Option<Sweep>,
    /// Idle pressure over oil temperature; null when the oil hardly warmed.
    pub warm_up: Option<WarmUp>,
    /// How the needle moved; null when it was recorded too coarsely.
    pub needle: Option<Needle>,
    /// How the vehicle's own pressure moved, where it was recorded.
    pub dash_needle: Option<Needle>,
    /// Stretches in which nothing was recorded.
    pub gaps: Vec<Gap>,
    /// What it reads with the engine standing; null when the run holds no standing.
    pub zero_kpa: Option<f64>,
    /// The same after the last stop.
    pub zero_after_kpa: Option<f64>,
    /// Pulses a turn that speed was worked out with.
    pub pulses_per_turn: Option<f64>,
    /// What was left out, taken for granted or found odd, in sentences.
    pub notes: Vec<Message>,
}

/// The JSON Schema of an analysis, made from the types.
pub fn schema() -> serde_json::Value {
    schemars::schema_for!(Analysis).to_value()
}

/// A column as it was understood.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Named {
    /// `time`, `pressure`, `speed`, `oil_temp` or `dash`.
    pub quantity: String,
    /// Its name in the file.
    pub name: String,
}

/// The mapping of a file: by its header, and by what a person says over it.
///
/// # Errors
/// [`CaptureError::Unnamed`] with what the header does not say, [`CaptureError::Map`] for a map that cannot be followed.
pub fn mapping(table: &Table<'_>, map: Option<&str>) -> Result<Mapping, CaptureError> {
    let guessed = columns::guess(&table.header, &table.units, &table.styles);
    let (mut mapping, mut missing) = match map.filter(|map| !map.trim().is_empty()) {
        Some(map) => columns::mapped(map, &table.header, guessed)?,
        None => guessed,
    };
    for (absent, what) in [(mapping.speed.is_none(), "engine's speed"), (mapping.oil_temp.is_none(), "oil's temperature")] {
        if absent {
            mapping.assumed.push(message!("run-no-column", what = what));
        }
    }
    if mapping.time.is_none() && mapping.rate_hz.is_none() {
        mapping.rate_hz = rate_said(&table.said);
        match mapping.rate_hz {
            Some(hz) => mapping.assumed.push(message!("run-rate-from-header", rate = hz)),
            None => missing.insert(0, Quantity::Time),
        }
    }
    if !missing.is_empty() {
        return Err(CaptureError::Unnamed { columns: table.header.clone(), missing });
    }
    if let Some(columns::Column { unit: columns::Turns::Counted(per_turn @ None) | columns::Turns::Hertz(per_turn @ None), .. }) =
        &mut mapping.speed
    {
        *per_turn = pulses_said(&table.said);
    }
    Ok(mapping)
}

/// Rows a second, from header rows such as “Sample rate: 100 Hz” or “Interval = 10 ms”.
fn rate_said(said: &[String]) -> Option<f64> {
    said.iter().find_map(|line| {
        let lower = line.to_lowercase();
        let about = ["rate", "frequency", "interval", "period", "dt", "sampling"].iter().any(|word| lower.contains(word));
        let (number, unit) = first_number(&lower)?;
        match unit.trim_start_matches(['[', '(', ' ']) {
            _ if !about => None,
            unit if unit.starts_with("khz") => Some(1000.0 * number),
            unit if unit.starts_with("hz") || unit.starts_with("samples/s") || unit.starts_with("/s") || unit.starts_with("1/s") => {
                Some(number)
            }
            unit if unit.starts_with("ms") => Some(1000.0 / number),
            unit if unit.starts_with('s') => Some(1.0 / number),
            _ => None,
        }
        .filter(|hz| hz.is_finite() && *hz > 0.0 && *hz <= 1e6)
    })
}

/// Pulses a turn, from a header row that speaks of them.
fn pulses_said(said: &[String]) -> Option<f64> {
    said.iter().find_map(|line| {
        let lower = line.to_lowercase();
        let about = lower.contains("ppr")
            || (lower.contains("puls") || lower.contains("teeth")) && ["rev", "turn", "per"].iter().any(|word| lower.contains(word));
        first_number(&lower).filter(|_| about).map(|(number, _)| number).filter(|number| (0.5..=400.0).contains(number))
    })
}

fn first_number(line: &str) -> Option<(f64, &str)> {
    let start = line.find(|letter: char| letter.is_ascii_digit())?;
    let rest = line.get(start..)?;
    let end = rest.find(|letter: char| !letter.is_ascii_digit() && !matches!(letter, '.' | ',')).unwrap_or(rest.len());
    let number = rest.get(..end)?.trim_end_matches([',', '.']).replace(',', ".").parse().ok()?;
    Some((number, rest.get(end..)?.trim_start()))
}

/// Reads a file and tells all that it holds. `map` names columns that the header does not; `card` is the engine's, for what thinning explains.
///
/// # Errors
/// [`CaptureError`] for a file that cannot be read.
///
/// ```
/// # use velvet_dial_core::capture::{CaptureError, analyse};
/// let mut file = String::from("Time [s];Oil pressure [bar];Engine speed [rpm];Oil temp [°C]\n");
/// for row in 0..200 {
///     file += &format!("{};1,{};800;95\n", f64::from(row) / 10.0, 20 + row % 3);
/// }
/// let told = analyse(file.as_bytes(), None, None)?;
/// assert_eq!(told.holds.len(), 1);
/// assert!((told.holds[0].kpa - 121.0).abs() < 0.1);
/// assert!(matches!(analyse(b"a,b\n1,2\n2,3\n", None, None), Err(CaptureError::Unnamed { .. })));
/// # Ok::<(), CaptureError>(())
/// ```
pub fn analyse(bytes: &[u8], map: Option<&str>, card: Option<&Card>) -> Result<Analysis, CaptureError> {
    read_and_analyse(bytes, map, card).map(|(_, told)| told)
}

/// The same, with the run that it was told of.
///
/// # Errors
/// As [`analyse`].
pub fn read_and_analyse(bytes: &[u8], map: Option<&str>, card: Option<&Card>) -> Result<(Run, Analysis), CaptureError> {
    let table = table(bytes)?;
    let mapping = mapping(&table, map)?;
    let run = read(&table, &mapping)?;
    let told = Analysis { columns: named(&table, &mapping), ..analysed(&run, card) };
    Ok((run, told))
}

/// SHA-256 of what was measured, hexadecimal: in steps of a twentieth of a second, to the hundredth, so that the same run saved again with other separators, in another order of columns
/// or with another name is known.
fn fingerprint(steps: &Run) -> String {
    let mut hash = Sha256::new();
    for channel in [&steps.time_s, &steps.kpa, &steps.rpm, &steps.oil_temp_c] {
        hash.update((channel.len() as u64).to_le_bytes());
        for value in channel {
            hash.update(((100.0 * value).round() as i64).to_le_bytes());
        }
    }
    hex(&hash.finalize())
}

fn named(table: &Table<'_>, mapping: &Mapping) -> Vec<Named> {
    let columns = [
        ("time", mapping.time.map(|column| column.at)),
        ("pressure", Some(mapping.pressure.at)),
        ("speed", mapping.speed.map(|column| column.at)),
        ("oil_temp", mapping.oil_temp.map(|column| column.at)),
        ("dash", mapping.dash.map(|column| column.at)),
    ];
    let name = |at: usize| table.header.get(at).cloned().unwrap_or_default();
    columns.into_iter().filter_map(|(quantity, at)| at.map(|at| Named { quantity: quantity.to_owned(), name: name(at) })).collect()
}

/// All that a run tells, once it is read.
pub fn analysed(run: &Run, card: Option<&Card>) -> Analysis {
    let zero = quality::zero(run);
    let dead = quality::dead(run);
    let steps = coarse(run);
    let gaps = quality::gaps(run);
    let about = quality::about(run, &steps.run, &gaps, dead);
    let held = if dead { Vec::new() } else { holds_of(run, &steps) };
    let ((sweep, warm), moved) =
        rayon::join(|| (sweep(&steps.run), warm_up(&steps.run, card)), || if dead { None } else { needle(run, &held) });
    let build_time_s = start::build_time_s(run, zero);
    let dashed = !run.dash_kpa.is_empty();
    let dash = if dashed {
        Run { time_s: run.time_s.clone(), kpa: run.dash_kpa.clone(), rpm: run.rpm.clone(), ..Run::default() }
    } else {
        Run::default()
    };
    let dash_needle = dashed.then(|| needle(&dash, &dash_holds(&dash, &held))).flatten();
    let mut notes = run.notes.clone();
    notes.extend(about);
    notes.extend(quality::about_zero(zero));
    if let Some(sentence) = beside(moved.as_ref(), dash_needle.as_ref(), &held, &dash) {
        notes.push(sentence);
    }
    if card.is_none() && warm.is_some() {
        notes.push(message!("run-ordinary-engine"));
    }
    if let Some(seconds) = build_time_s.filter(|seconds| *seconds > 6.0) {
        notes.push(message!("run-slow-to-show", seconds = number(seconds, 1)));
    }
    if sweep.is_some_and(|sweep| sweep.rise_after_kpa.is_some_and(|rise| rise < -10.0)) {
        notes.push(message!("run-falls-with-speed"));
    }
    Analysis {
        format: "velvet-dial.capture/1".to_owned(),
        fingerprint: fingerprint(&steps.run),
        samples: run.time_s.len(),
        from_s: run.time_s.first().copied().unwrap_or_default(),
        to_s: run.time_s.last().copied().unwrap_or_default(),
        columns: Vec::new(),
        cold_peak_kpa: start::cold_peak_kpa(run, &steps, build_time_s).filter(|_| !dead),
        holds: held,
        build_time_s,
        knee_rpm: sweep.and_then(|sweep| sweep.knee_rpm),
        sweep: sweep.filter(|_| !dead),
        warm_up: warm.filter(|_| !dead),
        needle: moved,
        dash_needle,
        gaps,
        zero_kpa: zero.before_kpa.or(zero.after_kpa),
        zero_after_kpa: zero.after_kpa.filter(|_| zero.before_kpa.is_some()),
        pulses_per_turn: run.pulses_per_turn,
        notes,
    }
}

/// The holds of the gauge, read on the dash.
fn dash_holds(dash: &Run, holds: &[Hold]) -> Vec<Hold> {
    holds.iter().filter_map(|hold| super::hold::between(dash, hold.from_s, hold.to_s)).collect()
}

/// What the two say beside one another.
fn beside(gauge: Option<&Needle>, vehicle: Option<&Needle>, holds: &[Hold], dash: &Run) -> Option<Message> {
    use super::needle::Motion;
    let still = gauge.is_none_or(|gauge| gauge.kind == Motion::Steady);
    if still && vehicle.is_some_and(|vehicle| vehicle.kind != Motion::Steady) {
        return Some(message!("run-vehicle-is-electrical"));
    }
    let apart = holds.iter().zip(dash_holds(dash, holds)).map(|(gauge, own)| own.kpa - gauge.kpa).collect::<Vec<_>>();
    let most = apart.iter().copied().max_by(|a, b| a.abs().total_cmp(&b.abs()))?;
    (most.abs() > 30.0).then(|| message!("run-vehicle-is-off", difference = difference(most)))
}
