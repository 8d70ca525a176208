//! What makes a report's figures hold: entries chained by hash, records sealed and signed, a PDF's pages bound to it, the ledgers' heads sealed together.
mod heads;
mod pages;
mod personal;
mod seal;
mod sign;

pub use heads::{LedgerHead, SealLine, SealedHeads, check_seals, root};
pub use pages::{blank_slip, report_of_pages, sign_pages};
pub use personal::{REMOVED, commitment, is_commitment, without_customer};
pub use seal::{Depth, SealError, Verified, document_of, head, made_here, seal, sign, verified, verify};
pub use sign::{KeyError, Signer, follow_up_hash, public_keys};
