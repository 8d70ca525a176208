//! From bytes to samples; nothing half-imported.
use super::header::Mapping;
use crate::field::{self, Field};
use thiserror::Error;

/// Largest file taken, bytes: two hours at ten samples a second.
pub const MOST_BYTES: usize = 8 * 1024 * 1024;
/// Most columns of a recorded run.
pub const MOST_COLUMNS: usize = 64;
/// Bad rows told one by one; the rest is counted.
const MOST_TOLD: usize = 12;
/// A transducer may read a little under zero at rest.
const CAPTURE_PRESSURE: Field = Field { min: -20.0, ..field::PRESSURE };
const TIME: Field = Field { key: "time", label: "Time", min: 0.0, max: 86_400.0, unit: "s" };

/// A file cut into cells, not yet understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    /// Names of the columns.
    pub header: Vec<String>,
    /// Rows with their line numbers in the file.
    pub rows: Vec<(u64, Vec<String>)>,
}

/// One moment.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sample {
    /// Seconds from the file's own zero.
    pub time_s: f64,
    /// Pressure, kPa.
    pub kpa: f64,
    /// Speed, turns a minute.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
}

/// A run, samples in the order of time.
#[derive(Debug, Clone, PartialEq)]
pub struct Capture {
    /// The samples, at least two.
    pub samples: Vec<Sample>,
}

/// A row that could not be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadRow {
    /// Line in the file, the header being 1.
    pub line: u64,
    /// Why.
    pub reason: String,
}

/// Why a file was not taken.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum CaptureError {
    /// No bytes, or no rows.
    #[error("The file is empty. It needs a header line and at least two rows.")]
    Empty,
    /// Too many bytes.
    #[error("The file is larger than 8 MB. Cut the run to the part that matters, or record fewer samples a second.")]
    TooLarge,
    /// Not text.
    #[error("This is not a text file, whatever its name says. Export the recording as CSV.")]
    NotText,
    /// More columns than any recorder writes.
    #[error(
        "The header has {0} columns; a recorded run has at most {MOST_COLUMNS}. Export the columns of time, pressure, speed and temperature alone."
    )]
    TooWide(usize),
    /// A quote that never closes, or the like.
    #[error("Line {line} cannot be cut into columns: {reason}.")]
    Broken {
        /// Line.
        line: u64,
        /// Why.
        reason: String,
    },
    /// Some rows are bad.
    #[error("{total} of the rows could not be read; nothing was imported.")]
    Rows {
        /// The first of them.
        told: Vec<BadRow>,
        /// All of them.
        total: usize,
    },
}

/// Cuts a file into header and rows.
///
/// # Errors
/// [`CaptureError`] for what is empty, too large, no text or cannot be cut.
pub fn table(bytes: &[u8]) -> Result<Table, CaptureError> {
    if bytes.len() > MOST_BYTES {
        return Err(CaptureError::TooLarge);
    }
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    if bytes.iter().all(u8::is_ascii_whitespace) {
        return Err(CaptureError::Empty);
    }
    let start = bytes.get(..bytes.len().min(4096)).unwrap_or(bytes);
    let odd = start.iter().filter(|byte| byte.is_ascii_control() && !byte.is_ascii_whitespace()).count();
    if bytes.contains(&0) || odd * 50 > start.len() {
        return Err(CaptureError::NotText);
    }
    let text = String::from_utf8_lossy(bytes);
    let first = text.lines().find(|line| !line.trim().is_empty()).unwrap_or_default();
    let delimiter = [b'\t', b';', b','].into_iter().find(|d| first.as_bytes().contains(d)).unwrap_or(b',');
    let mut reader = csv::ReaderBuilder::new().delimiter(delimiter).flexible(true).trim(csv::Trim::All).from_reader(text.as_bytes());
    let broken = |error: csv::Error| CaptureError::Broken {
        line: error.position().map_or(0, csv::Position::line),
        reason: "a quotation mark is not closed or the text is damaged".to_owned(),
    };
    let header: Vec<String> = reader.headers().map_err(broken)?.iter().map(str::to_owned).collect();
    if header.len() > MOST_COLUMNS {
        return Err(CaptureError::TooWide(header.len()));
    }
    let mut rows = Vec::new();
    for record in reader.records() {
        let record = record.map_err(broken)?;
        let line = record.position().map_or(0, csv::Position::line);
        if record.iter().any(|cell| !cell.is_empty()) {
            rows.push((line, record.iter().take(MOST_COLUMNS).map(str::to_owned).collect()));
        }
    }
    if rows.is_empty() { Err(CaptureError::Empty) } else { Ok(Table { header, rows }) }
}

/// The samples of a table under a mapping. All rows, or none.
///
/// # Errors
/// [`CaptureError::Rows`] with the bad ones, [`CaptureError::Empty`] for fewer than two rows.
pub fn read(table: &Table, mapping: &Mapping) -> Result<Capture, CaptureError> {
    let mut samples: Vec<Sample> = Vec::with_capacity(table.rows.len());
    let mut told = Vec::new();
    let mut total = 0;
    for (line, cells) in &table.rows {
        let read = sample(cells, mapping).and_then(|sample| match samples.last() {
            Some(last) if sample.time_s <= last.time_s => {
                Err(format!("time {} s does not come after {} s of the row before", sample.time_s, last.time_s))
            }
            _ => Ok(sample),
        });
        match read {
            Ok(sample) => samples.push(sample),
            Err(reason) => {
                total += 1;
                if told.len() < MOST_TOLD {
                    told.push(BadRow { line: *line, reason });
                }
            }
        }
    }
    if total > 0 {
        return Err(CaptureError::Rows { told, total });
    }
    if samples.len() < 2 { Err(CaptureError::Empty) } else { Ok(Capture { samples }) }
}

fn sample(cells: &[String], mapping: &Mapping) -> Result<Sample, String> {
    let cell =
        |at: usize, label: &str| cells.get(at).map(String::as_str).ok_or_else(|| format!("{label}: the column is missing in this row"));
    let number = |field: &Field, at: usize| field_number(field, cell(at, field.label)?);
    let unit = mapping.time.unit;
    let time_s = number(&Field { max: TIME.max / unit.seconds(), unit: unit.label(), ..TIME }, mapping.time.at)? * unit.seconds();
    let pressure = cell(mapping.pressure.at, "Pressure")?;
    let kpa = CAPTURE_PRESSURE.parse_pressure(pressure, mapping.pressure.unit).map_err(|error| error.to_string())?;
    let rpm = number(&field::RPM, mapping.speed)?;
    let raw_temp = number(&Field { max: 400.0, ..field::OIL_TEMP }, mapping.oil_temp.at)?;
    let oil_temp_c = field::OIL_TEMP.hold(mapping.oil_temp.unit.celsius(raw_temp)).map_err(|error| error.to_string())?;
    Ok(Sample { time_s, kpa: kpa.max(0.0), rpm, oil_temp_c })
}

fn field_number(field: &Field, text: &str) -> Result<f64, String> {
    field.parse(text).map_err(|error| error.to_string())
}
