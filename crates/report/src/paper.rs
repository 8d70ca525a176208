//! A document as PDF.
use crate::{Block, Document};
use image::codecs::jpeg::JpegEncoder;
use image::{ImageFormat, ImageReader};
use rayon::prelude::*;
use serde::Serialize;
use std::io::Cursor;
use thiserror::Error;
use typst_as_lib::TypstEngine;
use typst_layout::PagedDocument;
use typst_pdf::PdfOptions;

/// The sheet's size.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
pub enum Paper {
    /// 210 × 297 mm.
    #[default]
    #[serde(rename = "a4")]
    A4,
    /// 8.5 × 11 in.
    #[serde(rename = "us-letter")]
    Letter,
}

/// It could not be laid out.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("the report could not be laid out: {0}")]
pub struct PaperError(String);

static LAYOUT: &str = include_str!("report.typ");
static FONTS: [&[u8]; 5] = [
    include_bytes!("../fonts/archivo-latin-regular.ttf"),
    include_bytes!("../fonts/archivo-latin-bold.ttf"),
    include_bytes!("../fonts/archivo-latin-ext-regular.ttf"),
    include_bytes!("../fonts/archivo-latin-ext-bold.ttf"),
    include_bytes!("../fonts/dejavu-sans.ttf"),
];
/// A photo's longer side on paper: 90 mm at 250 dots an inch.
const PHOTO_SIDE: u32 = 900;
const PHOTO_QUALITY: u8 = 74;

/// What the layout reads.
#[derive(Serialize)]
struct Sent<'a> {
    paper: Paper,
    document: &'a Document,
}

/// Lays a document out.
///
/// # Errors
/// [`PaperError`] with what the layout complained of, such as a photo that is none.
pub fn pdf(document: &Document, paper: Paper) -> Result<Vec<u8>, PaperError> {
    let wrong = |error: &dyn std::fmt::Debug| PaperError(format!("{error:?}"));
    let mut files = vec![("document.json".to_owned(), serde_json::to_vec(&Sent { paper, document }).map_err(|error| wrong(&error))?)];
    for (block, said) in document.blocks.iter().enumerate() {
        match said {
            Block::Picture(picture) => files.push((format!("{block}.svg"), picture.svg.clone().into_bytes())),
            Block::Code { svg, .. } => files.push((format!("{block}.svg"), svg.clone().into_bytes())),
            Block::Photos { photos } => {
                let made: Result<Vec<_>, PaperError> = photos.par_iter().map(|photo| small(&photo.jpeg)).collect();
                files.extend(made?.into_iter().enumerate().map(|(place, jpeg)| (format!("{block}-{place}.jpg"), jpeg)));
            }
            _ => {}
        }
    }
    let engine = TypstEngine::builder()
        .main_file(LAYOUT)
        .fonts(FONTS)
        .with_static_file_resolver(files.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())))
        .build();
    let laid: PagedDocument = engine.compile().output.map_err(|error| wrong(&error))?;
    typst_pdf::pdf(&laid, &PdfOptions::default()).map_err(|error| wrong(&error))
}

/// A photo as paper needs it.
fn small(jpeg: &[u8]) -> Result<Vec<u8>, PaperError> {
    let wrong = |error: &dyn std::fmt::Display| PaperError(format!("a photo in it cannot be read ({error})"));
    let photo = ImageReader::with_format(Cursor::new(jpeg), ImageFormat::Jpeg).decode().map_err(|error| wrong(&error))?;
    let photo = if photo.width().max(photo.height()) > PHOTO_SIDE { photo.thumbnail(PHOTO_SIDE, PHOTO_SIDE) } else { photo };
    let mut made = Vec::new();
    photo.to_rgb8().write_with_encoder(JpegEncoder::new_with_quality(&mut made, PHOTO_QUALITY)).map_err(|error| wrong(&error))?;
    Ok(made)
}
