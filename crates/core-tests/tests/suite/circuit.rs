//! What must hold of the circuit, over random engines, and the signature of each cause.
use crate::support::{card, engines, even, faults, full_layout, harmed, swept, typical};
use proptest::prelude::*;
use rayon::prelude::*;
use velvet_dial_core::circuit::nominal::{self, DIMENSIONS};
use velvet_dial_core::circuit::*;
use velvet_dial_core::oil::{self, Oil};

/// Everything that must hold of a solved state, whatever is broken.
fn holds(circuit: &Circuit, at: Working) -> Result<(), String> {
    let state = circuit.solve(at);
    let swept = swept(circuit, at.rpm);
    let fail = |what: &str| Err(format!("{what} at {at:?}: {state:?}"));
    if state.residual_m3_s.abs() > 1e-9 * swept {
        return fail("flow in is not flow out");
    }
    let branches: f64 = circuit.branch_flows(&state, at).map(|(_, flow)| flow).sum();
    if (branches - state.gallery_m3_s).abs() > 1e-9 * swept || circuit.branch_flows(&state, at).any(|(_, flow)| flow < 0.0) {
        return fail("the branches do not make up the gallery's flow");
    }
    let falls = state.pump_pa >= state.gallery_pa
        && state.gallery_pa >= state.gallery_end_pa
        && state.gallery_end_pa >= 0.0
        && state.head_pa >= 0.0;
    if !falls || state.head_pa > state.gallery_pa * (1.0 + 1e-9) || !state.pump_pa.is_finite() {
        return fail("pressure does not fall along the oil");
    }
    let drawn = state.drawn;
    let of_displacement = state.displacement * swept;
    if drawn.liquid_m3_s < 0.0
        || drawn.liquid_m3_s > of_displacement * (1.0 + 1e-9)
        || drawn.inlet_abs_pa < 34_999.0
        || !(0.0..=1.0).contains(&drawn.air_share)
    {
        return fail("the pump draws what it cannot");
    }
    if state.slip_m3_s < 0.0 || state.relief_m3_s < 0.0 || !(0.2..=1.0).contains(&state.displacement) {
        return fail("a flow runs backwards");
    }
    Ok(())
}

/// The issue's own measure: a million points, every fault and pair of faults among them, from a standing engine to 8000 rpm and from −20 to 150 °C.
#[test]
fn flow_in_is_flow_out_at_a_million_points() {
    let all = faults();
    let broken = (0..1_000_000usize).into_par_iter().find_map_any(|index| {
        // A new engine every 250 points keeps the building of engines from taking longer than their solving.
        let engine = index / 250;
        let u = even(engine);
        let layouts = [
            Layout::default(),
            full_layout(),
            Layout { cam_feed: Some(CamFeed::Straight), port: Port::Head, piston_jets: true, ..Layout::default() },
        ];
        let sound = nominal::circuit(
            &card(layouts[engine % 3]),
            oil::typical("5W-30").unwrap(),
            &Unknowns::from_unit(&u, &card(layouts[engine % 3])),
        );
        let v = even(index);
        let pick = |x: f64| all[((x * all.len() as f64) as usize).min(all.len() - 1)];
        let circuit = harmed(&sound, &[(pick(v[0]), v[1]), (pick(v[2]), v[3])]);
        holds(&circuit, Working { rpm: 8000.0 * v[4], oil_temp_c: -20.0 + 170.0 * v[5] }).err()
    });
    assert_eq!(broken, None);
}

/// The faults that take pressure away wherever the gauge sits; the others raise it somewhere on purpose (a shut relief, a blocked gallery, thick oil,
/// a control that never steps down, a filter's step before the port).
fn lowering() -> Vec<Fault> {
    let raising = [
        Fault::None,
        Fault::ReliefShut,
        Fault::ReliefHeavy,
        Fault::OilThick,
        Fault::GalleryBlocked,
        Fault::OilDegraded,
        Fault::PumpControl,
        Fault::FilterWrong,
        Fault::FilterBlocked,
        Fault::CoolerPath,
        // The bypass of the restrictor feeds the head better than it should be.
        Fault::FeedOversize,
    ];
    faults().into_iter().filter(|fault| !raising.contains(fault)).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn a_state_holds_whatever_is_broken((_, circuit) in engines(), fault in 0..100usize, severity in 0.0..=1.0, rpm in 0.0..8000.0, oil_temp_c in -20.0..150.0) {
        let all = faults();
        let circuit = harmed(&circuit, &[(all[fault % all.len()], severity)]);
        prop_assert_eq!(holds(&circuit, Working { rpm, oil_temp_c }), Ok(()));
    }

    #[test]
    fn more_harm_never_raises_the_gallerys_pressure(
        (_, circuit) in engines(), fault in 0..100usize, a in 0.0..1.0f64, b in 0.0..1.0f64, rpm in 500.0..4000.0, oil_temp_c in 20.0..130.0
    ) {
        let all = lowering();
        let fault = all[fault % all.len()];
        let at = Working { rpm, oil_temp_c };
        let (less, more) = (a.min(b), a.max(b));
        let (worse, better) = (harmed(&circuit, &[(fault, more)]).solve(at), harmed(&circuit, &[(fault, less)]).solve(at));
        // Thin oil on the relief's plateau loses less in the filter, and where the pump starves it is drawn more easily: there the gallery may gain.
        let thins = matches!(fault, Fault::OilThin | Fault::OilDiluted);
        prop_assume!(!thins || (better.relief_m3_s == 0.0 && !better.drawn.starving && better.displacement == 1.0));
        prop_assert!(worse.gallery_pa <= better.gallery_pa * (1.0 + 1e-6), "{fault:?}: {} over {}", worse.gallery_pa, better.gallery_pa);
    }

    #[test]
    fn a_second_fault_never_makes_up_for_the_first(
        (_, circuit) in engines(), one in 0..100usize, other in 0..100usize, s in 0.0..1.0f64, t in 0.0..1.0f64, rpm in 500.0..4000.0, oil_temp_c in 60.0..120.0
    ) {
        let all = lowering();
        let thins = [Fault::OilThin, Fault::OilDiluted];
        let (one, other) = (all[one % all.len()], all[other % all.len()]);
        // Setting the same thing twice is no combination.
        prop_assume!(one != other && !thins.contains(&one) && !thins.contains(&other));
        let air = [Fault::OilLow, Fault::OilOver, Fault::ExternalLeak, Fault::PickupAir, Fault::PickupBroken];
        prop_assume!(!(air.contains(&one) && air.contains(&other)));
        let at = Working { rpm, oil_temp_c };
        let alone = harmed(&circuit, &[(one, s)]).solve(at);
        // A pump that starves draws better when it is asked for less.
        prop_assume!(!(alone.drawn.starving && [Fault::PumpDrive, Fault::PumpUnprimed].contains(&other)));
        let alone = alone.gallery_pa;
        let both = harmed(&circuit, &[(one, s), (other, t)]).solve(at).gallery_pa;
        prop_assert!(both <= alone * (1.0 + 1e-6) + 1e-6, "{one:?} with {other:?}: {both} over {alone}");
        // Nor does it matter in which order an engine broke.
        let turned = harmed(&circuit, &[(other, t), (one, s)]).solve(at).gallery_pa;
        prop_assert!((turned - both).abs() <= 1e-6 * both.max(1.0), "{one:?} and {other:?}: {turned} and {both}");
    }

    #[test]
    fn hotter_never_raises_and_faster_never_lowers_a_healthy_engine((_, circuit) in engines(), rpm in 600.0..3000.0, oil_temp_c in 60.0..120.0) {
        let here = circuit.solve(Working { rpm, oil_temp_c });
        let hotter = circuit.solve(Working { rpm, oil_temp_c: oil_temp_c + 8.0 });
        // A controlled pump answers thinner oil with more displacement, and a thermostat that opens adds its cooler's drop before the gallery.
        let held = here.displacement < 1.0 || circuit.filter.cooler_opens_c.is_some();
        prop_assert!(hotter.pump_pa <= here.pump_pa * 1.0005 || held, "at the pump's outlet never");
        // On the relief's plateau the filter takes less from hotter oil, so the gallery comes nearer to the relief's pressure.
        prop_assert!(hotter.gallery_pa <= here.gallery_pa * 1.0005 || here.relief_m3_s > 0.0 || here.displacement < 1.0);
        let faster = circuit.solve(Working { rpm: rpm * 1.08, oil_temp_c });
        // Film heating and the filter's rising share take a little back on the plateau of relief or control.
        prop_assert!(faster.gallery_pa >= here.gallery_pa * 0.985 || faster.drawn.starving);
    }

    #[test]
    fn a_healthy_engine_reads_its_own_hot_idle(u in prop::array::uniform25(0.02..0.98f64), litres in 0.8..6.0f64, jets: bool, straight: bool) {
        let cam_feed = Some(if straight { CamFeed::Straight } else { CamFeed::Restricted });
        let card = Card { displacement_l: litres, ..card(Layout { piston_jets: jets, cam_feed, ..Layout::default() }) };
        let unknowns = Unknowns::from_unit(&u, &card);
        let circuit = nominal::circuit(&card, oil::typical("5W-30").unwrap(), &unknowns);
        let read = circuit.port_kpa(Working { rpm: 750.0, oil_temp_c: 100.0 });
        let meant = unknowns.hot_idle_kpa.min(0.9 * 450.0 * unknowns.relief_pressure);
        prop_assert!((read / meant - 1.0).abs() < 0.02 || meant > 0.8 * 450.0 * unknowns.relief_pressure, "read {read}, meant {meant}");
    }

    #[test]
    fn one_laminar_leak_alone_is_q_mu_over_g(g_exp in -16.0..-13.0f64, rpm in 500.0..4000.0, oil_temp_c in 20.0..120.0) {
        let g_m3 = 10f64.powf(g_exp);
        let circuit = bare(Law::Laminar { g_m3 });
        let state = circuit.solve(Working { rpm, oil_temp_c });
        let exact = 12e-6 * rpm / 60.0 * circuit.oil.mu_pa_s(oil_temp_c) / g_m3;
        prop_assert!((state.gallery_pa / exact - 1.0).abs() < 1e-8);
    }

    #[test]
    fn an_orifice_needs_pressure_as_the_inverse_square_of_its_area(k in 1e-6..1e-4f64, grow in 1.1..5.0f64, rpm in 500.0..4000.0) {
        let at = Working { rpm, oil_temp_c: 90.0 };
        let (small, large) = (bare(Law::Orifice { k_m2: k }).solve(at).gallery_pa, bare(Law::Orifice { k_m2: k * grow }).solve(at).gallery_pa);
        prop_assert!((small / large / (grow * grow) - 1.0).abs() < 1e-6);
        // And by the square of speed.
        let twice = bare(Law::Orifice { k_m2: k }).solve(Working { rpm: 2.0 * rpm, oil_temp_c: 90.0 }).gallery_pa;
        prop_assert!((twice / small / 4.0 - 1.0).abs() < 1e-6);
    }

    #[test]
    fn every_law_has_the_slope_it_says(p in 1e3..9e5f64, g in 1e-15..1e-13, k in 1e-7..1e-5) {
        for law in [Law::Laminar { g_m3: g }, Law::Restricted { k_m2: k, g_m3: g }, Law::Orifice { k_m2: k }, Law::Jet { k_m2: k, opens_pa: 1.8e5 }] {
            let at = |p| law.flow(p, 0.012, 850.0).0;
            let (value, slope) = law.flow(p, 0.012, 850.0);
            let step = 1e-4 * p;
            let measured = (at(p + step) - at(p - step)) / (2.0 * step);
            // A jet's law has two corners, at its opening and where its ball is fully lifted; elsewhere the difference is good to its square.
            let corner = matches!(law, Law::Jet { .. }) && [1.8e5, 1.15 * 1.8e5].iter().any(|corner| (p - corner).abs() < 2.0 * step);
            prop_assert!(value >= 0.0 && (corner || (measured - slope).abs() <= 1e-3 * slope.abs() + 1e-18), "{law:?} at {p}");
        }
    }

    #[test]
    fn solving_beside_a_sound_engine_gives_the_same((_, sound) in engines(), fault in 0..100usize, s in 0.0..1.0f64, rpm in 300.0..6000.0, oil_temp_c in 0.0..130.0) {
        let all = faults();
        let broken = harmed(&sound, &[(all[fault % all.len()], s)]);
        let at = Working { rpm, oil_temp_c };
        let (beside, alone) = (broken.port_kpa_beside(&sound, &sound.beside(at)), broken.port_kpa(at));
        prop_assert!((beside - alone).abs() <= 1e-5 * alone.max(1.0), "{beside} beside, {alone} alone");
        prop_assert!((alone - broken.solve(at).at(broken.port)).abs() <= 1e-6 * alone.max(1.0), "the port reads what the state says");
    }

    #[test]
    fn pressure_takes_longer_with_more_to_fill_and_less_to_fill_it((_, circuit) in engines(), rpm in 200.0..1500.0, s in 0.1..1.0f64) {
        let at = Working { rpm, oil_temp_c: 20.0 };
        let seconds = |circuit: &Circuit, dry: Dry| match circuit.build_time(at, dry) {
            Build::After(seconds) => seconds,
            Build::Never => f64::INFINITY,
        };
        let rested = seconds(&circuit, Dry::rested(2.0));
        prop_assert!(rested > 0.0 && rested < seconds(&circuit, Dry::after_work(2.0)));
        prop_assert!(seconds(&harmed(&circuit, &[(Fault::PickupAir, s)]), Dry::rested(2.0)) >= rested);
        prop_assert_eq!(circuit.build_time(Working { rpm: 0.0, oil_temp_c: 20.0 }, Dry::rested(2.0)), Build::Never);
    }

    #[test]
    fn a_gauge_with_a_damper_comes_near_and_never_passes(from in 0.0..900.0f64, to in 0.0..900.0f64, tau in 0.05..4.0f64, t in 0.0..20.0f64, later in 0.0..20.0f64) {
        let (soon, late) = (lagged_kpa(from, to, tau, t), lagged_kpa(from, to, tau, t + later));
        prop_assert!((late - to).abs() <= (soon - to).abs() + 1e-9 && (soon - from) * (to - from) >= -1e-9);
        prop_assert!((lagged_kpa(from, to, tau, tau) - from - (to - from) * (1.0 - (-1.0f64).exp())).abs() < 1e-9);
    }

    #[test]
    fn unknowns_are_finite_at_the_ends(u in prop::array::uniform25(prop_oneof![Just(0.0), Just(1.0)])) {
        let circuit = nominal::circuit(&card(full_layout()), oil::typical("0W-16").unwrap(), &Unknowns::from_unit(&u, &card(full_layout())));
        let kpa = circuit.port_kpa(Working { rpm: 2000.0, oil_temp_c: 90.0 });
        prop_assert!(kpa.is_finite() && kpa > 1.0);
    }
}

/// Pump and one branch, nothing else.
fn bare(law: Law) -> Circuit {
    let oil = Oil::new(63.0, 10.7, 852.0).unwrap();
    let suction = Suction {
        lift_m: 0.0,
        line_per_m3: 0.0,
        line_m2: 1.0,
        screen_m2: 1.0,
        screen_per_m: 0.0,
        air_share: 0.0,
        air_share_per_krpm: 0.0,
        joint_m2: 0.0,
        starves: 0.0,
    };
    let pump = Pump { per_turn_m3: 12e-6, slip_m3: 0.0, control: None };
    let relief = Relief { cracks_pa: 1e15, slope_m3_s_pa: 0.0, held_open_k_m2: 0.0, senses_gallery: false };
    let filter = Filter { r_per_m3: 0.0, bypass_pa: 1e15, bypass_slope_m3_s_pa: 0.0, cooler_r_per_m3: 0.0, cooler_opens_c: None };
    let mut circuit = Circuit::new(oil, suction, pump, relief, filter, Port::AfterFilter);
    assert!(circuit.add(Branch { place: Place::Crank, law }));
    circuit
}

/// What a technician would have on paper: cold idle, hot idle, hot 2000, 3000 and 4500 rpm, the knee hot (rpm), and the head's share of the gallery.
#[derive(Debug, Clone, Copy)]
struct Shape {
    cold: f64,
    idle: f64,
    mid: f64,
    fast: f64,
    top: f64,
    knee: f64,
    head: f64,
    end: f64,
    build: f64,
}

fn shape(sound: &Circuit, faults: &[(Fault, f64)]) -> Shape {
    let circuit = harmed(sound, faults);
    let [cold, idle, mid, fast, top] = [(750.0, 20.0), (750.0, 100.0), (2000.0, 100.0), (3000.0, 100.0), (4500.0, 100.0)]
        .map(|(rpm, oil_temp_c)| circuit.port_kpa(Working { rpm, oil_temp_c }));
    let state = circuit.solve(Working { rpm: 2000.0, oil_temp_c: 100.0 });
    let build = match circuit.build_time(Working { rpm: 750.0, oil_temp_c: 10.0 }, Dry::rested(2.0)) {
        Build::After(seconds) => seconds,
        Build::Never => f64::INFINITY,
    };
    Shape {
        cold,
        idle,
        mid,
        fast,
        top,
        knee: circuit.knee_rpm(100.0).unwrap_or(f64::INFINITY),
        head: state.head_pa / state.gallery_pa.max(1.0),
        end: state.gallery_end_pa / state.gallery_pa.max(1.0),
        build,
    }
}

/// A claim of the trade about a harmed engine `f` beside the sound one `h`.
type Claim = fn(Shape, Shape) -> bool;

/// The trade's signature table, a row a cause: what the pressures do, for a gauge after the filter. Causes that leave the pressure alone (indication,
/// test gauge, within the sheet) have their place in the trace's tests.
const SIGNATURES: [(Fault, &str, Claim); 31] = [
    (Fault::OilLow, "falls away with revs", |f, h| f.top / h.top < f.mid / h.mid && f.mid < h.mid),
    (Fault::OilOver, "falls after sustained revs, hardly at idle", |f, h| f.top / h.top < f.idle / h.idle && f.idle > 0.75 * h.idle),
    (Fault::OilThin, "all hot points low in proportion, knee later, cold nearly right", |f, h| {
        f.cold > 0.93 * h.cold && (f.idle / h.idle - f.mid / h.mid).abs() < 0.35 && f.idle < 0.75 * h.idle && f.knee > h.knee
    }),
    (Fault::OilDiluted, "as thin oil, worse the hotter", |f, h| {
        f.idle < 0.75 * h.idle && f.cold / h.cold > f.idle / h.idle + 0.25 && f.knee > h.knee
    }),
    (Fault::OilThick, "hot a little high, the knee sooner", |f, h| f.idle > 1.2 * h.idle && f.mid > h.mid && f.knee < h.knee),
    (Fault::OilDegraded, "high hot where thin oil would be low, slow build, filter in bypass", |f, h| {
        f.idle > h.idle && f.build > h.build * 0.99 && f.cold < h.cold
    }),
    (Fault::ScreenBlocked, "fair at idle, falls as revs rise, worst cold", |f, h| {
        f.idle > 0.9 * h.idle && f.top < f.fast && f.fast < f.idle.max(f.mid) && f.knee < h.knee
    }),
    (Fault::PickupAir, "lowest at idle, comes back with revs", |f, h| f.idle / h.idle < 0.3 && f.top / h.top > 0.85),
    (Fault::PickupBroken, "little or none anywhere, never builds", |f, h| f.idle < 10.0 && f.mid < 0.4 * h.mid && f.build > 2.0 * h.build),
    (Fault::PumpWorn, "low hot, better cold, recovers with revs", |f, h| {
        f.cold > 0.93 * h.cold && f.idle < 0.6 * h.idle && f.top / h.top > f.idle / h.idle + 0.2
    }),
    (Fault::PumpDrive, "none at once", |f, h| f.idle < 0.05 * h.idle && f.top < 0.1 * h.top && f.build > 8.0 * h.build),
    (Fault::PumpUnprimed, "none after work, for many seconds", |f, h| f.idle < 0.05 * h.idle && f.build > 5.0 * h.build),
    (Fault::PumpControl, "the high level always, up to the relief", |f, h| {
        f.top > 1.05 * h.top && f.idle >= 0.95 * h.idle && f.knee > 1.3 * h.knee
    }),
    (Fault::ReliefOpen, "low even cold, rises as the square of speed", |f, h| f.cold < 0.4 * h.cold && f.mid / f.idle > 3.5),
    (Fault::ReliefWeak, "good at idle, ceiling too low", |f, h| {
        f.idle > 0.8 * h.idle && f.top < 0.6 * h.top && f.top / f.mid < 1.4 && f.knee < h.knee
    }),
    (Fault::ReliefShut, "far too high cold, idle untouched", |f, h| f.cold > 2.0 * h.cold && (f.idle - h.idle).abs() < 0.05 * h.idle),
    (Fault::ReliefHeavy, "ceiling too high, idle as it was", |f, h| {
        f.top > 1.1 * h.top && f.cold > 1.2 * h.cold && (f.idle - h.idle).abs() < 0.02 * h.idle
    }),
    (Fault::FilterBlocked, "a step lost, most at speed and cold", |f, h| {
        f.cold < 0.85 * h.cold && f.top < 0.85 * h.top && f.idle / h.idle > f.top / h.top
    }),
    (Fault::FilterWrong, "an odd step, smaller than a blocked one's", |f, h| f.cold < h.cold && f.top < h.top && f.idle > 0.9 * h.idle),
    (Fault::CoolerPath, "a drop once the thermostat is open, none before", |f, h| {
        (f.cold - h.cold).abs() < 1e-3 * h.cold && f.top < 0.9 * h.top
    }),
    (Fault::GalleryLeak, "low everywhere, like an open relief", |f, h| {
        f.cold < 0.4 * h.cold && f.idle < 0.4 * h.idle && f.mid / f.idle > 3.5
    }),
    (Fault::GalleryBlocked, "good or high at the gauge, one end starved", |f, h| f.idle >= h.idle && f.mid >= h.mid && f.end < 0.5 * h.end),
    (Fault::BearingsCrank, "fair cold, in proportion to revs hot, never the knee", |f, h| {
        f.cold / h.cold > 3.0 * (f.idle / h.idle) && f.idle < 0.3 * h.idle && f.top < 0.4 * h.top && f.top > f.fast && f.knee > h.knee
    }),
    (Fault::BearingSingle, "little to see, a few percent at idle", |f, h| {
        f.idle < h.idle && f.idle > 0.85 * h.idle && f.top > 0.95 * h.top
    }),
    (Fault::BearingsCam, "as crank bearings, where the cam is fed straight", |f, h| {
        f.cold > 0.8 * h.cold && f.idle < 0.6 * h.idle && f.knee > h.knee
    }),
    (Fault::RockersWorn, "low hot idle, the head lowest of all", |f, h| f.idle < h.idle && f.head < 0.3 * h.head),
    (Fault::FeedOversize, "a sudden loss, most at idle", |f, h| f.idle < 0.75 * h.idle && f.idle / h.idle < f.top / h.top),
    (Fault::ValveControl, "a leak, most at hot idle", |f, h| f.idle < 0.6 * h.idle && f.top / h.top > f.idle / h.idle),
    (Fault::JetsOpen, "near nothing at idle, rises with revs, still short", |f, h| {
        f.idle < 0.3 * h.idle && f.mid / f.idle > 3.0 && f.mid < 0.9 * h.mid
    }),
    (Fault::TurboFeed, "a small loss", |f, h| f.idle < 0.99 * h.idle && f.idle > 0.7 * h.idle),
    (Fault::ExternalLeak, "as low oil, a little everywhere", |f, h| f.idle < h.idle && f.top < h.top),
];

#[test]
fn each_cause_draws_its_own_shape() {
    let fixed = Layout { pump: PumpKind::Fixed, ..full_layout() };
    for (fault, says, claim) in SIGNATURES {
        let layout = match fault {
            Fault::PumpControl => full_layout(),
            Fault::BearingsCam => Layout { cam_feed: Some(CamFeed::Straight), piston_jets: false, ..fixed },
            // Plain engines show a single fault best; parts are fitted where the fault is in one.
            Fault::RockersWorn | Fault::FeedOversize | Fault::ValveControl | Fault::JetsOpen | Fault::TurboFeed | Fault::CoolerPath => {
                fixed
            }
            _ => Layout::default(),
        };
        let sound = typical(layout);
        let (healthy, broken) = (shape(&sound, &[]), shape(&sound, &[(fault, 0.8)]));
        assert!(claim(broken, healthy), "{fault:?}, {says}:\n{broken:.0?}\nagainst\n{healthy:.0?}");
    }
    let healthy = shape(&typical(Layout::default()), &[]);
    assert!(healthy.cold > 0.9 * healthy.mid && healthy.idle < healthy.mid && healthy.mid < healthy.fast && healthy.fast < healthy.top);
    assert!((1500.0..4000.0).contains(&healthy.knee), "a healthy engine has its knee between: {healthy:?}");
    let told: Vec<Fault> = SIGNATURES.iter().map(|(fault, ..)| *fault).collect();
    assert!(faults().iter().all(|fault| *fault == Fault::None || told.contains(fault)), "a cause without its row");
}

#[test]
fn where_the_gauge_sits_decides_what_it_sees() {
    let read = |port: Port, fault: Fault, rpm: f64| {
        let sound = typical(Layout { port, ..Layout::default() });
        let at = Working { rpm, oil_temp_c: 100.0 };
        harmed(&sound, &[(fault, 0.8)]).port_kpa(at) / sound.port_kpa(at)
    };
    // A blocked filter is a loss after it and none before it; a blocked gallery a loss at its far end alone.
    assert!(read(Port::AfterFilter, Fault::FilterBlocked, 3000.0) < 0.9 && read(Port::BeforeFilter, Fault::FilterBlocked, 3000.0) > 0.98);
    assert!(read(Port::GalleryEnd, Fault::GalleryBlocked, 2000.0) < 0.6 && read(Port::AfterFilter, Fault::GalleryBlocked, 2000.0) > 1.0);
    // Worn rockers show most in the head.
    assert!(read(Port::Head, Fault::BearingsCrank, 2000.0) < 0.8);
    let head = typical(Layout { port: Port::Head, rockers: Rockers::Shaft, ..Layout::default() });
    let at = Working { rpm: 2000.0, oil_temp_c: 100.0 };
    let gallery = |circuit: &Circuit| circuit.solve(at).gallery_pa;
    let worn = harmed(&head, &[(Fault::RockersWorn, 0.8)]);
    assert!(worn.port_kpa(at) / head.port_kpa(at) < 0.7 * gallery(&worn) / gallery(&head));
}

#[test]
fn a_controlled_pump_holds_its_levels_and_steps_between_them() {
    let circuit = typical(full_layout());
    let control = circuit.pump.control.unwrap();
    let at = |rpm: f64| circuit.solve(Working { rpm, oil_temp_c: 80.0 });
    let (below, above) = (at(control.step_rpm - 50.0), at(control.step_rpm + 50.0));
    assert!(
        (below.gallery_pa / control.low_pa - 1.0).abs() < 0.13 && (above.gallery_pa / control.high_pa - 1.0).abs() < 0.13,
        "{below:?} {above:?}"
    );
    assert!(below.displacement < 1.0 && below.relief_m3_s == 0.0, "it sheds displacement and not oil");
    let stuck = harmed(&circuit, &[(Fault::PumpControl, 0.3)]);
    let low_always = stuck.solve(Working { rpm: control.step_rpm + 1000.0, oil_temp_c: 80.0 }).gallery_pa;
    assert!(low_always < 0.9 * at(control.step_rpm + 1000.0).gallery_pa, "a step at its speed that does not come");
    // Its knee is where control takes over.
    assert!(circuit.knee_rpm(80.0).unwrap() <= control.step_rpm);
}

#[test]
fn what_stands_outside_the_range_is_marked_and_a_full_circuit_says_so() {
    let mut circuit = typical(Layout::default());
    assert!(circuit.solve(Working { rpm: 2000.0, oil_temp_c: 100.0 }).in_range);
    let hot = circuit.solve(Working { rpm: 6000.0, oil_temp_c: 140.0 });
    assert!(!hot.in_range && hot.film_temp_c > 150.0, "a film past 150 °C is marked, not silently extrapolated");
    let still = circuit.solve(Working { rpm: 0.0, oil_temp_c: 20.0 });
    assert_eq!((still.gallery_pa, still.pump_pa), (0.0, 0.0), "a standing engine has no pressure");
    let leak = Branch { place: Place::Leak, law: Law::Orifice { k_m2: 1e-7 } };
    assert!(std::iter::repeat_n(leak, 8).any(|leak| !circuit.add(leak)), "there is an end to the places");
    assert_eq!(DIMENSIONS, 25, "the property tests draw as many numbers as an engine needs");
}
