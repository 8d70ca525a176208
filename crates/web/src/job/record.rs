//! The record of a job: what its closing stood on, or what it would stand on now.
use super::JobContext;
use super::assess::{Assessed, assess};
use super::lines;
use super::withdraw::UNDONE;
use crate::http::Failure;
use crate::state::{KeyFileError, Keys};
use chrono::{DateTime, Utc};
use velvet_dial_core::case::Case;
use velvet_dial_core::diagnosis::Diagnosis;
use velvet_dial_core::experience::Known;
use velvet_dial_core::hex::hex;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::record::{self, Ledger, Papers, Record, Recording, RepairSaid, Taken};
use velvet_dial_core::signing;
use velvet_dial_core::signing::{Depth, SealError};
use velvet_dial_core::trace::Tracer;
use velvet_dial_core::unit::Units;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::jobs::{self, Body, File, Job};
use velvet_dial_store::rigs::{self, Recorded};
use velvet_dial_store::{Connection, StoreError, Viewer, seals};

/// The record of a job that somebody asks for. `known` is how the cause is known, where it is being closed.
pub async fn of(context: &JobContext, job: Job, known: Option<Known>) -> Result<Record, Failure> {
    if let Some(kept) = &job.record {
        return Ok(kept.clone());
    }
    let shop = accounts::shop(&context.app.db, &context.viewer).await?;
    let runs = recordings(&context.app.db, &context.viewer, &job).await?;
    let Assessed { job, case, now, tracer, .. } = assess(context.app.clone(), job, None).await?;
    // The curves of the record are solved, which is work for the pool too.
    Ok(context.app.work.out(move || record(&shop, &job, runs, (&case, &now, &tracer), known)).await?)
}

/// The record of an open job with the hashes of its ledger, and why it has none where the ledger was changed. Nobody has signed it.
pub async fn draft(db: &Connection, viewer: &Viewer, mut record: Record) -> Result<(Record, Option<String>), StoreError> {
    let number = record.papers.number;
    let (job, entries) = jobs::chain(db, viewer, number).await?;
    let mut broken = signing::seal(&mut record, &job.to_string(), entries.clone()).err().map(|error| error.to_string());
    if broken.is_none() && !seals::holds(db, job, &entries).await? {
        record.seal = None;
        broken = Some("Its job history is not the one that was sealed: entries were changed or removed.".to_owned());
    }
    if broken.is_none()
        && let Some(seq) = jobs::changed_words(db, viewer, number).await?
    {
        record.seal = None;
        broken = Some(format!("What entry {seq} says of the customer is not what was written."));
    }
    if let Some(why) = &broken {
        tracing::error!(job = number, %why, "the job history was changed");
    }
    Ok((record, broken))
}

/// The record that a closing keeps, signed once by the shop's key. One whose ledger was changed is kept without hashes and signature.
pub async fn closing(
    db: &Connection,
    viewer: &Viewer,
    keys: Option<&Keys>,
    mut record: Record,
    at: DateTime<Utc>,
) -> Result<Record, ClosingError> {
    record.papers.closed_at = Some(at);
    record.papers.code = code()?;
    record.take_out_personal(hex(&random()?));
    let (mut record, _) = draft(db, viewer, record).await?;
    if let Some(keys) = keys {
        signing::sign(&mut record, &keys.of_shop(viewer.shop)?);
    }
    Ok(record)
}

/// Why a job could not be closed.
#[derive(Debug, thiserror::Error)]
pub enum ClosingError {
    /// The shop's key.
    #[error("the key that signs reports: {0}")]
    Key(#[from] KeyFileError),
    /// The system gives no random bytes.
    #[error("no random bytes could be had ({0})")]
    Random(getrandom::Error),
    /// The store.
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<ClosingError> for Failure {
    fn from(error: ClosingError) -> Self {
        match error {
            ClosingError::Store(error) => Self::Store(error),
            other => Self::NotSigned(other.to_string()),
        }
    }
}

/// Letters and digits that nobody takes for one another.
const LETTERS: &[u8; 32] = b"ABCDEFGHJKMNPQRSTUVWXYZ123456789";

fn random() -> Result<[u8; 16], ClosingError> {
    let mut bytes = [0; 16];
    getrandom::fill(&mut bytes).map_err(ClosingError::Random)?;
    Ok(bytes)
}

/// A code that nobody guesses, in four groups of four.
fn code() -> Result<String, ClosingError> {
    let letters: Vec<char> =
        random()?.iter().filter_map(|byte| LETTERS.get(usize::from(byte % 32))).map(|letter| char::from(*letter)).collect();
    Ok(letters.chunks(4).map(String::from_iter).collect::<Vec<_>>().join("-"))
}

/// A closed job's record as it is kept, checked before anybody sees it.
pub struct Kept {
    pub record: Record,
    /// Its text, byte by byte as it was signed.
    pub text: String,
    /// Why it is not what was signed; none where it is.
    pub broken: Option<String>,
    /// It is signed: older ones are not.
    pub signed: bool,
}

/// The record that a closing kept; none of an open job, and of one that was closed before records were kept.
pub async fn kept(context: &JobContext, job: &Job) -> Result<Option<Kept>, Failure> {
    let Some(record) = job.record.clone() else { return Ok(None) };
    let Some(text) = jobs::kept_record(&context.app.db, job).await? else { return Ok(None) };
    let checked = signing::verified(text.as_bytes(), Depth::Seal);
    let by = checked.as_ref().ok().and_then(|(_, verified)| verified.signed_by.clone());
    let broken = match (&checked, &by) {
        // Records of before there were hashes have none, and nobody signed them.
        (Err(SealError::None), _) if record.format == record::FIRST_FORMAT => None,
        (Err(error), _) => Some(error.to_string()),
        (Ok(_), None) if record.format != record::FIRST_FORMAT && context.app.serving.keys.is_some() => {
            Some("Nobody signed it.".to_owned())
        }
        (Ok(_), Some(key)) if context.app.serving.keys.as_ref().is_some_and(|keys| !keys.is_of_shop(context.viewer.shop, key)) => {
            Some("It is signed by a key that is not this shop's.".to_owned())
        }
        (Ok((_, verified)), _) if verified.customer_removed && !job.customer_removed() => Some(SealError::CustomerGone.to_string()),
        _ => None,
    };
    if let Some(why) = &broken {
        tracing::error!(job = context.number, %why, "the kept record of a job is not what was signed");
    }
    Ok(Some(Kept { record, text, broken, signed: by.is_some() }))
}

/// The record of a job as it was diagnosed.
pub fn record(
    shop: &Shop,
    job: &Job,
    runs: Vec<Recording>,
    (case, now, tracer): (&Case, &Diagnosis, &Tracer),
    known: Option<Known>,
) -> Record {
    record::record(case, now, tracer, ledger(shop, job, runs, known))
}

/// The files that were brought in, and the rigs' runs that a reading was taken from.
pub async fn recordings(db: &Connection, viewer: &Viewer, job: &Job) -> Result<Vec<Recording>, StoreError> {
    let number = job.head.number;
    let (files, runs) = tokio::try_join!(jobs::captures(db, viewer, number), rigs::runs(db, viewer, number))?;
    let counts = |file: &File| job.upload_withdrawn(file.id).is_none();
    let of_file = |file: File| Recording { id: file.id.to_string(), name: file.name, digest: file.digest, also_in: file.also_in };
    let of_rig = |run: Recorded| Recording {
        id: run.id.to_string(),
        name: format!("the data logger “{}”", run.rig),
        digest: String::new(),
        also_in: Vec::new(),
    };
    Ok(files.into_iter().filter(counts).map(of_file).chain(runs.into_iter().filter(|run| job.reads_from(run.id)).map(of_rig)).collect())
}

fn ledger(shop: &Shop, job: &Job, recordings: Vec<Recording>, known: Option<Known>) -> Ledger {
    let said = job.particulars();
    let customer: Vec<&str> = [said.customer.as_str(), said.reach.as_str()].into_iter().filter(|part| !part.is_empty()).collect();
    let papers = Papers {
        shop: shop.name.clone(),
        zone: shop.zone.name().to_owned(),
        number: job.head.number,
        opened_at: job.head.opened_at.and_utc(),
        closed_at: job.head.closed_at.map(|at| at.and_utc()),
        tag: job.head.vehicle.tag.clone(),
        description: job.head.vehicle.description.clone(),
        engine: job.engine.name.clone(),
        complaint: job.head.complaint.clone(),
        customer: customer.join(", "),
        odometer_km: said.odometer_km,
        on_it: said.on_it.map(|(_, name)| name).unwrap_or_default(),
        came_back_of: job.back_after(),
        recheck_at: job.promise().and_then(|(promise, _)| promise.recheck_at),
        code: String::new(),
    };
    let taken = job.reading_entries().map(|entry| {
        let of_run =
            if let Body::Reading(taken) = &entry.body { taken.capture.map(|(run, from, to)| (run.to_string(), from, to)) } else { None };
        Taken { who: entry.author_name.clone(), at: entry.happened_at.and_utc(), of_run }
    });
    let in_force = job.sheet();
    Ledger {
        papers,
        other_sheets: job.engine.sheets.iter().filter(|sheet| Some(*sheet) != in_force).cloned().collect(),
        taken: taken.collect(),
        repairs: repairs(job),
        known,
        recordings,
        log: log(job),
    }
}

/// The repairs that count, and those that were withdrawn because they did not help: what was spent stays in the report.
fn repairs(job: &Job) -> Vec<RepairSaid> {
    let know = knowledge();
    let of = |entry: &jobs::Entry| {
        let Body::Repair(repair) = &entry.body else { return None };
        let in_vain = match job.heir(entry.id).map(|heir| &heir.body) {
            None => None,
            Some(Body::Withdrawn { reason }) if reason != UNDONE => Some(reason.clone()),
            // Reworded, or undone at once.
            Some(_) => return None,
        };
        let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|index| know.causes.get(index));
        Some(RepairSaid {
            cause: cause.map_or("Not a cause of the list", |cause| cause.name.as_str()).to_owned(),
            id: repair.cause.clone(),
            stopgap: repair.stopgap,
            in_vain,
            done: repair.done.clone(),
            follow_up: repair.follow_up.clone(),
            who: entry.author_name.clone(),
            at: entry.happened_at.and_utc(),
        })
    };
    job.entries.iter().filter_map(of).collect()
}

/// The readable history of a job as it was when `seq` was its last entry.
pub fn log_until(job: &Job, seq: i32) -> Vec<record::Line> {
    log(&job.until(seq))
}

/// What the report says of a note that is not in it.
const STAYS: &str = "A note that stays in the shop";

/// Every entry but withdrawals, which stand beside what they withdrew. The pressure of a reading is kept as a number, and shown in any unit.
fn log(job: &Job) -> Vec<record::Line> {
    let lines = lines::lines(job, Units::default()).into_iter().rev();
    let entries = job.entries.iter().filter(|entry| !matches!(entry.body, Body::Withdrawn { .. }));
    lines
        .zip(entries)
        .map(|(line, entry)| {
            // What stays in the shop is an entry all the same, without its words.
            let note = if let Body::Note(note) = &entry.body { Some(note) } else { None };
            let reading = if let Body::Reading(taken) = &entry.body { Some(&taken.reading) } else { None };
            let at_rest = if let Body::Rig(done) = &entry.body { done.zero_kpa } else { None };
            let what = match &entry.body {
                Body::Reading(_) => String::new(),
                Body::Rig(_) if at_rest.is_some() => "shown at rest".to_owned(),
                Body::Note(note) if !note.in_report => STAYS.to_owned(),
                _ => line.what,
            };
            record::Line {
                what,
                kpa: reading.map(|reading| reading.kpa).or(at_rest),
                place: reading.map(|reading| record::Place { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c, gear: reading.gear }),
                figures: false,
                who: line.who,
                at: entry.happened_at.and_utc(),
                written_at: Some(entry.written_at.and_utc()).filter(|at| *at != entry.happened_at.and_utc()),
                struck: line.struck,
                reason: line.reason,
                photo: match &entry.body {
                    Body::Photo(shown) => Some(shown.photo.to_string()),
                    Body::Note(note) => note.photo.filter(|_| note.in_report).map(|photo| photo.to_string()),
                    _ => None,
                },
                note: note.is_some_and(|note| note.in_report),
                personal: entry.body.is_personal(),
            }
        })
        .collect()
}
