//! About a second of samples, column by column, packed by pco: what is kept as one.
use crate::said::{Channel, Kind, Sample};
use pco::ChunkConfig;
use pco::standalone::{simple_compress, simple_decompress};
use std::sync::LazyLock;
use thiserror::Error;
use velvet_dial_core::capture::{Run, recorded};

/// What is kept of every rig, in this order: pressure kPa, speed (turns a minute, or pulses as they were counted), oil °C, dash kPa, supply V.
pub const COLUMNS: usize = 5;

/// Where a channel is kept.
pub fn place(kind: Kind) -> usize {
    match kind {
        Kind::Pressure { .. } => 0,
        Kind::Speed { .. } => 1,
        Kind::Oil { .. } => 2,
        Kind::Dash { .. } => 3,
        Kind::Supply => 4,
    }
}

/// Least, mean and greatest of a column; not numbers where it said nothing.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Peak {
    /// Least.
    pub least: f32,
    /// Mean.
    pub mean: f32,
    /// Greatest.
    pub most: f32,
}

impl Peak {
    /// Of nothing.
    pub const NONE: Self = Self { least: f32::NAN, mean: f32::NAN, most: f32::NAN };

    /// Of those values that are numbers.
    pub fn of(values: impl IntoIterator<Item = f32>) -> Self {
        let (mut least, mut most, mut sum, mut count) = (f32::INFINITY, f32::NEG_INFINITY, 0.0_f64, 0_u32);
        for value in values.into_iter().filter(|value| !value.is_nan()) {
            (least, most, sum, count) = (least.min(value), most.max(value), sum + f64::from(value), count + 1);
        }
        if count == 0 { Self::NONE } else { Self { least, mean: (sum / f64::from(count)) as f32, most } }
    }

    /// Of several, the mean of their means.
    pub fn together(peaks: impl Iterator<Item = Self> + Clone) -> Self {
        let of = |pick: fn(Self) -> f32| Self::of(peaks.clone().map(pick));
        Self { least: of(|peak| peak.least).least, mean: of(|peak| peak.mean).mean, most: of(|peak| peak.most).most }
    }
}

/// Consecutive samples.
#[derive(Debug, Clone, Default)]
pub struct Chunk {
    /// Number of the first.
    pub first: u64,
    /// The rig's clock at each, microseconds.
    pub us: Vec<u64>,
    /// A value each, as kept; a column that no channel fills is empty.
    pub columns: [Vec<f32>; COLUMNS],
    /// Numbers that the rig no longer held: then there are no samples.
    pub lost: u64,
    /// Moments that were marked at the rig meanwhile, microseconds of its clock; kept beside the packed columns.
    pub marks: Vec<u64>,
}

/// Why packed bytes cannot be read.
#[derive(Debug, Error)]
pub enum ChunkError {
    /// Not ours.
    #[error("these bytes are no recorded second")]
    NotOne,
    /// Damaged.
    #[error("a recorded second is damaged: {0}")]
    Pco(#[from] pco::errors::PcoError),
}

static CONFIG: LazyLock<ChunkConfig> = LazyLock::new(|| ChunkConfig::default().with_compression_level(6));
const FORM: u8 = 1;

impl Chunk {
    /// An empty one whose first sample will have this number.
    pub fn from(first: u64) -> Self {
        Self { first, ..Self::default() }
    }

    /// Numbers that are gone at the rig.
    pub fn gone(from: u64, to: u64) -> Self {
        Self { first: from, lost: to - from, ..Self::default() }
    }

    /// True without samples, gaps and marks.
    pub fn is_empty(&self) -> bool {
        self.us.is_empty() && self.lost == 0 && self.marks.is_empty()
    }

    /// The number after the last.
    pub fn next(&self) -> u64 {
        self.first + self.us.len() as u64 + self.lost
    }

    /// Adds a sample.
    pub fn push(&mut self, channels: &[Channel], sample: &Sample) {
        self.us.push(sample.us);
        for (channel, value) in channels.iter().zip(&sample.values) {
            if let Some(column) = self.columns.get_mut(place(channel.kind)) {
                column.push(channel.kind.kept(*value) as f32);
            }
        }
    }

    /// With each `every`th sample alone.
    pub fn thinned(mut self, every: usize) -> Self {
        let every = every.max(1);
        self.us = self.us.into_iter().step_by(every).collect();
        self.columns = self.columns.map(|column| column.into_iter().step_by(every).collect());
        self
    }

    /// First and last time, microseconds.
    pub fn span(&self) -> Option<(u64, u64)> {
        self.us.first().copied().zip(self.us.last().copied())
    }

    /// Least, mean and greatest of every column.
    pub fn peaks(&self) -> [Peak; COLUMNS] {
        self.columns.each_ref().map(|column| Peak::of(column.iter().copied()))
    }

    /// As it is kept: a byte for the form, then times and columns, each with its length before it.
    ///
    /// # Errors
    /// When pco refuses, which it does for more values than a chunk may hold.
    pub fn packed(&self) -> Result<Vec<u8>, ChunkError> {
        let mut bytes = vec![FORM];
        let mut part = |packed: Vec<u8>| {
            bytes.extend((packed.len() as u32).to_le_bytes());
            bytes.extend(packed);
        };
        part(simple_compress(&self.us, &CONFIG)?);
        for column in &self.columns {
            part(if column.is_empty() { Vec::new() } else { simple_compress(column, &CONFIG)? });
        }
        Ok(bytes)
    }

    /// Back from what is kept.
    ///
    /// # Errors
    /// [`ChunkError`] for what is none or damaged.
    pub fn unpacked(first: u64, bytes: &[u8]) -> Result<Self, ChunkError> {
        let (form, mut rest) = bytes.split_first().ok_or(ChunkError::NotOne)?;
        if *form != FORM {
            return Err(ChunkError::NotOne);
        }
        let mut part = || -> Result<&[u8], ChunkError> {
            let (length, after) = rest.split_first_chunk::<4>().ok_or(ChunkError::NotOne)?;
            let (part, after) = after.split_at_checked(u32::from_le_bytes(*length) as usize).ok_or(ChunkError::NotOne)?;
            rest = after;
            Ok(part)
        };
        let mut chunk = Self { first, us: simple_decompress(part()?)?, ..Self::default() };
        for column in &mut chunk.columns {
            let bytes = part()?;
            if !bytes.is_empty() {
                *column = simple_decompress(bytes)?;
            }
        }
        Ok(chunk)
    }
}

/// A second of a file's run, from its sample `first` on, its clock the run's own. A second of very many samples is cut.
pub fn second_of(run: &Run, first: usize) -> Chunk {
    const MOST: usize = 1 << 16;
    let rest = run.time_s.get(first..).unwrap_or_default();
    let from = rest.first().copied().unwrap_or_default();
    let end = first + rest.partition_point(|time| *time < from + 1.0).clamp(1, MOST);
    let of = |channel: &[f64]| channel.get(first..end).unwrap_or_default().iter().map(|value| *value as f32).collect();
    Chunk {
        us: run.time_s.get(first..end).unwrap_or_default().iter().map(|time| (time * 1e6).round() as u64).collect(),
        columns: [of(&run.kpa), of(&run.rpm), of(&run.oil_temp_c), of(&run.dash_kpa), Vec::new()],
        ..Chunk::from(first as u64)
    }
}

/// The run that consecutive chunks are, its clock from `zero_us`.
pub fn run(chunks: &[Chunk], channels: &[Channel], zero_us: u64) -> Run {
    let whole = chunks.iter().map(|chunk| chunk.us.len()).sum();
    let mut time_s = Vec::with_capacity(whole);
    let mut columns: [Vec<f64>; COLUMNS] = Default::default();
    for chunk in chunks {
        time_s.extend(chunk.us.iter().map(|us| us.saturating_sub(zero_us) as f64 / 1e6));
        for (all, some) in columns.iter_mut().zip(&chunk.columns) {
            all.extend(some.iter().map(|value| f64::from(*value)));
        }
    }
    let per_turn = channels.iter().find_map(|channel| match channel.kind {
        Kind::Speed { per_turn } => per_turn,
        _ => None,
    });
    let [kpa, speed, oil, dash, _] = columns;
    recorded(time_s, kpa, speed, per_turn, oil, dash)
}

/// What columns were over several stretches.
pub fn together<'a>(stretches: impl Iterator<Item = &'a [Peak; COLUMNS]> + Clone) -> [Peak; COLUMNS] {
    std::array::from_fn(|place| Peak::together(stretches.clone().filter_map(move |columns| columns.get(place).copied())))
}

/// Peaks as they are kept: three little-endian floats a column.
pub fn packed_peaks(peaks: &[Peak; COLUMNS]) -> Vec<u8> {
    peaks.iter().flat_map(|peak| [peak.least, peak.mean, peak.most]).flat_map(f32::to_le_bytes).collect()
}

/// Back from what is kept; nothing where it is none.
pub fn unpacked_peaks(bytes: &[u8]) -> [Peak; COLUMNS] {
    let mut floats = bytes.as_chunks::<4>().0.iter().map(|four| f32::from_le_bytes(*four));
    let mut next = || floats.next().unwrap_or(f32::NAN);
    std::array::from_fn(|_| Peak { least: next(), mean: next(), most: next() })
}
