//! Dash or module against the test gauge: what a rig read of both at the same holds, and what was typed into the calculator and kept, as one picture with its verdict.
use crate::job::assess::Assessed;
use crate::ui::picture::worked::{self, Picture};
use serde_json::{Map, Value, json};
use velvet_dial_core::calculator::{Calculator, asked};
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{Body, Held, TakenReading};

/// The comparison as it is shown.
pub struct DashComparison {
    pub picture: Option<Picture>,
    /// What it says, in words.
    pub says: String,
}

const CALCULATOR: &str = "dash";

/// Of the readings and kept figures that hold; none where nothing was read on both.
pub fn beside(assessed: &Assessed, unit: Units) -> Option<DashComparison> {
    let calculator = Calculator::named(CALCULATOR)?;
    let mut pairs: Vec<Value> = Vec::new();
    // The last that was kept says which gauge and how good the dash is.
    let mut input = Map::new();
    for entry in assessed.job.live() {
        match &entry.body {
            Body::Reading(TakenReading { reading, held: Some(Held { dash_kpa: Some(dash), .. }), .. }) => {
                pairs.push(json!({ "gauge_kpa": reading.kpa, "dash_kpa": dash }));
                if let Some(gauge) = reading.instrument.as_ref().and_then(|name| assessed.case.instruments.get(name)) {
                    input.insert("gauge".to_owned(), serde_json::to_value(gauge).ok()?);
                }
            }
            Body::Worked { calculator, typed, .. } if calculator == CALCULATOR => {
                let kept: Map<String, Value> = serde_json::from_str(typed).ok()?;
                pairs.extend(kept.get("pairs").and_then(Value::as_array).into_iter().flatten().cloned());
                input = kept;
            }
            _ => {}
        }
    }
    if pairs.is_empty() {
        return None;
    }
    input.insert("pairs".to_owned(), Value::Array(pairs));
    let text = Value::Object(input).to_string();
    let answer = calculator.run(&text).ok()?;
    let says: Vec<String> =
        asked::told(&answer, unit).into_iter().map(|line| format!("{} {}", line.label.to_lowercase(), line.text)).collect();
    Some(DashComparison {
        picture: worked::picture(CALCULATOR, &text, &answer, unit),
        says: velvet_dial_core::unit::first_upper(&says.join("; ")),
    })
}
