//! The way from this engine's port to each gauge of the shop, through what lies in the drawer.
use crate::job::ScreenData;
use chrono::Utc;
use velvet_dial_core::adapter::{Adapter, Chain, End, chain};
use velvet_dial_store::library::ShopAdapter;

/// The way to one gauge.
pub struct Way {
    pub gauge: String,
    pub says: String,
    /// Where the drawing of the adapter that is missing stands; empty where none is.
    pub drawing: String,
    /// Its calibration is overdue; empty where it is not.
    pub overdue: String,
}

/// The ways, where the card names the port's thread and the register the gauge's.
pub fn ways(data: &ScreenData, drawer: &[ShopAdapter]) -> Vec<Way> {
    let job = &data.assessed.job;
    let Some(port) = data.assessed.case.engine.port_thread.as_deref().map(End::female) else { return Vec::new() };
    let adapters: Vec<Adapter> = drawer.iter().map(|piece| piece.adapter.clone()).collect();
    let today = job.zone.day(Utc::now().naive_utc());
    let name = |place: &usize| {
        let piece = drawer.get(*place)?;
        let minds = piece.adapter.minds();
        Some(if minds.is_empty() { piece.name.clone() } else { format!("{} ({})", piece.name, minds.join("; ")) })
    };
    let of = |gauge: &velvet_dial_store::library::Gauge| {
        let own = End::male(gauge.gauge.thread.as_deref()?);
        let mut drawing = String::new();
        let says = match chain(&port, &own, &adapters) {
            Chain::Through(way) if way.is_empty() => "Straight in.".to_owned(),
            Chain::Through(way) => format!("Through {}.", way.iter().filter_map(name).collect::<Vec<_>>().join(", then ")),
            Chain::Missing { port, gauge: own } => {
                drawing = format!("/jobs/{}/rig/adapter.pdf?gauge={}", job.head.number, gauge.id);
                format!("No way: an adapter from {} to {} is to be bought or made. Say so early.", port.words(), own.words())
            }
        };
        let overdue =
            gauge.gauge.due_on.filter(|due| *due < today).map(|due| format!("Overdue since {due}: its class counts half as wide again."));
        Some(Way { gauge: gauge.name.clone(), says, drawing, overdue: overdue.unwrap_or_default() })
    };
    job.gauges.iter().filter_map(of).collect()
}
