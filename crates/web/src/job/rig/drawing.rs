//! The adapter that is missing between port and gauge, drawn to scale for whoever turns it.
use crate::http::Failure;
use crate::http::form::Sent;
use crate::job::JobContext;
use actix_web::http::header;
use actix_web::{HttpResponse, web};
use std::fmt::Write;
use velvet_dial_core::adapter::{Chain, End, chain};
use velvet_dial_core::thread::{Thread, threads};
use velvet_dial_report::{Block, Document, Paper, Picture, Tone, pdf};
use velvet_dial_store::{accounts, library};

/// Width of the picture, mm: that of the text on A4, so a millimetre of the picture is one on paper.
const WIDE_MM: f64 = 178.0;
const HIGH_MM: f64 = 92.0;
/// Length of each thread, of the hexagon between them, and the oil's bore, mm.
const THREAD_MM: f64 = 12.0;
const HEXAGON_MM: f64 = 10.0;
const BORE_MM: f64 = 4.0;
/// Across the flats of the hexagon over the thicker thread, mm.
const SHOULDER_MM: f64 = 6.0;

/// The drawing.
pub async fn adapter(context: JobContext, asked: web::Query<Sent>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let adapters: Vec<_> = library::adapters(&context.app.db, &context.viewer).await?.into_iter().map(|piece| piece.adapter).collect();
    let gauge = asked.get("gauge").and_then(|id| job.gauges.iter().find(|gauge| gauge.id.to_string() == *id));
    let ends = gauge.and_then(|gauge| {
        let (port, own) = (End::female(job.engine.card.port_thread.as_deref()?), End::male(gauge.gauge.thread.as_deref()?));
        match chain(&port, &own, &adapters) {
            Chain::Missing { port, gauge } => Some((port, gauge)),
            Chain::Through(_) => None,
        }
    });
    let Some((one, other)) = ends else { return Err(Failure::NoPage) };
    let of = |end: &End| threads().iter().find(|thread| thread.name == end.thread);
    let (Some(near), Some(far)) = (of(&one), of(&other)) else { return Err(Failure::NoPage) };
    let document = Document {
        title: "Adapter for an oil pressure gauge".to_owned(),
        shop: accounts::shop(&context.app.db, &context.viewer).await?.name,
        job: format!("Job {}, {}", context.number, job.engine.name),
        foot: "Scale 1 to 1 on A4, printed without fitting to the page".to_owned(),
        blocks: vec![
            Block::Picture(Picture {
                svg: svg((&one, near), (&other, far)),
                alt: format!("Adapter from {} to {}", one.words(), other.words()),
                caption: "Scale 1 to 1: the bar is 50 mm by a rule, or the page was printed to another size.".to_owned(),
            }),
            Block::text(Tone::Plain, said("Towards the port", &one, near)),
            Block::text(Tone::Plain, said("Towards the gauge", &other, far)),
            Block::text(
                Tone::Plain,
                format!("Bore for the oil {BORE_MM:.0} mm through. Steel or brass; no zinc. Edges broken, no chips left in the bore."),
            ),
            Block::text(
                Tone::Soft,
                "Try both ends by hand before it is pressed up: three turns without force. Lengths and hexagon are a proposal; threads are those of the named standards.",
            ),
        ],
    };
    let turn = context.app.work.heavy_turn().await?;
    let bytes = context.app.work.heavy(turn, move || pdf(&document, Paper::A4, &[])).await??;
    let name = format!("attachment; filename=\"adapter-{}.pdf\"", context.number);
    Ok(HttpResponse::Ok().content_type("application/pdf").insert_header((header::CONTENT_DISPOSITION, name)).body(bytes))
}

fn said(where_to: &str, end: &End, thread: &Thread) -> String {
    let taper = if thread.family.tapered() { ", taper 1 in 16" } else { "" };
    format!(
        "{where_to}: {}. Crests {:.2} mm, pitch {:.3} mm ({:.1} turns an inch), flanks {:.0}°{taper} ({}). {}",
        end.words(),
        thread.diameter_mm,
        thread.pitch_mm,
        25.4 / thread.pitch_mm,
        thread.family.flank_deg(),
        thread.source,
        thread.family.seals()
    )
}

/// Half section: a hexagon with a thread on each side, outside or inside.
fn svg((one, near): (&End, &Thread), (other, far): (&End, &Thread)) -> String {
    let (middle, left) = (40.0, 30.0);
    let flats = near.diameter_mm.max(far.diameter_mm) + SHOULDER_MM;
    let mut data = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {WIDE_MM} {HIGH_MM}\" width=\"{WIDE_MM}\" height=\"{HIGH_MM}\"><g fill=\"none\" stroke=\"#20172a\" stroke-width=\"0.35\">"
    );
    let mut at = left;
    for (end, thread, outwards) in [(one, near, -1.0), (other, far, 1.0)] {
        if outwards > 0.0 {
            rectangle(&mut data, at, middle, HEXAGON_MM, flats);
            at += HEXAGON_MM;
        }
        // A female end stands in a socket as wide as the hexagon.
        let outside = if end.male { thread.diameter_mm } else { flats };
        rectangle(&mut data, at, middle, THREAD_MM, outside);
        let turns = (THREAD_MM / thread.pitch_mm) as u32;
        for turn in 0..turns {
            let x = at + f64::from(turn) * thread.pitch_mm;
            let half = 0.5 * thread.diameter_mm;
            // OK because writing to a string cannot fail.
            let _ = write!(
                data,
                "<path d=\"M{x:.2} {:.2}L{:.2} {:.2}\" stroke-width=\"0.2\"/>",
                middle - half,
                x + 0.5 * thread.pitch_mm,
                middle + half
            );
        }
        at += THREAD_MM;
    }
    rectangle(&mut data, left, middle, 2.0 * THREAD_MM + HEXAGON_MM, BORE_MM);
    let _ = write!(
        data,
        "<path d=\"M{:.1} {middle}H{:.1}\" stroke-dasharray=\"4 1.5 1 1.5\" stroke-width=\"0.2\"/><path d=\"M30 80H80M30 78V82M80 78V82\"/></g><g font-family=\"Archivo\" font-size=\"4\" fill=\"#20172a\"><text x=\"84\" y=\"81.5\">50 mm</text><text x=\"{left}\" y=\"14\">port</text><text x=\"{:.1}\" y=\"14\">gauge</text></g></svg>",
        left - 5.0,
        at + 5.0,
        left + THREAD_MM + HEXAGON_MM
    );
    data
}

fn rectangle(data: &mut String, x: f64, middle: f64, wide: f64, high: f64) {
    // OK because writing to a string cannot fail.
    let _ = write!(data, "<path d=\"M{x:.2} {:.2}h{wide:.2}v{high:.2}h-{wide:.2}z\"/>", middle - 0.5 * high);
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is drawn is as thick on paper as the thread is, for every pair of ends.
    #[test]
    fn every_pair_of_ends_is_drawn_to_scale() {
        for near in threads() {
            for far in threads().iter().take(6) {
                let data = svg((&End::male(&near.name), near), (&End::female(&far.name), far));
                assert!(data.contains(&format!("v{:.2}h-{THREAD_MM:.2}z", near.diameter_mm)), "{}", near.name);
                assert!(data.contains("M30 80H80") && data.matches("<svg").count() == 1);
            }
        }
    }
}
