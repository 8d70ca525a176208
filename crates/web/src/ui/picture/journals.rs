//! The crank's journals along the oil: a gallery from the pump to the far end, mains on it, rods behind their mains, each with how it was found, its clearance, and a bar for what it leaks too much.
use super::at;

/// A journal to be drawn.
pub struct Mark {
    /// Its word in an address.
    pub word: String,
    /// Its name on the picture.
    pub short: String,
    /// A main; else a rod.
    pub main: bool,
    /// How it looks, by its word.
    pub condition: Option<&'static str>,
    pub clearance_mm: Option<f64>,
    /// Share of what leaks too much.
    pub extra_share: Option<f64>,
    pub looked_at: bool,
    pub bad: bool,
    /// It is the one at hand.
    pub here: bool,
    /// What a screen reader is told.
    pub says: String,
}

/// The picture.
pub struct Picture {
    pub width: String,
    pub gallery_end: String,
    pub journals: Vec<Journal>,
    pub says: String,
}

/// A journal as it is drawn.
pub struct Journal {
    pub to: String,
    pub says: String,
    pub class: String,
    pub short: String,
    pub x: String,
    pub y: String,
    pub radius: &'static str,
    /// From the gallery to it.
    pub pipe: String,
    /// Grooves of a scored one, hatching of a grey one.
    pub strokes: String,
    pub bad: bool,
    /// A wedge beside a bad one.
    pub wedge: String,
    pub clearance: String,
    pub bar: Option<(String, String, String)>,
    pub bar_name: String,
    pub hit: (String, String),
}

/// Heights of the picture, from above: bars stand on the gallery, rods hang under the mains.
const GALLERY_Y: f64 = 96.0;
const MAIN_Y: f64 = 150.0;
const ROD_Y: f64 = 178.0;
const BAR: f64 = 62.0;
/// Width of a journal's column: a thumb's.
const COLUMN: f64 = 64.0;
const LEFT: f64 = 46.0;

/// Lays it out.
pub fn picture(job: i64, marks: &[Mark]) -> Picture {
    let width = LEFT + COLUMN * marks.len() as f64 + 12.0;
    let journals = marks.iter().enumerate().map(|(place, mark)| {
        let x = LEFT + COLUMN * (place as f64 + 0.5);
        let (y, r, radius) = if mark.main { (MAIN_Y, 19.0, "19") } else { (ROD_Y, 15.0, "15") };
        let strokes: Vec<String> = match mark.condition {
            Some("scored") => {
                [-8.0, 0.0, 8.0].iter().map(|dx| format!("M{} {}V{}", at(x + dx), at(y - r + 5.0), at(y + r - 5.0))).collect()
            }
            Some("grey") => [-6.0, 0.0, 6.0]
                .iter()
                .map(|d| format!("M{} {}L{} {}", at(x - 7.0 + d), at(y + 7.0), at(x + 7.0 + d), at(y - 7.0)))
                .collect(),
            Some("good") => vec![format!("M{} {}l5 6 9 -11", at(x - 7.0), at(y))],
            _ => Vec::new(),
        };
        let share = mark.extra_share.filter(|share| *share >= 0.005);
        let kind = if mark.main { "journal-main" } else { "journal-rod" };
        let state = if mark.looked_at { mark.condition.unwrap_or("measured") } else { "unseen" };
        Journal {
            to: format!("/jobs/{job}/open-up?journal={}#journal", mark.word),
            says: mark.says.clone(),
            class: format!("{kind} is-{state}{}", if mark.here { " journal-here" } else { "" }),
            short: mark.short.clone(),
            pipe: format!("M{} {}V{}", at(x), at(GALLERY_Y), at(y - r)),
            strokes: strokes.join(""),
            bad: mark.bad,
            wedge: format!("M{} {}h14l-7 11z", at(x + r - 4.0), at(y - r - 4.0)),
            clearance: mark.clearance_mm.map(|mm| format!("{mm:.3}")).unwrap_or_default(),
            bar: share.map(|share| (at(x - 13.0), at(GALLERY_Y - 6.0 - BAR * share), at(BAR * share))),
            bar_name: share.map(|share| format!("{:.0} %", 100.0 * share)).unwrap_or_default(),
            hit: (at(x - COLUMN / 2.0), at(COLUMN)),
            x: at(x),
            y: at(y),
            radius,
        }
    });
    let looked = marks.iter().filter(|mark| mark.looked_at).count();
    Picture {
        gallery_end: at(width - 12.0),
        width: at(width),
        journals: journals.collect(),
        says: format!("{} journals along the oil, {looked} looked at, {} bad", marks.len(), marks.iter().filter(|mark| mark.bad).count()),
    }
}
