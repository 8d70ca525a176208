//! What the library's forms ask, each once.
use crate::http::form::{Ask, Choice, Form, Kind};
use velvet_dial_core::calculator::threads;
use velvet_dial_core::case::MOST_FAMILY;
use velvet_dial_core::circuit::{
    BlowAccess, Burns, CamFeed, CamPlace, Cooler, Cooling, HeadFeed, MOST_NO_START, PartAccess, Port, PumpDrive, PumpKind, ReliefSenses,
    Rockers, TopOpen,
};
use velvet_dial_core::field;
use velvet_dial_core::oil;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::{Gear, first_upper};

const FIND_AGAIN: &str = "nothing typed yet; it is how you find it again.";

/// An engine's card: every key of the case file.
pub static ENGINE: Form = Form {
    name: "engine",
    asks: &[
        // The state that whoever changes it saw.
        Ask::new("saw", "", "", Kind::Hidden),
        Ask::new("name", "Engine", "a name to find it by", Kind::Needed(120, FIND_AGAIN)),
        Ask::number(&field::DISPLACEMENT),
        Ask::number(&field::CYLINDERS),
        Ask::number(&field::IDLE),
        Ask::new("oil_grade", "Oil grade of the sheet", "", Kind::Choice),
        Ask::new("port", "Gauge sits", "", Kind::Choice),
        Ask::new("pump_drive", "Pump drive", "", Kind::Choice),
        Ask::new("rockers", "Top end", "", Kind::Choice),
        Ask::new("turbo", "turbocharger", "", Kind::Tick),
        Ask::new("piston_jets", "piston jets", "", Kind::Tick),
        Ask::new("valve_control", "hydraulic valve control", "", Kind::Tick),
        Ask::new("cooler", "Oil cooler", "", Kind::Choice),
        Ask::new("relief_opens_kpa", "Relief opens at", "", Kind::PressureOrNone(&field::RELIEF)),
        Ask::new("jets_open_kpa", "Jets open at", "", Kind::PressureOrNone(&field::JETS)),
        Ask::new("pump", "Pump", "", Kind::Choice),
        Ask::new("cam", "Cam sits", "", Kind::Choice),
        Ask::new("cam_feed", "Cam bearings fed", "", Kind::Choice),
        Ask::new("head_feed", "Head fed", "", Kind::Choice),
        Ask::new("relief_access", "Relief valve reached", "", Kind::Choice),
        Ask::new("pump_access", "Pump reached", "", Kind::Choice),
        Ask::new("drive_access", "Pump drive reached", "", Kind::Choice),
        Ask::new("jets_access", "Piston jets reached", "", Kind::Choice),
        Ask::new("top_open", "May run with the rocker cover off", "", Kind::Choice),
        Ask::new("relief_senses", "Relief senses", "", Kind::Choice),
        Ask::new("blow_access", "Gallery blown through", "", Kind::Choice),
        Ask::new("fuel", "Burns", "", Kind::Choice),
        Ask::new("cooling", "Cooled by", "", Kind::Choice),
        Ask::new("no_start", "Kept from firing by", "fuse, relay or plug that is pulled for cranking", Kind::Text(MOST_NO_START)),
        Ask::new("rated_rpm", "Rated speed", "rpm", Kind::NumberOrNone(&field::RATED)),
        Ask::new("port_thread", "Thread of the port", "", Kind::Choice),
        Ask::new("sump_off_minutes", "Sump off takes", "min", Kind::NumberOrNone(&field::SUMP_OFF)),
        Ask::new("cover_off_minutes", "Front cover off takes", "min", Kind::NumberOrNone(&field::COVER_OFF)),
        Ask::new("engine_out_minutes", "Engine out takes", "min", Kind::NumberOrNone(&field::ENGINE_OUT)),
        Ask::new("family", "Family", "what it shares its weaknesses with", Kind::Text(MOST_FAMILY)),
        Ask::new("fill_l", "Oil with a new filter", "l", Kind::NumberOrNone(&field::FILL)),
        Ask::new("filter_l", "Of it in the filter", "l", Kind::NumberOrNone(&field::FILTER_TAKES)),
        Ask::new("worth", "Worth to its owner", "in your money", Kind::NumberOrNone(&field::WORTH)),
    ],
};

/// A known pattern of a family.
pub static PATTERN: Form = Form {
    name: "pattern",
    asks: &[
        Ask::new("family", "Family", "", Kind::Hidden),
        Ask::new("cause", "What is known to fail", "", Kind::Choice),
        Ask::new("times", "How many times as likely", "1.1 to 20; more only where it was counted", Kind::Number(&field::TIMES)),
        Ask::new("cases", "Counted in", "cases; empty if somebody only says so", Kind::NumberOrNone(&field::COUNTED)),
        Ask::new(
            "source",
            "Source",
            "who says so, or where it is written",
            Kind::Needed(200, "nothing typed yet; a pattern without a source is a rumour."),
        ),
    ],
};

/// The head of a sheet; its lines are [`LINE`].
pub static SHEET: Form = Form {
    name: "sheet",
    asks: &[
        Ask::new("source", "Source", "document and revision", Kind::Text(200)),
        Ask::new("in_force_from", "In force from", "year-month-day", Kind::Day),
        Ask::new("build_s", "Pressure shows within", "s, if it says so", Kind::NumberOrNone(&field::BUILD)),
        Ask::new("filter_drop", "Most lost over the filter", "if it says so", Kind::PressureOrNone(&field::PRESSURE)),
        Ask::new(
            "working_idle",
            "This shop's own least at hot idle",
            "shown beside the sheet, never judged by",
            Kind::PressureOrNone(&field::PRESSURE),
        ),
        Ask::new("torques", "Torques as it says them", "a line each: sump bolts 12 Nm, then 45°", Kind::Lines(2000)),
        Ask::new("sure", "the sheet says exactly this", "", Kind::Tick),
    ],
};

/// Lines that the form has room for.
pub const LINES: usize = 8;

/// Names of a line's fields, by its place from 1.
pub fn line(place: usize) -> [String; 5] {
    ["rpm", "temp", "gear", "min", "max"].map(|name| format!("{name}{place}"))
}

/// What the lists offer.
pub fn choices(name: &str) -> Vec<Choice> {
    let same = |text: &str| Choice { id: text.to_owned(), label: text.to_owned() };
    match name {
        "oil_grade" => oil::grades().iter().map(|grade| same(&grade.grade)).collect(),
        "port" => Choice::all(Port::ALL),
        "pump" => Choice::all(PumpKind::ALL),
        "pump_drive" => Choice::all_or_unknown(PumpDrive::ALL),
        "cam" => Choice::all_or_unknown(CamPlace::ALL),
        "cam_feed" => Choice::all_or_unknown(CamFeed::ALL),
        "rockers" => Choice::all(Rockers::ALL),
        "cooler" => Choice::all(Cooler::ALL),
        "head_feed" => Choice::all_or_unknown(HeadFeed::ALL),
        "relief_access" | "pump_access" | "drive_access" | "jets_access" => Choice::all_or_unknown(PartAccess::ALL),
        "top_open" => Choice::all_or_unknown(TopOpen::ALL),
        "cooling" => Choice::all_or_unknown(Cooling::ALL),
        "relief_senses" => Choice::all_or_unknown(ReliefSenses::ALL),
        "blow_access" => Choice::all_or_unknown(BlowAccess::ALL),
        "fuel" => Choice::all_or_unknown(Burns::ALL),
        "port_thread" | "thread" => {
            let unknown = Choice { id: String::new(), label: "not known".to_owned() };
            std::iter::once(unknown).chain(threads().iter().map(|thread| same(&thread.name))).collect()
        }
        "gear" => Choice::all(Gear::ALL),
        "cause" => knowledge().causes.iter().map(|cause| Choice { id: cause.id.clone(), label: first_upper(&cause.name) }).collect(),
        _ => Vec::new(),
    }
}
