//! A shop's clock.
use chrono::{DateTime, Datelike, FixedOffset, NaiveDate, NaiveDateTime, NaiveTime, Offset, Timelike, Utc};
use jiff::Timestamp;
use jiff::civil;
use jiff::tz::{AmbiguousOffset, TimeZone};
use velvet_dial_core::clock::Wall;

/// A zone of the zone database; a shop that has named none goes by UTC.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Zone(TimeZone);

impl Default for Zone {
    fn default() -> Self {
        Self(TimeZone::UTC)
    }
}

impl Zone {
    /// The zone of a name, such as `Europe/Dublin`; none for a name that the database does not have.
    pub fn named(name: &str) -> Option<Self> {
        let name = name.trim();
        (!name.is_empty()).then(|| TimeZone::get(name).ok().map(Self)).flatten()
    }

    /// Its name.
    pub fn name(&self) -> &str {
        self.0.iana_name().unwrap_or("UTC")
    }

    /// A moment of the ledger, UTC, as the shop's clock shows it.
    pub fn wall(&self, utc: NaiveDateTime) -> NaiveDateTime {
        let Ok(moment) = Timestamp::new(utc.and_utc().timestamp(), 0) else { return utc };
        let wall = self.0.to_datetime(moment);
        let date = NaiveDate::from_ymd_opt(i32::from(wall.year()), wall.month().unsigned_abs().into(), wall.day().unsigned_abs().into());
        let time = NaiveTime::from_hms_opt(
            wall.hour().unsigned_abs().into(),
            wall.minute().unsigned_abs().into(),
            wall.second().unsigned_abs().into(),
        );
        // OK because a date of one calendar is a date of the other.
        date.zip(time).map_or(utc, |(date, time)| date.and_time(time))
    }

    /// The same with the clock's offset.
    pub fn clock(&self, utc: NaiveDateTime) -> DateTime<FixedOffset> {
        let offset = Timestamp::new(utc.and_utc().timestamp(), 0).ok().map_or(0, |moment| self.0.to_offset(moment).seconds());
        // OK because no zone is a day off.
        let offset = FixedOffset::east_opt(offset).unwrap_or(Utc.fix());
        utc.and_utc().with_timezone(&offset)
    }

    /// The moment of what somebody reads off this clock; none in the hour that the clocks leave out, and in the one that they show twice the first.
    pub fn moment(&self, shown: NaiveDateTime) -> Option<DateTime<Utc>> {
        let gap = matches!(self.0.to_ambiguous_timestamp(civil_of(shown)?).offset(), AmbiguousOffset::Gap { .. });
        (!gap).then(|| self.when(shown))
    }

    /// The shop's date at a moment.
    pub fn day(&self, utc: NaiveDateTime) -> NaiveDate {
        self.wall(utc).date()
    }
}

fn civil_of(shown: NaiveDateTime) -> Option<civil::DateTime> {
    let whole = |part: u32| i8::try_from(part).ok();
    let year = i16::try_from(shown.year()).ok()?;
    civil::DateTime::new(
        year,
        whole(shown.month())?,
        whole(shown.day())?,
        whole(shown.hour())?,
        whole(shown.minute())?,
        whole(shown.second())?,
        0,
    )
    .ok()
}

impl Wall for Zone {
    fn shows(&self, at: DateTime<Utc>) -> NaiveDateTime {
        self.wall(at.naive_utc())
    }

    fn when(&self, shown: NaiveDateTime) -> DateTime<Utc> {
        let moment = civil_of(shown).and_then(|shown| self.0.to_ambiguous_timestamp(shown).compatible().ok());
        moment.and_then(|moment| DateTime::from_timestamp(moment.as_second(), 0)).unwrap_or_else(|| shown.and_utc())
    }
}
