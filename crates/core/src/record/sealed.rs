//! What a record carries so that it can be checked. [`crate::signing`] makes it and checks it.
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// An entry of the ledger as it is kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Chained {
    /// Its key.
    pub id: String,
    /// Place in the ledger, from 1.
    pub seq: i32,
    /// Kind.
    pub kind: String,
    /// What it says, as it is kept.
    pub body: String,
    /// Key of who wrote it.
    pub author: String,
    /// When.
    pub at: DateTime<Utc>,
    /// Key of the entry it takes the place of.
    pub supersedes: Option<String>,
    /// The hash that was kept with it; empty where it was written before hashes were kept.
    pub chain: String,
}

/// What a report carries so that it can be checked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Seal {
    /// The job's key: where the chain begins.
    pub job: String,
    /// The ledger.
    pub entries: Vec<Chained>,
    /// Hash of the last entry.
    pub head: String,
    /// SHA-256 of the case.
    pub case: String,
    /// SHA-256 of the report with this one left out, and without the signature.
    pub document: String,
    /// Who made it; none where the server has no key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signed: Option<Signed>,
}

/// A signature and the key it is checked with.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Signed {
    /// The public key, hexadecimal.
    pub key: String,
    /// The signature, hexadecimal.
    pub value: String,
}

/// What a record says of the customer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Personal {
    /// Random, hexadecimal: without it nobody finds by trying names what a hash stands for.
    pub(crate) salt: String,
    /// The values by where they stand in the record, as JSON pointers (RFC 6901).
    pub(crate) values: BTreeMap<String, String>,
}
