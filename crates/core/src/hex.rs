//! Bytes as hexadecimal digits.

pub(crate) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// The bytes of hexadecimal digits; none of anything else.
pub(crate) fn unhex(text: &str) -> Option<Vec<u8>> {
    let digit = |digit: u8| (digit as char).to_digit(16);
    let pair = |pair: &[u8]| match pair {
        [high, low] => Some((16 * digit(*high)? + digit(*low)?) as u8),
        _ => None,
    };
    text.as_bytes().chunks(2).map(pair).collect()
}
