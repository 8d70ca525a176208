//! How a check is done on one engine: the knowledge's text with what the card, the sheet and the case say in the place of its braces.
//!
//! No speed and no amount stands in the text itself: `{hold}` is a speed that this engine is held at, `{raise}` how much oil lifts its level clearly, `{plugs}` and `{keep_off}` go by
//! what it burns, `{top}` by whether oil from an open top gets onto the exhaust, `{jets}` and `{cams}` by what can be reached, `{start}` by size, oil and what was emptied.
use crate::case::Case;
use crate::circuit::{Burns, CamPlace, Card, TopOpen};
use crate::knowledge::Check;
use crate::message;
use crate::message::typed;
use crate::script::hold_rpm;
use crate::start_up::StartUp;
use crate::unit::{Units, figures};

/// Share of its fill by which the level is raised for a test: clearly more than between the two marks of a dipstick.
const RAISED: f64 = 0.2;

/// How a check is done on a case's engine.
pub fn how(case: &Case, check: &Check, units: Units) -> String {
    filled(&check.how, case, units)
}

/// A text with its braces filled; one that is not known stays as it is, and a test finds it.
fn filled(text: &str, case: &Case, units: Units) -> String {
    let mut said = String::with_capacity(text.len());
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('{') {
        let Some((word, behind)) = after.split_once('}') else { break };
        said.push_str(before);
        said.push_str(&word_of(word, case, units).unwrap_or_else(|| format!("{{{word}}}")));
        rest = behind;
    }
    said + rest
}

fn word_of(word: &str, case: &Case, units: Units) -> Option<String> {
    let card = &case.engine;
    Some(match word {
        "hold" => format!("{:.0} rpm", hold_rpm(card)),
        "raise" => format!("{} l", figures(raised_l(card))),
        "plugs" => plugs(card).to_owned(),
        "keep_off" => keep_off(card),
        "top" => top(card).to_owned(),
        "jets" => if card.jets_access.is_some() { "Press each ball with a blunt wire: it springs back." } else { JETS_UNKNOWN }.to_owned(),
        "cams" => cams(card).to_owned(),
        "start" => StartUp::of(case).says(),
        "filter_drop" => case
            .spec
            .as_ref()
            .and_then(|sheet| sheet.besides.filter_drop_kpa)
            .map_or_else(String::new, |kpa| format!(" {}", message!("sheet-filter-drop", drop = typed(kpa)).words(units))),
        _ => return None,
    })
}

const JETS_UNKNOWN: &str = "Where a blunt wire reaches the ball, press it: it springs back. With the crank in, most are judged by sight only: say so in the finding.";

/// How much oil raises the level clearly on this engine, l: to a tenth of a litre, a large sump to half a litre.
fn raised_l(card: &Card) -> f64 {
    let litres = RAISED * card.fill_l();
    if litres < 2.0 { (10.0 * litres).round().max(1.0) / 10.0 } else { (2.0 * litres).round() / 2.0 }
}

fn plugs(card: &Card) -> &'static str {
    match card.fuel {
        Some(Burns::Petrol) => "Spark plugs out make a tight place easier to feel.",
        Some(Burns::Diesel) => "Use the decompression lever where it has one; else turn slowly over each compression.",
        None => "Spark plugs out, or the decompression lever where it has one, make a tight place easier to feel.",
    }
}

fn keep_off(card: &Card) -> String {
    let usual = match card.fuel {
        Some(Burns::Petrol) => "Fuel pump and ignition disabled, as the maker's manual says",
        Some(Burns::Diesel) => "Fuel shut off or injection disabled, as the maker's manual says",
        None => "Fuel and ignition disabled, as the maker's manual says",
    };
    let said = card.no_start.as_deref().unwrap_or(usual);
    format!("{}.", said.trim_end_matches('.'))
}

fn top(card: &Card) -> &'static str {
    match card.top_open {
        Some(TopOpen::Runs) => "Engine idling behind a guard: hot oil splashes. Not longer than it takes to see.",
        Some(TopOpen::Cranked | TopOpen::Closed) | None => {
            "Engine stopped while it is opened, then cranked without fuel: a running engine would throw oil onto the exhaust or the belt."
        }
    }
}

fn cams(card: &Card) -> &'static str {
    match card.layout.cam {
        Some(CamPlace::InHead) => {
            "Rocker cover off, timing marked. One cap at a time, numbered, in the maker's order: look at the cap's face and the journal. A cam on two loosened ends bends."
        }
        Some(CamPlace::InBlock) => {
            "Engine out, cam drawn: say so when it is planned. With the cam still in, only the front bearing is seen."
        }
        None => "A cam in the block needs the engine out: say so when it is planned. Under a rocker cover, one cap at a time.",
    }
}
