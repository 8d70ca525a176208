//! How fast a report is laid out, and how large it is. `cargo bench -p velvet-dial-report`.
#![expect(clippy::unwrap_used, reason = "a bench stops where it cannot go on")]
use divan::Bencher;
use image::codecs::jpeg::JpegEncoder;
use image::{Rgb, RgbImage};
use velvet_dial_report::{Block, Cell, Document, Paper, Photo, Picture, Span, Tone, code, pdf};

fn main() {
    divan::main();
}

/// A photo as a tablet's is kept: sixteen hundred dots wide, with as much in it as a sump under a lamp.
fn photo(seed: u32) -> Vec<u8> {
    let dot = |x: u32, y: u32| {
        let grain = (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(2_246_822_519) ^ seed).wrapping_mul(3_266_489_917) >> 27;
        let wave = 90.0 + 60.0 * (f64::from(x + seed) / 37.0).sin() * (f64::from(y) / 53.0).cos();
        Rgb([wave as u8 + grain as u8, (0.8 * wave) as u8 + grain as u8, (0.5 * wave) as u8])
    };
    let mut bytes = Vec::new();
    RgbImage::from_fn(1600, 1200, dot).write_with_encoder(JpegEncoder::new_with_quality(&mut bytes, 85)).unwrap();
    bytes
}

/// Twelve photos, three recorded runs of a thousand steps, a ledger of a hundred and twenty lines.
fn full() -> Document {
    let steps: Vec<String> = (0..1040).map(|x| format!("{x},{:.1}", 150.0 + 90.0 * (f64::from(x) / 31.0).sin())).collect();
    let strip = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 1100 330\"><polyline points=\"{}\" fill=\"none\" stroke=\"#18776d\"/><text x=\"52\" y=\"318\">pressure</text></svg>",
        steps.join(" ")
    );
    let strip = || Block::Picture(Picture { svg: strip.clone(), alt: "a run".to_owned(), caption: "cursors".to_owned() });
    let line = |place: usize| {
        vec![Cell::new(Tone::Plain, format!("168 kPa at 780 rpm, {place}")), Cell::new(Tone::Soft, "Ines, 17 Nov 2026 13:49")]
    };
    let photos = (0..12).map(|seed| Photo { jpeg: photo(seed), id: String::new(), caption: format!("Sump, {seed}") }).collect();
    let blocks = vec![
        Block::Heading { text: "In plain words".to_owned() },
        Block::Text {
            spans: vec![Span::new(Tone::Plain, "The oil pressure was measured with a test gauge and was too low.")],
            large: true,
        },
        strip(),
        strip(),
        strip(),
        Block::Photos { photos },
        Block::Table { head: Vec::new(), shares: vec![8, 5], rows: (0..120).map(line).collect() },
        Block::Code { svg: code(&"0123456789abcdef".repeat(16)).unwrap(), lines: vec!["Ledger".to_owned()] },
    ];
    Document { title: "Oil pressure report".to_owned(), shop: "Shop".to_owned(), job: "job 1".to_owned(), foot: "job 1".to_owned(), blocks }
}

#[divan::bench(sample_count = 10)]
fn twelve_photos_and_three_runs(bencher: Bencher) {
    let document = full();
    println!("{} kB", pdf(&document, Paper::A4, &[]).unwrap().len() / 1024);
    bencher.bench_local(|| pdf(&document, Paper::A4, &[]).unwrap());
}
