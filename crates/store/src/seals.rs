//! The heads of all ledgers, sealed together from time to time ([`velvet_dial_core::signing::SealedHeads`]).
use crate::entity::{entry, job, record, sealed_heads};
use crate::{Connection, StoreError, from_json, json, now};
use sea_orm::ActiveValue::Set;
use sea_orm::{
    ActiveModelTrait, ColumnTrait, ConnectionTrait, EntityTrait, QueryFilter, QueryOrder, QuerySelect, Select, TransactionTrait,
};
use std::collections::{BTreeMap, HashSet};
use uuid::Uuid;
use velvet_dial_core::record::Chained;
use velvet_dial_core::signing::{LedgerHead, SealedHeads, document_of, root};

/// Entries of so long before the last seal are looked at again, ms: another server's clock may be behind.
const SLACK_MS: i64 = 3_600_000;
/// Jobs looked at together.
const AT_ONCE: usize = 1000;
/// Times it is tried again when another server seals at the same moment.
const TRIES: usize = 5;

/// Seals what changed since the last seal; none where nothing did.
pub async fn seal(db: &Connection) -> Result<Option<SealedHeads>, StoreError> {
    crate::retried(TRIES, || seal_once(db)).await
}

async fn seal_once(db: &Connection) -> Result<Option<SealedHeads>, StoreError> {
    let transaction = db.begin().await?;
    let last = sealed_heads::Entity::find().order_by_desc(sealed_heads::Column::Id).lock_exclusive().one(&transaction).await?;
    let mut changed = entry::Entity::find();
    if let Some(last) = &last {
        // Keys begin with the time at which they were made.
        let from = last.at.and_utc().timestamp_millis().saturating_sub(SLACK_MS).max(0) as u64;
        changed = changed.filter(entry::Column::Id.gte(Uuid::from_u128(u128::from(from) << 80)));
    }
    let changed = changed.select_only().column(entry::Column::JobId).distinct().order_by_asc(entry::Column::JobId);
    let mut jobs: Vec<Uuid> = changed.into_tuple().all(&transaction).await?;
    // A scene of the practice bench proves nothing to anybody, and is cleared away.
    let scenes = job::Entity::find().select_only().column(job::Column::Id).filter(job::Column::SceneSeed.is_not_null());
    let scenes: HashSet<Uuid> =
        scenes.filter(job::Column::Id.is_in(jobs.iter().copied())).into_tuple().all(&transaction).await?.into_iter().collect();
    jobs.retain(|job| !scenes.contains(job));
    let known: BTreeMap<String, i32> = match &last {
        Some(last) => of_row(last)?.heads.into_iter().map(|head| (head.job, head.seq)).collect(),
        None => BTreeMap::new(),
    };
    let mut heads = Vec::new();
    for some in jobs.chunks(AT_ONCE) {
        heads.extend(heads_of(&transaction, some).await?);
    }
    heads.retain(|head| known.get(&head.job) != Some(&head.seq));
    if heads.is_empty() {
        return Ok(None);
    }
    let (number, before) = last.map_or_else(|| (1, String::new()), |last| (last.id + 1, last.root));
    let at = now();
    let sealed = SealedHeads { number, at: at.and_utc(), root: root(&before, &heads), before, heads };
    let row = sealed_heads::ActiveModel {
        id: Set(number),
        at: Set(at),
        before: Set(sealed.before.clone()),
        root: Set(sealed.root.clone()),
        heads: Set(json("sealed heads", &sealed.heads)?),
    };
    row.insert(&transaction).await?;
    transaction.commit().await?;
    Ok(Some(sealed))
}

/// The last entry of each job that has one, in the order of the jobs' keys. One without a hash is left out: it is told by whoever checks the ledger.
async fn heads_of(db: &impl ConnectionTrait, jobs: &[Uuid]) -> Result<Vec<LedgerHead>, StoreError> {
    let mut heads: BTreeMap<Uuid, (Uuid, LedgerHead)> = BTreeMap::new();
    let entries: Select<entry::Entity> = entry::Entity::find().filter(entry::Column::JobId.is_in(jobs.iter().copied()));
    let entries = entries.select_only().columns([entry::Column::Id, entry::Column::JobId, entry::Column::Seq, entry::Column::Chain]);
    let entries = entries.order_by_asc(entry::Column::Seq).into_tuple::<(Uuid, Uuid, i32, Option<String>)>();
    for (id, job, seq, chain) in entries.all(db).await? {
        if let Some(hash) = chain {
            heads.insert(job, (id, LedgerHead { job: job.to_string(), seq, hash, report: None }));
        }
    }
    let reports = reports_of(db, heads.values().map(|(id, _)| *id)).await?;
    let with_report = |(id, head): (Uuid, LedgerHead)| LedgerHead { report: reports.get(&id).cloned(), ..head };
    Ok(heads.into_values().map(with_report).collect())
}

/// The hashes of the reports that closings kept, by the closing.
async fn reports_of(db: &impl ConnectionTrait, closings: impl Iterator<Item = Uuid>) -> Result<BTreeMap<Uuid, String>, StoreError> {
    let rows = record::Entity::find().filter(record::Column::EntryId.is_in(closings)).all(db).await?;
    let of = |row: record::Model| Some((row.entry_id, document_of(row.body.as_bytes()).ok()?));
    Ok(rows.into_iter().filter_map(of).collect())
}

/// A job's entries as heads, with the reports that its closings kept: what a seal is checked against.
pub async fn heads_of_job(db: &Connection, job: Uuid, entries: &[Chained]) -> Result<Vec<LedgerHead>, StoreError> {
    let keys: Vec<Option<Uuid>> = entries.iter().map(|entry| entry.id.parse().ok()).collect();
    let reports = reports_of(db, keys.iter().flatten().copied()).await?;
    let heads = entries.iter().zip(keys).map(|(entry, key)| LedgerHead {
        job: job.to_string(),
        seq: entry.seq,
        hash: entry.chain.clone(),
        report: key.and_then(|key| reports.get(&key).cloned()),
    });
    Ok(heads.collect())
}

/// Every seal, the oldest first.
pub async fn seals(db: &Connection) -> Result<Vec<SealedHeads>, StoreError> {
    sealed_heads::Entity::find().order_by_asc(sealed_heads::Column::Id).all(db).await?.iter().map(of_row).collect()
}

fn of_row(row: &sealed_heads::Model) -> Result<SealedHeads, StoreError> {
    Ok(SealedHeads {
        number: row.id,
        at: row.at.and_utc(),
        before: row.before.clone(),
        root: row.root.clone(),
        heads: from_json("sealed heads", &row.heads)?,
    })
}

/// True when the ledger of a job still holds the entry that was its last when it was sealed last; and where it never was.
pub async fn holds(db: &Connection, job: Uuid, entries: &[Chained]) -> Result<bool, StoreError> {
    let key = job.to_string();
    let named = sealed_heads::Entity::find().filter(sealed_heads::Column::Heads.contains(&key)).order_by_desc(sealed_heads::Column::Id);
    let Some(row) = named.one(db).await? else { return Ok(true) };
    let sealed = of_row(&row)?.heads.into_iter().find(|head| head.job == key);
    Ok(sealed.is_none_or(|head| entries.iter().any(|entry| entry.seq == head.seq && entry.chain == head.hash)))
}
