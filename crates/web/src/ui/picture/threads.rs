//! Two threads one over the other, to scale: the one it likely is as a solid, the one it is mistaken for as a line, and the turn from which they bind.
use super::at;
use velvet_dial_core::calculator::{Lookalike, Match};
use velvet_dial_core::thread::{Family, threads};

/// What the template draws.
pub struct Threads {
    pub solid: String,
    pub line: String,
    pub solid_name: &'static str,
    pub line_name: &'static str,
    /// Where they bind, and after how many turns; none when they never do within the picture.
    pub binds: Option<(String, String)>,
    pub turns: Vec<(String, usize)>,
}

const WIDTH: f64 = 640.0;
const LEFT: f64 = 10.0;
const TURNS: f64 = 12.0;
const BASE: f64 = 128.0;

/// The likeliest thread over the first of its lookalikes.
pub fn pair(likeliest: &Match, other: &Lookalike) -> Option<Threads> {
    let mistaken = threads().iter().find(|thread| thread.name == other.name)?;
    let scale = WIDTH / (TURNS * likeliest.pitch_mm);
    // Half of what the one is thicker stands out at either side.
    let higher = 0.5 * other.thicker_mm * scale;
    let solid = profile(likeliest.pitch_mm, likeliest.family, scale, 0.0);
    let line = profile(mistaken.pitch_mm, mistaken.family, scale, higher);
    let closed = format!(
        "M{LEFT} 190L{}L{:.1} 190Z",
        solid.iter().map(|(x, y)| format!("{x:.1} {y:.1}")).collect::<Vec<_>>().join("L"),
        LEFT + WIDTH
    );
    let binds = other
        .binds_after_turns
        .filter(|turns| *turns < TURNS)
        .map(|turns| (at(LEFT + turns * likeliest.pitch_mm * scale), format!("{turns:.0}")));
    let turns = (0..TURNS as usize).step_by(2).map(|turn| (at(LEFT + turn as f64 * likeliest.pitch_mm * scale), turn)).collect();
    Some(Threads {
        solid: closed,
        line: super::polyline(line.into_iter()),
        solid_name: likeliest.name,
        line_name: other.name,
        binds,
        turns,
    })
}

/// Crests and roots along the thread: flanks at the family's angle, an eighth of the pitch cut off at the crest and a quarter at the root.
fn profile(pitch_mm: f64, family: Family, scale: f64, higher: f64) -> Vec<(f64, f64)> {
    let (pitch, half) = (pitch_mm * scale, (0.5 * family.flank_deg()).to_radians());
    let flank = pitch * (1.0 - 1.0 / 8.0 - 1.0 / 4.0) / 2.0;
    let depth = flank / half.tan();
    let turns = (WIDTH / pitch).floor() as usize;
    (0..turns)
        .flat_map(|turn| {
            let start = LEFT + turn as f64 * pitch;
            [(0.0, 0.0), (pitch / 4.0, 0.0), (pitch / 4.0 + flank, depth), (pitch * 3.0 / 8.0 + flank, depth), (pitch, 0.0)]
                .map(|(along, up)| (start + along, BASE - higher - up))
        })
        .collect()
}
