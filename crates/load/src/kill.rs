//! Kills in mid-write: whatever was acknowledged stands afterwards, once.
use crate::person::{PASSWORD, Person};
use crate::server::Server;
use crate::{Done, Kill};
use futures_util::future::join_all;
use std::collections::HashMap;
use std::process::Command;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};
use std::time::{Duration, Instant};
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::rights::Role;
use velvet_dial_services::mariadb::MariaDb;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{Body, Opening};
use velvet_dial_store::{accounts, jobs, library};

/// How long the first acknowledgements are waited for.
const PATIENCE: Duration = Duration::from_secs(20);

/// Kills, counts, prints; an error when something acknowledged is lost or doubled.
pub async fn run(how: &Kill) -> Done<()> {
    let folder = std::env::temp_dir().join(format!("vd-kill-{}", Uuid::new_v4().simple()));
    let kept = told(how, &folder).await;
    MariaDb::remove(&folder)?;
    std::fs::remove_dir_all(&folder).ok();
    kept
}

async fn told(how: &Kill, folder: &std::path::Path) -> Done<()> {
    let jobs = prepare(how, folder).await?;
    // Every reading has a pressure of its own, by which it is found again.
    let mut acknowledged: HashMap<u64, u64> = HashMap::new();
    let mut next = 0u64;
    let mut people: Vec<Person> = Vec::new();
    for (round, job) in (0..how.times).zip(&jobs) {
        let job = *job;
        let mut server = Server::start(&how.server, folder)?;
        // Whoever is signed in stays so across the kills.
        for number in people.len() as u64..how.people {
            people.push(Person::sign_in(&server.base, number).await?);
        }
        people.iter_mut().for_each(|person| person.base.clone_from(&server.base));
        let (stop, taken) = (AtomicBool::new(false), AtomicU64::new(0));
        let (from, stop, taken) = (next, &stop, &taken);
        let writers = people.iter().enumerate().map(|(place, person)| async move {
            let mut own = Vec::new();
            for turn in 0..40u64 {
                if stop.load(Relaxed) {
                    break;
                }
                let id = from + turn * how.people + place as u64;
                match person.reading(job, id as f64 / 10.0).await {
                    Ok(_) => own.push(id),
                    Err(_) => break,
                }
                taken.fetch_add(1, Relaxed);
            }
            own
        });
        let killing = async {
            // In the midst of it: some are acknowledged, and others on their way.
            let start = Instant::now();
            while taken.load(Relaxed) < how.people && start.elapsed() < PATIENCE {
                tokio::time::sleep(Duration::from_millis(5)).await;
            }
            tokio::time::sleep(Duration::from_millis(37 * (round % 17))).await;
            let done = if round % 2 == 0 { server.kill() } else { kill_database(folder).and_then(|()| server.wait().map(drop)) };
            stop.store(true, Relaxed);
            done
        };
        let (own, killed) = tokio::join!(join_all(writers), killing);
        killed?;
        for id in own.into_iter().flatten() {
            *acknowledged.entry(id).or_default() += 1;
            next = next.max(id + 1);
        }
        // Numbers that were sent and not acknowledged are not used again.
        next += how.people;
        println!("kill {}: {} acknowledged so far", round + 1, acknowledged.len());
    }
    count(how, folder, &jobs, &acknowledged).await
}

async fn prepare(how: &Kill, folder: &std::path::Path) -> Done<Vec<i64>> {
    let private = MariaDb::start(folder, false)?;
    let db = velvet_dial_store::open(&private.url()).await?;
    let shop = accounts::add_shop(&db, "Shop under fire").await?;
    let mut first = None;
    for number in 0..how.people {
        let name = format!("person-{number}");
        first.get_or_insert(
            accounts::add_user(&db, shop, &NewUser::of(Role::Owner, &name, &name, PASSWORD)).await?.ok_or("a person twice")?,
        );
    }
    let viewer = first.ok_or("nobody")?;
    let engine = library::add_engine(&db, &viewer, "Engine", &Card::of(2.0, 4, 780.0, "5W-30")).await?.ok_or("an engine twice")?;
    let mut opened = Vec::new();
    for round in 0..how.times {
        let (tag, key) = (format!("KILL {round}"), round.to_string());
        let opening = Opening { tag: &tag, description: "", engine, complaint: "killed", submit_key: &key, scene: None, at: None };
        opened.push(jobs::open(&db, &viewer, &opening).await?);
    }
    db.close().await?;
    Ok(opened)
}

/// SIGKILL for the database that the server started.
fn kill_database(folder: &std::path::Path) -> Done<()> {
    let pid = std::fs::read_to_string(folder.join("run.pid"))?;
    let killed = Command::new("kill").args(["-KILL", pid.trim()]).status()?;
    if killed.success() { Ok(()) } else { Err("the database could not be killed".into()) }
}

async fn count(how: &Kill, folder: &std::path::Path, opened: &[i64], acknowledged: &HashMap<u64, u64>) -> Done<()> {
    let private = MariaDb::start(folder, false)?;
    let db = velvet_dial_store::open(&private.url()).await?;
    let viewer = accounts::one_of_each_shop(&db).await?.into_iter().next().ok_or("nobody")?;
    let mut found: HashMap<u64, u64> = HashMap::new();
    let (mut whole, mut level) = (true, true);
    let board = jobs::board(&db, &viewer, &jobs::Sieve::default(), 0, opened.len() as u64).await?;
    for job in opened {
        let held = jobs::load(&db, &viewer, *job).await?;
        for entry in &held.entries {
            if let Body::Reading(taken) = &entry.body {
                *found.entry((10.0 * taken.reading.kpa).round() as u64).or_default() += 1;
            }
        }
        whole &= held.entries.iter().enumerate().all(|(place, entry)| entry.seq == place as i32 + 1);
        let row = board.open.iter().find(|row| row.number == *job);
        level &= row.is_some_and(|row| row.last.as_ref() == held.entries.last().map(|last| &last.body));
    }
    let lost = acknowledged.keys().filter(|id| !found.contains_key(id)).count();
    let doubled = found.values().filter(|many| **many > 1).count();
    db.close().await?;
    println!(
        "{} kills: {} acknowledged, {} found, {lost} lost, {doubled} doubled; numbered without gaps: {whole}; the board is level: {level}",
        how.times,
        acknowledged.len(),
        found.len()
    );
    if lost == 0 && doubled == 0 && whole && level { Ok(()) } else { Err("what was acknowledged does not stand".into()) }
}
