//! Secrets that are shown once and kept as their hash alone: of sessions, of rigs, of a customer's link.
use crate::StoreError;
use sha2::{Digest, Sha256};
use velvet_dial_core::hex::hex;

/// A new one of so many random bytes, as hexadecimal digits.
pub fn new<const BYTES: usize>() -> Result<String, StoreError> {
    Ok(hex(&bytes::<BYTES>()?))
}

/// So many random bytes.
pub fn bytes<const BYTES: usize>() -> Result<[u8; BYTES], StoreError> {
    let mut bytes = [0u8; BYTES];
    getrandom::fill(&mut bytes).map_err(|_| StoreError::Hash)?;
    Ok(bytes)
}

/// What is kept of it.
pub fn digest(secret: &str) -> Vec<u8> {
    Sha256::digest(secret.as_bytes()).to_vec()
}
