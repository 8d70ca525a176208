//! A document as PDF: photos and pictures are read, the pages laid out and drawn, and the structure for a screen reader written beside them.
use crate::flow::{self, Drawing, NodeId, Pages, Placed, Shown};
use crate::text::{self, FONTS, Fonts, Ink, Typesetter};
use crate::{Block, Document, Photo};
use image::codecs::jpeg::JpegEncoder;
use image::{ImageFormat, ImageReader};
use krilla::SerializeSettings;
use krilla::configure::{Archival, Configuration, ConfigurationBuilder};
use krilla::embed::{AssociationKind, EmbeddedFile, MimeType};
use krilla::error::KrillaError;
use krilla::image::Image;
use krilla::metadata::{DateTime, Metadata};
use krilla::page::PageSettings;
use krilla::surface::Surface;
use krilla::tagging::{Artifact, ArtifactType, ContentTag, Identifier, Node, SpanTag, TagGroup, TagTree};
use krilla_svg::{SurfaceExt, SvgSettings};
use std::collections::HashMap;
use std::io::Cursor;
use std::rc::Rc;
use std::sync::{Arc, LazyLock};
use thiserror::Error;
use usvg::fontdb;

/// The sheet's size.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Paper {
    /// 210 × 297 mm.
    #[default]
    A4,
    /// 8.5 × 11 in.
    Letter,
}

impl Paper {
    /// Width and height, in points.
    fn size(self) -> (f32, f32) {
        match self {
            Self::A4 => (595.276, 841.89),
            Self::Letter => (612.0, 792.0),
        }
    }
}

/// It could not be laid out.
#[derive(Debug, Error)]
pub enum PaperError {
    /// A photo is damaged.
    #[error("a photo of the report cannot be read: {0}")]
    Photo(#[from] image::ImageError),
    /// A photo is in a form that a PDF cannot hold.
    #[error("a photo of the report cannot be put into a PDF: {0}")]
    Jpeg(String),
    /// A picture is not SVG.
    #[error("a picture of the report cannot be drawn: {0}")]
    Picture(#[from] usvg::Error),
    /// The PDF could not be written.
    #[error("the report's PDF could not be written: {0:?}")]
    Pdf(KrillaError),
}

/// Margins, in points: at the sides, at the top, at the bottom; the foot stands in the last.
const SIDE: f32 = 45.35;
const TOP: f32 = 42.5;
const BOTTOM: f32 = 51.0;
const FOOT_BELOW: f32 = 16.0;
/// A photo's longer side on paper: 90 mm at 250 dots an inch.
const PHOTO_SIDE: u32 = 900;
const PHOTO_QUALITY: u8 = 74;

/// A file that a PDF carries, byte by byte as it is given.
#[derive(Debug, Clone)]
pub struct Attached {
    /// Its name.
    pub name: &'static str,
    /// What kind of file it is.
    pub mime_type: &'static str,
    /// What it is, for whoever opens the list of attachments.
    pub about: &'static str,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// When it was made: year, month, day.
    pub on: (u16, u8, u8),
}

/// Lays a document out. With attachments it is a PDF/A-3; where that cannot be, because the fonts lack a letter that somebody typed, it is a plain PDF with the same pages and attachments.
///
/// # Errors
/// [`PaperError`] where a photo or a picture cannot be read.
pub fn pdf(document: &Document, paper: Paper, attached: &[Attached]) -> Result<Vec<u8>, PaperError> {
    if !attached.is_empty()
        && let Ok(archival) = ConfigurationBuilder::new().with_archival_validator(Archival::A3_A).finish()
    {
        match drawn(document, paper, attached, archival) {
            Err(PaperError::Pdf(KrillaError::Validation(_))) => {}
            other => return other,
        }
    }
    drawn(document, paper, attached, Configuration::default())
}

fn drawn(document: &Document, paper: Paper, attached: &[Attached], configuration: Configuration) -> Result<Vec<u8>, PaperError> {
    let (width, height) = paper.size();
    let room = (width - 2.0 * SIDE, height - TOP - BOTTOM);
    let mut shown = read(document)?;
    let mut type_setter = Typesetter::new();
    let laid = flow::lay_out(&mut type_setter, document, |place| shown.remove(&place), room);
    let settings = SerializeSettings { enable_tagging: true, configuration, ..SerializeSettings::default() };
    let mut made = krilla::Document::new_with(settings);
    let about = Metadata::new().title(document.title.clone()).authors(vec![document.shop.clone()]).language("en".to_owned());
    let about = attached.first().map_or(about.clone(), |file| about.creation_date(date(file.on)));
    made.set_metadata(about);
    for file in attached {
        made.embed_file(EmbeddedFile {
            path: file.name.to_owned(),
            mime_type: MimeType::new(file.mime_type),
            description: Some(file.about.to_owned()),
            association_kind: AssociationKind::Data,
            data: file.bytes.clone().into(),
            modification_date: Some(date(file.on)),
            compress: Some(false),
            location: None,
        });
    }
    let mut pen = Pen::default();
    let pages = laid.pages.len();
    for (place, page) in laid.pages.iter().enumerate() {
        // OK because both sheets have a size.
        let Some(size) = PageSettings::from_wh(width, height) else { continue };
        let mut sheet = made.start_page_with(size);
        let mut surface = sheet.surface();
        page.iter().for_each(|placed| pen.draw(&mut surface, placed, (SIDE, TOP), ArtifactType::Layout));
        let foot = flow::foot(&mut type_setter, document, (place + 1, pages), room.0);
        foot.iter().for_each(|placed| pen.draw(&mut surface, placed, (SIDE, height - BOTTOM + FOOT_BELOW), ArtifactType::Footer));
        surface.finish();
        sheet.finish();
    }
    made.set_tag_tree(structure(&laid, &mut pen.drawn));
    made.finish().map_err(PaperError::Pdf)
}

fn date((year, month, day): (u16, u8, u8)) -> DateTime {
    DateTime::new(year).month(month).day(day)
}

/// What was drawn of each node, for the structure.
#[derive(Default)]
struct Pen {
    fonts: Fonts,
    drawn: HashMap<NodeId, Vec<Identifier>>,
}

impl Pen {
    fn draw(&mut self, surface: &mut Surface<'_>, placed: &Placed, (left, top): (f32, f32), passed_over: ArtifactType) {
        let at = (left + placed.at.0, top + placed.at.1);
        let tag = match (placed.node, &placed.drawing) {
            (None, _) => ContentTag::Artifact(Artifact::with_kind(passed_over)),
            (Some(_), Drawing::Line(..)) => ContentTag::Span(SpanTag::empty()),
            (Some(_), _) => ContentTag::Other,
        };
        let identifier = surface.start_tagged(tag);
        match &placed.drawing {
            Drawing::Line(paragraph, line) => paragraph.draw(surface, &mut self.fonts, *line, at),
            Drawing::Rule(ink, width, thick) => rectangle(surface, *ink, (at.0, at.1 - thick, *width, *thick), None),
            Drawing::Frame(width, height) => rectangle(surface, Ink::Alarm, (at.0, at.1, *width, *height), Some(0.8)),
            Drawing::Svg(tree, size) => text::at(surface, at, |surface| {
                // None only where it has no size, and then there is nothing to draw.
                surface.draw_svg(tree, *size, SvgSettings::default());
            }),
            Drawing::Photo(image, size) => text::at(surface, at, |surface| surface.draw_image(image.clone(), *size)),
        }
        surface.end_tagged();
        if let Some(node) = placed.node {
            self.drawn.entry(node).or_default().push(identifier);
        }
    }
}

fn rectangle(surface: &mut Surface<'_>, ink: Ink, bounds: (f32, f32, f32, f32), line: Option<f32>) {
    surface.set_fill(line.is_none().then(|| ink.fill()));
    surface.set_stroke(line.map(|width| ink.stroke(width)));
    text::draw_rectangle(surface, bounds);
    surface.set_stroke(None);
}

/// The structure with what was drawn of it.
fn structure(laid: &Pages, drawn: &mut HashMap<NodeId, Vec<Identifier>>) -> TagTree {
    let mut tree = TagTree::new().with_lang(Some("en".to_owned()));
    let root = laid.nodes.first().map(|root| root.children.clone()).unwrap_or_default();
    root.into_iter().filter_map(|node| group(laid, drawn, node)).for_each(|group| tree.push(group));
    tree
}

fn group(laid: &Pages, drawn: &mut HashMap<NodeId, Vec<Identifier>>, id: NodeId) -> Option<TagGroup> {
    let node = laid.nodes.get(id)?;
    let mut children: Vec<Node> = drawn.remove(&id).unwrap_or_default().into_iter().map(Node::Leaf).collect();
    children.extend(node.children.iter().filter_map(|child| group(laid, drawn, *child)).map(Node::Group));
    Some(TagGroup::with_children(node.tag.clone(), children))
}

static PICTURE_FONTS: LazyLock<Arc<fontdb::Database>> = LazyLock::new(|| {
    let mut fonts = fontdb::Database::new();
    FONTS.iter().for_each(|font| drop(fonts.load_font_source(fontdb::Source::Binary(Arc::new(font)))));
    fonts.set_sans_serif_family("Archivo");
    Arc::new(fonts)
});

/// Reads pictures and photos, by block.
fn read(document: &Document) -> Result<HashMap<usize, Shown>, PaperError> {
    let mut shown = HashMap::new();
    for (place, block) in document.blocks.iter().enumerate() {
        match block {
            Block::Picture(picture) => drop(shown.insert(place, drawing(&picture.svg)?)),
            Block::Code { svg, .. } => drop(shown.insert(place, drawing(svg)?)),
            Block::Photos { photos } => {
                let images: Result<Vec<Image>, PaperError> = photos.iter().map(small).collect();
                shown.insert(place, Shown::Photos(images?));
            }
            Block::Heading { .. }
            | Block::Text { .. }
            | Block::Decision { .. }
            | Block::Notice { .. }
            | Block::Table { .. }
            | Block::Small { .. } => {}
        }
    }
    Ok(shown)
}

fn drawing(svg: &str) -> Result<Shown, PaperError> {
    let options = usvg::Options { font_family: "Archivo".to_owned(), fontdb: Arc::clone(&PICTURE_FONTS), ..usvg::Options::default() };
    Ok(Shown::Svg(Rc::new(usvg::Tree::from_str(svg, &options)?)))
}

/// A photo as paper needs it.
fn small(photo: &Photo) -> Result<Image, PaperError> {
    let read = ImageReader::with_format(Cursor::new(&photo.jpeg), ImageFormat::Jpeg).decode()?;
    let read = if read.width().max(read.height()) > PHOTO_SIDE { read.thumbnail(PHOTO_SIDE, PHOTO_SIDE) } else { read };
    let mut made = Vec::new();
    read.to_rgb8().write_with_encoder(JpegEncoder::new_with_quality(&mut made, PHOTO_QUALITY))?;
    Image::from_jpeg(made.into(), false).map_err(PaperError::Jpeg)
}
