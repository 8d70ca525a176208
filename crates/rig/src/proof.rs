//! How a rig shows that it has the token of its pairing: by answering a question, so that the token itself never goes over the line.
//!
//! The server keeps the SHA-256 of the token alone. The answer is HMAC-SHA-256 (RFC 2104, FIPS 180-4) with that hash as its key, over the question, the rig's name and its start.
use hmac::{Hmac, KeyInit, Mac};
use sha2::{Digest, Sha256};
use velvet_dial_core::hex::{hex, unhex};

/// What a rig gives as a proof.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Proof {
    /// The token in clear, as rigs of the first version send it.
    Token(String),
    /// The answer to the server's question.
    Answer {
        /// The question.
        question: String,
        /// The answer, hexadecimal.
        answer: String,
    },
}

fn mac(key: &[u8], question: &str, name: &str, boot: u64) -> Option<Hmac<Sha256>> {
    let mut mac = Hmac::<Sha256>::new_from_slice(key).ok()?;
    mac.update(format!("{question} {name} {boot:016x}").as_bytes());
    Some(mac)
}

/// What a rig answers to a question.
pub fn answer(token: &str, question: &str, name: &str, boot: u64) -> String {
    let made = mac(&Sha256::digest(token.as_bytes()), question, name, boot);
    made.map(|mac| hex(&mac.finalize().into_bytes())).unwrap_or_default()
}

impl Proof {
    /// True when it shows the token whose SHA-256 this is. How long that takes says nothing of how near it came.
    pub fn shows(&self, kept: &[u8], name: &str, boot: u64) -> bool {
        match self {
            Self::Token(token) => {
                // Hashes are compared by their own hash under a key, so that no byte of them is found out one after the other.
                let of = |bytes: &[u8]| mac(kept, "token", name, boot).map(|mac| mac.chain_update(bytes));
                let own = of(kept).map(|mac| mac.finalize().into_bytes());
                own.zip(of(&Sha256::digest(token.as_bytes()))).is_some_and(|(own, said)| said.verify_slice(&own).is_ok())
            }
            Self::Answer { question, answer } => {
                unhex(answer).zip(mac(kept, question, name, boot)).is_some_and(|(bytes, mac)| mac.verify_slice(&bytes).is_ok())
            }
        }
    }
}
