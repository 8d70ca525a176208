//! Tasks against the clock: a row each, closed hours shaded, the hand-over as a line. Names stand in a column of their own.
use super::at;
use chrono::{DateTime, NaiveTime, TimeDelta, Utc};
use velvet_dial_core::clock::{Hours, Span};

/// A task.
pub struct Bar {
    pub name: String,
    /// It needs nobody.
    pub unattended: bool,
    /// As early as it can be.
    pub span: Span,
    /// As late as it may begin.
    pub begin_by: DateTime<Utc>,
    /// It is too late.
    pub late: bool,
}

pub struct BarDrawn {
    pub name: String,
    pub name_y: String,
    pub class: &'static str,
    pub y: String,
    /// Left and width of each piece: work rests where the shop is closed.
    pub pieces: Vec<(String, String)>,
    /// The latest begin.
    pub begin_by: String,
}

/// What the template draws.
pub struct Clock {
    pub height: String,
    pub foot: String,
    /// Closed hours: left and width.
    pub closed: Vec<(String, String)>,
    /// Ticks: where, and what the clock shows.
    pub ticks: Vec<(String, String)>,
    pub bars: Vec<BarDrawn>,
    pub now: String,
    pub hand_over: String,
    /// Its name stands to the right of it, clear of the name of now.
    pub hand_over_right: bool,
}

const NAMES: f64 = 236.0;
const RIGHT: f64 = 872.0;
const TOP: f64 = 34.0;
const ROW: f64 = 32.0;
/// Ticks at most.
const TICKS: f64 = 6.0;

/// Lays it out between two moments.
pub fn clock(bars: Vec<Bar>, hours: &Hours<'_>, (from, to): Span, hand_over: DateTime<Utc>) -> Clock {
    let whole = (to - from).num_seconds().max(1) as f64;
    let x = |moment: DateTime<Utc>| NAMES + (RIGHT - NAMES) * ((moment - from).num_seconds() as f64 / whole).clamp(0.0, 1.0);
    let foot = TOP + ROW * bars.len() as f64;
    let drawn = |(place, bar): (usize, Bar)| {
        let y = TOP + ROW * place as f64;
        BarDrawn {
            name: bar.name.clone(),
            name_y: at(y + 20.0),
            class: match (bar.late, bar.unattended) {
                (true, _) => "clock-late",
                (false, true) => "clock-waits",
                (false, false) => "clock-work",
            },
            y: at(y + 6.0),
            pieces: pieces(hours, &bar).into_iter().map(|(from, to)| (at(x(from)), at((x(to) - x(from)).max(3.0)))).collect(),
            begin_by: format!("M{:.1} {:.1}v24", x(bar.begin_by.max(from)), y + 3.0),
        }
    };
    Clock {
        height: at(foot + 34.0),
        foot: at(foot),
        closed: hours.closed(from, to).into_iter().map(|(from, to)| (at(x(from)), at(x(to) - x(from)))).collect(),
        ticks: ticks(hours, from, to).into_iter().map(|(moment, text)| (at(x(moment)), text)).collect(),
        bars: bars.into_iter().enumerate().map(drawn).collect(),
        now: at(x(from)),
        hand_over: at(x(hand_over)),
        hand_over_right: x(hand_over) < 0.5 * (NAMES + RIGHT),
    }
}

/// What needs nobody runs through; work rests in closed hours.
fn pieces(hours: &Hours<'_>, bar: &Bar) -> Vec<Span> {
    if bar.unattended {
        return vec![bar.span];
    }
    let (mut open, mut since) = (Vec::new(), bar.span.0);
    for (from, to) in hours.closed(bar.span.0, bar.span.1) {
        if from > since {
            open.push((since, from));
        }
        since = to;
    }
    if bar.span.1 > since {
        open.push((since, bar.span.1));
    }
    open
}

/// Whole hours within a day, days beyond.
fn ticks(hours: &Hours<'_>, from: DateTime<Utc>, to: DateTime<Utc>) -> Vec<(DateTime<Utc>, String)> {
    let span = (to - from).num_minutes() as f64 / 60.0;
    let step = [1.0, 2.0, 3.0, 6.0, 12.0, 24.0, 48.0, 168.0].into_iter().find(|step| span / step <= TICKS).unwrap_or(720.0);
    let start = hours.wall.shows(from).date().and_time(NaiveTime::MIN);
    let format = if step < 24.0 { "%a %H:%M" } else { "%a %-d %b" };
    (0..200)
        .map(|place| start + TimeDelta::hours((f64::from(place) * step) as i64))
        .map(|shown| (hours.wall.when(shown), shown.format(format).to_string()))
        .skip_while(|(moment, _)| *moment < from)
        .take_while(|(moment, _)| *moment <= to)
        .collect()
}
