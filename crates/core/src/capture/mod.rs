//! A recorded run: read from CSV, checked row by row, and its steady holds found.
//!
//! Steps: the file is told apart from what is no text; its header is understood, or the person says which column is which; every row is
//! held to the ranges; only a file without a bad row becomes a [`Capture`]; then [`holds`] finds where speed and pressure stood still.
mod header;
mod hold;
mod read;

pub use header::{Column, Mapping, Quantity, TempUnit, TimeUnit, UNDERSTOOD, guess};
pub use hold::{Hold, holds};
pub use read::{BadRow, Capture, CaptureError, MOST_BYTES, Sample, Table, read, table};
