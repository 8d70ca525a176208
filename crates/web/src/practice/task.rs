//! A scene that is set to several people at once: who did it how, and drawn again with another engine for those who got it wrong.
use super::list::{summary, task_title};
use super::{begin_it, key_of, suspects, title_of, to, wanted};
use crate::http::{Failure, SignedIn, form};
use crate::job::bench::scene_of;
use crate::state::App;
use crate::ui::words::cause_name;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::web;
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::unit::first_upper;
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::marks::Summary;
use velvet_dial_practice::stock;
use velvet_dial_practice::written::Written;
use velvet_dial_store::accounts::{self, Person};
use velvet_dial_store::jobs::SceneBegun;
use velvet_dial_store::practice::{self, NewTask, Task};
use velvet_dial_store::{StoreError, Viewer};

/// Whoever has fewer points gets it once more.
const ENOUGH: f64 = 60.0;
/// Other engines that are tried for a scene that is drawn again.
const TRIED: u64 = 24;
/// Most people of a task.
const MOST_PEOPLE: usize = 60;

/// A task on the bench's page.
pub(super) struct Row {
    pub id: Uuid,
    pub title: String,
    pub by: String,
    pub when: String,
    /// It is set to the viewer, and where they are with it: the scene's number, and whether it was handed back.
    pub mine: Option<Option<(i64, bool)>>,
    /// The viewer set it.
    pub own: bool,
    /// “2 of 3 handed back”.
    pub state: String,
}

/// How one person did.
struct PersonRow {
    name: String,
    state: String,
    /// The marks' page; none before it was handed back.
    number: Option<i64>,
    points: String,
    /// Minutes over the planner's.
    lost: String,
    took_it_for: String,
    left_out: String,
}

#[derive(Template)]
#[template(path = "practice/task.html")]
struct Page {
    chrome: Chrome,
    id: Uuid,
    title: String,
    name: String,
    it_was: String,
    people: Vec<PersonRow>,
    /// Somebody got it wrong.
    again: usize,
    key: Uuid,
}

fn name_of(people: &[Person], key: Uuid) -> String {
    people.iter().find(|person| person.id == key).map_or_else(|| "left the shop".to_owned(), |person| person.shown_name.clone())
}

/// The tasks that a viewer set or was set.
pub(super) async fn rows(app: &App, bench: &Viewer, people: &[Person], scenes: &[practice::Row]) -> Result<Vec<Row>, Failure> {
    let tasks = practice::tasks(&app.db, bench).await?;
    let own = tasks.iter().filter(|task| task.set_by == bench.user || task.people.contains(&bench.user));
    let row = |task: &Task| {
        let of_task = || scenes.iter().filter(|row| row.scene.begun.task == Some(task.id));
        let mine = of_task().find(|row| row.by == bench.user).map(|row| (row.number, row.scene.ended_at.is_some()));
        let done = of_task().filter(|row| row.scene.ended_at.is_some()).count();
        Row {
            id: task.id,
            title: task_title(task),
            by: name_of(people, task.set_by),
            when: show::moment(task.set_at, &bench.zone),
            mine: task.people.contains(&bench.user).then_some(mine),
            own: task.set_by == bench.user,
            state: format!("{done} of {} handed back", task.people.len()),
        }
    };
    Ok(own.map(row).collect())
}

/// Sets a task.
pub(super) async fn set(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let bench = practice::at_the_bench(&app.db, &who.0).await?;
    let known = accounts::colleagues(&app.db, &who.0).await?;
    let people: Vec<Uuid> = known.iter().map(|person| person.id).filter(|id| form.contains_key(&format!("person-{id}"))).collect();
    let key = form.get("key").map_or("", String::as_str);
    let had = practice::scenes(&app.db, &bench).await?;
    let begun = wanted(form.get("begin").map_or("", String::as_str), &had, key, suspects(&form));
    let begun = begun.ok_or_else(|| Failure::Form("this scene is not on the list".to_owned()))?;
    if people.is_empty() || people.len() > MOST_PEOPLE {
        let wrong = vec![format!("Tick those to whom it is set: at least one, at most {MOST_PEOPLE}.")];
        return super::list::page(&app, &who.0, preferences, wrong, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let title = title_of(&begun);
    let task = practice::set(&app.db, &bench, &NewTask { title: &title, scene: &begun, people: &people, key }).await?;
    Ok(to(&format!("/practice/tasks/{task}")))
}

/// A task with its people's scenes. Whoever set it sees how each did.
async fn load(app: &App, who: &Viewer, id: Uuid) -> Result<(Viewer, Task, Vec<practice::Row>), Failure> {
    let bench = practice::at_the_bench(&app.db, who).await?;
    let task = practice::task(&app.db, &bench, id).await?;
    if task.set_by != who.user {
        return Err(StoreError::NotFound.into());
    }
    let scenes = practice::scenes_of_task(&app.db, &bench, id).await?;
    Ok((bench, task, scenes))
}

fn person(key: Uuid, name: String, scenes: &[practice::Row]) -> (PersonRow, Option<Summary>) {
    let scene = scenes.iter().find(|row| row.by == key);
    let summary = scene.and_then(|row| summary(&row.scene));
    let told = |say: &dyn Fn(&Summary) -> String| summary.as_ref().map_or_else(String::new, say);
    let row = PersonRow {
        name,
        state: match (scene, &summary) {
            (None, _) => "not begun".to_owned(),
            (Some(_), None) => "at it".to_owned(),
            (Some(_), Some(summary)) => summary.verdict.clone(),
        },
        number: scene.filter(|row| row.scene.ended_at.is_some()).map(|row| row.number),
        points: told(&|one| format!("{:.0}", one.total)),
        lost: told(&|one| show::minutes((one.minutes - one.planner_minutes).max(0.0))),
        took_it_for: told(&|one| one.taken_for.iter().map(|id| cause_name(id)).collect::<Vec<_>>().join(", ")),
        left_out: told(&|one| one.left_out.join(" ")),
    };
    (row, summary)
}

fn got_it_wrong(summary: &Summary) -> bool {
    !summary.cured || !summary.taken_for.is_empty() || summary.total < ENOUGH
}

/// Shows how each did.
pub(super) async fn show(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    id: web::Path<Uuid>,
) -> Result<HttpResponse, Failure> {
    let (_, task, scenes) = load(&app, &who.0, *id).await?;
    let known = accounts::colleagues(&app.db, &who.0).await?;
    let people: Vec<(PersonRow, Option<Summary>)> = task.people.iter().map(|key| person(*key, name_of(&known, *key), &scenes)).collect();
    let causes: Vec<&str> = people
        .iter()
        .find_map(|(_, summary)| summary.as_ref())
        .map_or_else(Vec::new, |one| one.causes.iter().map(|id| cause_name(id)).collect());
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, "Practice: a task").at(Place::Practice),
        id: task.id,
        title: task_title(&task),
        name: first_upper(&crate::job::bench::name_of(&task.scene)),
        it_was: causes.join(" and "),
        again: people.iter().filter(|(_, summary)| summary.as_ref().is_some_and(got_it_wrong)).count(),
        people: people.into_iter().map(|(row, _)| row).collect(),
        key: Uuid::new_v4(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// The same as a table for a spreadsheet.
pub(super) async fn csv(app: web::Data<App>, who: SignedIn, id: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    let (_, task, scenes) = load(&app, &who.0, *id).await?;
    let known = accounts::colleagues(&app.db, &who.0).await?;
    let mut table = csv::Writer::from_writer(Vec::new());
    let heads = ["name", "state", "points", "minutes", "planner minutes", "money", "planner money", "it was", "taken for", "left out"]
        .map(str::to_owned);
    let rows = task.people.iter().map(|key| {
        let (row, summary) = person(*key, name_of(&known, *key), &scenes);
        let one = summary.unwrap_or_default();
        let number = |value: f64| if row.number.is_some() { format!("{value:.0}") } else { String::new() };
        let figures = [one.total, one.minutes, one.planner_minutes, one.money, one.planner_money].map(number);
        let [total, minutes, planner_minutes, money, planner_money] = figures;
        let words = [one.causes.join("; "), one.taken_for.join("; "), one.left_out.join(" ")].map(|cell| guarded(&cell));
        let [causes, taken_for, left_out] = words;
        [guarded(&row.name), row.state, total, minutes, planner_minutes, money, planner_money, causes, taken_for, left_out]
    });
    for row in std::iter::once(heads).chain(rows) {
        table.write_record(row).map_err(|error| Failure::Form(error.to_string()))?;
    }
    let text = table.into_inner().map_err(|error| Failure::Form(error.to_string()))?;
    let name = "attachment; filename=\"practice-task.csv\"";
    Ok(HttpResponse::Ok().content_type("text/csv; charset=utf-8").insert_header((CONTENT_DISPOSITION, name)).body(text))
}

/// Words as a spreadsheet takes them: never a formula.
fn guarded(cell: &str) -> String {
    if cell.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{cell}") } else { cell.to_owned() }
}

/// Begins a task, or goes on where it was begun.
pub(super) async fn begin(app: web::Data<App>, who: SignedIn, id: web::Path<Uuid>) -> Result<HttpResponse, Failure> {
    let bench = practice::at_the_bench(&app.db, &who.0).await?;
    let task = practice::task(&app.db, &bench, *id).await?;
    if !task.people.contains(&who.0.user) {
        return Err(StoreError::NotFound.into());
    }
    let begun = practice::scenes_of_task(&app.db, &bench, *id).await?.into_iter().find(|row| row.by == who.0.user);
    let number = match begun {
        Some(row) => row.number,
        None => begin_it(&app, &bench, task.scene.clone(), &key_of(&[&id.to_string(), &who.0.user.to_string()])).await?,
    };
    Ok(to(&format!("/jobs/{number}/intake")))
}

/// Sets it once more, with another engine of the same fault, to those who got it wrong.
pub(super) async fn again(
    app: web::Data<App>,
    who: SignedIn,
    id: web::Path<Uuid>,
    form: web::Form<form::Sent>,
) -> Result<HttpResponse, Failure> {
    let (bench, task, scenes) = load(&app, &who.0, *id).await?;
    let wrong = |row: &&practice::Row| summary(&row.scene).is_some_and(|one| got_it_wrong(&one));
    let people: Vec<Uuid> = scenes.iter().filter(wrong).map(|row| row.by).collect();
    if people.is_empty() {
        return Err(Failure::Form("nobody got it wrong yet".to_owned()));
    }
    let scene = task.scene.clone();
    let other = app.work.out(move || another(&scene)).await?;
    let other = other.ok_or_else(|| Failure::Form("no other engine with this fault could be found; set another scene".to_owned()))?;
    let title = format!("{}, once more", title_of(&task.scene));
    let key = form.get("key").map_or("", String::as_str);
    let task = practice::set(&app.db, &bench, &NewTask { title: &title, scene: &other, people: &people, key }).await?;
    Ok(to(&format!("/practice/tasks/{task}")))
}

/// The same fault in another engine that can be found.
fn another(begun: &SceneBegun) -> Option<SceneBegun> {
    let mut given = begun.given.clone();
    given.lesson = None;
    if let Some(text) = &begun.given.written {
        let written = Written::read(text).ok()?;
        let seeds = written.seed.saturating_add(1)..=written.seed.saturating_add(TRIED);
        let other = seeds.map(|seed| Written { seed, ..written.clone() }).find(|one| one.solvable().is_ok())?;
        given.written = Some(other.text());
        return Some(SceneBegun { seed: other.seed, given, task: None, ..begun.clone() });
    }
    let faults = |begun: &SceneBegun| scene_of(begun).map(|scene| scene.faults().collect::<Vec<_>>());
    let own = faults(begun);
    let others = stock::seeds(Grade::at(begun.grade)?).iter().filter(|seed| **seed != begun.seed);
    let others = others.map(|seed| SceneBegun { seed: *seed, given: given.clone(), task: None, ..begun.clone() });
    let mut any = None;
    for other in others {
        if faults(&other) == own {
            return Some(other);
        }
        any.get_or_insert(other);
    }
    any
}
