//! What things cost on the practice bench: minutes, and money in the shop's own.
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_practice::condition::Wreck;
use velvet_dial_store::jobs::{Body, Job};

/// A line that came into the belt.
pub const LINE_CUT: (f64, f64) = (40.0, 100.0);
/// What hides a fault: other oil filled in, a shim, a spring.
const STOPGAP: (f64, f64) = (30.0, 60.0);
/// A reading is held and noted, minutes.
const HELD_MIN: f64 = 3.0;
/// The oil is warmed for a reading from here on, °C.
const WARM_C: f64 = 60.0;

/// What an entry cost, on a vehicle that had wrecked itself so far.
pub fn of_entry(body: &Body, wreck: Wreck) -> (f64, f64) {
    let know = knowledge();
    match body {
        Body::Sensed { minutes, money, .. } => (*minutes, *money),
        Body::Helped { money, .. } => (0.0, *money),
        Body::Repair(repair) if repair.stopgap => (STOPGAP.0, know.money(STOPGAP.0, STOPGAP.1)),
        Body::Repair(repair) => {
            let row = repair.cause.as_deref().and_then(|id| know.cause(id)).and_then(|place| know.causes.get(place));
            row.map_or((0.0, 0.0), |cause| {
                let (more, parts) = if cause.id == "bearings_crank" { wreck.costs() } else { (0.0, 0.0) };
                let minutes = cause.repair_minutes + more;
                (minutes, know.money(minutes, cause.parts + parts))
            })
        }
        _ => (0.0, 0.0),
    }
}

/// Minutes and money of a reading: the gauge is fitted once, the oil warmed once, and each reading held and noted.
pub fn of_reading(job: &Job, oil_temp_c: f64) -> (f64, f64) {
    let moves = &knowledge().moves;
    let taken = |warm: bool| {
        job.entries.iter().any(|entry| matches!(&entry.body, Body::Sensed { at: Some((_, oil)), .. } if !warm || *oil >= WARM_C))
    };
    let fit = if taken(false) { 0.0 } else { moves.fit_gauge.minutes };
    let warm = if oil_temp_c < WARM_C || taken(true) { 0.0 } else { moves.warm_up.minutes };
    let minutes = fit + warm + HELD_MIN;
    (minutes, knowledge().money(minutes, 0.0))
}
