//! Rigs at a thousand samples a second each: how far behind a screen is, what the server needs for it, and whether every sample is kept once. Then the strip of an hour.
use crate::person::{PASSWORD, Person};
use crate::screen;
use crate::server::Server;
use crate::{Done, Rigs};
use futures_util::future::{join_all, try_join_all};
use std::path::Path;
use std::time::{Duration, Instant};
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::rights::Role;
use velvet_dial_rig::chunk::Chunk;
use velvet_dial_rig::line::{opened, sealed};
use velvet_dial_rig::proof::{Proof, answer};
use velvet_dial_rig::recorder::{Hello, Sink};
use velvet_dial_rig::said::{Channel, FromRig, Kind, Sample, ToRig};
use velvet_dial_services::mariadb::MariaDb;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::Opening;
use velvet_dial_store::rigs::{self, Keeper};
use velvet_dial_store::{Viewer, accounts, jobs, library};

/// Samples a second of each, and how often they are sent.
const RATE_HZ: u64 = 1000;
const BATCH: Duration = Duration::from_millis(20);
/// A frame of the view is so long, s.
const FRAME_S: f64 = 0.05;
const HOUR_S: u64 = 3600;

fn channels() -> Vec<Channel> {
    let kinds = [Kind::Pressure { kpa: 1.0 }, Kind::Speed { per_turn: None }, Kind::Oil { fahrenheit: false }, Kind::Supply];
    kinds.map(|kind| Channel { kind, rate_hz: RATE_HZ as f64 }).to_vec()
}

/// A sample of something that moves as an engine does.
fn sample(seq: u64) -> Sample {
    let t = seq as f64 / RATE_HZ as f64;
    let rounded = |value: f64, parts: f64| (value * parts).round() / parts;
    let noise = |salt: u64| {
        ((seq.wrapping_mul(0x9e37_79b9_7f4a_7c15) ^ salt).wrapping_mul(0xd6e8_feb8_6659_fd93) >> 40) as f64 / f64::from(1 << 24) - 0.5
    };
    let rpm = 1500.0 + 700.0 * (t / 40.0).sin();
    let kpa = 90.0 + 0.11 * rpm + 3.0 * (t * 5.0).sin();
    let values = vec![
        rounded(kpa + 2.0 * noise(1), 100.0),
        rounded(rpm + 12.0 * noise(2), 10.0),
        rounded(92.0 - 60.0 * (-t / 300.0).exp() + 0.2 * noise(3), 100.0),
        14.1,
    ];
    Sample { seq, us: seq * 1_000_000 / RATE_HZ, values }
}

/// Runs it on a database of its own.
pub async fn run(how: &Rigs) -> Done<()> {
    let folder = std::env::temp_dir().join(format!("vd-rigs-{}", Uuid::new_v4().simple()));
    let kept = told(how, &folder).await;
    MariaDb::remove(&folder)?;
    std::fs::remove_dir_all(&folder).ok();
    kept
}

async fn told(how: &Rigs, folder: &Path) -> Done<()> {
    let (jobs, tokens) = prepare(how, folder).await?;
    let mut server = Server::start(&how.server, folder)?;
    let port: u16 = server.base.rsplit(':').next().and_then(|port| port.parse().ok()).ok_or("no port")?;
    let person = Person::sign_in(&server.base, 0).await?;
    let seconds = Duration::from_secs(how.seconds);
    let before = server.cpu_s()?;
    let begun = Instant::now();
    let sending = tokens.iter().enumerate().map(|(place, token)| send(port + 1, format!("rig-{place}"), token.clone(), seconds));
    let watching = join_all(jobs.iter().map(|job| watch(&person, *job, begun, seconds)));
    let (sent, behind) = tokio::join!(try_join_all(sending), watching);
    let (sent, spent) = (sent?, begun.elapsed().as_secs_f64());
    let cpu = (server.cpu_s()? - before) / spent;
    let (now, most) = server.memory_mb()?;
    let mut behind: Vec<f64> = behind.into_iter().flatten().flatten().collect();
    behind.sort_by(f64::total_cmp);
    let at = |share: f64| behind.get(((behind.len().max(1) - 1) as f64 * share) as usize).copied().unwrap_or(f64::NAN) * 1000.0;
    println!("{} rigs, {RATE_HZ} samples a second each, {:.0} s: {} samples sent", how.rigs, spent, sent.iter().sum::<u64>());
    println!("view behind the rig: p50 {:.0} ms, p95 {:.0} ms over {} events", at(0.5), at(0.95), behind.len());
    println!("server: {cpu:.2} of a core, {now} MB (most {most} MB)");
    strip(&person, *jobs.last().ok_or("no job")?).await?;
    server.end()?;
    count(folder, &jobs, &sent).await
}

/// A shop with a job and a paired rig for each, and one more job whose run is an hour long.
async fn prepare(how: &Rigs, folder: &Path) -> Done<(Vec<i64>, Vec<String>)> {
    let private = MariaDb::start(folder, false)?;
    let db = velvet_dial_store::open(&private.url()).await?;
    let shop = accounts::add_shop(&db, "Load").await?;
    let who: Viewer =
        accounts::add_user(&db, shop, &NewUser::of(Role::Owner, "person-0", "Person", PASSWORD)).await?.ok_or("no such user")?;
    let engine = library::add_engine(&db, &who, "Engine", &Card::of(2.0, 4, 780.0, "5W-30")).await?.ok_or("no engine")?;
    let (mut numbers, mut tokens) = (Vec::new(), Vec::new());
    for place in 0..=how.rigs {
        let key = format!("job {place}");
        let opening = Opening { tag: &key, description: "", engine, complaint: "low", submit_key: &key, scene: None, at: None };
        let number = jobs::open(&db, &who, &opening).await?;
        let name = format!("rig-{place}");
        let (rig, token) = rigs::pair(&db, &who, &name, None).await?.ok_or("no rig")?;
        rigs::assign(&db, &who, rig, Some(number)).await?;
        numbers.push(number);
        if place == how.rigs {
            let keeper = Keeper::new(db.clone(), None);
            let hello = Hello { name, proof: Proof::Token(token), boot: 1, channels: channels(), can: Vec::new() };
            let admitted = keeper.admit(&hello).await.map_err(|refused| format!("{refused:?}"))?;
            for second in 0..HOUR_S {
                let mut chunk = Chunk::from(second * RATE_HZ);
                (second * RATE_HZ..(second + 1) * RATE_HZ).for_each(|seq| chunk.push(&hello.channels, &sample(seq)));
                keeper.keep(&admitted, &chunk).await.map_err(|refused| format!("{refused:?}"))?;
            }
        } else {
            tokens.push(token);
        }
    }
    db.close().await?;
    Ok((numbers, tokens))
}

/// A rig that sends as time goes by; how many samples were acknowledged.
async fn send(port: u16, name: String, token: String, seconds: Duration) -> Done<u64> {
    let stream = TcpStream::connect(("127.0.0.1", port)).await?;
    stream.set_nodelay(true)?;
    let (from, mut to) = stream.into_split();
    let mut lines = BufReader::new(from).lines();
    let heard = |line: Option<String>| line.as_deref().and_then(|line| opened(line.as_bytes()).ok().and_then(ToRig::parse));
    const BOOT: u64 = 9;
    let hello = FromRig::Hello { name: name.clone(), token: None, boot: BOOT };
    to.write_all(sealed(&hello.to_string()).as_bytes()).await?;
    let Some(ToRig::Ask(question)) = heard(lines.next_line().await?) else { return Err("the rig was asked no question".into()) };
    let mut hello = vec![FromRig::Answer(answer(&token, &question, &name, BOOT))];
    hello.extend(channels().into_iter().map(FromRig::Channel));
    hello.push(FromRig::Go);
    to.write_all(hello.iter().map(|said| sealed(&said.to_string())).collect::<String>().as_bytes()).await?;
    let Some(ToRig::Ok(0)) = heard(lines.next_line().await?) else { return Err("the rig was not let in".into()) };
    let begun = Instant::now();
    let (mut next, mut kept) = (0, 0);
    let mut tick = tokio::time::interval(BATCH);
    while begun.elapsed() < seconds || kept < next {
        tokio::select! {
            line = lines.next_line() => match heard(line?) {
                Some(ToRig::Ack(to)) => kept = to,
                Some(ToRig::No(why)) => return Err(why.into()),
                Some(ToRig::Again(from)) => next = from,
                _ => {}
            },
            _ = tick.tick(), if begun.elapsed() < seconds => {
                let due = begun.elapsed().as_micros() as u64 * RATE_HZ / 1_000_000;
                let text: String = (next..due).map(|seq| sealed(&FromRig::Data(sample(seq)).to_string())).collect();
                to.write_all(text.as_bytes()).await?;
                next = next.max(due);
            }
        }
    }
    Ok(kept)
}

/// Somebody who looks on: how far behind each event's newest frame is, s. The rigs begin with the watching, within some milliseconds that count against the server.
async fn watch(person: &Person, job: i64, begun: Instant, seconds: Duration) -> Done<Vec<f64>> {
    let mut stream = person.stream(&format!("/jobs/{job}/live")).await?;
    let (mut text, mut behind) = (String::new(), Vec::new());
    while begun.elapsed() < seconds {
        let Some(bytes) = stream.chunk().await? else { break };
        text.push_str(&String::from_utf8_lossy(&bytes));
        while let Some((event, rest)) = text.split_once("\n\n") {
            let told: Option<serde_json::Value> = event.strip_prefix("data: ").and_then(|json| serde_json::from_str(json).ok());
            let last = told.and_then(|told| told.get("frames")?.as_array()?.last()?.get(0)?.as_f64());
            if let Some(last) = last.filter(|_| begun.elapsed() > Duration::from_secs(3)) {
                behind.push(begun.elapsed().as_secs_f64() - last - FRAME_S);
            }
            text = rest.to_owned();
        }
    }
    Ok(behind)
}

/// The strip of an hour: the whole of it, and closer looks.
async fn strip(person: &Person, job: i64) -> Done<()> {
    let (page, _) = person.get(&format!("/jobs/{job}/run")).await?;
    let run = page.split(&format!("/jobs/{job}/runs/")).nth(1).and_then(|rest| rest.get(..36)).ok_or("no run on the page")?;
    let path = format!("/jobs/{job}/runs/{run}/strip?points=1200");
    let timed = async |more: &[String]| -> Done<(f64, f64)> {
        let mut times = Vec::new();
        for more in more {
            times.push(person.get(&format!("{path}{more}")).await?.1.as_secs_f64() * 1000.0);
        }
        times.sort_by(f64::total_cmp);
        Ok((times.get(times.len() / 2).copied().unwrap_or_default(), times.last().copied().unwrap_or_default()))
    };
    for (what, seconds) in [("the whole hour", 0), ("20 minutes", 1200), ("4 minutes", 239), ("30 seconds", 30)] {
        let spans: Vec<String> = (0..12u64)
            .map(|turn| if seconds == 0 { String::new() } else { format!("&from={}&to={}", turn * 190, turn * 190 + seconds) })
            .collect();
        let (middle, most) = timed(&spans).await?;
        println!("strip, {what}: {middle:.0} ms in the middle, {most:.0} ms at most");
    }
    screen::strip(&person.base, &format!("/jobs/{job}/runs/{run}")).await
}

/// Every sample from the first to the last that was acknowledged, once and in order.
async fn count(folder: &Path, jobs: &[i64], sent: &[u64]) -> Done<()> {
    let private = MariaDb::start(folder, false)?;
    let db = velvet_dial_store::open(&private.url()).await?;
    let who = accounts::one_of_each_shop(&db).await?.pop().ok_or("no shop")?;
    let (mut lost, mut doubled) = (0, 0);
    for (job, sent) in jobs.iter().zip(sent) {
        let run = rigs::runs(&db, &who, *job).await?.pop().ok_or("no run")?;
        let chunks = rigs::chunks(&db, run.id, 0, u64::MAX).await?;
        let mut times: Vec<u64> = chunks.iter().flat_map(|chunk| chunk.us.iter().copied()).collect();
        let all = times.len();
        times.sort_unstable();
        times.dedup();
        doubled += all - times.len();
        lost += sent.saturating_sub(times.len() as u64);
        if times.array_windows().any(|[a, b]| b - a != 1_000_000 / RATE_HZ) {
            return Err("a sample is missing in the midst of a run".into());
        }
    }
    println!("kept: {} acknowledged, {lost} lost, {doubled} doubled", sent.iter().sum::<u64>());
    if lost > 0 || doubled > 0 { Err("samples were lost or doubled".into()) } else { Ok(()) }
}
