//! The sink of the recorder: who is let in, and a second kept in one transaction.
use super::{marks, seconds};
use crate::disk;
use crate::entity::{job, rig, rig_chunk, rig_run};
use crate::{Connection, StoreError, json, now, retried};
use sea_orm::ActiveValue::Set;
use sea_orm::sea_query::{Expr, ExprTrait};
use sea_orm::{
    ActiveModelTrait, ColumnTrait, ConnectionTrait, DbErr, EntityTrait, QueryFilter, QuerySelect, RuntimeErr, SqlxMySqlError,
    TransactionTrait,
};
use std::path::PathBuf;
use uuid::Uuid;
use velvet_dial_rig::chunk::Chunk;
use velvet_dial_rig::recorder::{Admitted, Hello, Refused, Sink};

/// Bytes of live runs that a job may hold, and a shop.
const MOST_OF_JOB: i64 = 1 << 30;
const MOST_OF_SHOP: i64 = 32 << 30;

/// Keeps what rigs record.
#[derive(Debug, Clone)]
pub struct Keeper {
    db: Connection,
    /// A folder on the database's disk, where that is known.
    disk: Option<PathBuf>,
}

/// What is wrong with the database is no fault of the rig's, and mostly passes. What will not pass (a table that is missing, a value that does not fit, a row that
/// cannot be read) ends the link and is told, for trying it again would only go on for ever.
fn away(error: &StoreError) -> Refused {
    let passes = match error {
        StoreError::Database(error) => match error {
            DbErr::Conn(_) | DbErr::ConnectionAcquire(_) => true,
            DbErr::Exec(RuntimeErr::SqlxError(error)) | DbErr::Query(RuntimeErr::SqlxError(error)) => {
                error.as_database_error().is_none_or(|told| {
                    let number = told.try_downcast_ref::<SqlxMySqlError>().map(SqlxMySqlError::number);
                    number.is_some_and(|number| PASSES.contains(&number))
                })
            }
            _ => false,
        },
        _ => false,
    };
    if passes {
        return Refused::Away(error.to_string());
    }
    tracing::error!(%error, "what a rig sends cannot be kept");
    no("the server cannot save this run; the reason is in its log")
}

/// Numbers of the server's errors that pass: too many connections, out of memory for now, shutting down, lock wait, deadlock, a row changed since it was read, a full disk.
const PASSES: [u16; 9] = [1040, 1041, 1053, 1205, 1213, 1020, 1021, 1114, 1203];

fn no(why: &str) -> Refused {
    Refused::No(why.to_owned())
}

const STRANGER: &str =
    "no data logger is paired under this name with this token; pair it on the page “Data loggers” and enter the token shown there";
const IDLE: &str = "this data logger is linked to no open job; link it on the page “Gauge setup” of the job";
const ELSEWHERE: &str = "this data logger was linked to another job; connect again";
const CLOSED: &str = "the job is closed; link the data logger to another job, then connect again";
const BRANCH: &str = "another connection of this data logger recorded in the meantime; connect again";
const REGAUGED: &str = "the gauge of this data logger was changed during a run; restart it, which begins a new run";
const FULL: &str =
    "the job has as many live runs as it may have; link the data logger to another job, or import the part that matters as a file";

const NO_ROOM: &str = "the disk of the server is all but full; make room there, then connect again";
impl Keeper {
    /// On a database, and on the disk of this folder where it is known.
    pub fn new(db: Connection, disk: Option<PathBuf>) -> Self {
        Self { db, disk }
    }

    async fn let_in(&self, hello: &Hello) -> Result<Result<Admitted, Refused>, StoreError> {
        let db = &self.db;
        // Two shops may have given a rig the same name.
        let named = rig::Entity::find().filter(rig::Column::Taken.eq(&hello.name)).all(db).await?;
        let paired = named.into_iter().find(|rig| hello.proof.shows(&rig.token, &hello.name, hello.boot));
        let Some(paired) = paired else { return Ok(Err(no(STRANGER))) };
        rig::ActiveModel { id: Set(paired.id), seen_at: Set(Some(now())), ..Default::default() }.update(db).await?;
        let assigned = job::Entity::find().filter(job::Column::Id.eq(paired.job_id)).filter(job::Column::ClosedAt.is_null());
        let Some(job) = assigned.one(db).await? else { return Ok(Err(no(IDLE))) };
        if held(db, job.shop_id, Some(job.id)).await? > MOST_OF_JOB || held(db, job.shop_id, None).await? > MOST_OF_SHOP {
            return Ok(Err(no(FULL)));
        }
        let boot = format!("{:016x}", hello.boot);
        let of_boot = rig_run::Entity::find().filter(rig_run::Column::RigId.eq(paired.id)).filter(rig_run::Column::Boot.eq(&boot));
        let runs = of_boot.all(db).await?;
        let next = runs.iter().map(|run| run.next_seq).max().unwrap_or(0);
        let (run, first_us, last_us) = match runs.iter().find(|run| run.job_id == job.id) {
            Some(run) if run.instrument_id != paired.instrument_id => return Ok(Err(no(REGAUGED))),
            Some(run) => {
                if run.next_seq != next {
                    // It recorded for another job meanwhile: what lies between belongs there.
                    let passed = rig_run::ActiveModel { id: Set(run.id), next_seq: Set(next), ..Default::default() };
                    passed.update(db).await?;
                }
                (run.id, run.first_us, runs.iter().filter_map(|run| run.last_us).max())
            }
            None => {
                let id = Uuid::now_v7();
                let row = rig_run::ActiveModel {
                    id: Set(id),
                    rig_id: Set(paired.id),
                    job_id: Set(job.id),
                    boot: Set(boot),
                    channels: Set(json("channels", &hello.channels)?),
                    instrument_id: Set(paired.instrument_id),
                    started_at: Set(now()),
                    next_seq: Set(next),
                    first_us: Set(None),
                    last_us: Set(None),
                    samples: Set(0),
                    lost: Set(0),
                    size: Set(0),
                };
                row.insert(db).await?;
                (id, None, runs.iter().filter_map(|run| run.last_us).max())
            }
        };
        Ok(Ok(Admitted {
            rig: paired.id,
            shop: paired.shop_id,
            job: job.number,
            run,
            next: next as u64,
            first_us: first_us.map(|us| us as u64),
            last_us: last_us.map(|us| us as u64),
        }))
    }

    async fn keep_once(&self, admitted: &Admitted, chunk: &Chunk, bytes: &[u8]) -> Result<Result<(), Refused>, StoreError> {
        let db = self.db.begin().await?;
        let run = rig_run::Entity::find_by_id(admitted.run).one(&db).await?.ok_or(StoreError::NotFound)?;
        let paired = rig::Entity::find_by_id(admitted.rig).one(&db).await?.ok_or(StoreError::NotFound)?;
        if paired.taken.is_none() || paired.job_id != Some(run.job_id) {
            return Ok(Err(no(ELSEWHERE)));
        }
        let job = job::Entity::find_by_id(run.job_id).one(&db).await?.ok_or(StoreError::NotFound)?;
        if job.closed_at.is_some() {
            return Ok(Err(no(CLOSED)));
        }
        for at_us in &chunk.marks {
            marks::put(&db, run.id, *at_us, "", None).await?;
        }
        if chunk.next() == chunk.first {
            // Nothing but marks.
            db.commit().await?;
            return Ok(Ok(()));
        }
        // Looked at once a megabyte: it sums over every run of the shop.
        if (run.size + bytes.len() as i64) >> 20 != run.size >> 20 {
            if held(&db, job.shop_id, Some(job.id)).await? > MOST_OF_JOB || held(&db, job.shop_id, None).await? > MOST_OF_SHOP {
                return Ok(Err(no(FULL)));
            }
            if !disk::has_room(self.disk.as_deref()) {
                return Ok(Err(no(NO_ROOM)));
            }
        }
        let (from_us, to_us) = chunk.span().map_or((0, 0), |(from, to)| (from as i64, to as i64));
        // One chunk begins where the one before ended, or it is another connection's.
        let spanned = chunk.span().is_some();
        let mut next = rig_run::Entity::update_many()
            .col_expr(rig_run::Column::NextSeq, Expr::value(chunk.next() as i64))
            .col_expr(rig_run::Column::Samples, Expr::col(rig_run::Column::Samples).add(chunk.us.len() as i64))
            .col_expr(rig_run::Column::Lost, Expr::col(rig_run::Column::Lost).add(chunk.lost as i64))
            .col_expr(rig_run::Column::Size, Expr::col(rig_run::Column::Size).add(bytes.len() as i64));
        if spanned {
            next = next.col_expr(rig_run::Column::LastUs, Expr::value(to_us));
            if run.first_us.is_none() {
                next = next.col_expr(rig_run::Column::FirstUs, Expr::value(from_us));
            }
        }
        let moved = next.filter(rig_run::Column::Id.eq(run.id)).filter(rig_run::Column::NextSeq.eq(chunk.first as i64)).exec(&db).await?;
        if moved.rows_affected != 1 {
            return Ok(Err(no(BRANCH)));
        }
        match rig_chunk::Entity::insert(seconds::row(run.id, chunk, bytes.to_vec())).exec_without_returning(&db).await {
            Ok(_) => {}
            Err(error) if crate::stands_already(&error) => return Ok(Err(no(BRANCH))),
            Err(error) => return Err(error.into()),
        }
        db.commit().await?;
        Ok(Ok(()))
    }
}

async fn held(db: &impl ConnectionTrait, shop: Uuid, job: Option<Uuid>) -> Result<i64, StoreError> {
    let mut runs = rig_run::Entity::find().inner_join(job::Entity).filter(job::Column::ShopId.eq(shop));
    if let Some(job) = job {
        runs = runs.filter(rig_run::Column::JobId.eq(job));
    }
    let sum: Option<Option<i64>> = runs
        .select_only()
        .column_as(Expr::col((rig_run::Entity, rig_run::Column::Size)).sum().cast_as("SIGNED"), "held")
        .into_tuple()
        .one(db)
        .await?;
    Ok(sum.flatten().unwrap_or(0))
}

impl Sink for Keeper {
    async fn admit(&self, hello: &Hello) -> Result<Admitted, Refused> {
        self.let_in(hello).await.map_err(|error| away(&error))?
    }

    async fn keep(&self, admitted: &Admitted, chunk: &Chunk) -> Result<(), Refused> {
        let bytes = if chunk.us.is_empty() { Vec::new() } else { chunk.packed().map_err(|error| Refused::Away(error.to_string()))? };
        retried(3, || self.keep_once(admitted, chunk, &bytes)).await.map_err(|error| away(&error))?
    }
}
