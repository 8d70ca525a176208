//! A recorded run as the strip draws it: steps as JSON, and the whole saved as CSV, Parquet and SVG.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::run::source::Source;
use crate::ui::picture::strip;
use actix_web::http::header::{CONTENT_DISPOSITION, ContentType};
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use velvet_dial_core::capture::{self, levels};

/// Steps at most.
const MOST: usize = 4000;
/// Steps of a picture that is saved.
const SAVED: usize = 520;

/// Which stretch, in how many steps.
#[derive(Deserialize)]
pub struct StripQuery {
    #[serde(default)]
    points: Option<usize>,
    #[serde(default)]
    from: Option<f64>,
    #[serde(default)]
    to: Option<f64>,
}

#[derive(Serialize)]
struct Steps {
    from: f64,
    to: f64,
    /// A pause longer than this is a gap, s.
    gap: f64,
    /// Time, least, mean and greatest pressure in the liked unit, speed, oil, dash.
    rows: Vec<[Option<f64>; 7]>,
}

/// The steps.
pub async fn steps(
    context: JobContext,
    path: web::Path<(i64, String, Uuid)>,
    asked: web::Query<StripQuery>,
) -> Result<HttpResponse, Failure> {
    let source = Source::of(&context, &path.1, path.2).await?;
    let span = asked.from.zip(asked.to).filter(|(from, to)| from < to);
    let levels = source.levels(&context, span, asked.points.unwrap_or(1200).clamp(10, MOST)).await?;
    let unit = context.preferences.unit;
    let (first, last) = (levels.first().map_or(0.0, |level| level.time_s), levels.last().map_or(1.0, |level| level.time_s));
    let (from, to) = span.unwrap_or((first, last));
    let mut pauses: Vec<f64> = levels.array_windows().map(|[a, b]| b.time_s - a.time_s).collect();
    pauses.sort_by(f64::total_cmp);
    let usual = pauses.get(pauses.len() / 2).copied().unwrap_or(0.1);
    let steps = Steps { from, to, gap: (4.0 * usual).max(0.5), rows: levels.iter().map(|level| strip::row(level, unit)).collect() };
    Ok(HttpResponse::Ok().json(steps))
}

#[derive(Template)]
#[template(path = "ui/picture/strip_file.html")]
struct File {
    strip: strip::Strip,
}

/// The whole run as a file.
pub async fn saved(context: JobContext, path: web::Path<(i64, String, Uuid, String)>) -> Result<HttpResponse, Failure> {
    let source = Source::of(&context, &path.1, path.2).await?;
    let run = source.whole(&context).await?.map_err(|error| Failure::Form(error.to_string()))?;
    let marks: Vec<f64> = super::told::marks(&context, &source).await?.iter().map(|mark| mark.at_s).collect();
    let (kind, unit) = (path.3.clone(), context.preferences.unit);
    let name = format!("attachment; filename=\"job-{}-run.{kind}\"", context.number);
    let work = move || -> Result<(mime::Mime, Vec<u8>), Failure> {
        let mut bytes = Vec::new();
        let written = |error: std::io::Error| Failure::Form(error.to_string());
        match kind.as_str() {
            "csv" => {
                capture::write_csv(&run, &mut bytes).map_err(written)?;
                Ok((mime::TEXT_CSV_UTF_8, bytes))
            }
            "parquet" => {
                bytes = capture::parquet(&run).map_err(written)?;
                Ok((mime::APPLICATION_OCTET_STREAM, bytes))
            }
            "svg" => {
                let holds: Vec<(f64, f64)> = capture::holds(&run).iter().map(|hold| (hold.from_s, hold.to_s)).collect();
                let levels = levels(&run, f64::MIN, f64::MAX, SAVED);
                Ok((mime::IMAGE_SVG, File { strip: strip::strip(&levels, &holds, &marks, unit) }.render()?.into_bytes()))
            }
            _ => Err(Failure::NoPage),
        }
    };
    let (kind, bytes) = context.app.work.out(work).await??;
    Ok(HttpResponse::Ok().insert_header(ContentType(kind)).insert_header((CONTENT_DISPOSITION, name)).body(bytes))
}
