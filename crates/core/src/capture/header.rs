//! Which column is which.
use crate::unit::Pressure;

/// What is understood of a header, in words for the screen.
pub const UNDERSTOOD: &str = "time (s, ms or min) · pressure (kPa, bar or psi) · speed or rpm · oil temperature or temp (°C or °F). \
The unit stands in the name or in brackets behind it: “Pressure [bar]”, “oil_temp_c”, “Time (s)”. Columns in any order, parted by comma, \
semicolon or tab.";

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quantity {
    /// Time.
    Time,
    /// Pressure.
    Pressure,
    /// Engine speed.
    Speed,
    /// Oil temperature.
    OilTemp,
}

/// Unit of time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeUnit {
    /// Seconds.
    S,
    /// Milliseconds.
    Ms,
    /// Minutes.
    Min,
}

impl TimeUnit {
    /// Seconds in one.
    pub fn seconds(self) -> f64 {
        match self {
            Self::S => 1.0,
            Self::Ms => 1e-3,
            Self::Min => 60.0,
        }
    }

    /// As printed beside a number.
    pub fn label(self) -> &'static str {
        match self {
            Self::S => "s",
            Self::Ms => "ms",
            Self::Min => "min",
        }
    }

    /// From what is written.
    pub fn parse(text: &str) -> Option<Self> {
        match text {
            "s" | "sec" | "seconds" | "second" => Some(Self::S),
            "ms" | "msec" | "milliseconds" => Some(Self::Ms),
            "min" | "minutes" => Some(Self::Min),
            _ => None,
        }
    }
}

/// Unit of temperature.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TempUnit {
    /// Celsius.
    C,
    /// Fahrenheit.
    F,
}

impl TempUnit {
    /// In °C.
    pub fn celsius(self, value: f64) -> f64 {
        match self {
            Self::C => value,
            Self::F => (value - 32.0) / 1.8,
        }
    }

    /// From what is written.
    pub fn parse(text: &str) -> Option<Self> {
        match text {
            "c" | "°c" | "degc" | "celsius" => Some(Self::C),
            "f" | "°f" | "degf" | "fahrenheit" => Some(Self::F),
            _ => None,
        }
    }
}

/// One column of the mapping: its place, counted from 0, and its unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Column<U> {
    /// Place.
    pub at: usize,
    /// Unit.
    pub unit: U,
}

/// Which column is which.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Mapping {
    /// Time.
    pub time: Column<TimeUnit>,
    /// Pressure.
    pub pressure: Column<Pressure>,
    /// Speed, turns a minute.
    pub speed: usize,
    /// Oil temperature.
    pub oil_temp: Column<TempUnit>,
}

/// The mapping that a header itself tells, or the quantities it does not tell.
///
/// # Errors
/// The quantities, or their units, that are missing or stand twice.
pub fn guess(header: &[String]) -> Result<Mapping, Vec<Quantity>> {
    let words: Vec<Vec<String>> = header.iter().map(|name| split(name)).collect();
    let only = |quantity: Quantity| {
        let mut found = words.iter().enumerate().filter(|(_, words)| of(words) == Some(quantity));
        match (found.next(), found.next()) {
            (Some((at, _)), None) => Some(at),
            _ => None,
        }
    };
    let unit = |at: Option<usize>| at.and_then(|at| words.get(at)).into_iter().flatten();
    let time = only(Quantity::Time);
    let pressure = only(Quantity::Pressure);
    let speed = only(Quantity::Speed);
    let temp = only(Quantity::OilTemp);
    let time = time.zip(unit(time).find_map(|word| TimeUnit::parse(word)));
    let pressure = pressure.zip(unit(pressure).find_map(|word| Pressure::parse(word)));
    let temp = temp.zip(unit(temp).find_map(|word| TempUnit::parse(word)));
    match (time, pressure, speed, temp) {
        (Some(time), Some(pressure), Some(speed), Some(temp)) => Ok(Mapping {
            time: Column { at: time.0, unit: time.1 },
            pressure: Column { at: pressure.0, unit: pressure.1 },
            speed,
            oil_temp: Column { at: temp.0, unit: temp.1 },
        }),
        _ => Err([
            (Quantity::Time, time.is_none()),
            (Quantity::Pressure, pressure.is_none()),
            (Quantity::Speed, speed.is_none()),
            (Quantity::OilTemp, temp.is_none()),
        ]
        .into_iter()
        .filter(|(_, missing)| *missing)
        .map(|(quantity, _)| quantity)
        .collect()),
    }
}

fn split(name: &str) -> Vec<String> {
    name.to_lowercase().split(|c: char| !c.is_alphanumeric() && c != '°').filter(|word| !word.is_empty()).map(str::to_owned).collect()
}

fn of(words: &[String]) -> Option<Quantity> {
    let has = |any: &[&str]| words.iter().any(|word| any.contains(&word.as_str()));
    // Temperature first: “oil temp” and “oil pressure” share a word, and “time” never does.
    if has(&["temp", "temperature", "degc", "degf"]) {
        Some(Quantity::OilTemp)
    } else if has(&["pressure", "press", "kpa", "bar", "psi"]) {
        Some(Quantity::Pressure)
    } else if has(&["rpm", "speed", "revs"]) {
        Some(Quantity::Speed)
    } else if has(&["time", "seconds", "elapsed", "t"]) {
        Some(Quantity::Time)
    } else {
        None
    }
}
