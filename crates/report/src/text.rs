//! Sets text: which font has a letter, where a line breaks, and how a line is drawn on a page.
//!
//! A [`Piece`] is text of one look. The [`Typesetter`] joins pieces to a [`Paragraph`] of a given width, whose lines are then placed one by one, so that a paragraph can go on over a page's end.
use crate::Tone;
use krilla::color::rgb::Color;
use krilla::geom::{PathBuilder, Point, Rect, Transform};
use krilla::num::NormalizedF32;
use krilla::paint::{Fill, FillRule, Stroke, StrokeDash};
use krilla::surface::Surface;
use krilla::text::{Font, GlyphId, KrillaGlyph};
use parley::fontique::{Blob, Collection, CollectionOptions};
use parley::layout::{GlyphRun, Layout, PositionedLayoutItem};
use parley::style::{FontFamily, FontFamilyName, FontFeatures, FontWeight, LineHeight, OverflowWrap, StyleProperty};
use parley::{FontContext, InlineBox, InlineBoxKind, LayoutContext};
use skrifa::{FontRef, MetadataProvider};
use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

/// The fonts that ship with the report, in the order in which a letter is looked for.
pub static FONTS: [&[u8]; 5] = [
    include_bytes!("../fonts/archivo-latin-regular.ttf"),
    include_bytes!("../fonts/archivo-latin-bold.ttf"),
    include_bytes!("../fonts/archivo-latin-ext-regular.ttf"),
    include_bytes!("../fonts/archivo-latin-ext-bold.ttf"),
    include_bytes!("../fonts/dejavu-sans.ttf"),
];
const FAMILIES: [FontFamilyName<'static>; 3] = [
    FontFamilyName::Named(Cow::Borrowed("Archivo")),
    FontFamilyName::Named(Cow::Borrowed("Archivo Ext")),
    FontFamilyName::Named(Cow::Borrowed("DejaVu Sans")),
];
/// Stands where no font has the letter: an empty box, which the last font has.
const MISSING: char = '□';
/// From baseline to baseline, in font sizes.
const LINE_HEIGHT: f32 = 1.25;
/// Width and height of a decision's mark, in points, and the gaps between it and what stands before it, and its word.
const MARK: (f32, f32) = (7.0, 6.0);
const MARK_GAPS: (f32, f32) = (3.0, 3.0);

/// The report's colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ink {
    /// Text.
    #[default]
    Dark,
    /// Text beside the point.
    Soft,
    /// What is wrong.
    Alarm,
    /// What is right.
    Good,
    /// Rules of a table.
    Rule,
}

impl Ink {
    fn color(self) -> Color {
        match self {
            Self::Dark => Color::new(0x20, 0x17, 0x2a),
            Self::Soft => Color::new(0x5f, 0x53, 0x67),
            Self::Alarm => Color::new(0x8c, 0x10, 0x16),
            Self::Good => Color::new(0x0d, 0x5a, 0x52),
            Self::Rule => Color::new(0xc9, 0xbd, 0xa9),
        }
    }

    /// Filled with it.
    pub fn fill(self) -> Fill {
        Fill { paint: self.color().into(), opacity: NormalizedF32::ONE, rule: FillRule::NonZero }
    }

    /// Drawn along a line with it.
    pub fn stroke(self, width: f32) -> Stroke {
        Stroke { paint: self.color().into(), width, ..Stroke::default() }
    }
}

/// The mark of a decision. Each has a shape of its own: colour says nothing alone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// Within the limit.
    Within,
    /// Below it.
    Below,
    /// Above it.
    Above,
    /// Too close to say.
    Undecided,
    /// Nothing to decide by.
    NotMeasured,
}

impl Mark {
    /// The mark of a decision's name; an unknown name is not measured.
    pub fn of(decision: &str) -> Self {
        match decision {
            "within" => Self::Within,
            "below" => Self::Below,
            "above" => Self::Above,
            "undecided" => Self::Undecided,
            _ => Self::NotMeasured,
        }
    }

    /// Its colour, which is its word's too.
    pub fn ink(self) -> Ink {
        match self {
            Self::Within => Ink::Good,
            Self::Below | Self::Above => Ink::Alarm,
            Self::Undecided | Self::NotMeasured => Ink::Soft,
        }
    }

    /// Draws it with its lower left corner at a point.
    fn draw(self, surface: &mut Surface<'_>, left: f32, bottom: f32) {
        let top = bottom - MARK.1;
        let mut path = PathBuilder::new();
        match self {
            Self::Below => triangle(&mut path, [(left, top), (left + MARK.0, top), (left + MARK.0 / 2.0, bottom)]),
            Self::Above => triangle(&mut path, [(left, bottom), (left + MARK.0, bottom), (left + MARK.0 / 2.0, top)]),
            Self::Within | Self::Undecided | Self::NotMeasured => circle(&mut path, left + MARK.0 / 2.0, top + MARK.1 / 2.0, MARK.1 / 2.0),
        }
        let Some(path) = path.finish() else { return };
        let outline = match self {
            Self::Undecided => Some(self.ink().stroke(1.0)),
            Self::NotMeasured => Some(Stroke { dash: Some(StrokeDash { array: vec![0.8, 1.2], offset: 0.0 }), ..self.ink().stroke(0.8) }),
            _ => None,
        };
        surface.set_fill(outline.is_none().then(|| self.ink().fill()));
        surface.set_stroke(outline);
        surface.draw_path(&path);
        surface.set_stroke(None);
    }
}

fn triangle(path: &mut PathBuilder, [first, second, third]: [(f32, f32); 3]) {
    path.move_to(first.0, first.1);
    path.line_to(second.0, second.1);
    path.line_to(third.0, third.1);
    path.close();
}

/// Four cubic curves, each of a quarter (the usual 0.5523 of the radius for their handles).
fn circle(path: &mut PathBuilder, x: f32, y: f32, radius: f32) {
    let handle = 0.552_3 * radius;
    path.move_to(x + radius, y);
    path.cubic_to(x + radius, y + handle, x + handle, y + radius, x, y + radius);
    path.cubic_to(x - handle, y + radius, x - radius, y + handle, x - radius, y);
    path.cubic_to(x - radius, y - handle, x - handle, y - radius, x, y - radius);
    path.cubic_to(x + handle, y - radius, x + radius, y - handle, x + radius, y);
    path.close();
}

/// Text of one look, with a decision's mark in front where it is one.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// The text.
    pub text: String,
    /// Its colour.
    pub ink: Ink,
    /// In the bold font.
    pub bold: bool,
    /// With a line through it.
    pub struck: bool,
    /// In front of it.
    pub mark: Option<Mark>,
}

impl Piece {
    /// Text in a colour.
    pub fn new(text: impl Into<String>, ink: Ink) -> Self {
        Self { text: text.into(), ink, bold: false, struck: false, mark: None }
    }

    /// The same in bold.
    pub fn bold(self) -> Self {
        Self { bold: true, ..self }
    }

    /// Text in a tone.
    pub fn toned(text: impl Into<String>, tone: Tone) -> Self {
        match tone {
            Tone::Plain => Self::new(text, Ink::Dark),
            Tone::Strong => Self::new(text, Ink::Dark).bold(),
            Tone::Soft => Self::new(text, Ink::Soft),
            Tone::Struck => Self { struck: true, ..Self::new(text, Ink::Soft) },
            Tone::Alarm => Self::new(text, Ink::Alarm).bold(),
        }
    }

    /// A decision: its mark and its word.
    pub fn decision((decision, word): (&str, &str)) -> Self {
        let mark = Mark::of(decision);
        Self { mark: Some(mark), ..Self::new(word, mark.ink()).bold() }
    }
}

/// Text broken into lines.
pub struct Paragraph {
    text: String,
    size: f32,
    layout: Layout<Ink>,
    marks: Vec<Mark>,
}

impl Paragraph {
    /// How many lines it has.
    pub fn lines(&self) -> usize {
        self.layout.len()
    }

    /// From the top of a line to the top of the next, in points.
    pub fn line_height(&self) -> f32 {
        LINE_HEIGHT * self.size
    }

    /// From the top of its first line to the end of its last, in points.
    pub fn height(&self) -> f32 {
        self.lines() as f32 * self.line_height()
    }

    /// The width of its longest line, in points.
    pub fn width(&self) -> f32 {
        self.layout.width()
    }

    /// Draws one of its lines with its upper left corner at a point.
    pub fn draw(&self, surface: &mut Surface<'_>, fonts: &mut Fonts, line: usize, (left, top): (f32, f32)) {
        let Some(line) = self.layout.get(line) else { return };
        let metrics = line.metrics();
        let baseline = top + (self.line_height() - metrics.ascent - metrics.descent) / 2.0 + metrics.ascent;
        // A run of one font may be cut into runs of one look: how many of its glyphs are drawn already.
        let mut drawn = (None, 0);
        for item in line.items() {
            match item {
                PositionedLayoutItem::InlineBox(place) => {
                    let mark = usize::try_from(place.id).ok().and_then(|id| self.marks.get(id));
                    if let Some(mark) = mark {
                        mark.draw(surface, left + place.x + place.width - MARK.0 - MARK_GAPS.1, baseline);
                    }
                }
                PositionedLayoutItem::GlyphRun(run) => {
                    if drawn.0 != Some(run.run().index()) {
                        drawn = (Some(run.run().index()), 0);
                    }
                    drawn.1 += self.draw_run(surface, fonts, &run, drawn.1, (left, baseline));
                }
            }
        }
    }

    /// Draws a run of one font and look; returns how many glyphs it has.
    fn draw_run(
        &self,
        surface: &mut Surface<'_>,
        fonts: &mut Fonts,
        run: &GlyphRun<'_, Ink>,
        skip: usize,
        (left, baseline): (f32, f32),
    ) -> usize {
        let count = run.glyphs().count();
        let size = run.run().font_size();
        let glyph = |(text, glyph): (Range<usize>, parley::layout::Glyph)| {
            KrillaGlyph::new(GlyphId::new(glyph.id), glyph.advance / size, glyph.x / size, glyph.y / size, 0.0, text, None)
        };
        let glyphs: Vec<KrillaGlyph> = glyphs_with_text(run).into_iter().skip(skip).take(count).map(glyph).collect();
        let Some(font) = fonts.of(run) else { return count };
        let start = Point::from_xy(left + run.offset(), baseline);
        surface.set_fill(Some(run.style().brush.fill()));
        surface.draw_glyphs(start, &glyphs, font, &self.text, size, false);
        if run.style().strikethrough.is_some() {
            let metrics = run.run().metrics();
            draw_rectangle(surface, (start.x, baseline - metrics.strikethrough_offset, run.advance(), metrics.strikethrough_size));
        }
        count
    }
}

/// The glyphs of a run's whole font run, each with the text that it stands for; the letters of a ligature belong to its one glyph.
fn glyphs_with_text(run: &GlyphRun<'_, Ink>) -> Vec<(Range<usize>, parley::layout::Glyph)> {
    let mut glyphs: Vec<(Range<usize>, parley::layout::Glyph)> = Vec::new();
    for cluster in run.run().visual_clusters() {
        if cluster.is_ligature_continuation() {
            if let Some((text, _)) = glyphs.last_mut() {
                text.start = text.start.min(cluster.text_range().start);
                text.end = text.end.max(cluster.text_range().end);
            }
            continue;
        }
        glyphs.extend(cluster.glyphs().map(|glyph| (cluster.text_range(), glyph)));
    }
    glyphs
}

/// Fonts as the PDF takes them, each made once.
#[derive(Default)]
pub struct Fonts(HashMap<u64, Option<Font>>);

impl Fonts {
    fn of(&mut self, run: &GlyphRun<'_, Ink>) -> Option<Font> {
        let font = run.run().font().clone();
        let (data, id) = font.data.into_raw_parts();
        self.0.entry(id).or_insert_with(|| Font::new(data.into(), font.index)).clone()
    }
}

/// Breaks text into lines.
pub struct Typesetter {
    fonts: FontContext,
    scratch: LayoutContext<Ink>,
    covered: Vec<skrifa::charmap::Charmap<'static>>,
}

impl Typesetter {
    /// With the fonts that ship with the report and no others.
    pub fn new() -> Self {
        let mut fonts =
            FontContext { collection: Collection::new(CollectionOptions { shared: false, system_fonts: false }), ..FontContext::default() };
        for font in FONTS {
            fonts.collection.register_fonts(Blob::new(Arc::new(font)), None);
        }
        let covered = FONTS.iter().filter_map(|font| FontRef::new(font).ok()).map(|font| font.charmap()).collect();
        Self { fonts, scratch: LayoutContext::new(), covered }
    }

    /// Pieces as one paragraph, in points.
    pub fn set(&mut self, pieces: &[Piece], size: f32, width: f32) -> Paragraph {
        let mut text = String::new();
        let mut spans: Vec<(Range<usize>, &Piece)> = Vec::new();
        for piece in pieces.iter().filter(|piece| !piece.text.is_empty()) {
            if !text.is_empty() {
                text.push(' ');
            }
            let from = text.len();
            text.extend(piece.text.chars().filter_map(|letter| self.printable(letter)));
            spans.push((from..text.len(), piece));
        }
        let mut builder = self.scratch.ranged_builder(&mut self.fonts, &text, 1.0, false);
        builder.push_default(FontFamily::List(Cow::Borrowed(&FAMILIES)));
        builder.push_default(StyleProperty::FontSize(size));
        builder.push_default(LineHeight::Absolute(LINE_HEIGHT * size));
        builder.push_default(StyleProperty::OverflowWrap(OverflowWrap::BreakWord));
        // Figures of one width stand below each other.
        builder.push_default(FontFeatures::Source(Cow::Borrowed("\"tnum\" 1")));
        let mut marks = Vec::new();
        for (range, piece) in spans {
            builder.push(StyleProperty::Brush(piece.ink), range.clone());
            builder.push(StyleProperty::Strikethrough(piece.struck), range.clone());
            let weight = if piece.bold { FontWeight::BOLD } else { FontWeight::NORMAL };
            builder.push(StyleProperty::FontWeight(weight), range.clone());
            if let Some(mark) = piece.mark {
                let before = if range.start == 0 { 0.0 } else { MARK_GAPS.0 };
                let (id, width) = (marks.len() as u64, before + MARK.0 + MARK_GAPS.1);
                builder.push_inline_box(InlineBox { id, kind: InlineBoxKind::InFlow, index: range.start, width, height: MARK.1 });
                marks.push(mark);
            }
        }
        let mut layout = builder.build(&text);
        layout.break_all_lines(Some(width));
        Paragraph { text, size, layout, marks }
    }

    /// The letter as it can be printed: a box where no font has it, nothing where it shows nothing, a space where it only parts words.
    fn printable(&self, letter: char) -> Option<char> {
        if letter.is_whitespace() && letter != '\u{a0}' && letter != '\u{202f}' {
            return Some(' ');
        }
        if letter.is_control()
            || matches!(letter, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}' | '\u{ad}')
        {
            return None;
        }
        // What a private letter means nobody else knows, even where a font has one.
        let private = matches!(letter, '\u{e000}'..='\u{f8ff}' | '\u{f0000}'..);
        Some(if !private && self.covered.iter().any(|font| font.map(letter).is_some()) { letter } else { MISSING })
    }
}

/// Draws a rectangle (left, top, width, height), with the surface's fill and stroke.
pub fn draw_rectangle(surface: &mut Surface<'_>, (left, top, width, height): (f32, f32, f32, f32)) {
    let mut path = PathBuilder::new();
    if let Some(rectangle) = Rect::from_xywh(left, top, width, height) {
        path.push_rect(rectangle);
    }
    if let Some(path) = path.finish() {
        surface.draw_path(&path);
    }
}

/// Moves what is drawn next to a point.
pub fn at(surface: &mut Surface<'_>, (left, top): (f32, f32), draw: impl FnOnce(&mut Surface<'_>)) {
    surface.push_transform(&Transform::from_translate(left, top));
    draw(surface);
    surface.pop();
}
