//! The whole circuit at one operating point: balance of flows at the gallery.
//!
//! One unknown, the gallery's pressure p: what the branches take at p must pass the filter, which sets the pressure at the pump's
//! outlet, which sets slip and relief flow. Drawn − slip − relief − branches falls as p rises, so there is one root and a
//! safeguarded Newton finds it; the residual is at most 1e-9 of the pump's swept flow.

use super::part::{Branch, Filter, Law, Place, Pump, Relief};
use super::suction::{Inflow, Suction};
use super::{Port, root};
use crate::oil::{Oil, TEMP_RANGE_C};

/// Speed and oil temperature in the sump.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Working {
    /// Engine speed, turns a minute, 0 to 10 000.
    pub rpm: f64,
    /// Oil temperature in the sump, °C.
    pub oil_temp_c: f64,
}

/// Most branches a circuit may have.
const MOST_BRANCHES: usize = 8;

/// A circuit ready to be solved: parts, oil and where the gauge sits.
#[derive(Debug, Clone, PartialEq)]
pub struct Circuit {
    /// What is in it.
    pub oil: Oil,
    /// The bearing films run hotter than the sump by this many K per 1000 rpm.
    pub film_rise_k_per_krpm: f64,
    /// From the sump to the pump.
    pub suction: Suction,
    /// The pump.
    pub pump: Pump,
    /// The relief valve.
    pub relief: Relief,
    /// Filter, bypass, cooler.
    pub filter: Filter,
    /// Where the gauge is fitted.
    pub port: Port,
    /// Share of the gallery's pressure lost on the way to its far end.
    pub gallery_end_loss: f64,
    branches: [Branch; MOST_BRANCHES],
    used: usize,
}

/// Pressures (gauge, Pa) and flows (m³/s) of a solved circuit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct State {
    /// Inlet side.
    pub drawn: Inflow,
    /// At the pump's outlet, before the filter.
    pub pump_pa: f64,
    /// In the main gallery, after the filter.
    pub gallery_pa: f64,
    /// At the far end of the gallery.
    pub gallery_end_pa: f64,
    /// Behind the head's restrictor; the gallery's own where there is none.
    pub head_pa: f64,
    /// Back past the pump's clearances.
    pub slip_m3_s: f64,
    /// Through the relief valve.
    pub relief_m3_s: f64,
    /// Through filter and gallery.
    pub gallery_m3_s: f64,
    /// Drawn − slip − relief − gallery.
    pub residual_m3_s: f64,
    /// Share of the pump's full displacement in use; 1 on a fixed pump.
    pub displacement: f64,
    /// Temperature of the oil in the films, °C.
    pub film_temp_c: f64,
    /// False when sump or film stand outside −20…150 °C, where the viscosity is held at the end of its range.
    pub in_range: bool,
}

impl State {
    /// The pressure a perfect gauge shows at `port`, kPa.
    pub fn at(&self, port: Port) -> f64 {
        1e-3 * match port {
            Port::BeforeFilter => self.pump_pa,
            Port::AfterFilter => self.gallery_pa,
            Port::GalleryEnd => self.gallery_end_pa,
            Port::Head => self.head_pa,
        }
    }
}

/// The oil at one operating point, and what the pump could draw of it. SI units.
#[derive(Debug, Clone, Copy)]
struct Flowing {
    mu_sump: f64,
    mu_film: f64,
    rho: f64,
    film_temp_c: f64,
    swept: f64,
    full: Inflow,
}

/// A solved engine at a point, beside which a harmed copy is solved faster.
#[derive(Debug, Clone, Copy)]
pub struct SoundState {
    at: Working,
    oil: Flowing,
    gallery_pa: f64,
}

/// Residual at which the balance is found, as a share of the pump's swept flow: half of what is promised.
const RESIDUAL_SHARE: f64 = 5e-10;

/// A branch that takes nothing, to fill the unused places.
const NONE: Branch = Branch { place: Place::Leak, law: Law::Laminar { g_m3: 0.0 } };

/// How much hotter than the sump the films run, K: in proportion to speed at `k_per_krpm` in hot oil of 10 mPa·s, more in thick cold oil that shears harder
/// (the power 0.15 is small enough that colder oil never ends up thinner), and never more than 60 K, where the film sheds what it takes in.
pub(super) fn film_rise_k(k_per_krpm: f64, rpm: f64, mu_pa_s: f64) -> f64 {
    const HOT_PA_S: f64 = 0.01;
    const THICK: f64 = 0.15;
    const MOST_K: f64 = 60.0;
    (k_per_krpm * rpm / 1000.0 * (mu_pa_s / HOT_PA_S).max(1.0).powf(THICK)).min(MOST_K)
}

impl Circuit {
    /// A circuit without branches; add them with [`Circuit::add`].
    pub fn new(oil: Oil, suction: Suction, pump: Pump, relief: Relief, filter: Filter, port: Port) -> Self {
        Self {
            oil,
            film_rise_k_per_krpm: 0.0,
            suction,
            pump,
            relief,
            filter,
            port,
            gallery_end_loss: 0.0,
            branches: [NONE; MOST_BRANCHES],
            used: 0,
        }
    }

    /// Adds a branch; false when all places are taken.
    pub fn add(&mut self, branch: Branch) -> bool {
        let Some(place) = self.branches.get_mut(self.used) else {
            return false;
        };
        *place = branch;
        self.used += 1;
        true
    }

    /// The branches from gallery to sump.
    pub fn branches(&self) -> impl Iterator<Item = &Branch> {
        self.branches.iter().take(self.used)
    }

    /// The branches at a place, to be changed by a fault.
    pub fn branches_at(&mut self, place: Place) -> impl Iterator<Item = &mut Branch> {
        self.branches.iter_mut().take(self.used).filter(move |branch| branch.place == place)
    }

    /// The steady state at a speed and temperature. Never fails: a standing engine has no pressure.
    pub fn solve(&self, at: Working) -> State {
        let oil = self.flowing(at);
        let gallery_pa = self.balance(at, &oil, None);
        let (taken, _) = self.taken(gallery_pa, &oil);
        let (drop, _) = self.filter.at(at.oil_temp_c).drop(taken, oil.mu_sump);
        let (drawn, _, displacement) = self.drawn(at, &oil, gallery_pa);
        let pump_pa = gallery_pa + drop;
        let (relief_m3_s, _) = self.relief.flow(pump_pa, gallery_pa, 1.0, oil.rho);
        let slip_m3_s = self.pump.slip_m3 / oil.mu_sump * pump_pa;
        State {
            drawn,
            pump_pa,
            gallery_pa,
            gallery_end_pa: gallery_pa * (1.0 - self.gallery_end_loss),
            head_pa: self.head_pressure(gallery_pa, &oil),
            slip_m3_s,
            relief_m3_s,
            gallery_m3_s: taken,
            residual_m3_s: drawn.liquid_m3_s - slip_m3_s - relief_m3_s - taken,
            displacement,
            film_temp_c: oil.film_temp_c,
            in_range: TEMP_RANGE_C.contains(&at.oil_temp_c) && TEMP_RANGE_C.contains(&oil.film_temp_c),
        }
    }

    /// Pressure at the gauge's port, kPa.
    pub fn port_kpa(&self, at: Working) -> f64 {
        let oil = self.flowing(at);
        self.port(at, &oil, self.balance(at, &oil, None))
    }

    /// This engine at a point, to solve harmed copies beside it.
    pub fn beside(&self, at: Working) -> SoundState {
        let oil = self.flowing(at);
        SoundState { at, oil, gallery_pa: self.balance(at, &oil, None) }
    }

    /// As [`Circuit::port_kpa`], for a copy of `sound` harmed in a part or two: what feeds the pump is not worked out again where it is the same, and
    /// the balance begins at the sound one's pressure. The result is the same to the residual.
    pub fn port_kpa_beside(&self, sound: &Self, beside: &SoundState) -> f64 {
        let at = beside.at;
        let same = self.oil == sound.oil
            && self.suction == sound.suction
            && self.pump.per_turn_m3 == sound.pump.per_turn_m3
            && self.film_rise_k_per_krpm == sound.film_rise_k_per_krpm;
        let oil = if same { beside.oil } else { self.flowing(at) };
        self.port(at, &oil, self.balance(at, &oil, Some(beside.gallery_pa)))
    }

    fn port(&self, at: Working, oil: &Flowing, gallery_pa: f64) -> f64 {
        1e-3 * match self.port {
            Port::AfterFilter => gallery_pa,
            Port::BeforeFilter => gallery_pa + self.filter.at(at.oil_temp_c).drop(self.taken(gallery_pa, oil).0, oil.mu_sump).0,
            Port::GalleryEnd => gallery_pa * (1.0 - self.gallery_end_loss),
            Port::Head => self.head_pressure(gallery_pa, oil),
        }
    }

    fn flowing(&self, at: Working) -> Flowing {
        let swept = self.pump.per_turn_m3 * at.rpm.max(0.0) / 60.0;
        let mu_sump = self.oil.mu_pa_s(at.oil_temp_c);
        let film_temp_c = at.oil_temp_c + film_rise_k(self.film_rise_k_per_krpm, at.rpm, mu_sump);
        let rho = self.oil.density_kg_m3(at.oil_temp_c);
        let full = self.suction.draw(swept, at.rpm, mu_sump, rho);
        Flowing { mu_sump, mu_film: self.oil.mu_pa_s(film_temp_c), rho, film_temp_c, swept, full }
    }

    fn taken(&self, gallery_pa: f64, oil: &Flowing) -> (f64, f64) {
        self.branches().fold((0.0, 0.0), |(flow, slope), branch| {
            let (q, dq) = branch.law.flow(gallery_pa, oil.mu_film, oil.rho);
            (flow + q, slope + dq)
        })
    }

    /// What the pump draws against a gallery pressure, its slope per Pa, and the share of displacement in use: a controlled pump draws
    /// less as the pressure passes its level.
    fn drawn(&self, at: Working, oil: &Flowing, gallery_pa: f64) -> (Inflow, f64, f64) {
        let Some(control) = self.pump.control else { return (oil.full, 0.0, 1.0) };
        let (share, slope) = control.share(gallery_pa, at.rpm);
        if share >= 1.0 {
            return (oil.full, 0.0, 1.0);
        }
        let less = self.suction.draw(share * oil.swept, at.rpm, oil.mu_sump, oil.rho);
        // A starving pump that is set back asks for less and would lose less to gas; it is not let have more than at full, or two pressures would balance.
        let drawn = if less.liquid_m3_s > oil.full.liquid_m3_s { oil.full } else { less };
        (drawn, slope * oil.swept, share)
    }

    /// The gallery's pressure, Pa, at which flows balance.
    fn balance(&self, at: Working, oil: &Flowing, start_pa: Option<f64>) -> f64 {
        if oil.full.liquid_m3_s <= 0.0 {
            return 0.0;
        }
        let filter = self.filter.at(at.oil_temp_c);
        let slip_per_pa = self.pump.slip_m3 / oil.mu_sump;
        let left_over = |gallery: f64| {
            let (taken, taken_slope) = self.taken(gallery, oil);
            let (drop, drop_slope) = filter.drop(taken, oil.mu_sump);
            let pump = gallery + drop;
            let pump_slope = 1.0 + drop_slope * taken_slope;
            let (relief, relief_slope) = self.relief.flow(pump, gallery, pump_slope, oil.rho);
            let (drawn, drawn_slope, _) = self.drawn(at, oil, gallery);
            let value = drawn.liquid_m3_s - slip_per_pa * pump - relief - taken;
            let slope = drawn_slope - slip_per_pa * pump_slope - relief_slope - taken_slope;
            (value, slope)
        };
        // Where the relief valve alone would take everything, nothing is left over.
        let mut high = self.relief.cracks_pa + oil.full.liquid_m3_s / self.relief.slope_m3_s_pa;
        if !high.is_finite() {
            high = 2.0 * self.relief.cracks_pa.max(1e5);
            while left_over(high).0 > 0.0 && high < 1e12 {
                high *= 4.0;
            }
        }
        root::falling(left_over, 0.0, high, start_pa.unwrap_or(0.25 * self.relief.cracks_pa), RESIDUAL_SHARE * oil.swept)
    }

    /// Flow of every branch in m³/s at a solved state, in the order they were added; they sum to the state's `gallery_m3_s`.
    pub fn branch_flows(&self, state: &State, at: Working) -> impl Iterator<Item = (Place, f64)> {
        let oil = self.flowing(at);
        let gallery_pa = state.gallery_pa;
        self.branches().map(move |branch| (branch.place, branch.law.flow(gallery_pa, oil.mu_film, oil.rho).0))
    }

    fn head_pressure(&self, gallery_pa: f64, oil: &Flowing) -> f64 {
        self.branches()
            .find_map(|branch| match (branch.place, branch.law) {
                (Place::Head, Law::Restricted { g_m3, .. }) => {
                    Some(branch.law.flow(gallery_pa, oil.mu_film, oil.rho).0 * oil.mu_film / g_m3)
                }
                _ => None,
            })
            .unwrap_or(gallery_pa)
    }
}
