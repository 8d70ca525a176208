//! Why a cause stands where it stands, what the engines that are left would show, what would be if something were otherwise, and what a complaint asks for.
use proptest::prelude::*;
use serde_json::json;
use velvet_dial_core::case::{Case, parse, spec_points};
use velvet_dial_core::circuit::Working;
use velvet_dial_core::diagnosis::{Diagnosis, Otherwise, Setting, by_sheet, diagnose, reasons, unmeasured, what_if};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::trace::{Strategy, Tracer, ordered, price_if_wrong, proof_of};

fn known(readings: serde_json::Value, more: serde_json::Value) -> (Case, Tracer, Diagnosis) {
    let mut file = json!({
        "format": "velvet-dial.case/1",
        "engine": { "displacement_l": 2.0, "cylinders": 4, "idle_rpm": 780, "oil_grade": "5W-30", "relief_opens_kpa": 450 },
        "spec": { "points": [
            { "rpm": 780, "oil_temp_c": 100, "min_kpa": 100 },
            { "rpm": 3000, "oil_temp_c": 100, "min_kpa": 300, "max_kpa": 560 } ] },
        "readings": readings
    });
    file.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
    let case = parse(file.to_string().as_bytes()).unwrap();
    let tracer = Tracer::new(&case.engine, &spec_points(&case)).unwrap();
    let now = diagnose(&case, &tracer, &Setting::default());
    (case, tracer, now)
}

fn low() -> (Case, Tracer, Diagnosis) {
    let readings = json!([
        { "rpm": 860, "oil_temp_c": 20, "kpa": 410 },
        { "rpm": 780, "oil_temp_c": 98, "kpa": 52 },
        { "rpm": 3000, "oil_temp_c": 100, "kpa": 190 }
    ]);
    known(
        readings,
        json!({ "evidence": [{ "check": "oil_look", "outcome": "clean" }, { "check": "noise", "outcome": "deep_knock" }], "circumstances": ["ran_with_lamp_on"] }),
    )
}

/// Each thing that is known is told once, what says most first; the readings one by one as well, each as the odds it moves beside the others.
#[test]
fn each_thing_that_is_known_says_what_it_moves() {
    let (case, tracer, now) = low();
    for index in now.posterior.ranked().into_iter().take(6) {
        let told = reasons(&case, &tracer, &now, index);
        let together: Vec<_> = told.iter().filter(|reason| reason.reading.is_none()).collect();
        assert_eq!(together.len(), now.findings.len());
        assert!(together.array_windows().all(|[a, b]| a.log_odds.abs() >= b.log_odds.abs()));
        for (finding, moved) in now.findings.iter().zip(&now.posterior.moved) {
            assert!(together.iter().any(|reason| reason.key == finding.key && reason.log_odds == moved[index]));
        }
        let alone: Vec<usize> = told.iter().filter_map(|reason| reason.reading).collect();
        assert_eq!(
            {
                let mut alone = alone.clone();
                alone.sort_unstable();
                alone
            },
            [0, 1, 2]
        );
        // A reading by itself is what the case without it lacks, as long as the verdict and the flag are asked anew too.
        let mut without = case.clone();
        without.readings.remove(2);
        let then = diagnose(&without, &tracer, &Setting::default());
        let log_odds = |p: f64| (p / (1.0 - p)).ln();
        let lacks = log_odds(now.posterior.of(index)) - log_odds(then.posterior.of(index));
        let says = told.iter().find(|reason| reason.reading == Some(2)).unwrap().log_odds;
        assert!((lacks - says).abs() < 0.35, "{}: {lacks} and {says}", knowledge().causes[index].id);
    }
    let one = known(json!([{ "rpm": 780, "oil_temp_c": 98, "kpa": 52 }]), json!({}));
    assert!(reasons(&one.0, &one.1, &one.2, 0).iter().all(|reason| reason.reading.is_none()), "one reading is all of them");
}

/// In what is left of a cause the flows balance, a mended engine reads more, and a band lies about its middle.
#[test]
fn what_is_left_of_a_cause_is_an_engine_that_runs() {
    let (_, tracer, now) = low();
    let know = knowledge();
    for id in ["bearings_crank", "pump_worn", "screen_blocked", "relief_open"] {
        let left = tracer.left(know.cause(id).unwrap(), &now.pressures).unwrap();
        for (rpm, oil_temp_c) in [(780.0, 100.0), (3000.0, 100.0), (1500.0, 20.0)] {
            let at = Working { rpm, oil_temp_c };
            let flows = left.flows(at);
            let out = flows.slip + flows.relief + flows.gallery;
            assert!((flows.drawn - out).abs() < 1e-3 * flows.drawn.max(1e-3), "{id} {rpm}: {flows:?}");
            let places: f64 = flows.places.iter().map(|(_, flow)| flow).sum();
            assert!((places - flows.gallery).abs() < 1e-3 * flows.gallery.max(1e-3));
            assert!(flows.pump_kpa >= flows.gallery_kpa && flows.gallery_kpa >= flows.end_kpa && flows.inlet_kpa <= 0.0);
            let [low, middle, high] = left.bands(&[rpm], oil_temp_c)[0];
            assert!(low <= middle && middle <= high && low >= 0.0);
            let mended = left.clone().mended().bands(&[rpm], oil_temp_c)[0][1];
            assert!(mended >= middle * 0.999, "{id} at {rpm}: {mended} under {middle}");
        }
    }
    assert!(tracer.left(usize::MAX, &now.pressures).is_none());
    let healthy = tracer.healthy().bands(&[780.0], 100.0)[0];
    let [least, middle, most] = tracer.expected_kpa(Working { rpm: 780.0, oil_temp_c: 100.0 });
    assert!(healthy[0] >= 0.8 * least && healthy[2] <= 1.2 * most && (healthy[1] / middle - 1.0).abs() < 0.15, "{healthy:?}");
}

/// The strategies list the same steps, each in its own order; what is named as proof can be done from here, and being wrong has a price.
#[test]
fn each_school_lists_what_can_be_done_in_its_own_order() {
    let (case, _, now) = low();
    let (know, situation) = (knowledge(), now.situation(&case));
    let listed = |order| ordered(order, know, &now.posterior.states, &situation, 0);
    assert_eq!(listed(Strategy::MostUseful), now.next);
    let cheapest = listed(Strategy::CheapestFirst);
    assert!(cheapest.len() > 3 && cheapest.array_windows().all(|[a, b]| a.minutes <= b.minutes + 1e-9));
    let along = listed(Strategy::AlongTheOil);
    let place = |check: Option<&'static str>| check.and_then(|check| know.check(check)).map_or(8, |check| check.along);
    assert!(along.array_windows().all(|[a, b]| place(a.check()) <= place(b.check())));
    let names = |proposals: &[velvet_dial_core::trace::Proposal]| {
        let mut names: Vec<String> = proposals.iter().map(|proposal| format!("{:?}", proposal.step)).collect();
        names.sort();
        names
    };
    assert_eq!(names(&cheapest), names(&along));
    for proposal in &cheapest {
        assert!(proposal.opening_minutes <= proposal.minutes && proposal.money >= 0.0);
    }
    for (index, cause) in know.causes.iter().enumerate() {
        let (minutes, parts) = price_if_wrong(know, index).unwrap();
        assert!(minutes >= 240.0 && parts >= 0.0, "{}", cause.id);
        if let Some(check) = proof_of(know, &situation, index) {
            assert!(situation.way_to_check(know.check(check).unwrap()).is_some(), "{}: {check}", cause.id);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]
    /// What if nothing is otherwise: what stands. Thicker oil, a mended fault and a later relief never read less where they act; a fault more never reads more hot.
    #[test]
    fn what_if_moves_the_way_it_must(relief in 20.0..200.0f64, much in 0.2..0.9f64) {
        let (case, tracer, now) = low();
        let ask = |otherwise: Otherwise| what_if(&case, &tracer, &now, &otherwise).unwrap();
        let same = ask(Otherwise::default());
        prop_assert!(same.points.iter().all(|would| (would.now_kpa - would.then_kpa[1]).abs() < 1e-6));
        prop_assert!(same.hardest.is_none());
        let thick = ask(Otherwise { oil_grade: Some("20W-50".into()), ..Otherwise::default() });
        let mended = ask(Otherwise { mended: true, ..Otherwise::default() });
        let raised = ask(Otherwise { relief_kpa: Some(relief), ..Otherwise::default() });
        let worse = ask(Otherwise { added: Some((knowledge().cause("bearings_crank").unwrap(), much)), ..Otherwise::default() });
        for (place, would) in same.points.iter().enumerate() {
            for better in [&thick, &mended, &raised] {
                prop_assert!(better.points[place].then_kpa[1] >= would.now_kpa * 0.999);
            }
            prop_assert!(worse.points[place].then_kpa[1] <= would.now_kpa * 1.001);
        }
        let (_, before, after) = raised.hardest.as_ref().unwrap();
        prop_assert!(after.pump_kpa >= before.pump_kpa && after.relief <= before.relief + 1e-6);
        let warmer = ask(Otherwise { oil_temp_c: Some(120.0), ..Otherwise::default() });
        prop_assert!(warmer.points.iter().all(|would| would.decision.is_none()), "no limit at another temperature");
        let unknown = Otherwise { oil_grade: Some("99W-1".into()), ..Otherwise::default() };
        prop_assert!(what_if(&case, &tracer, &now, &unknown).is_err());
    }
}

/// A complaint on a condition that was not read asks for it once what was read is within; a reading there answers it, and a point outside comes first.
#[test]
fn a_complaint_that_was_not_measured_asks_for_its_condition() {
    let within = json!([{ "rpm": 780, "oil_temp_c": 98, "kpa": 190 }, { "rpm": 3000, "oil_temp_c": 100, "kpa": 420 }]);
    let asks = |readings: &serde_json::Value, told: &[&str]| -> Vec<&'static str> {
        let (case, _, now) = known(readings.clone(), json!({ "circumstances": told }));
        unmeasured(&case, &now).iter().map(|one| one.circumstance).collect()
    };
    assert!(asks(&within, &["whine"]).is_empty());
    for told in ["on_slope", "in_bend", "after_distance", "lamp_only_cold"] {
        assert_eq!(asks(&within, &[told]), [told]);
    }
    assert!(asks(&within, &["lamp_at_idle", "lamp_at_speed", "lamp_only_hot"]).is_empty(), "these were read");
    let mut on_ramps = within.clone();
    on_ramps.as_array_mut().unwrap().push(json!({ "rpm": 780, "oil_temp_c": 98, "kpa": 185, "slope": "nose_up" }));
    assert!(asks(&on_ramps, &["on_slope"]).is_empty());
    let (case, tracer, now) = low();
    assert!(unmeasured(&case, &now).is_empty());
    // By another sheet the same readings say something else.
    assert_eq!(by_sheet(&case, case.spec.as_ref(), &tracer), Decision::Below);
    let mut mild = case.spec.clone().unwrap();
    mild.points.iter_mut().for_each(|point| (point.min_kpa, point.max_kpa) = (Some(12.0), None));
    assert_eq!(by_sheet(&case, Some(&mild), &tracer), Decision::Within);
}
