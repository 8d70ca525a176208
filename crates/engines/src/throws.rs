//! The parts of a [`crate::stranger::Stranger`]: sizes from ranges of this file's own, set down before its first run.
use crate::build::{Sized, between, chance, factor, round_to, scatter};
use crate::habit::Habit;
use crate::stranger::{Plunger, Roelands, Stranger, Throw};
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::circuit::{CamFeed, Cooler};

pub(crate) fn throws(habit: &Habit, sized: &Sized, rng: &mut ChaCha8Rng) -> Stranger {
    let Sized { cylinders, idle, rated, hot_c, ref layout, per_turn_m3, cracks_kpa, idle_pa, straight_head, .. } = *sized;
    let rho = between(rng, 790.0, 860.0);
    let oil = Roelands::new(sized.mu.0, sized.mu.1);
    let mu = oil.mu(hot_c);
    let full = per_turn_m3 * rated / 60.0;
    let idle_flow = per_turn_m3 * idle / 60.0;
    let cracks_pa = 1e3 * cracks_kpa;
    let area = |flow: f64, pa: f64| flow / (0.65 * (2.0 * pa / rho).sqrt());

    // A plunger of 8 to 20 mm whose port passes all of the pump a tenth to one and a half of cracking above it.
    let face_m2 = std::f64::consts::FRAC_PI_4 * between(rng, 0.008, 0.02).powi(2);
    let preload_n = cracks_pa * face_m2;
    let most_lift_m = between(rng, 0.003, 0.008);
    let rise = factor(rng, 0.1, 1.5);
    let width_m = 1.2 * area(full, (1.0 + rise) * cracks_pa) / most_lift_m;
    let rate_n_m = (rise * preload_n / most_lift_m - 0.43 * width_m * (1.0 + rise) * cracks_pa).max(0.1 * preload_n / most_lift_m);
    let relief =
        Plunger { face_m2, preload_n, rate_n_m, width_m, most_lift_m, stuck_lift_m: 0.0, by_gallery: chance(rng, habit.relief_in_gallery) };

    let slip = between(rng, 0.05, 0.3);
    let side_grows = between(rng, 0.0, 0.003);
    let lost = between(rng, 0.25, 0.7);
    let to_cam = 0.12 * idle_flow;
    let to_rockers = if straight_head { 0.16 } else { 0.08 } * idle_flow;
    let each = 0.7 * idle_flow / cylinders as f64;
    let main_share = between(rng, 0.35, 0.65);
    let throws = (0..cylinders)
        .map(|_| Throw {
            main_m3: main_share * each * mu / (1.6 * idle_pa) * (0.15 * scatter(rng)).exp(),
            rod_m3: (1.0 - main_share) * each * mu / (1.4 * idle_pa) * (0.15 * scatter(rng)).exp(),
            bore_m2: area((1.0 - main_share) * each, between(rng, 0.08, 0.3) * idle_pa),
            wide: 1.0,
        })
        .collect();
    let element = between(rng, habit.element_pa.0, habit.element_pa.1);
    Stranger {
        rho,
        heats_k: between(rng, 4.0, 14.0),
        per_turn_m3,
        stage: chance(rng, habit.two_stages)
            .then(|| (round_to((between(rng, 0.35, 0.6) * rated).max(2.5 * idle), 50.0), between(rng, 0.3, 0.5))),
        side_m3: slip * idle_flow * mu / idle_pa / (1.0 + side_grows * (hot_c - 20.0)).powi(3),
        side_grows,
        inlet_pa: between(rng, 4_000.0, 18_000.0),
        inlet_laminar: between(rng, 0.05, 0.3),
        inlet_hot_mu: mu,
        fills_to_pa: between(rng, 45_000.0, 65_000.0),
        falls: between(rng, 0.0, habit.starves),
        air: between(rng, 0.01, 0.04),
        air_by_speed: between(rng, 0.01, 0.05),
        sucks_m2: 0.0,
        rated_rpm: rated,
        relief,
        element_darcy: element / (mu * idle_flow),
        element_square: between(rng, 0.0, 12_000.0) / (full * full),
        bypass: Some((between(rng, 70e3, 220e3), full / between(rng, 40e3, 120e3))),
        cooler: if layout.cooler == Cooler::None { 0.0 } else { between(rng, 1_000.0, 6_000.0) / (mu * idle_flow) },
        cooler_opens_c: (layout.cooler == Cooler::Thermostat).then(|| between(rng, 78.0, 92.0)),
        gallery_square: between(rng, 0.002, 0.02) * cracks_pa / (full * full),
        narrowed: None,
        throws,
        crank_m: between(rng, 0.03, 0.06),
        cam_m3: to_cam * mu / (if layout.cam_feed == Some(CamFeed::Straight) { 1.0 } else { 1.0 - lost } * idle_pa),
        cam_bore_m2: (layout.cam_feed == Some(CamFeed::Restricted)).then(|| area(to_cam, lost * idle_pa)),
        rocker_m2: area(to_rockers, if straight_head { 0.05 } else { lost } * idle_pa),
        rocker_leak_m3: to_rockers * mu / (if straight_head { 0.95 } else { 1.0 - lost } * idle_pa),
        turbo_m3: if layout.turbo { 0.05 * idle_flow * mu / idle_pa } else { 0.0 },
        phaser_m3: if layout.valve_control { 0.07 * idle_flow * mu / idle_pa } else { 0.0 },
        jets: layout.piston_jets.then(|| {
            let share = between(rng, habit.jet_share.0, habit.jet_share.1);
            (area(share * full, cracks_pa), 1e3 * between(rng, habit.jets_open_kpa.0, habit.jets_open_kpa.1))
        }),
        opening_m2: 0.0,
        oil,
    }
}
