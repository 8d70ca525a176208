//! What an entry says of the customer is kept beside its text: the text carries a salted hash in its place, and the chain goes over the text alone.
//! So a customer can be removed later and the chain still holds.
use super::Body;
use crate::{StoreError, secret};
use serde_json::{Map, Value};
use velvet_dial_core::signing::{REMOVED, commitment, is_commitment};

const SALT: &str = "salt";

impl Body {
    /// It says something of the customer.
    pub fn is_personal(&self) -> bool {
        !fields(self.kind()).is_empty()
    }
}

/// The kinds of entries that say who the customer is, and in which words they spoke, each with the fields that do.
pub(super) const FIELDS: [(&str, &[&str]); 4] =
    [("particulars", &["customer", "reach"]), ("agreed", &["who"]), ("talked", &["who"]), ("customer", &["who", "words"])];

fn fields(kind: &str) -> &'static [&'static str] {
    FIELDS.iter().find(|(of, _)| *of == kind).map_or(&[], |(_, fields)| *fields)
}

/// Takes what is personal out of a body's text, and hands it back as it is kept beside it; none where there is nothing.
pub(super) fn taken_out(body: &Body, text: String) -> Result<(String, Option<String>), StoreError> {
    let fields = fields(body.kind());
    if fields.is_empty() {
        return Ok((text, None));
    }
    let mut said: Map<String, Value> = crate::from_json("entry", &text)?;
    let salt = secret::new::<16>()?;
    let mut kept = Map::new();
    for field in fields {
        if let Some(Value::String(value)) = said.get_mut(*field)
            && !value.is_empty()
        {
            let hash = commitment(&salt, field, value);
            kept.insert((*field).to_owned(), Value::String(std::mem::replace(value, hash)));
        }
    }
    if kept.is_empty() {
        return Ok((text, None));
    }
    kept.insert(SALT.to_owned(), Value::String(salt));
    Ok((crate::json("entry", &said)?, Some(crate::json("entry", &kept)?)))
}

/// The values of an entry's text, where something was taken out of it, and the fields from which it was.
fn out_of(kind: &str, text: &str) -> Option<(Map<String, Value>, Vec<&'static str>)> {
    let may = fields(kind);
    let said: Map<String, Value> = (!may.is_empty()).then(|| serde_json::from_str(text).ok()).flatten()?;
    let out: Vec<&str> = may.iter().copied().filter(|field| said.get(*field).and_then(Value::as_str).is_some_and(is_commitment)).collect();
    (!out.is_empty()).then_some((said, out))
}

/// Something was taken out of an entry's text.
pub(super) fn was_taken_out(kind: &str, text: &str) -> bool {
    out_of(kind, text).is_some()
}

/// The text with what is kept beside it put back, as it was written.
pub(super) fn put_back(kind: &str, text: &str, personal: Option<&str>) -> Option<String> {
    let (mut said, out) = out_of(kind, text)?;
    let kept: Map<String, Value> = personal.and_then(|kept| serde_json::from_str(kept).ok()).unwrap_or_default();
    for field in out {
        let value = kept.get(field).cloned().unwrap_or_else(|| Value::String(REMOVED.to_owned()));
        said.insert(field.to_owned(), value);
    }
    serde_json::to_string(&said).ok()
}

/// What is kept beside a text is what the text was hashed of, all of it.
pub(super) fn holds(kind: &str, text: &str, personal: &str) -> bool {
    let kept: Option<Map<String, Value>> = serde_json::from_str(personal).ok();
    let Some(((said, out), kept)) = out_of(kind, text).zip(kept) else { return false };
    let Some(salt) = kept.get(SALT).and_then(Value::as_str) else { return false };
    kept.len() == out.len() + 1
        && out.iter().all(|field| {
            let own = kept.get(*field).and_then(Value::as_str).map(|value| commitment(salt, field, value));
            own.is_some() && said.get(*field).and_then(Value::as_str) == own.as_deref()
        })
}
