//! What an entry says of the customer is kept beside its text: the text carries a salted hash in its place, and the chain goes over the text alone.
//! So a customer can be removed later and the chain still holds.
use super::Body;
use crate::{StoreError, secret};
use serde_json::{Map, Value};
use velvet_dial_core::hex::hash_of_parts;

/// What stands in the text in the place of a value.
const MARK: &str = "commitment:";
const SALT: &str = "salt";
/// What is shown where the value was removed.
const REMOVED: &str = "removed";

/// The fields of a body that say who the customer is, and in which words they spoke.
fn fields(body: &Body) -> &'static [&'static str] {
    match body {
        Body::Particulars(_) => &["customer", "reach"],
        Body::Agreed { .. } | Body::Talked { .. } => &["who"],
        Body::Customer { .. } => &["who", "words"],
        _ => &[],
    }
}

fn commitment(salt: &str, field: &str, value: &str) -> String {
    format!("{MARK}{}", hash_of_parts([salt, field, value]))
}

/// Takes what is personal out of a body's text, and hands it back as it is kept beside it; none where there is nothing.
pub(super) fn taken_out(body: &Body, text: String) -> Result<(String, Option<String>), StoreError> {
    let fields = fields(body);
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

/// The text with what is kept beside it put back, as it was written.
pub(super) fn put_back(text: &str, personal: Option<&str>) -> Option<String> {
    if !text.contains(MARK) {
        return None;
    }
    let mut said: Map<String, Value> = serde_json::from_str(text).ok()?;
    let kept: Map<String, Value> = personal.and_then(|kept| serde_json::from_str(kept).ok()).unwrap_or_default();
    for (field, value) in &mut said {
        if value.as_str().is_some_and(|value| value.starts_with(MARK)) {
            *value = kept.get(field).cloned().unwrap_or_else(|| Value::String(REMOVED.to_owned()));
        }
    }
    serde_json::to_string(&said).ok()
}

/// What is kept beside a text is what the text was hashed of. What was removed is neither right nor wrong.
pub(super) fn holds(text: &str, personal: &str) -> bool {
    let read = |text: &str| serde_json::from_str::<Map<String, Value>>(text).ok();
    let Some((said, kept)) = read(text).zip(read(personal)) else { return false };
    let Some(salt) = kept.get(SALT).and_then(Value::as_str) else { return false };
    kept.iter().filter(|(field, _)| *field != SALT).all(|(field, value)| {
        let own = value.as_str().map(|value| commitment(salt, field, value));
        own.is_some() && said.get(field).and_then(Value::as_str) == own.as_deref()
    })
}
