//! Units a person meets. Inside, pressure is kPa gauge, temperature °C, speed turns a minute.
use crate::choice::choice;
use serde::{Deserialize, Serialize};

/// Unit of pressure on screens, in forms and in captures.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Pressure {
    /// Kilopascal.
    #[default]
    Kpa,
    /// Bar, 100 kPa.
    Bar,
    /// Pound-force per square inch, 6.894 757 293 kPa (NIST SP 811, appendix B).
    Psi,
}

impl Pressure {
    /// All of them, in the order of the switch.
    pub const ALL: [Self; 3] = [Self::Kpa, Self::Bar, Self::Psi];

    /// kPa in one of this unit.
    pub fn kpa(self) -> f64 {
        match self {
            Self::Kpa => 1.0,
            Self::Bar => 100.0,
            Self::Psi => 6.894_757_293,
        }
    }

    /// As printed beside a number.
    pub fn label(self) -> &'static str {
        match self {
            Self::Kpa => "kPa",
            Self::Bar => "bar",
            Self::Psi => "psi",
        }
    }

    /// From what a person or a file writes; `None` when it is no unit of pressure.
    ///
    /// ```
    /// # use velvet_dial_core::unit::Pressure;
    /// assert_eq!(Pressure::parse(" PSI "), Some(Pressure::Psi));
    /// assert_eq!(Pressure::parse("furlong"), None);
    /// ```
    pub fn parse(text: &str) -> Option<Self> {
        match text.trim().to_ascii_lowercase().as_str() {
            "kpa" => Some(Self::Kpa),
            "bar" => Some(Self::Bar),
            "psi" | "lb/in2" | "lbf/in2" => Some(Self::Psi),
            _ => None,
        }
    }

    /// A pressure in kPa as text in this unit, without the unit's name: whole kPa, hundredths of a bar, whole psi and, under twenty, tenths.
    pub fn show(self, kpa: f64) -> String {
        let value = kpa / self.kpa();
        let text = match self {
            Self::Bar => format!("{value:.2}"),
            // Near an idle's limit a whole psi is a tenth of what is read.
            Self::Psi if value.abs() < 19.95 => format!("{value:.1}"),
            Self::Kpa | Self::Psi => format!("{value:.0}"),
        };
        if text.trim_matches(['-', '0', '.']).is_empty() { text.trim_start_matches('-').to_owned() } else { text }
    }

    /// The same with the unit's name behind it.
    pub fn with_unit(self, kpa: f64) -> String {
        format!("{} {}", self.show(kpa), self.label())
    }
}

choice! {
    /// Gear in which a point is read.
    Gear {
        /// Neutral or park.
        Neutral = "neutral": "neutral",
        /// In gear, brake held.
        Drive = "drive": "in gear",
    }
}

#[expect(clippy::derivable_impls, reason = "the macro that writes the enum knows no default")]
impl Default for Gear {
    fn default() -> Self {
        Self::Neutral
    }
}

/// Odds as they are said.
pub fn percent(p: f64) -> String {
    if p < 0.01 {
        "< 1 %".to_owned()
    } else if p > 0.99 {
        "> 99 %".to_owned()
    } else {
        format!("{:.0} %", 100.0 * p)
    }
}

/// A figure as it is told: to four figures, and whole from a thousand on. What is finer nobody measured.
///
/// ```
/// # use velvet_dial_core::unit::figures;
/// assert_eq!(figures(0.4930091081397925), 0.493);
/// assert_eq!(figures(12_345.678), 12_346.0);
/// assert_eq!(figures(-0.0), 0.0);
/// ```
pub fn figures(value: f64) -> f64 {
    if value == 0.0 || !value.is_finite() {
        return if value.is_finite() { 0.0 } else { value };
    }
    let places = (3 - value.abs().log10().floor() as i32).clamp(0, 9);
    let scale = 10f64.powi(places);
    (value * scale).round() / scale + 0.0
}

/// A text with its first letter as at the head of a sentence.
pub fn first_lower(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map(|first| first.to_lowercase().chain(letters).collect()).unwrap_or_default()
}

/// The same with its first letter as a capital.
pub fn first_upper(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map(|first| first.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

choice! {
    /// Unit of temperature on screens and in forms.
    Temperature {
        /// Degree Celsius.
        Celsius = "c": "°C",
        /// Degree Fahrenheit.
        Fahrenheit = "f": "°F",
    }
}

impl Temperature {
    /// By its id; none for any other word.
    pub fn parse(id: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, known, _)| *known == id).map(|(unit, ..)| *unit)
    }

    /// What a number in it is multiplied by and then raised by to be °C.
    pub fn to_c(self) -> (f64, f64) {
        match self {
            Self::Celsius => (1.0, 0.0),
            Self::Fahrenheit => (1.0 / 1.8, -32.0 / 1.8),
        }
    }

    /// A temperature in °C as a number in it.
    pub fn of_c(self, temp_c: f64) -> f64 {
        match self {
            Self::Celsius => temp_c,
            Self::Fahrenheit => 1.8 * temp_c + 32.0,
        }
    }
}

/// The units that somebody likes: of pressure, to which it leads where only that is asked for, and of temperature.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Units {
    /// Of pressure.
    pub pressure: Pressure,
    /// Of temperature.
    pub temperature: Temperature,
}

impl Default for Units {
    fn default() -> Self {
        Pressure::default().into()
    }
}

impl From<Pressure> for Units {
    fn from(pressure: Pressure) -> Self {
        Self { pressure, temperature: Temperature::Celsius }
    }
}

impl std::ops::Deref for Units {
    type Target = Pressure;

    fn deref(&self) -> &Pressure {
        &self.pressure
    }
}

impl Units {
    /// A temperature in °C, whole, with its unit.
    pub fn temp(self, temp_c: f64) -> String {
        format!("{:.0} {}", self.temperature.of_c(temp_c), self.temperature.label())
    }

    /// As they travel with a form: “psi f”.
    pub fn sent(self) -> String {
        format!("{} {}", self.label(), self.temperature.id())
    }

    /// Back from what travelled; a pressure alone is one with °C, as forms sent before temperatures had a unit of their own.
    ///
    /// ```
    /// # use velvet_dial_core::unit::{Pressure, Units};
    /// let units = Units::parse("psi f").unwrap();
    /// assert_eq!((units.sent().as_str(), units.temp(100.0).as_str()), ("psi f", "212 °F"));
    /// assert_eq!(Units::parse("bar"), Some(Pressure::Bar.into()));
    /// assert_eq!(Units::parse("furlong c"), None);
    /// ```
    pub fn parse(text: &str) -> Option<Self> {
        let (pressure, temperature) = text.trim().split_once(' ').unwrap_or((text, "c"));
        Some(Self { pressure: Pressure::parse(pressure)?, temperature: Temperature::parse(temperature)? })
    }
}
