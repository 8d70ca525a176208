//! What the tracer believes of a healthy engine before it reads anything, beside what the trade calls usual: a prior too narrow condemns sound engines,
//! one too wide never finds a fault, and neither shows until it is printed.
use serde::Serialize;
use std::fmt::Write;
use velvet_dial_core::circuit::{Burns, Card, Working};
use velvet_dial_core::oil;
use velvet_dial_core::trace::{Assumed, Tracer};

/// What is believed of an engine at a point.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct PriorPoint {
    /// The engine in a few words.
    pub engine: &'static str,
    /// The point in a few words.
    pub point: &'static str,
    /// Turns a minute.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// Pressure at the port that one engine in twenty is under, half are, and nineteen in twenty are, kPa.
    pub kpa: [f64; 3],
    /// What a technician calls usual there, kPa.
    pub usual_kpa: (f64, f64),
}

/// An engine as its card has it, and what is usual at cold idle, hot idle, a held middle speed and rated speed.
struct Known {
    name: &'static str,
    litres: f64,
    cylinders: u32,
    idle_rpm: f64,
    grade: &'static str,
    rated_rpm: f64,
    fuel: Burns,
    usual_kpa: [(f64, f64); 4],
}

/// Of one seed's engines the outer twentieth is a dozen: the mean of several seeds says what is believed and not which engines were drawn.
const SEEDS: u32 = 8;

const LIGHT: [(f64, f64); 4] = [(250.0, 550.0), (70.0, 250.0), (200.0, 450.0), (300.0, 550.0)];
const HEAVY: [(f64, f64); 4] = [(250.0, 600.0), (80.0, 280.0), (200.0, 480.0), (250.0, 550.0)];
const SLOW: [(f64, f64); 4] = [(250.0, 600.0), (80.0, 300.0), (150.0, 450.0), (200.0, 500.0)];

#[rustfmt::skip]
const ENGINES: [Known; 9] = [
    Known { name: "0.6 l twin", litres: 0.6, cylinders: 2, idle_rpm: 1100.0, grade: "10W-40", rated_rpm: 8000.0, fuel: Burns::Petrol, usual_kpa: LIGHT },
    Known { name: "1.2 l petrol", litres: 1.2, cylinders: 4, idle_rpm: 800.0, grade: "5W-30", rated_rpm: 6000.0, fuel: Burns::Petrol, usual_kpa: LIGHT },
    Known { name: "2.0 l petrol", litres: 2.0, cylinders: 4, idle_rpm: 750.0, grade: "5W-30", rated_rpm: 6000.0, fuel: Burns::Petrol, usual_kpa: LIGHT },
    Known { name: "2.2 l diesel", litres: 2.2, cylinders: 4, idle_rpm: 800.0, grade: "5W-40", rated_rpm: 4000.0, fuel: Burns::Diesel, usual_kpa: LIGHT },
    Known { name: "3.0 l six", litres: 3.0, cylinders: 6, idle_rpm: 650.0, grade: "0W-30", rated_rpm: 6200.0, fuel: Burns::Petrol, usual_kpa: LIGHT },
    Known { name: "5.7 l eight", litres: 5.7, cylinders: 8, idle_rpm: 600.0, grade: "10W-40", rated_rpm: 4800.0, fuel: Burns::Petrol, usual_kpa: LIGHT },
    Known { name: "7.2 l diesel", litres: 7.2, cylinders: 6, idle_rpm: 700.0, grade: "15W-40", rated_rpm: 2500.0, fuel: Burns::Diesel, usual_kpa: HEAVY },
    Known { name: "15 l diesel", litres: 15.0, cylinders: 6, idle_rpm: 600.0, grade: "15W-40", rated_rpm: 1900.0, fuel: Burns::Diesel, usual_kpa: HEAVY },
    Known { name: "16 l marine", litres: 16.0, cylinders: 6, idle_rpm: 450.0, grade: "15W-40", rated_rpm: 1100.0, fuel: Burns::Diesel, usual_kpa: SLOW },
];

/// The points of eight engines from 0.6 to 15 l, and of a marine one that idles at 450.
pub fn believed() -> Vec<PriorPoint> {
    ENGINES.iter().flat_map(of).collect()
}

fn of(known: &Known) -> Vec<PriorPoint> {
    let card = Card {
        rated_rpm: Some(known.rated_rpm),
        fuel: Some(known.fuel),
        ..Card::of(known.litres, known.cylinders, known.idle_rpm, known.grade)
    };
    // OK because every grade above is in the oil table; a test holds it to nine engines.
    let Ok(oil) = oil::typical(known.grade) else { return Vec::new() };
    let tracers: Vec<Tracer> = (1..=SEEDS).map(|seed| Tracer::assuming(oil, &card, &[], Assumed { seed, ..Assumed::default() })).collect();
    let expected = |at: Working| {
        let of_seeds: Vec<[f64; 3]> = tracers.iter().map(|tracer| tracer.expected_kpa(at)).collect();
        std::array::from_fn(|place| of_seeds.iter().filter_map(|kpa| kpa.get(place)).sum::<f64>() / of_seeds.len() as f64)
    };
    let middle = if known.rated_rpm >= 3_000.0 { 2_000.0 } else { 0.6 * known.rated_rpm };
    let points = [
        ("cold idle", known.idle_rpm, 15.0),
        ("hot idle", known.idle_rpm, 100.0),
        ("held", middle, 100.0),
        ("rated", known.rated_rpm, 100.0),
    ];
    points
        .into_iter()
        .zip(known.usual_kpa)
        .map(|((point, rpm, oil_temp_c), usual_kpa)| PriorPoint {
            engine: known.name,
            point,
            rpm,
            oil_temp_c,
            kpa: expected(Working { rpm, oil_temp_c }),
            usual_kpa,
        })
        .collect()
}

/// The table in words.
pub fn believes(rows: &[PriorPoint]) -> String {
    let mut text = "| engine | point | rpm | °C | one in twenty under | half under | nineteen in twenty under | usual |\n|---|---|---:|---:|---:|---:|---:|---:|\n".to_owned();
    for row in rows {
        let [low, middle, high] = row.kpa;
        let (least, most) = row.usual_kpa;
        let _ = writeln!(
            text,
            "| {} | {} | {:.0} | {:.0} | {low:.0} | {middle:.0} | {high:.0} | {least:.0}–{most:.0} |",
            row.engine, row.point, row.rpm, row.oil_temp_c
        );
    }
    text
}
