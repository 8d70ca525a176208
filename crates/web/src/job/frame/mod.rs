//! What stands round every screen of a job: the pipe with its stations, the suspects, the flag, what is next, what others wrote meanwhile.
mod stations;
mod suspects;
mod waiting;

pub use stations::Station;
pub use suspects::{Suspects, grouped, known, moved, raised};
pub use waiting::{WaitingCard, settle};

use super::assess::Assessed;
use super::bench::{self, Bench};
use super::cards;
use super::lines::{self, Line};
use super::live::stopped::{self, Banner};
use super::next_step::{self, NextCard};
use super::notes::{self, NoteRow, Subject};
use super::overrule;
use super::withdraw;
use crate::http::FormState;
use crate::http::form::{FieldView, Sent};
use crate::ui::words::{self, Flag, describe};
use crate::ui::{DisplayPreferences, show};
use chrono::Utc;
use uuid::Uuid;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::rights::Right;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::Viewer;
use velvet_dial_store::jobs::{Entry, ForemanRequest};

/// Everything round a screen.
pub struct PageFrame {
    pub number: i64,
    pub tag: String,
    pub description: String,
    pub engine: String,
    pub complaint: String,
    pub stage: Stage,
    pub stations: Vec<Station>,
    pub flag: Flag,
    /// The stop that the live gauge called and nobody has answered.
    pub stop_call: Option<Banner>,
    pub unit: Units,
    /// Key of every form of this answer: sent twice, it is written once.
    pub key: Uuid,
    /// Last entry this answer knows of.
    pub seen: i32,
    pub suspects: Suspects,
    pub next: Option<NextCard>,
    /// Steps after the next one.
    pub then: Vec<Then>,
    pub settled: Option<Settled>,
    /// What others wrote since the writer last looked.
    pub news: Vec<Line>,
    pub clash: Option<Clash>,
    /// What waits for a foreman.
    pub waiting: Vec<WaitingCard>,
    /// What the asker has just written, and may take back by one tap.
    pub undo: Option<Undo>,
    pub form_state: FormState,
    /// Notes of the job, the last one first.
    pub notes: Vec<NoteRow>,
    /// What a new note can belong to.
    pub subjects: Vec<Subject>,
    /// The form for a note is open.
    pub noting: bool,
    pub closed: bool,
    /// The viewer writes to the job, and does not look alone.
    pub may_work: bool,
    /// The viewer may see prices.
    pub sees_money: bool,
    /// The form that overrules the stop for one test, where there is one to overrule.
    pub overrule: Option<Vec<FieldView>>,
    /// The point of the run that was chosen.
    pub point: Option<String>,
    /// The practice bench, where the job is a scene of it.
    pub bench: Option<Bench>,
    /// Suspects and proposals are covered.
    pub covered: bool,
}

impl PageFrame {
    /// A form of this name was not taken.
    pub fn refused(&self, form: &str) -> bool {
        self.form_state.form == form && !self.form_state.is_clean()
    }

    /// What a check showed can be entered: on the practice bench once it was done.
    pub fn may_answer(&self, check: &str) -> bool {
        self.bench.as_ref().is_none_or(|bench| bench.sensed(check).is_some())
    }
}

/// A step after the next one.
pub struct Then {
    pub ask: String,
    pub minutes: String,
}

/// What has just been written.
pub struct Undo {
    pub entry: String,
    pub what: String,
    /// Seconds for which it can still be undone.
    pub left_s: i64,
}

/// The cause to act on.
pub struct Settled {
    /// Why now.
    pub why: &'static str,
    pub name: String,
    pub percent: String,
    pub put_right: String,
}

/// Somebody else was quicker at the same thing.
pub struct Clash {
    pub who: String,
    pub when: String,
    /// What stands.
    pub stands: String,
    /// What was sent now.
    pub sent: String,
    /// Address and fields that would put what was sent in its place.
    pub action: String,
    pub fields: Vec<(String, String)>,
}

/// What the asker brought along.
#[derive(Default)]
pub struct ScreenRequest {
    /// Last entry the asker's page knew of; none on a first look.
    pub seen: Option<i32>,
    pub form_state: FormState,
    pub clash: Option<Clash>,
    /// What the address asks: a point of the run, a check instead of the one that is proposed, a what-if.
    pub query: Sent,
    /// What waits for a foreman on this job.
    pub waiting: Vec<ForemanRequest>,
}

/// Lays it out.
pub fn frame(assessed: &Assessed, stage: Stage, preferences: DisplayPreferences, viewer: &Viewer, ask: ScreenRequest) -> PageFrame {
    let job = &assessed.job;
    let unit = preferences.unit;
    let news = ask.seen.map_or(Vec::new(), |seen| {
        let others: Vec<&Entry> = job.entries.iter().filter(|e| e.seq > seen && e.author != viewer.user).collect();
        others.into_iter().map(|entry| lines::line(job, entry, unit)).collect()
    });
    let covered = bench::is_covered(job);
    let next = if covered { None } else { next_step::next_step(assessed, unit) };
    let (near, _) = cards::one_reading_at_a_time(next_step::proposed(assessed));
    let then = near
        .into_iter()
        .skip(1)
        .take(if covered { 0 } else { 3 })
        .map(|proposal| Then { ask: cards::name(assessed, &proposal.step), minutes: show::minutes(proposal.minutes) })
        .collect();
    let now = Utc::now().naive_utc();
    let act = |index: Option<usize>, why: &'static str| {
        let cause = knowledge().causes.get(index?)?;
        let percent = show::percent(assessed.now.posterior.of(index?));
        Some(Settled { why, name: cause.name.clone(), percent, put_right: cause.put_right.clone() })
    };
    let repaired = job.repair().is_some() || covered;
    let settled = act(assessed.now.settled.filter(|_| !repaired), "Good enough to act")
        .or_else(|| act(assessed.now.mend_now.filter(|_| !repaired), "Seen at fault: repair it first, then read again"));
    let about = ask.query.get("about").map(String::as_str).filter(|about| !about.is_empty());
    let noting = ask.form_state.form == "note" || about.is_some();
    let overrule = overrule::fields(stage, assessed, viewer, &ask.form_state, unit);
    let subjects = notes::subjects(job, about.or_else(|| Some(ask.form_state.typed("note", "about"))));
    PageFrame {
        number: job.head.number,
        tag: job.head.vehicle.tag.clone(),
        description: job.head.vehicle.description.clone(),
        engine: job.engine.name.clone(),
        complaint: job.head.complaint.clone(),
        stage,
        stations: stations::stations(assessed, stage, unit),
        flag: words::flag(&assessed.now.flag, &job.zone),
        stop_call: stopped::banner(job, unit),
        unit,
        key: Uuid::new_v4(),
        seen: job.seq(),
        suspects: suspects::suspects(assessed),
        next,
        then,
        settled,
        news,
        clash: ask.clash,
        waiting: ask.waiting.iter().map(|request| waiting::card(request, viewer, job, unit)).collect(),
        undo: withdraw::fresh(job, viewer.user, now).map(|entry| Undo {
            entry: entry.id.to_string(),
            what: describe(&entry.body, unit),
            left_s: withdraw::left_s(entry, now),
        }),
        form_state: ask.form_state,
        notes: notes::rows(job),
        subjects,
        noting,
        closed: job.closed(),
        may_work: viewer.role.may_do(Right::Work),
        sees_money: viewer.role.may_do(Right::SeeMoney),
        overrule,
        bench: bench::bench(job, unit),
        covered,
        point: ask.query.get("point").filter(|point| !point.is_empty()).cloned(),
    }
}
