//! For tests of every crate: one private MariaDB a test program, a headless browser, hostile texts.
//!
//! Everything started here is on a leash (see `velvet_dial_services::leash`): it ends with the test program, passed, failed or killed.
#![expect(clippy::unwrap_used, reason = "a test that cannot set up must stop there")]
mod browser;
mod database;

pub use browser::Browser;
pub use database::{copy_of, fresh_database, meddle};

/// A text that would do harm wherever it is not escaped: markup, quotes, a script, a template's braces, another script direction.
pub const HOSTILE: &str =
    "</title><script>document.title='owned'</script>\"'><img src=x onerror=document.title='owned'>{{7*7}}&amp;\u{202e}";
