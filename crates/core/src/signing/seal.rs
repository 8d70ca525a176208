//! A report that cannot be edited unseen: its entries are chained by hash, and case and document have theirs.
//!
//! Each entry's hash is the SHA-256 over the hash before it and over what the entry says, every part under its length; the first stands on the job's own key. Whoever changes, drops, adds or
//! moves an entry breaks every hash after it, so the chain's head on paper pins the whole ledger. The document's hash is that of the report's own text with this hash left out, and with its signature and what
//! it says of the customer taken away. A report is signed once, as its job is closed; that of an open job is a draft and is not signed. Hashes say that nothing was changed since they were made; the signature says who made them.
use super::Signer;
use super::personal::beside;
use crate::case::{Case, spec_points};
use crate::diagnosis::{Setting, diagnose};
use crate::hex::{hash_of_parts, hex};
use crate::json;
use crate::knowledge::fingerprint;
use crate::record::{CORE, Chained, FIRST_FORMAT, Personal, Record, Seal};
use crate::trace::Tracer;
use serde::Serialize;
use sha2::{Digest, Sha256};
use thiserror::Error;

impl Chained {
    /// Its hash behind another.
    pub fn after(&self, before: &str) -> String {
        let (seq, at) = (self.seq.to_string(), self.at.timestamp_micros().to_string());
        let supersedes = self.supersedes.as_deref().unwrap_or_default();
        hash_of_parts([before, &self.id, &seq, &self.kind, &self.body, &self.author, &at, supersedes])
    }
}

/// The head of a chain that begins at a job's key. Entries are numbered from 1 without a gap, and each has its hash.
///
/// # Errors
/// [`SealError::Chain`] names the first entry whose hash is not the one that was kept with it, [`SealError::Unchained`] the first that has none.
pub fn head(job: &str, entries: &[Chained]) -> Result<String, SealError> {
    let first = entries.iter().find(|entry| entry.chain.is_empty());
    first.map_or_else(|| chained(job, entries), |entry| Err(SealError::Unchained { seq: entry.seq }))
}

/// The same where entries of before hashes were kept have none, as in reports of that time.
fn chained(job: &str, entries: &[Chained]) -> Result<String, SealError> {
    entries.iter().zip(1..).try_fold(job.to_owned(), |before, (entry, seq)| {
        let hash = entry.after(&before);
        let own = entry.chain.is_empty() || entry.chain == hash;
        if own && entry.seq == seq { Ok(hash) } else { Err(SealError::Chain { seq: entry.seq }) }
    })
}

impl Seal {
    /// The hashes in a line, for a code that a camera reads: in capitals, which take the least room in one.
    pub fn in_a_line(&self) -> String {
        format!("VELVET-DIAL LEDGER {} CASE {} REPORT {}", self.head, self.case, self.document).to_uppercase()
    }
}

/// Why a report is not what it was.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum SealError {
    /// Not a report.
    #[error("This is no report that can be read: {0}")]
    NotOne(String),
    /// It has no seal.
    #[error("This report carries no seal: it was made before reports had one.")]
    None,
    /// An entry was changed.
    #[error("Entry {seq} of the job history was changed after it was written.")]
    Chain {
        /// Its place.
        seq: i32,
    },
    /// An entry has no hash.
    #[error("Entry {seq} of the job history has no hash, so it cannot be checked.")]
    Unchained {
        /// Its place.
        seq: i32,
    },
    /// The head is another.
    #[error("The job history does not end where the report says: entries were removed or added.")]
    Head,
    /// The case was changed.
    #[error("The case in it (card, sheet, gauges, readings, findings) is not what was judged.")]
    Case,
    /// What is kept beside it was changed.
    #[error("What it says of the customer is not what was written.")]
    Personal,
    /// What is kept beside it was taken away, and nobody says that they did so.
    #[error("What it said of the customer is gone, and no entry says that the customer was removed.")]
    CustomerGone,
    /// The customer cannot be taken out.
    #[error(
        "It was signed with the customer's name in it, as reports were before names were kept beside them: without the name its signature would not hold."
    )]
    Named,
    /// Something else was changed.
    #[error("The text of the report was changed after it was made, or the file was saved again. The file is checked byte by byte.")]
    Document,
    /// The signature is not of this report.
    #[error("Its signature is not that of this report by the key it names.")]
    Signature,
    /// A file without a report in it.
    #[error("This PDF carries no signed report: it is a draft, or it was printed to a file. Ask for the PDF that the shop gave out.")]
    NoPages,
    /// Pages that are not those that were signed.
    #[error("The pages of this PDF are not those that were signed.")]
    Pages,
    /// It says other figures than its own case gives.
    #[error("Its figures are not those of its own case: {0}.")]
    Figures(String),
}

/// How much of a report is checked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// That it is what was signed.
    Seal,
    /// Its figures are worked out again as well, where this program is the one that made them.
    Figures,
}

/// What was checked of a report that holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Verified {
    /// Entries of its ledger.
    pub entries: usize,
    /// Of these, entries that were written before hashes were kept: what they say is pinned from the next one on.
    pub unchained: usize,
    /// Head of the chain.
    pub head: String,
    /// Knowledge that judged.
    pub knowledge: String,
    /// Its figures were worked out again and are the same; false where another version of the program made them.
    pub figures: bool,
    /// The job was still open: a draft.
    pub draft: bool,
    /// The customer was removed from it since it was signed.
    pub customer_removed: bool,
    /// The public key that signed it; none of one that nobody signed. Whose key that is, the shop says.
    pub signed_by: Option<String>,
}

/// The hash that a report's text says is its own.
///
/// # Errors
/// [`SealError`] where it is no report, or has none.
pub fn document_of(text: &[u8]) -> Result<String, SealError> {
    let record: Record = json::read(text).map_err(|refused| SealError::NotOne(refused.plain()))?;
    record.seal.map(|seal| seal.document).ok_or(SealError::None)
}

fn of_text(text: &impl Serialize) -> Result<String, SealError> {
    let text = serde_json::to_vec(text).map_err(|error| SealError::NotOne(error.to_string()))?;
    Ok(hex(&Sha256::digest(&text)))
}

/// The hash of a report's text with its own hash left out, and without its signature and what it says of the customer: of every byte, so that a figure's last digit counts too.
fn document(text: &[u8], seal: &Seal, personal: Option<&Personal>) -> Option<String> {
    let (own, named) = (&seal.document, format!("\"document\":\"{}\"", seal.document));
    let at = text.windows(named.len()).rposition(|window| window == named.as_bytes())?;
    let (before, rest) = text.split_at(at + named.len() - own.len() - 1);
    let rest = rest.get(own.len()..)?;
    let mut hash = Sha256::new();
    hash.update(before);
    // Its closing quotation mark, then the signature, the seal's closing bracket, what is said of the customer, and the last bracket.
    let (quote, mut rest) = rest.split_at_checked(1)?;
    hash.update(quote);
    if let Some(signed) = &seal.signed {
        let named = format!(",\"signed\":{}", serde_json::to_string(signed).ok()?);
        rest = rest.strip_prefix(named.as_bytes())?;
    }
    if let Some(personal) = personal {
        let (bracket, after) = rest.split_at_checked(1)?;
        hash.update(bracket);
        rest = after.strip_prefix(beside(personal)?.as_bytes())?;
    }
    hash.update(rest);
    Some(hex(&hash.finalize()))
}

/// Seals a record with its ledger; it stays without a seal where that cannot be.
///
/// # Errors
/// [`SealError::Chain`] where the ledger was changed already.
pub fn seal(record: &mut Record, job: &str, entries: Vec<Chained>) -> Result<(), SealError> {
    let head = head(job, &entries)?;
    let case = of_text(&record.case)?;
    record.seal = Some(Seal { job: job.to_owned(), entries, head, case, document: String::new(), signed: None });
    let personal = record.personal.take();
    let hash = of_text(&*record);
    record.personal = personal;
    let hash = hash?;
    if let Some(seal) = &mut record.seal {
        seal.document = hash;
    }
    Ok(())
}

/// Signs a sealed record, in the place of who signed it before.
pub fn sign(record: &mut Record, signer: &Signer) {
    if let Some(seal) = &mut record.seal {
        seal.signed = Some(signer.sign(&seal.document));
    }
}

/// Checks a report from its text alone: chain, case, document, and the figures where this program made them.
///
/// # Errors
/// [`SealError`] for the first thing that is not what it was.
pub fn verify(text: &[u8]) -> Result<Verified, SealError> {
    verified(text, Depth::Figures).map(|(_, verified)| verified)
}

/// The record of a report's text with what it says of the customer put back, checked as deep as it is wanted.
///
/// # Errors
/// [`SealError`] for the first thing that is not what it was.
pub fn verified(text: &[u8], depth: Depth) -> Result<(Record, Verified), SealError> {
    let mut record: Record = json::read(text).map_err(|refused| SealError::NotOne(refused.plain()))?;
    let seal = record.seal.as_ref().ok_or(SealError::None)?;
    // Reports of the first format may begin with entries of before hashes were kept.
    let head = if record.format == FIRST_FORMAT { chained } else { head };
    if head(&seal.job, &seal.entries)? != seal.head {
        return Err(SealError::Head);
    }
    if of_text(&record.case)? != seal.case {
        return Err(SealError::Case);
    }
    if document(text, seal, record.personal.as_ref()).as_ref() != Some(&seal.document) {
        return Err(SealError::Document);
    }
    if seal.signed.as_ref().is_some_and(|signed| !signed.holds(&seal.document)) {
        return Err(SealError::Signature);
    }
    let (entries, head) = (seal.entries.len(), seal.head.clone());
    let unchained = seal.entries.iter().filter(|entry| entry.chain.is_empty()).count();
    let signed_by = seal.signed.as_ref().map(|signed| signed.key.clone());
    if !record.personal_holds() {
        return Err(SealError::Personal);
    }
    let customer_removed = record.customer_removed();
    record.put_back_personal();
    let figures = depth == Depth::Figures && made_here(&record);
    if figures {
        same_figures(&record)?;
    }
    let verified = Verified {
        entries,
        unchained,
        head,
        knowledge: record.knowledge.clone(),
        figures,
        draft: record.papers.closed_at.is_none(),
        customer_removed,
        signed_by,
    };
    Ok((record, verified))
}

/// This very program made it: the same code of the core, with the same knowledge.
pub fn made_here(record: &Record) -> bool {
    record.core == CORE && record.knowledge == fingerprint()
}

/// What stands in the report of each reading and of both sides is what its case gives; what a person struck out is not in the case, so odds are not compared.
fn same_figures(record: &Record) -> Result<(), SealError> {
    let case: &Case = &record.case;
    let tracer = Tracer::new(&case.engine, &spec_points(case)).map_err(|error| SealError::Figures(error.to_string()))?;
    let now = diagnose(case, &tracer, &Setting::default());
    if (now.verdict.overall, now.proof.overall) != (record.verdict, record.proof) {
        return Err(SealError::Figures("its verdict or its proof".to_owned()));
    }
    let near = |a: f64, b: f64| (a - b).abs() <= 1e-6 * a.abs().max(1.0);
    for said in &record.readings {
        let judged = now.readings.iter().find(|judged| judged.reading == said.reading);
        let same = judged.is_some_and(|judged| {
            near(judged.measured_kpa, said.judged.measured_kpa)
                && near(judged.u_kpa(), said.judged.u_kpa)
                && judged.decision == said.judged.decision
        });
        if !same {
            return Err(SealError::Figures(format!("reading {}", said.reading + 1)));
        }
    }
    Ok(())
}
