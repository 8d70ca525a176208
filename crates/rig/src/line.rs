//! A line: text, an asterisk, four hexadecimal digits of its checksum, a line feed.
use crc::{CRC_16_IBM_3740, Crc};
use thiserror::Error;
use tokio::io::{AsyncBufRead, AsyncBufReadExt};

/// CRC-16/CCITT-FALSE: polynomial 0x1021, from 0xFFFF, nothing reflected. `123456789` gives 29B1.
const CHECK: Crc<u16> = Crc::<u16>::new(&CRC_16_IBM_3740);
/// A longer line is none, bytes.
pub const LONGEST: usize = 512;

/// Why a line was not taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum LineError {
    /// No end within [`LONGEST`].
    #[error("a line is longer than {LONGEST} bytes; send one sample a line")]
    TooLong,
    /// Not UTF-8.
    #[error("a line is not text; send UTF-8")]
    NotText,
    /// No checksum.
    #[error("a line has no checksum; end it with * and four hexadecimal digits")]
    Bare,
    /// The wrong one.
    #[error("a line's checksum is {said:04X} and should be {right:04X}")]
    Wrong {
        /// What stood there.
        said: u16,
        /// What would be right.
        right: u16,
    },
}

/// A text as a line, ready to send.
pub fn sealed(text: &str) -> String {
    format!("{text}*{:04X}\n", CHECK.checksum(text.as_bytes()))
}

/// The text of a line, when its checksum is right.
///
/// # Errors
/// [`LineError`] for what is no line.
///
/// ```
/// # use velvet_dial_rig::line::{opened, sealed};
/// assert_eq!(sealed("123456789"), "123456789*29B1\n");
/// assert_eq!(opened(b"123456789*29B1\r\n"), Ok("123456789"));
/// assert!(opened(b"123456788*29B1\n").is_err());
/// ```
pub fn opened(bytes: &[u8]) -> Result<&str, LineError> {
    let text = str::from_utf8(bytes).map_err(|_| LineError::NotText)?.trim_end_matches(['\r', '\n']);
    let (text, sum) = text.rsplit_once('*').ok_or(LineError::Bare)?;
    let said = u16::from_str_radix(sum, 16).ok().filter(|_| sum.len() == 4).ok_or(LineError::Bare)?;
    let right = CHECK.checksum(text.as_bytes());
    if said == right { Ok(text) } else { Err(LineError::Wrong { said, right }) }
}

/// Reads lines of at most [`LONGEST`] bytes; what is read of one is kept when the reading is broken off between two bytes.
#[derive(Debug)]
pub struct Lines<R> {
    from: R,
    line: Vec<u8>,
    whole: bool,
    /// The rest of a line without an end is thrown away.
    skipping: bool,
}

impl<R: AsyncBufRead + Unpin> Lines<R> {
    /// On a stream.
    pub fn new(from: R) -> Self {
        Self { from, line: Vec::with_capacity(LONGEST), whole: false, skipping: false }
    }

    /// The next line with its end; none when the stream has ended, and what it was cut off in is no line.
    ///
    /// # Errors
    /// The outer one is the stream's, the inner one a line without an end.
    pub async fn next(&mut self) -> std::io::Result<Option<Result<&[u8], LineError>>> {
        if self.whole {
            self.line.clear();
            self.whole = false;
        }
        loop {
            let bytes = self.from.fill_buf().await?;
            if bytes.is_empty() {
                return Ok(None);
            }
            let end = bytes.iter().position(|byte| *byte == b'\n');
            let taken = end.map_or(bytes.len(), |end| end + 1);
            if !self.skipping {
                self.line.extend_from_slice(bytes.get(..taken).unwrap_or_default());
            }
            self.from.consume(taken);
            if self.line.len() > LONGEST {
                self.line.clear();
                self.skipping = end.is_none();
                return Ok(Some(Err(LineError::TooLong)));
            }
            if end.is_some() && !std::mem::take(&mut self.skipping) {
                self.whole = true;
                return Ok(Some(Ok(&self.line)));
            }
        }
    }
}
