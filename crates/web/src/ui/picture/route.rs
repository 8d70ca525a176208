//! The oil's route: sump to the furthest consumer as one flow from left to right; width by flow, tint by suspicion, pressures at the nodes.
use super::at;
use crate::ui::show;
use velvet_dial_core::circuit::{Place, Port};
use velvet_dial_core::trace::Flows;
use velvet_dial_core::unit::Units;

/// A part on the way.
pub struct Station {
    /// Its word in an address.
    pub word: &'static str,
    /// How probable it is that the fault lies there.
    pub odds: f64,
    /// Checks left that touch it.
    pub checks: usize,
}

/// Where a branch of the gallery leads.
pub struct Consumer {
    pub place: Place,
    /// Litres a minute.
    pub flow: f64,
    pub odds: f64,
}

/// What is drawn.
pub struct Scene {
    /// The nine parts in the order of the oil, the gauge's port last.
    pub stations: Vec<Station>,
    /// In the order of the oil.
    pub consumers: Vec<Consumer>,
    pub flows: Flows,
    pub port: Port,
    pub cooler: bool,
    /// The trace follows the oil: the parts with something left to look at are numbered.
    pub numbered: bool,
}

/// A part as it is drawn.
pub struct PartDrawn {
    pub word: &'static str,
    pub name: &'static str,
    pub percent: String,
    /// Which of ten tints.
    pub tint: usize,
    /// What a screen reader is told.
    pub says: String,
}

/// A pipe.
pub struct Pipe {
    pub path: String,
    pub width: String,
}

/// Something written.
pub struct Text {
    pub x: String,
    pub y: String,
    pub text: String,
}

/// A consumer as it is drawn.
pub struct ConsumerDrawn {
    pub part: &'static str,
    pub x: String,
    pub left: String,
    pub name: &'static str,
    pub flow: String,
    pub tint: usize,
}

/// What the template draws.
pub struct Route {
    pub oil: PartDrawn,
    pub pickup: PartDrawn,
    pub pump: PartDrawn,
    pub relief: PartDrawn,
    pub filter: PartDrawn,
    pub gallery: PartDrawn,
    pub port: PartDrawn,
    pub pipes: Vec<Pipe>,
    pub pressures: Vec<Text>,
    /// In which order the parts are looked at.
    pub numbers: Vec<Text>,
    pub consumers: Vec<ConsumerDrawn>,
    pub cooler: bool,
    pub port_x: String,
    pub relief_flow: String,
    pub drawn: String,
}

const PIPE_Y: f64 = 118.0;
const PICKUP_X: f64 = 50.0;
const PUMP_X: f64 = 132.0;
const RELIEF_X: f64 = 202.0;
const GALLERY_X: f64 = 355.0;
const END_X: f64 = 744.0;
const CONSUMER_Y: f64 = 206.0;
/// The widest pipe.
const WIDEST: f64 = 20.0;

/// The part that a consumer belongs to, and its name.
fn consumer(place: Place) -> (&'static str, &'static str) {
    match place {
        Place::Crank => ("bearings", "Crank"),
        Place::Cam => ("bearings", "Cam"),
        Place::Head => ("top", "Head"),
        Place::Turbo => ("top", "Turbo"),
        Place::Jets => ("top", "Jets"),
        Place::ValveControl => ("top", "Valves"),
        Place::Leak => ("gallery", "Leak"),
    }
}

/// Lays it out.
pub fn route(scene: &Scene, unit: Units) -> Route {
    let most = scene.flows.drawn.max(1e-6);
    // A small flow is still a pipe.
    let width = |flow: f64| (WIDEST * (flow / most).clamp(0.0, 1.2).sqrt()).max(2.0);
    let line = |from: (f64, f64), to: (f64, f64), flow: f64| Pipe {
        path: format!("M{:.1} {:.1}L{:.1} {:.1}", from.0, from.1, to.0, to.1),
        width: at(width(flow)),
    };
    let flows = &scene.flows;
    let pumped = flows.relief + flows.gallery;
    let mut pipes = vec![
        line((PICKUP_X, 236.0), (PICKUP_X, PIPE_Y), flows.drawn),
        line((PICKUP_X, PIPE_Y), (PUMP_X, PIPE_Y), flows.drawn),
        line((PUMP_X, PIPE_Y), (RELIEF_X, PIPE_Y), pumped),
        line((RELIEF_X, PIPE_Y), (GALLERY_X, PIPE_Y), flows.gallery),
    ];
    if flows.relief > 0.01 * most {
        pipes.push(line((RELIEF_X, PIPE_Y), (RELIEF_X, 236.0), flows.relief));
        pipes.push(line((RELIEF_X, 236.0), (104.0, 236.0), flows.relief));
    }
    let count = scene.consumers.len().max(1) as f64;
    let place = |index: usize| GALLERY_X + 44.0 + (END_X - GALLERY_X - 70.0) * (index as f64 + 0.5) / count;
    let mut left = flows.gallery;
    let mut from = GALLERY_X;
    let mut consumers = Vec::new();
    for (index, one) in scene.consumers.iter().enumerate() {
        let x = place(index);
        pipes.push(line((from, PIPE_Y), (x, PIPE_Y), left));
        pipes.push(line((x, PIPE_Y), (x, CONSUMER_Y), one.flow));
        (left, from) = ((left - one.flow).max(0.0), x);
        let (part, name) = consumer(one.place);
        consumers.push(ConsumerDrawn { part, x: at(x), left: at(x - 26.0), name, flow: format!("{:.1}", one.flow), tint: tint(one.odds) });
    }
    let text = |x: f64, y: f64, kpa: f64| Text { x: at(x), y: at(y), text: unit.show(kpa) };
    let mut pressures = vec![text(RELIEF_X, PIPE_Y - 22.0, flows.pump_kpa), text(GALLERY_X, PIPE_Y - 22.0, flows.gallery_kpa)];
    if scene.consumers.len() > 1 {
        pressures.push(text(from, PIPE_Y - 22.0, flows.end_kpa));
    }
    if let Some(index) = scene.consumers.iter().position(|one| one.place == Place::Head) {
        pressures.push(text(place(index) + 22.0, 172.0, flows.head_kpa));
    }
    let port_x = match scene.port {
        Port::BeforeFilter => 234.0,
        Port::AfterFilter => 334.0,
        Port::GalleryEnd | Port::Head => from + 34.0,
    };
    let names =
        ["Sump", "Pickup", "Pump", "Relief", if scene.cooler { "Filter, cooler" } else { "Filter" }, "Main gallery", "", "", "Gauge"];
    let part = |along: usize| {
        let name = names.get(along).copied().unwrap_or("");
        scene.stations.get(along).map_or_else(
            || PartDrawn { word: "", name, percent: String::new(), tint: tint(0.0), says: String::new() },
            |station| drawn(station, name),
        )
    };
    // Beside each part, where neither a pipe nor a name stands; bearings and top end at their first consumer.
    let beside = |along: usize| match along {
        0 => Some((20.0, 198.0)),
        1 => Some((84.0, 142.0)),
        2 => Some((96.0, 94.0)),
        3 => Some((170.0, 194.0)),
        4 => Some((276.0, 162.0)),
        5 => Some((382.0, 71.0)),
        6 | 7 => {
            let word = if along == 6 { "bearings" } else { "top" };
            scene.consumers.iter().position(|one| consumer(one.place).0 == word).map(|index| (place(index) - 24.0, 190.0))
        }
        _ => Some((port_x - 32.0, 24.0)),
    };
    let left_to_do = scene.stations.iter().enumerate().filter(|(_, station)| scene.numbered && station.checks > 0);
    let numbers = left_to_do
        .zip(1..)
        .filter_map(|((along, _), number): (_, usize)| beside(along).map(|(x, y)| Text { x: at(x), y: at(y), text: number.to_string() }));
    let numbers = numbers.collect();
    Route {
        numbers,
        oil: part(0),
        pickup: part(1),
        pump: part(2),
        relief: part(3),
        filter: part(4),
        gallery: part(5),
        port: part(8),
        pipes,
        pressures,
        consumers,
        cooler: scene.cooler,
        port_x: at(port_x),
        relief_flow: if flows.relief > 0.01 * most { format!("{:.1} l/min back", flows.relief) } else { "shut".to_owned() },
        drawn: if flows.starving > 0.5 { format!("{:.1} l/min, starving", flows.drawn) } else { format!("{:.1} l/min", flows.drawn) },
    }
}

/// One of ten tints: what is a little suspect shows already.
fn tint(odds: f64) -> usize {
    (9.0 * odds.clamp(0.0, 1.0).sqrt()).round() as usize
}

fn drawn(station: &Station, name: &'static str) -> PartDrawn {
    let percent = show::percent(station.odds);
    let checks = match station.checks {
        0 => String::new(),
        1 => "1 check".to_owned(),
        many => format!("{many} checks"),
    };
    let says = format!("{name}: {percent}{}{checks}", if checks.is_empty() { "" } else { ", " });
    PartDrawn { word: station.word, name, percent, tint: tint(station.odds), says }
}
