//! Who made a report: a signature (Ed25519, RFC 8032) over the report's hash, so that it can be checked anywhere with the public key alone.
//!
//! What is signed is the hash as it stands in the report, its sixty-four hexadecimal digits. Keys are kept and given as PEM: PKCS #8 (RFC 8410) the private one, SubjectPublicKeyInfo the public one.
use crate::hex::{hash_of_parts, hex, unhex};
use crate::record::Signed;
use ed25519_dalek::pkcs8::spki::der::pem::LineEnding;
use ed25519_dalek::pkcs8::{DecodePrivateKey, DecodePublicKey, EncodePrivateKey, EncodePublicKey};
use ed25519_dalek::{Signature, Signer as _, SigningKey, VerifyingKey};
use thiserror::Error;

/// A key that cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("this is no {what} key in PEM ({why})")]
pub struct KeyError {
    what: &'static str,
    why: String,
}

/// Who signs.
#[derive(Clone)]
pub struct Signer(SigningKey);

impl std::fmt::Debug for Signer {
    /// Nothing of the key itself.
    fn fmt(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(to, "Signer({})", self.key())
    }
}

impl Signer {
    /// A new one of thirty-two random bytes.
    pub fn of_seed(seed: &[u8; 32]) -> Self {
        Self(SigningKey::from_bytes(seed))
    }

    /// From where it is kept.
    ///
    /// # Errors
    /// [`KeyError`] for a text that is no private key.
    pub fn of_pem(text: &str) -> Result<Self, KeyError> {
        SigningKey::from_pkcs8_pem(text).map(Self).map_err(|error| KeyError { what: "private Ed25519", why: error.to_string() })
    }

    /// To be kept where nobody else reads it.
    ///
    /// # Errors
    /// [`KeyError`] where it cannot be written, which does not happen.
    pub fn to_pem(&self) -> Result<String, KeyError> {
        let text = self.0.to_pkcs8_pem(LineEnding::LF).map_err(|error| KeyError { what: "private Ed25519", why: error.to_string() })?;
        Ok(text.to_string())
    }

    /// For whoever checks.
    ///
    /// # Errors
    /// [`KeyError`] where it cannot be written, which does not happen.
    pub fn public_pem(&self) -> Result<String, KeyError> {
        let text = self.0.verifying_key().to_public_key_pem(LineEnding::LF);
        text.map_err(|error| KeyError { what: "public Ed25519", why: error.to_string() })
    }

    /// The public key, hexadecimal.
    pub fn key(&self) -> String {
        hex(self.0.verifying_key().as_bytes())
    }

    /// Signs a hash.
    pub fn sign(&self, hash: &str) -> Signed {
        Signed { key: self.key(), value: hex(&self.0.sign(hash.as_bytes()).to_bytes()) }
    }
}

impl Signed {
    /// It is this key's signature of that hash.
    pub fn holds(&self, hash: &str) -> bool {
        let key = unhex(&self.key).and_then(|bytes| <[u8; 32]>::try_from(bytes).ok());
        let value = unhex(&self.value).and_then(|bytes| <[u8; 64]>::try_from(bytes).ok());
        let (Some(key), Some(value)) = (key, value) else { return false };
        VerifyingKey::from_bytes(&key).is_ok_and(|key| key.verify_strict(hash.as_bytes(), &Signature::from_bytes(&value)).is_ok())
    }
}

/// The hash that a follow-up is signed by: over the report that it follows and what it says, every part under its length. Hexadecimal.
pub fn follow_up_hash(report: &str, said: [&str; 3]) -> String {
    hash_of_parts(["velvet-dial.follow-up/1", report].into_iter().chain(said))
}

/// The public keys of a text with one or more in PEM, hexadecimal.
///
/// # Errors
/// [`KeyError`] for a text that holds none, or one that is no public key.
pub fn public_keys(text: &str) -> Result<Vec<String>, KeyError> {
    const END: &str = "-----END PUBLIC KEY-----";
    let wrong = |why: String| KeyError { what: "public Ed25519", why };
    let one = |pem: &str| VerifyingKey::from_public_key_pem(&format!("{}{END}\n", pem.trim_start())).map(|key| hex(key.as_bytes()));
    let mut parts: Vec<&str> = text.split(END).collect();
    let rest = parts.pop().unwrap_or_default().trim();
    if parts.is_empty() || !rest.is_empty() {
        return Err(wrong("no public key, or something else after it".to_owned()));
    }
    parts.into_iter().map(|pem| one(pem).map_err(|error| wrong(error.to_string()))).collect()
}
