//! Threads of ports, adapters and gauges: one table, `knowledge/threads.toml`, each row with the standard it is from.
use serde::{Deserialize, Serialize};
use std::sync::LazyLock;

/// A family of threads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Family {
    /// Tapered inch pipe, 60°.
    InchPipe60Taper,
    /// Tapered inch pipe, 55°.
    InchPipe55Taper,
    /// Parallel inch pipe, 55°.
    InchPipe55Parallel,
    /// Metric fine, 60°.
    MetricFine,
    /// Straight inch, 60°.
    StraightInch,
}

impl Family {
    /// How much a port's bore is under the nominal diameter, pitches.
    pub(crate) fn bore_under(self) -> f64 {
        if self.flank_deg() < 60.0 { 1.2806 } else { 1.0825 }
    }

    /// Tapered.
    pub fn tapered(self) -> bool {
        matches!(self, Self::InchPipe60Taper | Self::InchPipe55Taper)
    }

    /// Angle between the flanks, degrees.
    pub fn flank_deg(self) -> f64 {
        match self {
            Self::InchPipe55Taper | Self::InchPipe55Parallel => 55.0,
            Self::InchPipe60Taper | Self::MetricFine | Self::StraightInch => 60.0,
        }
    }

    /// How it seals and what the hand minds.
    pub fn seals(self) -> &'static str {
        match self {
            Self::InchPipe60Taper | Self::InchPipe55Taper => "Seals on the thread: sealant, little torque, never forced in aluminium.",
            Self::InchPipe55Parallel | Self::MetricFine | Self::StraightInch => "Seals on a washer or a bonded ring: renew it.",
        }
    }
}

/// A thread of the table.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Thread {
    /// Its designation.
    pub name: String,
    /// Its family.
    pub family: Family,
    /// Crest diameter, mm; at the gauge plane of a tapered one.
    pub diameter_mm: f64,
    /// Pitch, mm.
    pub pitch_mm: f64,
    /// Where the dimensions are from.
    pub source: String,
}

#[derive(Deserialize)]
struct Table {
    thread: Vec<Thread>,
}

static THREADS: LazyLock<Vec<Thread>> = LazyLock::new(|| {
    // OK because the file is compiled in, and a test reads it.
    toml::from_str::<Table>(include_str!("../knowledge/threads.toml")).map(|table| table.thread).unwrap_or_default()
});

/// Every thread of the table.
pub fn threads() -> &'static [Thread] {
    &THREADS
}
