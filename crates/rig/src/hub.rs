//! What is linked just now: the last minute of every rig in frames that a browser can draw, and the way back to the rig.
//!
//! The recorder feeds it before it keeps anything, and waits for no one: whoever watches takes what there is since they last looked, and who is slow gets it coarser.
use crate::chunk::{COLUMNS, Peak, place};
use crate::said::{Can, Channel, Kind, Sample, ToRig};
use std::collections::{HashMap, VecDeque};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::{mpsc, watch};
use uuid::Uuid;

/// A frame is so long, s.
pub const FRAME_S: f64 = 0.05;
/// Frames that are held: two minutes.
const HELD: usize = 2400;
/// A rig that said nothing for so long may be taken for gone.
const SILENT: Duration = Duration::from_secs(10);
/// Speed from pulses is worked out over so long, microseconds.
const TURNS_US: u64 = 400_000;
/// Moments that are marked in one run.
pub const MOST_MARKS: usize = 200;

/// A twentieth of a second.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Frame {
    /// Its beginning, seconds of the run.
    pub time_s: f64,
    /// Columns as [`place`] orders them; speed in turns a minute however it was measured.
    pub peaks: [Peak; COLUMNS],
}

/// What a connection is told from elsewhere.
#[derive(Debug, Clone, PartialEq)]
pub enum Order {
    /// Say this to the rig.
    Say(ToRig),
    /// End, and say why.
    End(String),
}

/// A rig as it is linked, or was until its link broke.
#[derive(Debug)]
pub struct Linked {
    /// Key of the rig.
    pub rig: Uuid,
    /// Whose.
    pub shop: Uuid,
    /// Name of the rig.
    pub name: String,
    /// Number of the job it records for.
    pub job: i64,
    /// Key of the run it records.
    pub run: Uuid,
    /// Of which start of the rig.
    pub boot: u64,
    /// What it measures.
    pub channels: Vec<Channel>,
    /// What can be done to it.
    pub can: Vec<Can>,
    /// Which connection, counted over all.
    connection: u64,
    orders: mpsc::Sender<Order>,
    state: Mutex<State>,
    moved: watch::Sender<u64>,
}

#[derive(Debug)]
struct State {
    frames: VecDeque<Frame>,
    /// Frames that were ever closed.
    closed: u64,
    open: Option<Open>,
    zero_us: Option<u64>,
    pulses: VecDeque<(u64, f64)>,
    codes: Vec<String>,
    holds_asked: u64,
    /// Marked moments, seconds of the run.
    marks: Vec<f64>,
    last_us: Option<u64>,
    heard: Instant,
    on: bool,
}

#[derive(Debug)]
struct Open {
    number: u64,
    values: [Vec<f32>; COLUMNS],
}

/// What a watcher is told of the link beside the frames.
#[derive(Debug, Clone, PartialEq)]
pub struct LinkNews {
    /// The link stands.
    pub on: bool,
    /// How long nothing came, s.
    pub silent_s: f64,
    /// Codes that the engine's module stores.
    pub codes: Vec<String>,
    /// Times that its key for a hold was pressed.
    pub holds_asked: u64,
    /// Moments marked since the server started, seconds of the run.
    pub marks: Vec<f64>,
}

impl Linked {
    /// As a connection begins; `zero_us` is the rig's clock at the run's beginning where that is known.
    pub fn new(
        (rig, shop, name): (Uuid, Uuid, String),
        (job, run): (i64, Uuid),
        boot: u64,
        channels: Vec<Channel>,
        can: Vec<Can>,
        orders: mpsc::Sender<Order>,
        zero_us: Option<u64>,
    ) -> Self {
        static CONNECTIONS: AtomicU64 = AtomicU64::new(0);
        let state = State {
            frames: VecDeque::new(),
            closed: 0,
            open: None,
            zero_us,
            pulses: VecDeque::new(),
            codes: Vec::new(),
            holds_asked: 0,
            marks: Vec::new(),
            last_us: None,
            heard: Instant::now(),
            on: true,
        };
        let connection = CONNECTIONS.fetch_add(1, Ordering::Relaxed);
        Self { rig, shop, name, job, run, boot, channels, can, connection, orders, state: Mutex::new(state), moved: watch::Sender::new(0) }
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes a sample that is to be recorded.
    pub fn feed(&self, sample: &Sample) {
        let mut state = self.state();
        state.heard = Instant::now();
        state.last_us = Some(sample.us);
        let zero = *state.zero_us.get_or_insert(sample.us);
        let number = (sample.us.saturating_sub(zero) as f64 / 1e6 / FRAME_S) as u64;
        let mut moved = None;
        if state.open.as_ref().is_some_and(|open| open.number != number) {
            moved = state.close();
        }
        let open = state.open.get_or_insert_with(|| Open { number, values: Default::default() });
        let mut pulse = None;
        for (channel, value) in self.channels.iter().zip(&sample.values) {
            if let Kind::Speed { per_turn: Some(per_turn) } = channel.kind {
                pulse = Some((*value, per_turn));
            } else if let Some(values) = open.values.get_mut(place(channel.kind)) {
                values.push(channel.kind.kept(*value) as f32);
            }
        }
        if let Some((counted, per_turn)) = pulse.filter(|(counted, _)| counted.is_finite()) {
            let rpm = state.turns(sample.us, counted, per_turn);
            if let (Some(rpm), Some(open)) = (rpm, &mut state.open)
                && let Some(values) = open.values.get_mut(1)
            {
                values.push(rpm as f32);
            }
        }
        drop(state);
        if let Some(closed) = moved {
            self.moved.send_replace(closed);
        }
    }

    /// The key for a hold was pressed at the rig.
    pub fn hold_asked(&self) {
        self.state().holds_asked += 1;
    }

    /// Marks the moment of the last sample, and tells it by the rig's clock; none while nothing came, or when enough were marked.
    pub fn mark(&self) -> Option<u64> {
        let mut state = self.state();
        let (zero, last) = state.zero_us.zip(state.last_us).filter(|_| state.marks.len() < MOST_MARKS)?;
        state.marks.push(last.saturating_sub(zero) as f64 / 1e6);
        Some(last)
    }

    /// The module told a stored code.
    pub fn code(&self, code: String) {
        let mut state = self.state();
        if state.codes.len() < 20 && !state.codes.contains(&code) {
            state.codes.push(code);
        }
    }

    /// The link ended.
    pub fn off(&self) {
        let mut state = self.state();
        state.on = false;
        state.close();
        let closed = state.closed;
        drop(state);
        self.moved.send_replace(closed);
    }

    /// Of the link.
    pub fn told(&self) -> LinkNews {
        let state = self.state();
        LinkNews {
            on: state.on,
            silent_s: state.heard.elapsed().as_secs_f64(),
            codes: state.codes.clone(),
            holds_asked: state.holds_asked,
            marks: state.marks.clone(),
        }
    }

    /// The oil's temperature as it was last measured, °C; none where it is not, or while nobody is linked.
    pub fn oil_c(&self) -> Option<f64> {
        let state = self.state();
        let last = state.frames.back().filter(|_| state.on)?;
        last.peaks.get(place(Kind::Oil { fahrenheit: false })).map(|peak| f64::from(peak.mean)).filter(|oil| oil.is_finite())
    }

    /// Changes whenever a frame was closed or the link ended.
    pub fn watch(&self) -> watch::Receiver<u64> {
        self.moved.subscribe()
    }

    /// Frames after the first `after` that were ever closed, as far as they are still held, and how many were closed by now.
    pub fn frames(&self, after: u64) -> (u64, Vec<Frame>) {
        let state = self.state();
        let wanted = state.closed.saturating_sub(after).min(state.frames.len() as u64) as usize;
        (state.closed, state.frames.iter().skip(state.frames.len() - wanted).copied().collect())
    }

    /// Says something to the rig; false when it is not linked, or has more to do than it can.
    pub fn say(&self, what: ToRig) -> bool {
        self.state().on && self.orders.try_send(Order::Say(what)).is_ok()
    }

    fn fresh(&self) -> bool {
        let state = self.state();
        state.on && state.heard.elapsed() < SILENT
    }
}

impl State {
    fn close(&mut self) -> Option<u64> {
        let open = self.open.take()?;
        let peaks = open.values.map(Peak::of);
        self.frames.push_back(Frame { time_s: open.number as f64 * FRAME_S, peaks });
        if self.frames.len() > HELD {
            self.frames.pop_front();
        }
        self.closed += 1;
        Some(self.closed)
    }

    /// Speed from the pulses of the last moments.
    fn turns(&mut self, us: u64, counted: f64, per_turn: f64) -> Option<f64> {
        self.pulses.push_back((us, counted));
        while self.pulses.len() > 2 && self.pulses.get(1).is_some_and(|(then, _)| us - then >= TURNS_US) {
            self.pulses.pop_front();
        }
        let (then, before) = self.pulses.front()?;
        let seconds = us.saturating_sub(*then) as f64 / 1e6;
        (seconds >= 0.5 * TURNS_US as f64 / 1e6).then(|| 60.0 * (counted - before).max(0.0) / per_turn / seconds)
    }
}

/// All rigs that were linked since the server started.
#[derive(Debug, Default)]
pub struct Hub {
    linked: Mutex<HashMap<Uuid, Arc<Linked>>>,
}

impl Hub {
    fn linked(&self) -> MutexGuard<'_, HashMap<Uuid, Arc<Linked>>> {
        self.linked.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Lets a connection in. A newer one of the same start takes the place of an older; another start waits until the one before has been silent for a while.
    ///
    /// # Errors
    /// With the sentence that the rig is told.
    pub fn enter(&self, linked: Arc<Linked>) -> Result<(), String> {
        let mut all = self.linked();
        if let Some(before) = all.get(&linked.rig) {
            if before.boot != linked.boot && before.fresh() {
                return Err(format!(
                    "another data logger is connected as {}; two cannot share a name, so pair this one under its own",
                    linked.name
                ));
            }
            before.end("a newer connection of the same data logger took over");
            if before.run == linked.run {
                // Whoever watches goes on where they were.
                let mut old = before.state();
                let mut new = linked.state();
                new.frames = std::mem::take(&mut old.frames);
                new.closed = old.closed;
                new.codes = std::mem::take(&mut old.codes);
                new.holds_asked = old.holds_asked;
                new.marks = std::mem::take(&mut old.marks);
                new.zero_us = new.zero_us.or(old.zero_us);
            }
        }
        all.insert(linked.rig, linked);
        Ok(())
    }

    /// A rig that was unpaired or sent to another job ends, and comes back if it may.
    pub fn end(&self, rig: Uuid, why: &str) {
        if let Some(linked) = self.linked().remove(&rig) {
            linked.end(why);
        }
    }

    /// A connection ended by itself.
    pub fn left(&self, linked: &Linked) {
        linked.off();
        tracing::info!(rig = %linked.name, connection = linked.connection, "a rig's link ended");
    }

    /// The rig that records for a job of a shop, linked or broken off.
    pub fn of_job(&self, shop: Uuid, job: i64) -> Option<Arc<Linked>> {
        let all = self.linked();
        let own = all.values().filter(|linked| linked.shop == shop && linked.job == job);
        own.max_by_key(|linked| (linked.state().on, linked.connection)).cloned()
    }

    /// Rigs whose link stands.
    pub fn connected(&self) -> usize {
        self.linked().values().filter(|linked| linked.state().on).count()
    }

    /// A rig by its key.
    pub fn rig(&self, rig: Uuid) -> Option<Arc<Linked>> {
        self.linked().get(&rig).cloned()
    }
}

impl Linked {
    fn end(&self, why: &str) {
        // A full queue belongs to a connection that hangs: it ends by its own patience.
        let _told = self.orders.try_send(Order::End(why.to_owned()));
        self.off();
    }
}
