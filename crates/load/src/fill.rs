//! Fills a database: people and engines by the store, as anybody's; jobs and entries in bulk, since two million of them one by one would take a day.
use crate::person::PASSWORD;
use crate::{Done, Load};
use sea_orm::{ConnectionTrait, DbBackend, Statement, Value};
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::rights::Role;
use velvet_dial_core::unit::Gear;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::library::tag_key;
use velvet_dial_store::{Connection, Viewer, accounts, jobs, library};

/// Rows a statement.
const ROWS: usize = 500;
/// Of a hundred jobs so many are open.
const OPEN_OF_HUNDRED: u64 = 40;

/// Fills it, when it is empty; somebody of the shop.
pub async fn fill(db: &Connection, how: &Load) -> Done<()> {
    if !accounts::nobody_yet(db).await? {
        return Ok(());
    }
    let shop = accounts::add_shop(db, "Shop under load").await?;
    let mut first = None;
    for number in 0..how.people {
        let name = format!("person-{number}");
        let person = accounts::add_user(db, shop, &NewUser::of(Role::Owner, &name, &name, PASSWORD)).await?.ok_or("a person twice")?;
        accounts::cautions_read(db, &person).await?;
        first.get_or_insert(person);
    }
    let viewer = first.ok_or("nobody")?;
    let engines = engines(db, &viewer, how.engines).await?;
    let each = (how.entries / how.jobs.max(1)).max(1);
    // Without the checks that follow every row; they are on again for whoever comes after.
    let mut jobs_rows = Rows::new(
        "jobs",
        &["id", "number", "shop_id", "vehicle_id", "engine_id", "complaint", "opened_by", "opened_at", "submit_key", "closed_at"],
    );
    let mut vehicles = Rows::new("vehicles", &["id", "shop_id", "tag", "description", "tag_key"]);
    let mut entries = Rows::new("entries", &["id", "job_id", "seq", "kind", "body", "author_id", "written_at", "supersedes", "submit_key"]);
    for number in 1..=how.jobs {
        let (job, vehicle, tag) = (Uuid::now_v7(), Uuid::now_v7(), format!("LOAD {number}"));
        let open = number % 100 < OPEN_OF_HUNDRED;
        let opened = format!("2026-0{}-{:02} 08:00:00", 1 + number % 9, 1 + number % 28);
        let engine = engines.get((number % engines.len() as u64) as usize).copied().ok_or("no engine")?;
        let closed: Value = if open { Value::String(None) } else { opened.clone().into() };
        vehicles.add(vec![vehicle.into(), viewer.shop.into(), tag.clone().into(), "Van of the load".into(), tag_key(&tag).into()]);
        jobs_rows.add(vec![
            job.into(),
            (number as i64).into(),
            viewer.shop.into(),
            vehicle.into(),
            engine.into(),
            "Lamp at stops".into(),
            viewer.user.into(),
            opened.clone().into(),
            format!("{number:064}").into(),
            closed,
        ]);
        vehicles.flush_full(db).await?;
        if jobs_rows.is_full() {
            vehicles.flush(db).await?;
            jobs_rows.flush(db).await?;
        }
        for row in ledger(job, viewer.user, number, each, open, &opened) {
            entries.add(row);
        }
        if entries.is_full() {
            vehicles.flush(db).await?;
            jobs_rows.flush(db).await?;
            entries.flush(db).await?;
        }
        if number % 2000 == 0 {
            println!("  {number} jobs");
        }
    }
    vehicles.flush(db).await?;
    jobs_rows.flush(db).await?;
    entries.flush(db).await?;
    let start = std::time::Instant::now();
    let told = jobs::rebuild(db, &viewer).await?;
    println!("summaries of {told} jobs made anew in {:.0} s", start.elapsed().as_secs_f64());
    Ok(())
}

async fn engines(db: &Connection, viewer: &Viewer, many: u64) -> Done<Vec<Uuid>> {
    let mut engines = Vec::new();
    for number in 0..many {
        let card = Card::of(1.0 + 0.1 * number as f64, 4, 780.0, "5W-30");
        let point = |rpm: f64, min: f64| Point { rpm, oil_temp_c: 100.0, gear: Gear::Neutral, min_kpa: Some(min), max_kpa: None };
        let sheet = Sheet {
            source: "sheet".to_owned(),
            in_force_from: None,
            points: vec![point(780.0, 100.0), point(3000.0, 300.0)],
            ..Sheet::default()
        };
        let added = library::add_engine_with(db, viewer, (&format!("Engine {number}"), &card), Some(&sheet)).await?;
        engines.push(added.ok_or("an engine twice")?);
    }
    Ok(engines)
}

/// A ledger as a long job leaves it: circumstances, checks, ten readings, and corrections of them.
fn ledger(job: Uuid, author: Uuid, number: u64, each: u64, open: bool, at: &str) -> Vec<Vec<Value>> {
    const READINGS: u64 = 10;
    let know = knowledge();
    let mut rows: Vec<Vec<Value>> = Vec::new();
    let mut latest: Vec<Uuid> = Vec::new();
    for seq in 1..=each {
        let id = Uuid::now_v7();
        let kpa = 60.0 + (7 * number + 13 * seq) as f64 % 150.0;
        let rpm = 780.0 + 250.0 * (seq % READINGS) as f64;
        let reading = serde_json::json!({ "v": 1, "kind": "reading", "reading":
            { "rpm": rpm, "oil_temp_c": 96.0, "kpa": kpa, "spread_kpa": 4.0 }, "gauge": null, "capture": null });
        let told = know.circumstances.get((seq + number) as usize % 4 * 5 + seq as usize % 5);
        let check = know.checks.get(seq as usize);
        let (kind, body, supersedes) = match (seq, told, check) {
            (1..=5, Some(told), _) => {
                ("circumstance", serde_json::json!({ "v": 1, "kind": "circumstance", "circumstance": told.id, "told": true }), None)
            }
            (6..=12, _, Some(check)) => {
                let outcome = check.outcomes.get(number as usize % check.outcomes.len().max(1)).map(|outcome| outcome.id.as_str());
                ("evidence", serde_json::json!({ "v": 1, "kind": "evidence", "check": check.id, "outcome": outcome }), None)
            }
            (last, ..) if last == each && !open => ("closed", serde_json::json!({ "v": 1, "kind": "closed" }), None),
            _ if (latest.len() as u64) < READINGS => {
                latest.push(id);
                ("reading", reading, None)
            }
            _ => {
                let place = (seq % READINGS) as usize;
                let replaced = latest.get_mut(place).map(|latest| std::mem::replace(latest, id));
                ("reading", reading, replaced)
            }
        };
        rows.push(vec![
            id.into(),
            job.into(),
            (seq as i32).into(),
            kind.into(),
            body.to_string().into(),
            author.into(),
            at.to_owned().into(),
            supersedes.into(),
            format!("{number:032}{seq:032}").into(),
        ]);
    }
    rows
}

/// Rows on their way into a table.
struct Rows {
    head: String,
    row: String,
    values: Vec<Value>,
    count: usize,
}

impl Rows {
    fn new(table: &str, columns: &[&str]) -> Self {
        let row = format!("({})", vec!["?"; columns.len()].join(","));
        Self { head: format!("INSERT INTO {table} ({}) VALUES ", columns.join(",")), row, values: Vec::new(), count: 0 }
    }

    fn add(&mut self, values: Vec<Value>) {
        self.values.extend(values);
        self.count += 1;
    }

    fn is_full(&self) -> bool {
        self.count >= ROWS
    }

    async fn flush_full(&mut self, db: &Connection) -> Done<()> {
        if self.is_full() { self.flush(db).await } else { Ok(()) }
    }

    async fn flush(&mut self, db: &Connection) -> Done<()> {
        while self.count > 0 {
            let rows = self.count.min(ROWS);
            let columns = self.values.len() / self.count;
            let values: Vec<Value> = self.values.drain(..rows * columns).collect();
            self.count -= rows;
            let sql = format!("{}{}", self.head, vec![self.row.as_str(); rows].join(","));
            db.execute_raw(Statement::from_sql_and_values(DbBackend::MySql, sql, values)).await?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;
    use velvet_dial_core::case::Reading;
    use velvet_dial_store::jobs::TakenReading;

    /// What is put in past the store is what the store would have written: readable, each thing once, each replaced by one.
    #[test]
    fn a_ledger_of_the_load_is_one_that_the_store_could_have_written() {
        for (number, open) in [(1, true), (2, false), (77, true)] {
            let rows = ledger(Uuid::nil(), Uuid::nil(), number, 100, open, "2026-01-01 08:00:00");
            assert_eq!(rows.len(), 100);
            let text = |row: &Vec<Value>, column: usize| match row.get(column) {
                Some(Value::String(Some(text))) => text.to_string(),
                _ => String::new(),
            };
            let said: Vec<jobs::Body> = rows.iter().filter_map(|row| serde_json::from_str(&text(row, 4)).ok()).collect();
            assert_eq!(said.len(), 100, "every body is read");
            assert!(rows.iter().zip(&said).all(|(row, body)| text(row, 3) == body.kind()));
            let subjects: Vec<String> = said.iter().filter_map(jobs::Body::subject).collect();
            assert_eq!(subjects.iter().collect::<HashSet<_>>().len(), subjects.len());
            let replaced: Vec<String> =
                rows.iter().filter_map(|row| row.get(7)).map(|value| format!("{value:?}")).filter(|value| value.contains("Some")).collect();
            assert_eq!(replaced.iter().collect::<HashSet<_>>().len(), replaced.len());
            let readings =
                said.iter().filter(|body| matches!(body, jobs::Body::Reading(TakenReading { reading: Reading { .. }, .. }))).count();
            assert_eq!(readings - replaced.len(), 10, "ten readings hold");
            assert_eq!(said.last().map(jobs::Body::kind), Some(if open { "reading" } else { "closed" }));
        }
    }
}
