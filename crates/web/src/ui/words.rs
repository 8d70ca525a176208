//! What several screens say alike: the flag, an entry of the ledger, a limit, a point, a decision.
use super::show;
use velvet_dial_core::case::{Phase, Reading};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::diagnosis::COLD_C;
use velvet_dial_core::flag::Word;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::knowledge::{Access, knowledge};
use velvet_dial_core::limits::Besides;
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::rigging;
use velvet_dial_core::strip_down::{CrankSaid, JournalSaid};
use velvet_dial_core::trace::{Strategy, Takeable};
use velvet_dial_core::unit::{Gear, Units, first_upper};
use velvet_dial_store::jobs::{Body, FollowUp, Found, Help, Measured, Note, Particulars, RigStep, StopCalled};
use velvet_dial_store::zone::Zone;

/// May it run.
pub struct Flag {
    pub class: &'static str,
    pub word: &'static str,
    pub why: &'static str,
    pub instead: &'static str,
    /// The live gauge's own call says it already, where that is on the screen.
    pub called: bool,
    /// It is filled first: the screen asks when that is done.
    pub fill: bool,
    /// The one test a person has overruled it for, and until when.
    pub overruled: Option<String>,
}

/// How a word of the flag is drawn.
pub fn flag_class(word: Word) -> &'static str {
    match word {
        Word::MayRun => "flag-yes",
        Word::CrankFirst | Word::FillFirst => "flag-crank",
        Word::DoNotRun => "flag-no",
    }
}

/// The flag in words.
pub fn flag(flag: &velvet_dial_core::flag::Flag, zone: &Zone) -> Flag {
    let overruled = flag.overruled.as_ref().map(|test| {
        let ask = knowledge().check(&test.check).map_or(test.check.as_str(), |check| check.ask.as_str());
        format!("Overruled for “{ask}” alone, until {}.", show::moment(test.until.naive_utc(), zone))
    });
    Flag {
        class: flag_class(flag.word),
        word: flag.word.label(),
        why: flag.why.unwrap_or_default(),
        instead: flag.instead.unwrap_or_default(),
        called: flag.rule == Some("stop_called"),
        fill: flag.word == Word::FillFirst,
        overruled,
    }
}

/// An entry in a sentence.
pub fn describe(body: &Body, unit: Units) -> String {
    let know = knowledge();
    match body {
        Body::Circumstance { circumstance, told } => {
            let label = know.circumstance(circumstance).map_or(circumstance.as_str(), |c| c.label.as_str());
            if *told { format!("Reported: {label}") } else { format!("Cleared: {label}") }
        }
        Body::Replaced { part: replaced } => {
            let label = know.circumstance(&replaced.circumstance).map_or(replaced.circumstance.as_str(), |c| c.label.as_str());
            format!("{label}: {}", replaced.said().unwrap_or_else(|| "by whom and with what effect is not known".to_owned()))
        }
        Body::Reading(taken) => {
            let r = &taken.reading;
            let after = if body.kind() == "after_reading" { "After: " } else { "" };
            format!("{after}{} at {:.0} rpm, {}, {}", show::read(r, unit), r.rpm, unit.temp(r.oil_temp_c), r.gear.label())
        }
        Body::StopCall(called) => stop_called(called, unit),
        Body::Rig(done) => rigged(done, unit),
        Body::Evidence { check, phase, .. } => {
            let said = found_said(check, body);
            if *phase == Phase::After { format!("After the repair: {said}") } else { said }
        }
        Body::Photo(shown) => {
            let of = know.check(&shown.of).map_or("the job", |check| check.ask.as_str());
            if shown.words.is_empty() { format!("Photo: {of}") } else { format!("Photo: {of}, {}", shown.words) }
        }
        Body::Note(note) => note_said(note),
        Body::PutOff { check, cannot, .. } => {
            let ask = know.check(check).map_or(check.as_str(), |check| check.ask.as_str());
            format!("{ask}: {}", if *cannot { "cannot be done here" } else { "not now" })
        }
        Body::Repair(repair) => {
            let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|i| know.causes.get(i));
            let how = if repair.stopgap { "Stopgap" } else { "Repaired" };
            format!("{how}: {}", cause.map_or("a cause that is not on the list", |c| c.name.as_str()))
        }
        Body::Struck { cause, because } => format!("Ruled out: {}, because of “{}”", cause_name(cause), fact_name(because)),
        Body::Order { order } => format!("Strategy: {}", order_name(order)),
        Body::Pattern { cause: Some(cause) } => format!("Usual cause, as somebody says: {}", cause_name(cause)),
        Body::Pattern { cause: None } => "No usual cause any more".to_owned(),
        Body::Agreed { how, unasked: true, .. } => format!("Opened without the customer's approval: {how}"),
        Body::Agreed { who, how, up_to, .. } => {
            let how = if how.is_empty() { String::new() } else { format!(", {how}") };
            let up_to = up_to.map(|money| format!(", up to {money:.0}")).unwrap_or_default();
            format!("Approved: {who}{how}{up_to}")
        }
        Body::Talked { about, go_on, who, words } => {
            let words = if words.is_empty() { String::new() } else { format!(", {words}") };
            format!("Talked about “{}”: {}, {who}{words}", fact_name(about), if *go_on { "go on" } else { "close it again" })
        }
        Body::Overruled { check, minutes, reason } => {
            let ask = know.check(check).map_or(check.as_str(), |check| check.ask.as_str());
            format!("Stop overruled for “{ask}”, {minutes:.0} min: {reason}")
        }
        Body::Done { step, .. } => format!("Done: {step}"),
        Body::Customer { who, said_no: true, words } if words.is_empty() => format!("Declined: {who}"),
        Body::Customer { who, said_no: true, words } => format!("Declined: {who}, “{words}”"),
        Body::Customer { who, words, .. } => format!("Question: {who}, “{words}”"),
        Body::Replied { words, .. } => format!("Answer to the customer's question: {words}"),
        Body::UploadWithdrawn { name, reason, .. } => format!("Upload “{name}” withdrawn: {reason}"),
        Body::Crank { said } => crank_said(*said),
        Body::Journal { said } => journal_said(said),
        Body::Measured { figure: measured } => measured_said(measured),
        Body::Worked { told, .. } => told.clone(),
        Body::Sensed { at: Some((rpm, oil)), .. } => format!("On the bench: gauge looked at, {rpm:.0} rpm, {}", unit.temp(*oil)),
        Body::Helped { help: Help::Hint, .. } => "On the bench: a hint was bought".to_owned(),
        Body::Helped { help: Help::Sheet, .. } => "On the bench: the maker was asked for the sheet in force".to_owned(),
        Body::Helped { help: Help::Suspects, .. } => "On the bench: the suspects were uncovered".to_owned(),
        Body::Sensed { check, .. } => format!("On the bench: {}", know.check(check).map_or(check.as_str(), |check| check.ask.as_str())),
        Body::JobDetails(details) => {
            let vehicle = if details.description.is_empty() { String::new() } else { format!(", {}", details.description) };
            format!("Job details: {}{vehicle}; {}; “{}”", details.tag, details.engine_name, details.complaint)
        }
        Body::Particulars(said) => particulars(said),
        Body::Withdrawn { reason } => format!("Withdrawn: {reason}"),
        Body::Promised { promise } => format!("Hand-over promised for {}", promise.said),
        Body::FollowUp(found) => format!("Follow-up: {}", followed_up(found)),
        Body::CustomerRemoved { because } => format!("Customer removed from the job: {because}"),
        Body::Filled {} => "Oil filled to the mark, level checked".to_owned(),
        Body::Cranked { outcome } => format!("Cranked without fuel after the repair: {}", outcome.label()),
        Body::Comeback { of, same: true } => format!("Came back with the same as job {of}"),
        Body::Comeback { of, .. } => format!("Was here before, for something else: job {of}"),
        Body::Closed { found } => closed_said(found),
        Body::Reopened { reason } => format!("Opened again: {reason}"),
        Body::Unreadable { kind, .. } => format!("An entry this version cannot read ({kind}); it is kept as it is"),
    }
}

/// What a sheet says beside its limits, and the shop's own limit: a sentence each.
pub fn besides_said(besides: &Besides, unit: Units) -> Vec<String> {
    let build = besides.build_s.map(|seconds| format!("Pressure shows within {} s of the start.", show::plain(seconds)));
    let drop = besides.filter_drop_kpa.map(|kpa| format!("At most {} are lost over the filter.", show::pressure(kpa, unit)));
    let own = besides.working_idle_kpa.map(|kpa| {
        format!(
            "This shop hands it back with at least {} at hot idle. That is our own limit and not the sheet's.",
            show::pressure(kpa, unit)
        )
    });
    build.into_iter().chain(drop).chain(own).chain(besides.remarks.iter().cloned()).collect()
}

/// “Snag: a hidden bolt behind the starter”.
pub fn note_said(note: &Note) -> String {
    let words = if note.words.is_empty() { "a photo" } else { note.words.as_str() };
    format!("{}: {words}", velvet_dial_core::unit::first_upper(note.sort.label()))
}

/// “What lies in the sump: Carbon, bearing metal”.
pub fn found_said(check: &str, body: &Body) -> String {
    let Some(known) = knowledge().check(check) else {
        return format!("{check}: {}", body.outcomes().collect::<Vec<_>>().join(", "));
    };
    format!("{}: {}", known.ask, known.labels(body.outcomes()))
}

/// “Filter cut open: metal. Flakes in every fold”.
pub fn followed_up(found: &FollowUp) -> String {
    let check = knowledge().found(&found.check, &found.outcome).map(|(check, outcome)| format!("{}: {}", check.ask, outcome.label));
    let parts: Vec<String> = check.into_iter().chain(Some(found.words.clone()).filter(|words| !words.is_empty())).collect();
    parts.join(". ")
}

/// “Job closed: pickup screen blocked, seen, with it open”.
fn closed_said(found: &Found) -> String {
    let cause = found.cause.as_deref().map(cause_name).map(str::to_owned);
    let known = found.known.map(|known| known.label().to_owned());
    let took = found.took_min.map(|minutes| format!("{} of work", show::minutes(minutes)));
    let why = Some(&found.without_proof).filter(|why| !why.is_empty()).map(|why| format!("without proof: {why}"));
    let parts: Vec<String> = [cause, known, took, why].into_iter().flatten().collect();
    if parts.is_empty() { "Job closed".to_owned() } else { format!("Job closed: {}", parts.join(", ")) }
}

/// A stop call in the job history.
fn stop_called(called: &StopCalled, unit: Units) -> String {
    let answered = if called.answered { " Answered: the engine is off." } else { "" };
    format!("Stop called by the live gauge after {:.1} s: {}{answered}", called.seconds, called.call().says(unit))
}

/// What the sheet says of the crank's bearings.
fn crank_said(said: CrankSaid) -> String {
    let parts = [
        said.mains.map(|mains| format!("{mains} mains")),
        said.new_mm.map(|mm| format!("new {mm} mm")),
        said.limit_mm.map(|mm| format!("at most {mm} mm")),
    ];
    let parts: Vec<String> = parts.into_iter().flatten().collect();
    if parts.is_empty() { "Crank: nothing said of it".to_owned() } else { format!("Crank by the sheet: {}", parts.join(", ")) }
}

/// “Rod 4: scored, 0.09 mm, 0.07 at the other end”.
pub fn journal_said(said: &JournalSaid) -> String {
    let parts = [
        said.condition.map(|condition| condition.label().to_owned()),
        said.clearance_mm.map(|mm| format!("{mm:.3} mm")),
        said.other_end_mm.map(|mm| format!("{mm:.3} at the other end")),
    ];
    let parts: Vec<String> = parts.into_iter().flatten().collect();
    let name = first_upper(said.kind.label());
    format!("{name} {}: {}", said.number, if parts.is_empty() { "nothing noted".to_owned() } else { parts.join(", ") })
}

/// A figure taken with the engine open.
pub fn measured_said(measured: &Measured) -> String {
    match measured {
        Measured::Screen(screen) => format!("Screen: {} of it lets light through", show::percent(screen.open_share)),
        Measured::Spring(spring) => format!("Relief spring: {} mm free, {} by the sheet", spring.free_mm, spring.sheet_mm),
        Measured::Pump(pump) => {
            let of = |what: &str, mm: Option<f64>, limit: Option<f64>| {
                let limit = limit.map(|limit| format!(" (at most {limit})")).unwrap_or_default();
                mm.map(|mm| format!("{what} {mm} mm{limit}"))
            };
            let parts = [of("tip clearance", pump.tip_mm, pump.tip_limit_mm), of("end float", pump.end_float_mm, pump.end_float_limit_mm)];
            format!("Pump: {}", parts.into_iter().flatten().collect::<Vec<_>>().join(", "))
        }
    }
}

/// A part's name at the head of its causes.
pub fn group_name(group: &str) -> String {
    match group {
        "none" => "No fault, or not on the list".to_owned(),
        other => first_upper(other),
    }
}

/// “the cold reading at idle”, “the reading at 2500 rpm”.
pub fn reading_name(reading: &Reading, card: &Card, unit: Units) -> String {
    let warm = if reading.oil_temp_c < COLD_C { "cold" } else { "hot" };
    let at = if card.idles_at(reading.rpm) { "idle".to_owned() } else { format!("{:.0} rpm", reading.rpm) };
    let gear = if reading.gear == Gear::Drive { ", in gear" } else { "" };
    format!("the {warm} reading at {at}{gear} ({})", show::read(reading, unit))
}

/// How much a thing speaks, in words: “twelve to one”.
pub fn factor_words(factor: f64) -> String {
    const NUMBERS: [&str; 13] = ["", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"];
    match factor {
        f if f < 1.5 => "hardly more than evens".to_owned(),
        f if f < 12.5 => format!("{} to one", NUMBERS.get(f.round() as usize).unwrap_or(&"")),
        f if f < 95.0 => format!("{:.0} to one", (f / 5.0).round() * 5.0),
        f if f < 1000.0 => format!("some {:.0} to one", (f / 100.0).round().max(1.0) * 100.0),
        _ => "more than a thousand to one".to_owned(),
    }
}

/// A cause by its word.
pub fn cause_name(id: &str) -> &str {
    let know = knowledge();
    know.cause(id).and_then(|index| know.causes.get(index)).map_or(id, |cause| cause.name.as_str())
}

/// A fact by the key of its finding.
pub fn fact_name(key: &str) -> String {
    let know = knowledge();
    if key == "readings" {
        return "the readings together".to_owned();
    }
    if let Some(circumstance) = know.circumstance(key) {
        return circumstance.label.clone();
    }
    let found = key.split_once('=').and_then(|(check, outcome)| know.found(check, outcome));
    found.map_or_else(|| key.to_owned(), |(check, outcome)| format!("{}: {}", check.ask, outcome.label))
}

/// A strategy by its word.
fn order_name(id: &str) -> &str {
    Strategy::ALL.iter().find(|(_, known, _)| *known == id).map_or(id, |(.., label)| label)
}

/// A step of fitting the gauge, with the zero that was read.
fn rigged(done: &RigStep, unit: Units) -> String {
    let step = rigging::step(&done.step);
    let ask = step.map_or(done.step.as_str(), |step| step.ask.as_str());
    let answer = step.and_then(|step| step.label(&done.answer)).unwrap_or(&done.answer);
    match done.zero_kpa {
        Some(zero_kpa) => format!("{ask}: {}", show::pressure(zero_kpa, unit)),
        None => format!("{ask}: {}", answer.to_lowercase()),
    }
}

/// Customer, odometer and who is on it, as far as they are said.
fn particulars(said: &Particulars) -> String {
    let customer = match (said.customer.as_str(), said.reach.as_str()) {
        ("", "") => String::new(),
        (name, "") => format!("customer {name}"),
        ("", reach) => format!("customer at {reach}"),
        (name, reach) => format!("customer {name}, {reach}"),
    };
    let odometer = said.odometer_km.map_or_else(String::new, |km| format!("odometer {km:.0} km"));
    let on_it = said.on_it.as_ref().map_or_else(String::new, |(_, name)| format!("{name} is on it"));
    let parts: Vec<String> = [customer, odometer, on_it].into_iter().filter(|part| !part.is_empty()).collect();
    if parts.is_empty() { "Customer, odometer and technician: cleared".to_owned() } else { format!("Noted: {}", parts.join("; ")) }
}

/// What must be open first, in words; nothing for outside checks.
pub fn access_words(access: Access) -> &'static str {
    match access {
        Access::Outside => "",
        Access::Cover => "front cover off",
        Access::Sump => "sump off",
        Access::EngineOut => "engine out",
    }
}

/// A reading that could be taken: “hot idle”, “1500 rpm, hot”.
pub fn reading_to_take(card: &Card, reading: &Takeable) -> String {
    let warm = if reading.at.oil_temp_c >= COLD_C { "hot" } else { "cold" };
    let gear = if reading.gear == Gear::Drive { ", in gear" } else { "" };
    if card.idles_at(reading.at.rpm) { format!("{warm} idle{gear}") } else { format!("{:.0} rpm, {warm}{gear}", reading.at.rpm) }
}

/// “idle, 750 rpm at 100 °C”.
pub fn point_name(card: &Card, point: &Point, unit: Units) -> String {
    point_words(point, card.idles_at(point.rpm), unit)
}

/// The same where it is known whether the engine idles there.
pub fn point_words(point: &Point, idle: bool, unit: Units) -> String {
    let idle = if idle { "idle, " } else { "" };
    format!("{idle}{}", point.words(unit))
}

/// “needle gauge, 1000 kPa full scale, class 1.6, marks every 20 kPa”.
pub fn gauge(card: &Instrument, unit: Units) -> String {
    format!(
        "{}, {} full scale, class {}, marks every {}",
        card.kind.label(),
        show::pressure(card.full_scale_kpa, unit),
        show::plain(card.class_percent),
        show::pressure(card.graduation_kpa, unit)
    )
}

/// “780 rpm · 97 °C est. · neutral”.
pub fn reading_place(reading: &Reading, unit: Units) -> String {
    let estimated = if reading.oil_temp_estimated { " est." } else { "" };
    format!("{:.0} rpm · {}{estimated} · {}", reading.rpm, unit.temp(reading.oil_temp_c), reading.gear.label())
}

/// “sheet 12, rev C, in force from 2025-03-01”.
pub fn sheet_name(sheet: &Sheet) -> String {
    sheet.in_force_from.map_or_else(|| sheet.source.clone(), |from| format!("{}, in force from {from}", sheet.source))
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::limits::limit_words;
    use velvet_dial_core::unit::Pressure;
    use velvet_dial_store::jobs::{Repair, TakenReading};

    #[test]
    fn every_kind_of_entry_is_a_sentence() {
        let reading = |phase| {
            Body::Reading(TakenReading {
                reading: Reading { phase, ..Reading::of(780.0, 97.0, 62.0) },
                gauge: None,
                capture: None,
                held: None,
            })
        };
        let step =
            |step: &str, answer: &str, zero_kpa| Body::Rig(RigStep { step: step.into(), answer: answer.into(), zero_kpa, gauge: None });
        let noted = |customer: &str, reach: &str, odometer_km, on_it: Option<&str>| {
            let on_it = on_it.map(|name| (uuid::Uuid::nil(), name.to_owned()));
            Body::Particulars(Particulars { customer: customer.into(), reach: reach.into(), odometer_km, on_it })
        };
        let repair = |cause: Option<&str>| {
            Body::Repair(Repair { cause: cause.map(str::to_owned), done: "x".into(), follow_up: String::new(), stopgap: false })
        };
        for (body, told) in [
            (Body::Circumstance { circumstance: "whine".into(), told: true }, "Reported: Whine"),
            (Body::Circumstance { circumstance: "whine".into(), told: false }, "Cleared: Whine"),
            (Body::Circumstance { circumstance: "of a later version".into(), told: true }, "Reported: of a later version"),
            (reading(Phase::Before), "62 kPa at 780 rpm, 97 °C, neutral"),
            (reading(Phase::After), "After: 62 kPa at 780 rpm, 97 °C, neutral"),
            (Body::evidence("tarot", "purple", Phase::Before), "tarot: purple"),
            (repair(Some("pickup_air")), "Repaired: Air drawn in at the pickup joint"),
            (repair(None), "Repaired: a cause that is not on the list"),
            (
                noted("The carrier", "ext. 12", Some(182_400.0), Some("Odd")),
                "Noted: customer The carrier, ext. 12; odometer 182400 km; Odd is on it",
            ),
            (noted("", "ext. 12", None, None), "Noted: customer at ext. 12"),
            (noted("", "", None, None), "Customer, odometer and technician: cleared"),
            (step("zero", "done", Some(8.0)), "Zero, line open: 8 kPa"),
            (step("sender", "teed", None), "Sender: plugged off or teed in: teed in"),
            (step("peak", "skipped", None), "Clear the peak-hold: skipped"),
            (step("tarot", "purple", None), "tarot: purple"),
            (Body::Withdrawn { reason: "no".into() }, "Withdrawn: no"),
            (Body::Closed { found: Found::default() }, "Job closed"),
            (Body::Reopened { reason: "again".into() }, "Opened again: again"),
            (
                Body::Unreadable { kind: "thermogram".into(), why: "x".into() },
                "An entry this version cannot read (thermogram); it is kept as it is",
            ),
        ] {
            assert_eq!(describe(&body, Pressure::Kpa.into()), told);
        }
    }

    #[test]
    fn limits_and_points_are_said_in_the_unit_that_is_liked() {
        for (min, max, unit, told) in [
            (Some(100.0), None, Pressure::Kpa, "at least 100 kPa"),
            (None, Some(550.0), Pressure::Bar, "at most 5.50 bar"),
            (Some(300.0), Some(550.0), Pressure::Kpa, "300 to 550 kPa"),
            (None, None, Pressure::Psi, "no limit"),
        ] {
            assert_eq!(limit_words(min, max, unit.into()), told);
        }
        let point = Point { rpm: 780.0, oil_temp_c: 100.0, gear: Gear::Drive, min_kpa: None, max_kpa: None };
        assert_eq!(point_words(&point, true, Pressure::Kpa.into()), "idle, 780 rpm at 100 °C, in gear");
        assert_eq!(point_words(&Point { gear: Gear::Neutral, ..point }, false, Pressure::Kpa.into()), "780 rpm at 100 °C");
    }
}
