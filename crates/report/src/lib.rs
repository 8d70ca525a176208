//! A report as its parts, and as PDF.
//!
//! A [`Document`] is text, tables, pictures and photos in their order. The page shows it and the paper is laid out from it, so both say the same. Nothing here knows of jobs, units or databases.
//! Text is set in fonts that ship with it and stays text in the file; pictures stay vectors; photos are made as large as paper needs.
mod code;
mod document;
mod flow;
mod paper;
mod text;

pub use code::code;
pub use document::{Block, Cell, Document, Photo, Picture, Span, Tone};
pub use paper::{Attached, Paper, PaperError, pdf};
