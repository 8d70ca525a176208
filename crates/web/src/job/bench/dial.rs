//! The test gauge of the practice bench: its own marks in its own unit, and a needle that the trainee reads.
use std::fmt::Write;
use velvet_dial_core::instrument::Instrument;

/// Half of the dial's side, and where it turns, in the drawing's own units.
const CENTRE: f64 = 110.0;
/// Who looks from the side reads off by so many marks.
const ASLANT_MARKS: f64 = 0.6;

/// A gauge as it hangs on the engine.
pub(super) struct Face<'a> {
    pub card: &'a Instrument,
    /// Its scale is in bar; else in kPa.
    pub in_bar: bool,
    /// Marks are read from one side or the other until one looks straight at it.
    pub from_left: bool,
    /// The engine runs: the needle moves.
    pub runs: bool,
    /// There is air in its line: the needle bounces.
    pub air: bool,
}

/// Draws it. The number is for the trainee to read.
pub(super) fn dial(face: &Face<'_>, kpa: f64) -> String {
    let card = face.card;
    let full = card.full_scale_kpa;
    let degrees = |kpa: f64| 135.0 + 270.0 * (kpa / full).clamp(-0.05, 1.02);
    let point = |kpa: f64, radius: f64| {
        let angle = degrees(kpa).to_radians();
        (CENTRE + radius * angle.cos(), CENTRE + radius * angle.sin())
    };
    let mut svg = String::from(
        "<svg class=\"bench-dial\" viewBox=\"0 0 220 200\" role=\"img\" aria-label=\"The test gauge: read its needle\"><circle class=\"face\" cx=\"110\" cy=\"110\" r=\"88\"/>",
    );
    let step = card.graduation_kpa.max(full / 200.0);
    let long = (5.0 * step).max(full / 10.0);
    let number = |kpa: f64| if face.in_bar { format!("{:.0}", kpa / 100.0) } else { format!("{kpa:.0}") };
    for place in 0..=(full / step).round() as usize {
        let at = place as f64 * step;
        let major = (at / long - (at / long).round()).abs() < 1e-6;
        let ((x1, y1), (x2, y2)) = (point(at, 80.0), point(at, if major { 66.0 } else { 73.0 }));
        let class = if major { "major" } else { "minor" };
        let _ = write!(svg, "<line class=\"{class}\" x1=\"{x1:.1}\" y1=\"{y1:.1}\" x2=\"{x2:.1}\" y2=\"{y2:.1}\"/>");
        if major {
            let (x, y) = point(at, 53.0);
            let _ = write!(svg, "<text x=\"{x:.1}\" y=\"{:.1}\">{}</text>", y + 4.0, number(at));
        }
    }
    let unit = if face.in_bar { "bar" } else { "kPa" };
    let _ = write!(svg, "<text class=\"unit\" x=\"110\" y=\"150\">{unit}</text>");
    let aslant = if face.from_left { ASLANT_MARKS } else { -ASLANT_MARKS } * step;
    let moves = match (face.runs, face.air) {
        (false, _) => "",
        (true, false) => " sways",
        (true, true) => " sways bounces",
    };
    for (class, shown) in [("aslant", kpa + aslant), ("straight", kpa)] {
        let ((x, y), (bx, by)) = (point(shown, 76.0), point(shown, -14.0));
        let _ = write!(svg, "<g class=\"{class}\"><g class=\"needle{moves}\">");
        if class == "aslant" {
            // What is seen beside the needle, in the mirror behind it, is how one knows that one looks from the side.
            let ((mx, my), (nx, ny)) = (point(kpa - aslant, 76.0), point(kpa - aslant, 30.0));
            let _ = write!(svg, "<line class=\"mirrored\" x1=\"{nx:.1}\" y1=\"{ny:.1}\" x2=\"{mx:.1}\" y2=\"{my:.1}\"/>");
        }
        let _ = write!(svg, "<line class=\"pointer\" x1=\"{bx:.1}\" y1=\"{by:.1}\" x2=\"{x:.1}\" y2=\"{y:.1}\"/></g></g>");
    }
    svg.push_str("<circle class=\"hub\" cx=\"110\" cy=\"110\" r=\"5\"/></svg>");
    svg
}
