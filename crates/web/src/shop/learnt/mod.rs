//! What the shop learnt from its closed jobs, by engine family, and the switch that leaves it out.
use crate::http::upload::read_whole;
use crate::http::{Failure, SignedIn, form};
use crate::state::App;
use crate::ui::count;
use crate::ui::words::cause_name;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_multipart::Multipart;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use velvet_dial_core::circuit::Layout;
use velvet_dial_core::experience::{KnownPattern, OWN_JOBS, OWN_TIMES};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::pooled::{self, OutcomesFile};
use velvet_dial_store::Viewer;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::jobs::Learnt;
use velvet_dial_store::library::{self, Entered};

/// A family.
struct Family {
    name: String,
    jobs: u32,
    came_back: u32,
    causes: Vec<Cause>,
    /// How long its jobs took; none where nobody said so.
    took: Option<String>,
}

impl Family {
    /// "3 jobs".
    pub fn counted(&self) -> String {
        count(self.jobs as usize, "job")
    }
}

/// A cause with what the table says of it, and with the jobs.
struct Cause {
    name: String,
    closed: u32,
    own: String,
    learned: String,
    /// Widths of both bars, of a hundred.
    widths: (String, String),
}

/// What came from another shop, and counts.
struct Other {
    /// Where it is from.
    source: String,
    /// What it says of which family, a line each.
    lines: Vec<String>,
}

#[derive(Template)]
#[template(path = "shop/learnt/learnt.html")]
struct Page {
    chrome: Chrome,
    learns: bool,
    families: Vec<Family>,
    jobs: u32,
    came_back: u32,
    own_jobs: String,
    others: Vec<Other>,
    /// What became of a file that was just imported.
    imported: Option<Imported>,
}

/// What became of a file of another shop.
enum Imported {
    /// Why nothing was imported.
    Refused(String),
    /// What counts from now on, and what does not.
    Done { adds: Vec<String>, left: Vec<String> },
}

fn family(learnt: &Learnt) -> Family {
    let know = knowledge();
    // The table's share is that of an ordinary engine; an engine's own layout moves it a little.
    let shares = learnt.memory.learn(know, &know.priors(&Layout::default()));
    let mut told: Vec<_> = shares.into_iter().filter(|cause| cause.closed > 0).collect();
    told.sort_by(|a, b| b.closed.cmp(&a.closed).then(b.learned.total_cmp(&a.learned)));
    let width = |share: f64| format!("{:.0}", 100.0 * share.clamp(0.0, 1.0));
    let took = learnt.memory.took;
    Family {
        name: learnt.memory.family.clone(),
        jobs: learnt.memory.jobs(),
        came_back: learnt.came_back,
        causes: told
            .into_iter()
            .map(|cause| Cause {
                name: cause_name(cause.cause).to_owned(),
                closed: cause.closed,
                own: show::percent(cause.own),
                learned: show::percent(cause.learned),
                widths: (width(cause.own), width(cause.learned)),
            })
            .collect(),
        took: (took.jobs > 0).then(|| {
            format!(
                "Time for opening: {:.2} times the card's minutes ({}; the card's minutes count like {OWN_TIMES:.0} jobs).",
                took.times(),
                count(took.jobs as usize, "job")
            )
        }),
    }
}

/// The patterns that came from other shops, by where they are from.
async fn others(app: &App, viewer: &Viewer) -> Result<Vec<Other>, Failure> {
    let mut others: Vec<Other> = Vec::new();
    for pattern in library::patterns(&app.db, viewer).await? {
        let Some(source) = source_of(&pattern.known.source) else { continue };
        let line = line(&pattern.family, &pattern.known);
        match others.iter_mut().find(|other| other.source == source) {
            Some(other) => other.lines.push(line),
            None => others.push(Other { source: source.to_owned(), lines: vec![line] }),
        }
    }
    Ok(others)
}

/// “Outcomes of Harbour Motors”, of a pattern that came so.
fn source_of(source: &str) -> Option<&str> {
    source.split_once(": ").map(|(of, _)| of).filter(|of| of.starts_with(OutcomesFile::SOURCE))
}

fn line(family: &str, known: &KnownPattern) -> String {
    let counted = known.source.split_once(": ").map_or("", |(_, counted)| counted);
    format!("{family}: {}, {} times as likely ({counted})", cause_name(&known.cause), show::plain(known.times))
}

/// Imports a file of another shop: what the same shop said before no longer counts.
async fn import(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences, form: Multipart) -> Result<HttpResponse, Failure> {
    let bytes = read_whole(form, pooled::MOST_BYTES).await?;
    let viewer = &who.0;
    let refused = |why: String| Imported::Refused(format!("Nothing was imported: {why}."));
    let file = match OutcomesFile::read(&bytes, knowledge()) {
        Ok(file) => file,
        Err(error) => return page(&app, &who, preferences, Some(refused(error.to_string()))).await,
    };
    let own = app.serving.keys.as_ref().is_some_and(|keys| keys.is_of_shop(viewer.shop, &file.key));
    if own {
        let why = "this is your own shop's file, and its jobs count already";
        return page(&app, &who, preferences, Some(refused(why.to_owned()))).await;
    }
    withdraw_of(&app, viewer, &file.source()).await?;
    let (mut adds, mut left) = (Vec::new(), Vec::new());
    for (family, known) in file.patterns(knowledge()) {
        let line = line(&family, &known);
        match library::add_pattern(&app.db, viewer, &family, &known).await? {
            Entered::Stands => adds.push(line),
            Entered::Twice => left.push(format!("{line}: this cause has a known pattern already")),
            Entered::NoFamily => left.push(format!("{line}: the shop has no engine of this family")),
        }
    }
    accounts::note_change(&app.db, viewer, vec![format!("{}: {} imported", file.source(), count(adds.len(), "pattern"))]).await?;
    page(&app, &who, preferences, Some(Imported::Done { adds, left })).await
}

/// What came from one shop counts no more.
async fn withdraw_of(app: &App, viewer: &Viewer, source: &str) -> Result<usize, Failure> {
    let mut withdrawn = 0;
    for pattern in library::patterns(&app.db, viewer).await? {
        if source_of(&pattern.known.source) == Some(source) {
            library::retire_pattern(&app.db, viewer, pattern.id).await?;
            withdrawn += 1;
        }
    }
    Ok(withdrawn)
}

async fn withdraw(app: web::Data<App>, who: SignedIn, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let source = form.get("source").map_or("", String::as_str);
    let withdrawn = withdraw_of(&app, &who.0, source).await?;
    if withdrawn > 0 {
        accounts::note_change(&app.db, &who.0, vec![format!("{source}: {} withdrawn", count(withdrawn, "pattern"))]).await?;
    }
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/learnt#others")).finish())
}

/// Shows it.
async fn show_page(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page(&app, &who, preferences, None).await
}

async fn page(app: &App, who: &SignedIn, preferences: DisplayPreferences, imported: Option<Imported>) -> Result<HttpResponse, Failure> {
    let shop_context = app.shop_context(&who.0).await?;
    let sum = |of: fn(&Learnt) -> u32| shop_context.learnt.iter().map(of).sum();
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, "Shop experience").at(Place::Experience),
        learns: shop_context.shop.learns,
        families: shop_context.learnt.iter().map(family).collect(),
        jobs: sum(|learnt| learnt.memory.jobs() + learnt.came_back),
        came_back: sum(|learnt| learnt.came_back),
        own_jobs: show::plain(OWN_JOBS),
        others: others(app, &who.0).await?,
        imported,
    };
    let refused = matches!(page.imported, Some(Imported::Refused(_)));
    let status = if refused { StatusCode::UNPROCESSABLE_ENTITY } else { StatusCode::OK };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Switches it on or off.
async fn switch(app: web::Data<App>, who: SignedIn, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let shop = accounts::shop(&app.db, &who.0).await?;
    let learns = form.get("learns").is_some_and(|learns| learns == "true");
    accounts::change_shop(&app.db, &who.0, &Shop { learns, ..shop.clone() }).await?;
    let said = if learns { "use closed jobs as experience: no → yes" } else { "use closed jobs as experience: yes → no" };
    if learns != shop.learns {
        accounts::note_change(&app.db, &who.0, vec![said.to_owned()]).await?;
    }
    app.forget_shop_context(&who.0);
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, "/learnt")).finish())
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/learnt", get().to(show_page))
        .route("/learnt", post().to(switch))
        .route("/learnt/others", post().to(import))
        .route("/learnt/others/withdraw", post().to(withdraw));
}
