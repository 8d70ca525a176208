//! The repair of a cause as steps in the order of the hand, each with what it minds there, ticked with who and when.
use crate::http::{Failure, form};
use crate::job::notes;
use crate::job::{JobContext, ScreenData, Sent};
use crate::ui::show;
use crate::ui::words::sheet_name;
use actix_web::{HttpResponse, web};
use std::collections::BTreeMap;
use velvet_dial_core::knowledge::{Access, Cause, knowledge};
use velvet_dial_core::methods::{Method, Way, methods, methods_of};
use velvet_dial_core::opened::{Choice, Hand, looks_after, opening_said, repair_of};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{Body, Job};

/// The repair at hand.
pub struct Steps {
    pub cause: &'static str,
    pub name: &'static str,
    /// The causes that may be put right here, likeliest first.
    pub causes: Vec<(&'static str, String, bool)>,
    pub hand: &'static [String],
    pub steps: Vec<StepRow>,
    pub choice: Option<&'static Choice>,
    pub stopgap: &'static str,
    pub after: Vec<&'static str>,
    /// Where mechanics differ on this repair.
    pub questions: Vec<SchoolQuestion>,
    /// Torques as the sheet in force says them, and that sheet; none where nobody entered any.
    pub torques: Option<(String, Vec<String>)>,
    /// What was replaced for this complaint and was not it.
    pub vain: Vec<&'static str>,
    /// The steps that are ticked, in a line: what was done.
    pub done: String,
    /// Steps ticked, of all.
    pub ticked: usize,
}

/// A step.
pub struct StepRow {
    pub act: &'static str,
    pub mind: &'static str,
    /// Who ticked it, and when.
    pub by: Option<(String, String)>,
    /// Photos of it.
    pub photos: Vec<String>,
}

/// Causes among which one chooses.
const CHOSEN_AMONG: usize = 8;

/// The cause of which a step was ticked last.
pub fn begun(job: &Job) -> Option<&str> {
    let of_a_cause = |cause: &&str| knowledge().cause(cause).is_some();
    job.live()
        .filter_map(|entry| if let Body::Done { cause, .. } = &entry.body { Some(cause.as_str()) } else { None })
        .filter(of_a_cause)
        .last()
}

/// Steps with who ticked each, and when.
pub fn rows(job: &Job, word: &str, steps: impl Iterator<Item = &'static Hand>) -> Vec<StepRow> {
    let ticked =
        |step: &str| job.live().find(|entry| matches!(&entry.body, Body::Done { cause: of, step: done } if of == word && done == step));
    let row = |step: &'static Hand| {
        let done = ticked(&step.act);
        let by = done.map(|entry| (entry.id.to_string(), format!("{}, {}", entry.author_name, show::moment(entry.written_at, &job.zone))));
        StepRow { act: &step.act, mind: &step.mind, by, photos: done.map_or_else(Vec::new, |entry| notes::photos(job, entry.id)) }
    };
    steps.map(row).collect()
}

/// The word that the steps of an opening are ticked under, in the place of a cause.
pub fn opened_word(access: Access) -> String {
    format!("open {}", access.id())
}

/// A step of this opening.
pub fn of_an_opening(word: &str, step: &str) -> bool {
    let accesses = [Access::Cover, Access::Sump, Access::EngineOut];
    let access = accesses.into_iter().find(|access| opened_word(*access) == word);
    access.and_then(opening_said).is_some_and(|said| said.steps.iter().any(|known| known.act == step))
}

/// A question on which mechanics differ, with the way this shop goes.
pub struct SchoolQuestion {
    pub id: &'static str,
    pub ask: &'static str,
    pub ours: Option<&'static str>,
    pub ways: Vec<&'static Way>,
}

fn question(method: &'static Method, ways: &BTreeMap<String, String>) -> SchoolQuestion {
    let ours = ways.get(&method.id).and_then(|way| method.way(way));
    let mut sorted: Vec<&Way> = method.ways.iter().collect();
    sorted.sort_by_key(|way| ours.is_none_or(|ours| ours.id != way.id));
    SchoolQuestion { id: &method.id, ask: &method.ask, ours: ours.map(|way| way.label.as_str()), ways: sorted }
}

/// The questions of a stage.
pub fn questions_at(stage: Stage, ways: &BTreeMap<String, String>) -> Vec<SchoolQuestion> {
    methods().iter().filter(|method| method.is_at(stage)).map(|method| question(method, ways)).collect()
}

/// Lays it out, for the cause that the address names, that is ticked already, or that leads.
pub fn steps(data: &ScreenData) -> Option<Steps> {
    let (assessed, know) = (data.assessed, knowledge());
    let to_choose = assessed.to_choose();
    let asked = data.query.get("cause").map(String::as_str).or_else(|| begun(&assessed.job));
    let at_hand = asked.and_then(|id| to_choose.iter().find(|(cause, _)| cause.id == id)).or_else(|| to_choose.first())?;
    let (at_hand, _) = at_hand;
    let repair = repair_of(&at_hand.id)?;
    let rows = rows(&assessed.job, &at_hand.id, repair.steps_on(&assessed.case.engine).into_iter());
    let done: Vec<&str> = rows.iter().filter(|row| row.by.is_some()).map(|row| row.act).collect();
    let chosen = |(cause, label): &(&'static Cause, String)| (cause.id.as_str(), label.clone(), cause.id == at_hand.id);
    let among = if data.frame.covered { to_choose.len() } else { CHOSEN_AMONG };
    let mut causes: Vec<_> = to_choose.iter().take(among).map(chosen).collect();
    if causes.iter().all(|(.., here)| !here) {
        causes.extend(to_choose.iter().find(|(cause, _)| cause.id == at_hand.id).map(chosen));
    }
    Some(Steps {
        cause: &at_hand.id,
        name: &at_hand.name,
        causes,
        hand: &repair.hand,
        choice: repair.choice.as_ref(),
        stopgap: &repair.stopgap,
        after: looks_after(repair).collect(),
        questions: methods_of(&at_hand.id).map(|method| question(method, &data.shop_context.shop.ways)).collect(),
        torques: assessed.job.sheet().filter(|sheet| !sheet.torques.is_empty()).map(|sheet| (sheet_name(sheet), sheet.torques.clone())),
        vain: assessed
            .case
            .circumstances
            .iter()
            .filter_map(|told| know.circumstance(told).filter(|known| known.part.is_some()).map(|known| known.label.as_str()))
            .collect(),
        done: done.join("; "),
        ticked: done.len(),
        steps: rows,
    })
}

/// Ticks a step.
pub async fn tick(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let said = |name: &str| form.get(name).map_or("", String::as_str);
    let (cause, step) = (said("cause").to_owned(), said("step").to_owned());
    let fields = vec![("cause".to_owned(), cause.clone()), ("step".to_owned(), step.clone())];
    if of_an_opening(&cause, &step) {
        return context.write(Stage::OpenUp, Sent::of(&form), Body::Done { cause, step }, "done", fields).await;
    }
    if !repair_of(&cause).is_some_and(|repair| repair.has(&step)) {
        return Err(Failure::Form("this step does not belong to this repair".to_owned()));
    }
    context.write(Stage::PutRight, Sent::of(&form), Body::Done { cause, step }, "done", fields).await
}
