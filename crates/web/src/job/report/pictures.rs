//! What a report draws: before and after on one map, recordings with the holds that were read off them, the code of its hashes. Each is whole in itself, so that page and paper take the same one.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::run::source::{FILES, RIGS, Source};
use crate::ui::picture::map::{self, Map, Scene};
use crate::ui::picture::strip;
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::capture::Level;
use velvet_dial_core::record::{Record, Recording};
use velvet_dial_core::unit::Units;

/// Steps of a strip.
const STEPS: usize = 520;
/// Strips drawn in a report.
const MOST: usize = 8;

/// A recorded run as a picture.
pub struct Strip {
    /// The run's key.
    pub run: String,
    pub svg: String,
    pub caption: String,
}

#[derive(Template)]
#[template(path = "ui/picture/map.html")]
struct MapPicture {
    map: Map,
}

/// Before and after.
pub fn map(record: &Record, unit: Units) -> askama::Result<String> {
    let others = record.other_sheets.iter().map(|sheet| (sheet, false));
    let sheets = others.chain(record.case.spec.iter().map(|sheet| (sheet, true)));
    let readings = record.readings.iter().filter_map(|taken| Some((record.case.readings.get(taken.reading)?, taken.judged.u_kpa, false)));
    MapPicture { map: map::map(&Scene::of(sheets, readings, record.curves.clone()), unit).still() }.render()
}

/// What the map's classes mean on paper, where no page's styles are.
const ON_PAPER: &str = include_str!("paper.css");

/// A page's picture made whole in itself.
pub fn on_paper(svg: &str) -> String {
    svg.replacen("<svg ", "<svg xmlns=\"http://www.w3.org/2000/svg\" ", 1).replacen('>', &format!("><style>{ON_PAPER}</style>"), 1)
}

#[derive(Template)]
#[template(path = "ui/picture/strip_file.html")]
struct StripPicture {
    strip: strip::Strip,
}

/// The runs that readings were taken from.
pub async fn strips(context: &JobContext, record: &Record) -> Result<Vec<Strip>, Failure> {
    let mut data = Vec::new();
    for run in &record.recordings {
        let spans: Vec<(f64, f64)> =
            record.readings.iter().filter(|taken| taken.run.as_ref() == Some(&run.id)).filter_map(|taken| taken.of_run).collect();
        if spans.is_empty() || data.len() == MOST {
            continue;
        }
        let Some(levels) = levels(context, run).await? else { continue };
        let unit = context.preferences.unit;
        let svg = StripPicture { strip: strip::strip(&levels, &spans, &[], unit) }.render()?;
        let holds = spans.iter().enumerate().map(|(place, (from, to))| format!("{}: {from:.1} to {to:.1} s", place + 1));
        let caption = format!("Between the cursors a reading was taken. {}", holds.collect::<Vec<_>>().join(" · "));
        data.push(Strip { run: run.id.clone(), svg, caption });
    }
    Ok(data)
}

/// A run in steps; none of one that is gone or cannot be read any more, which the report then tells without a picture.
async fn levels(context: &JobContext, run: &Recording) -> Result<Option<Vec<Level>>, Failure> {
    let Ok(id) = Uuid::parse_str(&run.id) else { return Ok(None) };
    let kind = if run.digest.is_empty() { RIGS } else { FILES };
    let source = match Source::of(context, kind, id).await {
        Ok(source) => source,
        Err(Failure::Store(velvet_dial_store::StoreError::NotFound)) => return Ok(None),
        Err(error) => return Err(error),
    };
    match source.levels(context, None, STEPS).await {
        Ok(levels) => Ok(Some(levels)),
        Err(Failure::Form(_)) => Ok(None),
        Err(error) => Err(error),
    }
}
