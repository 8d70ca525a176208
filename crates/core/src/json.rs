//! The one way in which JSON is read here. Every caller goes through one type of parser, so that reading a card, a sheet or a case is compiled once and not once for each of them.
use crate::refusal;
use serde::de::DeserializeOwned;

/// Why something was not read.
pub(crate) struct Refused {
    /// Where, such as `readings[0].rpm`; a dot for the whole.
    pub path: String,
    /// In the parser's words.
    raw: String,
}

impl Refused {
    /// In plain words.
    pub fn plain(&self) -> String {
        refusal::plain(&self.path, &self.raw)
    }
}

/// Reads the whole of a text.
pub(crate) fn read<T: DeserializeOwned>(text: &[u8]) -> Result<T, Refused> {
    let mut parser = serde_json::Deserializer::from_slice(text);
    let read = serde_path_to_error::deserialize(&mut parser).map_err(|error| {
        let path = error.path().to_string();
        Refused { path, raw: error.into_inner().to_string() }
    })?;
    match parser.end() {
        Ok(()) => Ok(read),
        Err(error) => Err(Refused { path: ".".to_owned(), raw: error.to_string() }),
    }
}
