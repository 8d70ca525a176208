//! Lays a document out on pages.
//!
//! A document is first cut into slices, the pieces that are never broken: a line of a paragraph, a row of a table, a picture with its caption. Slices are then stacked page by page; one that must stay
//! with the next (a heading, a table's head) takes that along. Each thing placed knows its node in the structure that a screen reader follows.
use crate::text::{Ink, Paragraph, Piece, Typesetter};
use crate::{Block, Cell, Document, Photo, Picture, Span};
use krilla::geom::Size;
use krilla::image::Image;
use krilla::tagging::{TableHeaderScope, Tag, TagKind};
use std::num::NonZeroU16;
use std::rc::Rc;
use usvg::Tree;

/// Sizes of type, in points.
const TITLE: f32 = 20.0;
const HEADING: f32 = 12.0;
const LARGE: f32 = 11.0;
const BODY: f32 = 9.5;
const SMALL: f32 = 8.0;
const TINY: f32 = 7.0;
/// Gaps, in points: above a paragraph, above a heading, between things side by side, round a table's cell, round a framed paragraph.
const PARAGRAPH_GAP: f32 = 5.5;
const HEADING_GAP: f32 = 13.0;
const GUTTER: f32 = 8.0;
const CELL: (f32, f32) = (3.0, 2.8);
const FRAME: f32 = 7.0;
const MM: f32 = 72.0 / 25.4;
const CODE_SIDE: f32 = 30.0 * MM;
const PHOTO_HEIGHT: f32 = 42.0 * MM;
const PHOTOS_A_ROW: usize = 3;
/// A row or a framed paragraph higher than this part of a page goes on over its end.
const TALL: f32 = 0.5;

/// A node of the structure, by its place in [`Pages::nodes`]; the first is the root.
pub type NodeId = usize;

/// A node of the structure that a screen reader follows.
pub struct Node {
    /// What it is.
    pub tag: TagKind,
    /// The nodes below it.
    pub children: Vec<NodeId>,
}

/// What is drawn.
#[derive(Clone)]
pub enum Drawing {
    /// A line of a paragraph.
    Line(Rc<Paragraph>, usize),
    /// A thin line across.
    Rule(Ink, f32, f32),
    /// A frame.
    Frame(f32, f32),
    /// A picture, as large as it is drawn.
    Svg(Rc<Tree>, Size),
    /// A photo, as large as it is drawn.
    Photo(Image, Size),
}

/// Something at its place on the page, or on its slice.
#[derive(Clone)]
pub struct Placed {
    /// From the left and from the top, in points.
    pub at: (f32, f32),
    /// What.
    pub drawing: Drawing,
    /// Its node; none of what a screen reader passes over.
    pub node: Option<NodeId>,
}

/// What is never broken over two pages.
struct Slice {
    height: f32,
    gap_above: f32,
    with_next: bool,
    placed: Vec<Placed>,
    /// The head of its table, drawn again where it begins a page.
    head: Option<Rc<Slice>>,
}

/// The document on its pages.
pub struct Pages {
    /// What is drawn on each.
    pub pages: Vec<Vec<Placed>>,
    /// The structure.
    pub nodes: Vec<Node>,
}

/// Pictures and photos of a document, read: by block, in order.
pub enum Shown {
    /// A picture or a code.
    Svg(Rc<Tree>),
    /// Photos.
    Photos(Vec<Image>),
}

/// Lays it out in a space of this size.
pub fn lay_out(
    type_setter: &mut Typesetter,
    document: &Document,
    mut shown: impl FnMut(usize) -> Option<Shown>,
    (width, height): (f32, f32),
) -> Pages {
    let root = Node { tag: Tag::Part.into(), children: Vec::new() };
    let mut flow = Flow { type_setter, width, height, slices: Vec::new(), nodes: vec![root] };
    flow.title(document);
    for (place, block) in document.blocks.iter().enumerate() {
        flow.block(block, shown(place));
    }
    Pages { pages: stack(flow.slices, height), nodes: flow.nodes }
}

/// Stacks slices on pages.
fn stack(slices: Vec<Slice>, height: f32) -> Vec<Vec<Placed>> {
    // What a slice needs is its own height and those that it takes along: from the last one back.
    let mut needs: Vec<f32> = Vec::new();
    let mut next: Option<(f32, f32)> = None;
    for slice in slices.iter().rev() {
        let along = next.filter(|_| slice.with_next).map_or(0.0, |(gap, need)| gap + need);
        needs.push(slice.height + along);
        next = Some((slice.gap_above, slice.height + along));
    }
    let (mut pages, mut page, mut used) = (Vec::new(), Vec::new(), 0.0);
    for (slice, need) in slices.into_iter().zip(needs.into_iter().rev()) {
        if used > 0.0 && used + slice.gap_above + need > height {
            pages.push(std::mem::take(&mut page));
            used = 0.0;
            if let Some(head) = &slice.head {
                page.extend(head.placed.iter().cloned().map(|placed| Placed { node: None, ..placed }));
                used = head.height;
            }
        }
        let top = if used > 0.0 { used + slice.gap_above } else { 0.0 };
        page.extend(slice.placed.into_iter().map(|placed| Placed { at: (placed.at.0, placed.at.1 + top), ..placed }));
        used = top + slice.height;
    }
    pages.push(page);
    pages
}

struct Flow<'a> {
    type_setter: &'a mut Typesetter,
    width: f32,
    height: f32,
    slices: Vec<Slice>,
    nodes: Vec<Node>,
}

impl Flow<'_> {
    fn node(&mut self, parent: NodeId, tag: impl Into<TagKind>) -> NodeId {
        let id = self.nodes.len();
        self.nodes.push(Node { tag: tag.into(), children: Vec::new() });
        if let Some(parent) = self.nodes.get_mut(parent) {
            parent.children.push(id);
        }
        id
    }

    fn heading_node(&mut self, level: u16, text: &str) -> NodeId {
        self.node(0, Tag::Hn(NonZeroU16::new(level).unwrap_or(NonZeroU16::MIN), Some(text.to_owned())))
    }

    fn set(&mut self, pieces: &[Piece], size: f32, width: f32) -> Rc<Paragraph> {
        Rc::new(self.type_setter.set(pieces, size, width))
    }

    fn title(&mut self, document: &Document) {
        let node = self.heading_node(1, &document.title);
        let title = self.set(&[Piece::new(&document.title, Ink::Dark).bold()], TITLE, self.width);
        self.lines(&title, node, 0.0, true);
        let job = self.set(&[Piece::new(&document.job, Ink::Soft)], BODY, self.width);
        let room = (self.width - job.width() - GUTTER).max(self.width / 3.0);
        let shop = self.set(&[Piece::new(&document.shop, Ink::Dark)], BODY, room);
        let (of_shop, of_job) = (self.node(0, Tag::P), self.node(0, Tag::P));
        let mut placed = all_lines(&shop, of_shop, (0.0, 0.0));
        placed.extend(all_lines(&job, of_job, (self.width - job.width(), 0.0)));
        let height = shop.height().max(job.height()) + 4.0;
        placed.push(Placed { at: (0.0, height), drawing: Drawing::Rule(Ink::Dark, self.width, 1.0), node: None });
        self.slice(placed, height + 1.0, 1.0, false);
    }

    fn slice(&mut self, placed: Vec<Placed>, height: f32, gap_above: f32, with_next: bool) {
        self.slices.push(Slice { height, gap_above, with_next, placed, head: None });
    }

    /// A paragraph as a slice a line, the first two and the last two together.
    fn lines(&mut self, paragraph: &Rc<Paragraph>, node: NodeId, gap_above: f32, with_next: bool) {
        let lines = paragraph.lines();
        for line in 0..lines {
            let placed = vec![Placed { at: (0.0, 0.0), drawing: Drawing::Line(Rc::clone(paragraph), line), node: Some(node) }];
            let together = if line + 1 == lines { with_next } else { line == 0 || line + 2 == lines };
            self.slice(placed, paragraph.line_height(), if line == 0 { gap_above } else { 0.0 }, together);
        }
    }

    fn paragraph(&mut self, pieces: &[Piece], size: f32) {
        let node = self.node(0, Tag::P);
        let paragraph = self.set(pieces, size, self.width);
        self.lines(&paragraph, node, PARAGRAPH_GAP, false);
    }

    fn block(&mut self, block: &Block, shown: Option<Shown>) {
        match (block, shown) {
            (Block::Heading { text }, _) => {
                let node = self.heading_node(2, text);
                let heading = self.set(&[Piece::new(text, Ink::Dark).bold()], HEADING, self.width);
                self.lines(&heading, node, HEADING_GAP, true);
            }
            (Block::Text { spans, large }, _) => self.paragraph(&pieces(spans), if *large { LARGE } else { BODY }),
            (Block::Decision { of, said }, _) => self.paragraph(&[Piece::new(of, Ink::Dark), Piece::decision(*said)], BODY),
            (Block::Notice { spans, .. }, _) => self.notice(&pieces(spans)),
            (Block::Table { head, shares, rows }, _) => self.table(head, shares, rows),
            (Block::Picture(picture), Some(Shown::Svg(tree))) => self.picture(picture, &tree),
            (Block::Photos { photos }, Some(Shown::Photos(images))) => self.photos(photos, images),
            (Block::Code { lines, .. }, Some(Shown::Svg(tree))) => self.code(lines, &tree),
            (Block::Small { text }, _) => self.paragraph(&[Piece::new(text, Ink::Soft)], SMALL),
            // Whoever lays a document out reads its pictures first.
            (Block::Picture(_) | Block::Photos { .. } | Block::Code { .. }, _) => {}
        }
    }

    fn notice(&mut self, pieces: &[Piece]) {
        let node = self.node(0, Tag::P);
        let paragraph = self.set(pieces, BODY, self.width - 2.0 * FRAME);
        let most = self.lines_of_a_tall_slice(&paragraph);
        for (place, from) in (0..paragraph.lines()).step_by(most).enumerate() {
            let lines = most.min(paragraph.lines() - from);
            let height = lines as f32 * paragraph.line_height() + 2.0 * FRAME;
            let mut placed = vec![Placed { at: (0.0, 0.0), drawing: Drawing::Frame(self.width, height), node: None }];
            placed.extend(some_lines(&paragraph, from, lines, node, (FRAME, FRAME)));
            self.slice(placed, height, if place == 0 { PARAGRAPH_GAP + 1.0 } else { 0.0 }, false);
        }
    }

    fn lines_of_a_tall_slice(&self, paragraph: &Paragraph) -> usize {
        // OK because a page has room for some hundred lines at most.
        ((self.height * TALL / paragraph.line_height()) as usize).max(1)
    }

    fn table(&mut self, head: &[&'static str], shares: &[u32], rows: &[Vec<Cell>]) {
        let table = self.node(0, Tag::Table);
        let all: u32 = shares.iter().sum();
        let widths: Vec<f32> = shares.iter().map(|share| self.width * *share as f32 / all.max(1) as f32).collect();
        let names: Vec<Vec<Piece>> = head.iter().map(|name| vec![Piece::new(*name, Ink::Soft)]).collect();
        let head = if names.is_empty() { None } else { self.row(table, &names, &widths, true).into_iter().next().map(Rc::new) };
        if let Some(head) = &head {
            self.slice(head.placed.clone(), head.height, PARAGRAPH_GAP, true);
        }
        for (place, cells) in rows.iter().enumerate() {
            let cells: Vec<Vec<Piece>> = cells.iter().map(cell_pieces).collect();
            let mut row = self.row(table, &cells, &widths, false);
            for slice in &mut row {
                slice.head.clone_from(&head);
            }
            if let Some(first) = row.first_mut().filter(|_| place == 0 && head.is_none()) {
                first.gap_above = PARAGRAPH_GAP;
            }
            self.slices.append(&mut row);
        }
    }

    /// A row of a table; one that is too tall is cut between lines.
    fn row(&mut self, table: NodeId, cells: &[Vec<Piece>], widths: &[f32], head: bool) -> Vec<Slice> {
        let row = self.node(table, Tag::TR);
        let mut columns = Vec::new();
        let mut left = 0.0;
        for (pieces, width) in cells.iter().zip(widths) {
            let node = if head { self.node(row, Tag::TH(TableHeaderScope::Column)) } else { self.node(row, Tag::TD) };
            columns.push((self.set(pieces, BODY, width - 2.0 * CELL.0), left + CELL.0, node));
            left += width;
        }
        let lines = columns.iter().map(|(paragraph, ..)| paragraph.lines()).max().unwrap_or_default();
        let most = columns.first().map_or(1, |(paragraph, ..)| self.lines_of_a_tall_slice(paragraph));
        let cut = |from: usize| {
            let mut placed = Vec::new();
            let mut height: f32 = 0.0;
            for (paragraph, left, node) in &columns {
                let lines = most.min(paragraph.lines().saturating_sub(from));
                placed.extend(some_lines(paragraph, from, lines, *node, (*left, CELL.1)));
                height = height.max(lines as f32 * paragraph.line_height() + 2.0 * CELL.1);
            }
            placed.push(Placed { at: (0.0, height), drawing: Drawing::Rule(Ink::Rule, self.width, 0.4), node: None });
            Slice { height, gap_above: 0.0, with_next: false, placed, head: None }
        };
        (0..lines).step_by(most).map(cut).collect()
    }

    fn picture(&mut self, picture: &Picture, tree: &Rc<Tree>) {
        let figure = self.node(0, Tag::Figure(Some(picture.alt.clone())));
        let caption = self.set(&[Piece::new(&picture.caption, Ink::Soft)], SMALL, self.width);
        let below = if picture.caption.is_empty() { 0.0 } else { caption.height() + 4.0 };
        let Some(size) = fit((tree.size().width(), tree.size().height()), (self.width, self.height - below)) else { return };
        let at = ((self.width - size.width()) / 2.0, 0.0);
        let mut placed = vec![Placed { at, drawing: Drawing::Svg(Rc::clone(tree), size), node: Some(figure) }];
        if below > 0.0 {
            let node = self.node(figure, Tag::Caption);
            placed.extend(all_lines(&caption, node, ((self.width - caption.width()) / 2.0, size.height() + 4.0)));
        }
        self.slice(placed, size.height() + below, PARAGRAPH_GAP, false);
    }

    fn photos(&mut self, photos: &[Photo], images: Vec<Image>) {
        let width = (self.width - GUTTER * (PHOTOS_A_ROW as f32 - 1.0)) / PHOTOS_A_ROW as f32;
        let pairs: Vec<(&Photo, Image)> = photos.iter().zip(images).collect();
        for row in pairs.chunks(PHOTOS_A_ROW) {
            let mut placed = Vec::new();
            let mut height = PHOTO_HEIGHT;
            for (place, (photo, image)) in row.iter().enumerate() {
                let left = place as f32 * (width + GUTTER);
                let (dots_wide, dots_high) = image.size();
                let Some(size) = fit((dots_wide as f32, dots_high as f32), (width, PHOTO_HEIGHT)) else { continue };
                let figure = self.node(0, Tag::Figure(Some(photo.caption.clone())));
                let at = (left + (width - size.width()) / 2.0, (PHOTO_HEIGHT - size.height()) / 2.0);
                placed.push(Placed { at, drawing: Drawing::Photo(image.clone(), size), node: Some(figure) });
                let caption = self.set(&[Piece::new(&photo.caption, Ink::Soft)], SMALL, width);
                let node = self.node(figure, Tag::Caption);
                placed.extend(all_lines(&caption, node, (left, PHOTO_HEIGHT + 3.0)));
                height = height.max(PHOTO_HEIGHT + 3.0 + caption.height());
            }
            self.slice(placed, height, GUTTER, false);
        }
    }

    fn code(&mut self, lines: &[String], tree: &Rc<Tree>) {
        let figure = self.node(0, Tag::Figure(Some("The hashes as a code for a camera".to_owned())));
        let Some(size) = Size::from_wh(CODE_SIDE, CODE_SIDE) else { return };
        // A page with nothing but the code on it would look like a mistake.
        if let Some(last) = self.slices.last_mut() {
            last.with_next = true;
        }
        let mut placed = vec![Placed { at: (0.0, 0.0), drawing: Drawing::Svg(Rc::clone(tree), size), node: Some(figure) }];
        let left = CODE_SIDE + GUTTER;
        let mut top = 0.0;
        for line in lines {
            let paragraph = self.set(&[Piece::new(line, Ink::Soft)], TINY, self.width - left);
            let node = self.node(0, Tag::P);
            placed.extend(all_lines(&paragraph, node, (left, top)));
            top += paragraph.height() + 3.0;
        }
        self.slice(placed, CODE_SIDE.max(top), 12.0, false);
    }
}

/// The foot of a page: what stands on all, and which one it is.
pub fn foot(type_setter: &mut Typesetter, document: &Document, (page, pages): (usize, usize), width: f32) -> Vec<Placed> {
    let number = Rc::new(type_setter.set(&[Piece::new(format!("page {page} of {pages}"), Ink::Soft)], SMALL, width));
    let room = width - number.width() - GUTTER;
    let foot = Rc::new(type_setter.set(&[Piece::new(&document.foot, Ink::Soft)], SMALL, room));
    let mut placed = all_lines(&foot, 0, (0.0, 0.0));
    placed.extend(all_lines(&number, 0, (width - number.width(), 0.0)));
    placed.into_iter().map(|placed| Placed { node: None, ..placed }).collect()
}

fn pieces(spans: &[Span]) -> Vec<Piece> {
    spans.iter().map(|span| Piece::toned(&span.text, span.tone)).collect()
}

fn cell_pieces(cell: &Cell) -> Vec<Piece> {
    let text = Some(&cell.span).filter(|span| !span.text.is_empty()).map(|span| Piece::toned(&span.text, span.tone));
    text.into_iter().chain(cell.decision.map(Piece::decision)).collect()
}

fn all_lines(paragraph: &Rc<Paragraph>, node: NodeId, at: (f32, f32)) -> Vec<Placed> {
    some_lines(paragraph, 0, paragraph.lines(), node, at)
}

fn some_lines(paragraph: &Rc<Paragraph>, from: usize, lines: usize, node: NodeId, (left, top): (f32, f32)) -> Vec<Placed> {
    let line = |place: usize| Placed {
        at: (left, top + place as f32 * paragraph.line_height()),
        drawing: Drawing::Line(Rc::clone(paragraph), from + place),
        node: Some(node),
    };
    (0..lines).map(line).collect()
}

/// As large as it can be in a space, its shape kept.
fn fit((width, height): (f32, f32), (most_width, most_height): (f32, f32)) -> Option<Size> {
    let scale = (most_width / width).min(most_height / height);
    Size::from_wh(width * scale, height * scale)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Slices of any height, some with the next: none is lost, none stands over the end of a page unless it is higher than one, and what must stay with the next does.
    #[test]
    fn nothing_is_lost_between_pages() {
        let mut seed = 7_u32;
        let mut draw = |most: u32| {
            seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (seed >> 8) % most
        };
        for _ in 0..200 {
            let count = 1 + draw(60) as usize;
            let made: Vec<(f32, bool)> = (0..count).map(|_| (1.0 + draw(70) as f32, draw(4) == 0)).collect();
            let slice = |(place, (height, with_next)): (usize, &(f32, bool))| Slice {
                height: *height,
                gap_above: 2.0,
                with_next: *with_next,
                placed: vec![Placed { at: (0.0, 0.0), drawing: Drawing::Frame(*height, 0.0), node: Some(place) }],
                head: None,
            };
            let pages = stack(made.iter().enumerate().map(slice).collect(), 100.0);
            let on_page: Vec<usize> = pages.iter().enumerate().flat_map(|(page, placed)| vec![page; placed.len()]).collect();
            let order: Vec<usize> = pages.iter().flatten().filter_map(|placed| placed.node).collect();
            assert_eq!(order, (0..count).collect::<Vec<_>>());
            for placed in pages.iter().flatten() {
                let Drawing::Frame(height, _) = placed.drawing else { panic!("a frame was placed") };
                assert!(placed.at.1 + height <= 100.0 + 1e-3, "{} and {height}", placed.at.1);
            }
            for (place, (pair, (height, with_next))) in on_page.windows(2).zip(&made).enumerate() {
                let along = made[place + 1].0 + if made[place + 1].1 { 200.0 } else { 0.0 };
                if *with_next && height + 2.0 + along <= 100.0 {
                    assert_eq!(pair[0], pair[1], "slice {place} stays with the next");
                }
            }
        }
    }
}
