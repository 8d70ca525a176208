//! Engines as cards: what stands on each, its limits, its revisions, and what is known of its family.
use super::sheet;
use crate::ui::show;
use crate::ui::words::{besides_said, point_words};
use std::collections::{BTreeMap, HashMap};
use uuid::Uuid;
use velvet_dial_core::circuit::{Card, Cooler};
use velvet_dial_core::experience::same_family;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits;
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_store::library::{Engine, FamilyPattern, Revision};
use velvet_dial_store::zone::Zone;

/// Engines that share their weaknesses.
pub struct Family {
    /// Empty for those without one.
    pub name: String,
    pub patterns: Vec<PatternRow>,
    pub engines: Vec<EngineCard>,
}

/// What is known of a family.
pub struct PatternRow {
    pub id: String,
    pub words: String,
    pub source: String,
    pub by: String,
}

/// An engine.
pub struct EngineCard {
    pub id: String,
    pub name: String,
    /// What it is called, and what stands there.
    pub facts: Vec<(&'static str, String)>,
    /// Where the limits in force today come from; empty where there are none.
    pub source: String,
    pub limits: Vec<LimitRow>,
    /// What the sheet says beside them.
    pub besides: Vec<String>,
    pub revisions: Vec<RevisionRow>,
}

/// A line of the sheet in force.
pub struct LimitRow {
    pub at: String,
    pub limits: String,
}

/// A revision of its sheet.
pub struct RevisionRow {
    pub id: String,
    pub words: String,
    pub by: String,
    /// Another stands in its place.
    pub corrected: bool,
    pub pages: Vec<Uuid>,
}

/// The library as it is read: families by name, engines without one last.
pub fn families(
    engines: &[Engine],
    patterns: &[FamilyPattern],
    pages: &mut HashMap<Uuid, Vec<Uuid>>,
    (unit, zone): (Units, &Zone),
) -> Vec<Family> {
    let mut by_name: BTreeMap<(bool, String), Family> = BTreeMap::new();
    for engine in engines {
        let name = engine.card.family.clone().unwrap_or_default();
        // Alike but for their capitals is alike.
        let family = by_name.entry((name.is_empty(), name.to_lowercase())).or_insert_with(|| Family {
            patterns: patterns.iter().filter(|known| same_family(&known.family, &name)).map(|known| pattern(known, zone)).collect(),
            name,
            engines: Vec::new(),
        });
        family.engines.push(card(engine, pages, (unit, zone)));
    }
    by_name.into_values().collect()
}

fn pattern(known: &FamilyPattern, zone: &Zone) -> PatternRow {
    let know = knowledge();
    let cause =
        know.cause(&known.known.cause).and_then(|index| know.causes.get(index)).map_or(known.known.cause.as_str(), |cause| &cause.name);
    PatternRow {
        id: known.id.to_string(),
        words: format!(
            "{}: {} times as likely as on other engines{}",
            first_upper(cause),
            show::plain(known.known.times),
            known.known.cases.map_or_else(String::new, |cases| format!(", counted in {cases} cases"))
        ),
        source: known.known.source.clone(),
        by: by(&known.by, zone),
    }
}

fn by((who, at): &(String, chrono::NaiveDateTime), zone: &Zone) -> String {
    format!("{who}, {}", show::day(*at, zone))
}

fn card(engine: &Engine, pages: &mut HashMap<Uuid, Vec<Uuid>>, (unit, zone): (Units, &Zone)) -> EngineCard {
    let today = zone.day(chrono::Utc::now().naive_utc());
    let sheet = limits::in_force(&engine.sheets, today);
    let line =
        |point: &limits::Point| LimitRow { at: point_words(point, false, unit), limits: limit_words(point.min_kpa, point.max_kpa, unit) };
    EngineCard {
        id: engine.id.to_string(),
        name: engine.name.clone(),
        facts: facts(&engine.card, unit),
        source: sheet.map(|sheet| sheet::source(sheet).to_owned()).unwrap_or_default(),
        besides: sheet.map_or_else(Vec::new, |sheet| besides_said(&sheet.besides, unit)),
        limits: sheet.iter().flat_map(|sheet| &sheet.points).map(line).collect(),
        revisions: engine.revisions.iter().rev().map(|revision| row(revision, pages, zone)).collect(),
    }
}

fn row(revision: &Revision, pages: &mut HashMap<Uuid, Vec<Uuid>>, zone: &Zone) -> RevisionRow {
    RevisionRow {
        id: revision.id.to_string(),
        words: sheet::words(revision),
        by: by(&revision.by, zone),
        corrected: revision.corrected,
        pages: pages.remove(&revision.id).unwrap_or_default(),
    }
}

/// Everything that the card says; of what it does not say, what is taken instead.
fn facts(card: &Card, unit: Units) -> Vec<(&'static str, String)> {
    let layout = &card.layout;
    let mut engine = vec![format!("{} l", show::plain(card.displacement_l)), format!("{} cylinders", card.cylinders)];
    engine.extend(card.fuel.map(|fuel| fuel.label().to_owned()));
    engine.extend(card.cooling.map(|cooling| format!("cooled by {}", cooling.label())));
    engine.push(format!("idle {:.0} rpm", card.idle_rpm));
    engine.extend(card.rated_rpm.map(|rpm| format!("rated {rpm:.0} rpm")));
    let mut oil = vec![card.oil_grade.clone()];
    oil.extend(card.fill_l.map(|litres| format!("{} l with a new filter", show::plain(litres))));
    oil.extend(card.filter_l.map(|litres| format!("{} l of it in the filter", show::plain(litres))));
    let mut gauge = vec![layout.port.label().to_owned()];
    gauge.push(card.port_thread.clone().unwrap_or_else(|| "thread not known".to_owned()));
    let mut relief = vec![
        card.relief_opens_kpa
            .map_or_else(|| "opens at a pressure not known".to_owned(), |kpa| format!("opens at {}", show::pressure(kpa, unit))),
    ];
    relief.extend(card.relief_senses.map(|senses| format!("senses the {}", senses.label())));
    relief.extend(card.relief_access.map(|access| format!("reached {}", access.label())));
    let mut pump = vec![layout.pump.label().to_owned()];
    pump.extend(layout.pump_drive.map(|drive| format!("driven: {}", drive.label())));
    pump.extend(card.pump_access.map(|access| format!("reached {}", access.label())));
    pump.extend(card.drive_access.map(|access| format!("drive reached {}", access.label())));
    let mut top: Vec<String> = layout.cam.map(|cam| format!("cam {}", cam.label())).into_iter().collect();
    top.extend(layout.cam_feed.map(|feed| format!("cam bearings {}", feed.label())));
    top.extend(layout.head_feed.map(|feed| format!("head {}", feed.label())));
    top.push(layout.rockers.label().to_owned());
    let mut also = Vec::new();
    if layout.turbo {
        also.push("turbocharger".to_owned());
    }
    if layout.piston_jets {
        also.push(
            layout.jets_open_kpa.map_or_else(|| "piston jets".to_owned(), |kpa| format!("piston jets from {}", show::pressure(kpa, unit))),
        );
    }
    if layout.valve_control {
        also.push("hydraulic valve control".to_owned());
    }
    if layout.cooler != Cooler::None {
        also.push(format!("cooler {}", layout.cooler.label()));
    }
    let minutes = |what: &str, said: Option<f64>| said.map(|said| format!("{what} {}", show::minutes(said)));
    let mut reach: Vec<String> = [
        minutes("sump off", card.sump_off_minutes),
        minutes("front cover off", card.cover_off_minutes),
        minutes("engine out", card.engine_out_minutes),
    ]
    .into_iter()
    .flatten()
    .collect();
    if reach.is_empty() {
        reach.push("times not known, usual ones are taken".to_owned());
    }
    reach.extend(card.jets_access.map(|access| format!("jets reached {}", access.label())));
    reach.extend(card.top_open.map(|open| format!("runs with its cover off: {}", open.label())));
    reach.extend(card.no_start.as_ref().map(|said| format!("kept from firing: {said}")));
    reach.extend(card.blow_access.map(|access| format!("gallery blown through {}", access.label())));
    let said = |what: &'static str, parts: Vec<String>| (what, parts.join(" · "));
    let mut facts = vec![
        said("Engine", engine),
        said("Oil", oil),
        said("Gauge", gauge),
        said("Pump", pump),
        said("Relief", relief),
        said("Top end", top),
    ];
    if !also.is_empty() {
        facts.push(said("Fed too", also));
    }
    facts.push(said("To reach", reach));
    facts
}
