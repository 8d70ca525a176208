//! Where a recorded run comes from, a file that was brought in or a rig, and what pictures and tables take from either.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::run::named::Named;
use rayon::prelude::*;
use std::sync::Arc;
use uuid::Uuid;
use velvet_dial_core::capture::{self, CaptureError, Level, Run, levels};
use velvet_dial_core::message;
use velvet_dial_rig::chunk::{self, COLUMNS, Peak};
use velvet_dial_rig::said::Channel;
use velvet_dial_store::jobs::{self, File};
use velvet_dial_store::rigs::{self, Clock, Keeping, Peaks, Recorded};

/// A recorded run of a job.
pub enum Source {
    /// A file, with the columns as a person named them.
    File { file: File, mapping: Option<String> },
    /// What a rig recorded.
    Rig(Recorded),
}

/// The two kinds as they stand in an address.
pub const FILES: &str = "captures";
pub const RIGS: &str = "runs";

/// Samples of a run that are looked at whole; of a longer one some are left out, and that is said. The picture loses no peak: it has those of every second.
const MOST_SAMPLES: usize = 4_000_000;
/// Seconds of a run that are unpacked one after another.
const AT_ONCE: usize = 30;
/// From so many seconds on, a picture is drawn from the peaks of whole seconds.
const BY_PEAKS_S: f64 = 240.0;
/// A file of so many samples is kept a second at a time beside its bytes, so that a closer look reads no more than it shows.
const LONG: usize = 400_000;

/// A run that is kept by the second: a rig's, or a long file's.
struct BySecond {
    run: Uuid,
    channels: Vec<Channel>,
    clock: Clock,
    samples: u64,
}

impl BySecond {
    fn of_rig(recorded: &Recorded) -> Self {
        Self { run: recorded.id, channels: recorded.channels.clone(), clock: recorded.clock(), samples: recorded.samples }
    }

    /// Of a file, where it is long and was read once; its speed is in turns a minute by then.
    async fn of_file(context: &JobContext, file: Uuid) -> Result<Option<Self>, Failure> {
        let kept = rigs::kept(&context.app.db, file).await?;
        Ok(kept.map(|(last_us, samples)| Self { run: file, channels: Vec::new(), clock: Clock((0, last_us)), samples }))
    }

    /// What was recorded between two times.
    async fn between(&self, context: &JobContext, from_s: f64, to_s: f64) -> Result<Arc<Run>, Failure> {
        let (zero, channels) = (self.clock.zero_us(), self.channels.clone());
        let packed = rigs::packed(&context.app.db, self.run, self.clock.at_us(from_s), self.clock.at_us(to_s)).await?;
        // A stretch of half a run is half of its samples, about.
        let share = ((to_s - from_s) / self.clock.seconds().max(1.0)).clamp(0.0, 1.0);
        let every = ((self.samples as f64 * share) as usize).div_ceil(MOST_SAMPLES).max(1);
        let read = move || -> Result<Arc<Run>, chunk::ChunkError> {
            let unpacked = |(first, bytes): &(u64, Vec<u8>)| chunk::Chunk::unpacked(*first, bytes).map(|chunk| chunk.thinned(every));
            let chunks: Vec<_> = if packed.len() > AT_ONCE {
                packed.par_iter().map(unpacked).collect::<Result<_, _>>()?
            } else {
                packed.iter().map(unpacked).collect::<Result<_, _>>()?
            };
            let mut run = chunk::run(&chunks, &channels, zero);
            if every > 1 {
                run.notes.push(message!("run-thinned", every = every));
            }
            Ok(Arc::new(run))
        };
        context.app.work.out(read).await?.map_err(|error| Failure::Store(rigs::damaged(error)))
    }

    /// As many steps as a picture takes, between two times.
    async fn levels(&self, context: &JobContext, (from_s, to_s): (f64, f64), most: usize) -> Result<Vec<Level>, Failure> {
        if to_s - from_s > BY_PEAKS_S {
            let peaks = rigs::peaks(&context.app.db, self.run, self.clock.at_us(from_s), self.clock.at_us(to_s)).await?;
            return Ok(of_peaks(&peaks, self.clock.zero_us(), most));
        }
        let run = self.between(context, from_s, to_s).await?;
        Ok(context.app.work.out(move || levels(&run, from_s, to_s, most)).await?)
    }
}

impl Source {
    /// By its address.
    pub async fn of(context: &JobContext, kind: &str, id: Uuid) -> Result<Self, Failure> {
        match kind {
            FILES => {
                let (file, mapping) = jobs::capture_head(&context.app.db, &context.viewer, context.number, id).await?;
                Ok(Self::File { file, mapping })
            }
            RIGS => Ok(Self::Rig(rigs::recorded(&context.app.db, &context.viewer, context.number, id).await?)),
            _ => Err(Failure::NoPage),
        }
    }

    /// What a rig recorded, as the store tells it; none of a file.
    pub fn recorded(self) -> Option<Recorded> {
        if let Self::Rig(recorded) = self { Some(recorded) } else { None }
    }

    /// How it is kept by the second; none of a short file.
    async fn kept(&self, context: &JobContext) -> Result<Option<BySecond>, Failure> {
        match self {
            Self::Rig(recorded) => Ok(Some(BySecond::of_rig(recorded))),
            Self::File { file, .. } => BySecond::of_file(context, file.id).await,
        }
    }

    /// The whole run, kept by memory; of a file that cannot be read, why.
    pub async fn whole(&self, context: &JobContext) -> Result<Result<Arc<Run>, CaptureError>, Failure> {
        let app = context.app.clone();
        match self {
            Self::File { file, mapping } => {
                let key = format!("{} {}", file.id, mapping.as_deref().unwrap_or_default());
                if let Some(run) = app.kept.run(&key) {
                    return Ok(Ok(run));
                }
                let bytes = jobs::capture_bytes(&app.db, file.id).await?;
                let map = mapping.as_deref().and_then(|text| serde_json::from_str::<Named>(text).ok()).and_then(|named| named.map());
                let read = move || -> Result<Arc<Run>, CaptureError> {
                    let table = capture::table(&bytes)?;
                    let run = Arc::new(capture::read(&table, &capture::mapping(&table, map.as_deref())?)?);
                    app.kept.keep_run(key, &run);
                    Ok(run)
                };
                let run = match context.app.work.out(read).await? {
                    Ok(run) => run,
                    Err(error) => return Ok(Err(error)),
                };
                if let Err(error) = keep_long(context, file.id, &run).await {
                    tracing::warn!(%error, file = %file.id, "a long file could not be kept by the second; a closer look reads it whole");
                }
                Ok(Ok(run))
            }
            Self::Rig(recorded) => {
                let key = format!("{} {}", recorded.id, recorded.samples);
                if let Some(run) = app.kept.run(&key) {
                    return Ok(Ok(run));
                }
                let run = BySecond::of_rig(recorded).between(context, 0.0, f64::MAX).await?;
                app.kept.keep_run(key, &run);
                Ok(Ok(run))
            }
        }
    }

    /// A stretch of the run: no more than that is read, but of a short file.
    pub async fn stretch(&self, context: &JobContext, from_s: f64, to_s: f64) -> Result<Arc<Run>, Failure> {
        match self.kept(context).await? {
            Some(kept) => kept.between(context, from_s, to_s).await,
            None => Ok(self.whole(context).await?.map_err(|error| Failure::Form(error.to_string()))?),
        }
    }

    /// As many steps as a picture takes, between two times; the run's own where none are said.
    pub async fn levels(&self, context: &JobContext, span: Option<(f64, f64)>, most: usize) -> Result<Vec<Level>, Failure> {
        if let Some(kept) = self.kept(context).await? {
            return kept.levels(context, span.unwrap_or((0.0, kept.clock.seconds())), most).await;
        }
        let (from_s, to_s) = span.unwrap_or((f64::MIN, f64::MAX));
        let run = self.whole(context).await?.map_err(|error| Failure::Form(error.to_string()))?;
        Ok(context.app.work.out(move || levels(&run, from_s, to_s, most)).await?)
    }
}

/// Keeps a long file by the second, once. One that begins before its own zero is read whole each time.
async fn keep_long(context: &JobContext, file: Uuid, run: &Arc<Run>) -> Result<(), Failure> {
    /// Seconds packed before they are kept.
    const SOME: usize = 64;
    let samples = run.time_s.len();
    let begins = run.time_s.first().is_some_and(|first| *first >= 0.0);
    if samples < LONG || !begins || rigs::kept(&context.app.db, file).await?.is_some() {
        return Ok(());
    }
    let keeping = Keeping::begin(&context.app.db, file).await?;
    let mut next = 0;
    while next < samples {
        let run = Arc::clone(run);
        let some = move || -> Result<Vec<_>, chunk::ChunkError> {
            let mut seconds = Vec::with_capacity(SOME);
            let mut from = next;
            while from < run.time_s.len() && seconds.len() < SOME {
                let second = chunk::second_of(&run, from);
                from = second.next() as usize;
                seconds.push(second);
            }
            seconds.into_par_iter().map(|second| second.packed().map(|bytes| (second, bytes))).collect()
        };
        let packed = context.app.work.out(some).await?.map_err(|error| Failure::Store(rigs::damaged(error)))?;
        next = packed.last().map_or(samples, |(second, _)| second.next() as usize);
        keeping.take(packed).await?;
    }
    Ok(keeping.end().await?)
}

/// Peaks of whole seconds as steps of a picture.
fn of_peaks(peaks: &[Peaks], zero_us: u64, most: usize) -> Vec<Level> {
    let per = peaks.len().div_ceil(most.max(1)).max(1);
    let seconds = |us: u64| us.saturating_sub(zero_us) as f64 / 1e6;
    peaks
        .chunks(per)
        .filter_map(|some| {
            let (first, last) = some.first().zip(some.last())?;
            let time_s = 0.5 * (seconds(first.span_us.0) + seconds(last.span_us.1));
            Some(level(time_s, &chunk::together(some.iter().map(|peaks| &peaks.columns))))
        })
        .filter(|level| level.kpa.iter().all(|kpa| kpa.is_finite()))
        .collect()
}

/// A step of a picture, of what a rig's columns were in it.
pub fn level(time_s: f64, columns: &[Peak; COLUMNS]) -> Level {
    let [kpa, rpm, oil, dash, _] = *columns;
    Level {
        time_s,
        kpa: [kpa.least, kpa.mean, kpa.most].map(f64::from),
        rpm: f64::from(rpm.mean),
        oil_temp_c: f64::from(oil.mean),
        dash_kpa: f64::from(dash.mean),
    }
}
