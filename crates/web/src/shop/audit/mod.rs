//! The audit page: who changed what, and when, over all jobs and the shop itself; narrowed down, and as a file.
use crate::http::form::Choice;
use crate::http::{Failure, SignedIn};
use crate::state::App;
use crate::ui::words::describe;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use chrono::{DateTime, NaiveDate, NaiveDateTime, TimeDelta, Utc};
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::methods::methods;
use velvet_dial_core::unit::Units;
use velvet_dial_store::audit::{self, Asked, Line, Of, ShopEvent};
use velvet_dial_store::zone::Zone;
use velvet_dial_store::{Viewer, accounts};

/// Lines a page, and of a file.
const A_PAGE: u64 = 100;
const OF_A_FILE: u64 = 20_000;

/// What the address asks.
#[derive(Deserialize, Default, Clone)]
#[serde(default)]
struct AuditQuery {
    who: String,
    job: String,
    /// “shop” for the shop itself alone.
    of: String,
    from: String,
    until: String,
    /// Words that a line holds.
    q: String,
    before: String,
}

impl AuditQuery {
    fn asked(&self, zone: &Zone) -> Asked {
        let midnight = |text: &str, more: i64| -> Option<NaiveDateTime> {
            let day = text.trim().parse::<NaiveDate>().ok()? + TimeDelta::days(more);
            zone.moment(day.and_hms_opt(0, 0, 0)?).map(|at| at.naive_utc())
        };
        Asked {
            by: Uuid::parse_str(&self.who).ok(),
            job: self.job.trim().parse().ok(),
            of_shop: self.of == "shop",
            from: midnight(&self.from, 0),
            until: midnight(&self.until, 1),
            before: Uuid::parse_str(&self.before).ok(),
        }
    }

    /// The same address but for its page.
    fn rest(&self) -> String {
        let said = [("who", &self.who), ("job", &self.job), ("of", &self.of), ("from", &self.from), ("until", &self.until), ("q", &self.q)];
        said.iter().filter(|(_, value)| !value.is_empty()).map(|(name, value)| format!("&{name}={}", show::query_escape(value))).collect()
    }
}

/// A line as it is read.
struct Row {
    when: String,
    who: String,
    what: String,
    /// The job's number and plate; none of the shop itself.
    job: Option<(i64, String)>,
}

#[derive(Template)]
#[template(path = "shop/audit/audit.html")]
struct Page {
    chrome: Chrome,
    rows: Vec<Row>,
    people: Vec<Choice>,
    asked: AuditQuery,
    rest: String,
    /// Where older lines begin.
    older: Option<String>,
}

/// What was changed in the shop, in a sentence.
fn said(event: &ShopEvent, zone: &Zone) -> String {
    match event {
        ShopEvent::Settings { changes } => format!("Settings: {}", changes.join("; ")),
        ShopEvent::Way { question, way } => {
            let method = methods().iter().find(|method| method.id == *question);
            let ask = method.map_or(question.as_str(), |method| method.ask.as_str());
            match method.and_then(|method| method.ways.iter().find(|one| one.id == *way)) {
                Some(way) => format!("The shop's way: {ask} {}", way.label),
                None => format!("The shop's way is open again: {ask}"),
            }
        }
        ShopEvent::Invited { who, role } => format!("Invited: {who}, as {}", role.label()),
        ShopEvent::InvitationWithdrawn { who } => format!("Invitation withdrawn: {who}"),
        ShopEvent::Joined { role } => format!("Joined the shop, as {}", role.label()),
        ShopEvent::RoleChanged { who, from, to } => format!("Role of {who}: {} → {}", from.label(), to.label()),
        ShopEvent::Removed { who } => format!("Removed from the shop: {who}"),
        ShopEvent::SecondFactor { on: true } => "Has a second factor from now on".to_owned(),
        ShopEvent::SecondFactor { on: false } => "Goes without a second factor from now on".to_owned(),
        ShopEvent::PinSet => "Set a PIN for the shop's tablets".to_owned(),
        ShopEvent::TabletEnrolled { name } => format!("Shared tablet: {name}"),
        ShopEvent::TabletUnenrolled { name } => format!("Shared no more: {name}"),
        ShopEvent::ProgramAdded { name, scopes } => {
            let scopes: Vec<&str> = scopes.iter().map(|scope| scope.label()).collect();
            format!("Program let in: {name}, to {}", scopes.join("; "))
        }
        ShopEvent::ProgramRevoked { name } => format!("Program locked out: {name}"),
        ShopEvent::HookChanged { name, url } if url.is_empty() => format!("Events are no longer sent to {name}"),
        ShopEvent::HookChanged { name, url } => format!("Events of {name} are sent to {url}"),
        ShopEvent::PasswordChanged => "Changed their password".to_owned(),
        ShopEvent::Answered { job, who, right, granted } => {
            let answer = if *granted { "Yes" } else { "No" };
            format!("{answer} to what {who} asked for on job {job}: to {}", right.label())
        }
        ShopEvent::Restored { from, until, signed } => {
            let at = |moment: DateTime<Utc>| show::moment_with_year(moment.naive_utc(), zone);
            let until = until
                .map_or("; what was written after it is lost".to_owned(), |until| format!(", and the log played back until {}", at(until)));
            format!("The database was put back from the backup of {}{until}. Signed by the server, key {}", at(*from), signed.key)
        }
        ShopEvent::Unreadable => "Something of a later version".to_owned(),
    }
}

fn row(line: &Line, zone: &Zone, unit: Units) -> Row {
    let (what, job) = match &line.of {
        Of::Job { number, tag, body, corrects } => {
            let what = describe(body, unit);
            (if *corrects { format!("{what} (corrects an earlier entry)") } else { what }, Some((*number, tag.clone())))
        }
        Of::Shop(event) => (said(event, zone), None),
    };
    Row { when: show::moment_with_year(line.at, zone), who: line.by.clone(), what, job }
}

/// Lines that hold the words that are looked for, and where older ones begin. Words are looked for in what is read, page by page, until a page is full.
async fn found(app: &App, viewer: &Viewer, asked: &AuditQuery, unit: Units, most: u64) -> Result<(Vec<Row>, Option<Uuid>), Failure> {
    const PAGES: usize = 20;
    let wanted = asked.q.trim().to_lowercase();
    let mut which = asked.asked(&viewer.zone);
    let mut rows = Vec::new();
    for _ in 0..PAGES {
        let lines = audit::lines(&app.db, viewer, &which, most).await?;
        let full = lines.len() as u64 == most;
        for line in &lines {
            which.before = Some(line.id);
            let row = row(line, &viewer.zone, unit);
            if wanted.is_empty() || row.what.to_lowercase().contains(&wanted) || row.who.to_lowercase().contains(&wanted) {
                rows.push(row);
            }
            if rows.len() as u64 == most {
                return Ok((rows, which.before));
            }
        }
        if !full {
            return Ok((rows, None));
        }
    }
    Ok((rows, which.before))
}

async fn show_page(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    asked: web::Query<AuditQuery>,
) -> Result<HttpResponse, Failure> {
    let viewer = &who.0;
    let (rows, older) = found(&app, viewer, &asked, preferences.unit, A_PAGE).await?;
    let anybody = Choice { id: String::new(), label: "anybody".to_owned() };
    let people = accounts::colleagues(&app.db, viewer).await?;
    let people = people.into_iter().map(|person| Choice { id: person.id.to_string(), label: person.shown_name });
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Audit").at(Place::Settings),
        rows,
        people: std::iter::once(anybody).chain(people).collect(),
        rest: asked.rest(),
        older: older.map(|id| id.to_string()),
        asked: asked.into_inner(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The same as a file, up to twenty thousand lines.
async fn file(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    asked: web::Query<AuditQuery>,
) -> Result<HttpResponse, Failure> {
    let (rows, _) = found(&app, &who.0, &asked, preferences.unit, OF_A_FILE).await?;
    let mut file = csv::Writer::from_writer(Vec::new());
    let wrong = |error: csv::Error| Failure::Form(error.to_string());
    file.write_record(["when", "who", "job", "plate", "what"]).map_err(wrong)?;
    for row in rows {
        let (number, tag) = row.job.map(|(number, tag)| (number.to_string(), tag)).unwrap_or_default();
        file.write_record([row.when, row.who, number, tag, row.what]).map_err(wrong)?;
    }
    let bytes = file.into_inner().map_err(|error| Failure::Form(error.to_string()))?;
    let name = "attachment; filename=\"audit.csv\"";
    Ok(HttpResponse::Ok().content_type("text/csv; charset=utf-8").insert_header(("content-disposition", name)).body(bytes))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/audit", get().to(show_page)).route("/audit/file.csv", get().to(file));
}
