//! What changed from version to version, as CHANGELOG.md says it.
use crate::http::{Failure, SignedIn};
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use askama::Template;

const TEXT: &str = include_str!("../../../../../CHANGELOG.md");

/// A version.
struct Version {
    name: String,
    parts: Vec<Part>,
}

/// What is new in it, or what an upgrade to it asks for.
struct Part {
    title: String,
    points: Vec<String>,
}

#[derive(Template)]
#[template(path = "shop/help/changes.html")]
struct Page {
    chrome: Chrome,
    version: &'static str,
    versions: Vec<Version>,
}

/// The versions of the text, the newest first: a heading each, headings below it, and points below those.
fn versions(text: &str) -> Vec<Version> {
    let mut versions: Vec<Version> = Vec::new();
    for line in text.lines() {
        if let Some(title) = line.strip_prefix("### ") {
            let part = Part { title: title.to_owned(), points: Vec::new() };
            if let Some(version) = versions.last_mut() {
                version.parts.push(part);
            }
        } else if let Some(name) = line.strip_prefix("## ") {
            versions.push(Version { name: name.to_owned(), parts: Vec::new() });
        } else if let Some(point) = line.strip_prefix("- ")
            && let Some(part) = versions.last_mut().and_then(|version| version.parts.last_mut())
        {
            part.points.push(point.replace('`', ""));
        }
    }
    versions
}

pub(super) async fn show(who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let chrome = Chrome::of(&who.0, preferences, "What changed").at(Place::Help);
    let page = Page { chrome, version: env!("CARGO_PKG_VERSION"), versions: versions(TEXT) };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_version_that_serves_says_what_is_new_and_what_it_asks_for() {
        let all = versions(TEXT);
        assert_eq!(all[0].name, env!("CARGO_PKG_VERSION"));
        for version in &all {
            let titles: Vec<&str> = version.parts.iter().map(|part| part.title.as_str()).collect();
            assert_eq!(titles, ["New", "An upgrade asks for"], "{}", version.name);
            assert!(version.parts.iter().all(|part| !part.points.is_empty()), "{}", version.name);
        }
    }
}
