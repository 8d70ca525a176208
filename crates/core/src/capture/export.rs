//! A run as a file that any table reads, and that comes back as the same run.
use super::read::Run;
use std::io::{self, Write};

/// Writes the channels that were recorded as CSV: seconds, kPa, turns a minute, °C, numbers in full.
///
/// # Errors
/// What the writer complains of.
pub fn write_csv(run: &Run, out: &mut impl Write) -> io::Result<()> {
    let channels = [
        ("oil pressure [kPa]", &run.kpa),
        ("engine speed [rpm]", &run.rpm),
        ("oil temperature [°C]", &run.oil_temp_c),
        ("dash pressure [kPa]", &run.dash_kpa),
    ];
    let kept: Vec<&(&str, &Vec<f64>)> = channels.iter().filter(|(_, values)| !values.is_empty()).collect();
    write!(out, "time [s]")?;
    for (name, _) in &kept {
        write!(out, ",{name}")?;
    }
    writeln!(out)?;
    for (row, time) in run.time_s.iter().enumerate() {
        write!(out, "{time}")?;
        for (_, values) in &kept {
            match values.get(row).filter(|value| value.is_finite()) {
                Some(value) => write!(out, ",{value}")?,
                None => write!(out, ",")?,
            }
        }
        writeln!(out)?;
    }
    Ok(())
}
