//! Healthy engines of another structure than the tracer's, with the card and the sheet a technician would have of them.
//!
//! Sizes are drawn from ranges of this file's own, wider than and shifted from those of [`velvet_dial_core::circuit::nominal`]; they were set down before
//! the first run and have not been touched since to better a figure. How makers differ stands in [`crate::habit`].
use crate::engine::{Engine, open_until, port_kpa};
use crate::habit::{Build, Habit, ReliefHabit};
use crate::rival::{Bearing, Opens, ReliefAt, Rival, Vogel, Worst};
use crate::throws::throws;
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::circuit::{CamFeed, Card, Cooler, HeadFeed, Layout, Port, PumpDrive, PumpKind, Rockers};
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::oil;
use velvet_dial_core::unit::Gear;

/// A healthy engine and what is known of it.
#[derive(Debug, Clone)]
pub(crate) struct Made {
    pub engine: Box<dyn Engine>,
    pub card: Card,
    pub sheet: Option<Sheet>,
    /// Oil temperature of the hot engine, °C.
    pub hot_c: f64,
    /// The held speeds of its run.
    pub fast_rpm: [f64; 2],
}

/// What is settled of an engine before its parts are.
pub(crate) struct Sized {
    pub cylinders: usize,
    pub idle: f64,
    pub rated: f64,
    pub hot_c: f64,
    pub layout: Layout,
    /// The can's viscosity at 40 and 100 °C, Pa·s.
    pub mu: (f64, f64),
    pub per_turn_m3: f64,
    pub cracks_kpa: f64,
    pub idle_pa: f64,
    pub straight_head: bool,
}

pub(crate) fn between(rng: &mut ChaCha8Rng, low: f64, high: f64) -> f64 {
    low + (high - low) * rng.random::<f64>()
}

/// Even in the logarithm.
pub(crate) fn factor(rng: &mut ChaCha8Rng, low: f64, high: f64) -> f64 {
    low * (high / low).powf(rng.random::<f64>())
}

pub(crate) fn chance(rng: &mut ChaCha8Rng, p: f64) -> bool {
    rng.random::<f64>() < p
}

/// A number near 0 with standard deviation 1, from three even ones (Irwin and Hall): enough for scatter, with no tail.
pub(crate) fn scatter(rng: &mut ChaCha8Rng) -> f64 {
    2.0 * (0..3).map(|_| rng.random::<f64>() - 0.5).sum::<f64>()
}

fn layout(habit: &Habit, rng: &mut ChaCha8Rng) -> Layout {
    let pumps = [PumpDrive::Crank, PumpDrive::Chain, PumpDrive::Shaft, PumpDrive::Belt];
    Layout {
        port: match rng.random_range(0..10) {
            0 => Port::BeforeFilter,
            1 => Port::GalleryEnd,
            _ => Port::AfterFilter,
        },
        pump: if chance(rng, habit.controlled) { PumpKind::Controlled } else { PumpKind::Fixed },
        pump_drive: pumps.get(rng.random_range(0..4)).copied(),
        cam: None,
        cam_feed: Some(if chance(rng, habit.cam_straight) { CamFeed::Straight } else { CamFeed::Restricted }),
        head_feed: None,
        rockers: if chance(rng, habit.shaft) { Rockers::Shaft } else { Rockers::Lifters },
        piston_jets: chance(rng, habit.jets),
        jets_open_kpa: None,
        turbo: chance(rng, 0.5),
        valve_control: chance(rng, 0.35),
        cooler: if !chance(rng, habit.cooler) {
            Cooler::None
        } else if rng.random() {
            Cooler::Plain
        } else {
            Cooler::Thermostat
        },
    }
}

pub(crate) fn round_to(value: f64, step: f64) -> f64 {
    (value / step).round() * step
}

/// Draws a healthy engine, its card and its sheet.
pub(crate) fn healthy(habit: &Habit, rng: &mut ChaCha8Rng) -> Made {
    let litres = round_to(factor(rng, habit.litres.0, habit.litres.1), 0.1);
    let cylinders = ((litres / habit.litres_a_cylinder).round() as usize).clamp(2, 12);
    let idle = round_to(between(rng, habit.idle_rpm.0, habit.idle_rpm.1), 10.0);
    // Large engines of a habit turn slower than small ones.
    let large = (litres / habit.litres.0).ln() / (habit.litres.1 / habit.litres.0).ln();
    let rated = habit.rated_rpm.1 + (habit.rated_rpm.0 - habit.rated_rpm.1) * (0.7 * large + 0.3 * rng.random::<f64>());
    let rated = round_to(rated.max(2.2 * idle), 100.0);
    let grade = habit.grades.get(rng.random_range(0..habit.grades.len())).copied().unwrap_or("5W-30");
    let layout = layout(habit, rng);

    // OK because every grade of the list is in the oil table; the fallback keeps the type honest.
    let (mu_40, mu_100) = oil::typical(grade).map_or((0.055, 0.0087), |can| (can.mu_pa_s(40.0), can.mu_pa_s(100.0)));
    let can = (0.08 * scatter(rng)).exp();
    let mu = (mu_40 * can * (0.05 * scatter(rng)).exp(), mu_100 * can);
    let extras = 0.1 * f64::from(u8::from(layout.turbo)) + 0.2 * f64::from(u8::from(layout.piston_jets));
    let per_turn_m3 = 1e-6 * between(rng, habit.pump_cm3.0, habit.pump_cm3.1) * litres.powf(habit.pump_power) * (1.0 + extras);
    let cracks_kpa = between(rng, habit.cracks_kpa.0, habit.cracks_kpa.1);
    let stated = chance(rng, 0.5).then(|| round_to(cracks_kpa * (1.0 + 0.05 * scatter(rng)), 10.0));
    let idle_pa = 1e3 * factor(rng, habit.hot_idle_kpa.0, habit.hot_idle_kpa.1).min(0.6 * cracks_kpa);
    let hot_c = round_to(between(rng, habit.runs_c.0, habit.runs_c.1), 5.0);
    let straight_head = chance(rng, habit.head_straight);
    let sized = Sized { cylinders, idle, rated, hot_c, layout, mu, per_turn_m3, cracks_kpa, idle_pa, straight_head };
    let meant: Box<dyn Engine> = match habit.build {
        Build::Segments => Box::new(segments(habit, &sized, rng)),
        Build::Throws => Box::new(throws(habit, &sized, rng)),
    };
    let engine = open_until(&*meant, (idle, hot_c), idle_pa);

    let sheet = (!chance(rng, habit.without_sheet)).then(|| sheet(&*engine, habit, &sized, rng));
    // Whoever knows how the head is fed knows it of the cams as well.
    let feeds_known = chance(rng, 0.4);
    let head_feed = feeds_known.then_some(if straight_head { HeadFeed::Straight } else { HeadFeed::Restricted });
    let cam_feed = sized.layout.cam_feed.filter(|_| feeds_known);
    let card = Card {
        relief_opens_kpa: stated,
        rated_rpm: chance(rng, 0.6).then_some(rated),
        fuel: chance(rng, 0.6).then_some(habit.burns),
        layout: Layout { head_feed, cam_feed, ..sized.layout },
        ..Card::of(litres, cylinders as u32, idle, grade)
    };
    Made { engine, card, sheet, hot_c, fast_rpm: fast_speeds(rated) }
}

/// The parts of an engine whose gallery runs from bearing to bearing.
fn segments(habit: &Habit, sized: &Sized, rng: &mut ChaCha8Rng) -> Rival {
    let Sized { cylinders, idle, rated, hot_c, ref layout, per_turn_m3, cracks_kpa, idle_pa, straight_head, .. } = *sized;
    let fluid = Vogel::new(sized.mu.0, sized.mu.1, between(rng, 800.0, 850.0), between(rng, habit.shear.0, habit.shear.1));
    let full = per_turn_m3 * rated / 60.0;
    let mu = fluid.mu(hot_c);
    let idle_flow = per_turn_m3 * idle / 60.0;
    let suction_m2 = full * (fluid.rho / between(rng, 2_500.0, 7_000.0)).sqrt();
    let screen_m2 = 2.5 * suction_m2;
    let per_bearing = 0.8 * idle_flow / (cylinders as f64 + 1.0);
    let main_share = between(rng, 0.35, 0.6);
    // A drilling is bored for its bearing: a tenth to a third of the pressure is lost in it hot at idle.
    let drilled = between(rng, 0.1, 0.3);
    let feed_area = |share: f64, lost: f64| share * idle_flow / (0.7 * (2.0 * lost * idle_pa / fluid.rho).sqrt());
    let bearings = (0..=cylinders)
        .map(|_| Bearing {
            main_m3: main_share * per_bearing * mu / idle_pa * (0.2 * scatter(rng)).exp(),
            drilling_m2: feed_area((1.0 - main_share) * per_bearing / idle_flow, drilled),
            rod_m3: (1.0 - main_share) * per_bearing * mu / ((1.0 - drilled) * idle_pa) * (0.2 * scatter(rng)).exp(),
        })
        .collect();
    let top = between(rng, 0.15, 0.35);
    let lost = between(rng, 0.3, 0.65);
    let turbo = layout.turbo.then(|| (feed_area(0.06, 0.6), 0.06 * idle_flow * mu / (0.4 * idle_pa)));
    let valve = layout.valve_control.then(|| (feed_area(0.08, 0.4), 0.08 * idle_flow * mu / (0.6 * idle_pa)));
    let jets = layout.piston_jets.then(|| {
        let share = between(rng, habit.jet_share.0, habit.jet_share.1);
        let opens = 1e3 * between(rng, habit.jets_open_kpa.0, habit.jets_open_kpa.1);
        (share * full / (0.7 * (2.0 * 1e3 * cracks_kpa / fluid.rho).sqrt()), opens)
    });
    let high = between(rng, 0.75, 0.95) * 1e3 * cracks_kpa;
    let control = (layout.pump == PumpKind::Controlled)
        .then(|| ((high * between(rng, 0.45, 0.7)).max(1.1 * idle_pa), high, round_to(between(rng, 0.42, 0.62) * rated, 100.0)));
    let relief_opens = {
        let whole_m2 = 1.3 * full / (0.7 * (2.0 * 1.2e3 * cracks_kpa / fluid.rho).sqrt());
        match habit.relief {
            ReliefHabit::Slot(low, high) => Opens::Slot { per_pa: whole_m2 / (between(rng, low, high) * 1e3 * cracks_kpa), whole_m2 },
            ReliefHabit::Poppet(low, high) => {
                Opens::Poppet { per_pa: whole_m2 / (between(rng, low, high) * 1e3 * cracks_kpa), weep: between(rng, 0.0, 0.004) }
            }
            ReliefHabit::Soft(low, high) => Opens::Soft { flow_per_pa: full / (between(rng, low, high) * 1e3 * cracks_kpa) },
        }
    };
    Rival {
        film_rise: between(rng, 4.0, 13.0),
        film_power: habit.film_power,
        per_turn_m3,
        slip_m3: between(rng, 0.03, 0.2) * idle_flow * mu / idle_pa,
        slip_m2: between(rng, 0.01, 0.08) * idle_flow / (0.7 * (2.0 * idle_pa / fluid.rho).sqrt()),
        control,
        suction_per_m3: between(rng, 500.0, 2_500.0) / (mu * full),
        suction_m2,
        screen_m2,
        screen_per_m: between(rng, 500.0, 2_000.0) * screen_m2 / (mu * full),
        joint_m2: 0.0,
        air: between(rng, 0.01, 0.05),
        air_at_rated: between(rng, 0.01, 0.04),
        rated_rpm: rated,
        stage: chance(rng, habit.two_stages)
            .then(|| (round_to((between(rng, 0.35, 0.6) * rated).max(2.5 * idle), 50.0), between(rng, 0.3, 0.5))),
        starves: habit.starves,
        fills_above: (between(rng, 20_000.0, 32_000.0), between(rng, 5_000.0, 25_000.0)),
        relief_at: if chance(rng, habit.relief_in_gallery) { ReliefAt::Gallery } else { ReliefAt::Pump },
        relief_cracks: 1e3 * cracks_kpa,
        relief_opens,
        relief_stuck_m2: 0.0,
        filter_per_m3: between(rng, habit.element_pa.0, habit.element_pa.1) / (mu * idle_flow),
        filter_square: between(rng, 0.0, 15_000.0) / (full * full),
        bypass_pa: between(rng, 80e3, 200e3),
        cooler_per_m3: if layout.cooler == Cooler::None { 0.0 } else { between(rng, 1_000.0, 5_000.0) / (mu * idle_flow) },
        cooler_opens_c: (layout.cooler == Cooler::Thermostat).then_some(85.0),
        bearings,
        segment_per_m3: between(rng, 0.005, 0.02) * idle_pa / (mu * idle_flow),
        blocked: None,
        cam_m3: 0.4 * top * idle_flow * mu / (if layout.cam_feed == Some(CamFeed::Straight) { 1.0 } else { 1.0 - lost } * idle_pa),
        cam_feed_m2: (layout.cam_feed == Some(CamFeed::Restricted)).then(|| feed_area(0.4 * top, lost)),
        head_feed_m2: (!straight_head).then(|| feed_area(0.6 * top, lost)),
        head_m3: 0.6 * top * idle_flow * mu / (if straight_head { 1.0 } else { 1.0 - lost } * idle_pa),
        turbo,
        valve,
        jets,
        jets_stuck_m2: 0.0,
        leak_m2: 0.0,
        oil: fluid,
        worst: Worst { cooler: habit.cooler_worst, feed: habit.feed_worst, stays_shut: habit.stays_shut },
    }
}

/// The two held speeds of a run: 2000 and 3000, less on an engine that does not turn so fast.
fn fast_speeds(rated: f64) -> [f64; 2] {
    if rated >= 4_000.0 { [2_000.0, 3_000.0] } else { [round_to(0.5 * rated, 50.0), round_to(0.8 * rated, 50.0)] }
}

/// A sheet as makers print them: where the engine is hot, with limits from a sixth to nine tenths of what the sound engine shows, often without a maximum,
/// sometimes with an idle point alone, and sometimes for a speed that nobody reads.
fn sheet(engine: &dyn Engine, habit: &Habit, sized: &Sized, rng: &mut ChaCha8Rng) -> Sheet {
    let Sized { idle, rated, hot_c, cracks_kpa, ref layout, .. } = *sized;
    let temp_c = hot_c;
    let [middle, fast] = fast_speeds(rated);
    let least = |rpm: f64, share: f64| {
        let kpa = share * port_kpa(engine, layout.port, rpm, temp_c);
        Some(round_to(kpa, if kpa < 60.0 { 5.0 } else { 10.0 }).max(5.0))
    };
    let point = |rpm: f64, min_kpa, max_kpa| Point { rpm, oil_temp_c: temp_c, gear: Gear::Neutral, min_kpa, max_kpa };
    let share = factor(rng, 1.0 / 6.0, 0.9);
    let at_idle = point(idle, least(idle, share), None);
    let mut points = vec![at_idle];
    if !chance(rng, 0.2) {
        let read = if chance(rng, 0.5) { middle } else { fast };
        let rpm = if chance(rng, habit.sheet_elsewhere) { round_to(between(rng, 0.65, 0.95) * rated, 100.0) } else { read };
        let share = (share * between(rng, 0.8, 1.5)).clamp(1.0 / 6.0, 0.9);
        let most = chance(rng, 0.4).then(|| {
            let healthy = port_kpa(engine, layout.port, rpm, temp_c);
            round_to((1.25 * cracks_kpa).max(1.1 * healthy), 10.0)
        });
        points.push(point(rpm, least(rpm, share), most));
    }
    Sheet { source: "drawn".into(), in_force_from: None, points, ..Sheet::default() }
}

#[cfg(test)]
mod tests {
    //! The examiner's engine is judged as the tracer's is: whatever it is built like, it must be an engine.
    use super::*;
    use crate::habit::HABITS;
    use rand::SeedableRng;
    use velvet_dial_core::circuit::Fault;

    fn engines() -> impl Iterator<Item = (Made, ChaCha8Rng)> {
        (0..60).map(|seed| {
            let mut rng = ChaCha8Rng::seed_from_u64(seed);
            let habit = &HABITS[seed as usize % HABITS.len()];
            (healthy(habit, &mut rng), rng)
        })
    }

    fn gallery(made: &Made, rpm: f64, temp_c: f64) -> f64 {
        made.engine.read(rpm, temp_c).gallery
    }

    #[test]
    fn a_sound_engine_keeps_to_its_own_sheet_and_behaves() {
        for (made, _) in engines() {
            let idle = made.card.idle_rpm;
            for point in made.sheet.iter().flat_map(|sheet| &sheet.points) {
                let kpa = port_kpa(&*made.engine, made.card.layout.port, point.rpm, point.oil_temp_c);
                assert!(point.max_kpa.is_none_or(|max| kpa < max), "{kpa} over {point:?}");
            }
            assert!(gallery(&made, idle, 60.0) > gallery(&made, idle, 100.0), "thinner when hot");
            assert!(gallery(&made, 2.0 * idle, 100.0) > gallery(&made, idle, 100.0), "more with speed");
            let read = made.engine.read(made.fast_rpm[0], 90.0);
            assert!(read.pump >= read.gallery && read.gallery >= read.end && read.end >= read.head && read.head > 0.0, "{read:?}");
            assert_eq!(made.engine.read(0.0, 20.0).gallery, 0.0, "a standing engine has no pressure");
            assert!((40e3..350e3).contains(&gallery(&made, idle, made.hot_c)));
            assert!(velvet_dial_core::case::check_card(&made.card).is_ok());
        }
    }

    #[test]
    fn what_is_broken_reads_lower_and_worse_reads_lower_still() {
        let lowering = [
            Fault::OilThin,
            Fault::OilDiluted,
            Fault::PickupAir,
            Fault::PumpWorn,
            Fault::ReliefOpen,
            Fault::ReliefWeak,
            Fault::GalleryLeak,
            Fault::ScreenBlocked,
        ];
        for (made, rng) in engines() {
            for fault in lowering {
                let at = |severity: f64| {
                    let mut engine = made.engine.clone();
                    engine.break_it(fault, severity, &mut rng.clone());
                    engine.read(made.fast_rpm[0], 95.0).gallery
                };
                let (sound, slight, bad) = (made.engine.read(made.fast_rpm[0], 95.0).gallery, at(0.2), at(0.9));
                // Bisection leaves a few pascals; oil that thins may gain on a plateau of relief or control, as the tracer's may.
                let thins = matches!(fault, Fault::OilThin | Fault::OilDiluted);
                let room = if thins { 0.03 * sound } else { 5.0 };
                assert!(slight <= sound + room && bad <= slight + room, "{fault:?}: {sound} {slight} {bad}");
            }
        }
    }

    #[test]
    fn vogel_goes_through_both_its_points_and_thins_as_grunberg_says() {
        let oil = Vogel::new(0.055, 0.0087, 830.0, 0.1);
        assert!((oil.mu(40.0) / 0.055 - 1.0).abs() < 1e-9 && (oil.mu(100.0) / 0.0087 - 1.0).abs() < 1e-9);
        let mixed = oil.thinned(0.1, 0.5e-3, 0.4e-3);
        let expected = (0.9 * 0.0087f64.ln() + 0.1 * 0.4e-3f64.ln()).exp();
        assert!((mixed.mu(100.0) / expected - 1.0).abs() < 1e-9 && oil.times(0.5).mu(70.0) * 2.0 - oil.mu(70.0) < 1e-12);
    }
}
