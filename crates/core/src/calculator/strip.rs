//! Plastic clearance strip: the width it is pressed to gives the clearance, the clearance cubed how much it leaks.
//!
//! Relation: the strip keeps its section, so a wire of diameter d pressed to a width w stands c = π d²/(4 w) high; or the packet's own scale,
//! read between its marks in 1/w, which is the same law fitted to the packet. Leak of a bearing ∝ c³ at the same pressure and oil (Cameron,
//! *Basic Lubrication Theory*, ch. 7). Good from a wire just flattened (w ≥ 1.3 d) to one pressed to a tenth of its height (w ≤ 8 d); outside it
//! is marked. Bulging at the edges makes it read a few per cent small. Checked against the conserved section (`tests/calculator.rs`).
use super::{CalculatorError, hold, together};
use crate::field;
use crate::message;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// A print of the strip, read.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Strip {
    /// Diameter of the wire before it was pressed, mm, 0.05 to 2; or give `scale`.
    #[serde(default)]
    pub wire_mm: Option<f64>,
    /// Marks of the packet's scale, at least two.
    #[serde(default)]
    pub scale: Vec<Print>,
    /// Width read, mm, 0.1 to 20.
    pub width_mm: f64,
    /// Width at the other end of the print, mm; for taper.
    #[serde(default)]
    pub other_end_mm: Option<f64>,
    /// Clearance of a new bearing by the sheet, mm, 0.005 to 0.5; for the leak.
    #[serde(default)]
    pub new_mm: Option<f64>,
}

/// A mark of the packet's scale.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Print {
    /// Width, mm.
    pub width_mm: f64,
    /// Clearance printed beside it, mm.
    pub clearance_mm: f64,
}

/// What the print says.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Gap {
    /// Clearance, mm; the wider end's where two were read.
    pub clearance_mm: f64,
    /// Difference between the two ends, mm.
    pub taper_mm: Option<f64>,
    /// How many times as much it leaks as a new one.
    pub leak_ratio: Option<f64>,
    /// False when the print is narrower or wider than the relation holds for.
    pub in_range: bool,
}

/// Clearance, taper and leak ratio from the width of a print.
///
/// # Errors
/// [`CalculatorError`] outside the ranges, and without a wire or a scale of two marks that falls as width grows.
///
/// ```
/// # use velvet_dial_core::calculator::{Strip, strip};
/// let print = Strip { wire_mm: Some(0.4), scale: vec![], width_mm: 1.8, other_end_mm: None, new_mm: Some(0.035) };
/// let gap = strip(&print).unwrap();
/// assert!((gap.clearance_mm - 0.0698).abs() < 1e-4 && gap.leak_ratio.unwrap() > 7.9);
/// assert!(strip(&Strip { wire_mm: None, ..print }).is_err());
/// ```
pub fn strip(print: &Strip) -> Result<Gap, CalculatorError> {
    let law = Law::of(print)?;
    let width = hold(&field::STRIP_WIDTH, print.width_mm)?;
    let other = print.other_end_mm.map(|width| hold(&field::STRIP_WIDTH, width)).transpose()?;
    let new = print.new_mm.map(|new| hold(&field::CLEARANCE, new)).transpose()?;
    if let Law::Wire(_, wire) = law
        && let Some(narrow) = [Some(width), other].into_iter().flatten().find(|width| *width < wire)
    {
        return Err(together(message!("calculator-print", print = narrow, wire = wire)));
    }
    let here = law.clearance_mm(width);
    let there = other.map(|width| law.clearance_mm(width));
    let clearance_mm = there.map_or(here, |there| here.max(there));
    Ok(Gap {
        clearance_mm,
        taper_mm: there.map(|there| (here - there).abs()),
        leak_ratio: new.map(|new| (clearance_mm / new).powi(3)),
        in_range: law.holds(width) && other.is_none_or(|width| law.holds(width)),
    })
}

enum Law {
    /// Section of the wire, mm², and its diameter.
    Wire(f64, f64),
    /// Marks by falling width.
    Scale(Vec<Print>),
}

impl Law {
    fn of(print: &Strip) -> Result<Self, CalculatorError> {
        if let Some(wire) = print.wire_mm {
            let wire = hold(&field::STRIP_WIRE, wire)?;
            return Ok(Self::Wire(PI * wire * wire / 4.0, wire));
        }
        let mut marks = print.scale.clone();
        for mark in &marks {
            hold(&field::STRIP_WIDTH, mark.width_mm)?;
            hold(&field::CLEARANCE, mark.clearance_mm)?;
        }
        marks.sort_by(|a, b| b.width_mm.total_cmp(&a.width_mm));
        let falls = marks
            .windows(2)
            .all(|pair| matches!(pair, [wide, narrow] if wide.width_mm > narrow.width_mm && wide.clearance_mm < narrow.clearance_mm));
        if marks.len() < 2 || !falls {
            return Err(together(message!("calculator-wire")));
        }
        Ok(Self::Scale(marks))
    }

    fn clearance_mm(&self, width: f64) -> f64 {
        match self {
            Self::Wire(section, _) => section / width,
            Self::Scale(marks) => {
                // Between two marks, or along the line of the last two beyond the ends, in 1/w.
                let place = marks.iter().skip(1).take(marks.len() - 2).take_while(|mark| mark.width_mm > width).count();
                let (Some(wide), Some(narrow)) = (marks.get(place), marks.get(place + 1)) else { return 0.0 };
                let way = (1.0 / width - 1.0 / wide.width_mm) / (1.0 / narrow.width_mm - 1.0 / wide.width_mm);
                (wide.clearance_mm + way * (narrow.clearance_mm - wide.clearance_mm)).max(0.0)
            }
        }
    }

    fn holds(&self, width: f64) -> bool {
        match self {
            Self::Wire(_, wire) => (1.3 * wire..=8.0 * wire).contains(&width),
            Self::Scale(marks) => {
                marks.first().zip(marks.last()).is_some_and(|(wide, narrow)| (narrow.width_mm..=wide.width_mm).contains(&width))
            }
        }
    }
}
