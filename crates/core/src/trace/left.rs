//! The engines that the readings leave of one cause: what they would show elsewhere and with which spread, how oil goes round in them, and what a change to them would do.
use super::tracer::{LeftDraw, Pressures, Tracer, quantile};
use crate::circuit::{ATMOSPHERE_PA, Circuit, Fault, Place, Working};
use crate::knowledge::Cause;
use rayon::prelude::*;

/// Engines that are looked at, likeliest first.
const ENGINES: usize = 64;
/// Healthy engines that stand for all of a card.
const HEALTHY: usize = 256;
/// A band lies between these shares, its middle between them.
pub const BAND: [f64; 3] = [0.1, 0.5, 0.9];

/// Engines with their weights, which sum to one.
#[derive(Debug, Clone)]
pub struct Left<'a> {
    tracer: &'a Tracer,
    /// How the gauge shows them; none shows them truly.
    cause: Option<&'static Cause>,
    engines: Vec<(LeftDraw, Circuit)>,
}

/// How oil goes round, as means over the engines: pressures in kPa, flows in litres a minute.
#[derive(Debug, Clone, PartialEq)]
pub struct Flows {
    /// At the pump's inlet, against the air: below nothing.
    pub inlet_kpa: f64,
    /// At the pump's outlet.
    pub pump_kpa: f64,
    /// In the main gallery.
    pub gallery_kpa: f64,
    /// At its far end.
    pub end_kpa: f64,
    /// In the head.
    pub head_kpa: f64,
    /// Drawn from the sump.
    pub drawn: f64,
    /// Back through the pump's own clearances.
    pub slip: f64,
    /// Through the relief valve.
    pub relief: f64,
    /// Through the filter.
    pub gallery: f64,
    /// To each place of this engine, in the order of the oil.
    pub places: Vec<(Place, f64)>,
    /// Share of the engines in which the pump starves.
    pub starving: f64,
}

impl Tracer {
    /// What the readings leave of a cause; none of one that is not known.
    pub fn left(&self, cause: usize, pressures: &Pressures) -> Option<Left<'_>> {
        let what = self.cause(cause)?;
        // Every cause alone stands among the hypotheses at its own index.
        let mut best = pressures.left.get(cause).cloned().unwrap_or_default();
        best.sort_by(|a, b| b.weight.total_cmp(&a.weight));
        best.truncate(ENGINES);
        let harmed = best.into_iter().filter_map(|left| Some((left, self.harmed(what.fault, left.sample)?)));
        Some(Left { tracer: self, cause: Some(what), engines: weighed(harmed.collect()) })
    }

    /// The healthy engine as it is believed of the card, before anything is read.
    pub fn healthy(&self) -> Left<'_> {
        let engines = self.sound().take(HEALTHY).enumerate();
        let engines = engines.map(|(sample, (circuit, weight))| (LeftDraw { sample, twist: 0, weight }, circuit.clone()));
        Left { tracer: self, cause: None, engines: weighed(engines.collect()) }
    }
}

fn weighed(mut engines: Vec<(LeftDraw, Circuit)>) -> Vec<(LeftDraw, Circuit)> {
    let all = engines.iter().map(|(left, _)| left.weight).sum::<f64>().max(f64::MIN_POSITIVE);
    engines.iter_mut().for_each(|(left, _)| left.weight /= all);
    engines
}

impl Left<'_> {
    /// What the gauge would show of each engine at a point, kPa, with its weight.
    fn shown(&self, at: Working) -> Vec<(f64, f64)> {
        let factors = self.tracer.discrepancy(at);
        let shown = |(left, circuit): &(LeftDraw, Circuit)| {
            let kpa = circuit.port_kpa(at) * factors(left.sample).get(left.twist).copied().unwrap_or(1.0);
            (self.cause.map_or(kpa, |cause| self.tracer.shown(cause, left.sample, kpa).0), left.weight)
        };
        self.engines.iter().map(shown).collect()
    }

    /// The band at each speed, kPa: the shares of [`BAND`].
    pub fn bands(&self, speeds: &[f64], oil_temp_c: f64) -> Vec<[f64; 3]> {
        let band = |rpm: &f64| {
            let mut shown = self.shown(Working { rpm: *rpm, oil_temp_c });
            shown.sort_by(|a, b| a.0.total_cmp(&b.0));
            BAND.map(|share| quantile(&shown, share))
        };
        speeds.par_iter().map(band).collect()
    }

    /// By which factor a change moves the gauge at a point, over the same engines: the shares of [`BAND`].
    pub fn moved(&self, changed: &Self, at: Working) -> [f64; 3] {
        let pairs = self.shown(at).into_iter().zip(changed.shown(at));
        let mut factors: Vec<(f64, f64)> = pairs.map(|((kpa, weight), (then, _))| (then / kpa.max(1.0), weight)).collect();
        factors.sort_by(|a, b| a.0.total_cmp(&b.0));
        BAND.map(|share| quantile(&factors, share))
    }

    /// The same engines with something about them changed.
    pub fn changed(mut self, change: impl Fn(&mut Circuit)) -> Self {
        self.engines.iter_mut().for_each(|(_, circuit)| change(circuit));
        self
    }

    /// The same engines with the cause mended; a gauge at fault is then another.
    pub fn mended(mut self) -> Self {
        let tracer = self.tracer;
        for (left, circuit) in &mut self.engines {
            if let Some(sound) = tracer.harmed(Fault::None, left.sample) {
                *circuit = sound;
            }
        }
        self.cause = None;
        self
    }

    /// The same engines with one more fault, of this severity.
    pub fn harmed(self, fault: Fault, severity: f64) -> Self {
        self.changed(|circuit| fault.apply(circuit, severity))
    }

    /// How oil goes round at a point.
    pub fn flows(&self, at: Working) -> Flows {
        const LITRES_A_MINUTE: f64 = 60_000.0;
        let mut sums = [0.0; 10];
        let mut places: Vec<(Place, f64)> = Vec::new();
        for (LeftDraw { weight, .. }, circuit) in &self.engines {
            let state = circuit.solve(at);
            let pressures =
                [state.drawn.inlet_abs_pa - ATMOSPHERE_PA, state.pump_pa, state.gallery_pa, state.gallery_end_pa, state.head_pa];
            let flows = [state.drawn.liquid_m3_s, state.slip_m3_s, state.relief_m3_s, state.gallery_m3_s];
            let starving = f64::from(u8::from(state.drawn.starving));
            let parts = pressures.map(|pa| 1e-3 * pa).into_iter().chain(flows.map(|flow| LITRES_A_MINUTE * flow)).chain([starving]);
            sums.iter_mut().zip(parts).for_each(|(sum, part)| *sum += weight * part);
            for (place, flow) in circuit.branch_flows(&state, at) {
                let flow = weight * LITRES_A_MINUTE * flow;
                match places.iter_mut().find(|(known, _)| *known == place) {
                    Some((_, sum)) => *sum += flow,
                    None => places.push((place, flow)),
                }
            }
        }
        let [inlet_kpa, pump_kpa, gallery_kpa, end_kpa, head_kpa, drawn, slip, relief, gallery, starving] = sums;
        places.sort_by_key(|(place, _)| *place as u8);
        Flows { inlet_kpa, pump_kpa, gallery_kpa, end_kpa, head_kpa, drawn, slip, relief, gallery, places, starving }
    }
}
