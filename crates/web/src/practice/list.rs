//! The page of the practice bench: the guided first scene, the course, the grades, what was set to one, and the scenes so far.
use super::{lessons, task, title_of};
use crate::http::Failure;
use crate::job::bench;
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place, count, show};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use askama::Template;
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::unit::first_upper;
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::marks::Summary;
use velvet_dial_store::accounts::{self, Person};
use velvet_dial_store::practice;
use velvet_dial_store::{Viewer, jobs::Scene};

/// A scene in the list.
struct Row {
    number: i64,
    tag: String,
    complaint: String,
    name: String,
    state: String,
    ended: bool,
    when: String,
}

/// A grade to begin at.
struct GradeCard {
    place: usize,
    name: String,
    what: &'static str,
    budget: String,
}

/// A scene of the course.
struct LessonRow {
    place: u8,
    title: String,
    grade: &'static str,
    /// The best points so far; empty before it was handed back.
    points: String,
    /// It is the next one.
    next: bool,
}

#[derive(Template)]
#[template(path = "practice/practice.html")]
struct Page {
    chrome: Chrome,
    /// The guided scene was not done yet.
    first: bool,
    lessons: Vec<LessonRow>,
    done: usize,
    grades: Vec<GradeCard>,
    tasks: Vec<task::Row>,
    people: Vec<Person>,
    rows: Vec<Row>,
    /// Some of them can be cleared away.
    clears: bool,
    key: Uuid,
    /// What is wrong with the file that was sent.
    wrong: Vec<String>,
}

fn what(grade: Grade) -> &'static str {
    match grade {
        Grade::First => "One plain fault. A quick look or the gauge shows it.",
        Grade::Second => "One fault of any kind. The gauge narrows it down.",
        Grade::Third => "One fault, or none at all. The customer says things that have nothing to do with it.",
        Grade::Fourth => "A fault may have led to another, and a look can be mistaken.",
        Grade::Fifth => "Also two faults at once, and a gauge that is off.",
    }
}

/// What came of a scene; none before it was handed back.
pub(super) fn summary(scene: &Scene) -> Option<Summary> {
    scene.result.as_deref().and_then(|text| serde_json::from_str(text).ok())
}

/// Draws the page.
pub(super) async fn page(
    app: &App,
    viewer: &Viewer,
    preferences: DisplayPreferences,
    wrong: Vec<String>,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let bench = practice::at_the_bench(&app.db, viewer).await?;
    let scenes = practice::scenes(&app.db, &bench).await?;
    let mut best: HashMap<u8, f64> = HashMap::new();
    for scene in practice::handed_back(&app.db, &bench).await? {
        if let Some((lesson, summary)) = scene.begun.given.lesson.zip(summary(&scene)) {
            let points = best.entry(lesson).or_default();
            *points = points.max(summary.total);
        }
    }
    let next = lessons().map(|(place, _)| place).find(|place| !best.contains_key(place));
    let people = accounts::colleagues(&app.db, viewer).await?;
    let row = |row: &practice::Row| Row {
        number: row.number,
        tag: row.tag.clone(),
        complaint: row.complaint.clone(),
        name: bench::name_of(&row.scene.begun),
        state: match (row.scene.ended_at, summary(&row.scene)) {
            (Some(_), Some(summary)) => format!("{:.0} of 100", summary.total),
            (Some(at), None) => format!("handed back {}", show::moment(at, &viewer.zone)),
            (None, _) => count(row.entries as usize, "entry|entries"),
        },
        ended: row.scene.ended_at.is_some(),
        when: show::moment(row.began_at, &viewer.zone),
    };
    let own = || scenes.iter().filter(|row| row.by == viewer.user);
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Practice").at(Place::Practice),
        first: !best.contains_key(&1),
        done: best.len(),
        lessons: lessons()
            .map(|(place, written)| LessonRow {
                place,
                title: written.title.clone(),
                grade: written.grade.label(),
                points: best.get(&place).map_or_else(String::new, |points| format!("{points:.0}")),
                next: next == Some(place),
            })
            .collect(),
        grades: Grade::ALL
            .iter()
            .enumerate()
            .map(|(place, grade)| GradeCard {
                place,
                name: first_upper(grade.label()),
                what: what(*grade),
                budget: show::minutes(grade.mix().budget_minutes),
            })
            .collect(),
        tasks: task::rows(app, &bench, &people, &scenes).await?,
        people,
        clears: own().any(|row| row.scene.ended_at.is_some()),
        rows: own().map(row).collect(),
        key: Uuid::new_v4(),
        wrong,
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

/// A task's name in a list.
pub(super) fn task_title(task: &practice::Task) -> String {
    if task.title.is_empty() { title_of(&task.scene) } else { task.title.clone() }
}
