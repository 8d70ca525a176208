//! Whoever can write the whole database, and not the folder with the keys and the file of seals, is found out by `verify --shop`: twenty-five ways to change what was written.
use super::{lines, run};
use sea_orm::{ConnectionTrait, DbBackend, Statement};
use velvet_dial_core::record::{FIRST_FORMAT, FORMAT, Record};
use velvet_dial_core::signing::{Signer, seal, sign, without_customer};
use velvet_dial_store::{Connection, Viewer, accounts, jobs};
use velvet_dial_testkit::{copy_of, fresh_database};
use velvet_dial_web::state::{KEY_FILE, Keys, seal_ledgers};

/// A database that somebody writes in.
struct Meddled {
    db: Connection,
    viewer: Viewer,
}

impl Meddled {
    async fn sql(&self, sql: &str) {
        let changed = self.db.execute_unprepared(sql).await.unwrap().rows_affected();
        assert!(changed > 0, "changes nothing: {sql}");
    }

    /// Every hash of a job's ledger worked out again, as if nothing had happened.
    async fn hash_again(&self, number: i64) {
        let (job, entries) = jobs::chain(&self.db, &self.viewer, number).await.unwrap();
        let mut before = job.to_string();
        for entry in &entries {
            before = entry.after(&before);
            let sql = format!("UPDATE entries SET chain = '{before}' WHERE id = UNHEX('{}')", entry.id.replace('-', ""));
            self.db.execute_unprepared(&sql).await.unwrap();
        }
    }

    async fn record(&self, number: i64) -> Record {
        let job = jobs::load(&self.db, &self.viewer, number).await.unwrap();
        serde_json::from_str(&jobs::kept_record(&self.db, &job).await.unwrap().unwrap()).unwrap()
    }

    async fn keep(&self, number: i64, text: &str) {
        self.sql(&format!("UPDATE records SET body = '{}' WHERE job_id = {}", text.replace('\\', "\\\\").replace('\'', "''"), job(number)))
            .await;
    }

    /// A record of a closed job that says something nicer, with its hashes made again and this key's signature.
    async fn nicer(&self, number: i64, signer: Option<&Signer>) -> String {
        let mut record = self.record(number).await;
        "Runs like new".clone_into(&mut record.papers.complaint);
        let Some(sealed) = record.seal.take() else { panic!("no seal") };
        seal(&mut record, &sealed.job, sealed.entries).unwrap();
        if let Some(signer) = signer {
            sign(&mut record, signer);
        }
        serde_json::to_string(&record).unwrap()
    }
}

fn job(number: i64) -> String {
    format!("(SELECT id FROM jobs WHERE number = {number})")
}

/// The ways, each by its name; jobs 1 to 3 are closed, 6 and 9 are open.
async fn meddle(way: &str, it: &Meddled) {
    let (one, nine) = (job(1), job(9));
    let last_of = |job: &str| format!("(SELECT * FROM (SELECT MAX(seq) FROM entries WHERE job_id = {job}) AS last)");
    match way {
        "an entry is edited" => it.sql(&format!("UPDATE entries SET body = CONCAT(body, ' ') WHERE job_id = {nine} AND seq = 2")).await,
        "an entry is edited and every hash made again" => {
            it.sql(&format!("UPDATE entries SET body = CONCAT(body, ' ') WHERE job_id = {nine} AND seq = 2")).await;
            it.hash_again(9).await;
        }
        "the last entry is cut off" => it.sql(&format!("DELETE FROM entries WHERE job_id = {nine} AND seq = {}", last_of(&nine))).await,
        "all entries are cut off" => {
            it.db.execute_unprepared(&format!("UPDATE summaries SET last_entry = NULL WHERE job_id = {nine}")).await.unwrap();
            it.sql(&format!("DELETE FROM entries WHERE job_id = {nine}")).await;
        }
        "two entries change places" => {
            it.sql(&format!("UPDATE entries SET seq = 1000 WHERE job_id = {nine} AND seq = 1")).await;
            it.sql(&format!("UPDATE entries SET seq = 1 WHERE job_id = {nine} AND seq = 2")).await;
            it.sql(&format!("UPDATE entries SET seq = 2 WHERE job_id = {nine} AND seq = 1000")).await;
        }
        "two entries change places and every hash is made again" => {
            Box::pin(meddle("two entries change places", it)).await;
            it.hash_again(9).await;
        }
        "an entry is taken out of the middle and every hash made again" => {
            it.sql(&format!("DELETE FROM entries WHERE job_id = {nine} AND seq = 2")).await;
            it.sql(&format!("UPDATE entries SET seq = seq - 1 WHERE job_id = {nine} AND seq > 2 ORDER BY seq")).await;
            it.hash_again(9).await;
        }
        "an entry is slipped in and every hash made again" => {
            it.sql(&format!("UPDATE entries SET seq = seq + 1 WHERE job_id = {nine} AND seq > 2 ORDER BY seq DESC")).await;
            it.sql(&format!(
                "INSERT INTO entries (id, job_id, seq, kind, body, author_id, written_at, submit_key) SELECT UNHEX(REPLACE(UUID(), '-', '')), job_id, 3, kind, body, author_id, written_at, 'slipped in' FROM entries WHERE job_id = {nine} AND seq = 2"
            ))
            .await;
            it.hash_again(9).await;
        }
        "every hash is taken away" => it.sql(&format!("UPDATE entries SET chain = NULL WHERE job_id = {nine}")).await,
        "an entry is written at another time" => {
            it.sql(&format!("UPDATE entries SET written_at = written_at + INTERVAL 1 DAY WHERE job_id = {nine} AND seq = 3")).await;
        }
        "an entry is somebody else's" => {
            it.sql(&format!(
                "UPDATE entries SET author_id = (SELECT id FROM users WHERE id <> (SELECT * FROM (SELECT author_id FROM entries WHERE job_id = {nine} AND seq = 1) AS own) LIMIT 1) WHERE job_id = {nine} AND seq = 1"
            ))
            .await;
        }
        "an entry takes the place of another" => {
            it.sql(&format!(
                "UPDATE entries SET supersedes = (SELECT * FROM (SELECT id FROM entries WHERE job_id = {nine} AND seq = 1) AS first) WHERE job_id = {nine} AND seq = {}",
                last_of(&nine)
            ))
            .await;
        }
        "what the customer said is edited" => {
            it.sql("UPDATE entries SET personal = REPLACE(personal, '\"customer\":\"', '\"customer\":\"Not ') WHERE personal LIKE '%\"customer\":\"%'").await;
        }
        "what the customer said is gone" => {
            it.sql(&format!("UPDATE entries SET personal = NULL WHERE personal IS NOT NULL AND job_id = {nine}")).await
        }
        "a part of what the customer said is gone" => {
            it.sql(&format!("UPDATE entries SET personal = REGEXP_REPLACE(personal, '\"reach\":\"[^\"]*\",', '') WHERE personal LIKE '%reach%' AND job_id = {nine}")).await;
        }
        "the customer is gone from the kept report" => {
            let text = serde_json::to_string(&it.record(2).await).unwrap();
            let without = without_customer(&text).unwrap();
            assert_ne!(text, without);
            it.keep(2, &without).await;
        }
        "the kept report is edited" => {
            it.sql(&format!("UPDATE records SET body = REPLACE(body, '\"complaint\":\"', '\"complaint\":\"Not ') WHERE job_id = {one}"))
                .await
        }
        "the kept report is edited and its hashes made again" => it.keep(1, &it.nicer(1, None).await).await,
        "the kept report is edited and signed by another key" => it.keep(1, &it.nicer(1, Some(&Signer::of_seed(&[9; 32]))).await).await,
        "the kept report is edited and says that it is an old one" => {
            let text = it.nicer(1, None).await.replace(FORMAT, FIRST_FORMAT);
            let mut record: Record = serde_json::from_str(&text).unwrap();
            let Some(sealed) = record.seal.take() else { panic!("no seal") };
            seal(&mut record, &sealed.job, sealed.entries).unwrap();
            it.keep(1, &serde_json::to_string(&record).unwrap()).await;
        }
        "the kept report is gone" => it.sql(&format!("DELETE FROM records WHERE job_id = {one}")).await,
        "the kept report is that of another job" => {
            let other = serde_json::to_string(&it.record(2).await).unwrap();
            it.keep(1, &other).await;
        }
        "the last seal is cut off" => {
            it.sql("DELETE FROM sealed_heads WHERE id = (SELECT * FROM (SELECT MAX(id) FROM sealed_heads) AS last)").await
        }
        "a seal says something else and is made again" => {
            it.sql(&format!("DELETE FROM entries WHERE job_id = {nine} AND seq = {}", last_of(&nine))).await;
            it.sql("DELETE FROM sealed_heads").await;
            velvet_dial_store::seals::seal(&it.db).await.unwrap();
        }
        "a closing is undone" => {
            it.sql(&format!("DELETE FROM records WHERE job_id = {one}")).await;
            it.db.execute_unprepared(&format!("UPDATE summaries SET last_entry = NULL WHERE job_id = {one}")).await.unwrap();
            it.sql(&format!("DELETE FROM entries WHERE job_id = {one} AND kind = 'closed'")).await;
            it.sql("UPDATE jobs SET closed_at = NULL WHERE number = 1").await;
        }
        other => panic!("{other}"),
    }
}

/// All that a database says of customers, wherever it may stand.
async fn whole(url: &str) -> String {
    let db = velvet_dial_store::open(url).await.unwrap();
    let mut all = String::new();
    for (column, table) in
        [("personal", "entries"), ("body", "entries"), ("body", "records"), ("words", "finders"), ("body", "customer_links")]
    {
        let sql = format!("SELECT {column} AS said FROM {table} WHERE {column} IS NOT NULL");
        for row in db.query_all_raw(Statement::from_string(DbBackend::MySql, sql)).await.unwrap() {
            all.push_str(&row.try_get::<String>("", "said").unwrap());
        }
    }
    all
}

const WAYS: [&str; 25] = [
    "an entry is edited",
    "an entry is edited and every hash made again",
    "the last entry is cut off",
    "all entries are cut off",
    "two entries change places",
    "two entries change places and every hash is made again",
    "an entry is taken out of the middle and every hash made again",
    "an entry is slipped in and every hash made again",
    "every hash is taken away",
    "an entry is written at another time",
    "an entry is somebody else's",
    "an entry takes the place of another",
    "what the customer said is edited",
    "what the customer said is gone",
    "a part of what the customer said is gone",
    "the customer is gone from the kept report",
    "the kept report is edited",
    "the kept report is edited and its hashes made again",
    "the kept report is edited and signed by another key",
    "the kept report is edited and says that it is an old one",
    "the kept report is gone",
    "the kept report is that of another job",
    "the last seal is cut off",
    "a seal says something else and is made again",
    "a closing is undone",
];

#[tokio::test]
async fn whatever_is_changed_in_the_database_is_found_out() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(KEY_FILE);
    let keys = Keys::open(&file).unwrap();
    let made = fresh_database().await;
    let db = velvet_dial_store::open(&made).await.unwrap();
    velvet_dial_web::demo::load_once(&db, Some(&keys)).await.unwrap();
    let verify = |url: &str| {
        let told = run(&["verify", "--shop", "--database-url", url, "--report-key", file.to_str().unwrap()], "");
        (told.status.code(), lines(&told))
    };
    seal_ledgers(&db, Some(&keys)).await;
    let older = copy_of(&made).await;
    // Somebody writes, and the next seal knows it.
    let viewer = accounts::demo_viewer(&db, "ines").await.unwrap().unwrap();
    let more = jobs::Write::of(jobs::Body::Worked { calculator: "fill".into(), typed: "{}".into(), told: "3.4 l".into() }, "more");
    jobs::write(&db, &viewer, 9, &more).await.unwrap();
    seal_ledgers(&db, Some(&keys)).await;
    let (code, told) = verify(&made);
    assert_eq!(code, Some(0), "{told:?}");
    assert!(told.len() > 8 && told.iter().any(|job| job["checked"]["seals"] == 2), "{told:?}");

    // A customer is removed by the command that is there for it: nothing is wrong then, and nothing of them is left.
    let url = copy_of(&made).await;
    let remove = |job: &str, because: &str| {
        run(&["customer", "remove", "--job", job, "--by", "ines", "--because", because, "--database-url", &url], "")
    };
    for (job, because, says) in [("2", " ", "Why: nothing given"), ("9", "asked", "close it first"), ("77", "asked", "no such job")] {
        let refused = remove(job, because);
        assert!(!refused.status.success() && String::from_utf8_lossy(&refused.stderr).contains(says), "{job}: {refused:?}");
    }
    assert!(whole(&url).await.contains("reading room"));
    let removed = remove("2", "they asked for it");
    assert!(removed.status.success(), "{removed:?}");
    assert!(!whole(&url).await.contains("reading room"));
    assert!(String::from_utf8_lossy(&remove("2", "again").stdout).contains("says nothing of a customer"));
    let (code, told) = verify(&url);
    assert_eq!(code, Some(0), "{told:?}");
    assert!(told.iter().any(|job| job["file"] == "job 2" && job["checked"]["closed"]["customer_removed"] == true), "{told:?}");

    let (code, told) = verify(&older);
    assert_eq!(code, Some(1), "an older copy of the database: {told:?}");
    for way in WAYS {
        let url = copy_of(&made).await;
        let db = velvet_dial_store::open(&url).await.unwrap();
        let it = Meddled { db, viewer: viewer.clone() };
        meddle(way, &it).await;
        it.db.close().await.unwrap();
        let (code, told) = verify(&url);
        let says: Vec<&str> = told.iter().filter_map(|job| job["error"].as_str()).collect();
        assert!(code == Some(1) && !says.is_empty(), "{way}: {told:?}");
    }
}
