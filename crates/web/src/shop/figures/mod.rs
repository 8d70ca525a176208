//! Figures of the shop: whether what was said came true, what it was, how long it took, what was fitted in vain, what waits, how the practice goes.
use crate::http::{Failure, SignedIn};
use crate::state::App;
use crate::ui::words::cause_name;
use crate::ui::{Chrome, DisplayPreferences, Place, count, show};
use actix_web::HttpResponse;
use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use chrono::{Months, NaiveDateTime, Utc};
use serde::Deserialize;
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap};
use uuid::Uuid;
use velvet_dial_core::experience::{Band, Known, Said, Took, calibration};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::pooled::OutcomesFile;
use velvet_dial_core::rights::Right;
use velvet_dial_practice::marks::Summary;
use velvet_dial_store::figures::{self, Row, UNTOUCHED_DAYS, Waiting};
use velvet_dial_store::{Viewer, accounts, library, practice};

/// Periods to choose from, in months; 0 is all there is.
const PERIODS: [(u32, &str); 3] = [(3, "3 months"), (12, "12 months"), (0, "All")];
/// A gauge that is due within so many days is counted.
const DUE_SOON_DAYS: i64 = 30;
/// Gauges, people and causes of a list.
const LISTED: usize = 40;

#[derive(Deserialize)]
struct Asked {
    #[serde(default = "a_year")]
    months: u32,
}

fn a_year() -> u32 {
    12
}

impl Asked {
    fn since(&self) -> Option<NaiveDateTime> {
        (self.months > 0).then(|| Utc::now().naive_utc().checked_sub_months(Months::new(self.months))).flatten()
    }
}

struct Period {
    months: u32,
    label: &'static str,
    here: bool,
}

/// A number that leads to what it counts.
struct Tile {
    figure: u64,
    label: String,
    href: &'static str,
}

/// What was said between two probabilities, as it is drawn: places on a scale of 200.
struct BandView {
    said: String,
    jobs: String,
    came_true: String,
    label: String,
    from: String,
    width: String,
    share: String,
    mark: String,
}

struct CauseRow {
    family: String,
    cause: String,
    jobs: String,
    came_back: String,
    minutes: String,
    times: String,
}

struct PracticeRow {
    who: String,
    scenes: u32,
    cured: u32,
    points: String,
    last: String,
}

#[derive(Template)]
#[template(path = "shop/figures/figures.html")]
struct Page {
    chrome: Chrome,
    months: u32,
    periods: Vec<Period>,
    worked_out: u64,
    all: u64,
    tiles: Vec<Tile>,
    right: String,
    bands: Vec<BandView>,
    causes: Vec<CauseRow>,
    time: Option<String>,
    in_vain: Vec<(String, String)>,
    practice: Vec<PracticeRow>,
}

/// Jobs whose cause somebody saw, or the gauge proved.
fn is_known(row: &Row) -> bool {
    let known = row.outcome.known.as_deref();
    known.is_some_and(|word| Known::ALL.iter().any(|(known, id, _)| *id == word && known.counts())) && !row.came_back
}

/// What was said of the leading cause of each job, and whether it came true.
fn said(rows: &[Row]) -> Vec<Said> {
    let one = |row: &Row| {
        let (cause, probability) = row.outcome.said.clone()?;
        Some(Said { probability, came_true: row.outcome.cause.as_ref()? == &cause })
    };
    rows.iter().filter(|row| is_known(row)).filter_map(one).collect()
}

/// A share that was counted. Nothing of it is uncertain, so all of them are 100 %.
fn counted(share: f64) -> String {
    format!("{:.0}\u{a0}%", 100.0 * share)
}

fn band(band: &Band) -> BandView {
    let share = f64::from(band.came_true) / f64::from(band.jobs);
    let place = |part: f64| format!("{:.1}", 200.0 * part);
    BandView {
        said: format!("{:.0} to {}", 100.0 * band.from, counted(band.to)),
        jobs: count(band.jobs as usize, "job"),
        came_true: format!("{} ({})", band.came_true, counted(share)),
        label: format!("{} said on average, {} came true", counted(band.said), counted(share)),
        from: place(band.range.0),
        width: place(band.range.1 - band.range.0),
        share: place(share.min(0.985)),
        mark: place(band.said.min(0.985)),
    }
}

/// "The leading cause was the right one in 8 of 11 jobs (73 %). On average it was given 64 %."
fn right_in_a_sentence(said: &[Said]) -> String {
    let (jobs, hits) = (said.len(), said.iter().filter(|one| one.came_true).count());
    if jobs == 0 {
        return String::new();
    }
    let mean = said.iter().map(|one| one.probability).sum::<f64>() / jobs as f64;
    let share = counted(hits as f64 / jobs as f64);
    format!(
        "Before the engine was opened, the leading cause was the right one in {hits} of {} ({share}). On average it was given {}.",
        count(jobs, "job"),
        counted(mean)
    )
}

/// Jobs of one family and cause.
#[derive(Default)]
struct Counted {
    jobs: u32,
    came_back: u32,
    minutes: Vec<f64>,
    took: Took,
}

fn causes(rows: &[Row]) -> Vec<CauseRow> {
    let mut by: BTreeMap<(String, String), Counted> = BTreeMap::new();
    for row in rows {
        let Some(cause) = &row.outcome.cause else { continue };
        let counted = by.entry((row.outcome.family.clone(), cause.clone())).or_default();
        counted.jobs += 1;
        counted.came_back += u32::from(row.came_back);
        counted.minutes.extend(row.outcome.took_min);
        if let (Some(took), Some(planned)) = (row.outcome.took_min, row.outcome.planned_min) {
            counted.took.add(took, planned);
        }
    }
    let mut by: Vec<_> = by.into_iter().collect();
    by.sort_by_key(|(_, counted)| Reverse(counted.jobs));
    by.into_iter()
        .take(LISTED)
        .map(|((family, cause), counted)| CauseRow {
            family,
            cause: cause_name(&cause).to_owned(),
            jobs: count(counted.jobs as usize, "job"),
            came_back: if counted.came_back > 0 { format!("{} came back", counted.came_back) } else { "–".to_owned() },
            minutes: mean(&counted.minutes).map_or("–".to_owned(), |minutes| format!("{minutes:.0} min")),
            times: if counted.took.jobs > 0 { format!("× {:.2}", plain_times(counted.took)) } else { "–".to_owned() },
        })
        .collect()
}

/// How many times the planned minutes were taken, without the card's own worth beside them.
fn plain_times(took: Took) -> f64 {
    (took.log_times / f64::from(took.jobs.max(1))).exp()
}

fn mean(values: &[f64]) -> Option<f64> {
    (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
}

/// All minutes beside all that were planned, with what they are worth at the shop's rate.
fn time(rows: &[Row], rate: Option<f64>, money: &str) -> Option<String> {
    let both = rows.iter().filter_map(|row| row.outcome.took_min.zip(row.outcome.planned_min));
    let (jobs, took, planned) = both.fold((0, 0.0, 0.0), |(jobs, took, planned), one| (jobs + 1, took + one.0, planned + one.1));
    if jobs == 0 {
        return None;
    }
    let worth = rate.map_or(String::new(), |rate| {
        let more = (took - planned) / 60.0 * rate;
        let (of, word) = (more.abs(), if more < 0.0 { "less" } else { "more" });
        format!(" At the shop's rate that is {of:.0} {money} {word} than planned.")
    });
    Some(format!(
        "In {} that said both, {:.0} h were taken and {:.0} h were planned.{worth}",
        count(jobs, "job"),
        took / 60.0,
        planned / 60.0
    ))
}

/// What was fitted or repaired in vain, the most frequent first.
fn in_vain(rows: &[Row]) -> Vec<(String, String)> {
    let know = knowledge();
    let name = |word: &str| match know.circumstances.iter().find(|circumstance| circumstance.id == word) {
        Some(circumstance) => format!("Before the visit: {}", circumstance.label),
        None => format!("Here: {}", cause_name(word)),
    };
    let mut by: BTreeMap<&str, usize> = BTreeMap::new();
    for word in rows.iter().flat_map(|row| &row.outcome.in_vain) {
        *by.entry(word).or_default() += 1;
    }
    let mut all: Vec<_> = by.into_iter().collect();
    all.sort_by_key(|(_, jobs)| Reverse(*jobs));
    all.into_iter().map(|(word, jobs)| (name(word), count(jobs, "job"))).collect()
}

async fn practised(app: &App, viewer: &Viewer, since: Option<NaiveDateTime>) -> Result<Vec<PracticeRow>, Failure> {
    let bench = practice::at_the_bench(&app.db, viewer).await?;
    let (scenes, people) = tokio::try_join!(practice::scenes(&app.db, &bench), accounts::colleagues(&app.db, viewer))?;
    let mut by: HashMap<Uuid, (u32, u32, f64, NaiveDateTime)> = HashMap::new();
    for scene in scenes {
        let Some(ended) = scene.scene.ended_at.filter(|at| since.is_none_or(|since| *at >= since)) else { continue };
        let summary: Summary = scene.scene.result.as_deref().and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default();
        let of = by.entry(scene.by).or_insert((0, 0, 0.0, ended));
        *of = (of.0 + 1, of.1 + u32::from(summary.cured), of.2 + summary.total, of.3.max(ended));
    }
    let row = |person: accounts::Person| {
        let (scenes, cured, points, last) = by.get(&person.id)?;
        Some(PracticeRow {
            who: person.shown_name,
            scenes: *scenes,
            cured: *cured,
            points: format!("{:.0}", points / f64::from((*scenes).max(1))),
            last: show::moment(*last, &viewer.zone),
        })
    };
    Ok(people.into_iter().filter_map(row).collect())
}

fn tiles(waiting: Waiting, gauges: &[library::Gauge], viewer: &Viewer) -> Vec<Tile> {
    let soon = viewer.zone.day(Utc::now().naive_utc()) + chrono::Duration::days(DUE_SOON_DAYS);
    let due = gauges.iter().filter(|gauge| gauge.gauge.due_on.is_some_and(|day| day <= soon)).count();
    let tile = |figure, label: &str, href| Tile { figure, label: label.to_owned(), href };
    vec![
        tile(waiting.open, "open jobs", "/"),
        tile(waiting.for_customer, "wait for the customer", "/?waits=customer"),
        tile(waiting.for_foreman, "wait for a foreman", "/"),
        Tile { figure: waiting.untouched, label: format!("untouched for {UNTOUCHED_DAYS} days"), href: "/?days=3" },
        Tile { figure: due as u64, label: format!("gauges due within {DUE_SOON_DAYS} days"), href: "/gauges" },
    ]
}

async fn show_page(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    asked: web::Query<Asked>,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let since = asked.since();
    let may = |right| viewer.role.may_do(right);
    let practice = async { if may(Right::SetTasks) { practised(&app, viewer, since).await } else { Ok(Vec::new()) } };
    let store = async {
        let db = &app.db;
        Ok(tokio::try_join!(
            figures::closed(db, viewer, since),
            figures::waiting(db, viewer),
            library::gauges(db, viewer),
            accounts::shop(db, viewer)
        )?)
    };
    let (((rows, all), waiting, gauges, shop), practice) = tokio::try_join!(store, practice)?;
    let said = said(&rows);
    let rate = shop.labour_rate.filter(|_| may(Right::SeeMoney));
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Figures").at(Place::Experience),
        months: asked.months,
        periods: PERIODS.iter().map(|(months, label)| Period { months: *months, label, here: *months == asked.months }).collect(),
        worked_out: rows.len() as u64,
        all,
        tiles: tiles(waiting, &gauges, viewer),
        right: right_in_a_sentence(&said),
        bands: calibration(&said).iter().map(band).collect(),
        causes: causes(&rows),
        time: time(&rows, rate, shop.money.as_deref().unwrap_or("in money")),
        in_vain: in_vain(&rows),
        practice,
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The closed jobs, a line each, without vehicles, people and customers.
async fn csv(app: web::Data<App>, who: SignedIn, asked: web::Query<Asked>) -> Result<HttpResponse, Failure> {
    let (rows, _) = figures::closed(&app.db, &who.0, asked.since()).await?;
    let mut file = csv::Writer::from_writer(Vec::new());
    let unwritten = |error: csv::Error| Failure::Form(error.to_string());
    const HEAD: [&str; 12] = [
        "job",
        "closed_at",
        "family",
        "cause",
        "known",
        "said_cause",
        "said_probability",
        "probability_of_cause",
        "took_min",
        "planned_min",
        "in_vain",
        "came_back",
    ];
    file.write_record(HEAD).map_err(unwritten)?;
    let number = |value: Option<f64>| value.map(|value| value.to_string()).unwrap_or_default();
    for row in &rows {
        let (of, said) = (&row.outcome, row.outcome.said.clone());
        let line = [
            row.number.to_string(),
            row.closed_at.and_utc().to_rfc3339(),
            of.family.clone(),
            of.cause.clone().unwrap_or_default(),
            of.known.clone().unwrap_or_default(),
            said.as_ref().map(|(cause, _)| cause.clone()).unwrap_or_default(),
            number(said.map(|(_, probability)| probability)),
            number(of.cause_probability),
            number(of.took_min),
            number(of.planned_min),
            of.in_vain.join(" "),
            row.came_back.to_string(),
        ];
        file.write_record(line).map_err(unwritten)?;
    }
    let bytes = file.into_inner().map_err(|error| Failure::Form(error.to_string()))?;
    let name = "attachment; filename=\"figures.csv\"";
    Ok(HttpResponse::Ok().content_type("text/csv; charset=utf-8").insert_header((CONTENT_DISPOSITION, name)).body(bytes))
}

/// What the shop's closed jobs were, signed, for other shops.
async fn outcomes(app: web::Data<App>, who: SignedIn) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let keys = app.serving.keys.as_ref().ok_or(Failure::NoPage)?;
    let signer = keys.of_shop(viewer.shop).map_err(|error| Failure::NotSigned(error.to_string()))?;
    let context = app.shop_context(viewer).await?;
    let families = context.learnt.iter().map(|learnt| learnt.memory.clone()).filter(|memory| memory.jobs() > 0).collect();
    let file = OutcomesFile::signed(&context.shop.name, viewer.zone.day(Utc::now().naive_utc()), families, &signer);
    let name = "attachment; filename=\"outcomes.json\"";
    Ok(HttpResponse::Ok().insert_header((CONTENT_DISPOSITION, name)).json(file))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/figures", get().to(show_page)).route("/figures.csv", get().to(csv)).route("/figures/outcomes.json", get().to(outcomes));
}
