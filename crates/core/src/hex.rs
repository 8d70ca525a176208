//! Bytes as hexadecimal digits, and hashes so written.
use sha2::{Digest, Sha256};

/// SHA-256 over parts, each under its length, so that no two lists of parts give one text; hexadecimal.
pub fn hash_of_parts<'a>(parts: impl IntoIterator<Item = &'a str>) -> String {
    let mut hash = Sha256::new();
    for part in parts {
        hash.update((part.len() as u64).to_le_bytes());
        hash.update(part.as_bytes());
    }
    hex(&hash.finalize())
}

/// Two digits a byte, in small letters.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// The bytes of hexadecimal digits; none of anything else.
pub fn unhex(text: &str) -> Option<Vec<u8>> {
    let digit = |digit: u8| (digit as char).to_digit(16);
    let pair = |pair: &[u8]| match pair {
        [high, low] => Some((16 * digit(*high)? + digit(*low)?) as u8),
        _ => None,
    };
    text.as_bytes().chunks(2).map(pair).collect()
}
