//! What rig and server say to each other, a line each.
use std::fmt::{self, Display, Formatter};
use thiserror::Error;

/// The version of the protocol that is spoken here.
pub const VERSION: u32 = 2;
/// The version before, which sends the token in clear.
pub const FIRST: u32 = 1;
/// Channels a rig may have.
pub const MOST_CHANNELS: usize = 5;

/// Why something said was not understood.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum SaidError {
    /// Another version.
    #[error("this server speaks VD{VERSION}, the rig {0}; bring the older of the two up to date")]
    Version(String),
    /// No such word.
    #[error("“{0}” is no word of VD{VERSION}")]
    Word(String),
    /// A word without what belongs to it.
    #[error("“{word}” wants {wants}")]
    Short {
        /// The word.
        word: &'static str,
        /// What belongs to it.
        wants: &'static str,
    },
}

/// What a channel measures, in which unit.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Kind {
    /// Pressure by the rig's gauge; so many kPa one unit is.
    Pressure {
        /// 1 for kPa, 100 for bar, 6.894757 for psi.
        kpa: f64,
    },
    /// Engine speed.
    Speed {
        /// Pulses a turn where pulses are counted since the rig started; none where turns a minute are said.
        per_turn: Option<f64>,
    },
    /// Oil temperature.
    Oil {
        /// °F, not °C.
        fahrenheit: bool,
    },
    /// Supply of the rig, V.
    Supply,
    /// The vehicle's own idea of its pressure; see [`Kind::Pressure`].
    Dash {
        /// See [`Kind::Pressure`].
        kpa: f64,
    },
}

/// One psi, kPa (NIST SP 811, appendix B.8).
const PSI_KPA: f64 = 6.894_757;

impl Kind {
    fn parse(kind: &str, unit: &str, more: Option<&str>) -> Option<Self> {
        let kpa = match unit {
            "kPa" => Some(1.0),
            "bar" => Some(100.0),
            "psi" => Some(PSI_KPA),
            _ => None,
        };
        match (kind, unit) {
            ("pressure", _) => Some(Self::Pressure { kpa: kpa? }),
            ("dash", _) => Some(Self::Dash { kpa: kpa? }),
            ("speed", "rpm") => Some(Self::Speed { per_turn: None }),
            ("speed", "pulses") => {
                let per_turn = more?.parse().ok().filter(|per_turn: &f64| (0.5..=400.0).contains(per_turn))?;
                Some(Self::Speed { per_turn: Some(per_turn) })
            }
            ("oil", "C") => Some(Self::Oil { fahrenheit: false }),
            ("oil", "F") => Some(Self::Oil { fahrenheit: true }),
            ("supply", "V") => Some(Self::Supply),
            _ => None,
        }
    }

    /// A value of it in the unit that is kept: kPa, turns a minute or pulses, °C, V.
    pub fn kept(self, value: f64) -> f64 {
        match self {
            Self::Pressure { kpa } | Self::Dash { kpa } => value * kpa,
            Self::Oil { fahrenheit: true } => (value - 32.0) / 1.8,
            _ => value,
        }
    }
}

impl Display for Kind {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let pressure = |kpa: f64| match kpa {
            1.0 => "kPa",
            100.0 => "bar",
            _ => "psi",
        };
        match self {
            Self::Pressure { kpa } => write!(f, "pressure {}", pressure(*kpa)),
            Self::Dash { kpa } => write!(f, "dash {}", pressure(*kpa)),
            Self::Speed { per_turn: None } => f.write_str("speed rpm"),
            Self::Speed { per_turn: Some(_) } => f.write_str("speed pulses"),
            Self::Oil { fahrenheit } => f.write_str(if *fahrenheit { "oil F" } else { "oil C" }),
            Self::Supply => f.write_str("supply V"),
        }
    }
}

/// A channel: what it measures and how often.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Channel {
    /// What.
    #[serde(flatten)]
    pub kind: Kind,
    /// Samples a second.
    pub rate_hz: f64,
}

/// What a rig lets be done to it from afar.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Can {
    /// A stand-in's engine: starter and throttle.
    Drive,
    /// It shows “hold” and “mark” to whoever stands at it.
    Show,
}

/// One sample: its number, the rig's clock, a value a channel.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sample {
    /// Counted from 0 since the rig started; none is left out.
    pub seq: u64,
    /// Microseconds since the rig started.
    pub us: u64,
    /// In the order of the channels; not a number where one has nothing to say.
    pub values: Vec<f64>,
}

/// From the rig.
#[derive(Debug, Clone, PartialEq)]
pub enum FromRig {
    /// Who it is: the name of its pairing, and a number of its own for this start.
    Hello {
        /// Its name.
        name: String,
        /// The token of its pairing in clear, in the version before; none where it answers a question instead.
        token: Option<String>,
        /// Another at every start, since its numbers begin anew.
        boot: u64,
    },
    /// What it answers to the server's question, hexadecimal.
    Answer(String),
    /// A channel; they are counted in the order they are told.
    Channel(Channel),
    /// What can be done to it.
    Can(Can),
    /// All is said; data follow.
    Go,
    /// A sample.
    Data(Sample),
    /// These numbers it no longer holds: from the first, up to and without the second.
    Lost(u64, u64),
    /// A pedal or key at the rig.
    Key(Key),
    /// A code that the engine's own module stores.
    Code(String),
    /// It ends in order.
    Bye,
}

/// What a key at the rig asks for, and what the server asks a rig to show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Key {
    /// Take the hold.
    Hold,
    /// Note this moment.
    Mark,
}

/// From the server.
#[derive(Debug, Clone, PartialEq)]
pub enum ToRig {
    /// The question that the rig answers to show that it has its token.
    Ask(String),
    /// Welcome; send from this number.
    Ok(u64),
    /// All before this number is kept.
    Ack(u64),
    /// Something was missing: send from this number again.
    Again(u64),
    /// Show it.
    Show(Key),
    /// Open the throttle to this share. Stand-ins alone.
    Throttle(f64),
    /// Turn the starter, fuel on; or all off. Stand-ins alone.
    Starter(bool),
    /// Refused, and why.
    No(String),
}

impl FromRig {
    /// What a line's text says.
    ///
    /// # Errors
    /// [`SaidError`] for what is not understood.
    pub fn parse(text: &str) -> Result<Self, SaidError> {
        let mut words = text.split(' ');
        let word = words.next().unwrap_or_default();
        let short = |word, wants| SaidError::Short { word, wants };
        match word {
            "d" => sample(words),
            "chan" => {
                let (kind, unit, rate, more) = (words.next(), words.next(), words.next(), words.next());
                let rate = rate.and_then(|rate| rate.parse().ok()).filter(|rate| (0.01..=1000.0).contains(rate));
                kind.zip(unit)
                    .and_then(|(kind, unit)| Kind::parse(kind, unit, more))
                    .zip(rate)
                    .map(|(kind, rate_hz)| Self::Channel(Channel { kind, rate_hz }))
                    .ok_or(short("chan", "a kind with its unit (pressure kPa|bar|psi, speed rpm, speed pulses, oil C|F, supply V, dash kPa|bar|psi), a rate up to 1000, and for pulses how many make a turn"))
            }
            "can" => match words.next() {
                Some("drive") => Ok(Self::Can(Can::Drive)),
                Some("show") => Ok(Self::Can(Can::Show)),
                _ => Err(short("can", "drive or show")),
            },
            "go" => Ok(Self::Go),
            "lost" => {
                let number = |word: Option<&str>| word.and_then(|word| word.parse().ok());
                match (number(words.next()), number(words.next())) {
                    (Some(from), Some(to)) if from < to => Ok(Self::Lost(from, to)),
                    _ => Err(short("lost", "the first number that is gone and the first that is there again")),
                }
            }
            "key" => match words.next() {
                Some("hold") => Ok(Self::Key(Key::Hold)),
                Some("mark") => Ok(Self::Key(Key::Mark)),
                _ => Err(short("key", "hold or mark")),
            },
            "code" => match text.get("code ".len()..).map(str::trim).filter(|code| !code.is_empty()) {
                Some(code) => Ok(Self::Code(code.chars().filter(|letter| !letter.is_control()).take(80).collect())),
                None => Err(short("code", "the code")),
            },
            "bye" => Ok(Self::Bye),
            _ if word.starts_with("VD") && words.clone().next() == Some("hello") => {
                let version = word.get(2..).and_then(|version| version.parse().ok());
                if version != Some(VERSION) && version != Some(FIRST) {
                    return Err(SaidError::Version(word.chars().take(12).collect()));
                }
                let mut words = words.skip(1);
                let name = words.next().filter(|name| !name.is_empty());
                let token = if version == Some(FIRST) { words.next().map(|token| Some(token.to_owned())) } else { Some(None) };
                let boot = words.next().filter(|boot| boot.len() == 16).and_then(|boot| u64::from_str_radix(boot, 16).ok());
                match (name, token, boot) {
                    (Some(name), Some(token), Some(boot)) => Ok(Self::Hello { name: name.to_owned(), token, boot }),
                    _ if version == Some(FIRST) => {
                        Err(short("hello", "name, token and sixteen hexadecimal digits that are others at every start"))
                    }
                    _ => Err(short("hello", "name and sixteen hexadecimal digits that are others at every start")),
                }
            }
            "answer" => match words.next().filter(|answer| answer.len() == 64) {
                Some(answer) => Ok(Self::Answer(answer.to_owned())),
                None => Err(short("answer", "the sixty-four hexadecimal digits of HMAC-SHA-256 over question, name and start")),
            },
            other => Err(SaidError::Word(other.chars().take(24).collect())),
        }
    }
}

fn sample<'a>(mut words: impl Iterator<Item = &'a str>) -> Result<FromRig, SaidError> {
    const SHORT: SaidError = SaidError::Short { word: "d", wants: "a number, microseconds since the start, and a value or - a channel" };
    let (Some(seq), Some(us)) = (words.next().and_then(|seq| seq.parse().ok()), words.next().and_then(|us| us.parse().ok())) else {
        return Err(SHORT);
    };
    let value = |word: &str| match word {
        "-" => Some(f64::NAN),
        word => word.parse().ok().filter(|value: &f64| value.is_finite()),
    };
    let values: Option<Vec<f64>> = words.map(value).collect();
    let values = values.filter(|values| (1..=MOST_CHANNELS).contains(&values.len())).ok_or(SHORT)?;
    Ok(FromRig::Data(Sample { seq, us, values }))
}

impl Display for FromRig {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Self::Hello { name, token: Some(token), boot } => write!(f, "VD{FIRST} hello {name} {token} {boot:016x}"),
            Self::Hello { name, token: None, boot } => write!(f, "VD{VERSION} hello {name} {boot:016x}"),
            Self::Answer(answer) => write!(f, "answer {answer}"),
            Self::Channel(Channel { kind, rate_hz }) => {
                write!(f, "chan {kind} {rate_hz}")?;
                match kind {
                    Kind::Speed { per_turn: Some(per_turn) } => write!(f, " {per_turn}"),
                    _ => Ok(()),
                }
            }
            Self::Can(Can::Drive) => f.write_str("can drive"),
            Self::Can(Can::Show) => f.write_str("can show"),
            Self::Go => f.write_str("go"),
            Self::Data(sample) => {
                write!(f, "d {} {}", sample.seq, sample.us)?;
                for value in &sample.values {
                    if value.is_nan() { f.write_str(" -")? } else { write!(f, " {value}")? }
                }
                Ok(())
            }
            Self::Lost(from, to) => write!(f, "lost {from} {to}"),
            Self::Key(key) => write!(f, "key {key}"),
            Self::Code(code) => write!(f, "code {code}"),
            Self::Bye => f.write_str("bye"),
        }
    }
}

impl Display for Key {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(if *self == Self::Hold { "hold" } else { "mark" })
    }
}

impl ToRig {
    /// What a line's text says; none for what is not understood, which a rig passes over.
    pub fn parse(text: &str) -> Option<Self> {
        let (word, rest) = text.split_once(' ').unwrap_or((text, ""));
        match word {
            "ask" => Some(rest).filter(|question| !question.is_empty()).map(|question| Self::Ask(question.to_owned())),
            "ok" => rest.parse().ok().map(Self::Ok),
            "ack" => rest.parse().ok().map(Self::Ack),
            "again" => rest.parse().ok().map(Self::Again),
            "no" => Some(Self::No(rest.to_owned())),
            "do" => match rest.split_once(' ').unwrap_or((rest, "")) {
                ("hold", _) => Some(Self::Show(Key::Hold)),
                ("mark", _) => Some(Self::Show(Key::Mark)),
                ("throttle", share) => share.parse().ok().filter(|share| (0.0..=1.0).contains(share)).map(Self::Throttle),
                ("starter", "on") => Some(Self::Starter(true)),
                ("starter", "off") => Some(Self::Starter(false)),
                _ => None,
            },
            _ => None,
        }
    }
}

impl Display for ToRig {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Self::Ask(question) => write!(f, "ask {question}"),
            Self::Ok(next) => write!(f, "ok {next}"),
            Self::Ack(next) => write!(f, "ack {next}"),
            Self::Again(next) => write!(f, "again {next}"),
            Self::Show(key) => write!(f, "do {key}"),
            Self::Throttle(share) => write!(f, "do throttle {share:.3}"),
            Self::Starter(on) => write!(f, "do starter {}", if *on { "on" } else { "off" }),
            Self::No(why) => write!(f, "no {why}"),
        }
    }
}
