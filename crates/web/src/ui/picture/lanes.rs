//! Lanes over one scale: what several things reach, one under the other, with lines that all of them are held against.
use super::at;

/// From where to where on the scale, as what.
pub struct Span {
    pub from: f64,
    pub to: f64,
    pub class: &'static str,
}

/// One thing.
pub struct Lane {
    pub name: String,
    pub spans: Vec<Span>,
    /// Places on it.
    pub marks: Vec<(f64, &'static str)>,
}

/// What is drawn.
pub struct Scene {
    /// What a screen reader is told.
    pub says: String,
    pub reach: (f64, f64),
    /// Places on the scale with what stands there.
    pub ticks: Vec<(f64, String)>,
    /// Lines through all lanes, with their names.
    pub lines: Vec<(f64, String)>,
    pub lanes: Vec<Lane>,
}

/// A rectangle.
pub struct Bar {
    pub x: String,
    pub width: String,
    pub class: &'static str,
}

/// A lane as it is drawn.
pub struct LaneDrawn {
    pub name: String,
    pub name_y: String,
    pub y: String,
    pub middle: String,
    pub bars: Vec<Bar>,
    pub marks: Vec<(String, &'static str)>,
}

/// What the template draws.
pub struct Lanes {
    pub says: String,
    pub height: String,
    pub ticks: Vec<(String, String)>,
    pub ticks_y: String,
    /// Where, its name's height, its name, and on which side that stands.
    pub lines: Vec<(String, String, String, bool)>,
    pub foot: String,
    pub lanes: Vec<LaneDrawn>,
}

const LEFT: f64 = 12.0;
const RIGHT: f64 = 408.0;
const LANE: f64 = 46.0;
const BAR: f64 = 16.0;
const LINE_NAME: f64 = 18.0;

/// Lays it out.
pub fn lanes(scene: Scene) -> Lanes {
    let (from, to) = scene.reach;
    let span = (to - from).max(1e-9);
    let x = |value: f64| LEFT + (RIGHT - LEFT) * ((value - from) / span).clamp(0.0, 1.0);
    // The names of the lines stand above, each in a row of its own.
    let top = LINE_NAME * scene.lines.len() as f64 + 6.0;
    let foot = top + LANE * scene.lanes.len() as f64;
    let drawn = |(place, lane): (usize, Lane)| {
        let y = top + LANE * place as f64 + 24.0;
        LaneDrawn {
            name: lane.name,
            name_y: at(y - 6.0),
            y: at(y),
            middle: at(y + 0.5 * BAR),
            bars: lane
                .spans
                .iter()
                .map(|one| Bar { x: at(x(one.from)), width: at((x(one.to) - x(one.from)).max(1.0)), class: one.class })
                .collect(),
            marks: lane.marks.iter().map(|(value, class)| (at(x(*value)), *class)).collect(),
        }
    };
    Lanes {
        says: scene.says,
        height: at(foot + 26.0),
        ticks: scene.ticks.into_iter().map(|(value, text)| (at(x(value)), text)).collect(),
        ticks_y: at(foot + 18.0),
        lines: scene
            .lines
            .into_iter()
            .zip(1..)
            .map(|((value, name), row)| (at(x(value)), at(LINE_NAME * f64::from(row) - 4.0), name, x(value) > 0.5 * (LEFT + RIGHT)))
            .collect(),
        foot: at(foot),
        lanes: scene.lanes.into_iter().enumerate().map(drawn).collect(),
    }
}
