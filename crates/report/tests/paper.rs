//! A document on paper, read back: every word is on it, inside its margins, whatever was typed.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
use std::io::Write;
use std::process::{Command, Stdio};
use velvet_dial_report::{Block, Cell, Document, Paper, PaperError, Photo, Picture, Span, Tone, pdf};

/// What poppler reads in a PDF.
fn read(pdf: &[u8], how: &[&str]) -> String {
    let mut reader = Command::new("pdftotext").args(how).args(["-", "-"]).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    reader.stdin.take().unwrap().write_all(pdf).unwrap();
    String::from_utf8(reader.wait_with_output().unwrap().stdout).unwrap()
}

fn document(blocks: Vec<Block>) -> Document {
    Document { title: "Title".to_owned(), shop: "Shop".to_owned(), job: "job 1".to_owned(), foot: "Foot".to_owned(), blocks }
}

/// The words and where each stands: left, top, right, bottom, in points.
fn words_on(pdf: &[u8]) -> Vec<(String, [f64; 4])> {
    let page = read(pdf, &["-bbox"]);
    let word = |line: &str| {
        let (place, text) = line.trim().strip_prefix("<word ")?.split_once('>')?;
        let figure = |name: &str| place.split_once(&format!("{name}=\""))?.1.split_once('"')?.0.parse::<f64>().ok();
        let bounds = [figure("xMin")?, figure("yMin")?, figure("xMax")?, figure("yMax")?];
        Some((text.strip_suffix("</word>")?.to_owned(), bounds))
    };
    page.lines().filter_map(word).collect()
}

fn cells(texts: &[&str]) -> Vec<Cell> {
    texts.iter().map(|text| Cell::new(Tone::Plain, *text)).collect()
}

/// Letters of every kind that somebody may paste into a form.
const TYPED: [&str; 12] = [
    "Größe: 5 µm, −3 °C, ½ in, Ø 12",
    "Łódź, Čapek, Ğ, ő, ș",
    "Κινητήρας, двигатель",
    "مضخة الزيت",
    "משאבת שמן",
    "油泵 オイルポンプ",
    "oil 🛢️ pump 👩🏽‍🔧 low",
    "private \u{e123} letter \u{f8ff}",
    "control \u{0}\u{7}\u{1b}[31m letters\ttab\r\nline",
    "zero\u{200b}width \u{feff}marks \u{202e}turned",
    "e\u{301}\u{302}\u{303}\u{304} marks upon marks",
    "fi fl ffi office ﬁ",
];

#[test]
fn whatever_is_typed_is_laid_out() {
    let long = "0123456789abcdef".repeat(40);
    for typed in TYPED.into_iter().chain([long.as_str(), "", " "]) {
        let spans = vec![Span::new(Tone::Strong, typed), Span::new(Tone::Struck, typed), Span::new(Tone::Alarm, "end")];
        let table = Block::Table { head: vec!["Head"], shares: vec![1, 6], rows: vec![cells(&[typed, typed])] };
        let blocks = vec![
            Block::Heading { text: typed.to_owned() },
            Block::Text { spans: spans.clone(), large: true },
            Block::Notice { spans, class: "" },
            Block::Decision { of: typed.to_owned(), said: ("below", "below the limit") },
            table,
            Block::Small { text: typed.to_owned() },
        ];
        for paper in [Paper::A4, Paper::Letter] {
            let made = pdf(&document(blocks.clone()), paper, &[]).unwrap();
            let words = words_on(&made);
            assert!(words.iter().any(|(word, _)| word == "end"), "{typed}");
            let width = if paper == Paper::A4 { 595.3 } else { 612.0 };
            for (word, [left, _, right, _]) in words {
                assert!(left > 45.0 && right < width - 45.0 + 0.5, "{typed}: {word} from {left} to {right}");
            }
        }
    }
}

/// What can be printed is printed as it was typed, and what cannot is a box.
#[test]
fn letters_stay_what_they_are() {
    let printed = |typed: &str| {
        let made = pdf(&document(vec![Block::text(Tone::Plain, typed)]), Paper::A4, &[]).unwrap();
        // Where the font changes within a word, the reader takes that for a gap.
        read(&made, &["-raw"]).replace(' ', "")
    };
    for typed in ["Größe: 5 µm, −3 °C, ½ in, Ø 12", "Łódź, Čapek", "Κινητήρας, двигатель", "fi fl ffi office", "168 kPa ± 4"]
    {
        assert!(printed(typed).contains(&typed.replace(' ', "")), "{typed}: {}", printed(typed));
    }
    assert!(printed("油 pump").contains("□pump") && printed("a\u{e123}b").contains("a□b"));
}

/// A table over several pages has its head on each, no row stands over a page's end, and none is lost; one row may be longer than a page.
#[test]
fn a_long_table_goes_on() {
    let row = |place: usize| cells(&[&format!("row{place}"), &"word ".repeat(place % 40), "x"]);
    let mut rows: Vec<Vec<Cell>> = (0..120).map(row).collect();
    rows.insert(60, cells(&["tall", &"lines ".repeat(3000), "x"]));
    let made =
        pdf(&document(vec![Block::Table { head: vec!["Left", "Middle", "Right"], shares: vec![2, 5, 1], rows }]), Paper::A4, &[]).unwrap();
    let words = words_on(&made);
    let count = |text: &str| words.iter().filter(|(word, _)| word == text).count();
    let pages = count("page");
    assert!(pages > 5 && count("Middle") == pages, "{pages} pages, {} heads", count("Middle"));
    assert!((0..120).all(|place| count(&format!("row{place}")) == 1) && count("lines") == 3000);
    // The foot begins at 807 points; nothing else stands below 791.
    assert!(words.iter().all(|(_, [_, top, _, bottom])| *bottom < 791.5 || *top > 803.0));
}

/// Structure for a screen reader: headings, table heads, and the words of what is drawn.
#[test]
fn a_screen_reader_finds_its_way() {
    let svg = "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 100 50\"><text x=\"5\" y=\"20\">drawn</text></svg>".to_owned();
    let picture = Picture { svg, alt: "What the picture shows".to_owned(), caption: "Caption".to_owned() };
    let table = Block::Table { head: vec!["Head"], shares: vec![1], rows: vec![cells(&["cell"])] };
    let made = pdf(&document(vec![Block::Heading { text: "Part".to_owned() }, Block::Picture(picture), table]), Paper::A4, &[]).unwrap();
    let mut info = Command::new("pdfinfo").args(["-struct-text", "-"]).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    info.stdin.take().unwrap().write_all(&made).unwrap();
    let structure = String::from_utf8(info.wait_with_output().unwrap().stdout).unwrap();
    for wanted in ["H1", "H2", "\"Part\"", "Figure", "Caption", "Table", "TH", "\"Head\"", "TD", "\"cell\""] {
        assert!(structure.contains(wanted), "{wanted} in {structure}");
    }
    assert!(read(&made, &["-raw"]).contains("drawn"), "a picture's words are text");
}

#[test]
fn what_cannot_be_read_is_named() {
    let photo = Photo { jpeg: b"not a photo".to_vec(), id: String::new(), caption: "Sump".to_owned() };
    let refused = pdf(&document(vec![Block::Photos { photos: vec![photo] }]), Paper::A4, &[]);
    assert!(matches!(&refused, Err(error @ PaperError::Photo(_)) if error.to_string().starts_with("a photo of the report cannot be read")));
    let picture = Picture { svg: "<svg".to_owned(), alt: String::new(), caption: String::new() };
    assert!(matches!(pdf(&document(vec![Block::Picture(picture)]), Paper::A4, &[]), Err(PaperError::Picture(_))));
}
