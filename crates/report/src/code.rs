//! A text as a code that a camera reads (QR, ISO/IEC 18004), drawn as SVG.
use qrcode::{Color, EcLevel, QrCode};
use std::fmt::Write;

/// The light border that a camera needs, in dots.
const BORDER: usize = 4;

/// The code of a text; none of one too long for it. Capital letters and digits take the least room.
///
/// ```
/// let svg = velvet_dial_report::code("JOB 9 LEDGER 4F1C").unwrap();
/// assert!(svg.starts_with("<svg") && svg.contains("path"));
/// assert!(velvet_dial_report::code(&"x".repeat(5000)).is_none());
/// ```
pub fn code(text: &str) -> Option<String> {
    let code = QrCode::with_error_correction_level(text.as_bytes(), EcLevel::M).ok()?;
    let (width, colors) = (code.width(), code.to_colors());
    let side = width + 2 * BORDER;
    // A run of dark dots is one rectangle.
    let mut path = String::new();
    for (row, dots) in colors.chunks(width).enumerate() {
        let mut at = 0;
        for run in dots.chunk_by(|a, b| a == b) {
            if run.first() == Some(&Color::Dark) {
                // OK because a string takes whatever is written to it.
                write!(path, "M{} {}h{}v1h-{}z", at + BORDER, row + BORDER, run.len(), run.len()).ok()?;
            }
            at += run.len();
        }
    }
    let head = format!("<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {side} {side}\" shape-rendering=\"crispEdges\">");
    Some(format!("{head}<path fill=\"#fff\" d=\"M0 0h{side}v{side}h-{side}z\"/><path fill=\"#000\" d=\"{path}\"/></svg>"))
}
