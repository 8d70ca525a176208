//! A run as a file that any table reads, and that comes back as the same run.
use super::run::Run;
use parquet::basic::{Repetition, Type as PhysicalType};
use parquet::data_type::DoubleType;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::Type;
use std::io::{self, Write};
use std::sync::Arc;

/// What a run may hold, by the names of its columns.
fn channels(run: &Run) -> [(&'static str, &Vec<f64>); 5] {
    [
        ("time [s]", &run.time_s),
        ("oil pressure [kPa]", &run.kpa),
        ("engine speed [rpm]", &run.rpm),
        ("oil temperature [°C]", &run.oil_temp_c),
        ("dash pressure [kPa]", &run.dash_kpa),
    ]
}

/// Writes the channels that were recorded as CSV: seconds, kPa, turns a minute, °C, numbers in full.
///
/// # Errors
/// What the writer complains of.
pub fn write_csv(run: &Run, out: &mut impl Write) -> io::Result<()> {
    let kept: Vec<(&str, &Vec<f64>)> = channels(run).into_iter().skip(1).filter(|(_, values)| !values.is_empty()).collect();
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

/// The channels that were recorded as Parquet: a column each of 64-bit floats, named as in [`write_csv`], with nothing where nothing was said.
///
/// # Errors
/// What the writer complains of.
pub fn parquet(run: &Run) -> io::Result<Vec<u8>> {
    let told = |error: parquet::errors::ParquetError| io::Error::other(error);
    let kept: Vec<(&str, &Vec<f64>)> = channels(run).into_iter().filter(|(_, values)| !values.is_empty()).collect();
    let column = |(name, _): &(&str, _)| {
        Type::primitive_type_builder(name, PhysicalType::DOUBLE).with_repetition(Repetition::OPTIONAL).build().map(Arc::new)
    };
    let columns = kept.iter().map(column).collect::<Result<Vec<_>, _>>().map_err(told)?;
    let schema = Type::group_type_builder("run").with_fields(columns).build().map_err(told)?;
    let mut writer = SerializedFileWriter::new(Vec::new(), Arc::new(schema), Arc::default()).map_err(told)?;
    let mut group = writer.next_row_group().map_err(told)?;
    for (_, values) in &kept {
        let Some(mut column) = group.next_column().map_err(told)? else { break };
        let said: Vec<f64> = values.iter().copied().filter(|value| value.is_finite()).collect();
        let levels: Vec<i16> = values.iter().map(|value| i16::from(value.is_finite())).collect();
        column.typed::<DoubleType>().write_batch(&said, Some(&levels), None).map_err(told)?;
        column.close().map_err(told)?;
    }
    group.close().map_err(told)?;
    writer.into_inner().map_err(told)
}

#[cfg(test)]
mod tests {
    use super::*;
    use parquet::file::reader::{FileReader, SerializedFileReader};
    use parquet::record::RowAccessor;

    /// Another reader finds what was recorded, silences too.
    #[test]
    fn a_run_comes_back_from_parquet() -> Result<(), Box<dyn std::error::Error>> {
        let run = Run { time_s: vec![0.0, 0.01, 0.02], kpa: vec![61.25, -3.5, 400.0], rpm: vec![750.0, f64::NAN, 760.5], ..Run::default() };
        let bytes = parquet(&run)?;
        let reader = SerializedFileReader::new(bytes::Bytes::from(bytes))?;
        let names: Vec<String> =
            reader.metadata().file_metadata().schema().get_fields().iter().map(|field| field.name().to_owned()).collect();
        assert_eq!(names, ["time [s]", "oil pressure [kPa]", "engine speed [rpm]"]);
        let rows: Vec<_> = reader.get_row_iter(None)?.collect::<Result<_, _>>()?;
        for (place, row) in rows.iter().enumerate() {
            assert_eq!(Some(&row.get_double(0)?), run.time_s.get(place));
            assert_eq!(Some(&row.get_double(1)?), run.kpa.get(place));
            assert_eq!(row.get_double(2).ok(), run.rpm.get(place).copied().filter(|rpm| rpm.is_finite()));
        }
        assert_eq!(rows.len(), 3);
        Ok(())
    }
}
