//! A job as the core's case: what holds, in the order it was written.
use super::{Body, Entry, Job, Measured, RigStep, StopCalled};
use crate::library::Gauge;
use std::collections::{BTreeMap, HashSet};
use uuid::Uuid;
use velvet_dial_core::case::{Act, BenchSaid, Case, Deed, Evidence, Phase, Reading};
use velvet_dial_core::rigging::{self, zero_outcome};
use velvet_dial_core::strip_down::StripDown;
use velvet_dial_core::trace::{Exclusion, Strategy};

/// Figures taken with the engine open, by their keys.
#[derive(Default)]
struct Figures {
    /// Of before a repair, although a later one took their place.
    before: HashSet<Uuid>,
    /// Of after it.
    after: HashSet<Uuid>,
}

impl Figures {
    /// Counts what was measured after the repair as outcomes of after it.
    fn count_after(&self, job: &Job, case: &mut Case) {
        let mut seen = StripDown { crank: case.strip_down.crank, ..StripDown::default() };
        let mut at = None;
        for entry in job.live().filter(|entry| self.after.contains(&entry.id)) {
            take_figure(&mut seen, &entry.body);
            at = Some(entry.happened_at.and_utc());
        }
        for (check, outcome) in seen.outcomes(case.engine.cylinders) {
            let answered = |entry: &Evidence| entry.check == check && entry.phase == Some(Phase::After);
            if !case.evidence.iter().any(answered) {
                case.evidence.push(Evidence { at, phase: Some(Phase::After), ..Evidence::of(check, outcome) });
            }
        }
    }
}

fn take_figure(seen: &mut StripDown, body: &Body) {
    match body {
        Body::Journal { said } => seen.journals.push(*said),
        Body::Measured { figure: Measured::Screen(screen) } => seen.screen = Some(*screen),
        Body::Measured { figure: Measured::Spring(spring) } => seen.spring = Some(*spring),
        Body::Measured { figure: Measured::Pump(pump) } => seen.pump = Some(*pump),
        _ => {}
    }
}

impl Job {
    /// The case of what holds now; of a closed job the one that its closing stood on.
    pub fn case(&self) -> Case {
        if let Some(record) = &self.record {
            return record.case.clone();
        }
        let figures = self.figures();
        let live: HashSet<Uuid> = self.live().map(|entry| entry.id).collect();
        // In the order they were written: a figure of before stays in its place.
        let held = self.entries.iter().filter(|entry| {
            let counts = live.contains(&entry.id) && !figures.after.contains(&entry.id);
            counts || figures.before.contains(&entry.id)
        });
        let mut case = self.case_of(held);
        figures.count_after(self, &mut case);
        case
    }

    /// The figures that were taken after a repair: they say whether it is put right, and leave what was found before.
    pub fn figures_after(&self) -> Vec<&Entry> {
        let figures = self.figures();
        self.live().filter(|entry| figures.after.contains(&entry.id)).collect()
    }

    /// Figures by whether a repair lies before them. One that took the place of an earlier one after a repair is beside it, and not in its place.
    fn figures(&self) -> Figures {
        let mut figures = Figures::default();
        let Some(repaired) = self.live().find(|entry| matches!(entry.body, Body::Repair(_))).map(|entry| entry.seq) else { return figures };
        let is_figure = |entry: &Entry| matches!(entry.body, Body::Journal { .. } | Body::Measured { .. });
        for entry in self.live().filter(|entry| is_figure(entry) && entry.seq > repaired) {
            figures.after.insert(entry.id);
            let mut earlier = entry.supersedes;
            while let Some(before) = earlier.and_then(|id| self.entries.iter().find(|entry| entry.id == id)) {
                if is_figure(before) && before.seq < repaired {
                    figures.before.insert(before.id);
                    break;
                }
                earlier = before.supersedes;
            }
        }
        figures
    }

    /// The case as it stood when `seq` was the last entry, and what was struck out then: what a change moved is seen by comparing both.
    pub fn case_at(&self, seq: i32) -> (Case, Vec<Exclusion>) {
        let then: Vec<&Entry> = self.entries.iter().filter(|entry| entry.seq <= seq).collect();
        let stands = |entry: &&Entry| !matches!(entry.body, Body::Withdrawn { .. }) && !then.iter().any(|e| e.supersedes == Some(entry.id));
        let held: Vec<&Entry> = then.iter().copied().filter(stands).collect();
        (self.case_of(held.iter().copied()), exclusions(held.into_iter()))
    }

    /// The causes that are struck out now.
    pub fn exclusions(&self) -> Vec<Exclusion> {
        exclusions(self.live())
    }

    /// The strategy by which the next step is chosen.
    pub fn order(&self) -> Strategy {
        let said = self.live().filter_map(|entry| if let Body::Order { order } = &entry.body { Some(order.as_str()) } else { None }).last();
        Strategy::ALL.iter().find(|(_, id, _)| Some(*id) == said).map_or(Strategy::MostUseful, |(order, ..)| *order)
    }

    fn case_of<'a>(&self, held: impl Iterator<Item = &'a Entry>) -> Case {
        let instruments: BTreeMap<_, _> = self.gauges.iter().map(|gauge| (gauge.name.clone(), gauge.gauge.clone())).collect();
        let mut case = Case {
            id: Some(self.head.number.to_string()),
            spec: self.sheet().cloned(),
            instruments,
            known_patterns: self.known_patterns.clone(),
            memory: self.memory.clone(),
            ..Case::of(self.engine.card.clone())
        };
        // When the last figure was taken with the engine open.
        let mut figured = None;
        let mut rigged: Vec<&RigStep> = Vec::new();
        for entry in held {
            let at = Some(entry.happened_at.and_utc());
            match &entry.body {
                Body::Circumstance { circumstance, told: true } => case.circumstances.push(circumstance.clone()),
                Body::Replaced { part } => case.replaced.push(part.clone()),
                Body::Reading(taken) => {
                    // A gauge is known by its key: it may have been renamed since.
                    let named =
                        taken.gauge.and_then(|key| self.gauges.iter().find(|gauge| gauge.id == key)).map(|gauge| gauge.name.clone());
                    let instrument = named.or_else(|| taken.reading.instrument.clone());
                    let at = Some(self.zone.clock(entry.happened_at));
                    case.readings.push(Reading { at, instrument, ..taken.reading.clone() });
                }
                Body::Rig(done) => {
                    rigged.push(done);
                    if let Some(zero_kpa) = done.zero_kpa {
                        let outcome = zero_outcome(
                            zero_kpa,
                            &self.fitted_by(rigged.iter().copied()).map(|gauge| gauge.gauge.clone()).unwrap_or_default(),
                        );
                        case.evidence.push(Evidence { at, ..Evidence::of("gauge_zero", outcome) });
                    }
                }
                Body::Evidence { check, outcome, also, phase } => {
                    let phase = Some(*phase).filter(|phase| *phase == Phase::After);
                    case.evidence.push(Evidence { at, phase, outcomes: also.clone(), ..Evidence::of(check, outcome) });
                }
                Body::PutOff { check, .. } => case.put_off.push(check.clone()),
                Body::Pattern { cause } => case.pattern.clone_from(cause),
                Body::Repair(repair) => {
                    case.acts.push(Act { cause: repair.cause.clone(), stopgap: repair.stopgap, at, ..Act::of(Deed::Repair) })
                }
                Body::StopCall(called) => {
                    case.acts.push(Act { check: called.about().map(str::to_owned), at, ..Act::of(Deed::StopCall) });
                }
                Body::Cranked { outcome } => {
                    // It is cranked closed and filled.
                    case.acts.push(Act { at, ..Act::of(Deed::Refill) });
                    case.acts.push(Act { outcome: Some(*outcome), at, ..Act::of(Deed::Crank) });
                }
                Body::Overruled { check, minutes, reason } => case.acts.push(Act {
                    check: Some(check.clone()),
                    minutes: Some(*minutes),
                    reason: Some(reason.clone()),
                    at,
                    ..Act::of(Deed::Overrule)
                }),
                Body::Filled {} => case.acts.push(Act { at, ..Act::of(Deed::Fill) }),
                Body::Crank { said } => case.strip_down.crank = *said,
                Body::Journal { .. } | Body::Measured { .. } => {
                    take_figure(&mut case.strip_down, &entry.body);
                    figured = at;
                }
                Body::Circumstance { .. }
                | Body::JobDetails(_)
                | Body::Particulars(_)
                | Body::Photo(_)
                | Body::Note(_)
                | Body::Struck { .. }
                | Body::Order { .. }
                | Body::Agreed { .. }
                | Body::Customer { .. }
                | Body::Replied { .. }
                | Body::UploadWithdrawn { .. }
                | Body::Done { .. }
                | Body::Talked { .. }
                | Body::Worked { .. }
                | Body::Sensed { .. }
                | Body::Helped { .. }
                | Body::Withdrawn { .. }
                | Body::Promised { .. }
                | Body::FollowUp(_)
                | Body::CustomerRemoved { .. }
                | Body::Comeback { .. }
                | Body::Closed { .. }
                | Body::Reopened { .. }
                | Body::Unreadable { .. } => {}
            }
        }
        // What was ticked by mistake and cleared again was not replaced by anybody.
        case.replaced.retain(|replaced| case.circumstances.contains(&replaced.circumstance));
        if rigging::fitted(rigged.iter().map(|done| (done.step.as_str(), done.answer.as_str()))) {
            case.bench = Some(BenchSaid { gauge_fitted: Some(true), ..BenchSaid::default() });
        }
        case.count_figures(figured);
        case
    }

    /// The entry by which a recorded run was withdrawn; none while it counts.
    pub fn upload_withdrawn(&self, run: Uuid) -> Option<&Entry> {
        self.live().find(|entry| matches!(&entry.body, Body::UploadWithdrawn { capture, .. } if *capture == run))
    }

    /// A reading that counts was taken from this run.
    pub fn reads_from(&self, run: Uuid) -> bool {
        let from_run = |body: &Body| matches!(body, Body::Reading(taken) if taken.capture.is_some_and(|(id, ..)| id == run));
        self.live().any(|entry| from_run(&entry.body))
    }

    /// The stop that the live gauge called and nobody has answered yet.
    pub fn open_stop_call(&self) -> Option<(&Entry, &StopCalled)> {
        self.live().find_map(|entry| match &entry.body {
            Body::StopCall(called) if !called.answered => Some((entry, called)),
            _ => None,
        })
    }

    /// The customer was removed from it.
    pub fn customer_removed(&self) -> bool {
        self.entries.iter().any(|entry| matches!(entry.body, Body::CustomerRemoved { .. }))
    }

    /// The steps of the rig that hold, in the order they were written.
    pub fn rig_steps(&self) -> impl Iterator<Item = &RigStep> {
        self.live().filter_map(|entry| if let Body::Rig(done) = &entry.body { Some(done) } else { None })
    }

    /// What the fitted gauge shows at rest, kPa.
    pub fn zero_kpa(&self) -> f64 {
        self.rig_steps().filter_map(|step| step.zero_kpa).last().unwrap_or(0.0)
    }

    /// The gauge that the rig was fitted with; none when that is an ordinary one.
    pub fn fitted_gauge(&self) -> Option<&Gauge> {
        self.fitted_by(self.rig_steps())
    }

    fn fitted_by<'a>(&self, steps: impl Iterator<Item = &'a RigStep>) -> Option<&Gauge> {
        let key = steps.filter_map(|done| done.gauge).last()?;
        self.gauges.iter().find(|gauge| gauge.id == key)
    }

    /// The live readings with their entries, in the order of [`Case::readings`].
    pub fn reading_entries(&self) -> impl Iterator<Item = &Entry> {
        self.live().filter(|entry| matches!(entry.body, Body::Reading(_)))
    }
}

fn exclusions<'a>(held: impl Iterator<Item = &'a Entry>) -> Vec<Exclusion> {
    let strike = |entry: &Entry| match &entry.body {
        Body::Struck { cause, because } => Some(Exclusion { cause: cause.clone(), because: because.clone() }),
        _ => None,
    };
    held.filter_map(strike).collect()
}
