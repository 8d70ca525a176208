//! Many people on a full database.
use crate::fill::fill;
use crate::person::Person;
use crate::screen;
use crate::server::{Server, Shared};
use crate::{Done, Load};
use futures_util::future::join_all;
use sea_orm::{ConnectionTrait, DbBackend, Statement};
use std::time::{Duration, Instant};
use velvet_dial_services::mariadb::MariaDb;
use velvet_dial_store::Connection;

/// Seconds between two taps of one person.
const EVERY_S: u64 = 5;
/// Pages asked for one after another, of each kind.
const ASKED: usize = 60;

/// Fills, serves, drives, prints.
pub async fn run(how: &Load) -> Done<()> {
    println!("filling {} jobs with {} entries in {} …", how.jobs, how.entries, how.data.display());
    let start = Instant::now();
    {
        let private = MariaDb::start(&how.data, false)?;
        let db = velvet_dial_store::open(&private.url()).await?;
        fill(&db, how).await?;
        db.close().await?;
    }
    println!("ready after {:.0} s", start.elapsed().as_secs_f64());
    let server = Server::start(&how.server, &how.data)?;
    let url = MariaDb::url_of_running(&how.data)?.ok_or("the server's database does not run")?;
    let db = velvet_dial_store::open(&url).await?;
    let one = Person::sign_in(&server.base, 0).await?;

    one_by_one(&db, &one, how).await?;
    println!("memory: {} MB now, {} MB at most", server.memory_mb()?.0, server.memory_mb()?.1);
    screen::taps(&server.base, &fresh(how), "lamp").await?;
    together(&server, how, false).await?;
    together(&server, how, true).await?;
    let (now, most) = server.memory_mb()?;
    println!("memory: {now} MB now, {most} MB at most (asked: under 300)");
    Ok(())
}

/// One person alone: what each page takes, and how many queries.
async fn one_by_one(db: &Connection, one: &Person, how: &Load) -> Done<()> {
    // Jobs that are open, each of another engine, spread over the database.
    let step = (how.jobs / ASKED as u64).max(1);
    let numbers: Vec<u64> = (1..=how.jobs).filter(|number| number % 100 < 40).step_by(step.max(1) as usize).take(ASKED).collect();
    let jobs = |page: &'static str| numbers.iter().map(move |number| format!("/jobs/{number}/{page}")).collect::<Vec<_>>();
    // The first look makes an engine's draws; it is told apart.
    row(db, one, "job, its engine's first", &jobs("run")).await?;
    row(db, one, "job, warm", &jobs("run")).await?;
    let cold: Vec<String> = numbers.iter().map(|number| format!("/jobs/{}/run", number + 40)).collect();
    row(db, one, "job, first time, engine known", &cold.into_iter().take(20).collect::<Vec<_>>()).await?;
    row(db, one, "trace, warm", &jobs("trace")).await?;
    row(db, one, "report", &jobs("report")).await?;
    row(db, one, "board", &vec!["/".to_owned(); ASKED]).await?;
    row(db, one, "board, last page", &vec![format!("/?page={}", how.jobs * 40 / 100 / 60); ASKED]).await?;
    row(db, one, "search", &vec!["/?q=lamp".to_owned(); ASKED]).await?;
    row(db, one, "new job", &vec!["/jobs/new".to_owned(); ASKED]).await?;
    row(db, one, "library", &vec!["/library".to_owned(); 10]).await
}

async fn row(db: &Connection, one: &Person, what: &str, paths: &[String]) -> Done<()> {
    let (mut took, mut bytes) = (Vec::new(), 0);
    let before = questions(db).await?;
    for path in paths {
        let (page, time) = one.get(path).await?;
        took.push(time);
        bytes += page.len();
    }
    // Asking for the count is a question itself.
    let asked = (questions(db).await? - before - 1) as f64 / paths.len().max(1) as f64;
    let kb = bytes as f64 / 1024.0 / paths.len().max(1) as f64;
    println!("{what:32} {} · {asked:.1} queries · {kb:.0} kB", percentiles(&took));
    Ok(())
}

/// Queries the database server was ever asked.
async fn questions(db: &Connection) -> Done<u64> {
    let sql = Statement::from_string(DbBackend::MySql, "SHOW GLOBAL STATUS LIKE 'Questions'");
    let row = db.query_one_raw(sql).await?.ok_or("no status")?;
    Ok(row.try_get_by_index::<String>(1)?.parse()?)
}

/// The readings of a young job: hot idle, two held speeds, and the cold idle of the next morning, by speed, oil temperature and about how much, kPa.
const YOUNG: [((u32, u32), f64); 4] = [((780, 98), 60.0), ((2000, 98), 190.0), ((3000, 98), 270.0), ((900, 20), 380.0)];

/// Everybody at once, a tap each in five seconds, while one asks whether the server is well. On *young* jobs each tap is one of the first four readings of a job
/// that nobody has weighed before, and after the fourth its person opens another.
async fn together(server: &Server, how: &Load, young: bool) -> Done<()> {
    println!("{} people sign in and open their {}job …", how.people, if young { "new " } else { "" });
    let mut people = Vec::new();
    for number in 0..how.people {
        let person = Person::sign_in(&server.base, number).await?;
        let job = if young { person.open_job(number).await? } else { job_of(number) as i64 };
        // Who taps has the page before them.
        person.get(&format!("/jobs/{job}/run")).await?;
        people.push((person, job));
    }
    let shared = Shared::begin();
    let until = Instant::now() + Duration::from_secs(how.seconds);
    let taps = people.iter().enumerate().map(|(place, (person, job))| async move {
        // They do not all tap in the same moment.
        tokio::time::sleep(Duration::from_millis(place as u64 * 1000 * EVERY_S / how.people.max(1))).await;
        let (mut took, mut lost) = (Vec::new(), Vec::new());
        let mut job = *job;
        while Instant::now() < until {
            let next = Instant::now() + Duration::from_secs(EVERY_S);
            let tap = took.len() + lost.len();
            if young && tap > 0 && tap.is_multiple_of(YOUNG.len()) {
                match person.open_job((place + tap) as u64).await {
                    Ok(number) => job = number,
                    Err(why) => lost.push(why.to_string()),
                }
            }
            // No two taps are the same reading.
            let answer = match YOUNG.get(tap % YOUNG.len()).filter(|_| young) {
                Some((at, kpa)) => person.reading_at(job, *at, kpa + (place % 17) as f64).await,
                None => person.reading(job, 60.0 + tap as f64).await,
            };
            match answer {
                Ok(time) => took.push(time),
                Err(why) => lost.push(why),
            }
            tokio::time::sleep(next.saturating_duration_since(Instant::now())).await;
        }
        (took, lost)
    });
    let health = async {
        let mut took = Vec::new();
        let Some((one, _)) = people.first() else { return took };
        while Instant::now() < until {
            if let Ok((_, time)) = one.get("/healthz").await {
                took.push(time);
            }
            tokio::time::sleep(Duration::from_millis(500)).await;
        }
        took
    };
    let (taps, health) = tokio::join!(join_all(taps), health);
    let lost: Vec<String> = taps.iter().flat_map(|(_, lost)| lost.clone()).collect();
    let took: Vec<Duration> = taps.into_iter().flat_map(|(took, _)| took).collect();
    println!(
        "{} taps of {} people in {} s: {} (asked: p95 under 250), {} not taken {}",
        took.len(),
        how.people,
        how.seconds,
        percentiles(&took),
        lost.len(),
        lost.first().map_or("", |why| why)
    );
    println!("healthz meanwhile: {}; {}", percentiles(&health), shared.told());
    Ok(())
}

/// Open jobs, others in each minute: on a database that was filled before they have not been tapped on yet.
fn fresh(how: &Load) -> Vec<u64> {
    let minute = std::time::SystemTime::UNIX_EPOCH.elapsed().map_or(0, |since| since.as_secs() / 60);
    let hundreds = (how.jobs / 100).max(1);
    (0..=20).map(|place| 100 * ((7 * minute + place) % hundreds) + 5 + minute % 30).filter(|job| *job <= how.jobs).collect()
}

/// The job that a person is on: an open one of their own.
fn job_of(person: u64) -> u64 {
    person % 39 + 1 + 100 * (person / 39)
}

fn percentiles(took: &[Duration]) -> String {
    screen::told(&mut took.iter().map(|time| 1000.0 * time.as_secs_f64()).collect::<Vec<_>>())
}
