//! One connection of a rig: it says who it is and shows that, is let in, and what it measures is kept a second at a time and acknowledged when it is kept.
//!
//! Numbers tell what is missing. A number twice is passed over; one too high is asked for again from the gap; what the rig says it no longer holds, or what does not arrive whole
//! after some tries, is kept as lost, so that a gap is a gap for ever. Nothing more is read while a second is being kept, so that a slow database slows the rig and loses nothing.
use crate::chunk::Chunk;
use crate::hub::{Hub, Linked, Order};
use crate::line::{LineError, Lines, opened, sealed};
use crate::proof::Proof;
use crate::said::{Can, Channel, FromRig, Key, Kind, MOST_CHANNELS, Sample, ToRig};
use std::future::Future;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{Semaphore, SemaphorePermit, mpsc, oneshot};
use tokio::time::{Instant, interval, sleep, timeout};
use tokio_rustls::TlsAcceptor;
use uuid::Uuid;
use velvet_dial_core::hex::hex;

/// Who asks to be let in.
#[derive(Debug, Clone, PartialEq)]
pub struct Hello {
    /// Its name.
    pub name: String,
    /// That it has the token of its pairing.
    pub proof: Proof,
    /// Of which start.
    pub boot: u64,
    /// What it measures.
    pub channels: Vec<Channel>,
    /// What can be done to it.
    pub can: Vec<Can>,
}

/// Where what it measures goes.
#[derive(Debug, Clone, PartialEq)]
pub struct Admitted {
    /// Key of the rig.
    pub rig: Uuid,
    /// Whose it is.
    pub shop: Uuid,
    /// Number of the job it is assigned to.
    pub job: i64,
    /// Key of the run.
    pub run: Uuid,
    /// The first number that is not kept.
    pub next: u64,
    /// The rig's clock at the run's first sample, where one is kept.
    pub first_us: Option<u64>,
    /// And at its last.
    pub last_us: Option<u64>,
}

/// Why a rig is not let in, or why a second is not kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Refused {
    /// For good: the sentence that the rig is told.
    No(String),
    /// What keeps is away for a moment.
    Away(String),
}

/// What keeps.
pub trait Sink: Send + Sync + 'static {
    /// Lets a rig in, and says from which number it shall send.
    fn admit(&self, hello: &Hello) -> impl Future<Output = Result<Admitted, Refused>> + Send;
    /// Keeps a second for good: all of it or nothing, and never one that begins where another begins.
    fn keep(&self, admitted: &Admitted, chunk: &Chunk) -> impl Future<Output = Result<(), Refused>> + Send;
}

/// Rigs at once, each after it has shown who it is.
const MOST_RIGS: usize = 64;
/// Connections at once that have not shown yet who they are, and of one address. Where one more comes, the one that has said nothing for longest leaves.
const MOST_WAITING: usize = 256;
const MOST_OF_ADDRESS: usize = 16;
/// A rig says who it is within this.
const HELLO: Duration = Duration::from_secs(10);
/// Bytes of the question that it answers.
const QUESTION_BYTES: usize = 16;
/// No rig has lost more than this at once: a day of a thousand samples a second.
const MOST_LOST: u64 = 86_400_000;
/// A rig that says nothing for so long is gone.
const SILENT: Duration = Duration::from_secs(20);
/// It takes what it is told within this.
const WRITES: Duration = Duration::from_secs(5);
/// A chunk is so long, microseconds of the rig, and at most so long by our clock.
const CHUNK_US: u64 = 1_000_000;
const CHUNK: Duration = Duration::from_secs(1);
/// And holds at most so many samples.
const CHUNK_SAMPLES: usize = 4096;
/// The rig's clock goes on by at most this from sample to sample, microseconds.
const MOST_STEP_US: u64 = 3_600_000_000;
/// A number that does not arrive is asked for so often.
const TRIES: u32 = 3;
/// And what was asked for comes within this.
const UNDER_WAY: Duration = Duration::from_secs(2);
/// After so many lines in a row that cannot be read, nobody at the other end speaks to us.
const MOST_BAD: u32 = 200;
const SAY_SOMETHING: &str = "too many connections say nothing; say who you are at once";
const IN_CLEAR: &str = "this server takes no token in clear; bring the rig up to VD2, or start the server with --rig-token-in-clear";
const TOO_MUCH_LOST: &str = "it claims to have lost more than a day of samples; restart the rig, which begins a new run";
/// How long a wrong token waits for its answer.
const WRONG: Duration = Duration::from_millis(800);
/// How long a database that is away is left alone.
const AWAY: Duration = Duration::from_millis(500);

/// How rigs are let in.
#[derive(Clone, Default)]
pub struct Door {
    /// Rigs of the first version may send their token in clear.
    pub token_in_clear: bool,
    /// They are let in by TLS alone.
    pub tls: Option<TlsAcceptor>,
}

/// Connections that have not shown yet who they are, the oldest first.
#[derive(Debug, Default)]
struct Waiting(Mutex<Vec<Waits>>);

/// One of them.
#[derive(Debug)]
struct Waits {
    number: u64,
    from: IpAddr,
    /// Tells it to leave.
    leave: oneshot::Sender<()>,
}

impl Waiting {
    /// Takes one more in, and sends away who has waited longest where there are too many. What comes back is its number, and what it hears when it is sent away itself.
    fn enter(&self, from: IpAddr) -> (u64, oneshot::Receiver<()>) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let leaves = if all.iter().filter(|waits| waits.from == from).count() >= MOST_OF_ADDRESS {
            all.iter().position(|waits| waits.from == from)
        } else {
            (all.len() >= MOST_WAITING).then_some(0)
        };
        if let Some(place) = leaves {
            // One that has just left by itself hears nothing, and that is right.
            _ = all.remove(place).leave.send(());
        }
        let number = all.last().map_or(0, |waits| waits.number + 1);
        let (leave, told) = oneshot::channel();
        all.push(Waits { number, from, leave });
        (number, told)
    }

    fn leave(&self, number: u64) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).retain(|waits| waits.number != number);
    }
}

/// Lets rigs in, for ever.
pub async fn listen<S: Sink>(listener: TcpListener, door: Door, hub: Arc<Hub>, sink: Arc<S>) {
    let (door, places, waiting) = (Arc::new(door), Arc::new(Semaphore::new(MOST_RIGS)), Arc::new(Waiting::default()));
    loop {
        match listener.accept().await {
            Ok((stream, from)) => {
                let (hub, sink) = (Arc::clone(&hub), Arc::clone(&sink));
                let (door, places, waiting) = (Arc::clone(&door), Arc::clone(&places), Arc::clone(&waiting));
                tokio::spawn(async move {
                    if let Err(why) = one(stream, from.ip(), (&door, &places, &waiting), &hub, sink.as_ref()).await {
                        tracing::info!(%from, %why, "a rig was refused or left");
                    }
                });
            }
            Err(error) => {
                // Out of open files, most likely: waiting is all that helps.
                tracing::warn!(%error, "a rig could not be let in");
                sleep(AWAY).await;
            }
        }
    }
}

/// One connection, to its end: the sentence says why it ended.
async fn one<S: Sink>(
    stream: TcpStream,
    from: IpAddr,
    (door, places, waiting): (&Door, &Semaphore, &Waiting),
    hub: &Hub,
    sink: &S,
) -> Result<(), String> {
    stream.set_nodelay(true).ok();
    let (number, mut sent_away) = waiting.enter(from);
    let split = tokio::select! {
        split = timeout(HELLO, split(stream, door)) => split.map_err(|_| "nothing was said within ten seconds".to_owned()).flatten(),
        _ = &mut sent_away => Err(SAY_SOMETHING.to_owned()),
    };
    let (reads, writes) = split.inspect_err(|_| waiting.leave(number))?;
    let (mut lines, mut voice) = (Lines::new(BufReader::new(reads)), Voice(writes));
    let entered = tokio::select! {
        entered = let_in(&mut lines, &mut voice, door, places, hub, sink) => entered,
        _ = sent_away => Err(SAY_SOMETHING.to_owned()),
    };
    waiting.leave(number);
    match entered {
        Ok((admitted, linked, orders, _place)) => {
            let recording = Recording {
                chunk: Chunk::from(admitted.next),
                begun: Instant::now(),
                last_us: admitted.last_us,
                asked: None,
                heard: Instant::now(),
                bad: 0,
                linked: &linked,
                sink,
                admitted,
            };
            let ended = recording.run(&mut lines, &mut voice, orders).await;
            hub.left(&linked);
            if let Err(why) = &ended {
                voice.say(&ToRig::No(why.clone())).await.ok();
            }
            ended
        }
        Err(why) => {
            voice.say(&ToRig::No(why.clone())).await.ok();
            Err(why)
        }
    }
}

type Reads = Box<dyn AsyncRead + Send + Unpin>;
type Writes = Box<dyn AsyncWrite + Send + Unpin>;

/// Both ways of a connection, encrypted where the door asks for that.
async fn split(stream: TcpStream, door: &Door) -> Result<(Reads, Writes), String> {
    let Some(tls) = &door.tls else {
        let (reads, writes) = stream.into_split();
        return Ok((Box::new(reads), Box::new(writes)));
    };
    let stream = tls.accept(stream).await.map_err(|error| format!("no encrypted link: {error}"))?;
    let (reads, writes) = tokio::io::split(stream);
    Ok((Box::new(reads), Box::new(writes)))
}

type In = Lines<BufReader<Reads>>;

struct Voice(Writes);

impl Voice {
    async fn say(&mut self, what: &ToRig) -> Result<(), String> {
        let line = sealed(&what.to_string());
        let says = async {
            self.0.write_all(line.as_bytes()).await?;
            self.0.flush().await
        };
        match timeout(WRITES, says).await {
            Ok(Ok(())) => Ok(()),
            Ok(Err(error)) => Err(format!("the link broke: {error}")),
            Err(_) => Err("the rig does not take its commands".to_owned()),
        }
    }
}

async fn said(lines: &mut In) -> Result<FromRig, String> {
    let line = lines.next().await.map_err(|error| format!("the link broke: {error}"))?.ok_or("the rig left before it said who it is")?;
    let text = line.and_then(opened).map_err(|error: LineError| error.to_string())?;
    FromRig::parse(text).map_err(|error| error.to_string())
}

/// Asks the rig a question that only who has its token can answer.
async fn proof(lines: &mut In, voice: &mut Voice) -> Result<Proof, String> {
    let mut bytes = [0u8; QUESTION_BYTES];
    getrandom::fill(&mut bytes).map_err(|error| format!("no question can be asked ({error})"))?;
    let question = hex(&bytes);
    voice.say(&ToRig::Ask(question.clone())).await?;
    match said(lines).await? {
        FromRig::Answer(answer) => Ok(Proof::Answer { question, answer }),
        _ => Err("answer the question first".to_owned()),
    }
}

async fn hello(lines: &mut In, voice: &mut Voice, door: &Door) -> Result<Hello, String> {
    let mut hello: Option<Hello> = None;
    loop {
        match (said(lines).await?, &mut hello) {
            (FromRig::Hello { token: Some(_), .. }, None) if !door.token_in_clear => return Err(IN_CLEAR.to_owned()),
            (FromRig::Hello { name, token, boot }, None) => {
                let proof = match token {
                    Some(token) => Proof::Token(token),
                    None => proof(lines, voice).await?,
                };
                hello = Some(Hello { name, proof, boot, channels: Vec::new(), can: Vec::new() });
            }
            (_, None) => return Err("say hello first".to_owned()),
            (FromRig::Channel(channel), Some(hello)) => {
                let twice = hello.channels.iter().any(|other| crate::chunk::place(other.kind) == crate::chunk::place(channel.kind));
                if twice || hello.channels.len() == MOST_CHANNELS {
                    return Err("a channel is named twice; name each quantity once".to_owned());
                }
                hello.channels.push(channel);
            }
            (FromRig::Can(can), Some(hello)) if hello.can.len() < 4 => hello.can.push(can),
            (FromRig::Go, Some(told)) => {
                if !told.channels.iter().any(|channel| matches!(channel.kind, Kind::Pressure { .. })) {
                    return Err("no channel measures pressure; a rig needs one".to_owned());
                }
                return hello.ok_or_else(String::new);
            }
            _ => return Err("between hello and go stand channels alone".to_owned()),
        }
    }
}

/// A rig that was let in: where it goes, its link, what it is told, and its place.
type LetIn<'a> = (Admitted, Arc<Linked>, mpsc::Receiver<Order>, SemaphorePermit<'a>);

async fn let_in<'a, S: Sink>(
    lines: &mut In,
    voice: &mut Voice,
    door: &Door,
    places: &'a Semaphore,
    hub: &Hub,
    sink: &S,
) -> Result<LetIn<'a>, String> {
    let hello = timeout(HELLO, hello(lines, voice, door)).await.map_err(|_| "nothing was said within ten seconds".to_owned())??;
    let admitted = match sink.admit(&hello).await {
        Ok(admitted) => admitted,
        Err(Refused::No(why)) => {
            sleep(WRONG).await;
            return Err(why);
        }
        Err(Refused::Away(why)) => {
            tracing::warn!(%why, "a rig could not be let in");
            return Err("what keeps the run is away for a moment; try again".to_owned());
        }
    };
    let Ok(place) = places.try_acquire() else { return Err("more rigs than there are places; try again".to_owned()) };
    let (orders, ordered) = mpsc::channel(64);
    let who = (admitted.rig, admitted.shop, hello.name.clone());
    let linked = Linked::new(who, (admitted.job, admitted.run), hello.boot, hello.channels, hello.can, orders, admitted.first_us);
    let linked = Arc::new(linked);
    hub.enter(Arc::clone(&linked))?;
    Ok((admitted, linked, ordered, place))
}

/// A connection that records.
struct Recording<'a, S> {
    admitted: Admitted,
    linked: &'a Linked,
    sink: &'a S,
    chunk: Chunk,
    /// When its first sample came.
    begun: Instant,
    last_us: Option<u64>,
    /// Which number was asked for again, how often, and when last.
    asked: Option<(u64, u32, Instant)>,
    heard: Instant,
    bad: u32,
}

impl<S: Sink> Recording<'_, S> {
    async fn run(mut self, lines: &mut In, voice: &mut Voice, mut orders: mpsc::Receiver<Order>) -> Result<(), String> {
        voice.say(&ToRig::Ok(self.admitted.next)).await?;
        let mut tick = interval(CHUNK / 4);
        loop {
            tokio::select! {
                order = orders.recv() => match order {
                    Some(Order::Say(what)) => voice.say(&what).await?,
                    Some(Order::End(why)) => return Err(why),
                    None => return Err("the server forgot this rig; connect again".to_owned()),
                },
                line = lines.next() => match line {
                    Ok(Some(line)) => {
                        let said = line.and_then(opened).map_err(|error: LineError| error.to_string()).and_then(|text| FromRig::parse(text).map_err(|error| error.to_string()));
                        let ended = self.heard(said, voice).await;
                        if !matches!(ended, Ok(false)) {
                            // What came before it is kept, however the rig ends.
                            self.keep(voice).await?;
                            return ended.map(drop);
                        }
                    }
                    // What came whole is kept, whatever the link does.
                    Ok(None) => { self.keep(voice).await.ok(); return Ok(()); }
                    Err(error) => { self.keep(voice).await.ok(); return Err(format!("the link broke: {error}")); }
                },
                _ = tick.tick() => {
                    if !self.chunk.is_empty() && self.begun.elapsed() >= CHUNK {
                        self.keep(voice).await?;
                    }
                    if self.heard.elapsed() > SILENT {
                        return Err("nothing came for twenty seconds".to_owned());
                    }
                }
            }
        }
    }

    /// Takes what was said; true when the rig ends in order.
    async fn heard(&mut self, said: Result<FromRig, String>, voice: &mut Voice) -> Result<bool, String> {
        self.heard = Instant::now();
        let said = match said {
            Ok(said) => said,
            Err(why) => {
                self.bad += 1;
                return if self.bad > MOST_BAD { Err(format!("line after line cannot be read: {why}")) } else { Ok(false) };
            }
        };
        self.bad = 0;
        match said {
            FromRig::Data(sample) => self.sample(&sample, voice).await?,
            FromRig::Lost(from, to) => {
                let next = self.chunk.next();
                if to.saturating_sub(next) > MOST_LOST {
                    return Err(TOO_MUCH_LOST.to_owned());
                }
                if from <= next && next < to {
                    self.lost(to, voice).await?;
                }
            }
            FromRig::Key(Key::Hold) => self.linked.hold_asked(),
            FromRig::Key(Key::Mark) => self.chunk.marks.extend(self.linked.mark()),
            FromRig::Code(code) => self.linked.code(code),
            FromRig::Bye => return Ok(true),
            FromRig::Hello { .. } | FromRig::Answer(_) | FromRig::Channel(_) | FromRig::Can(_) | FromRig::Go => {
                return Err("hello, channels and go are said once, before the data".to_owned());
            }
        }
        Ok(false)
    }

    async fn sample(&mut self, sample: &Sample, voice: &mut Voice) -> Result<(), String> {
        let next = self.chunk.next();
        if sample.seq < next {
            return Ok(());
        }
        if sample.seq > next || sample.values.len() != self.linked.channels.len() {
            return self.again(next, sample.seq, voice).await;
        }
        if let Some(last) = self.last_us {
            if sample.us <= last {
                return Err(format!(
                    "the clock of sample {next} does not go on from the one before; restart the rig, which begins a new run"
                ));
            }
            if sample.us - last > MOST_STEP_US {
                return Err(format!(
                    "the clock of sample {next} is more than an hour ahead of the one before; restart the rig, which begins a new run"
                ));
            }
        }
        if self.chunk.is_empty() {
            self.begun = Instant::now();
        }
        self.last_us = Some(sample.us);
        self.linked.feed(sample);
        self.chunk.push(&self.linked.channels, sample);
        let spans = self.chunk.span().is_some_and(|(first, last)| last - first >= CHUNK_US);
        if spans || self.chunk.us.len() >= CHUNK_SAMPLES {
            self.keep(voice).await?;
        }
        Ok(())
    }

    /// A number did not come, or not whole.
    async fn again(&mut self, next: u64, came: u64, voice: &mut Voice) -> Result<(), String> {
        let asked = self.asked.filter(|(number, ..)| *number == next);
        let tries = asked.map_or(0, |(_, tries, _)| tries);
        // While what was asked for is under way, what was sent before it still arrives.
        if came > next + 1 && asked.is_some_and(|(.., when)| when.elapsed() < UNDER_WAY) {
            return Ok(());
        }
        if tries >= TRIES {
            return self.lost(next + 1, voice).await;
        }
        self.asked = Some((next, tries + 1, Instant::now()));
        voice.say(&ToRig::Again(next)).await
    }

    /// What is gone at the rig is kept as gone.
    async fn lost(&mut self, to: u64, voice: &mut Voice) -> Result<(), String> {
        self.keep(voice).await?;
        self.chunk = Chunk::gone(self.chunk.next(), to);
        self.keep(voice).await
    }

    /// Keeps the chunk and begins the next; waits for what keeps while it is away.
    async fn keep(&mut self, voice: &mut Voice) -> Result<(), String> {
        if self.chunk.is_empty() {
            return Ok(());
        }
        loop {
            match self.sink.keep(&self.admitted, &self.chunk).await {
                Ok(()) => break,
                Err(Refused::No(why)) => return Err(why),
                Err(Refused::Away(why)) => {
                    tracing::warn!(%why, rig = %self.linked.name, "a second could not be kept; it is tried again");
                    sleep(AWAY).await;
                }
            }
        }
        let next = self.chunk.next();
        self.chunk = Chunk::from(next);
        voice.say(&ToRig::Ack(next)).await
    }
}
