//! Heads of ledgers sealed together, so that a ledger whose end was cut off, or that is gone, is found out.
//!
//! Each seal names the jobs that changed since the seal before, with the number and the hash of their last entry; its root is the SHA-256 over the root before and
//! over these heads. The database keeps the seals whole; a file beside the server's key keeps the roots alone, a line each. Whoever changes the database cannot change
//! that file, so an older copy of the database, or one that was changed and hashed again, does not fit it.
use crate::hex::hash_of_parts;
use crate::record::Signed;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};

/// The last entry of a job's ledger.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LedgerHead {
    /// The job's key.
    pub job: String,
    /// Number of the entry.
    pub seq: i32,
    /// Its hash.
    pub hash: String,
    /// The hash of the report that was signed with it, where the entry closes the job.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub report: Option<String>,
}

/// A seal as the database keeps it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SealedHeads {
    /// Its place, from 1.
    pub number: i64,
    /// When.
    pub at: DateTime<Utc>,
    /// The root before; empty at the first.
    pub before: String,
    /// Its own.
    pub root: String,
    /// What changed since the seal before.
    pub heads: Vec<LedgerHead>,
}

/// A seal as the file keeps it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SealLine {
    /// Its place.
    pub number: i64,
    /// When.
    pub at: DateTime<Utc>,
    /// Its root.
    pub root: String,
    /// Signature of the root.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signed: Option<Signed>,
}

/// The root over a root before and heads.
pub fn root(before: &str, heads: &[LedgerHead]) -> String {
    let numbers: Vec<String> = heads.iter().map(|head| head.seq.to_string()).collect();
    let parts =
        heads.iter().zip(&numbers).flat_map(|(head, seq)| [&*head.job, seq, &head.hash, head.report.as_deref().unwrap_or_default()]);
    hash_of_parts([before].into_iter().chain(parts))
}

/// What does not fit, a sentence each; none where all does. `head_at` says what a job's entry is by its number, as the ledger and the kept report give it now.
pub fn check_seals(lines: &[SealLine], seals: &[SealedHeads], head_at: impl Fn(&str, i32) -> Option<LedgerHead>) -> Vec<String> {
    let mut wrong = Vec::new();
    let mut before = String::new();
    for (seal, number) in seals.iter().zip(1..) {
        if seal.number != number || seal.before != before || root(&before, &seal.heads) != seal.root {
            wrong.push(format!("Seal {} of the database is not what it was: its jobs, or the seal before it, were changed.", seal.number));
        }
        before.clone_from(&seal.root);
        for head in &seal.heads {
            match head_at(&head.job, head.seq) {
                Some(now) if now == *head => {}
                Some(now) if now.hash == head.hash => {
                    wrong.push(format!("The report of job {} is not the one that was signed and sealed on {}.", head.job, day(seal.at)))
                }
                Some(_) => {
                    wrong.push(format!("Entry {} of job {} was changed after it was sealed on {}.", head.seq, head.job, day(seal.at)))
                }
                None => wrong.push(format!("Entry {} of job {} was there on {} and is gone.", head.seq, head.job, day(seal.at))),
            }
        }
    }
    for line in lines {
        if line.signed.as_ref().is_some_and(|signed| !signed.holds(&line.root)) {
            wrong.push(format!("Line {} of the file of seals has a signature that is not of its root.", line.number));
        }
        match seals.iter().find(|seal| seal.number == line.number) {
            Some(seal) if seal.root == line.root => {}
            Some(_) => wrong
                .push(format!("Seal {} of the database is not the one in the file: the database was changed or made again.", line.number)),
            None => wrong.push(format!(
                "Seal {} of {} is in the file and not in the database: this is an older copy, or its end was cut off.",
                line.number,
                day(line.at)
            )),
        }
    }
    wrong
}

fn day(at: DateTime<Utc>) -> String {
    at.format("%Y-%m-%d").to_string()
}
