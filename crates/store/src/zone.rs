//! A shop's clock.
use chrono::{NaiveDate, NaiveDateTime, NaiveTime};
use jiff::Timestamp;
use jiff::tz::TimeZone;

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

    /// The shop's date at a moment.
    pub fn day(&self, utc: NaiveDateTime) -> NaiveDate {
        self.wall(utc).date()
    }
}
