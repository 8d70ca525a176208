//! What a report is made of.

/// A report: its head, its blocks in order, its small print.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Document {
    /// Its title.
    pub title: String,
    /// Whose it is.
    pub shop: String,
    /// Which job, opened and closed when.
    pub job: String,
    /// What stands at the foot of every page.
    pub foot: String,
    /// The blocks.
    pub blocks: Vec<Block>,
}

/// How a piece of text is said.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Tone {
    /// As it is.
    #[default]
    Plain,
    /// It counts.
    Strong,
    /// Beside the point.
    Soft,
    /// It no longer holds.
    Struck,
    /// It is wrong.
    Alarm,
}

/// A piece of text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Span {
    /// The text.
    pub text: String,
    /// How it is said.
    pub tone: Tone,
}

impl Span {
    /// A piece of text.
    pub fn new(tone: Tone, text: impl Into<String>) -> Self {
        Self { text: text.into(), tone }
    }
}

/// A cell of a table: text, and a decision in shape and word.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Cell {
    /// The text.
    pub span: Span,
    /// A decision's shape and its word.
    pub decision: Option<(&'static str, &'static str)>,
}

impl Cell {
    /// Text alone.
    pub fn new(tone: Tone, text: impl Into<String>) -> Self {
        Self { span: Span::new(tone, text), decision: None }
    }
}

/// A picture as SVG.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// It, complete in itself.
    pub svg: String,
    /// What it shows, for who cannot see it.
    pub alt: String,
    /// What stands below it.
    pub caption: String,
}

/// A photo.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Photo {
    /// Its bytes, JPEG; empty until it is laid out.
    pub jpeg: Vec<u8>,
    /// Its key.
    pub id: String,
    /// What it shows.
    pub caption: String,
}

/// A block.
#[derive(Debug, Clone, PartialEq)]
pub enum Block {
    /// A heading: a new part of the report.
    Heading {
        /// The text.
        text: String,
    },
    /// A paragraph.
    Text {
        /// Its pieces.
        spans: Vec<Span>,
        /// In larger type.
        large: bool,
    },
    /// A decision on a line of its own.
    Decision {
        /// What it is of.
        of: String,
        /// Shape and word.
        said: (&'static str, &'static str),
    },
    /// A framed paragraph.
    Notice {
        /// Its pieces.
        spans: Vec<Span>,
        /// How a page draws its frame.
        class: &'static str,
    },
    /// A table.
    Table {
        /// Heads of the columns; none where it needs none.
        head: Vec<&'static str>,
        /// How wide each column is, in shares.
        shares: Vec<u32>,
        /// The rows.
        rows: Vec<Vec<Cell>>,
    },
    /// A picture.
    Picture(Picture),
    /// Photos in rows.
    Photos {
        /// They.
        photos: Vec<Photo>,
    },
    /// A code that a camera reads, beside small print.
    Code {
        /// As SVG.
        svg: String,
        /// The small print.
        lines: Vec<String>,
    },
    /// Small print.
    Small {
        /// The text.
        text: String,
    },
}

impl Block {
    /// A paragraph of one piece.
    pub fn text(tone: Tone, text: impl Into<String>) -> Self {
        Self::Text { spans: vec![Span::new(tone, text)], large: false }
    }
}
