//! A text as a code that a camera reads (QR, ISO/IEC 18004), drawn as SVG.
use qrcode::render::svg;
use qrcode::{EcLevel, QrCode};

/// The code of a text; none of one too long for it.
///
/// ```
/// let svg = velvet_dial_report::code("job 9 ledger 4f1c").unwrap();
/// assert!(svg.contains("<svg") && svg.contains("path"));
/// assert!(velvet_dial_report::code(&"x".repeat(5000)).is_none());
/// ```
pub fn code(text: &str) -> Option<String> {
    let code = QrCode::with_error_correction_level(text.as_bytes(), EcLevel::M).ok()?;
    let drawn = code.render::<svg::Color<'_>>().quiet_zone(true).min_dimensions(200, 200).build();
    // The declaration of an XML file has no place in a page.
    Some(drawn.split_once("?>").map_or(drawn.clone(), |(_, svg)| svg.to_owned()))
}
