//! What is worked out once and asked for again: the draws of engines, and the diagnoses of jobs.
use moka::sync::Cache;
use std::sync::Arc;
use velvet_dial_core::case::{Case, Diagnosis, spec_points};
use velvet_dial_core::oil::OilError;
use velvet_dial_core::trace::Tracer;

/// Memory that engines' draws may take. One takes some 3 MB new and at most 7.
const TRACER_BYTES: u64 = 200 << 20;
/// Memory that diagnoses may take, and what one takes beside its weights of the draws.
const DIAGNOSIS_BYTES: u64 = 24 << 20;
const DIAGNOSIS_BESIDE: usize = 48 << 10;

/// The keys are the whole question as text, so that two questions never share an answer.
#[derive(Debug)]
pub struct Kept {
    tracers: Cache<String, Arc<Tracer>>,
    diagnoses: Cache<String, Arc<Diagnosis>>,
}

impl Default for Kept {
    fn default() -> Self {
        let capped = |bytes: usize| u32::try_from(bytes).unwrap_or(u32::MAX);
        let tracer = move |_: &String, tracer: &Arc<Tracer>| capped(tracer.bytes());
        let diagnosis = move |key: &String, told: &Arc<Diagnosis>| capped(key.len() + DIAGNOSIS_BESIDE + told.pressures.bytes());
        Self {
            tracers: Cache::builder().weigher(tracer).max_capacity(TRACER_BYTES).build(),
            diagnoses: Cache::builder().weigher(diagnosis).max_capacity(DIAGNOSIS_BYTES).build(),
        }
    }
}

impl Kept {
    /// The tracer of a case's engine and limits, made when it is not kept. Two who ask for the same at once wait for one making; nobody waits for another engine's.
    ///
    /// # Errors
    /// When the card's oil grade is not known.
    pub fn tracer(&self, case: &Case) -> Result<Arc<Tracer>, OilError> {
        let key = engine_key(case);
        let tracer = self.tracers.try_get_with(key.clone(), || Tracer::new(&case.engine, &spec_points(case)).map(Arc::new));
        tracer.map_err(|error| (*error).clone())
    }

    /// Weighs a tracer anew after it was used: it has grown.
    pub fn weigh(&self, case: &Case, tracer: &Arc<Tracer>) {
        self.tracers.insert(engine_key(case), Arc::clone(tracer));
    }

    /// What was worked out for a question, or works it out.
    pub fn diagnosis(&self, key: String, work: impl FnOnce() -> Diagnosis) -> Arc<Diagnosis> {
        self.diagnoses.get_with(key, || Arc::new(work()))
    }
}

fn engine_key(case: &Case) -> String {
    // OK because cards and points hold nothing that JSON has no word for; a number that is not finite becomes null, and is an engine of its own.
    let points = case.spec.as_ref().map(|sheet| &sheet.points);
    serde_json::to_string(&(&case.engine, points)).unwrap_or_default()
}
