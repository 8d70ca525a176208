//! What is worked out once and asked for again: the draws of engines, and the diagnoses of jobs.
use moka::sync::Cache;
use std::sync::Arc;
use std::time::Duration;
use velvet_dial_core::capture::Run;
use velvet_dial_core::case::{Case, spec_points};
use velvet_dial_core::diagnosis::Diagnosis;
use velvet_dial_core::oil::OilError;
use velvet_dial_core::trace::Tracer;

/// Memory that engines' draws may take. One takes some 3 MB new and at most 6: where those of the engines in use do not fit, every tap makes its engine's anew and takes seconds.
const TRACER_BYTES: u64 = 216 << 20;
/// Memory that diagnoses may take, and what one takes beside its weights of the draws.
const DIAGNOSIS_BYTES: u64 = 14 << 20;
/// Memory that recorded runs may take while somebody looks at them, and how long they are not looked at before they go.
const RUN_BYTES: u64 = 64 << 20;
const RUN_IDLE: Duration = Duration::from_secs(120);
const DIAGNOSIS_BESIDE: usize = 48 << 10;

/// The keys are the whole question as text, so that two questions never share an answer.
#[derive(Debug)]
pub struct Kept {
    tracers: Cache<String, Arc<Tracer>>,
    diagnoses: Cache<String, Arc<Diagnosis>>,
    runs: Cache<String, Arc<Run>>,
}

impl Default for Kept {
    fn default() -> Self {
        let capped = |bytes: usize| u32::try_from(bytes).unwrap_or(u32::MAX);
        let tracer = move |_: &String, tracer: &Arc<Tracer>| capped(tracer.bytes());
        let diagnosis = move |key: &String, told: &Arc<Diagnosis>| capped(key.len() + DIAGNOSIS_BESIDE + told.pressures.bytes());
        let run = move |_: &String, run: &Arc<Run>| {
            let rows: usize = [&run.time_s, &run.kpa, &run.rpm, &run.oil_temp_c, &run.dash_kpa].iter().map(|column| column.len()).sum();
            capped(8 * rows)
        };
        Self {
            tracers: Cache::builder().weigher(tracer).max_capacity(TRACER_BYTES).build(),
            diagnoses: Cache::builder().weigher(diagnosis).max_capacity(DIAGNOSIS_BYTES).build(),
            runs: Cache::builder().weigher(run).max_capacity(RUN_BYTES).time_to_idle(RUN_IDLE).build(),
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

    /// Puts a tracer back after it was used: it lets go what it needs only meanwhile, and is weighed anew, since it has grown.
    pub fn put_back(&self, case: &Case, tracer: &Arc<Tracer>) {
        tracer.rest();
        self.tracers.insert(engine_key(case), Arc::clone(tracer));
    }

    /// A recorded run that is looked at, where it is still kept.
    pub fn run(&self, key: &str) -> Option<Arc<Run>> {
        self.runs.get(key)
    }

    /// Keeps a run while somebody looks at it.
    pub fn keep_run(&self, key: String, run: &Arc<Run>) {
        self.runs.insert(key, Arc::clone(run));
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

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::case::parse;
    use velvet_dial_core::diagnosis::{Setting, diagnose};

    fn case(litres: f64, min_kpa: f64, kpa: f64) -> Case {
        let text = format!(
            r#"{{"format":"velvet-dial.case/1","engine":{{"displacement_l":{litres},"cylinders":4,"idle_rpm":750,"oil_grade":"5W-30"}},
            "spec":{{"points":[{{"rpm":750,"oil_temp_c":100,"min_kpa":{min_kpa}}}]}},"readings":[{{"rpm":750,"oil_temp_c":98,"kpa":{kpa}}}]}}"#
        );
        parse(text.as_bytes()).unwrap_or_else(|error| panic!("{error}"))
    }

    fn tracer(kept: &Kept, case: &Case) -> Arc<Tracer> {
        kept.tracer(case).unwrap_or_else(|error| panic!("{error}"))
    }

    /// Card and limits make an engine; what was read of it does not. Many who ask at once wait for one making.
    #[test]
    fn an_engine_is_made_once_and_told_from_every_other() {
        let kept = Kept::default();
        let first = tracer(&kept, &case(2.0, 100.0, 60.0));
        assert!(Arc::ptr_eq(&first, &tracer(&kept, &case(2.0, 100.0, 200.0))));
        assert!(!Arc::ptr_eq(&first, &tracer(&kept, &case(2.0, 90.0, 60.0))), "another sheet");
        assert!(!Arc::ptr_eq(&first, &tracer(&kept, &case(2.1, 100.0, 60.0))), "another card");
        let all: Vec<Arc<Tracer>> = std::thread::scope(|scope| {
            let asked: Vec<_> = (0..6).map(|_| scope.spawn(|| tracer(&kept, &case(3.0, 100.0, 60.0)))).collect();
            asked.into_iter().filter_map(|one| one.join().ok()).collect()
        });
        assert!(all.len() == 6 && all.iter().all(|one| Arc::ptr_eq(one, &tracer(&kept, &case(3.0, 100.0, 60.0)))));
    }

    /// A used engine has grown and is weighed anew; what is kept stays within its memory.
    #[test]
    fn what_is_kept_is_bounded_by_memory() {
        let kept = Kept::default();
        let asked = case(2.0, 100.0, 60.0);
        let one = tracer(&kept, &asked);
        let new = one.bytes();
        diagnose(&asked, &one, &Setting::default());
        assert!(one.bytes() > new);
        kept.put_back(&asked, &one);
        kept.tracers.run_pending_tasks();
        assert_eq!(kept.tracers.weighted_size(), one.bytes() as u64);
        for place in 0..100u32 {
            // As heavy as a used one, whatever is in it.
            kept.tracers.insert(format!("engine {place}"), Arc::clone(&one));
        }
        kept.tracers.run_pending_tasks();
        assert!(kept.tracers.weighted_size() <= TRACER_BYTES, "{}", kept.tracers.weighted_size());
    }

    #[test]
    fn a_question_is_worked_out_once() {
        let kept = Kept::default();
        let asked = case(2.0, 100.0, 60.0);
        let one = tracer(&kept, &asked);
        let mut worked = 0;
        for key in ["a", "a", "b", "a"] {
            kept.diagnosis(key.to_owned(), || {
                worked += 1;
                diagnose(&asked, &one, &Setting::default())
            });
        }
        assert_eq!(worked, 2);
    }
}
