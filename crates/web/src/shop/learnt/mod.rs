//! What the shop learnt from its closed jobs, by engine family, and the switch that leaves it out.
use crate::http::{Failure, SignedIn, form};
use crate::state::App;
use crate::ui::count;
use crate::ui::words::cause_name;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::HttpResponse;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use velvet_dial_core::circuit::Layout;
use velvet_dial_core::experience::{OWN_JOBS, OWN_TIMES};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::jobs::Learnt;

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

#[derive(Template)]
#[template(path = "shop/learnt/learnt.html")]
struct Page {
    chrome: Chrome,
    learns: bool,
    families: Vec<Family>,
    jobs: u32,
    came_back: u32,
    own_jobs: String,
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

/// Shows it.
async fn show_page(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let shop_context = app.shop_context(&who.0).await?;
    let sum = |of: fn(&Learnt) -> u32| shop_context.learnt.iter().map(of).sum();
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, "Shop experience").at(Place::Experience),
        learns: shop_context.shop.learns,
        families: shop_context.learnt.iter().map(family).collect(),
        jobs: sum(|learnt| learnt.memory.jobs() + learnt.came_back),
        came_back: sum(|learnt| learnt.came_back),
        own_jobs: show::plain(OWN_JOBS),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
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
    config.route("/learnt", get().to(show_page)).route("/learnt", post().to(switch));
}
