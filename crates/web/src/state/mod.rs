//! What every handler shares.
mod gate;

pub use gate::SignInGate;

use std::sync::{Arc, Mutex, PoisonError};
use velvet_dial_core::case::{Case, spec_points};
use velvet_dial_core::oil::OilError;
use velvet_dial_core::trace::Tracer;
use velvet_dial_store::Connection;

/// Shared by all workers.
#[derive(Debug)]
pub struct App {
    /// The database.
    pub db: Connection,
    /// Slows down guessing.
    pub gate: SignInGate,
    /// The cookie is sent over TLS only.
    pub secure_cookies: bool,
    /// Sign-ins shown on the first page; the demo shop's only.
    pub demo: bool,
    tracers: Mutex<Vec<Arc<Tracer>>>,
}

/// Engines whose draws are kept in memory: some 5 MB each with a dozen points read, 20 MB at most.
const TRACERS_KEPT: usize = 8;

impl App {
    /// The application on a database.
    pub fn new(db: Connection, secure_cookies: bool, demo: bool) -> Self {
        Self { db, gate: SignInGate::default(), secure_cookies, demo, tracers: Mutex::default() }
    }

    /// The tracer of a case's engine, made when it is not kept; the longest unused one makes room.
    pub fn tracer(&self, case: &Case) -> Result<Arc<Tracer>, OilError> {
        let spec = spec_points(case);
        let known = |kept: &mut Vec<Arc<Tracer>>| {
            let at = kept.iter().position(|tracer| tracer.is_for(&case.engine, &spec))?;
            let tracer = kept.remove(at);
            kept.push(Arc::clone(&tracer));
            Some(tracer)
        };
        let lock = || self.tracers.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(tracer) = known(&mut lock()) {
            return Ok(tracer);
        }
        // Made without the lock: who asks for another engine meanwhile does not wait. Two who ask for this one may both make it, and share the first.
        let made = Arc::new(Tracer::new(&case.engine, &spec)?);
        let mut kept = lock();
        if let Some(tracer) = known(&mut kept) {
            return Ok(tracer);
        }
        if kept.len() >= TRACERS_KEPT {
            kept.remove(0);
        }
        kept.push(Arc::clone(&made));
        Ok(made)
    }
}
