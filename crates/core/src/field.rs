//! The one table of what may be typed: label, range and unit of every number. Form hints, validation and messages read it, so they
//! cannot disagree; the case file is held to it too.
use thiserror::Error;

/// A number a person may type.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Field {
    /// Name in forms.
    pub key: &'static str,
    /// On the screen.
    pub label: &'static str,
    /// Least value.
    pub min: f64,
    /// Greatest value.
    pub max: f64,
    /// Unit, empty for a count.
    pub unit: &'static str,
}

/// Why a number was not taken. The sentence says what is wrong and what would be right.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum FieldError {
    /// Nothing was typed.
    #[error("{label}: nothing typed yet; enter {range}.")]
    Empty {
        /// Which.
        label: &'static str,
        /// What is right.
        range: String,
    },
    /// Not a number.
    #[error("{label}: “{typed}” is not a number; enter {range}.")]
    NotANumber {
        /// Which.
        label: &'static str,
        /// What was typed.
        typed: String,
        /// What is right.
        range: String,
    },
    /// Too low or too high.
    #[error("{label}: {typed} is too {side}; enter {range}.")]
    OutOfRange {
        /// Which.
        label: &'static str,
        /// What was typed.
        typed: String,
        /// `low` or `high`.
        side: &'static str,
        /// What is right.
        range: String,
    },
    /// A lone comma that may part thousands or tenths, where both would be right.
    #[error("{label}: “{typed}” may be {thousands} or {decimal}; write it as {thousands} or as {decimal:.3}.")]
    TwoReadings {
        /// Which.
        label: &'static str,
        /// What was typed.
        typed: String,
        /// With the comma between thousands.
        thousands: f64,
        /// With the comma as the point.
        decimal: f64,
    },
    /// A reading in kPa that looks like one in bar.
    #[error(
        "{label}: {typed} kPa is next to nothing. If it was {typed} bar, write “{typed} bar”; if the needle hardly moved, write “{typed} kPa”."
    )]
    LooksLikeBar {
        /// Which.
        label: &'static str,
        /// What was typed.
        typed: String,
    },
    /// A measure of fluids that is not the same in US and in imperial measures.
    #[error(
        "{label}: {number} {measure} may be US or imperial, a fifth apart; write “{number} us {measure}” or “{number} imp {measure}”, or litres."
    )]
    WhichMeasure {
        /// Which.
        label: &'static str,
        /// The number.
        number: String,
        /// The measure behind it.
        measure: String,
    },
    /// A text longer than its limit.
    #[error("{label}: {length} characters are too many; keep it to {limit}.")]
    TooLong {
        /// Which.
        label: &'static str,
        /// How long it is.
        length: usize,
        /// What is right.
        limit: usize,
    },
    /// A unit that is none.
    #[error("“{typed}” is not a unit of pressure; use kPa, bar or psi.")]
    Unit {
        /// What was typed.
        typed: String,
    },
}

macro_rules! fields {
    ($($(#[$doc:meta])* $name:ident = $key:literal, $label:literal, $min:literal ..= $max:literal, $unit:literal;)+) => {
        $($(#[$doc])* pub const $name: Field = Field { key: $key, label: $label, min: $min, max: $max, unit: $unit };)+
        /// The whole table.
        pub const ALL: &[Field] = &[$($name),+];
    };
}

fields! {
    /// Engine speed of a reading or a limit.
    RPM = "rpm", "Speed", 0.0..=10000.0, "rpm";
    /// Oil temperature.
    OIL_TEMP = "oil_temp_c", "Oil temperature", -20.0..=150.0, "°C";
    /// A pressure read or asked for.
    PRESSURE = "pressure", "Pressure", 0.0..=2500.0, "kPa";
    /// What a gauge shows with its line open.
    ZERO = "zero", "Shows at rest", -100.0..=400.0, "kPa";
    /// How far the needle moved either side during the hold.
    SPREAD = "spread", "Needle moves ±", 0.0..=500.0, "kPa";
    /// Displacement.
    DISPLACEMENT = "displacement_l", "Displacement", 0.1..=60.0, "l";
    /// Cylinders.
    CYLINDERS = "cylinders", "Cylinders", 1.0..=16.0, "";
    /// Idle speed.
    IDLE = "idle_rpm", "Idle speed", 300.0..=2000.0, "rpm";
    /// Relief valve.
    RELIEF = "relief_opens_kpa", "Relief opens at", 50.0..=1500.0, "kPa";
    /// Rated speed.
    RATED = "rated_rpm", "Rated speed", 500.0..=10000.0, "rpm";
    /// Sump off, by the card.
    SUMP_OFF = "sump_off_minutes", "Sump off takes", 10.0..=3000.0, "min";
    /// Front cover off, by the card.
    COVER_OFF = "cover_off_minutes", "Front cover off takes", 10.0..=3000.0, "min";
    /// Engine out, by the card.
    ENGINE_OUT = "engine_out_minutes", "Engine out takes", 60.0..=6000.0, "min";
    /// Oil that goes in with a new filter, by the card.
    FILL = "fill_l", "Oil with a new filter", 0.3..=400.0, "l";
    /// Oil that the filter takes, by the card.
    FILTER_TAKES = "filter_l", "Of it in the filter", 0.02..=20.0, "l";
    /// How many times as likely a known pattern makes a cause.
    TIMES = "times", "Times as likely", 1.1..=200.0, "";
    /// In how many cases a pattern was counted.
    COUNTED = "cases", "Cases counted", 1.0..=100000.0, "";
    /// An hour of work, in the shop's money.
    LABOUR = "labour_rate", "Hour of work", 1.0..=10000.0, "";
    /// How long a shop keeps the customers of closed jobs.
    MONTHS_KEPT = "months", "Months after closing", 1.0..=600.0, "months";
    /// How far a vehicle has gone.
    ODOMETER = "odometer_km", "Odometer", 0.0..=5000000.0, "km";
    /// What an engine is worth to its owner.
    WORTH = "worth", "Engine's worth", 0.0..=1000000.0, "";
    /// What a job may cost, in the shop's money.
    UP_TO = "up_to", "Up to", 0.0..=1000000.0, "";
    /// How long a customer's link holds.
    LINK_DAYS = "days", "Valid for", 1.0..=14.0, "days";
    /// How long a hold lasted.
    HOLD = "hold_s", "Held for", 0.0..=3600.0, "s";
    /// How long a person overrules the flag for.
    OVERRULED = "overrule_minutes", "Overruled for", 1.0..=60.0, "min";
    /// Piston jets.
    JETS = "jets_open_kpa", "Jets open at", 50.0..=600.0, "kPa";
    /// Gauge's full scale.
    FULL_SCALE = "full_scale_kpa", "Full scale", 50.0..=4000.0, "kPa";
    /// Gauge's class.
    CLASS = "class_percent", "Accuracy class", 0.05..=10.0, "% of full scale";
    /// Pressure at which a lamp switch opens.
    LAMP_OPENS = "opens_kpa", "Opens at", 5.0..=400.0, "kPa";
    /// Gauge's graduation.
    GRADUATION = "graduation_kpa", "Graduation", 0.1..=200.0, "kPa";
    /// Error of a dash or a module.
    DASH_PERCENT = "dash_percent", "Dash's error", 0.5..=50.0, "% of reading";
    /// Relief spring's rate.
    SPRING_RATE = "rate_n_mm", "Spring rate", 0.1..=100.0, "N/mm";
    /// Relief spring's length, free or fitted.
    SPRING_LENGTH = "spring_mm", "Spring length", 5.0..=200.0, "mm";
    /// Wire of a relief spring.
    SPRING_WIRE = "wire_mm", "Spring wire", 0.3..=8.0, "mm";
    /// Coils of it that move.
    SPRING_COILS = "coils", "Moving coils", 1.0..=60.0, "coils";
    /// Its load at the length that a sheet names.
    SPRING_LOAD = "load_n", "Spring load", 0.5..=2000.0, "N";
    /// Length of a hose.
    HOSE = "length_mm", "Hose length", 50.0..=10000.0, "mm";
    /// Bore of a feed or a restrictor.
    BORE = "bore_mm", "Bore", 0.3..=20.0, "mm";
    /// Seconds a sheet gives an engine until pressure shows.
    BUILD = "build_s", "Pressure shows within", 0.5..=60.0, "s";
    /// Relief plunger's face.
    PLUNGER = "plunger_mm", "Plunger diameter", 3.0..=60.0, "mm";
    /// Shim under a relief spring.
    SHIM = "shim_mm", "Shim", 0.0..=10.0, "mm";
    /// Pitch of a thread.
    PITCH = "pitch_mm", "Pitch", 0.3..=3.0, "mm";
    /// Turns an inch of a thread.
    TURNS_PER_INCH = "turns_per_inch", "Turns an inch", 8.0..=40.0, "";
    /// Outside diameter of a thread.
    THREAD_DIAMETER = "diameter_mm", "Outside diameter", 4.0..=40.0, "mm";
    /// Plastic clearance strip before it is pressed.
    STRIP_WIRE = "wire_mm", "Strip's diameter", 0.05..=2.0, "mm";
    /// Plastic clearance strip after it.
    STRIP_WIDTH = "width_mm", "Width of the print", 0.1..=20.0, "mm";
    /// Bearing clearance.
    CLEARANCE = "clearance_mm", "Clearance", 0.005..=0.5, "mm";
    /// Main bearings of a crank.
    MAINS = "mains", "Main bearings", 2.0..=12.0, "";
    /// A pump's tip clearance or end float, or their limit.
    PUMP_CLEARANCE = "pump_mm", "Clearance in the pump", 0.005..=2.0, "mm";
    /// A side of a sump.
    SUMP = "sump_mm", "Sump", 50.0..=1500.0, "mm";
    /// Slope a vehicle stands on.
    SLOPE = "slope_deg", "Slope", -45.0..=45.0, "°";
    /// Oil in an engine.
    CAPACITY = "capacity_l", "Oil", 0.2..=60.0, "l";
    /// Oil a filter holds.
    FILTER_VOLUME = "filter_l", "Oil in the filter", 0.0..=5.0, "l";
    /// Oil that stays in, or that work let out beside the drain.
    LEFT_IN = "left_in_l", "Oil left in or let out", 0.0..=10.0, "l";
    /// A pulse signal.
    PULSE_RATE = "hz", "Pulses a second", 0.0..=100000.0, "Hz";
    /// Pulses a turn of the crank.
    PULSES_PER_TURN = "pulses_per_turn", "Pulses a turn", 0.5..=400.0, "";
    /// Time pulses are counted over.
    GATE = "gate_s", "Counted over", 0.01..=10.0, "s";
    /// Open share of a screen.
    OPEN_SHARE = "open_share", "Open share", 0.005..=1.0, "";
    /// Flow through a restrictor.
    FLOW = "flow_l_min", "Flow", 0.01..=100.0, "l/min";
    /// A share of a mixture.
    SHARE = "share", "Share", 0.0..=1.0, "";
    /// Share of an engine's oil that goes elsewhere than to its journals.
    OTHER_SHARE = "other_share", "Share that goes elsewhere", 0.0..=0.9, "";
    /// A signal or a supply.
    VOLTS = "volts", "Volts", 0.0..=30.0, "V";
    /// Length of a task.
    DURATION = "minutes", "Minutes", 1.0..=10000.0, "min";
    /// Minutes that something takes by itself.
    WAITS = "waits_minutes", "It takes", 0.0..=10000.0, "min";
    /// Minutes that a job took.
    TOOK = "took_min", "It took", 1.0..=60000.0, "min";
}

impl Field {
    /// The range as words, in the field's own unit.
    pub fn range(&self) -> String {
        let unit = if self.unit.is_empty() { String::new() } else { format!(" {}", self.unit) };
        format!("{} to {}{unit}", self.min, self.max)
    }

    /// The range with pressures in `unit`.
    fn range_in(&self, unit: crate::unit::Pressure) -> String {
        format!("{} to {} {}", unit.show(self.min), unit.show(self.max), unit.label())
    }

    /// The number typed, with a comma or a point; with its unit behind it when that is not the field's own: “203 °F”, “0.4 in”, “1,2 bar”.
    ///
    /// # Errors
    /// [`FieldError`] when it is empty, no number, not finite or outside the range, and when a lone comma with three digits after it may be either
    /// and both would be in range.
    ///
    /// ```
    /// # use velvet_dial_core::field;
    /// assert_eq!(field::OIL_TEMP.parse("98,5"), Ok(98.5));
    /// assert_eq!(field::OIL_TEMP.parse("212 °F"), Ok(100.0));
    /// assert!(field::OIL_TEMP.parse("9000").is_err());
    /// assert!(field::RPM.parse("1,500").unwrap_err().to_string().contains("may be 1500 or 1.5"));
    /// ```
    pub fn parse(&self, typed: &str) -> Result<f64, FieldError> {
        self.parse_scaled(typed, (1.0, 0.0), self.range())
    }

    /// The temperature typed in `unit`, or in the unit behind it, as °C.
    ///
    /// # Errors
    /// As [`Field::parse`].
    pub fn parse_temp(&self, typed: &str, unit: crate::unit::Temperature) -> Result<f64, FieldError> {
        let (low, high) = (unit.of_c(self.min), unit.of_c(self.max));
        self.parse_scaled(typed, unit.to_c(), format!("{low:.0} to {high:.0} {}", unit.label()))
    }

    /// The pressure typed in `unit`, or in the unit behind it, as kPa: “1,2 bar” is 120 kPa whatever `unit` is.
    ///
    /// # Errors
    /// As [`Field::parse`]; the message speaks in `unit`.
    pub fn parse_pressure(&self, typed: &str, unit: crate::unit::Pressure) -> Result<f64, FieldError> {
        if *self == PRESSURE && unit == crate::unit::Pressure::Kpa && looks_like_bar(typed) {
            return Err(FieldError::LooksLikeBar { label: self.label, typed: shorten(typed.trim()) });
        }
        self.parse_scaled(typed, (unit.kpa(), 0.0), self.range_in(unit))
    }

    /// A value that is already a number, as from a case file.
    ///
    /// # Errors
    /// [`FieldError::OutOfRange`] or [`FieldError::NotANumber`].
    pub fn hold(&self, value: f64) -> Result<f64, FieldError> {
        self.within(value, format!("{value}"), self.range())
    }

    fn parse_scaled(&self, typed: &str, scale: (f64, f64), range: String) -> Result<f64, FieldError> {
        let whole = typed.trim();
        if whole.is_empty() {
            return Err(FieldError::Empty { label: self.label, range });
        }
        // A unit behind the number is the unit; one that is none of this field's leaves no number.
        let (text, scale) = match said_unit(whole) {
            Some((number, unit)) => match in_own_unit(self.unit, unit) {
                Some(said) => (number, said),
                None if self.unit == "l" && of_two_measures(unit) => {
                    return Err(FieldError::WhichMeasure { label: self.label, number: shorten(number), measure: shorten(unit) });
                }
                None => return Err(FieldError::NotANumber { label: self.label, typed: shorten(whole), range }),
            },
            None => (whole, scale),
        };
        let own = |value: f64| value * scale.0 + scale.1;
        let number = ungrouped(text).replace(',', ".").replace(['−', '–'], "-");
        if let Some((thousands, decimal)) = two_readings(text) {
            let fits = |value: f64| self.within(own(value), String::new(), String::new()).is_ok();
            return match (fits(thousands), fits(decimal)) {
                (true, true) => Err(FieldError::TwoReadings { label: self.label, typed: shorten(text), thousands, decimal }),
                (true, false) => Ok(own(thousands)),
                _ => self.within(own(decimal), shorten(text), range),
            };
        }
        match number.parse::<f64>() {
            Ok(value) => self.within(own(value), shorten(whole), range),
            Err(_) => Err(FieldError::NotANumber { label: self.label, typed: shorten(whole), range }),
        }
    }

    fn within(&self, value: f64, typed: String, range: String) -> Result<f64, FieldError> {
        if !value.is_finite() {
            Err(FieldError::NotANumber { label: self.label, typed, range })
        } else if value < self.min - 1e-9 {
            Err(FieldError::OutOfRange { label: self.label, typed, side: "low", range })
        } else if value > self.max + 1e-9 {
            Err(FieldError::OutOfRange { label: self.label, typed, side: "high", range })
        } else {
            Ok(value)
        }
    }
}

/// A bare number with a tenth that no gauge in kPa is read to, and every gauge in bar.
fn looks_like_bar(typed: &str) -> bool {
    const MOST_BAR: f64 = 12.0;
    let text = typed.trim();
    text.contains(['.', ',']) && text.replace(',', ".").parse::<f64>().is_ok_and(|value| value > 0.0 && value < MOST_BAR)
}

/// A number and the unit behind it; none where nothing stands behind it.
fn said_unit(text: &str) -> Option<(&str, &str)> {
    let end = text.rfind(|letter: char| letter.is_ascii_digit() || matches!(letter, '.' | ','))? + 1;
    let (number, unit) = text.split_at_checked(end)?;
    let unit = unit.trim();
    (!unit.is_empty()).then(|| (number.trim_end(), unit))
}

/// A measure of fluids that is one thing in US measures and a fifth more in imperial ones.
fn of_two_measures(said: &str) -> bool {
    ["qt", "quart", "quarts", "pt", "pint", "pints", "gal", "gallon", "gallons"].contains(&said.to_lowercase().as_str())
}

/// What a number in one unit is in a field's own: factor and offset; none for a unit of something else.
fn in_own_unit(own: &str, said: &str) -> Option<(f64, f64)> {
    let said = said.to_lowercase();
    let by = |factor: f64| Some((factor, 0.0));
    match (own, said.as_str()) {
        ("kPa", unit) => by(crate::unit::Pressure::parse(unit)?.kpa()),
        ("°C", "c" | "°c" | "degc") => by(1.0),
        ("°C", "f" | "°f" | "degf") => Some((1.0 / 1.8, -32.0 / 1.8)),
        ("mm", "cm") => by(10.0),
        ("mm", "in" | "inch" | "\"" | "″") => by(25.4),
        ("mm", "µm" | "μm" | "um") => by(1e-3),
        ("km", "mi" | "miles") => by(1.609_344),
        ("rpm", "/min" | "u/min" | "tr/min") => by(1.0),
        ("s", "min") => by(60.0),
        ("s", "ms") => by(1e-3),
        ("min", "h") => by(60.0),
        ("min", "s") => by(1.0 / 60.0),
        ("mm", "thou" | "mil" | "mils") => by(0.0254),
        ("l", "ml" | "cm3" | "cm³" | "cc") => by(1e-3),
        ("l", "us qt" | "us quart" | "us quarts") => by(0.946_353),
        ("l", "us pt" | "us pint" | "us pints") => by(0.473_176),
        ("l", "us gal" | "us gallon" | "us gallons") => by(3.785_412),
        ("l", "imp qt" | "imperial quart" | "imperial quarts" | "uk qt") => by(1.136_523),
        ("l", "imp pt" | "imperial pint" | "imperial pints" | "uk pt") => by(0.568_261),
        ("l", "imp gal" | "imperial gallon" | "imperial gallons" | "uk gal") => by(4.546_09),
        ("V", "mv") => by(1e-3),
        ("", "%") => by(0.01),
        (own, unit) if !own.is_empty() && own.to_lowercase().starts_with(unit) => by(1.0),
        _ => None,
    }
}

/// A text trimmed, at most `limit` characters; characters that control or that nobody sees are taken out.
///
/// # Errors
/// [`FieldError::TooLong`].
pub fn text(label: &'static str, typed: &str, limit: usize) -> Result<String, FieldError> {
    let hidden = |c: char| matches!(c, '\u{ad}' | '\u{200b}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}');
    let clean: String = typed.chars().filter(|c| (!c.is_control() || *c == '\n') && !hidden(*c)).collect();
    // Joiners belong to some scripts, and alone they are nothing.
    let nothing = clean.chars().all(|c| c.is_whitespace() || matches!(c, '\u{200c}' | '\u{200d}'));
    let clean = if nothing { String::new() } else { clean.trim().to_owned() };
    let length = clean.chars().count();
    if length > limit { Err(FieldError::TooLong { label, length, limit }) } else { Ok(clean) }
}

/// A number without the spaces that part its thousands; any other text as it is.
fn ungrouped(text: &str) -> String {
    let mut groups = text.split([' ', '\u{a0}', '\u{202f}']);
    let first = groups.next().unwrap_or_default();
    let rest: Vec<&str> = groups.collect();
    let digits = |group: &str| !group.is_empty() && group.len() <= 3 && group.bytes().all(|byte| byte.is_ascii_digit());
    let whole = |group: &str| group.split(['.', ',']).next().is_some_and(|whole| whole.len() == 3 && digits(whole));
    let parted =
        rest.split_last().is_some_and(|(last, between)| whole(last) && between.iter().all(|group| group.len() == 3 && digits(group)));
    if parted && digits(first) { text.chars().filter(|letter| !letter.is_whitespace()).collect() } else { text.to_owned() }
}

/// “1,500” may be fifteen hundred or one and a half: both, when a lone comma has one to three digits before it and three after.
fn two_readings(text: &str) -> Option<(f64, f64)> {
    let (before, after) = text.split_once(',')?;
    let digits = |text: &str, most: usize| (1..=most).contains(&text.len()) && text.bytes().all(|byte| byte.is_ascii_digit());
    if !digits(before, 3) || before.starts_with('0') || after.len() != 3 || !digits(after, 3) {
        return None;
    }
    Some((format!("{before}{after}").parse().ok()?, format!("{before}.{after}").parse().ok()?))
}

fn shorten(text: &str) -> String {
    let mut short: String = text.chars().take(24).collect();
    if text.chars().count() > 24 {
        short.push('…');
    }
    short
}
