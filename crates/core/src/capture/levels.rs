//! A run as a picture can take it: so many steps, each with its least, mean and greatest, so that no peak is lost however many samples a step holds.
use super::run::Run;

/// One step of a picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Level {
    /// Its middle, s.
    pub time_s: f64,
    /// Least, mean and greatest pressure, kPa.
    pub kpa: [f64; 3],
    /// Mean speed, turns a minute; not a number where it was not recorded, as below.
    pub rpm: f64,
    /// Mean oil temperature, °C.
    pub oil_temp_c: f64,
    /// Mean of the vehicle's own pressure, kPa.
    pub dash_kpa: f64,
}

/// The run between two times in at most so many steps. Steps in which nothing was recorded are left out, and where they are a gap is.
pub fn levels(run: &Run, from_s: f64, to_s: f64, most: usize) -> Vec<Level> {
    let from = run.time_s.partition_point(|time| *time < from_s);
    let to = run.time_s.partition_point(|time| *time <= to_s);
    let (Some(first), Some(last)) = (run.time_s.get(from), to.checked_sub(1).and_then(|last| run.time_s.get(last))) else {
        return Vec::new();
    };
    if to <= from {
        return Vec::new();
    }
    let step_s = ((last - first) / most.max(1) as f64).max(1e-9);
    let mut levels = Vec::with_capacity(most.min(to - from));
    let mut start = from;
    while start < to {
        let time = run.time_s.get(start).copied().unwrap_or_default();
        let place = ((time - first) / step_s).floor().min(most as f64 - 1.0);
        let until = if place as usize + 1 >= most {
            to
        } else {
            start + run.time_s.get(start..to).unwrap_or_default().partition_point(|time| (time - first) / step_s < place + 1.0)
        };
        let end = until.max(start + 1);
        let mean = |channel: &[f64]| {
            let said = channel.get(start..end).unwrap_or_default().iter().filter(|value| value.is_finite());
            let (sum, count) = said.fold((0.0, 0u32), |(sum, count), value| (sum + value, count + 1));
            if count == 0 { f64::NAN } else { sum / f64::from(count) }
        };
        let kpa = run.kpa.get(start..end).unwrap_or_default();
        let (least, greatest) = kpa.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(least, most), kpa| (least.min(*kpa), most.max(*kpa)));
        levels.push(Level {
            time_s: if most >= to - from { time } else { first + (place + 0.5) * step_s },
            kpa: [least, mean(&run.kpa), greatest],
            rpm: mean(&run.rpm),
            oil_temp_c: mean(&run.oil_temp_c),
            dash_kpa: mean(&run.dash_kpa),
        });
        start = end;
    }
    levels
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// However it is cut, the greatest and the least of the whole are there, and every step lies between its own.
        #[test]
        fn no_peak_is_lost(steps in prop::collection::vec((0.001_f64..0.5, -20.0_f64..900.0), 2..400), most in 1_usize..200, cut in 0.0_f64..0.4) {
            let mut run = Run::default();
            let mut time = 0.0;
            for (step, kpa) in &steps {
                time += step;
                run.time_s.push(time);
                run.kpa.push(*kpa);
            }
            let (from, to) = (cut * time, time);
            let told = levels(&run, from, to, most);
            let seen: Vec<f64> = run.time_s.iter().zip(&run.kpa).filter(|(time, _)| (from..=to).contains(*time)).map(|(_, kpa)| *kpa).collect();
            prop_assert!(told.len() <= most && !told.is_empty());
            let bound = |pick: fn(f64, f64) -> f64, start: f64| (seen.iter().copied().fold(start, pick), told.iter().map(|level| if start > 0.0 { level.kpa[0] } else { level.kpa[2] }).fold(start, pick));
            let (least, told_least) = bound(f64::min, f64::INFINITY);
            let (greatest, told_greatest) = bound(f64::max, f64::NEG_INFINITY);
            prop_assert_eq!((least, greatest), (told_least, told_greatest));
            prop_assert!(told.iter().all(|level| level.kpa[0] <= level.kpa[1] + 1e-9 && level.kpa[1] <= level.kpa[2] + 1e-9));
            prop_assert!(told.array_windows().all(|[a, b]| a.time_s < b.time_s));
        }
    }
}
