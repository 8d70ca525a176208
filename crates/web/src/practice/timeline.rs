//! The replay's line of time: how probable each cause was while it was worked on, over what was done.
use super::played::Told;
use std::fmt::Write;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::unit::percent;

/// The drawing, in its own units: left for the scale, right for the names.
const WIDTH: f64 = 940.0;
const HEIGHT: f64 = 300.0;
const LEFT: f64 = 62.0;
const RIGHT: f64 = 300.0;
const TOP: f64 = 14.0;
const BOTTOM: f64 = 44.0;
/// Most causes that are drawn, and how far apart their names are kept.
const MOST: usize = 5;
const APART: f64 = 20.0;

/// Causes worth a line: those at fault, those that were chosen, and who led at some time, the most probable first.
fn causes(told: &Told, faults: &[usize]) -> Vec<usize> {
    let know = knowledge();
    let mut own: Vec<usize> = faults.to_vec();
    own.extend(told.played.choices.iter().filter_map(|choice| know.cause(&choice.cause)));
    for odds in &told.odds {
        let leader = odds.present.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map(|(cause, _)| cause);
        own.extend(leader);
    }
    let mut seen = Vec::new();
    own.retain(|cause| {
        let new = !seen.contains(cause);
        seen.push(*cause);
        new
    });
    own.truncate(MOST);
    own
}

/// Draws it; empty where nothing was done.
pub fn timeline(told: &Told, faults: &[usize]) -> String {
    let end = told.odds.last().map_or(0.0, |last| last.at_minutes);
    if end <= 0.0 {
        return String::new();
    }
    let x = |minutes: f64| LEFT + (WIDTH - LEFT - RIGHT) * minutes / end;
    let y = |p: f64| TOP + (HEIGHT - TOP - BOTTOM) * (1.0 - p);
    let mut svg = format!(
        "<svg class=\"timeline\" viewBox=\"0 0 {WIDTH:.0} {HEIGHT:.0}\" role=\"img\" aria-label=\"How probable each cause was, over the minutes\">"
    );
    for p in [0.0, 0.5, 1.0] {
        let _ = write!(
            svg,
            "<line class=\"grid\" x1=\"{LEFT}\" x2=\"{:.1}\" y1=\"{y:.1}\" y2=\"{y:.1}\"/><text class=\"scale\" x=\"{:.1}\" y=\"{:.1}\">{:.0} %</text>",
            WIDTH - RIGHT,
            LEFT - 8.0,
            y(p) + 5.0,
            100.0 * p,
            y = y(p)
        );
    }
    let own = causes(told, faults);
    // Names stand where their lines end, moved apart where those lie together.
    let mut ends: Vec<(usize, usize, f64)> = own
        .iter()
        .enumerate()
        .map(|(place, cause)| (place, *cause, told.odds.last().and_then(|last| last.present.get(*cause)).copied().unwrap_or_default()))
        .collect();
    ends.sort_by(|a, b| b.2.total_cmp(&a.2));
    let mut below = f64::MIN;
    for (place, cause, last) in ends {
        let mut line = String::new();
        let mut before = None;
        for odds in &told.odds {
            let p = odds.present.get(cause).copied().unwrap_or_default();
            let at = x(odds.at_minutes);
            match before {
                None => _ = write!(line, "M{at:.1} {:.1}", y(p)),
                // It stays until the next act has shown something.
                Some(before) => _ = write!(line, " L{at:.1} {:.1} L{at:.1} {:.1}", y(before), y(p)),
            }
            before = Some(p);
        }
        let fault = if faults.contains(&cause) { " at-fault" } else { "" };
        let _ = write!(svg, "<path class=\"odds odds-{place}{fault}\" d=\"{line}\"/>");
        let label = (y(last) + 5.0).max(below + APART);
        below = label;
        let name = knowledge().causes.get(cause).map_or("", |cause| cause.name.as_str());
        let _ =
            write!(svg, "<text class=\"name{fault}\" x=\"{:.1}\" y=\"{label:.1}\">{name} {}</text>", WIDTH - RIGHT + 8.0, percent(last));
    }
    // Steps that lie together share the place of one number.
    let mut last = f64::MIN;
    for (place, row) in told.rows.iter().enumerate() {
        let at = x(row.at_minutes);
        let _ = write!(
            svg,
            "<line class=\"act\" x1=\"{at:.1}\" x2=\"{at:.1}\" y1=\"{:.1}\" y2=\"{:.1}\"/>",
            HEIGHT - BOTTOM,
            HEIGHT - BOTTOM + 8.0
        );
        if at >= last + APART {
            let _ = write!(svg, "<text class=\"number\" x=\"{at:.1}\" y=\"{:.1}\">{}</text>", HEIGHT - BOTTOM + 26.0, place + 1);
            last = at;
        }
    }
    svg.push_str("</svg>");
    svg
}
