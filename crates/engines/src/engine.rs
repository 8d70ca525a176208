//! What the examiner's engines have in common, whatever they are built of.
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::circuit::{Fault, Port};

/// The air's pressure, Pa.
pub(crate) const ATMOSPHERE_PA: f64 = 101_325.0;

/// Pressures in Pa.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Read {
    pub pump: f64,
    pub gallery: f64,
    pub end: f64,
    pub head: f64,
}

/// An engine of some build.
pub(crate) trait Engine: std::fmt::Debug + Send + Sync {
    /// The same engine again.
    fn clone_box(&self) -> Box<dyn Engine>;

    /// Pressures at a speed and sump temperature.
    fn read(&self, rpm: f64, temp_c: f64) -> Read;

    /// The same engine with all its running clearances opened together.
    fn opened(&self, by: f64) -> Box<dyn Engine>;

    /// Breaks it. `severity` from 0 to 1 is how badly.
    fn break_it(&mut self, fault: Fault, severity: f64, rng: &mut ChaCha8Rng);
}

impl Clone for Box<dyn Engine> {
    fn clone(&self) -> Self {
        self.clone_box()
    }
}

/// What a perfect gauge at a port shows, kPa.
pub(crate) fn port_kpa(engine: &dyn Engine, port: Port, rpm: f64, temp_c: f64) -> f64 {
    let read = engine.read(rpm, temp_c);
    1e-3 * match port {
        Port::BeforeFilter => read.pump,
        Port::AfterFilter => read.gallery,
        Port::GalleryEnd => read.end,
        Port::Head => read.head,
    }
}

/// Opens or closes all clearances together until the gallery reads its pressure at hot idle.
pub(crate) fn open_until(meant: &dyn Engine, (idle, hot_c): (f64, f64), idle_pa: f64) -> Box<dyn Engine> {
    let (mut low, mut high) = (0.02f64.ln(), 50f64.ln());
    for _ in 0..30 {
        let middle = 0.5 * (low + high);
        if meant.opened(middle.exp()).read(idle, hot_c).gallery > idle_pa {
            low = middle;
        } else {
            high = middle;
        }
    }
    meant.opened(low.exp())
}

/// The root of a falling function.
pub(crate) fn bisect(mut low: f64, mut high: f64, falling: impl Fn(f64) -> f64) -> f64 {
    for _ in 0..50 {
        let middle = 0.5 * (low + high);
        if falling(middle) > 0.0 {
            low = middle;
        } else {
            high = middle;
        }
    }
    0.5 * (low + high)
}
