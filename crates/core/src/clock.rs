//! Work against the shop's clock: what somebody does fits into its hours and goes on the next day where a day ends; what needs nobody (oil that drains, sealant that cures) runs through.
//!
//! Moments are UTC, hours are the shop's own: a night in which the clocks change is an hour longer or shorter, and a cure that runs through it still takes its minutes.
use chrono::{DateTime, Datelike, NaiveDate, NaiveDateTime, NaiveTime, TimeDelta, Utc, Weekday};

/// A clock on a wall.
pub trait Wall {
    /// What it shows at a moment.
    fn shows(&self, at: DateTime<Utc>) -> NaiveDateTime;
    /// When it shows that; the first time where it does twice, the moment of the jump where it never does.
    fn when(&self, shown: NaiveDateTime) -> DateTime<Utc>;
}

/// A wall clock that shows UTC.
#[derive(Debug, Clone, Copy, Default)]
pub struct PlainWall;

impl Wall for PlainWall {
    fn shows(&self, at: DateTime<Utc>) -> NaiveDateTime {
        at.naive_utc()
    }

    fn when(&self, shown: NaiveDateTime) -> DateTime<Utc> {
        shown.and_utc()
    }
}

/// When the shop works.
pub struct Hours<'a> {
    /// It opens at.
    pub opens: NaiveTime,
    /// It closes at, later on the same day.
    pub closes: NaiveTime,
    /// On Saturdays too.
    pub saturdays: bool,
    /// Its clock.
    pub wall: &'a dyn Wall,
}

/// Something that is done.
#[derive(Debug, Clone, PartialEq)]
pub struct Task {
    /// What.
    pub name: String,
    /// How long, minutes.
    pub minutes: f64,
    /// It needs nobody.
    pub unattended: bool,
    /// It cannot begin before.
    pub not_before: Option<DateTime<Utc>>,
}

/// From when to when.
pub type Span = (DateTime<Utc>, DateTime<Utc>);

/// Days looked at for working hours; a plan that needs more is no plan.
pub const MOST_DAYS: u32 = 400;

fn length(minutes: f64) -> TimeDelta {
    TimeDelta::seconds((60.0 * minutes).round() as i64)
}

impl Hours<'_> {
    /// From when to when it works on a day; none on a day off.
    fn day(&self, day: NaiveDate) -> Option<Span> {
        let works = match day.weekday() {
            Weekday::Sun => false,
            Weekday::Sat => self.saturdays,
            _ => true,
        };
        works.then(|| (self.wall.when(day.and_time(self.opens)), self.wall.when(day.and_time(self.closes))))
    }

    /// When it is closed between two moments, in order.
    pub fn closed(&self, from: DateTime<Utc>, to: DateTime<Utc>) -> Vec<Span> {
        let (mut closed, mut since) = (Vec::new(), from);
        let mut day = self.wall.shows(from).date();
        for _ in 0..MOST_DAYS {
            if let Some((opens, closes)) = self.day(day) {
                if opens > since {
                    closed.push((since, opens.min(to)));
                }
                since = since.max(closes);
            }
            let Some(next) = day.succ_opt().filter(|_| since < to) else { break };
            day = next;
            if self.wall.when(day.and_time(NaiveTime::MIN)) > to {
                break;
            }
        }
        if since < to {
            closed.push((since, to));
        }
        closed
    }

    /// When work of so many minutes ends that may begin at a moment, and when it really begins; none where no hours are found.
    fn work_from(&self, at: DateTime<Utc>, minutes: f64) -> Option<Span> {
        let mut left = length(minutes);
        let mut begins = None;
        let mut day = self.wall.shows(at).date();
        for _ in 0..MOST_DAYS {
            if let Some((opens, closes)) = self.day(day) {
                let from = opens.max(at);
                if from < closes {
                    let begins = *begins.get_or_insert(from);
                    if left <= closes - from {
                        return Some((begins, from + left));
                    }
                    left -= closes - from;
                }
            }
            day = day.succ_opt()?;
        }
        None
    }

    /// When work of so many minutes must begin to be done at a moment, and when it is then done; none where no hours are found.
    fn work_until(&self, at: DateTime<Utc>, minutes: f64) -> Option<Span> {
        let mut left = length(minutes);
        let mut ends = None;
        let mut day = self.wall.shows(at).date();
        for _ in 0..MOST_DAYS {
            if let Some((opens, closes)) = self.day(day) {
                let to = closes.min(at);
                if opens < to {
                    let ends = *ends.get_or_insert(to);
                    if left <= to - opens {
                        return Some((to - left, ends));
                    }
                    left -= to - opens;
                }
            }
            day = day.pred_opt()?;
        }
        None
    }

    /// The latest that each task may be done, the last by the end; none where no hours are found. What needs nobody begins when the work before it is done.
    pub fn backwards(&self, tasks: &[Task], end: DateTime<Utc>) -> Option<Vec<Span>> {
        let mut spans = Vec::with_capacity(tasks.len());
        let mut end = end;
        for task in tasks.iter().rev() {
            let (begins, ends) =
                if task.unattended { (end.checked_sub_signed(length(task.minutes))?, end) } else { self.work_until(end, task.minutes)? };
            spans.push((begins, ends));
            end = begins;
        }
        spans.reverse();
        let ends: Vec<DateTime<Utc>> = spans.iter().map(|(_, ends)| *ends).collect();
        for ((span, task), before) in spans.iter_mut().zip(tasks).skip(1).zip(ends) {
            if task.unattended {
                span.0 = before;
            }
        }
        Some(spans)
    }

    /// The earliest that each task can be done from a moment on; none where no hours are found.
    pub fn forwards(&self, tasks: &[Task], from: DateTime<Utc>) -> Option<Vec<Span>> {
        let mut at = from;
        tasks
            .iter()
            .map(|task| {
                let may = task.not_before.map_or(at, |not_before| not_before.max(at));
                let span =
                    if task.unattended { (may, may.checked_add_signed(length(task.minutes))?) } else { self.work_from(may, task.minutes)? };
                at = span.1;
                Some(span)
            })
            .collect()
    }
}
