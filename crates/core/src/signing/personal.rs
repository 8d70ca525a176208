//! What a text says of the customer is kept beside it: the text that is hashed and signed carries a salted hash in the place of each value.
//! So a customer can be removed later, and hashes and signature still hold.
use super::SealError;
use crate::hex::hash_of_parts;
use crate::json;
use crate::record::{FORMAT, Line, Personal, Record};
use std::collections::BTreeMap;

/// What stands in a text in the place of a value, before its hash.
const MARK: &str = "commitment:";
/// What is shown where a value was removed.
pub const REMOVED: &str = "(removed)";

/// What stands in the place of a value.
pub fn commitment(salt: &str, place: &str, value: &str) -> String {
    format!("{MARK}{}", hash_of_parts([salt, place, value]))
}

/// It stands in the place of a value.
pub fn is_commitment(text: &str) -> bool {
    text.strip_prefix(MARK).is_some_and(|hash| hash.len() == 64 && hash.bytes().all(|digit| digit.is_ascii_hexdigit()))
}

/// The texts of a record that may say something of the customer, by where they stand: the customer's own line, and these lines of the history.
fn places(record: &mut Record, counts: impl Fn(&Line) -> bool) -> Vec<(String, &mut String)> {
    let mut places = vec![("/papers/customer".to_owned(), &mut record.papers.customer)];
    for (at, line) in record.log.iter_mut().enumerate() {
        if counts(line) {
            places.push((format!("/log/{at}/what"), &mut line.what));
            places.push((format!("/log/{at}/reason"), &mut line.reason));
        }
    }
    places
}

impl Record {
    /// Takes out what it says of the customer, as it is kept and signed.
    pub fn take_out_personal(&mut self, salt: String) {
        let mut values = BTreeMap::new();
        // What somebody typed that looks like a hash is kept beside it as well: it is not to be taken for one.
        let counts = |line: &Line| line.personal || is_commitment(&line.what) || is_commitment(&line.reason);
        for (place, text) in places(self, counts) {
            if !text.is_empty() {
                let hash = commitment(&salt, &place, text);
                values.insert(place, std::mem::replace(text, hash));
            }
        }
        self.personal = (!values.is_empty()).then_some(Personal { salt, values });
    }

    /// Puts it back, as it is read; what was removed is named so.
    pub fn put_back_personal(&mut self) {
        if self.format != FORMAT {
            return;
        }
        let kept = self.personal.take().map(|kept| kept.values).unwrap_or_default();
        for (place, text) in places(self, |_| true) {
            if is_commitment(text) {
                *text = kept.get(&place).cloned().unwrap_or_else(|| REMOVED.to_owned());
            }
        }
    }

    /// The customer was removed from it since it was signed. Asked before it is put back.
    pub(super) fn customer_removed(&mut self) -> bool {
        self.format == FORMAT && self.personal.is_none() && places(self, |_| true).iter().any(|(_, text)| is_commitment(text))
    }

    /// What is kept beside it is what its hashes were made of, all of it.
    pub(super) fn personal_holds(&mut self) -> bool {
        let Some(kept) = self.personal.clone() else { return true };
        let own: BTreeMap<String, String> =
            kept.values.iter().map(|(place, value)| (place.clone(), commitment(&kept.salt, place, value))).collect();
        let stand = places(self, |_| true).into_iter().filter(|(_, text)| is_commitment(text));
        own == stand.map(|(place, text)| (place, text.clone())).collect()
    }
}

/// The text of a kept record without what it says of the customer. Its hashes and its signature hold as before.
///
/// # Errors
/// [`SealError::Named`] where the customer's name was signed with it, as before names were kept beside it.
pub fn without_customer(text: &str) -> Result<String, SealError> {
    let record: Record = json::read(text.as_bytes()).map_err(|refused| SealError::NotOne(refused.plain()))?;
    if record.format != FORMAT {
        return Err(SealError::Named);
    }
    let Some(personal) = &record.personal else { return Ok(text.to_owned()) };
    let beside = beside(personal).ok_or(SealError::Document)?;
    text.rfind(&beside).map(|at| format!("{}{}", &text[..at], &text[at + beside.len()..])).ok_or(SealError::Document)
}

/// How it stands in a record's text.
pub(super) fn beside(personal: &Personal) -> Option<String> {
    Some(format!(",\"personal\":{}", serde_json::to_string(personal).ok()?))
}
