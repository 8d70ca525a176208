//! The knowledge files: the trade's whole vocabulary, every row reachable, every reason given, every claim of a row borne out.
use velvet_dial_core::circuit::{Fault, Layout, PumpDrive};
use velvet_dial_core::knowledge::*;
use velvet_dial_core::safety;

/// The causes and their groups, the checks with their minutes and outcomes, and the circumstances: the product's vocabulary, kept apart from the files.
const CAUSES: &str = "sender indication, wiring indication, test_gauge indication, oil_low oil, oil_over oil, oil_thin oil, oil_diluted oil, oil_degraded oil,
    screen_blocked pickup, pickup_air pickup, pickup_broken pickup, pump_worn pump, pump_drive pump, pump_unprimed pump, pump_control pump, relief_open relief,
    relief_weak relief, relief_shut relief, filter_blocked filter, filter_wrong filter, cooler_path filter, gallery_leak gallery, gallery_blocked gallery,
    bearings_crank bearings, bearings_cam bearings, rockers_worn top end, cam_lobes top end, feed_oversize top end, valve_control top end, jets_open top end, turbo_feed top end,
    external_leak oil, relief_heavy relief, oil_thick oil, idle_low none, bearing_single bearings, within_spec none, something_else none";
const CHECKS: &str = "level 2 ok low high, oil_look 3 clean fuel coolant sludge foam metal, oil_grade 2 right thinner thicker unknown, leaks 5 none seep heavy,
    filter_id 3 right wrong old burst, sender_plug 5 ok oil_in_plug damaged, sender_screen 10 clear blocked, module_compare 5 agrees reads_low reads_high jumps,
    second_gauge 8 agrees disagrees, build_time 2 normal slow none, needle 1 steady sway flutter jumping, noise 2 none top_tick deep_knock whine rattle,
    tilt 15 no_change better_covered worse_uncovered, oil_change_retest 40 restored partly no_change, filter_swap_retest 25 restored partly no_change,
    relief_plunger 15 free stuck_open debris seized_shut short_spring long_spring, filter_cut 15 clean light_metal bearing_metal ferrous rubber carbon sealant,
    head_port 20 normal low_share none, pump_port 20 same higher much_higher, rocker_cover 20 normal dry flooded worn_bushes,
    camera_sump 25 clear debris screen_dirty, sump_debris 5 none light_metal bearing_metal ferrous rubber carbon sealant, screen_light 3 clear part blocked,
    pickup_seal 5 even one_sided hard_or_torn missing, pickup_tube 5 sound cracked loose, pump_clearance 20 in_limits worn scored,
    pump_drive_look 5 sound slipped broken, strip_gauge 40 in_limits wide damaged, gallery_blow 30 even one_journal jets gallery head,
    jet_ball 15 springs stuck, cam_bearings 60 good worn turned, valve_plate 30 tight leaking, turn_by_hand 5 free tight seized,
    crank_no_fuel 5 shows slow none, codes 5 none pressure_low pressure_implausible valve, gauge_zero 2 at_zero off, level_raise 8 no_change restored,
    lamp_switch 8 in_range high low, cooler_temps 10 normal no_flow bypassed, turbo_play 15 none play broken, belt_look 30 sound crumbling,
    journal_map 90 even one_bad several_bad far_end_bad, cooler_bypass 20 free stuck_open stuck_shut, cam_lobes_look 30 good worn";
const CIRCUMSTANCES: &str = "lamp_on no_complaint lamp_only_hot lamp_at_idle lamp_at_speed after_oil_service sump_was_off pump_was_fitted engine_was_rebuilt feed_pipe_changed
    sender_already_replaced filter_already_replaced pump_already_replaced oil_neglected long_idling short_trips ran_with_lamp_on knock whine turbo_smoke fuel_smell
    coolant_loss belt_driven_in_oil on_slope in_bend after_distance stood_long timing_or_head_work owner_fitted oil_topped_often lamp_only_cold second_warning
    sudden_while_driving inspection before_purchase before_season after_others_work oil_already_changed sender_screen_already_cleaned
    relief_already_replaced pickup_already_replaced cooler_already_replaced bearings_already_replaced several_already_replaced shaft_deleted";

fn words(text: &str) -> Vec<String> {
    text.split(',').map(|part| part.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

#[test]
fn the_files_hold_together_and_hold_the_whole_vocabulary() {
    assert_eq!(faults(), Vec::<String>::new());
    assert_eq!(safety::fault(), None);
    let know = knowledge();
    let mut causes: Vec<String> = know.causes.iter().map(|cause| format!("{} {}", cause.id, cause.group)).collect();
    let mut expected = words(CAUSES);
    causes.sort();
    expected.sort();
    assert_eq!(causes, expected);
    let mut checks: Vec<String> = know
        .checks
        .iter()
        .map(|check| {
            let outcomes: Vec<&str> = check.outcomes.iter().map(|outcome| outcome.id.as_str()).collect();
            format!("{} {} {}", check.id, check.minutes, outcomes.join(" "))
        })
        .collect();
    let mut expected = words(CHECKS);
    checks.sort();
    expected.sort();
    assert_eq!(checks, expected);
    let mut told: Vec<&str> = know.circumstances.iter().map(|circumstance| circumstance.id.as_str()).collect();
    let mut expected: Vec<&str> = CIRCUMSTANCES.split_whitespace().collect();
    told.sort();
    expected.sort();
    assert_eq!(told, expected);
}

#[test]
fn every_cause_has_its_words_its_price_and_a_check_that_speaks_for_it() {
    let know = knowledge();
    assert!((know.causes.iter().map(|cause| cause.prior).sum::<f64>() - 1.0).abs() < 1e-12);
    for (index, cause) in know.causes.iter().enumerate() {
        for text in [&cause.name, &cause.shape, &cause.put_right, &cause.mind, &cause.reason] {
            assert!(text.len() > 8, "{} lacks its words", cause.id);
        }
        assert!(cause.repair_minutes >= 5.0 && cause.parts >= 0.0 && cause.prior > 0.001, "{}", cause.id);
        // Some outcome of some check makes it at least twice as probable beside the usual; what is nothing, and what is unknown, need none.
        let state = BANDS * index + 1;
        let best = know
            .checks
            .iter()
            .flat_map(|check| (0..check.outcomes.len()).map(move |outcome| check.likelihood(state, outcome) / check.usual.p[outcome]))
            .fold(0.0, f64::max);
        assert!(
            best > 4.0 || ["within_spec", "something_else", "idle_low"].contains(&cause.id.as_str()),
            "no check tells {} apart: {best}",
            cause.id
        );
    }
}

#[test]
fn every_row_is_reached_says_why_and_differs_from_the_usual() {
    let know = knowledge();
    for check in &know.checks {
        assert!(check.how.len() > 5 && check.along <= 8 && !check.usual.reason.is_empty(), "{}", check.id);
        for row in &check.rows {
            let cause = know.cause(&row.cause).unwrap();
            let (slight, marked) = (BANDS * cause, BANDS * cause + 1);
            for (outcome, p) in row.p.iter().enumerate() {
                assert!((check.likelihood(marked, outcome) - p).abs() < 1e-12, "{} {}: the row is not what is used", check.id, row.cause);
                let (usual, faded) = (check.usual.p[outcome], check.likelihood(slight, outcome));
                assert!(
                    (faded - usual) * (p - usual) >= -1e-15 && (faded - usual).abs() <= (p - usual).abs() + 1e-12,
                    "a slight fault shows less"
                );
            }
            assert_eq!(check.reason(&row.cause), row.reason);
            assert!(
                row.p.iter().zip(&check.usual.p).any(|(p, usual)| (p - usual).abs() > 0.005),
                "{} {} says nothing",
                check.id,
                row.cause
            );
        }
        for state in 0..know.states() {
            let sum: f64 = (0..check.outcomes.len()).map(|outcome| check.likelihood(state, outcome)).sum();
            assert!((sum - 1.0).abs() < 1e-9, "{} state {state}", check.id);
        }
    }
    for circumstance in &know.circumstances {
        assert!(!circumstance.rows.is_empty() && !circumstance.reason.is_empty(), "{}", circumstance.id);
        for row in &circumstance.rows {
            let state = BANDS * know.cause(&row.cause).unwrap() + 1;
            assert!(
                (circumstance.likelihood(state) - row.p).abs() < 1e-12 && row.p != circumstance.usual,
                "{} {}",
                circumstance.id,
                row.cause
            );
            assert_eq!(circumstance.reason(&row.cause), row.reason);
        }
        assert!((0..know.states()).all(|state| (0.0..=1.0).contains(&circumstance.likelihood(state))));
    }
}

#[test]
fn a_pair_shows_both_its_causes_and_takes_nothing_from_the_sum() {
    let know = knowledge();
    let mut pairs = 0;
    for (index, pair) in know.hypotheses.iter().enumerate().filter(|(_, hypothesis)| hypothesis.second.is_some()) {
        let second = pair.second.unwrap();
        pairs += 1;
        assert!(pair.reason.len() > 8 && pair.link != Link::Alone && pair.share < 0.5);
        for check in &know.checks {
            let row = |cause: usize| check.rows.iter().find(|row| row.cause == know.causes[cause].id);
            let of = |cause: usize, outcome: usize| row(cause).map_or(check.usual.p[outcome], |row| row.p[outcome]);
            if row(second).is_none() {
                // A cause that leaves a check alone leaves the other's row as it is.
                for outcome in 0..check.outcomes.len() {
                    let both = check.likelihood(BANDS * index + 1, outcome);
                    assert!((both - of(pair.first, outcome)).abs() < 1e-9, "{} {}", check.id, know.causes[pair.first].id);
                }
            }
        }
    }
    assert!(pairs >= 12);
    for layout in [Layout::default(), Layout { turbo: true, piston_jets: true, ..Layout::default() }] {
        let states = know.state_priors(&know.priors(&layout));
        assert!((states.iter().sum::<f64>() - 1.0).abs() < 1e-9);
        let folded = know.fold(&states);
        assert!((folded.iter().sum::<f64>() - 1.0).abs() < 1e-9);
    }
}

#[test]
fn the_card_moves_the_priors() {
    let know = knowledge();
    let of = |layout: Layout, cause: &str| know.priors(&layout)[know.cause(cause).unwrap()];
    let plain = Layout::default();
    for (cause, with_the_part) in [
        ("jets_open", Layout { piston_jets: true, ..plain }),
        ("turbo_feed", Layout { turbo: true, ..plain }),
        ("valve_control", Layout { valve_control: true, ..plain }),
    ] {
        assert!(of(with_the_part, cause) > 10.0 * of(plain, cause) && of(plain, cause) > 0.0, "{cause}: a card is filled in by people");
    }
    let drive = |drive: PumpDrive| of(Layout { pump_drive: Some(drive), ..plain }, "pump_drive");
    assert!(
        drive(PumpDrive::Belt) > drive(PumpDrive::Shaft)
            && drive(PumpDrive::Shaft) > drive(PumpDrive::Chain)
            && drive(PumpDrive::Chain) > drive(PumpDrive::Crank)
    );
}

#[test]
fn safety_rules_name_only_what_there_is() {
    let know = knowledge();
    let stops: Vec<String> = know
        .checks
        .iter()
        .flat_map(|check| {
            check.outcomes.iter().enumerate().filter(|(index, _)| check.stops(*index)).map(move |(_, o)| format!("{}={}", check.id, o.id))
        })
        .collect();
    for rule in ["noise=deep_knock", "build_time=none", "pickup_tube=cracked", "sump_debris=bearing_metal", "pump_drive_look=broken"] {
        assert!(stops.contains(&rule.to_owned()), "{rule}");
    }
    assert!(!stops.contains(&"noise=none".to_owned()) && !safety::stops("noise", "rattle") && !safety::stops("level", "ok"));
    assert!(
        know.causes.iter().filter(|cause| cause.fault == Fault::None).count() == 7,
        "indication, within the sheet, worn lobes and the unknown leave the oil alone"
    );
}
