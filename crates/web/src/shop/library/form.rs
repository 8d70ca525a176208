//! What the library's forms ask, each once.
use crate::http::form::{Choice, Form, Kind, Question};
use velvet_dial_core::case::MOST_FAMILY;
use velvet_dial_core::circuit::{
    BlowAccess, Burns, CamFeed, CamPlace, Cooler, Cooling, HeadFeed, MOST_NO_START, PartAccess, Port, PumpDrive, PumpKind, ReliefSenses,
    Rockers, TopOpen,
};
use velvet_dial_core::field;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::oil;
use velvet_dial_core::thread::threads;
use velvet_dial_core::unit::{Gear, first_upper};

const FIND_AGAIN: &str = "nothing typed yet; it is how you find it again.";

/// An engine's card: every key of the case file.
pub static ENGINE: Form = Form {
    name: "engine",
    asks: &[
        // The state that whoever changes it saw.
        Question::new("saw", "", "", Kind::Hidden),
        Question::new("name", "Engine", "a name to find it by", Kind::Needed(120, FIND_AGAIN)),
        Question::number(&field::DISPLACEMENT),
        Question::number(&field::CYLINDERS),
        Question::number(&field::IDLE),
        Question::new("oil_grade", "Oil grade of the sheet", "", Kind::Choice),
        Question::new("port", "Gauge sits", "", Kind::Choice),
        Question::new("pump_drive", "Pump drive", "", Kind::Choice),
        Question::new("rockers", "Top end", "", Kind::Choice),
        Question::new("turbo", "turbocharger", "", Kind::Tick),
        Question::new("piston_jets", "piston jets", "", Kind::Tick),
        Question::new("valve_control", "hydraulic valve control", "", Kind::Tick),
        Question::new("cooler", "Oil cooler", "", Kind::Choice),
        Question::new("relief_opens_kpa", "Relief opens at", "", Kind::PressureOrNone(&field::RELIEF)),
        Question::new("jets_open_kpa", "Jets open at", "", Kind::PressureOrNone(&field::JETS)),
        Question::new("pump", "Pump", "", Kind::Choice),
        Question::new("cam", "Cam sits", "", Kind::Choice),
        Question::new("cam_feed", "Cam bearings fed", "", Kind::Choice),
        Question::new("head_feed", "Head fed", "", Kind::Choice),
        Question::new("relief_access", "Relief valve reached", "", Kind::Choice),
        Question::new("pump_access", "Pump reached", "", Kind::Choice),
        Question::new("drive_access", "Pump drive reached", "", Kind::Choice),
        Question::new("jets_access", "Piston jets reached", "", Kind::Choice),
        Question::new("top_open", "May run with the rocker cover off", "", Kind::Choice),
        Question::new("relief_senses", "Relief senses", "", Kind::Choice),
        Question::new("blow_access", "Gallery blown through", "", Kind::Choice),
        Question::new("fuel", "Burns", "", Kind::Choice),
        Question::new("cooling", "Cooled by", "", Kind::Choice),
        Question::new("no_start", "Kept from firing by", "fuse, relay or plug that is pulled for cranking", Kind::Text(MOST_NO_START)),
        Question::new("rated_rpm", "Rated speed", "rpm", Kind::NumberOrNone(&field::RATED)),
        Question::new("port_thread", "Thread of the port", "", Kind::Choice),
        Question::new("sump_off_minutes", "Sump off takes", "min", Kind::NumberOrNone(&field::SUMP_OFF)),
        Question::new("cover_off_minutes", "Front cover off takes", "min", Kind::NumberOrNone(&field::COVER_OFF)),
        Question::new("engine_out_minutes", "Engine out takes", "min", Kind::NumberOrNone(&field::ENGINE_OUT)),
        Question::new("family", "Family", "what it shares its weaknesses with", Kind::Text(MOST_FAMILY)),
        Question::new("fill_l", "Oil with a new filter", "l", Kind::NumberOrNone(&field::FILL)),
        Question::new("filter_l", "Of it in the filter", "l", Kind::NumberOrNone(&field::FILTER_TAKES)),
        Question::new("worth", "Worth to its owner", "in your money", Kind::NumberOrNone(&field::WORTH)),
    ],
};

/// A known pattern of a family.
pub static PATTERN: Form = Form {
    name: "pattern",
    asks: &[
        Question::new("family", "Family", "", Kind::Hidden),
        Question::new("cause", "What is known to fail", "", Kind::Choice),
        Question::new("times", "How many times as likely", "1.1 to 20; more only where it was counted", Kind::Number(&field::TIMES)),
        Question::new("cases", "Counted in", "cases; empty if somebody only says so", Kind::NumberOrNone(&field::COUNTED)),
        Question::new(
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
        Question::new("source", "Source", "document and revision", Kind::Text(200)),
        Question::new("in_force_from", "In force from", "year-month-day", Kind::Day),
        Question::new("build_s", "Pressure shows within", "s, if it says so", Kind::NumberOrNone(&field::BUILD)),
        Question::new("filter_drop", "Most lost over the filter", "if it says so", Kind::PressureOrNone(&field::PRESSURE)),
        Question::new(
            "working_idle",
            "This shop's own least at hot idle",
            "shown beside the sheet, never judged by",
            Kind::PressureOrNone(&field::PRESSURE),
        ),
        Question::new("torques", "Torques as it says them", "a line each: sump bolts 12 Nm, then 45°", Kind::Lines(2000)),
        Question::new("sure", "the sheet says exactly this", "", Kind::Tick),
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
