//! One-time codes by time (RFC 6238, over RFC 4226): six digits, thirty seconds, SHA-1, which is what every authenticator program reads.
use hmac::{Hmac, KeyInit, Mac};
use sha1::Sha1;

/// Seconds of one code.
const STEP_S: i64 = 30;
/// A phone's clock may be a step off, either way.
const SLACK: i64 = 1;
/// The letters of base 32 (RFC 4648).
const LETTERS: &[u8; 32] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZ234567";

/// The code of a step.
fn code(secret: &[u8], step: i64) -> Option<String> {
    let mut mac = Hmac::<Sha1>::new_from_slice(secret).ok()?;
    mac.update(&step.to_be_bytes());
    let hash = mac.finalize().into_bytes();
    let at = usize::from(hash.last()? & 0x0f);
    let four: [u8; 4] = hash.get(at..at + 4)?.try_into().ok()?;
    Some(format!("{:06}", (u32::from_be_bytes(four) & 0x7fff_ffff) % 1_000_000))
}

/// The step whose code was typed, at a moment in seconds since 1970; none of a wrong code, and of one that was used already: `last` is the last step that was.
pub(super) fn step_of(secret: &[u8], typed: &str, at_s: i64, last: i64) -> Option<i64> {
    let now = at_s.div_euclid(STEP_S);
    (now - SLACK..=now + SLACK).filter(|step| *step > last).find(|step| code(secret, *step).is_some_and(|code| code == typed))
}

/// Bytes as people type them: base 32 without padding.
pub(super) fn base32(bytes: &[u8]) -> String {
    let bits: Vec<bool> = bytes.iter().flat_map(|byte| (0..8).rev().map(move |bit| byte >> bit & 1 == 1)).collect();
    let letter = |five: &[bool]| {
        let value = (0..5).fold(0usize, |value, place| value << 1 | usize::from(five.get(place).copied().unwrap_or(false)));
        LETTERS.get(value).map(|letter| char::from(*letter))
    };
    bits.chunks(5).filter_map(letter).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The test vectors of RFC 6238, appendix B (its eight digits cut to the last six), and of RFC 4648, section 10.
    #[test]
    fn codes_are_those_of_the_standard() {
        let secret = b"12345678901234567890";
        for (at, expected) in [
            (59, "287082"),
            (1_111_111_109, "081804"),
            (1_111_111_111, "050471"),
            (1_234_567_890, "005924"),
            (2_000_000_000, "279037"),
            (20_000_000_000, "353130"),
        ] {
            let step = at / STEP_S;
            assert_eq!(code(secret, step).as_deref(), Some(expected));
            assert_eq!(step_of(secret, expected, at, 0), Some(step));
            assert_eq!(step_of(secret, expected, at + STEP_S, 0), Some(step), "a clock that is a step ahead");
            assert_eq!(step_of(secret, expected, at + 3 * STEP_S, 0), None, "an old code");
            assert_eq!(step_of(secret, expected, at, step), None, "a code that was used");
        }
        for (plain, coded) in
            [("f", "MY"), ("fo", "MZXQ"), ("foo", "MZXW6"), ("foob", "MZXW6YQ"), ("fooba", "MZXW6YTB"), ("foobar", "MZXW6YTBOI")]
        {
            assert_eq!(base32(plain.as_bytes()), coded);
        }
    }
}
