//! Notes of a job, at any stage: what was seen beside the work, in words, with a photo where there is one; in the report or not, kept with the engine or not.
use crate::http::photo::{Received, received};
use crate::http::{Failure, FormState, form};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent, happened};
use actix_multipart::Multipart;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use uuid::Uuid;
use velvet_dial_core::case::Phase;
use velvet_dial_core::diagnosis::COLD_C;
use velvet_dial_core::field;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::record::NoteSort;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::first_upper;
use velvet_dial_store::jobs::{self, Body, EngineNote, Entry, Job, Note};
use velvet_dial_store::zone::Zone;

/// Letters of a note.
const MOST_WORDS: usize = 600;

/// A note in a list.
pub struct NoteRow {
    pub entry: String,
    pub sort: String,
    pub words: String,
    pub by: String,
    pub photo: Option<String>,
    pub in_report: bool,
    pub for_engine: bool,
    /// What it belongs to; empty where it belongs to the job.
    pub about: String,
}

/// What a note may belong to.
pub struct Subject {
    pub entry: String,
    pub label: String,
    pub chosen: bool,
}

/// What is chosen among.
const SUBJECTS: usize = 40;

/// A reading, a finding or a step by its place, without what was found; none for an entry that a note cannot belong to.
fn place(body: &Body) -> Option<String> {
    Some(match body {
        Body::Reading(taken) => {
            let (r, after) = (&taken.reading, if body.phase() == Phase::After { " after the repair" } else { "" });
            format!("{} reading at {:.0} rpm{after}", if r.oil_temp_c < COLD_C { "cold" } else { "hot" }, r.rpm)
        }
        Body::Evidence { check, .. } => knowledge().check(check)?.ask.clone(),
        Body::Done { step, .. } => step.trim_end_matches('.').to_owned(),
        Body::Repair(repair) => format!("repair: {}", repair.done.trim_end_matches('.')),
        _ => return None,
    })
}

/// What a note belongs to, in words; none where that was withdrawn.
pub fn about(job: &Job, note: &Note) -> Option<String> {
    job.latest(note.about?).and_then(|entry| place(&entry.body))
}

/// What a note can belong to, the last one first.
pub fn subjects(job: &Job, chosen: Option<&str>) -> Vec<Subject> {
    let chosen = chosen.and_then(|id| Uuid::parse_str(id).ok()).and_then(|id| job.latest(id)).map(|entry| entry.id);
    let one = |entry: &Entry| {
        let label = first_upper(&place(&entry.body)?);
        Some(Subject { entry: entry.id.to_string(), label, chosen: chosen == Some(entry.id) })
    };
    let mut all: Vec<Subject> = job.live().filter_map(one).collect();
    all.reverse();
    all.into_iter().enumerate().filter(|(place, subject)| *place < SUBJECTS || subject.chosen).map(|(_, subject)| subject).collect()
}

/// Photos of an entry: those of the notes that belong to it.
pub fn photos(job: &Job, entry: Uuid) -> Vec<String> {
    let of_it = |note: &Note| note.about.and_then(|about| job.latest(about)).is_some_and(|latest| latest.id == entry);
    let one = |body: &Body| match body {
        Body::Note(note) if of_it(note) => note.photo.map(|photo| photo.to_string()),
        _ => None,
    };
    job.live().filter_map(|entry| one(&entry.body)).collect()
}

/// The notes of a job, the last one first.
pub fn rows(job: &Job) -> Vec<NoteRow> {
    let mut rows: Vec<NoteRow> = job
        .live()
        .filter_map(|entry| match &entry.body {
            Body::Note(note) => Some(NoteRow {
                entry: entry.id.to_string(),
                sort: first_upper(note.sort.label()),
                words: note.words.clone(),
                by: format!("{}, {}", entry.author_name, happened::when(entry, &job.zone)),
                photo: note.photo.map(|photo| photo.to_string()),
                in_report: note.in_report,
                for_engine: note.for_engine,
                about: about(job, note).unwrap_or_default(),
            }),
            _ => None,
        })
        .collect();
    rows.reverse();
    rows
}

/// A note that other jobs left with this engine.
pub struct KeptNote {
    pub sort: String,
    pub words: String,
    pub by: String,
    /// Where its photo stands.
    pub photo: Option<String>,
}

/// Notes that are kept with the engine, those of this job left out.
pub fn kept(notes: &[EngineNote], number: i64, zone: &Zone) -> Vec<KeptNote> {
    let one = |kept: &EngineNote| KeptNote {
        sort: first_upper(kept.note.sort.label()),
        words: kept.note.words.clone(),
        by: format!("job {}, {}, {}", kept.job, kept.by, crate::ui::show::day(kept.at, zone)),
        photo: kept.note.photo.map(|photo| format!("/jobs/{}/photos/{photo}", kept.job)),
    };
    notes.iter().filter(|kept| kept.job != number).map(one).collect()
}

/// What the list of sorts offers.
pub fn sorts() -> &'static [(NoteSort, &'static str, &'static str)] {
    NoteSort::ALL
}

/// Keeps a note.
async fn add(context: JobContext, sent: Multipart) -> Result<HttpResponse, Failure> {
    let Received { fields, photo, without } = received(&context.app, sent).await?;
    let text = |name: &str| fields.get(name).map_or("", String::as_str);
    let stage = Stage::parse(text("stage")).unwrap_or(Stage::Look);
    let refused = |name: &str, sentence: String| {
        let mut form_state = FormState::of("note");
        for kept in ["words", "sort", "about", "in_report", "for_engine"] {
            form_state.keep(kept, text(kept));
        }
        form_state.wrong(name, sentence);
        ScreenRequest { seen: Sent::of(&fields).seen(), form_state, ..ScreenRequest::default() }
    };
    let words = match field::text("Note", text("words").trim(), MOST_WORDS) {
        Ok(words) => words,
        Err(error) => return context.answer(stage, refused("words", error.to_string()), StatusCode::UNPROCESSABLE_ENTITY).await,
    };
    if words.is_empty() && without {
        let nothing = "A note needs words or a photo: nothing was saved.".to_owned();
        return context.answer(stage, refused("words", nothing), StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let photo = match photo {
        _ if without => None,
        Ok(photo) => Some(jobs::add_photo(&context.app.db, &context.viewer, context.number, &photo).await?),
        Err(error) => return context.answer(stage, refused("photo", error.to_string()), StatusCode::UNPROCESSABLE_ENTITY).await,
    };
    let sort = NoteSort::ALL.iter().find(|(_, id, _)| *id == text("sort")).map_or(NoteSort::Other, |(sort, ..)| *sort);
    let ticked = |name: &str| !text(name).is_empty();
    let job = context.job().await?;
    let about = Uuid::parse_str(text("about")).ok().filter(|id| job.latest(*id).is_some_and(|entry| place(&entry.body).is_some()));
    let (in_report, for_engine) = (ticked("in_report"), ticked("for_engine"));
    let note = Note { sort, words, photo, stage: stage.id().to_owned(), in_report, for_engine, about };
    let again = ["sort", "words", "about", "in_report", "for_engine"].map(|name| (name.to_owned(), text(name).to_owned())).to_vec();
    context.write(stage, Sent::of(&fields), Body::Note(note), "notes", again).await
}

/// Takes a note into the report or out of it, keeps it with the engine or with this job alone: one tap.
async fn flip(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Look);
    let job = context.job().await?;
    let wanted = sent.supersedes()?;
    // Sent once more it is the same tap again: the note it stood on is superseded by then, by itself.
    let note = job.entries.iter().find(|entry| Some(entry.id) == wanted).and_then(|entry| match &entry.body {
        Body::Note(note) => Some(note.clone()),
        _ => None,
    });
    let Some(mut note) = note else {
        return context.answer(stage, ScreenRequest { seen: sent.seen(), ..ScreenRequest::default() }, StatusCode::CONFLICT).await;
    };
    let what = form.get("flip").map_or("", String::as_str).to_owned();
    match what.as_str() {
        "engine" => note.for_engine = !note.for_engine,
        _ => note.in_report = !note.in_report,
    }
    context.write(stage, sent, Body::Note(note), "notes/flip", vec![("flip".to_owned(), what)]).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/notes", post().to(add)).route("/jobs/{number}/notes/flip", post().to(flip));
}
