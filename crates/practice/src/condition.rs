//! What has become of a vehicle since it came in: what was repaired, and how far it has wrecked itself by being run without oil pressure.
use crate::scene::{Scene, is};
use serde::{Deserialize, Serialize};
use velvet_dial_core::circuit::{Fault, Working};
use velvet_dial_core::knowledge::{BANDS, Check, knowledge};
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_engines::{Standing, sound_outcome};

/// Oil of a hot engine, °C.
pub(crate) const HOT_C: f64 = 95.0;
/// Hot oil: a starved bearing is hurt from here on, °C.
const WARM_C: f64 = 50.0;
/// Bearings starve under this much pressure for each 1000 rpm, and at any speed under the second, kPa: a third of the trade's rule of thumb, and what no gauge tells from nothing.
const STARVES_KPA_PER_KRPM: f64 = 24.0;
const NOTHING_KPA: f64 = 5.0;
/// Oil one grade thicker is as thick as the same oil so much cooler, °C.
const THICKER_C: f64 = 15.0;

/// A check shows bearings that have gone where they show it at least so often.
const SURE: f64 = 0.25;

/// How far an engine has wrecked itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Wreck {
    /// Not at all.
    #[default]
    None,
    /// The shells are wiped.
    Bearing,
    /// A journal is scored.
    Journal,
    /// The crank is done, and the engine does not turn.
    Crank,
}

impl Wreck {
    fn further(self) -> Self {
        match self {
            Self::None => Self::Bearing,
            Self::Bearing => Self::Journal,
            Self::Journal | Self::Crank => Self::Crank,
        }
    }

    /// What a person hears and sees as it happens.
    pub fn sense(self) -> Option<&'static str> {
        match self {
            Self::None => None,
            Self::Bearing => Some("A knock has come, deep and in time with the crank. The needle hangs lower than it did."),
            Self::Journal => Some("The knock is loud now, and the needle swings with it. What drips from the sump glitters."),
            Self::Crank => Some("With a bang the engine stopped. The starter does not turn it any more."),
        }
    }

    /// What it costs on top of new bearings: minutes and material.
    pub fn costs(self) -> (f64, f64) {
        match self {
            Self::None | Self::Bearing => (0.0, 0.0),
            Self::Journal => (480.0, 350.0),
            Self::Crank => (720.0, 1800.0),
        }
    }

    fn severity(self) -> f64 {
        match self {
            Self::None => 0.0,
            Self::Bearing => 0.4,
            Self::Journal => 0.75,
            Self::Crank => 1.0,
        }
    }
}

/// What has become of a vehicle.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Condition {
    /// Causes that were repaired and are not there any more.
    pub repaired: Vec<usize>,
    /// How far it has wrecked itself.
    pub wreck: Wreck,
    /// Its bearings ran dry since the last repair: once is how one finds out.
    pub starved: bool,
    /// Thicker oil is in it, a shim, a heavier spring: the gauge stands higher, and the fault is there.
    pub hidden: bool,
}

impl Condition {
    /// A cause is repaired. New bearings are sound ones, until they starve again.
    pub fn repair(&mut self, cause: usize) {
        if is_bearings(cause) {
            self.wreck = Wreck::None;
        }
        self.repaired.push(cause);
        self.starved = false;
    }

    /// The fault is hidden and not removed.
    pub fn hide(&mut self) {
        self.hidden = true;
    }

    /// The engine was run. `forbidden`: the flag said that it must not.
    pub fn run(&mut self, scene: &Scene, at: Working, forbidden: bool) {
        let now = scene.now(self);
        let starves = now.starves(at);
        let knocks = self.wreck > Wreck::None || now.causes().any(|cause| is_bearings(cause) || is(cause, "bearing_single"));
        if (starves && self.starved) || (forbidden && (starves || knocks)) {
            self.wreck = self.wreck.further();
            // Bearings that were new are not any more.
            self.repaired.retain(|cause| !is_bearings(*cause));
        }
        self.starved |= starves;
    }
}

/// The vehicle as it stands.
#[derive(Debug)]
pub struct Now<'a> {
    scene: &'a Scene,
    condition: &'a Condition,
    engine: Standing,
}

impl<'a> Now<'a> {
    pub(crate) fn of(scene: &'a Scene, condition: &'a Condition) -> Self {
        let since = match condition.wreck {
            Wreck::None => None,
            wreck => Some((Fault::BearingsCrank, wreck.severity())),
        };
        let engine = scene.blind().standing(|cause| scene.is_gone(cause, &condition.repaired), since.as_slice());
        Self { scene, condition, engine }
    }

    /// Bearings starve at this speed and temperature.
    pub fn starves(&self, at: Working) -> bool {
        let kpa = self.engine.true_kpa(self.as_filled(at));
        at.oil_temp_c >= WARM_C && kpa < (STARVES_KPA_PER_KRPM * at.rpm / 1000.0).max(NOTHING_KPA)
    }

    /// The same point with the oil that is in it.
    fn as_filled(&self, at: Working) -> Working {
        let cooler = if self.condition.hidden { THICKER_C } else { 0.0 };
        Working { oil_temp_c: at.oil_temp_c - cooler, ..at }
    }

    /// It turns.
    pub fn turns(&self) -> bool {
        self.condition.wreck < Wreck::Crank
    }

    /// What is wrong with it now: of what it came with what was not repaired, and bearings that have gone since.
    pub fn causes(&self) -> impl Iterator<Item = usize> {
        let wrecked = (self.condition.wreck > Wreck::None).then(|| knowledge().cause("bearings_crank")).flatten();
        wrecked.into_iter().chain(self.scene.faults().filter(|cause| !self.condition.repaired.contains(cause)))
    }

    /// Nothing is wrong with it any more.
    pub fn is_cured(&self) -> bool {
        self.causes().next().is_none()
    }

    /// What one of several causes shows that no sound engine does; what a sound one shows where none of them does.
    fn shown_of_what_is_left(&self, check: &Check) -> usize {
        let sound = sound_outcome(check);
        if self.condition.wreck > Wreck::None
            && let Some(shown) = shown_of_wreck(check)
        {
            return shown;
        }
        self.causes().map(|cause| self.scene.shows(check, cause)).find(|outcome| *outcome != sound).unwrap_or(sound)
    }
}

impl Vehicle for Now<'_> {
    fn gauge_kpa(&self, at: Working) -> f64 {
        if self.turns() { self.engine.shows_kpa(self.as_filled(at)) } else { 0.0 }
    }

    fn outcome(&self, check: &str) -> usize {
        let untouched = self.condition.repaired.iter().all(|cause| !self.scene.holds(*cause)) && self.condition.wreck == Wreck::None;
        match knowledge().check(check) {
            // A repair of the engine leaves the gauge as it is.
            Some(row) if !untouched && check != "gauge_zero" => self.shown_of_what_is_left(row),
            _ => self.scene.outcome(check),
        }
    }

    fn is_cured_by(&self, cause: usize) -> bool {
        self.causes().all(|left| left == cause)
    }
}

/// What bearings that have gone show beyond doubt; none where a check does not tell them from sound ones.
fn shown_of_wreck(check: &Check) -> Option<usize> {
    let know = knowledge();
    let gone = know.hypotheses.iter().position(|one| is_bearings(one.first) && one.second.is_none())? * BANDS + BANDS - 1;
    let sound = sound_outcome(check);
    let others = (0..check.outcomes.len()).filter(|outcome| *outcome != sound).map(|outcome| (outcome, check.likelihood(gone, outcome)));
    let (shown, p) = others.max_by(|a, b| a.1.total_cmp(&b.1))?;
    let usual = check.usual.p.get(shown).copied().unwrap_or_default();
    (p >= SURE && p >= 2.0 * usual).then_some(shown)
}

fn is_bearings(cause: usize) -> bool {
    is(cause, "bearings_crank")
}
