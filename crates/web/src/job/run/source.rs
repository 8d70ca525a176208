//! Where a recorded run comes from, a file that was brought in or a rig, and what pictures and tables take from either.
use crate::http::Failure;
use crate::job::Desk;
use crate::job::run::named::Named;
use rayon::prelude::*;
use std::sync::Arc;
use uuid::Uuid;
use velvet_dial_core::capture::{self, CaptureError, Level, Run, levels};
use velvet_dial_rig::chunk;
use velvet_dial_store::jobs::{self, File};
use velvet_dial_store::rigs::{self, Peaks, Recorded};

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
/// From so many seconds on, a picture is drawn from the peaks of whole seconds.
const BY_PEAKS_S: f64 = 240.0;

impl Source {
    /// By its address.
    pub async fn of(desk: &Desk, kind: &str, id: Uuid) -> Result<Self, Failure> {
        match kind {
            FILES => {
                let (file, mapping) = jobs::capture_head(&desk.app.db, &desk.viewer, desk.number, id).await?;
                Ok(Self::File { file, mapping })
            }
            RIGS => Ok(Self::Rig(rigs::recorded(&desk.app.db, &desk.viewer, desk.number, id).await?)),
            _ => Err(Failure::NoPage),
        }
    }

    /// The whole run, kept by memory; of a file that cannot be read, why.
    pub async fn whole(&self, desk: &Desk) -> Result<Result<Arc<Run>, CaptureError>, Failure> {
        let app = desk.app.clone();
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
                Ok(desk.app.work.out(read).await?)
            }
            Self::Rig(recorded) => {
                let key = format!("{} {}", recorded.id, recorded.samples);
                if let Some(run) = app.kept.run(&key) {
                    return Ok(Ok(run));
                }
                let run = of_rig(desk, recorded, 0.0, f64::MAX).await?;
                app.kept.keep_run(key, &run);
                Ok(Ok(run))
            }
        }
    }

    /// A stretch of the run: of a rig's no more than that is read.
    pub async fn stretch(&self, desk: &Desk, from_s: f64, to_s: f64) -> Result<Arc<Run>, Failure> {
        match self {
            Self::File { .. } => Ok(self.whole(desk).await?.map_err(|error| Failure::Form(error.to_string()))?),
            Self::Rig(recorded) => of_rig(desk, recorded, from_s, to_s).await,
        }
    }

    /// As many steps as a picture takes, between two times; the run's own where none are said.
    pub async fn levels(&self, desk: &Desk, span: Option<(f64, f64)>, most: usize) -> Result<Vec<Level>, Failure> {
        if let Self::Rig(recorded) = self {
            let (from_s, to_s) = span.unwrap_or((0.0, recorded.seconds()));
            if to_s - from_s > BY_PEAKS_S {
                let us = |seconds: f64| recorded.zero_us().saturating_add((seconds.max(0.0) * 1e6) as u64);
                let peaks = rigs::peaks(&desk.app.db, recorded, us(from_s), us(to_s)).await?;
                return Ok(of_peaks(&peaks, recorded.zero_us(), most));
            }
        }
        let (from_s, to_s) = span.unwrap_or((f64::MIN, f64::MAX));
        let run = self.stretch(desk, from_s, to_s).await?;
        Ok(desk.app.work.out(move || levels(&run, from_s, to_s, most)).await?)
    }
}

/// What a rig recorded between two times.
async fn of_rig(desk: &Desk, recorded: &Recorded, from_s: f64, to_s: f64) -> Result<Arc<Run>, Failure> {
    let (zero, channels) = (recorded.zero_us(), recorded.channels.clone());
    let us = |seconds: f64| zero.saturating_add((seconds.max(0.0) * 1e6) as u64);
    let packed = rigs::packed(&desk.app.db, recorded, us(from_s), us(to_s)).await?;
    // A stretch of half a run is half of its samples, about.
    let share = ((to_s - from_s) / recorded.seconds().max(1.0)).clamp(0.0, 1.0);
    let every = ((recorded.samples as f64 * share) as usize).div_ceil(MOST_SAMPLES).max(1);
    let read = move || {
        // A few seconds at a time: what is packed takes a tenth of what it unpacks to.
        let some = |some: &[(u64, Vec<u8>)]| -> Result<Run, chunk::ChunkError> {
            let chunks: Vec<_> = some.iter().map(|(first, bytes)| chunk::Chunk::unpacked(*first, bytes)).collect::<Result<_, _>>()?;
            Ok(chunk::run(&chunks, &channels, zero, every))
        };
        if every == 1 {
            let chunks: Result<Vec<_>, _> = packed.par_iter().map(|(first, bytes)| chunk::Chunk::unpacked(*first, bytes)).collect();
            return chunks.map(|chunks| Arc::new(chunk::run(&chunks, &channels, zero, 1)));
        }
        let mut run = Run::default();
        for part in packed.chunks(60) {
            let part = some(part)?;
            for (all, more) in [
                (&mut run.time_s, part.time_s),
                (&mut run.kpa, part.kpa),
                (&mut run.rpm, part.rpm),
                (&mut run.oil_temp_c, part.oil_temp_c),
                (&mut run.dash_kpa, part.dash_kpa),
            ] {
                all.extend(more);
            }
        }
        run.notes
            .push(format!("The run is long: of its samples each {every}th is looked at here, and saved. Look closer to see every one."));
        Ok(Arc::new(run))
    };
    desk.app.work.out(read).await?.map_err(|error| Failure::Store(rigs::damaged(error)))
}

/// Peaks of whole seconds as steps of a picture.
fn of_peaks(peaks: &[Peaks], zero_us: u64, most: usize) -> Vec<Level> {
    let per = peaks.len().div_ceil(most.max(1)).max(1);
    let mean = |some: &[Peaks], place: usize| {
        let said =
            some.iter().filter_map(|peaks| peaks.columns.get(place)).map(|peak| f64::from(peak.mean)).filter(|mean| mean.is_finite());
        let (sum, count) = said.fold((0.0, 0u32), |(sum, count), mean| (sum + mean, count + 1));
        if count == 0 { f64::NAN } else { sum / f64::from(count) }
    };
    let seconds = |us: u64| us.saturating_sub(zero_us) as f64 / 1e6;
    peaks
        .chunks(per)
        .filter_map(|some| {
            let (first, last) = some.first().zip(some.last())?;
            let pressure = some.iter().filter_map(|peaks| peaks.columns.first());
            let (least, greatest) =
                pressure.fold((f32::INFINITY, f32::NEG_INFINITY), |(least, most), peak| (least.min(peak.least), most.max(peak.most)));
            Some(Level {
                time_s: 0.5 * (seconds(first.span_us.0) + seconds(last.span_us.1)),
                kpa: [f64::from(least), mean(some, 0), f64::from(greatest)],
                rpm: mean(some, 1),
                oil_temp_c: mean(some, 2),
                dash_kpa: mean(some, 3),
            })
        })
        .filter(|level| level.kpa.iter().all(|kpa| kpa.is_finite()))
        .collect()
}
