//! The record of a job: what its closing stood on, or what it would stand on now.
use super::Desk;
use super::assess::{Assessed, assess};
use super::lines;
use crate::http::Failure;
use uuid::Uuid;
use velvet_dial_core::case::{Case, Diagnosis};
use velvet_dial_core::record::{self, Ledger, Papers, Record, Recording, RepairSaid, SealError, Taken};
use velvet_dial_core::trace::Tracer;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::Units;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::jobs::{self, Body, File, Job};
use velvet_dial_store::rigs::{self, Recorded};
use velvet_dial_store::{Connection, StoreError, Viewer};

/// The record of a job that somebody asks for.
pub async fn of(desk: &Desk, job: Job) -> Result<Record, Failure> {
    if let Some(kept) = &job.record {
        return Ok(kept.clone());
    }
    let shop = accounts::shop(&desk.app.db, &desk.viewer).await?;
    let runs = recordings(&desk.app.db, &desk.viewer, &job).await?;
    let Assessed { job, case, now, tracer, .. } = assess(desk.app.clone(), job, None).await?;
    // The curves of the record are solved, which is work for the pool too.
    Ok(desk.app.work.out(move || record(&shop, &job, runs, (&case, &now, &tracer))).await?)
}

/// The record with its seal, a kept one with its own; and why there is none where the ledger was changed.
pub async fn sealed(desk: &Desk, mut record: Record) -> Result<(Record, Option<SealError>), Failure> {
    if record.seal.is_some() {
        return Ok((record, None));
    }
    let (job, entries) = jobs::chain(&desk.app.db, &desk.viewer, desk.number).await?;
    let broken = record::seal(&mut record, &job.to_string(), entries).err();
    if let Some(error) = &broken {
        tracing::error!(job = desk.number, %error, "a ledger is not what it was");
    }
    Ok((record, broken))
}

/// The record of a job as it was diagnosed.
pub fn record(shop: &Shop, job: &Job, runs: Vec<Recording>, (case, now, tracer): (&Case, &Diagnosis, &Tracer)) -> Record {
    record::record(case, now, tracer, ledger(shop, job, runs))
}

/// The files that were brought in, and the rigs' runs that a reading was taken from.
pub async fn recordings(db: &Connection, viewer: &Viewer, job: &Job) -> Result<Vec<Recording>, StoreError> {
    let number = job.head.number;
    let (files, runs) = tokio::try_join!(jobs::captures(db, viewer, number), rigs::runs(db, viewer, number))?;
    let read_from =
        |id: Uuid| job.live().any(|entry| matches!(&entry.body, Body::Reading(taken) if taken.capture.is_some_and(|(run, ..)| run == id)));
    let of_file = |file: File| Recording { id: file.id.to_string(), name: file.name, digest: file.digest, also_in: file.also_in };
    let of_rig = |run: Recorded| Recording {
        id: run.id.to_string(),
        name: format!("the rig “{}”", run.rig),
        digest: String::new(),
        also_in: Vec::new(),
    };
    Ok(files.into_iter().map(of_file).chain(runs.into_iter().filter(|run| read_from(run.id)).map(of_rig)).collect())
}

fn ledger(shop: &Shop, job: &Job, recordings: Vec<Recording>) -> Ledger {
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
        repaired: job.repair().map(|repair| repair.cause.as_ref().and_then(|id| knowledge().cause(id))),
        recordings,
        log: log(job),
    }
}

fn repairs(job: &Job) -> Vec<RepairSaid> {
    let know = knowledge();
    let of = |entry: &jobs::Entry| {
        let Body::Repair(repair) = &entry.body else { return None };
        let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|index| know.causes.get(index));
        Some(RepairSaid {
            cause: cause.map_or("Not a cause of the list", |cause| cause.name.as_str()).to_owned(),
            done: repair.done.clone(),
            follow_up: repair.follow_up.clone(),
            who: entry.author_name.clone(),
            at: entry.happened_at.and_utc(),
        })
    };
    job.live().filter_map(of).collect()
}

/// Every entry but withdrawals, which stand beside what they withdrew. The pressure of a reading is kept as a number, and shown in any unit.
fn log(job: &Job) -> Vec<record::Line> {
    let lines = lines::lines(job, Units::default()).into_iter().rev();
    let entries = job.entries.iter().filter(|entry| !matches!(entry.body, Body::Withdrawn { .. }));
    lines
        .zip(entries)
        .map(|(line, entry)| {
            let reading = if let Body::Reading(taken) = &entry.body { Some(&taken.reading) } else { None };
            record::Line {
                what: reading.map_or(line.what, |reading| {
                    format!("at {:.0} rpm, {:.0} °C, {}", reading.rpm, reading.oil_temp_c, reading.gear.label())
                }),
                kpa: reading.map(|reading| reading.kpa),
                figures: matches!(entry.body, Body::Reading(_) | Body::Rig(_)),
                who: line.who,
                at: entry.happened_at.and_utc(),
                written_at: Some(entry.written_at.and_utc()).filter(|at| *at != entry.happened_at.and_utc()),
                struck: line.struck,
                reason: line.reason,
                photo: if let Body::Photo(shown) = &entry.body { Some(shown.photo.to_string()) } else { None },
            }
        })
        .collect()
}
