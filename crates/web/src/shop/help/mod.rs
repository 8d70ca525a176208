//! Help, and what changed from version to version.
//!
//! Help is a page for each stage of a job, with a drawing. The text is in help.toml, the drawings are in pictures.html.
mod changes;

use crate::http::{Failure, SignedIn};
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, get};
use askama::Template;
use serde::Deserialize;
use std::sync::LazyLock;

/// Help on one stage.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Topic {
    id: String,
    title: String,
    purpose: String,
    steps: Vec<String>,
    mind: String,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct Topics {
    topic: Vec<Topic>,
}

static TOPICS: LazyLock<Topics> = LazyLock::new(|| {
    // OK because the file is compiled in, and a test reads it.
    toml::from_str(include_str!("help.toml")).unwrap_or_default()
});

#[derive(Template)]
#[template(path = "shop/help/help.html")]
struct Page {
    chrome: Chrome,
    topics: &'static [Topic],
    /// The topic that is shown; none on the list of all.
    shown: Option<&'static Topic>,
    version: &'static str,
}

fn page(who: &SignedIn, preferences: DisplayPreferences, shown: Option<&'static Topic>) -> Result<HttpResponse, Failure> {
    let title = shown.map_or_else(|| "Help".to_owned(), |topic| format!("Help: {}", topic.title));
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, title).at(Place::Help),
        topics: &TOPICS.topic,
        shown,
        version: env!("CARGO_PKG_VERSION"),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

async fn all(who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page(&who, preferences, None)
}

async fn one(who: SignedIn, preferences: DisplayPreferences, id: web::Path<String>) -> Result<HttpResponse, Failure> {
    let topic = TOPICS.topic.iter().find(|topic| topic.id == *id).ok_or(Failure::NoPage)?;
    page(&who, preferences, Some(topic))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/help", get().to(all)).route("/help/{topic}", get().to(one)).route("/changes", get().to(changes::show));
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::stage::Stage;

    #[test]
    fn every_stage_has_help_with_a_drawing() {
        let ids: Vec<&str> = TOPICS.topic.iter().map(|topic| topic.id.as_str()).collect();
        let stages: Vec<&str> = Stage::ALL.iter().map(|stage| stage.id()).chain(["report"]).collect();
        assert_eq!(ids, stages);
        for (topic, stage) in TOPICS.topic.iter().zip(Stage::ALL) {
            assert_eq!(topic.title, stage.title());
        }
        let drawings = include_str!("pictures.html");
        assert!(ids.iter().all(|id| drawings.contains(&format!("when \"{id}\""))), "each has its drawing");
    }
}
