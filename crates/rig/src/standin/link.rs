//! The link of a stand-in: connect, say who it is, send what is not acknowledged yet, do what is asked, and begin again when it breaks.
use super::bench::Bench;
use super::{Oddity, Plan};
use crate::line::{Lines, opened, sealed};
use crate::proof::answer;
use crate::said::{Can, FromRig, ToRig};
use crate::tls;
use std::fmt::Write;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use tokio::time::{Instant, interval, sleep, timeout};
use velvet_dial_core::running::Hand;

/// Before it tries again.
const AGAIN: Duration = Duration::from_secs(1);
/// Samples sent at once.
const MOST: usize = 500;

fn lock(bench: &Mutex<Bench>) -> MutexGuard<'_, Bench> {
    bench.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Links again and again.
pub async fn keep_linked(plan: Plan, bench: Arc<Mutex<Bench>>) {
    let boot = getrandom::u64().unwrap_or_else(|_| u64::from(std::process::id()));
    loop {
        if let Err(why) = once(&plan, boot, &bench).await {
            tracing::info!(%why, rig = %plan.name, "no link; trying again");
        }
        // Nobody's hand is on the throttle any more.
        lock(&bench).hand.throttle = 0.0;
        sleep(AGAIN).await;
    }
}

async fn once(plan: &Plan, boot: u64, bench: &Mutex<Bench>) -> Result<(), String> {
    let told = |error: std::io::Error| error.to_string();
    let stream =
        timeout(Duration::from_secs(5), TcpStream::connect(&plan.to)).await.map_err(|_| "nobody answers".to_owned())?.map_err(told)?;
    stream.set_nodelay(true).ok();
    let (from, mut to): (Box<dyn AsyncRead + Send + Unpin>, Box<dyn AsyncWrite + Send + Unpin>) = match &plan.trusted {
        None => {
            let (from, to) = stream.into_split();
            (Box::new(from), Box::new(to))
        }
        Some(trusted) => {
            let connector = tls::connector(trusted).map_err(|error| error.to_string())?;
            let host = tls::host(&plan.to).map_err(|error| error.to_string())?;
            let (from, to) = tokio::io::split(connector.connect(host, stream).await.map_err(told)?);
            (Box::new(from), Box::new(to))
        }
    };
    let mut lines = Lines::new(BufReader::new(from));
    let hello = FromRig::Hello { name: plan.name.clone(), token: None, boot };
    to.write_all(sealed(&hello.to_string()).as_bytes()).await.map_err(told)?;
    to.flush().await.map_err(told)?;
    let asked = timeout(Duration::from_secs(5), lines.next()).await.map_err(|_| "nobody asks anything".to_owned())?.map_err(told)?;
    let question = match asked.and_then(Result::ok).and_then(|line| opened(line).ok()).and_then(ToRig::parse) {
        Some(ToRig::Ask(question)) => question,
        Some(ToRig::No(why)) => return Err(why),
        _ => return Err("the server asks no question".to_owned()),
    };
    let mut hello = vec![FromRig::Answer(answer(&plan.token, &question, &plan.name, boot))];
    hello.extend(lock(bench).channels.iter().map(|channel| FromRig::Channel(*channel)));
    hello.extend([FromRig::Can(Can::Drive), FromRig::Go]);
    let text: String = hello.iter().map(|said| sealed(&said.to_string())).collect();
    to.write_all(text.as_bytes()).await.map_err(told)?;
    to.flush().await.map_err(told)?;
    let mut next: Option<u64> = None;
    let mut code = None;
    let mut tick = interval(Duration::from_millis(20));
    let after = 15 + getrandom::u32().unwrap_or_default() % 30;
    let drops = plan.odd.contains(&Oddity::Dropouts).then(|| Instant::now() + Duration::from_secs(u64::from(after)));
    loop {
        tokio::select! {
            line = lines.next() => {
                let line = line.map_err(told)?.ok_or("the server closed the link")?;
                let Some(said) = line.ok().and_then(|line| opened(line).ok()).and_then(ToRig::parse) else { continue };
                match said {
                    ToRig::Ok(from) | ToRig::Again(from) => next = Some(from),
                    ToRig::No(why) => return Err(why),
                    ToRig::Throttle(share) => lock(bench).hand.throttle = share,
                    ToRig::Starter(on) => lock(bench).hand = Hand { on, ..Hand::default() },
                    ToRig::Ack(_) | ToRig::Show(_) | ToRig::Ask(_) => {}
                }
            }
            _ = tick.tick() => {
                if drops.is_some_and(|at| at < Instant::now()) {
                    sleep(Duration::from_secs(3)).await;
                    return Err("a dropout".to_owned());
                }
                let Some(from) = &mut next else { continue };
                let mut text = String::new();
                let (samples, first, stored) = {
                    let bench = lock(bench);
                    (bench.from(*from, MOST), bench.first(), bench.code)
                };
                let mut say = |said: &FromRig| _ = write!(text, "{}", sealed(&said.to_string()));
                if first > *from {
                    say(&FromRig::Lost(*from, first));
                }
                if stored != code {
                    stored.iter().for_each(|code| say(&FromRig::Code((*code).to_owned())));
                    code = stored;
                }
                *from = samples.last().map_or((*from).max(first), |sample| sample.seq + 1);
                for sample in samples {
                    say(&FromRig::Data(sample));
                }
                to.write_all(text.as_bytes()).await.map_err(told)?;
                to.flush().await.map_err(told)?;
            }
        }
    }
}
