//! Sentences that are put together when the program runs: their words are in `messages/en.ftl`, their figures typed, so that a pressure comes out in the unit of
//! whoever reads it and a count in its singular or plural.
use crate::unit::{Units, figures};
use fluent_bundle::concurrent::FluentBundle;
use fluent_bundle::{FluentArgs, FluentResource, FluentValue};
use schemars::JsonSchema;
use serde::{Serialize, Serializer};
use std::borrow::Cow;
use std::fmt;
use std::sync::LazyLock;

/// The messages in English; another language would be another file.
const ENGLISH: &str = include_str!("../messages/en.ftl");

static BUNDLE: LazyLock<FluentBundle<FluentResource>> = LazyLock::new(|| {
    let mut bundle = FluentBundle::new_concurrent(vec!["en".parse().unwrap_or_default()]);
    // Marks around each figure for scripts that run from right to left: none of ours does.
    bundle.set_use_isolating(false);
    // What cannot be read is left out, and a test finds it.
    let resource = FluentResource::try_new(ENGLISH.to_owned()).unwrap_or_else(|(read, _)| read);
    _ = bundle.add_resource(resource);
    bundle
});

/// What stands for a name in a message.
#[derive(Debug, Clone, PartialEq)]
pub enum Argument {
    /// A text as it is.
    Text(String),
    /// A number that words agree with.
    Count(usize),
    /// A pressure, kPa.
    Pressure(f64),
    /// A pressure, kPa, as finely as it was typed.
    Typed(f64),
    /// A difference of pressures, kPa, with its sign.
    Difference(f64),
    /// A temperature, °C.
    Temperature(f64),
}

impl From<&str> for Argument {
    fn from(text: &str) -> Self {
        Self::Text(text.to_owned())
    }
}

impl From<String> for Argument {
    fn from(text: String) -> Self {
        Self::Text(text)
    }
}

impl From<usize> for Argument {
    fn from(number: usize) -> Self {
        Self::Count(number)
    }
}

impl From<u32> for Argument {
    fn from(number: u32) -> Self {
        Self::Count(number as usize)
    }
}

impl From<f64> for Argument {
    fn from(number: f64) -> Self {
        Self::Text(number.to_string())
    }
}

/// A pressure in kPa.
pub fn pressure(kpa: f64) -> Argument {
    Argument::Pressure(kpa)
}

/// A pressure in kPa that a person typed.
pub fn typed(kpa: f64) -> Argument {
    Argument::Typed(kpa)
}

/// A difference of pressures in kPa.
pub fn difference(kpa: f64) -> Argument {
    Argument::Difference(kpa)
}

/// A temperature in °C.
pub fn temperature(temp_c: f64) -> Argument {
    Argument::Temperature(temp_c)
}

/// A number with so many places.
pub fn number(value: f64, places: usize) -> Argument {
    Argument::Text(format!("{value:.places$}"))
}

/// A sentence and its figures.
#[derive(Debug, Clone, PartialEq)]
pub struct Message {
    id: &'static str,
    arguments: Vec<(&'static str, Argument)>,
}

impl Message {
    /// The message of an id, with what stands for its names. [`crate::message!`] is shorter.
    pub fn new(id: &'static str, arguments: Vec<(&'static str, Argument)>) -> Self {
        Self { id, arguments }
    }

    /// In words, with its figures in these units. An id that is not in the file comes out as itself, and a test finds it.
    ///
    /// ```
    /// # use velvet_dial_core::message::pressure;
    /// # use velvet_dial_core::{message, unit::Units};
    /// let zero = message!("run-zero-off", zero = pressure(31.2));
    /// assert_eq!(zero.to_string(), "With the engine standing it reads 31 kPa: every pressure of the run is off by that.");
    /// assert_eq!(zero.words(Units::parse("psi f").unwrap()), "With the engine standing it reads 4.5 psi: every pressure of the run is off by that.");
    /// assert_eq!(message!("run-speeds-below-zero", speeds = 1_usize).to_string(), "One speed is below zero: taken as standing still.");
    /// ```
    pub fn words(&self, units: Units) -> String {
        let Some(pattern) = BUNDLE.get_message(self.id).and_then(|message| message.value()) else { return self.id.to_owned() };
        let mut arguments = FluentArgs::with_capacity(self.arguments.len());
        for (name, argument) in &self.arguments {
            let said: FluentValue<'_> = match argument {
                Argument::Text(text) => text.as_str().into(),
                Argument::Count(number) => (*number).into(),
                Argument::Pressure(kpa) => units.with_unit(*kpa).into(),
                Argument::Typed(kpa) => format!("{} {}", figures(*kpa / units.kpa()), units.label()).into(),
                Argument::Difference(kpa) => {
                    let plus = if *kpa > 0.0 { "+" } else { "" };
                    format!("{plus}{}", units.with_unit(*kpa)).into()
                }
                Argument::Temperature(temp_c) => units.temp(*temp_c).into(),
            };
            arguments.set(*name, said);
        }
        let mut wrong = Vec::new();
        let words = BUNDLE.format_pattern(pattern, Some(&arguments), &mut wrong).into_owned();
        debug_assert!(wrong.is_empty(), "{}: {wrong:?}", self.id);
        words
    }
}

/// In kPa and °C, as files and the command line have it.
impl fmt::Display for Message {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.words(Units::default()))
    }
}

impl Serialize for Message {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl JsonSchema for Message {
    fn schema_name() -> Cow<'static, str> {
        String::schema_name()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        String::json_schema(generator)
    }

    fn inline_schema() -> bool {
        true
    }
}

/// A [`Message`]: `message!("run-zero-off", zero = pressure(31.0))`.
#[macro_export]
macro_rules! message {
    ($id:literal $(, $name:ident = $argument:expr)* $(,)?) => {
        $crate::message::Message::new($id, vec![$((stringify!($name), $crate::message::Argument::from($argument))),*])
    };
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;
    use std::path::Path;

    /// Every `message!` of the code: its id and the names it gives.
    fn used(folder: &Path, found: &mut Vec<(String, BTreeSet<String>)>) {
        for entry in std::fs::read_dir(folder).unwrap().map(Result::unwrap) {
            let path = entry.path();
            if path.is_dir() {
                used(&path, found);
            } else if path.extension().is_some_and(|end| end == "rs") && path.file_name().is_some_and(|name| name != "message.rs") {
                let text = std::fs::read_to_string(&path).unwrap();
                for (at, _) in text.match_indices("message!(") {
                    let rest = &text[at + "message!(".len()..];
                    let end = rest
                        .char_indices()
                        .scan(1, |depth, (at, letter)| {
                            *depth += i32::from(letter == '(') - i32::from(letter == ')');
                            Some((at, *depth))
                        })
                        .find(|(_, depth)| *depth == 0)
                        .unwrap()
                        .0;
                    let inside = &rest[..end];
                    let id = inside.split('"').nth(1).unwrap().to_owned();
                    // A name stands before a lone equals sign, after a comma.
                    let names = regex_lite::Regex::new(r",\s*([a-z_]+) = ").unwrap();
                    found.push((id, names.captures_iter(inside).map(|name| name[1].to_owned()).collect()));
                }
            }
        }
    }

    #[test]
    fn every_message_is_used_with_the_names_it_has_and_every_use_has_one() {
        assert!(FluentResource::try_new(ENGLISH.to_owned()).is_ok());
        let names = regex_lite::Regex::new(r"\$([a-z_]+)").unwrap();
        let mut known = std::collections::BTreeMap::new();
        for block in ENGLISH.split("\n").fold(Vec::<String>::new(), |mut blocks, line| {
            match (line.starts_with([' ', '\t']), blocks.last_mut()) {
                (true, Some(last)) => last.push_str(line),
                _ => blocks.push(line.to_owned()),
            }
            blocks
        }) {
            if let Some((id, text)) = block.split_once(" = ").filter(|_| !block.starts_with('#')) {
                known.insert(id.to_owned(), names.captures_iter(text).map(|name| name[1].to_owned()).collect::<BTreeSet<_>>());
            }
        }
        let lost: Vec<&String> = known.keys().filter(|id| !BUNDLE.has_message(id)).collect();
        assert!(!known.is_empty() && lost.is_empty(), "{lost:?}");
        let mut all = Vec::new();
        used(Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap(), &mut all);
        for (id, given) in &all {
            assert_eq!(known.get(id), Some(given), "{id}");
        }
        let used: BTreeSet<&String> = all.iter().map(|(id, _)| id).collect();
        let unused: Vec<&String> = known.keys().filter(|id| !used.contains(id)).collect();
        assert!(unused.is_empty(), "{unused:?}");
    }
}
