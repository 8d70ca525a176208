//! A report on paper as a file: it carries the signed report and a slip that says which pages belong to it.
//!
//! The slip is a small text in the file: where the report stands in it, the SHA-256 over the whole file with the slip's own hash and signature written as zeros, and a signature over
//! that hash and the report's. So a changed page, a changed report, and the pages of one report with the data of another are all found out without reading the file as a PDF.
use super::{SealError, Signer};
use crate::hex::hex;
use crate::record::Signed;
use sha2::{Digest, Sha256};
use std::ops::Range;

const TITLE: &str = "VELVET-DIAL PAGES 1\n";
/// Names and widths of the slip's values, in their order.
const VALUES: [(&str, usize); 5] = [("at ", 12), ("length ", 12), ("pages ", 64), ("key ", 64), ("signature ", 128)];

/// The slip before its values are known, to be put into the file as it is.
pub fn blank_slip() -> String {
    let mut slip = TITLE.to_owned();
    for (name, width) in VALUES {
        slip.push_str(name);
        slip.push_str(&"0".repeat(width));
        slip.push('\n');
    }
    slip
}

/// Writes the slip's values into a file that holds it and the report's text, both as they are.
///
/// # Errors
/// [`SealError::Pages`] where it does not hold them.
pub fn sign_pages(file: &mut [u8], report: &[u8], document: &str, signer: &Signer) -> Result<(), SealError> {
    let places = places(file)?;
    let at = find(file, report).ok_or(SealError::Pages)?;
    let [place_at, place_length, pages, key, signature] = &places;
    write(file, place_at, &format!("{at:012}"))?;
    write(file, place_length, &format!("{:012}", report.len()))?;
    write(file, key, &signer.key())?;
    // The hash of the pages and their signature are the only values that it does not go over.
    let hash = hash_without(file, [pages, signature])?;
    write(file, pages, &hash)?;
    write(file, signature, &signer.sign(&said(document, &hash)).value)
}

/// The report's text in a file, its pages checked, and the key that signed them.
///
/// # Errors
/// [`SealError::NoPages`] where the file carries no report, [`SealError::Pages`] where it is not what was signed.
pub fn report_of_pages(file: &[u8]) -> Result<(&[u8], String), SealError> {
    let places = places(file)?;
    let [at, length, pages, key, signature] = &places;
    let value = |place: &Range<usize>| file.get(place.clone()).and_then(|value| std::str::from_utf8(value).ok()).ok_or(SealError::Pages);
    let number = |place| value(place)?.parse::<usize>().map_err(|_| SealError::Pages);
    let from = number(at)?;
    let report = from.checked_add(number(length)?).and_then(|to| file.get(from..to)).ok_or(SealError::Pages)?;
    if hash_without(file, [pages, signature])? != value(pages)? {
        return Err(SealError::Pages);
    }
    let document = super::seal::document_of(report)?;
    let signed = Signed { key: value(key)?.to_owned(), value: value(signature)?.to_owned() };
    if !signed.holds(&said(&document, value(pages)?)) {
        return Err(SealError::Pages);
    }
    Ok((report, signed.key))
}

fn said(document: &str, pages: &str) -> String {
    format!("velvet-dial.pages/1 {document} {pages}")
}

/// Where the slip's values stand. A file with two slips is none of ours.
fn places(file: &[u8]) -> Result<[Range<usize>; 5], SealError> {
    let title = find(file, TITLE.as_bytes()).ok_or(SealError::NoPages)?;
    let mut at = title + TITLE.len();
    if file.get(at..).is_some_and(|rest| find(rest, TITLE.as_bytes()).is_some()) {
        return Err(SealError::Pages);
    }
    let mut places: [Range<usize>; 5] = Default::default();
    for (place, (name, width)) in places.iter_mut().zip(VALUES) {
        let from = at + name.len();
        if file.get(at..from) != Some(name.as_bytes()) || file.get(from + width) != Some(&b'\n') {
            return Err(SealError::Pages);
        }
        *place = from..from + width;
        at = from + width + 1;
    }
    Ok(places)
}

fn find(file: &[u8], text: &[u8]) -> Option<usize> {
    memchr::memmem::find(file, text)
}

fn write(file: &mut [u8], place: &Range<usize>, value: &str) -> Result<(), SealError> {
    let into = file.get_mut(place.clone()).filter(|into| into.len() == value.len()).ok_or(SealError::Pages)?;
    into.copy_from_slice(value.as_bytes());
    Ok(())
}

fn hash_without(file: &[u8], values: [&Range<usize>; 2]) -> Result<String, SealError> {
    let mut hash = Sha256::new();
    let mut at = 0;
    for value in values {
        hash.update(file.get(at..value.start).ok_or(SealError::Pages)?);
        hash.update("0".repeat(value.len()).as_bytes());
        at = value.end;
    }
    hash.update(file.get(at..).ok_or(SealError::Pages)?);
    Ok(hex(&hash.finalize()))
}
