//! Which column is which, and in what unit: by its name, by a row of units under the names, or as a person says it.
use super::clock::Style;
use crate::message::Message;
use crate::unit::Pressure;
use serde::Deserialize;
use std::sync::LazyLock;

/// What is understood of a header, in words for the screen.
pub const UNDERSTOOD: &str = "time (s, ms, min, a clock, a date) · pressure (kPa, bar, psi, mbar, MPa) · speed (rpm, Hz or pulses) · oil temperature (°C or °F). \
The unit stands in the name, in brackets behind it or in a row under the names: “Pressure [bar]”, “oil_temp_c”, “Time (s)”. Columns in any order, parted by comma, \
semicolon, tab or spaces.";

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Quantity {
    /// Time.
    Time,
    /// Pressure.
    Pressure,
    /// Engine speed.
    Speed,
    /// Oil temperature.
    OilTemp,
    /// Pulses, counted or a second.
    Pulses,
    /// Supply of a transducer.
    Supply,
    /// The vehicle's own pressure.
    Dash,
}

impl Quantity {
    /// As a map names it.
    pub fn id(self) -> &'static str {
        match self {
            Self::Time => "time",
            Self::Pressure => "pressure",
            Self::Speed => "speed",
            Self::OilTemp => "oil_temp",
            Self::Pulses => "pulses",
            Self::Supply => "supply",
            Self::Dash => "dash",
        }
    }

    /// From a map.
    pub fn parse(id: &str) -> Option<Self> {
        [Self::Time, Self::Pressure, Self::Speed, Self::OilTemp, Self::Pulses, Self::Supply, Self::Dash].into_iter().find(|q| q.id() == id)
    }

    /// For a person.
    pub fn label(self) -> &'static str {
        match self {
            Self::Time => "time",
            Self::Pressure => "pressure with its unit",
            Self::Speed => "engine speed",
            Self::OilTemp => "oil temperature",
            Self::Pulses => "pulses of the speed signal",
            Self::Supply => "supply voltage",
            Self::Dash => "the vehicle's own pressure",
        }
    }
}

/// A straight line from what stands in a cell to what is meant: value = offset + factor × cell.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Scale {
    /// Factor.
    pub factor: f64,
    /// Offset.
    pub offset: f64,
}

impl Scale {
    /// As it stands.
    pub const PLAIN: Self = Self { factor: 1.0, offset: 0.0 };

    /// °F to °C.
    pub const FAHRENHEIT: Self = Self { factor: 1.0 / 1.8, offset: -32.0 / 1.8 };

    /// By a factor.
    pub fn by(factor: f64) -> Self {
        Self { factor, offset: 0.0 }
    }

    /// Through two points: a cell and what it means.
    pub fn through((a, x): (f64, f64), (b, y): (f64, f64)) -> Option<Self> {
        let factor = (y - x) / (b - a);
        let scale = Self { factor, offset: x - factor * a };
        (scale.factor.is_finite() && scale.offset.is_finite() && factor != 0.0).then_some(scale)
    }

    /// What a cell means.
    pub fn of(self, cell: f64) -> f64 {
        self.offset + self.factor * cell
    }
}

/// How speed is told.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Turns {
    /// Turns a minute.
    Rpm,
    /// Turns a second, or pulses a second when so many come a turn.
    Hertz(Option<f64>),
    /// Pulses counted since the start, or the signal itself, so many a turn.
    Counted(Option<f64>),
}

/// A column: its place, counted from 0, and what its cells mean.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Column<U> {
    /// Place.
    pub at: usize,
    /// Meaning.
    pub unit: U,
}

/// Which column is which.
#[derive(Debug, Clone, PartialEq)]
pub struct Mapping {
    /// Time, in seconds by a scale; a clock and a moment are seconds already. None when the rows come at a rate.
    pub time: Option<Column<Scale>>,
    /// Rows a second, when there is no column of time.
    pub rate_hz: Option<f64>,
    /// Pressure, to kPa.
    pub pressure: Column<Scale>,
    /// The cells are volts that follow their supply: this column's, against so many volts.
    pub ratiometric: Option<(usize, f64)>,
    /// Engine speed.
    pub speed: Option<Column<Turns>>,
    /// Oil temperature, to °C.
    pub oil_temp: Option<Column<Scale>>,
    /// The vehicle's own pressure, to kPa.
    pub dash: Option<Column<Scale>>,
    /// What was taken for granted, in sentences.
    pub assumed: Vec<Message>,
}

/// Absolute pressure of the air, kPa, taken off where a unit says absolute.
const AIR_KPA: f64 = 101.325;

/// kPa in what a pressure's unit says.
pub(super) fn pressure_unit(word: &str) -> Option<Scale> {
    let word = word.trim().to_lowercase();
    if let Some(unit) = Pressure::parse(&word) {
        return Some(Scale::by(unit.kpa()));
    }
    Some(match word.as_str() {
        "psig" | "psi(g)" | "lbf/in²" => Scale::by(Pressure::Psi.kpa()),
        "psia" | "psi(a)" => Scale { factor: Pressure::Psi.kpa(), offset: -AIR_KPA },
        "barg" | "bar(g)" | "bars" => Scale::by(100.0),
        "bara" | "bar(a)" => Scale { factor: 100.0, offset: -AIR_KPA },
        "kpag" | "kpa(g)" => Scale::PLAIN,
        "kpaa" | "kpa(a)" => Scale { factor: 1.0, offset: -AIR_KPA },
        "mbar" | "hpa" => Scale::by(0.1),
        "mpa" => Scale::by(1000.0),
        "pa" => Scale::by(1e-3),
        "kg/cm2" | "kg/cm²" | "kgf/cm2" | "at" => Scale::by(98.0665),
        _ => return None,
    })
}

/// Seconds in what a time's unit says.
pub(super) fn time_unit(word: &str) -> Option<Scale> {
    Some(Scale::by(match word.trim().to_lowercase().as_str() {
        "s" | "sec" | "secs" | "seconds" | "second" | "sekunden" => 1.0,
        "ms" | "msec" | "milliseconds" | "millis" => 1e-3,
        "us" | "µs" | "μs" | "usec" | "microseconds" => 1e-6,
        "min" | "mins" | "minutes" => 60.0,
        "h" | "hours" => 3600.0,
        _ => return None,
    }))
}

/// °C in what a temperature's unit says.
pub(super) fn temp_unit(word: &str) -> Option<Scale> {
    Some(match word.trim().to_lowercase().as_str() {
        "c" | "°c" | "degc" | "celsius" | "deg c" | "ºc" => Scale::PLAIN,
        "f" | "°f" | "degf" | "fahrenheit" | "deg f" | "ºf" => Scale::FAHRENHEIT,
        "k" | "kelvin" => Scale { factor: 1.0, offset: -273.15 },
        _ => return None,
    })
}

fn speed_unit(word: &str) -> Option<Turns> {
    Some(match word.trim().to_lowercase().as_str() {
        "rpm" | "1/min" | "/min" | "min-1" | "min^-1" | "u/min" | "tr/min" | "r/min" | "rev/min" | "giri/min" => Turns::Rpm,
        "hz" | "1/s" | "rps" => Turns::Hertz(None),
        _ => return None,
    })
}

/// True for a word that is a unit of anything a run records.
pub(super) fn is_unit(word: &str) -> bool {
    time_unit(word).is_some() || pressure_unit(word).is_some() || temp_unit(word).is_some() || speed_unit(word).is_some()
}

#[derive(Debug, Deserialize)]
struct Words {
    quantity: Vec<Named>,
    dash: Marker,
    oil: Marker,
}

#[derive(Debug, Deserialize)]
struct Named {
    id: Quantity,
    names: Vec<String>,
    not: Vec<String>,
}

#[derive(Debug, Deserialize)]
struct Marker {
    words: Vec<String>,
}

#[expect(clippy::expect_used, reason = "OK because a test reads the file that is compiled in")]
static WORDS: LazyLock<Words> =
    LazyLock::new(|| toml::from_str(include_str!("../../knowledge/columns.toml")).expect("columns.toml is shipped"));

/// A header's name taken apart.
struct Name {
    words: Vec<String>,
    /// What may be its unit, likeliest first.
    units: Vec<String>,
}

impl Name {
    fn of(name: &str, unit: &str) -> Self {
        let lower = name.to_lowercase();
        let is_word = |letter: char| letter.is_alphanumeric() || matches!(letter, '°' | 'º' | '²');
        let words: Vec<String> = lower.split(|letter: char| !is_word(letter)).filter(|word| !word.is_empty()).map(str::to_owned).collect();
        let bracketed = lower.split(['[', '(', '{']).skip(1).filter_map(|rest| rest.split([']', '}']).next());
        let bracketed = bracketed.map(|unit| unit.strip_suffix(')').filter(|inner| !inner.contains('(')).unwrap_or(unit));
        let mut units: Vec<String> = vec![unit.trim().trim_matches(['[', ']', '(', ')']).to_lowercase()];
        units.extend(bracketed.map(str::to_owned));
        units.extend(lower.split([',', '/', ';']).skip(1).map(|rest| rest.trim().to_owned()));
        units.extend(lower.rsplit_once(" in ").map(|(_, unit)| unit.trim().to_owned()));
        units.extend(words.iter().rev().cloned());
        units.retain(|unit| !unit.is_empty());
        Self { words, units }
    }

    fn has(&self, any: &[String]) -> bool {
        self.words.iter().any(|word| any.contains(word))
    }

    fn unit<T>(&self, parse: impl Fn(&str) -> Option<T>) -> Option<T> {
        self.units.iter().find_map(|unit| parse(unit))
    }

    /// What the name says it is; a unit alone says it too.
    fn quantity(&self) -> Option<Quantity> {
        let named = WORDS.quantity.iter().find(|named| self.has(&named.names) && !self.has(&named.not)).map(|named| named.id);
        let forbids = |quantity: Quantity| WORDS.quantity.iter().any(|named| named.id == quantity && self.has(&named.not));
        let oil = self.has(&WORDS.oil.words);
        named.or_else(|| match () {
            () if oil && !forbids(Quantity::OilTemp) && self.unit(temp_unit).is_some() => Some(Quantity::OilTemp),
            () if self.words.len() <= 3 && self.units.first().and_then(|unit| speed_unit(unit)) == Some(Turns::Rpm) => {
                Some(Quantity::Speed)
            }
            () => None,
        })
    }
}

/// A mapping as far as it goes, and the quantities, or their units, that are missing or stand twice.
pub(super) type Guess = (Mapping, Vec<Quantity>);

/// No column.
const NOWHERE: usize = usize::MAX;

/// The mapping that a header itself tells, and what it does not tell. `units` is the row under the names, empty where there is none; `styles` how the cells of each column write
/// times. Speed and oil temperature may be absent altogether: then they are asked for hold by hold.
pub(super) fn guess(header: &[String], units: &[String], styles: &[Option<Style>]) -> Guess {
    let names: Vec<Name> = header.iter().enumerate().map(|(i, name)| Name::of(name, units.get(i).map_or("", String::as_str))).collect();
    let of = |quantity: Quantity| -> Vec<usize> {
        names.iter().enumerate().filter(|(_, name)| name.quantity() == Some(quantity)).map(|(at, _)| at).collect()
    };
    let named = |at: usize| names.get(at);
    let says = |at: usize, words: &Marker| named(at).is_some_and(|name| name.has(&words.words));
    let mut missing = Vec::new();

    // Time: a date and a clock beside it are one; of several the first that counts up is meant.
    let times = of(Quantity::Time);
    let style = |at: usize| styles.get(at).copied().flatten();
    let clocked = times
        .iter()
        .copied()
        .find(|at| style(*at) == Some(Style::Moment))
        .or_else(|| times.iter().copied().find(|at| style(*at) == Some(Style::Clock)));
    let numbered = times.iter().copied().find(|at| style(*at) == Some(Style::Number));
    let time = match (numbered, clocked) {
        (Some(at), _) if named(at).and_then(|name| name.unit(time_unit)).is_some() => {
            named(at).and_then(|name| name.unit(time_unit)).map(|unit| Column { at, unit })
        }
        (_, Some(at)) => Some(Column { at, unit: Scale::PLAIN }),
        (Some(at), None) => Some(Column { at, unit: Scale { factor: f64::NAN, offset: 0.0 } }),
        (None, None) => None,
    };

    // Pressure: the vehicle's own apart; of several the one that says oil or rig.
    let all = of(Quantity::Pressure);
    let (dashes, mut pressures): (Vec<usize>, Vec<usize>) = all.iter().partition(|at| says(**at, &WORDS.dash));
    if pressures.len() > 1 {
        let oil: Vec<usize> = pressures.iter().copied().filter(|at| says(*at, &WORDS.oil)).collect();
        if !oil.is_empty() {
            pressures = oil;
        }
    }
    let pressures = if pressures.is_empty() { dashes.clone() } else { pressures };
    let pressure = match pressures.as_slice() {
        [at] => named(*at).and_then(|name| name.unit(pressure_unit)).map(|unit| Column { at: *at, unit }),
        _ => None,
    };
    let dash = dashes
        .iter()
        .copied()
        .find(|at| pressure.is_some_and(|pressure| pressure.at != *at))
        .and_then(|at| named(at).and_then(|name| name.unit(pressure_unit)).map(|unit| Column { at, unit }));

    let temps = of(Quantity::OilTemp);
    let oil: Vec<usize> = temps.iter().copied().filter(|at| says(*at, &WORDS.oil)).collect();
    let temps = if temps.len() > 1 && !oil.is_empty() { oil } else { temps };
    let oil_temp = match temps.as_slice() {
        [] => None,
        [at] => Some(Column {
            at: *at,
            unit: named(*at).and_then(|name| name.unit(temp_unit)).unwrap_or(Scale { factor: f64::NAN, offset: 0.0 }),
        }),
        _ => {
            missing.push(Quantity::OilTemp);
            None
        }
    };

    let speeds = of(Quantity::Speed);
    let pulses = of(Quantity::Pulses);
    let speed = match (speeds.as_slice(), pulses.as_slice()) {
        ([at], _) => Some(Column { at: *at, unit: named(*at).and_then(|name| name.unit(speed_unit)).unwrap_or(Turns::Rpm) }),
        ([], [at]) => {
            let counted = named(*at).and_then(|name| name.unit(speed_unit)).is_none();
            Some(Column { at: *at, unit: if counted { Turns::Counted(None) } else { Turns::Hertz(None) } })
        }
        ([], []) => None,
        _ => {
            missing.push(Quantity::Speed);
            None
        }
    };
    if pressure.is_none() {
        missing.insert(0, Quantity::Pressure);
    }
    let pressure = pressure.unwrap_or(Column { at: NOWHERE, unit: Scale::PLAIN });
    (Mapping { time, rate_hz: None, pressure, ratiometric: None, speed, oil_temp, dash, assumed: Vec::new() }, missing)
}

/// Why a map cannot be followed, in a sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error(
    "“{part}” cannot be followed: {why}. Write what=column or what=column:unit, columns by number from 1 or by name, parted by commas: \
time=1:s,pressure=3:bar,speed=2:rpm,oil_temp=4:c; volts as pressure=3:0.5..4.5V=0..10bar; pulses as speed=2:hz/4 or speed=2:count/4; rows without a time as rate=100."
)]
pub struct MapError {
    /// What was written.
    pub part: String,
    /// What is wrong with it.
    pub why: &'static str,
}

/// A person's map laid over what the header tells.
///
/// # Errors
/// [`MapError`] with the part that is wrong.
pub(super) fn mapped(map: &str, header: &[String], guessed: Guess) -> Result<Guess, MapError> {
    let (mut mapping, mut missing) = guessed;
    for part in map.split([',', ' ']).map(str::trim).filter(|part| !part.is_empty()) {
        let wrong = |why: &'static str| MapError { part: part.chars().take(80).collect(), why };
        let (what, rest) = part.split_once('=').ok_or_else(|| wrong("it has no ="))?;
        if what == "rate" {
            mapping.rate_hz = Some(
                rest.parse()
                    .ok()
                    .filter(|hz: &f64| *hz > 0.0 && *hz <= 1e6)
                    .ok_or_else(|| wrong("the rate is no number of rows a second"))?,
            );
            mapping.time = None;
            missing.retain(|quantity| *quantity != Quantity::Time);
            continue;
        }
        let quantity =
            Quantity::parse(what).ok_or_else(|| wrong("only time, pressure, speed, oil_temp, dash, supply and rate can be named"))?;
        let (column, unit) = rest.split_once(':').unwrap_or((rest, ""));
        let by_name = || header.iter().position(|name| name.eq_ignore_ascii_case(column));
        let by_number = column.parse::<usize>().ok().and_then(|number| number.checked_sub(1)).filter(|at| *at < header.len());
        let at = by_number.or_else(by_name).ok_or_else(|| wrong("there is no such column"))?;
        match quantity {
            Quantity::Time => {
                let plain = if unit.is_empty() { Some(Scale { factor: f64::NAN, offset: 0.0 }) } else { time_unit(unit) };
                mapping.time = Some(Column { at, unit: plain.ok_or_else(|| wrong("this is not a unit of time; use s, ms or min"))? });
            }
            Quantity::Pressure | Quantity::Dash => {
                let unit = if unit.is_empty() { "?" } else { unit };
                let scale = pressure_unit(unit)
                    .or_else(|| volts(unit))
                    .ok_or_else(|| wrong("this is not a unit of pressure; use kPa, bar, psi, or volts with their scaling"))?;
                let column = Column { at, unit: scale };
                if quantity == Quantity::Pressure { mapping.pressure = column } else { mapping.dash = Some(column) }
            }
            Quantity::Speed | Quantity::Pulses => {
                let (unit, per_turn) = unit.split_once('/').unwrap_or((unit, ""));
                let per_turn = if per_turn.is_empty() {
                    None
                } else {
                    Some(
                        per_turn
                            .parse::<f64>()
                            .ok()
                            .filter(|n| (0.1..=1000.0).contains(n))
                            .ok_or_else(|| wrong("the pulses a turn are no number"))?,
                    )
                };
                let turns = match unit {
                    "" if quantity == Quantity::Pulses => Turns::Counted(per_turn),
                    "" | "rpm" => Turns::Rpm,
                    "hz" | "Hz" => Turns::Hertz(per_turn),
                    "count" | "pulses" => Turns::Counted(per_turn),
                    _ => return Err(wrong("this is not a unit of speed; use rpm, hz or count")),
                };
                mapping.speed = Some(Column { at, unit: turns });
            }
            Quantity::OilTemp => {
                mapping.oil_temp = Some(Column {
                    at,
                    unit: temp_unit(if unit.is_empty() { "c" } else { unit })
                        .ok_or_else(|| wrong("this is not a unit of temperature; use c or f"))?,
                });
            }
            Quantity::Supply => {
                let nominal = if unit.is_empty() { Some(5.0) } else { unit.trim_end_matches(['v', 'V']).parse().ok() };
                mapping.ratiometric =
                    Some((at, nominal.filter(|v: &f64| *v > 0.0).ok_or_else(|| wrong("the nominal supply is no number of volts"))?));
            }
        }
        missing.retain(|left| *left != quantity && !(quantity == Quantity::Pulses && *left == Quantity::Speed));
    }
    Ok((mapping, missing))
}

/// “0.5..4.5V=0..10bar”: what two voltages mean.
fn volts(text: &str) -> Option<Scale> {
    let (volts, pressure) = text.split_once('=')?;
    let span = |text: &str| -> Option<(f64, f64)> {
        let (from, to) = text.split_once("..")?;
        Some((from.trim().parse().ok()?, to.trim().parse().ok()?))
    };
    let lower = volts.trim().to_lowercase();
    let (low, high) = span(lower.strip_suffix("mv").or_else(|| lower.strip_suffix('v'))?)?;
    let digits = pressure.rfind(|letter: char| letter.is_ascii_digit())? + 1;
    let (numbers, unit) = pressure.split_at_checked(digits)?;
    let (from, to) = span(numbers)?;
    let unit = pressure_unit(unit)?;
    Scale::through((low, unit.of(from)), (high, unit.of(to)))
}
