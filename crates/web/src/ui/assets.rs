//! Styles, scripts and fonts, carried in the program itself, and their addresses.
use rust_embed::{EmbeddedFile, RustEmbed};

#[derive(RustEmbed)]
#[folder = "assets/"]
struct Files;

/// One file.
pub fn get(path: &str) -> Option<EmbeddedFile> {
    Files::get(path)
}

/// What tells one state of a file from another.
pub fn state(file: &EmbeddedFile) -> String {
    file.metadata.sha256_hash().iter().take(12).map(|byte| format!("{byte:02x}")).collect()
}

/// The address of a file in its present state: a browser that has it need not ask again.
pub fn link(path: &str) -> String {
    get(path).map_or_else(|| format!("/assets/{path}"), |file| format!("/assets/{path}?state={}", state(&file)))
}
