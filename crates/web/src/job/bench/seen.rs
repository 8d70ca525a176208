//! What is seen where a look says more than words: a dipstick, a drop on paper, what lies in a dish, a strip beside its scale, a mesh before a lamp, a seal's print, a row
//! of shells. Drawn from the outcome, and varied by the scene's seed.
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::fmt::Write;

/// The drawing's own size.
const WIDTH: f64 = 240.0;
const HEIGHT: f64 = 120.0;

/// What lies in a dish: how many, how long and wide each, and its colours.
struct Matter {
    pieces: usize,
    long: f64,
    wide: f64,
    colours: &'static [&'static str],
    /// It is bent, as strings are.
    bent: bool,
}

/// Draws it; none for a check that words say well enough.
pub(super) fn seen(check: &str, outcome: &str, seed: u64) -> Option<String> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ (check.len() as u64) << 40);
    let inside = match check {
        "level" => dipstick(outcome, &mut rng)?,
        "oil_look" => drop_on_paper(outcome, &mut rng)?,
        "filter_cut" | "sump_debris" => dish(outcome, &mut rng)?,
        "strip_gauge" => strip(outcome, &mut rng)?,
        "screen_light" => mesh(outcome, &mut rng)?,
        "pickup_seal" => ring(outcome)?,
        "journal_map" => shells(outcome, &mut rng)?,
        _ => return None,
    };
    Some(format!("<svg class=\"seen\" viewBox=\"0 0 {WIDTH:.0} {HEIGHT:.0}\" aria-hidden=\"true\">{inside}</svg>"))
}

fn dipstick(outcome: &str, rng: &mut ChaCha8Rng) -> Option<String> {
    // The stick lies on its side, its tip at the right; the marks at 150 and 210.
    let wet_from = match outcome {
        "ok" => 168.0 + 6.0 * rng.random::<f64>(),
        "low" => 219.0 + 4.0 * rng.random::<f64>(),
        "high" => 112.0 + 8.0 * rng.random::<f64>(),
        _ => return None,
    };
    Some(format!(
        "<rect class=\"steel\" x=\"4\" y=\"52\" width=\"228\" height=\"16\" rx=\"6\"/><rect fill=\"#a8762a\" opacity=\".85\" x=\"{wet_from:.0}\" y=\"52\" width=\"{:.0}\" height=\"16\" rx=\"5\"/>\
         <line class=\"mark\" x1=\"150\" x2=\"150\" y1=\"46\" y2=\"74\"/><line class=\"mark\" x1=\"210\" x2=\"210\" y1=\"46\" y2=\"74\"/>\
         <text x=\"150\" y=\"38\">MAX</text><text x=\"210\" y=\"38\">MIN</text>",
        232.0 - wet_from
    ))
}

fn drop_on_paper(outcome: &str, rng: &mut ChaCha8Rng) -> Option<String> {
    let (core, core_r, halo, halo_r) = match outcome {
        "clean" => ("#c99a4b", 26.0, "#ecd7ae", 40.0),
        "fuel" => ("#d9b982", 14.0, "#f0e3c6", 56.0),
        "coolant" => ("#cdb89b", 30.0, "#e9dfd0", 42.0),
        "sludge" => ("#1c1712", 34.0, "#7a6647", 40.0),
        "foam" => ("#c99a4b", 32.0, "#ecd7ae", 40.0),
        "metal" => ("#6d5836", 28.0, "#d8c39c", 42.0),
        _ => return None,
    };
    let (x, y) = (110.0 + 20.0 * rng.random::<f64>(), 60.0);
    let mut svg = format!(
        "<rect class=\"paper\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/><circle fill=\"{halo}\" cx=\"{x:.0}\" cy=\"{y}\" r=\"{halo_r}\"/><circle fill=\"{core}\" cx=\"{x:.0}\" cy=\"{y}\" r=\"{core_r}\"/>"
    );
    let (spots, fill, r) = match outcome {
        "foam" => (26, "#fffaf0", 3.4),
        "metal" => (40, "#f4f1ea", 1.1),
        "coolant" => (9, "#fbf7ef", 4.0),
        _ => (0, "", 0.0),
    };
    for _ in 0..spots {
        let (turn, out) = (std::f64::consts::TAU * rng.random::<f64>(), core_r * rng.random::<f64>().sqrt());
        let r = r * (0.6 + 0.8 * rng.random::<f64>());
        let _ = write!(svg, "<circle fill=\"{fill}\" cx=\"{:.1}\" cy=\"{:.1}\" r=\"{r:.1}\"/>", x + out * turn.cos(), y + out * turn.sin());
    }
    Some(svg)
}

fn dish(outcome: &str, rng: &mut ChaCha8Rng) -> Option<String> {
    let matter = match outcome {
        "clean" | "none" => Matter { pieces: 0, long: 0.0, wide: 0.0, colours: &[], bent: false },
        "light_metal" => Matter { pieces: 70, long: 3.0, wide: 1.6, colours: &["#8d9095", "#b4b7bb"], bent: false },
        "bearing_metal" => Matter { pieces: 34, long: 9.0, wide: 4.5, colours: &["#c9ccd0", "#b9763f", "#e1e3e6"], bent: false },
        "ferrous" => Matter { pieces: 60, long: 8.0, wide: 1.0, colours: &["#3b3d40", "#55585c"], bent: false },
        "rubber" => Matter { pieces: 26, long: 6.0, wide: 5.0, colours: &["#1d1b1a", "#2b2827"], bent: false },
        "carbon" => Matter { pieces: 60, long: 2.4, wide: 2.4, colours: &["#141312", "#322d29"], bent: false },
        "sealant" => Matter { pieces: 9, long: 30.0, wide: 3.0, colours: &["#b5482f", "#c65a3f"], bent: true },
        _ => return None,
    };
    let mut svg = format!(
        "<rect class=\"paper\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/><ellipse class=\"steel\" cx=\"120\" cy=\"60\" rx=\"112\" ry=\"54\"/><ellipse fill=\"#e7d3a8\" cx=\"120\" cy=\"62\" rx=\"104\" ry=\"48\"/>"
    );
    for _ in 0..matter.pieces {
        let (turn, out) = (std::f64::consts::TAU * rng.random::<f64>(), rng.random::<f64>().sqrt());
        let (x, y) = (120.0 + 92.0 * out * turn.cos(), 62.0 + 40.0 * out * turn.sin());
        let (tilt, size) = (360.0 * rng.random::<f64>(), 0.6 + 0.8 * rng.random::<f64>());
        let colour = matter.colours.get(rng.random_range(0..matter.colours.len().max(1))).copied().unwrap_or("#000");
        let (long, wide) = (matter.long * size, matter.wide * size);
        let _ = if matter.bent {
            write!(
                svg,
                "<path fill=\"none\" stroke=\"{colour}\" stroke-width=\"{wide:.1}\" stroke-linecap=\"round\" transform=\"rotate({tilt:.0} {x:.0} {y:.0})\" d=\"M{:.1} {y:.1} q{:.1} -9 {:.1} 0\"/>",
                x - long / 2.0,
                long / 2.0,
                long
            )
        } else {
            write!(
                svg,
                "<rect fill=\"{colour}\" x=\"{:.1}\" y=\"{:.1}\" width=\"{long:.1}\" height=\"{wide:.1}\" transform=\"rotate({tilt:.0} {x:.0} {y:.0})\"/>",
                x - long / 2.0,
                y - wide / 2.0
            )
        };
    }
    Some(svg)
}

fn strip(outcome: &str, rng: &mut ChaCha8Rng) -> Option<String> {
    // The wider it was pressed, the closer the parts: the scale's widths fall as its figures rise.
    let width_of = |mm: f64| 62.0 - 400.0 * mm;
    let mm = match outcome {
        "in_limits" => 0.045,
        "wide" => 0.12,
        "damaged" => 0.1,
        _ => return None,
    };
    let pressed = width_of(mm) + rng.random::<f64>() - 0.5;
    let mut svg = format!("<rect class=\"paper\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/>");
    for (place, mm) in [0.025, 0.05, 0.075, 0.1, 0.125].into_iter().enumerate() {
        let (x, width) = (100.0 + 28.0 * place as f64, width_of(mm));
        let _ = write!(
            svg,
            "<rect fill=\"#8f9d97\" x=\"{x}\" y=\"{:.1}\" width=\"16\" height=\"{width:.1}\"/><text x=\"{:.0}\" y=\"96\">{}</text>",
            56.0 - width / 2.0,
            x + 8.0,
            1000.0 * mm / 10.0
        );
    }
    svg.push_str("<text x=\"164\" y=\"113\">hundredths of a mm</text>");
    let torn = if outcome == "damaged" { "<path class=\"tear\" d=\"M10 58 l14 -9 l10 12 l16 -10 l14 8 l12 -7\"/>" } else { "" };
    let _ = write!(
        svg,
        "<rect fill=\"#4c9a7f\" x=\"12\" y=\"{:.1}\" width=\"62\" height=\"{pressed:.1}\" rx=\"2\"/>{torn}",
        56.0 - pressed / 2.0
    );
    Some(svg)
}

fn mesh(outcome: &str, rng: &mut ChaCha8Rng) -> Option<String> {
    let dark = match outcome {
        "clear" => 0.0,
        "part" => 0.36,
        "blocked" => 0.94,
        _ => return None,
    };
    let mut svg = format!("<rect fill=\"#2a2530\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/>");
    // What blocks it lies together, thicker towards one side.
    for row in 0..10 {
        for column in 0..20 {
            let side = 1.0 - f64::from(column) / 20.0;
            let shut = rng.random::<f64>() < if dark > 0.9 { dark } else { 2.0 * dark * side * side + 0.3 * dark };
            let fill = if shut { "#4a3c22" } else { "#f7e6b0" };
            let _ = write!(svg, "<rect fill=\"{fill}\" x=\"{}\" y=\"{}\" width=\"8\" height=\"8\"/>", 11 + 11 * column, 6 + 11 * row);
        }
    }
    Some(svg)
}

fn ring(outcome: &str) -> Option<String> {
    let print = match outcome {
        "even" => "<circle fill=\"none\" stroke=\"#5a4a34\" stroke-width=\"7\" cx=\"120\" cy=\"60\" r=\"42\"/>",
        "one_sided" => {
            "<circle fill=\"none\" stroke=\"#5a4a34\" stroke-width=\"1.5\" cx=\"120\" cy=\"60\" r=\"42\"/><path fill=\"none\" stroke=\"#5a4a34\" stroke-width=\"9\" d=\"M120 18 a42 42 0 0 1 0 84\"/>"
        }
        "hard_or_torn" => {
            "<path fill=\"none\" stroke=\"#2a241d\" stroke-width=\"7\" d=\"M128 18.8 a42 42 0 1 1 -26 3.2\"/><path fill=\"none\" stroke=\"#2a241d\" stroke-width=\"7\" d=\"M110 8 l10 12\"/>"
        }
        "missing" => {
            "<circle fill=\"none\" stroke=\"#b9b0a0\" stroke-width=\"1.5\" stroke-dasharray=\"4 5\" cx=\"120\" cy=\"60\" r=\"42\"/>"
        }
        _ => return None,
    };
    Some(format!("<rect class=\"paper\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/>{print}"))
}

fn shells(outcome: &str, rng: &mut ChaCha8Rng) -> Option<String> {
    const SHELLS: usize = 5;
    let one = rng.random_range(0..SHELLS);
    let start = rng.random_range(0..SHELLS - 2);
    let wiped = |place: usize| match outcome {
        "even" => Some(0.0),
        "one_bad" => Some(if place == one { 1.0 } else { 0.0 }),
        "several_bad" => Some(if (start..start + 3).contains(&place) { 1.0 } else { 0.35 }),
        "far_end_bad" => Some(place as f64 / (SHELLS - 1) as f64),
        _ => None,
    };
    let mut svg = format!("<rect class=\"paper\" width=\"{WIDTH}\" height=\"{HEIGHT}\"/>");
    for place in 0..SHELLS {
        let (x, bad) = (8.0 + 46.0 * place as f64, wiped(place)?);
        let _ = write!(svg, "<rect fill=\"#9a9da1\" x=\"{x}\" y=\"22\" width=\"40\" height=\"72\" rx=\"3\"/>");
        for _ in 0..(22.0 * bad) as usize {
            let (sx, sy) = (x + 3.0 + 30.0 * rng.random::<f64>(), 26.0 + 60.0 * rng.random::<f64>());
            let _ = write!(
                svg,
                "<rect fill=\"#b4683a\" x=\"{sx:.0}\" y=\"{sy:.0}\" width=\"{:.0}\" height=\"3\"/>",
                4.0 + (x + 36.0 - sx) * rng.random::<f64>()
            );
        }
        let _ = write!(svg, "<text x=\"{:.0}\" y=\"112\">{}</text>", x + 20.0, place + 1);
    }
    Some(svg)
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::knowledge::knowledge;

    /// A check that is drawn is drawn for each of its outcomes, each time the same, and no two outcomes alike.
    #[test]
    fn what_is_seen_follows_from_the_outcome() {
        let mut drawn = 0;
        for check in &knowledge().checks {
            let pictures: Vec<Option<String>> = check.outcomes.iter().map(|outcome| seen(&check.id, &outcome.id, 7)).collect();
            let some = pictures.iter().filter(|picture| picture.is_some()).count();
            assert!(some == 0 || some == pictures.len(), "{}: {some} of {}", check.id, pictures.len());
            assert!(
                pictures.iter().enumerate().all(|(place, one)| one.is_none() || !pictures.iter().skip(place + 1).any(|other| other == one)),
                "{}",
                check.id
            );
            for (outcome, picture) in check.outcomes.iter().zip(&pictures) {
                assert_eq!(seen(&check.id, &outcome.id, 7), *picture);
                assert!(picture.as_ref().is_none_or(|svg| !svg.contains(&outcome.id)), "{} {}", check.id, outcome.id);
            }
            drawn += usize::from(some > 0);
        }
        assert_eq!(drawn, 8);
    }
}
