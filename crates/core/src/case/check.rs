//! Reading a case, and what is refused of it: every refusal names its place and what would be right.
use super::file::{MOST_PATTERNS, MOST_POINTS, MOST_READINGS};
use super::{Case, Deed, FORMAT, MOST_FAMILY, Shows};
use crate::circuit::{Card, MOST_NO_START};
use crate::experience::MOST_SAID;
use crate::field::{self, Field};
use crate::instrument::Instrument;
use crate::knowledge::knowledge;
use crate::strip_down::{StripDownError, places};
use crate::thread::threads;
use crate::{json, oil};
use serde::Serialize;
use serde::de::DeserializeOwned;
use thiserror::Error;

/// Why a case was not taken: where, and a sentence.
#[derive(Debug, Clone, PartialEq, Eq, Error, Serialize)]
#[error("{path}: {message}")]
pub struct CaseError {
    /// Path into the file, for example `readings[0].rpm`.
    pub path: String,
    /// What is wrong and what would be right.
    pub message: String,
}

impl CaseError {
    fn at(path: impl Into<String>, message: impl ToString) -> Self {
        Self { path: path.into(), message: message.to_string() }
    }
}

/// A case from the bytes of a JSON object.
///
/// # Errors
/// [`CaseError`] for what is not JSON, an unknown or missing key, a value out of its range or a word the product does not know.
///
/// ```
/// # use velvet_dial_core::case;
/// let good = br#"{"format":"velvet-dial.case/1","engine":{"displacement_l":2.0,"cylinders":4,"idle_rpm":750,"oil_grade":"5W-30"},
///   "evidence":[{"check":"level","outcome":"low"}]}"#;
/// assert!(case::parse(good).is_ok());
/// let error = case::parse(br#"{"format":"velvet-dial.case/1","motor":{}}"#).unwrap_err();
/// assert!(error.message.contains("motor"));
/// ```
pub fn parse(bytes: &[u8]) -> Result<Case, CaseError> {
    // Some editors put a mark of their own before the first byte.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let mut case: Case = json::read(bytes).map_err(|refused| CaseError { message: refused.plain(), path: refused.path })?;
    for entry in &mut case.evidence {
        // What is named first stands for the look where only one can.
        let first = entry.seen().next().unwrap_or_default().to_owned();
        entry.outcome = first;
    }
    validate(&case)?;
    case.count_figures(None);
    Ok(case)
}

/// Anything else that another program sends as JSON, read as a case is: every refusal names its place and what would be right.
///
/// # Errors
/// [`CaseError`] for what is not JSON, an unknown or missing key, or a value of another kind.
pub fn read<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, CaseError> {
    json::read(bytes).map_err(|refused| CaseError { message: refused.plain(), path: refused.path })
}

/// A case that was put together, held to the same ranges and words as one that was read.
///
/// # Errors
/// [`CaseError`] for the first that is outside them.
pub fn check(case: &Case) -> Result<(), CaseError> {
    validate(case)
}

/// A gauge, at its place in what was sent.
///
/// # Errors
/// [`CaseError`] for the first figure that is outside its range.
pub fn check_gauge(path: &str, gauge: &Instrument) -> Result<(), CaseError> {
    let at = |key: &str| format!("{path}.{key}");
    hold(at("full_scale_kpa"), &field::FULL_SCALE, gauge.full_scale_kpa)?;
    hold(at("class_percent"), &field::CLASS, gauge.class_percent)?;
    hold(at("graduation_kpa"), &field::GRADUATION, gauge.graduation_kpa)?;
    hold_some(at("opens_kpa"), &field::LAMP_OPENS, gauge.opens_kpa)?;
    hold_some(at("armed_from_rpm"), &field::RPM, gauge.armed_from_rpm)
}

fn hold(path: String, field: &Field, value: f64) -> Result<(), CaseError> {
    field.hold(value).map(drop).map_err(|error| CaseError::at(path, error))
}

fn hold_some(path: String, field: &Field, value: Option<f64>) -> Result<(), CaseError> {
    value.map_or(Ok(()), |value| hold(path, field, value))
}

/// Holds a case that was built or parsed to the ranges and words of the product.
fn validate(case: &Case) -> Result<(), CaseError> {
    if case.format != FORMAT {
        return Err(CaseError::at("format", format!("“{}” is not read here; it must be “{FORMAT}”", case.format)));
    }
    check_card(&case.engine)?;
    if let Some(spec) = &case.spec {
        if spec.points.len() > MOST_POINTS {
            return Err(CaseError::at(
                "spec.points",
                format!("{} points are too many for a sheet; at most {MOST_POINTS}", spec.points.len()),
            ));
        }
        for (i, point) in spec.points.iter().enumerate() {
            let at = |key: &str| format!("spec.points[{i}].{key}");
            hold(at("rpm"), &field::RPM, point.rpm)?;
            hold(at("oil_temp_c"), &field::OIL_TEMP, point.oil_temp_c)?;
            hold_some(at("min_kpa"), &field::PRESSURE, point.min_kpa)?;
            hold_some(at("max_kpa"), &field::PRESSURE, point.max_kpa)?;
            if let (Some(min), Some(max)) = (point.min_kpa, point.max_kpa)
                && min > max
            {
                return Err(CaseError::at(at("min_kpa"), format!("{min} kPa is more than the most allowed, {max} kPa")));
            }
        }
    }
    for (name, gauge) in &case.instruments {
        check_gauge(&format!("instruments.{name}"), gauge)?;
    }
    if case.readings.len() > MOST_READINGS {
        return Err(CaseError::at("readings", format!("{} readings are too many; at most {MOST_READINGS}", case.readings.len())));
    }
    for (i, reading) in case.readings.iter().enumerate() {
        let at = |key: &str| format!("readings[{i}].{key}");
        hold(at("rpm"), &field::RPM, reading.rpm)?;
        hold(at("oil_temp_c"), &field::OIL_TEMP, reading.oil_temp_c)?;
        hold(at("kpa"), &field::PRESSURE, reading.kpa)?;
        hold(at("spread_kpa"), &field::SPREAD, reading.spread_kpa)?;
        hold_some(at("hold_s"), &field::HOLD, reading.hold_s)?;
        if reading.set_aside.as_ref().is_some_and(|reason| reason.trim().is_empty()) {
            return Err(CaseError::at(
                at("set_aside"),
                "a reading that is ignored needs its reason in a few words; leave the key out to use the reading",
            ));
        }
        if let Some(why) = reading.shows.unwrap_or(Shows::Value).refused_by(&case.gauge(reading), reading.rpm) {
            return Err(CaseError::at(at("shows"), why));
        }
        if let Some(name) = &reading.instrument
            && !case.instruments.contains_key(name)
        {
            return Err(CaseError::at(at("instrument"), format!("“{name}” is not among the case's instruments")));
        }
    }
    words(case)?;
    acts(case)?;
    strip_down(case)?;
    if case.readings.is_empty() && case.evidence.is_empty() && case.strip_down.is_empty() {
        return Err(CaseError::at(".", "a case needs at least one reading or one piece of evidence"));
    }
    Ok(())
}

/// Holds an engine's card to its ranges.
///
/// # Errors
/// [`CaseError`] names the path and what would be right.
pub fn check_card(card: &Card) -> Result<(), CaseError> {
    hold("engine.displacement_l".into(), &field::DISPLACEMENT, card.displacement_l)?;
    hold("engine.cylinders".into(), &field::CYLINDERS, f64::from(card.cylinders))?;
    hold("engine.idle_rpm".into(), &field::IDLE, card.idle_rpm)?;
    hold_some("engine.relief_opens_kpa".into(), &field::RELIEF, card.relief_opens_kpa)?;
    hold_some("engine.rated_rpm".into(), &field::RATED, card.rated_rpm)?;
    hold_some("engine.sump_off_minutes".into(), &field::SUMP_OFF, card.sump_off_minutes)?;
    hold_some("engine.cover_off_minutes".into(), &field::COVER_OFF, card.cover_off_minutes)?;
    hold_some("engine.engine_out_minutes".into(), &field::ENGINE_OUT, card.engine_out_minutes)?;
    hold_some("engine.worth".into(), &field::WORTH, card.worth)?;
    hold_some("engine.fill_l".into(), &field::FILL, card.fill_l)?;
    hold_some("engine.filter_l".into(), &field::FILTER_TAKES, card.filter_l)?;
    if let Some((fill, filter)) = card.fill_l.zip(card.filter_l)
        && filter >= fill
    {
        let message =
            format!("a filter that takes {filter} l leaves nothing of {fill} l for the sump; the larger figure is the whole fill");
        return Err(CaseError::at("engine.filter_l", message));
    }
    if let Some(family) = &card.family {
        let typed = field::text("Family", family, MOST_FAMILY).map_err(|error| CaseError::at("engine.family", error.to_string()))?;
        if typed.is_empty() || typed != *family {
            return Err(CaseError::at(
                "engine.family",
                "a family is a word or two without spaces around them; leave it out where there is none",
            ));
        }
    }
    if let Some(said) = &card.no_start {
        field::text("Kept from firing", said, MOST_NO_START).map_err(|error| CaseError::at("engine.no_start", error.to_string()))?;
    }
    if let Some(named) = &card.port_thread
        && threads().iter().all(|thread| thread.name != *named)
    {
        return Err(CaseError::at("engine.port_thread", format!("“{named}” is no thread of the list")));
    }
    if let Some(rated) = card.rated_rpm
        && rated <= card.idle_rpm
    {
        let message = format!("{rated} rpm is not above the idle speed of {} rpm; enter the speed of rated power", card.idle_rpm);
        return Err(CaseError::at("engine.rated_rpm", message));
    }
    hold_some("engine.layout.jets_open_kpa".into(), &field::JETS, card.layout.jets_open_kpa)?;
    oil::typical(&card.oil_grade).map(drop).map_err(|error| CaseError::at("engine.oil_grade", error))
}

fn words(case: &Case) -> Result<(), CaseError> {
    let know = knowledge();
    for (i, entry) in case.evidence.iter().enumerate() {
        let check = know
            .check(&entry.check)
            .ok_or_else(|| CaseError::at(format!("evidence[{i}].check"), format!("“{}” is no check known here", entry.check)))?;
        let seen: Vec<&str> = entry.seen().collect();
        if let Some(strange) = seen.iter().find(|outcome| check.outcome(outcome).is_none()).or(seen.is_empty().then_some(&"")) {
            let known: Vec<_> = check.outcomes.iter().map(|o| o.id.as_str()).collect();
            let message = format!("“{strange}” is not an outcome of {}; use one of: {}", entry.check, known.join(", "));
            return Err(CaseError::at(format!("evidence[{i}].outcome"), message));
        }
        if let Some(message) = check.refuses_together(&seen) {
            return Err(CaseError::at(format!("evidence[{i}].outcomes"), message));
        }
        if case.evidence.iter().take(i).any(|earlier| (&earlier.check, earlier.at, earlier.phase) == (&entry.check, entry.at, entry.phase))
        {
            let message = format!("{} is given twice; keep the right one, or give each its own time or phase", entry.check);
            return Err(CaseError::at(format!("evidence[{i}].check"), message));
        }
    }
    for (i, check) in case.put_off.iter().enumerate() {
        if know.check(check).is_none() {
            return Err(CaseError::at(format!("put_off[{i}]"), format!("“{check}” is no check known here")));
        }
    }
    for (i, told) in case.circumstances.iter().enumerate() {
        if know.circumstance(told).is_none() {
            return Err(CaseError::at(format!("circumstances[{i}]"), format!("“{told}” is no circumstance known here")));
        }
        if case.circumstances.iter().take(i).any(|earlier| earlier == told) {
            return Err(CaseError::at(format!("circumstances[{i}]"), format!("{told} is given twice")));
        }
    }
    for (i, replaced) in case.replaced.iter().enumerate() {
        let told = &replaced.circumstance;
        if !case.circumstances.contains(told) || know.circumstance(told).is_none_or(|known| known.part.is_none()) {
            let message = format!("“{told}” is not one of the replaced parts among the circumstances");
            return Err(CaseError::at(format!("replaced[{i}].circumstance"), message));
        }
        if case.replaced.iter().take(i).any(|earlier| earlier.circumstance == *told) {
            return Err(CaseError::at(format!("replaced[{i}].circumstance"), format!("{told} is given twice")));
        }
    }
    Ok(())
}

fn strip_down(case: &Case) -> Result<(), CaseError> {
    let seen = &case.strip_down;
    let at = |part: &str, error: StripDownError| CaseError::at(format!("strip_down.{part}.{}", error.key()), error);
    seen.crank.held().map_err(|error| at("crank", error))?;
    seen.screen.map_or(Ok(()), |screen| screen.held().map(drop)).map_err(|error| at("screen", error))?;
    seen.spring.map_or(Ok(()), |spring| spring.held().map(drop)).map_err(|error| at("spring", error))?;
    seen.pump.map_or(Ok(()), |pump| pump.held().map(drop)).map_err(|error| at("pump", error))?;
    let places = places(case.engine.cylinders, seen.crank);
    for (i, journal) in seen.journals.iter().enumerate() {
        let part = format!("journals[{i}]");
        journal.held().map_err(|error| at(&part, error))?;
        if !places.iter().any(|place| journal.is(place.kind, place.number)) {
            let message =
                format!("{} {} is not on this crank; give the number of mains, or mend the number", journal.kind.label(), journal.number);
            return Err(CaseError::at(format!("strip_down.{part}.number"), message));
        }
        if seen.journals.iter().take(i).any(|earlier| earlier.is(journal.kind, journal.number)) {
            let message = format!("{} {} is given twice; keep the right one", journal.kind.label(), journal.number);
            return Err(CaseError::at(format!("strip_down.{part}.number"), message));
        }
    }
    Ok(())
}

fn acts(case: &Case) -> Result<(), CaseError> {
    let know = knowledge();
    let cause_known = |path: String, cause: &Option<String>| match cause {
        Some(cause) if know.cause(cause).is_none() => Err(CaseError::at(path, format!("“{cause}” is no cause known here"))),
        _ => Ok(()),
    };
    for (i, act) in case.acts.iter().enumerate() {
        let at = |key: &str| format!("acts[{i}].{key}");
        cause_known(at("cause"), &act.cause)?;
        hold_some(at("minutes"), &field::OVERRULED, act.minutes)?;
        match act.act {
            Deed::Crank if act.outcome.is_none() => {
                return Err(CaseError::at(at("outcome"), "a crank needs what it showed: shows, slow or none"));
            }
            Deed::Overrule => {
                let named = act.check.as_deref().and_then(|check| know.check(check));
                if named.is_none() {
                    let message = "overruling is for one named test: give the check that is to be done";
                    return Err(CaseError::at(at("check"), message));
                }
                if act.minutes.is_none() {
                    return Err(CaseError::at(at("minutes"), format!("overruling needs its end: enter {}", field::OVERRULED.range())));
                }
            }
            _ => {}
        }
    }
    cause_known("pattern".into(), &case.pattern)?;
    if case.known_patterns.len() > MOST_PATTERNS {
        return Err(CaseError::at(
            "known_patterns",
            format!("{} patterns are more than a family has; {MOST_PATTERNS} are read", case.known_patterns.len()),
        ));
    }
    for (i, known) in case.known_patterns.iter().enumerate() {
        let at = |key: &str| format!("known_patterns[{i}].{key}");
        cause_known(at("cause"), &Some(known.cause.clone()))?;
        hold(at("times"), &field::TIMES, known.times)?;
        if known.times > known.most() {
            let message = format!(
                "a pattern that is only said raises its cause at most {MOST_SAID:.0} times; give the cases in which it was counted, at least as many as the times"
            );
            return Err(CaseError::at(at("times"), message));
        }
        if known.source.trim().is_empty() {
            return Err(CaseError::at(at("source"), "a known pattern needs its source: who says so, or where it is written"));
        }
        if case.known_patterns.iter().take(i).any(|earlier| earlier.cause == known.cause) {
            return Err(CaseError::at(at("cause"), format!("{} is given twice; keep the better source", known.cause)));
        }
    }
    if let Some(memory) = &case.memory {
        for cause in memory.closed.keys() {
            cause_known(format!("memory.closed.{cause}"), &Some(cause.clone()))?;
        }
        if !memory.took.holds() {
            let told = "log_times is a sum of the logarithms of minutes taken over minutes planned, each between a quarter and four times";
            return Err(CaseError::at("memory.took", told));
        }
    }
    Ok(())
}
