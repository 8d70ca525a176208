//! The bench: in which state the engine stands, what moving it costs, and which checks and readings can be done from there.
//!
//! A check or a reading that needs another state carries its *way*: the moves that lead there, each with its price. What the flag forbids has no way at
//! all. A sump once off is closed again before anything that needs the engine running; whoever asks for that pays for it.
use super::tracer::Ahead;
use crate::case::{Case, Deed, EngineIs, OilIs, Phase, Slope, SumpIs};
use crate::circuit::{Card, Working};
use crate::flag::Flag;
use crate::knowledge::{Access, Check, Engine, Knowledge, Needs, Price, Sump, knowledge};
use crate::unit::Gear;
use serde::Serialize;
use std::sync::Arc;

/// The state of the bench.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
pub struct BenchState {
    /// Oil.
    pub oil: OilIs,
    /// The test gauge is fitted.
    pub gauge_fitted: bool,
    /// The front cover is off.
    pub cover_off: bool,
    /// Sump.
    pub sump: SumpIs,
    /// Engine.
    pub engine: EngineIs,
}

impl Default for BenchState {
    /// As it comes in: cold, closed, no gauge.
    fn default() -> Self {
        Self { oil: OilIs::Cold, gauge_fitted: false, cover_off: false, sump: SumpIs::Closed, engine: EngineIs::In }
    }
}

/// A move from one state to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Move {
    /// Engine back in.
    EngineIn,
    /// Sump on, filled.
    CloseSump,
    /// Oil into a drained engine.
    Fill,
    /// Gauge fitted, bled, zeroed.
    FitGauge,
    /// Run until hot.
    WarmUp,
    /// Front cover off.
    CoverOff,
    /// Sump off.
    OpenSump,
    /// Engine out.
    EngineOut,
}

impl Move {
    /// On a screen.
    pub fn label(self) -> &'static str {
        match self {
            Self::EngineIn => "Engine back in",
            Self::CloseSump => "Sump back on, filled",
            Self::Fill => "Fill it with oil",
            Self::FitGauge => "Fit the gauge",
            Self::WarmUp => "Warm it up",
            Self::CoverOff => "Front cover off",
            Self::OpenSump => "Sump off",
            Self::EngineOut => "Engine out",
        }
    }

    /// It opens the engine, so the customer's approval comes first.
    pub fn opens(self) -> bool {
        matches!(self, Self::CoverOff | Self::OpenSump | Self::EngineOut)
    }

    fn price(self, know: &Knowledge, card: &Card) -> Price {
        match self {
            Self::EngineIn => know.moves.engine_in,
            Self::CloseSump => know.moves.close_sump,
            Self::Fill => know.moves.fill,
            Self::FitGauge => know.moves.fit_gauge,
            Self::WarmUp => know.moves.warm_up,
            Self::CoverOff => know.opening(Access::Cover, card),
            Self::OpenSump => know.opening(Access::Sump, card),
            Self::EngineOut => know.opening(Access::EngineOut, card),
        }
    }
}

/// A reading that could be taken.
#[derive(Debug, Clone, PartialEq)]
pub struct Takeable {
    /// “hot idle”.
    pub name: String,
    /// Speed and oil temperature.
    pub at: Working,
    /// Gear.
    pub gear: Gear,
    /// How the vehicle stands.
    pub slope: Slope,
    /// What it may show, and how probable with every state.
    pub ahead: Arc<Ahead>,
}

impl Takeable {
    /// Between which pressures an outcome of it lies, kPa; none where it is open.
    pub fn part(&self, outcome: usize) -> (Option<f64>, Option<f64>) {
        let edge = |index: usize| self.ahead.parts_kpa.get(index).copied();
        (outcome.checked_sub(1).and_then(edge), edge(outcome))
    }

    /// The outcome that a pressure is.
    pub fn outcome_of(&self, kpa: f64) -> usize {
        self.ahead.parts_kpa.iter().filter(|part| kpa > **part).count()
    }

    /// Minutes to hold and note it.
    pub(super) const MINUTES: f64 = 3.0;

    fn hot(&self) -> bool {
        self.at.oil_temp_c >= HOT_FROM_C
    }
}

/// Oil at least this warm counts as hot, °C.
pub(crate) const HOT_FROM_C: f64 = 60.0;

/// Whether the engine may run, as far as the planner needs it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Allowed {
    /// It may run.
    pub run: bool,
    /// It may be cranked without fuel.
    pub crank: bool,
    /// One reading near idle may be taken.
    pub one_reading: bool,
}

impl From<&Flag> for Allowed {
    fn from(flag: &Flag) -> Self {
        Self { run: flag.allowed(), crank: flag.may_crank, one_reading: flag.one_reading() }
    }
}

/// What stands around a choice of the next step.
#[derive(Debug, Clone)]
pub struct Situation<'a> {
    /// The engine.
    pub card: &'a Card,
    /// The bench.
    pub state: BenchState,
    /// Checks already done, and those put off.
    pub done: Vec<&'a str>,
    /// What the checks found, as check and outcome.
    pub found: Vec<(&'a str, &'a str)>,
    /// What the flag allows.
    pub allowed: Allowed,
    /// The one test a person has overruled the flag for.
    pub overruled: Option<&'a str>,
    /// A timing belt runs in oil.
    pub belt_in_oil: bool,
    /// Readings that could be taken, those taken left out.
    pub readings: Vec<Takeable>,
    /// The cause that this engine's usual failure is, as a person names it.
    pub pattern: Option<usize>,
    /// How many times the card's minutes an opening takes in this shop.
    pub times: f64,
    /// A knock was heard or metal was seen: the crank is turned by hand or the engine is opened before anything else.
    pub damage: bool,
    /// It must not run at all: with damage it is opened, and not cranked to listen once more.
    pub open_first: bool,
    /// What an hour of work costs, in the shop's money.
    pub hour: f64,
}

/// What a step needs of the bench.
struct Need {
    engine: Option<Engine>,
    gauge: bool,
    hot: bool,
    sump: Option<Sump>,
    access: Access,
}

impl<'a> Situation<'a> {
    /// A situation in which nothing is done yet and everything is allowed.
    pub fn at(card: &'a Card, state: BenchState) -> Self {
        Self {
            card,
            state,
            done: Vec::new(),
            found: Vec::new(),
            allowed: Allowed { run: true, crank: true, one_reading: true },
            overruled: None,
            belt_in_oil: false,
            readings: Vec::new(),
            pattern: None,
            times: 1.0,
            damage: false,
            open_first: false,
            hour: knowledge().hour,
        }
    }

    /// The way to a check, `None` when it is done or cannot be done on this engine or by the flag.
    pub fn way_to_check(&self, check: &Check) -> Option<Vec<Move>> {
        if self.done.contains(&check.id.as_str()) {
            return None;
        }
        let fitted = |part: Needs| part.is_in(&self.card.layout) || (part == Needs::BeltInOil && self.belt_in_oil);
        let ready = |(check, outcomes): &(String, Vec<String>)| {
            self.found.iter().any(|(found, outcome)| found == check && outcomes.iter().any(|one| one == outcome))
        };
        if !check.needs.is_none_or(fitted) || !check.fits(self.card) || !check.after.iter().all(ready) {
            return None;
        }
        let engine = check.engine_on(self.card);
        let named = self.overruled == Some(check.id.as_str());
        let allowed = match engine {
            // Listening is what the one idle after a crank is for.
            Some(Engine::Running) => self.allowed.run || named || (self.allowed.one_reading && check.id == "noise"),
            Some(Engine::Cranked) => self.allowed.crank,
            Some(Engine::Stopped | Engine::Top) | None => true,
        };
        let need = Need { engine, gauge: check.gauge, hot: check.hot, sump: check.sump, access: check.access(self.card) };
        allowed.then(|| self.way(&need, named)).flatten()
    }

    /// The way to a reading, `None` when it cannot be taken.
    pub fn way_to_reading(&self, reading: &Takeable) -> Option<Vec<Move>> {
        let near_idle = self.card.idles_at(reading.at.rpm);
        let allowed = self.allowed.run || (self.allowed.one_reading && near_idle);
        let cold_again = !reading.hot() && self.state.oil == OilIs::Hot;
        let need = Need { engine: Some(Engine::Running), gauge: true, hot: reading.hot(), sump: None, access: Access::Outside };
        (allowed && !cold_again).then(|| self.way(&need, false)).flatten()
    }

    fn way(&self, need: &Need, named: bool) -> Option<Vec<Move>> {
        let turns = matches!(need.engine, Some(Engine::Running | Engine::Cranked));
        let sump = if turns { Some(Sump::Filled) } else { need.sump };
        let mut way = Vec::new();
        if turns && self.state.engine == EngineIs::Out {
            way.push(Move::EngineIn);
        }
        match (sump, self.state.sump) {
            (Some(_), SumpIs::Off) => way.push(Move::CloseSump),
            (Some(Sump::Filled), SumpIs::Drained) => way.push(Move::Fill),
            _ => {}
        }
        if need.gauge && !self.state.gauge_fitted {
            way.push(Move::FitGauge);
        }
        // Closing takes hours: what was hot is cold by then.
        let cold = self.state.oil == OilIs::Cold || way.contains(&Move::CloseSump) || way.contains(&Move::EngineIn);
        if need.hot && cold {
            if !self.allowed.run && !named {
                return None;
            }
            way.push(Move::WarmUp);
        }
        match need.access {
            Access::Outside => {}
            Access::Cover if self.state.cover_off || self.state.engine == EngineIs::Out => {}
            Access::Cover => way.push(Move::CoverOff),
            Access::Sump if self.state.sump == SumpIs::Off => {}
            Access::Sump => way.push(Move::OpenSump),
            Access::EngineOut if self.state.engine == EngineIs::Out => {}
            Access::EngineOut => way.push(Move::EngineOut),
        }
        Some(way)
    }

    /// Money as minutes of work.
    pub(super) fn in_minutes(&self, money: f64) -> f64 {
        60.0 * money / self.hour
    }

    /// What a way costs.
    pub fn price(&self, know: &Knowledge, way: &[Move]) -> Price {
        way.iter().fold(Price::default(), |sum, step| {
            let price = step.price(know, self.card);
            sum + if step.opens() { Price { minutes: price.minutes * self.times, ..price } } else { price }
        })
    }

    /// The bench after a way was gone.
    pub(super) fn gone(mut self, way: &[Move]) -> Self {
        for step in way {
            match step {
                Move::EngineIn => self.state.engine = EngineIs::In,
                Move::CloseSump => (self.state.sump, self.state.oil) = (SumpIs::Closed, OilIs::Cold),
                Move::Fill => self.state.sump = SumpIs::Closed,
                Move::FitGauge => self.state.gauge_fitted = true,
                Move::WarmUp => self.state.oil = OilIs::Hot,
                Move::CoverOff => self.state.cover_off = true,
                Move::OpenSump => (self.state.sump, self.state.oil) = (SumpIs::Off, OilIs::Cold),
                Move::EngineOut => (self.state.engine, self.state.sump, self.state.oil) = (EngineIs::Out, SumpIs::Off, OilIs::Cold),
            }
        }
        self
    }
}

/// The state of a case's bench: as it is said, else derived. A reading means that the gauge is fitted, its temperature how warm the oil is; a check behind the
/// sump means that it is off until a refill or an after-reading, and likewise for the engine. Where the order is not known, it is still off.
pub fn state_of(case: &Case, know: &Knowledge) -> BenchState {
    let opened = |access: Access| {
        let behind = |reached: Access| if access == Access::Cover { reached == access } else { reached >= access };
        let open = case.evidence.iter().filter(|entry| know.check(&entry.check).is_some_and(|check| behind(check.access(&case.engine))));
        open.max_by_key(|entry| entry.at.is_none().then_some(chrono::DateTime::<chrono::Utc>::MAX_UTC).or(entry.at))
    };
    let still = |access: Access| {
        opened(access).is_some_and(|open| {
            let later = |at: Option<chrono::DateTime<chrono::Utc>>| at.is_some() && open.at.is_some() && at >= open.at;
            let refilled = case.acts.iter().any(|act| act.act == Deed::Refill && later(act.at));
            let proven = |reading: &crate::case::Reading| {
                reading.phase == Phase::After
                    && (later(reading.moment()) || (open.phase != Some(Phase::After) && (reading.at.is_none() || open.at.is_none())))
            };
            !refilled && !case.readings.iter().any(proven)
        })
    };
    let derived = BenchState {
        oil: match case.readings.last() {
            Some(reading) if reading.oil_temp_c >= HOT_FROM_C && !still(Access::Sump) => OilIs::Hot,
            _ => OilIs::Cold,
        },
        // What the dash said needs no gauge.
        gauge_fitted: case.readings.iter().any(|reading| !case.gauge(reading).is_vehicles_own())
            || case.evidence.iter().any(|entry| know.check(&entry.check).is_some_and(|check| check.gauge)),
        cover_off: still(Access::Cover),
        sump: if still(Access::Sump) { SumpIs::Off } else { SumpIs::Closed },
        engine: if still(Access::EngineOut) { EngineIs::Out } else { EngineIs::In },
    };
    let said = case.bench.unwrap_or_default();
    BenchState {
        oil: said.oil.unwrap_or(derived.oil),
        gauge_fitted: said.gauge_fitted.unwrap_or(derived.gauge_fitted),
        cover_off: derived.cover_off && said.sump.is_none(),
        sump: said.sump.unwrap_or(derived.sump),
        engine: said.engine.unwrap_or(derived.engine),
    }
}
