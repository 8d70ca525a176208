//! A channel without its noise.

/// The mean of what lies within half of `width_s` on either side of each moment; a channel that is coarser than that stays as it is.
pub(super) fn smooth(time_s: &[f64], values: &[f64], width_s: f64) -> Vec<f64> {
    let (mut left, mut right, mut sum, mut count) = (0, 0, 0.0, 0u32);
    let at = |row: usize| time_s.get(row).copied().zip(values.get(row).copied());
    time_s
        .iter()
        .map(|time| {
            while let Some((_, value)) = at(right).filter(|(to, _)| *to <= time + 0.5 * width_s) {
                if value.is_finite() {
                    sum += value;
                    count += 1;
                }
                right += 1;
            }
            while let Some((_, value)) = at(left).filter(|(from, _)| *from < time - 0.5 * width_s) {
                if value.is_finite() {
                    sum -= value;
                    count -= 1;
                }
                left += 1;
            }
            if count == 0 { f64::NAN } else { sum / f64::from(count) }
        })
        .collect()
}

/// The value that a share of all lie below; none without values.
pub(super) fn quantile(values: &mut [f64], share: f64) -> Option<f64> {
    let last = values.len().checked_sub(1)?;
    let place = ((last as f64) * share).round() as usize;
    let (_, value, _) = values.select_nth_unstable_by(place.min(last), f64::total_cmp);
    Some(*value)
}

/// The middle of a channel.
pub(super) fn median(values: impl Iterator<Item = f64>) -> Option<f64> {
    let mut all: Vec<f64> = values.filter(|value| value.is_finite()).collect();
    quantile(&mut all, 0.5)
}
