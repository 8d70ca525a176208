//! What shops tell each other: the causes of their closed jobs by engine family, as an open file that each signs. There is no vehicle, customer or person in it.
//!
//! What another shop saw becomes known patterns: each raises a cause that the shop found more often than is typical, by its share over the typical one, where the typical frequencies
//! count like [`crate::experience::OWN_JOBS`] jobs as they do for the shop's own. A few jobs so move little, and a cause that was found seldom lowers nothing.
use crate::circuit::Layout;
use crate::experience::{KnownPattern, MOST_SAID, Memory, MemoryError};
use crate::hex::hash_of_parts;
use crate::json;
use crate::knowledge::Knowledge;
use crate::record::Signed;
use crate::signing::Signer;
use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// The value of `format`.
pub const FORMAT: &str = "velvet-dial.outcomes/1";
/// Bytes of a file.
pub const MOST_BYTES: usize = 1 << 20;
const MOST_FAMILIES: usize = 2000;
const MOST_LETTERS: usize = 120;
/// Jobs of one cause in one family that are believed of one shop.
const MOST_JOBS: u32 = 10_000;
/// What raises a cause less than this is no pattern.
const LEAST_TIMES: f64 = 1.1;

/// A shop's outcomes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct OutcomesFile {
    /// Always [`FORMAT`].
    pub format: String,
    /// The shop's name.
    pub shop: String,
    /// The day it was made.
    pub until: NaiveDate,
    /// Closed jobs by family: those whose cause was seen or proved, and that did not come back.
    pub families: Vec<Memory>,
    /// The shop's public key, hexadecimal.
    pub key: String,
    /// Its signature of all the rest, hexadecimal.
    pub signature: String,
}

/// Why a file was not taken.
#[derive(Debug, Error)]
pub enum OutcomesError {
    /// It is too large.
    #[error("the file is larger than {} MB", MOST_BYTES >> 20)]
    TooLarge,
    /// It is not such a file.
    #[error("{path}: {message}")]
    NotRead {
        /// Where.
        path: String,
        /// What is wrong.
        message: String,
    },
    /// It is another kind of file, or of a later version.
    #[error("this is “{0}”; it must be “{FORMAT}”")]
    OtherFormat(String),
    /// Something in it cannot be.
    #[error("{0}")]
    OutOfRange(&'static str),
    /// A cause that is not known.
    #[error(transparent)]
    Cause(#[from] MemoryError),
    /// The signature does not hold.
    #[error("it was changed since {0} signed it")]
    Changed(String),
}

impl OutcomesFile {
    /// A shop's outcomes, signed.
    pub fn signed(shop: &str, until: NaiveDate, families: Vec<Memory>, signer: &Signer) -> Self {
        let mut file = Self {
            format: FORMAT.to_owned(),
            shop: shop.chars().take(MOST_LETTERS).collect(),
            until,
            families,
            key: String::new(),
            signature: String::new(),
        };
        let Signed { key, value } = signer.sign(&file.hash());
        (file.key, file.signature) = (key, value);
        file
    }

    /// Of all but key and signature.
    fn hash(&self) -> String {
        let families = serde_json::to_string(&self.families).unwrap_or_default();
        hash_of_parts([self.format.as_str(), &self.shop, &self.until.to_string(), &families])
    }

    /// Reads a file of another shop.
    ///
    /// # Errors
    /// [`OutcomesError`] for what is not such a file, was changed, or holds what cannot be.
    pub fn read(bytes: &[u8], know: &Knowledge) -> Result<Self, OutcomesError> {
        if bytes.len() > MOST_BYTES {
            return Err(OutcomesError::TooLarge);
        }
        let file: Self = json::read(bytes).map_err(|refused| OutcomesError::NotRead { message: refused.plain(), path: refused.path })?;
        if file.format != FORMAT {
            return Err(OutcomesError::OtherFormat(file.format.chars().take(60).collect()));
        }
        let signed = Signed { key: file.key.clone(), value: file.signature.clone() };
        if !signed.holds(&file.hash()) {
            return Err(OutcomesError::Changed(file.shop.chars().take(MOST_LETTERS).collect()));
        }
        let long = |text: &str| text.trim().is_empty() || text.chars().count() > MOST_LETTERS;
        if file.families.len() > MOST_FAMILIES || long(&file.shop) || file.families.iter().any(|family| long(&family.family)) {
            return Err(OutcomesError::OutOfRange("a name is empty or too long, or there are too many families"));
        }
        for family in &file.families {
            family.clone().checked(know)?;
            if !family.took.holds() || family.closed.values().any(|jobs| *jobs > MOST_JOBS) {
                return Err(OutcomesError::OutOfRange("a number of jobs or a time cannot be"));
            }
        }
        Ok(file)
    }

    /// How its patterns name where they come from, before the colon.
    pub fn source(&self) -> String {
        format!("{} of {} (key {})", Self::SOURCE, self.shop, self.key.chars().take(8).collect::<String>())
    }

    /// How every source of such a pattern begins.
    pub const SOURCE: &'static str = "Outcomes";

    /// The patterns of each family: which cause is raised how many times, and why.
    pub fn patterns(&self, know: &'static Knowledge) -> Vec<(String, KnownPattern)> {
        let own = know.priors(&Layout::default());
        let of = |family: &Memory| {
            let jobs = family.jobs();
            let raised = family.learn(know, &own).into_iter().filter(|cause| cause.closed > 0 && cause.own > 0.0);
            let pattern = |cause: crate::experience::Learned| {
                let times = (10.0 * cause.learned / cause.own).round() / 10.0;
                let source = format!("{}: {} of {jobs} jobs until {}", self.source(), cause.closed, self.until);
                let known = KnownPattern { cause: cause.cause.to_owned(), times: times.min(MOST_SAID), cases: Some(cause.closed), source };
                (times >= LEAST_TIMES).then_some((family.family.clone(), known))
            };
            raised.filter_map(pattern).collect::<Vec<_>>()
        };
        self.families.iter().flat_map(of).collect()
    }
}
