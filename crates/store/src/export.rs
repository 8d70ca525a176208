//! Everything that a shop owns, as open files in one archive: jobs with their histories, reports, photos and runs; engines, gauges, adapters, people.
//!
//! It is made a piece at a time, so that a shop of any size leaves through little memory.
use crate::entity::photo;
use crate::jobs::{self, own_job};
use crate::{Connection, StoreError, Viewer, accounts, library, rigs};
use flate2::Compression;
use flate2::write::GzEncoder;
use sea_orm::{ColumnTrait, EntityTrait, QueryFilter, QuerySelect};
use serde::Serialize;
use std::collections::VecDeque;
use std::io::{self, Write};
use std::sync::{Arc, Mutex, PoisonError};
use tar::{Builder, EntryType, Header};
use uuid::Uuid;
use velvet_dial_core::capture;
use velvet_dial_core::library_import::{self, LibraryEngine};
use velvet_dial_rig::chunk;

/// What the archive says of itself.
const README: &str = "This is everything that your shop keeps in Velvet Dial, in open formats.

shop.json          what the shop says of itself
people.json        who is in the shop, and their roles; no passwords
engines.json       engines with every revision of their sheets that counts; the same format imports them
gauges.json        gauges with their calibration
adapters.json      adapters
patterns.json      known patterns of engine families
jobs/N/case.json   what holds of job N, in the format velvet-dial.case/1
jobs/N/history.jsonl   every entry of its history, the oldest first; one that took the place of another names it
jobs/N/chain.json  the same entries as they are hashed, to be checked
jobs/N/report.json the signed report, of a closed job
jobs/N/photos/     photos
jobs/N/runs/       recorded runs: files as they were brought in, and what data loggers recorded, as CSV
";

/// An archive that is being made.
pub struct Export<'a> {
    db: &'a Connection,
    viewer: &'a Viewer,
    /// None once it is done.
    tar: Option<Builder<GzEncoder<Made>>>,
    made: Made,
    jobs: VecDeque<i64>,
    begun: bool,
}

/// What was made and not fetched yet.
#[derive(Clone, Default)]
struct Made(Arc<Mutex<Vec<u8>>>);

impl Write for Made {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Made {
    fn fetch(&self) -> Vec<u8> {
        std::mem::take(&mut *self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

/// An entry as the history has it.
#[derive(Serialize)]
struct Line<'a> {
    seq: i32,
    kind: &'a str,
    says: &'a jobs::Body,
    by: &'a str,
    written_at: chrono::DateTime<chrono::Utc>,
    happened_at: chrono::DateTime<chrono::Utc>,
    /// The entry whose place it takes.
    #[serde(skip_serializing_if = "Option::is_none")]
    in_place_of: Option<i32>,
}

impl<'a> Export<'a> {
    /// Begins one of a viewer's shop.
    pub async fn begin(db: &'a Connection, viewer: &'a Viewer) -> Result<Self, StoreError> {
        let made = Made::default();
        let tar = Builder::new(GzEncoder::new(made.clone(), Compression::fast()));
        let jobs = jobs::numbers(db, viewer).await?.into();
        Ok(Self { db, viewer, tar: Some(tar), made, jobs, begun: false })
    }

    /// The next piece of the archive; none after the last.
    pub async fn next(&mut self) -> Result<Option<Vec<u8>>, StoreError> {
        if self.tar.is_none() {
            return Ok(None);
        }
        if !self.begun {
            self.begun = true;
            self.shop().await?;
        } else if let Some(number) = self.jobs.pop_front() {
            self.job(number).await?;
        } else if let Some(tar) = self.tar.take() {
            tar.into_inner().and_then(GzEncoder::finish).map_err(unwritten)?;
        }
        Ok(Some(self.made.fetch()))
    }

    async fn shop(&mut self) -> Result<(), StoreError> {
        let (db, viewer) = (self.db, self.viewer);
        self.add("README.txt", README.as_bytes())?;
        let shop = accounts::shop(db, viewer).await?;
        self.add_json(
            "shop.json",
            &serde_json::json!({
                "name": shop.name, "zone": shop.zone.name(), "opens_and_closes_minutes": shop.hours_min, "hour_of_work": shop.labour_rate,
                "money": shop.money, "saturdays": shop.saturdays, "learns": shop.learns, "ways": shop.ways,
            }),
        )?;
        let people: Vec<_> = accounts::colleagues(db, viewer)
            .await?
            .into_iter()
            .map(|person| {
                let (name, role) = (person.shown_name, person.role.id());
                serde_json::json!({ "name": name, "signs_in_as": person.sign_in, "role": role })
            })
            .collect();
        self.add_json("people.json", &people)?;
        let engines: Vec<LibraryEngine> = library::engines(db, viewer).await?.iter().map(library::Engine::in_file).collect();
        self.add("engines.json", library_import::to_json(&engines).as_bytes())?;
        let gauges: Vec<_> =
            library::gauges(db, viewer).await?.into_iter().map(|one| serde_json::json!({ "name": one.name, "gauge": one.gauge })).collect();
        self.add_json("gauges.json", &gauges)?;
        let adapters: Vec<_> = library::adapters(db, viewer)
            .await?
            .into_iter()
            .map(|one| serde_json::json!({ "name": one.name, "adapter": one.adapter }))
            .collect();
        self.add_json("adapters.json", &adapters)?;
        let patterns: Vec<_> = library::patterns(db, viewer)
            .await?
            .into_iter()
            .map(|one| serde_json::json!({ "family": one.family, "known": one.known, "by": one.by.0 }))
            .collect();
        self.add_json("patterns.json", &patterns)
    }

    async fn job(&mut self, number: i64) -> Result<(), StoreError> {
        let (db, viewer) = (self.db, self.viewer);
        let folder = format!("jobs/{number}");
        let job = jobs::load(db, viewer, number).await?;
        self.add_json(&format!("{folder}/case.json"), &job.case())?;
        let mut history = Vec::new();
        for entry in &job.entries {
            let in_place_of = entry.supersedes.and_then(|id| job.entries.iter().find(|one| one.id == id)).map(|one| one.seq);
            let (written_at, happened_at) = (entry.written_at.and_utc(), entry.happened_at.and_utc());
            let (kind, by) = (entry.body.kind(), entry.author_name.as_str());
            let line = Line { seq: entry.seq, kind, says: &entry.body, by, written_at, happened_at, in_place_of };
            history.extend(crate::json("history", &line)?.into_bytes());
            history.push(b'\n');
        }
        self.add(&format!("{folder}/history.jsonl"), &history)?;
        let (key, entries) = jobs::chain(db, viewer, number).await?;
        self.add_json(&format!("{folder}/chain.json"), &serde_json::json!({ "job": key, "entries": entries }))?;
        if let Some(record) = jobs::kept_record(db, &job).await? {
            self.add(&format!("{folder}/report.json"), record.as_bytes())?;
        }
        for id in self.photos(number).await? {
            let large = jobs::photo(db, viewer, number, id, true).await?;
            self.add(&format!("{folder}/photos/{id}.jpg"), &large)?;
        }
        for file in jobs::captures(db, viewer, number).await? {
            let bytes = jobs::capture_bytes(db, file.id).await?;
            self.add(&format!("{folder}/runs/{} {}", file.id, plain(&file.name)), &bytes)?;
        }
        for run in rigs::runs(db, viewer, number).await? {
            let clock = run.clock();
            let chunks = rigs::chunks(db, run.id, clock.zero_us(), u64::MAX >> 1).await?;
            let mut bytes = Vec::new();
            capture::write_csv(&chunk::run(&chunks, &run.channels, clock.zero_us()), &mut bytes).map_err(unwritten)?;
            self.add(&format!("{folder}/runs/{}.csv", run.id), &bytes)?;
        }
        Ok(())
    }

    async fn photos(&self, number: i64) -> Result<Vec<Uuid>, StoreError> {
        let job = own_job(self.db, self.viewer, number).await?;
        let own = photo::Entity::find().filter(photo::Column::JobId.eq(job.id)).select_only().column(photo::Column::Id);
        Ok(own.into_tuple().all(self.db).await?)
    }

    fn add_json(&mut self, name: &str, value: &impl Serialize) -> Result<(), StoreError> {
        let text = serde_json::to_vec_pretty(value).map_err(|source| StoreError::Damaged { what: "export", source })?;
        self.add(name, &text)
    }

    fn add(&mut self, name: &str, bytes: &[u8]) -> Result<(), StoreError> {
        let Some(tar) = &mut self.tar else { return Ok(()) };
        let mut header = Header::new_gnu();
        header.set_size(bytes.len() as u64);
        header.set_mode(0o600);
        header.set_mtime(chrono::Utc::now().timestamp().unsigned_abs());
        header.set_entry_type(EntryType::Regular);
        tar.append_data(&mut header, name, bytes).map_err(unwritten)
    }
}

/// A file's name as it was brought in, without what leads elsewhere.
fn plain(name: &str) -> String {
    name.chars().map(|c| if c.is_alphanumeric() || "-_. ".contains(c) { c } else { '_' }).collect::<String>().replace("..", "_")
}

/// Nothing but memory is written to.
fn unwritten(error: io::Error) -> StoreError {
    StoreError::Damaged { what: "export", source: serde_json::Error::io(error) }
}
