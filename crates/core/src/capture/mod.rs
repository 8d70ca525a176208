//! A recorded run: what it says, once it is read.
//!
//! Words: a [`Table`] is a file cut open; a [`Mapping`] says which column is which; a [`Run`] is its channels on one clock; an [`Analysis`] is all that it tells. In that
//! order: the file is told apart from what is no text and its rows of numbers are found behind whatever header rows its recorder wrote; columns are known by their names and
//! units, or a person says them; rows are read in parallel stretches, and what cannot be read is left out and told; then holds, start, sweep, warm-up and needle are looked for.
mod analysis;
mod clock;
mod coarse;
mod columns;
mod export;
mod file;
mod hold;
mod knee;
mod levels;
mod needle;
mod number;
mod quality;
mod read;
mod run;
mod smooth;
mod start;
mod time;
mod turns;
mod warm;

pub use analysis::{Analysis, Named, analyse, analysed, mapping, read_and_analyse, schema};
pub use columns::{Column, MapError, Mapping, Quantity, Scale, Turns, UNDERSTOOD};
pub use export::{parquet, write_csv};
pub use file::{MOST_BYTES, MOST_COLUMNS, MOST_ROWS, Table, table};
pub use hold::{Hold, between, dash_between, holds, standing};
pub use knee::Sweep;
pub use levels::{Level, levels};
pub use needle::{Motion, Moves, Needle, Sure};
pub use quality::Gap;
pub use read::{read, recorded};
pub use run::Run;
pub use start::SHOWS_KPA;
pub use warm::{LeftOver, Step, WarmUp, points_to};

use thiserror::Error;

/// Why a file was not taken. The sentence says what is wrong and what would be right.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum CaptureError {
    /// No bytes.
    #[error("The file is empty. It needs rows of numbers under a line of names.")]
    Empty,
    /// Fewer than two rows that can be used.
    #[error("The file holds fewer than two rows that can be read. Export the whole recording again.")]
    TooFew,
    /// Too many bytes.
    #[error("The file is larger than {} MB. Cut the run to the part that matters, or record fewer samples a second.", MOST_BYTES >> 20)]
    TooLarge,
    /// Too many rows.
    #[error("The file has {0} rows; at most {MOST_ROWS} are read. Cut the run to the part that matters, or record fewer samples a second.")]
    TooLong(usize),
    /// Not text.
    #[error("This is not a text file, whatever its name says. Export the recording as CSV.")]
    NotText,
    /// No rows of numbers.
    #[error(
        "There are no rows of numbers in this file. Export the recording as CSV, with time, pressure, speed and temperature in columns."
    )]
    NoRows,
    /// A line that never ends.
    #[error("Line {line} is longer than any row of a recording. Export the recording as CSV, a row a line.")]
    LongLine {
        /// Line.
        line: u64,
    },
    /// More columns than any recorder writes.
    #[error(
        "The file has {0} columns; a recorded run has at most {MOST_COLUMNS}. Export the columns of time, pressure, speed and temperature alone."
    )]
    TooWide(usize),
    /// The header does not say it all.
    #[error("The header does not say which column is {}. Name the columns.", missing.iter().map(|quantity| quantity.label()).collect::<Vec<_>>().join(", which is "))]
    Unnamed {
        /// The columns there are.
        columns: Vec<String>,
        /// What is not known.
        missing: Vec<Quantity>,
    },
    /// A person's map is wrong.
    #[error(transparent)]
    Map(#[from] MapError),
    /// A column that should hold numbers holds none.
    #[error("“{column}” holds no numbers: line {line} has “{typed}”. Choose another column.")]
    NotNumbers {
        /// Its name.
        column: String,
        /// What stands there.
        typed: String,
        /// Where.
        line: u64,
    },
    /// Most rows cannot be read.
    #[error("{count} of {whole} rows cannot be read, the first in line {line}: “{typed}” under “{column}”. Nothing was taken.")]
    Rows {
        /// How many.
        count: u64,
        /// Of so many.
        whole: u64,
        /// Line of the first.
        line: u64,
        /// Column of the first.
        column: String,
        /// What stands there.
        typed: String,
    },
    /// Most pressures are none.
    #[error("{count} of {whole} pressures are beyond any gauge. Check the unit of the pressure, or the recorder's range.")]
    OverRange {
        /// How many.
        count: usize,
        /// Of so many.
        whole: usize,
    },
}
