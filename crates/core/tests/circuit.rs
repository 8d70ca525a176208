//! What must hold of the circuit, over random engines, and the signature of each cause.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
use proptest::prelude::*;
use velvet_dial_core::circuit::nominal::{self, DIMENSIONS};
use velvet_dial_core::circuit::*;
use velvet_dial_core::oil::{self, Oil};

fn card(litres: f64, turbo: bool, jets: bool, cam: CamFeed, rockers: Rockers) -> Card {
    let layout = Layout { turbo, piston_jets: jets, cam_feed: cam, rockers, ..Layout::default() };
    Card { displacement_l: litres, cylinders: 4, idle_rpm: 750.0, oil_grade: "5W-30".into(), relief_opens_kpa: Some(450.0), layout }
}

fn spec() -> [PointOfSpec; 1] {
    [PointOfSpec { rpm: 750.0, oil_temp_c: 100.0, min_kpa: Some(100.0), max_kpa: None }]
}

prop_compose! {
    fn engines()(
        litres in 0.8..6.0, turbo: bool, jets: bool, straight: bool, shaft: bool, u in prop::array::uniform16(0.02..0.98)
    ) -> (Card, Circuit, Unknowns) {
        let cam = if straight { CamFeed::Straight } else { CamFeed::Restricted };
        let card = card(litres, turbo, jets, cam, if shaft { Rockers::Shaft } else { Rockers::Lifters });
        let unknowns = Unknowns::from_unit(&u, true);
        let circuit = nominal::circuit(&card, &spec(), oil::typical("5W-30").unwrap(), &unknowns);
        (card, circuit, unknowns)
    }
}

const FAULTS: [Fault; 13] = [
    Fault::None,
    Fault::OilThin,
    Fault::OilDiluted,
    Fault::OilLow,
    Fault::ScreenBlocked,
    Fault::PickupAir,
    Fault::PumpWorn,
    Fault::ReliefOpen,
    Fault::ReliefWeak,
    Fault::ReliefShut,
    Fault::FilterBlocked,
    Fault::BearingsCrank,
    Fault::GalleryLeak,
];

fn harmed(circuit: &Circuit, fault: Fault, severity: f64) -> Circuit {
    let mut circuit = circuit.clone();
    fault.apply(&mut circuit, severity);
    circuit
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn flow_in_is_flow_out_whatever_is_broken(
        (_, circuit, _) in engines(), fault in 0..FAULTS.len(), severity in 0.0..=1.0, rpm in 0.0..8000.0, oil_temp_c in -20.0..150.0
    ) {
        let circuit = harmed(&circuit, FAULTS[fault], severity);
        let state = circuit.solve(Working { rpm, oil_temp_c });
        let swept = circuit.pump.per_turn_m3 * rpm / 60.0;
        prop_assert!(state.residual_m3_s.abs() <= 1e-9 * swept, "{:?} leaves {}", FAULTS[fault], state.residual_m3_s / swept);
        prop_assert!(state.gallery_pa >= 0.0 && state.pump_pa >= state.gallery_pa && state.head_pa <= state.gallery_pa);
        prop_assert!(state.drawn.liquid_m3_s >= 0.0 && state.drawn.liquid_m3_s <= swept * (1.0 + 1e-12));
        prop_assert!(state.drawn.inlet_abs_pa >= 34_999.0);
    }

    #[test]
    fn more_harm_never_raises_pressure_but_a_shut_relief((_, circuit, _) in engines(), fault in 1..FAULTS.len(), a in 0.0..1.0f64, b in 0.0..1.0f64, rpm in 500.0..4000.0, oil_temp_c in 20.0..130.0) {
        let fault = FAULTS[fault];
        prop_assume!(fault != Fault::ReliefShut);
        let at = Working { rpm, oil_temp_c };
        let (less, more) = (a.min(b), a.max(b));
        let (worse, better) = (harmed(&circuit, fault, more).solve(at), harmed(&circuit, fault, less).solve(at));
        // Thin oil on the relief's plateau loses less in the filter, and where the pump starves it is drawn more easily: there the gallery may gain.
        let thins = matches!(fault, Fault::OilThin | Fault::OilDiluted);
        prop_assume!(!thins || (better.relief_m3_s == 0.0 && !better.drawn.starving));
        prop_assert!(worse.gallery_pa <= better.gallery_pa * (1.0 + 1e-6), "{fault:?}: {} over {}", worse.gallery_pa, better.gallery_pa);
    }

    #[test]
    fn hotter_never_raises_and_faster_never_lowers_a_healthy_engine((_, circuit, _) in engines(), rpm in 600.0..3000.0, oil_temp_c in 60.0..120.0) {
        let here = circuit.solve(Working { rpm, oil_temp_c });
        let hotter = circuit.solve(Working { rpm, oil_temp_c: oil_temp_c + 8.0 });
        prop_assert!(hotter.pump_pa <= here.pump_pa * 1.0005, "at the pump's outlet never");
        // On the relief's plateau the filter takes less from hotter oil, so the gallery comes nearer to the relief's pressure.
        prop_assert!(hotter.gallery_pa <= here.gallery_pa * 1.0005 || here.relief_m3_s > 0.0);
        let faster = circuit.solve(Working { rpm: rpm * 1.08, oil_temp_c });
        // Film heating and the filter's rising share take a little back on the relief's plateau.
        prop_assert!(faster.gallery_pa >= here.gallery_pa * 0.985 || faster.drawn.starving);
    }

    #[test]
    fn a_healthy_engine_reads_its_own_hot_idle((_, circuit, unknowns) in engines()) {
        let read = circuit.port_kpa(Working { rpm: 750.0, oil_temp_c: 100.0 });
        let relief = 450.0 * unknowns.relief_pressure;
        let meant = (100.0 * unknowns.hot_idle_over_minimum).min(0.9 * relief);
        prop_assert!((read / meant - 1.0).abs() < 0.02 || meant > 0.8 * relief, "read {read}, meant {meant}");
    }

    #[test]
    fn one_laminar_leak_alone_is_q_mu_over_g(g_exp in -16.0..-13.0f64, rpm in 500.0..4000.0, oil_temp_c in 20.0..120.0) {
        let g_m3 = 10f64.powf(g_exp);
        let oil = Oil::new(63.0, 10.7, 852.0).unwrap();
        let suction = Suction { lift_m: 0.0, line_per_m3: 0.0, line_m2: 1.0, screen_m2: 1.0, screen_per_m: 0.0, air_share: 0.0, air_share_per_krpm: 0.0, joint_m2: 0.0, collapse: 0.0 };
        let pump = Pump { per_turn_m3: 12e-6, slip_m3: 0.0, control: None };
        let relief = Relief { cracks_pa: 1e15, slope_m3_s_pa: 0.0, held_open_k_m2: 0.0 };
        let filter = Filter { r_per_m3: 0.0, bypass_pa: 1e15, bypass_slope_m3_s_pa: 0.0, cooler_r_per_m3: 0.0, cooler_opens_c: None };
        let mut circuit = Circuit::new(oil, suction, pump, relief, filter, Port::AfterFilter);
        circuit.add(Branch { place: Place::Crank, law: Law::Laminar { g_m3 } });
        let state = circuit.solve(Working { rpm, oil_temp_c });
        let exact = 12e-6 * rpm / 60.0 * oil.mu_pa_s(oil_temp_c) / g_m3;
        prop_assert!((state.gallery_pa / exact - 1.0).abs() < 1e-8);
    }

    #[test]
    fn an_orifice_needs_pressure_as_the_inverse_square_of_its_area(k in 1e-6..1e-4f64, grow in 1.1..5.0, p in 1e3..1e6) {
        let (flow, _) = Law::Orifice { k_m2: k }.flow(p, 0.01, 850.0);
        let (same, _) = Law::Orifice { k_m2: k * grow }.flow(p / (grow * grow), 0.01, 850.0);
        prop_assert!((flow / same - 1.0).abs() < 1e-9);
    }

    #[test]
    fn every_law_has_the_slope_it_says(p in 1e3..9e5, g in 1e-15..1e-13, k in 1e-7..1e-5) {
        for law in [Law::Laminar { g_m3: g }, Law::Restricted { k_m2: k, g_m3: g }, Law::Orifice { k_m2: k }, Law::Jet { k_m2: k, opens_pa: 1.8e5 }] {
            let at = |p| law.flow(p, 0.012, 850.0).0;
            let (value, slope) = law.flow(p, 0.012, 850.0);
            let step = 1e-4 * p;
            let measured = (at(p + step) - at(p - step)) / (2.0 * step);
            // A jet's law has corners; elsewhere the central difference is good to its square.
            prop_assert!(value >= 0.0 && ((measured - slope).abs() <= 1e-3 * slope.abs() + 1e-18 || matches!(law, Law::Jet { .. })), "{law:?}");
        }
    }

    #[test]
    fn unknowns_are_finite_at_the_ends(u in prop::array::uniform16(prop_oneof![Just(0.0), Just(1.0)])) {
        let unknowns = Unknowns::from_unit(&u, false);
        let circuit = nominal::circuit(&card(2.0, true, true, CamFeed::Straight, Rockers::Shaft), &spec(), oil::typical("0W-16").unwrap(), &unknowns);
        let kpa = circuit.port_kpa(Working { rpm: 2000.0, oil_temp_c: 90.0 });
        prop_assert!(kpa.is_finite() && kpa > 1.0);
    }
}

/// Pressures of the typical engine with a fault: cold idle, hot idle, hot 2000, hot 3000 and hot 4500 rpm.
fn shape(fault: Fault, severity: f64) -> [f64; 5] {
    let healthy = nominal::circuit(
        &card(2.0, false, false, CamFeed::Restricted, Rockers::Lifters),
        &spec(),
        oil::typical("5W-30").unwrap(),
        &Unknowns::typical(),
    );
    [(750.0, 20.0), (750.0, 100.0), (2000.0, 100.0), (3000.0, 100.0), (4500.0, 100.0)]
        .map(|(rpm, oil_temp_c)| fault.port_kpa(&healthy, severity, Working { rpm, oil_temp_c }))
}

/// The signature table of the trade, a row a cause: what the pressures do against a healthy engine's.
#[test]
fn each_cause_draws_its_own_shape() {
    let healthy = shape(Fault::None, 0.0);
    let [cold, idle, mid, fast, top] = healthy;
    type Row = (&'static str, Fault, fn([f64; 5], [f64; 5]) -> bool);
    let rows: [Row; 12] = [
        ("low level falls away with revs", Fault::OilLow, |f, h| f[4] / h[4] < f[2] / h[2] && f[2] < h[2]),
        ("thin oil: hot points low in proportion, later knee, cold nearly right", Fault::OilThin, |f, h| {
            f[0] > 0.95 * h[0] && (f[1] / h[1] - f[2] / h[2]).abs() < 0.35 && f[1] < 0.75 * h[1]
        }),
        ("fuel acts as thin oil", Fault::OilDiluted, |f, h| f[1] < 0.75 * h[1] && f[0] > 0.9 * h[0]),
        ("blocked screen: fair at idle, falls as revs rise", Fault::ScreenBlocked, |f, h| {
            f[1] > 0.9 * h[1] && f[4] < f[3] && f[3] < f[1].max(f[2])
        }),
        ("pickup air: lowest at idle, comes back", Fault::PickupAir, |f, h| f[1] / h[1] < 0.3 && f[4] / h[4] > 0.85),
        ("worn pump: low hot, right cold, recovers", Fault::PumpWorn, |f, h| {
            f[0] > 0.93 * h[0] && f[1] < 0.6 * h[1] && f[4] / h[4] > f[1] / h[1] + 0.2
        }),
        ("open relief: low even cold, rises as the square", Fault::ReliefOpen, |f, h| f[0] < 0.4 * h[0] && f[2] / f[1] > 3.5),
        ("weak relief: good at idle, low ceiling", Fault::ReliefWeak, |f, h| f[1] > 0.8 * h[1] && f[4] < 0.6 * h[4] && f[4] / f[2] < 1.4),
        ("shut relief: far too high cold", Fault::ReliefShut, |f, h| f[0] > 2.0 * h[0] && (f[1] - h[1]).abs() < 0.05 * h[1]),
        ("blocked filter: a step lost, most at speed and cold", Fault::FilterBlocked, |f, h| {
            f[0] < 0.85 * h[0] && f[4] < 0.85 * h[4] && f[1] > 0.85 * h[1]
        }),
        ("wide bearings: fair cold, in proportion to revs, never the knee", Fault::BearingsCrank, |f, h| {
            f[0] > 0.7 * h[0] && f[1] < 0.3 * h[1] && f[4] < 0.4 * h[4] && f[4] > f[3]
        }),
        ("open gallery: low everywhere, like an open relief", Fault::GalleryLeak, |f, h| f[0] < 0.4 * h[0] && f[1] < 0.4 * h[1]),
    ];
    assert!(cold > mid * 0.9 && idle < mid && mid < fast && fast < top, "a healthy engine has its knee between 2000 and 3000: {healthy:?}");
    for (says, fault, holds) in rows {
        let drawn = shape(fault, 0.8);
        assert!(holds(drawn, healthy), "{says}: {drawn:.0?} against {healthy:.0?}");
    }
}

/// Against values from outside this code, each with its own tolerance.
#[test]
fn oil_agrees_with_its_sources() {
    for line in include_str!("golden/oil.csv").lines().filter(|line| !line.starts_with('#')) {
        let cells: Vec<&str> = line.split(',').collect();
        let number = |i: usize| cells[i].parse::<f64>().unwrap();
        let oil = Oil::new(number(0), number(1), 870.0).unwrap();
        let nu = oil.nu_mm2_s(number(2)).unwrap();
        assert!((nu / number(3) - 1.0).abs() <= number(4), "{line}: got {nu}");
    }
    for grade in oil::grades() {
        let window = match grade.grade.rsplit(['-', 'W']).next().unwrap() {
            "8" => 4.0..=6.1,
            "12" => 5.0..=7.1,
            "16" => 6.1..=8.2,
            "20" => 6.9..=9.3,
            "30" => 9.3..=12.5,
            "40" => 12.5..=16.3,
            "50" => 16.3..=21.9,
            "60" => 21.9..=26.1,
            other => panic!("no J300 window for {other}"),
        };
        assert!(window.contains(&grade.nu_100_mm2_s) && !grade.reason.is_empty(), "{}", grade.grade);
        let oil = oil::typical(&grade.grade).unwrap();
        assert!(oil.diluted(oil::Fuel::Petrol, 0.1).unwrap().nu_mm2_s(100.0).unwrap() < oil.nu_mm2_s(100.0).unwrap());
        assert!(oil.nu_mm2_s(151.0).is_err() && oil.nu_mm2_s(f64::NAN).is_err());
    }
    assert_eq!(DIMENSIONS, 16, "the property tests draw as many numbers as an engine needs");
}
