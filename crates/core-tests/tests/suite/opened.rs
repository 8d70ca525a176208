//! The engine opened: journals along the oil, what their clearances leak and explain, what every figure says to the suspects, and what an opening takes.
use crate::support::{case, example, hot, known, odds, sheet, tracer, with};
use proptest::prelude::*;
use serde_json::{Value, json};
use velvet_dial_core::case::parse;
use velvet_dial_core::circuit::nominal::{self, DIMENSIONS};
use velvet_dial_core::circuit::{Card, Circuit, Fault, Law, Place, Unknowns, Working};
use velvet_dial_core::diagnosis::{Setting, diagnose};
use velvet_dial_core::knowledge::{Access, knowledge};
use velvet_dial_core::oil;
use velvet_dial_core::opened::*;
use velvet_dial_core::strip_down::{CrankSaid, JournalKind, JournalSaid, Spring, StripDown, places, spring_opens_kpa};

const NEW_MM: f64 = 0.04;

fn said(new_mm: Option<f64>, limit_mm: Option<f64>) -> CrankSaid {
    CrankSaid { mains: None, new_mm, limit_mm }
}

fn journal(kind: JournalKind, number: u32, clearance_mm: f64) -> JournalSaid {
    JournalSaid { clearance_mm: Some(clearance_mm), ..JournalSaid::of(kind, number) }
}

/// Every journal of a four-cylinder crank with these clearances along the oil.
fn all(clearances: &[f64]) -> StripDown {
    let crank = said(Some(NEW_MM), Some(0.08));
    let places = places(4, crank);
    assert_eq!(places.len(), clearances.len());
    let journals = places.iter().zip(clearances).map(|(place, mm)| journal(place.kind, place.number, *mm)).collect();
    StripDown { crank, journals, ..StripDown::default() }
}

proptest! {
    /// What a shop's own times are held against: an engine that is slower to open makes a job longer by just that, there and back where the cover comes off,
    /// and by nothing where the repair does not open it.
    #[test]
    fn a_whole_job_is_longer_by_what_the_card_says_of_its_openings(
        usual in prop::array::uniform3(5.0..600.0f64), more in prop::array::uniform3(0.0..300.0f64), index in 0..knowledge().causes.len(),
    ) {
        let card = |[cover, sump, engine]: [f64; 3]| Card {
            cover_off_minutes: Some(cover), sump_off_minutes: Some(sump), engine_out_minutes: Some(engine), ..Card::of(2.0, 4, 750.0, "5W-30")
        };
        let cause = &knowledge().causes[index];
        let slower = std::array::from_fn(|access| usual[access] + more[access]);
        let times = match repair_of(&cause.id).map_or(Access::Outside, |repair| repair.access(&card(usual))) {
            Access::Outside => [0.0, 0.0, 0.0],
            Access::Cover => [2.0, 0.0, 0.0],
            Access::Sump => [0.0, 1.0, 0.0],
            Access::EngineOut => [0.0, 1.0, 1.0],
        };
        let longer = minutes_of(&card(slower), cause) - minutes_of(&card(usual), cause);
        let asked: f64 = times.iter().zip(more).map(|(times, more)| times * more).sum();
        prop_assert!((longer - asked).abs() < 1e-6, "{}: {longer} and not {asked}", cause.id);
    }

    /// However many cylinders and mains: each main and each rod has its place once, the mains in order, and no rod after the last of them.
    #[test]
    fn every_journal_has_one_place_along_the_oil(cylinders in 1..=16u32, mains in proptest::option::of(2..=12u32)) {
        let crank = CrankSaid { mains, ..CrankSaid::default() };
        let along = places(cylinders, crank);
        for (kind, count) in [(JournalKind::Main, crank.mains_of(cylinders)), (JournalKind::Rod, cylinders)] {
            let numbers: Vec<u32> = along.iter().filter(|place| place.kind == kind).map(|place| place.number).collect();
            prop_assert_eq!(numbers, (1..=count).collect::<Vec<_>>());
        }
        prop_assert_eq!(along.last().map(|place| place.kind), Some(JournalKind::Main));
    }

    /// Leak: as new where all are new, more with every hundredth, shared out whole, and never more once the bad ones are new.
    #[test]
    fn clearances_leak_as_their_cubes(clearances in prop::collection::vec(0.03..0.2f64, 9), worn in 0..9usize) {
        let card = Card::of(2.0, 4, 750.0, "5W-30");
        let laid = crank(&card, &all(&clearances));
        let [low, mid, high] = laid.ratio.unwrap();
        let by_hand = clearances.iter().map(|mm| (mm / NEW_MM).powi(3)).sum::<f64>() / 9.0;
        prop_assert!((mid / by_hand - 1.0).abs() < 1e-9 && low == mid && high == mid, "all were measured: nothing is assumed");
        prop_assert!(laid.renewed.unwrap()[1] <= mid + 1e-12);
        let shares: f64 = laid.journals.iter().filter_map(|journal| journal.extra_share).sum();
        prop_assert!((shares - 1.0).abs() < 1e-9 || clearances.iter().all(|mm| *mm <= NEW_MM));
        let mut wider = clearances.clone();
        wider[worn] += 0.01;
        prop_assert!(crank(&card, &all(&wider)).ratio.unwrap()[1] > mid);
        let mut part = all(&clearances);
        part.journals.truncate(4);
        let [low, mid, high] = crank(&card, &part).ratio.unwrap();
        prop_assert!(low <= mid && mid <= high, "what was not measured widens the range");
    }

    /// A taper leaks as the mean of its cubes along the print, worked out here in a thousand slices.
    #[test]
    fn a_taper_leaks_between_its_ends(a in 0.01..0.2f64, b in 0.01..0.2f64) {
        let print = JournalSaid { other_end_mm: Some(b), ..journal(JournalKind::Rod, 1, a) };
        let slices = (0..1000).map(|slice| (a + (b - a) * (f64::from(slice) + 0.5) / 1000.0).powi(3)).sum::<f64>() / 1000.0;
        prop_assert!((print.leaks_as_mm().unwrap().powi(3) / slices - 1.0).abs() < 1e-4);
        prop_assert_eq!(print.widest_mm().unwrap(), a.max(b));
    }

    /// An engine built of other numbers than the tool's middle one, its crank worn evenly: its own clearances are found to explain its own hot idle in most of them, and renewing brings it near what it
    /// showed new. A starved one with sound journals is not explained by them.
    #[test]
    fn an_engines_own_clearances_explain_its_own_reading(u in prop::array::uniform25(0.15..0.85f64), wear in 2.05..2.5f64) {
        let card = Card { relief_opens_kpa: Some(450.0), ..Card::of(2.0, 4, 750.0, "5W-30") };
        let new = nominal::circuit(&card, oil::typical("5W-30").unwrap(), &Unknowns::from_unit(&u, &card));
        let at = Working { rpm: 750.0, oil_temp_c: 100.0 };
        let mut worn = new.clone();
        leak(&mut worn, wear.powi(3));
        let read = |kpa: f64| case(&with(|case| case["readings"] = json!([hot(750.0, kpa)])));
        let clearances = [NEW_MM * wear; 9];
        let told = told(&read(worn.port_kpa(at)), &all(&clearances));
        prop_assert!(told.fits != Fits::TooMuch || told.read_kpa > told.with_kpa[2]);
        prop_assert!(told.healthy_kpa[0] <= told.healthy_kpa[1] && told.with_kpa[1] < told.healthy_kpa[1]);
        // Its own way back from worn to new lies near what is promised.
        let back = new.port_kpa(at) / worn.port_kpa(at);
        let [low, _, high] = told.renewed_kpa.map(|kpa| kpa / told.read_kpa);
        prop_assert!(low * 0.8 < back && back < high * 1.25, "{low} {back} {high}");
        let mut starved = new.clone();
        Fault::PickupAir.apply(&mut starved, 0.9);
        let starved_kpa = starved.port_kpa(at);
        if starved_kpa < 0.4 * told.healthy_kpa[0] {
            let told = self::told(&read(starved_kpa), &all(&[NEW_MM; 9]));
            prop_assert_eq!((told.fits, told.share.map(|share| share < 0.05)), (Fits::InPart, Some(true)));
        }
    }
}

#[test]
fn the_hottest_idle_is_explained_and_not_the_slowest() {
    let mut hottest = hot(790.0, 90.0);
    hottest["oil_temp_c"] = json!(110.0);
    let read = |readings: Value| case(&with(|case| case["readings"] = readings));
    assert_eq!(told(&read(json!([hot(720.0, 110.0), hottest, hot(3000.0, 400.0)])), &all(&[NEW_MM; 9])).reading, 1);
    assert_eq!(told(&read(json!([hot(3000.0, 400.0), hot(2000.0, 300.0)])), &all(&[NEW_MM; 9])).reading, 1, "without an idle the slowest");
}

fn leak(circuit: &mut Circuit, ratio: f64) {
    for branch in circuit.branches_at(Place::Crank) {
        if let Law::Laminar { g_m3 } = &mut branch.law {
            *g_m3 *= ratio;
        }
    }
}

fn told(case: &velvet_dial_core::case::Case, seen: &StripDown) -> Explained {
    let tracer = tracer(case);
    explained(case, &diagnose(case, &tracer, &Setting::default()), &tracer, &crank(&case.engine, seen)).unwrap()
}

/// Of engines drawn over the whole of what the card leaves open, how many are said to be explained by their own clearances, and how many sound cranks are blamed. Counted, not wished for: the
/// bounds are what the widths of the bands promise.
#[test]
fn the_bands_keep_what_they_promise() {
    let card = Card { relief_opens_kpa: Some(450.0), ..Card::of(2.0, 4, 750.0, "5W-30") };
    let at = Working { rpm: 750.0, oil_temp_c: 100.0 };
    let spec = sheet()[0].min_kpa.unwrap();
    let (mut explained, mut part, mut all_of) = (0, 0, 0);
    for index in 0..120 {
        let u: [f64; DIMENSIONS] = crate::support::even(index);
        let new = nominal::circuit(&card, oil::typical("5W-30").unwrap(), &Unknowns::from_unit(&u, &card));
        let mut worn = new.clone();
        leak(&mut worn, 1.9f64.powi(3));
        let kpa = worn.port_kpa(at);
        // A sheet is of engines that keep it when they are new.
        if new.port_kpa(at) < spec || kpa > 0.9 * spec {
            continue;
        }
        all_of += 1;
        let asked = case(&with(|case| case["readings"] = json!([hot(750.0, kpa)])));
        match told(&asked, &all(&[NEW_MM * 1.9; 9])).fits {
            Fits::Explained | Fits::NothingMissing => explained += 1,
            Fits::InPart => part += 1,
            Fits::TooMuch => {}
        }
    }
    assert!(all_of > 30 && explained * 10 >= all_of * 6, "{explained} explained, {part} in part, of {all_of}");
}

/// Figures stand as outcomes of their checks, so that every one moves the suspects; an answer by hand stands over them.
#[test]
fn every_figure_moves_the_suspects() {
    let moved = |strip_down: Value, cause: &str| {
        let (_, before) = known(&example());
        let (case, after) = known(&with(|case| case["strip_down"] = strip_down));
        (odds(&after, cause) / odds(&before, cause), case)
    };
    let limits = json!({ "new_mm": 0.04, "limit_mm": 0.08 });
    let journals = |mm: [f64; 9]| -> Value { serde_json::to_value(all(&mm).journals).unwrap() };
    let rows = [
        (json!({ "screen": { "open_share": 0.1 } }), "screen_blocked", "screen_light", "blocked"),
        (json!({ "screen": { "open_share": 0.4 } }), "screen_blocked", "screen_light", "part"),
        (json!({ "spring": { "free_mm": 44.0, "sheet_mm": 48.0 } }), "relief_weak", "relief_plunger", "short_spring"),
        (json!({ "pump": { "tip_mm": 0.3, "tip_limit_mm": 0.2 } }), "pump_worn", "pump_clearance", "worn"),
        (json!({ "crank": limits, "journals": journals([0.09; 9]) }), "bearings_crank", "strip_gauge", "wide"),
        (
            json!({ "crank": limits, "journals": [{ "kind": "rod", "number": 4, "condition": "blue" }] }),
            "bearing_single",
            "strip_gauge",
            "damaged",
        ),
        (
            json!({ "crank": limits, "journals": journals([0.04, 0.04, 0.04, 0.04, 0.04, 0.04, 0.1, 0.1, 0.1]) }),
            "bearings_crank",
            "journal_map",
            "far_end_bad",
        ),
        (
            json!({ "crank": limits, "journals": journals([0.04, 0.04, 0.1, 0.04, 0.04, 0.04, 0.04, 0.04, 0.04]) }),
            "bearing_single",
            "journal_map",
            "one_bad",
        ),
    ];
    for (figures, cause, check, outcome) in rows {
        let (times, case) = moved(figures.clone(), cause);
        assert!(case.evidence.iter().any(|entry| entry.check == check && entry.outcome == outcome), "{figures}: {:?}", case.evidence);
        assert!(times > 1.3, "{figures} moves {cause} by {times}");
        // Sent on, the case says the same: its figures and the outcomes they were counted as do not count twice.
        let again = parse(serde_json::to_string(&case).unwrap().as_bytes()).unwrap();
        assert_eq!(again, case);
    }
    let (_, by_hand) = moved(json!({ "screen": { "open_share": 0.1 } }), "screen_blocked");
    assert_eq!(by_hand.evidence.iter().filter(|entry| entry.check == "screen_light").count(), 1);
    let (_, stood) = known(&with(|case| {
        case["strip_down"] = json!({ "screen": { "open_share": 0.1 } });
        case["evidence"] = json!([{ "check": "screen_light", "outcome": "clear" }]);
    }));
    assert!(stood.findings.iter().all(|finding| finding.key != "screen_light=blocked"));
}

/// Bad figures: where, and what would be right.
#[test]
fn a_figure_that_cannot_be_is_refused_with_its_path() {
    let rows = [
        (json!({ "crank": { "new_mm": 0.08, "limit_mm": 0.04 } }), "strip_down.crank.limit_mm", "the other way round"),
        (
            json!({ "journals": [{ "kind": "main", "number": 9, "condition": "good" }] }),
            "strip_down.journals[0].number",
            "main 9 is not on this crank",
        ),
        (
            json!({ "journals": [{ "kind": "rod", "number": 1 }, { "kind": "rod", "number": 1 }] }),
            "strip_down.journals[1].number",
            "given twice",
        ),
        (
            json!({ "journals": [{ "kind": "rod", "number": 1, "clearance_mm": 2.0 }] }),
            "strip_down.journals[0].clearance_mm",
            "0.005 to 0.5 mm",
        ),
        (json!({ "journals": [{ "kind": "rod", "number": 1, "other_end_mm": 0.05 }] }), "strip_down.journals[0].clearance_mm", "type both"),
        (
            json!({ "spring": { "free_mm": 44, "sheet_mm": 48, "fitted_mm": 46 } }),
            "strip_down.spring.fitted_mm",
            "longer than it lies free",
        ),
        (json!({ "pump": {} }), "strip_down.pump.tip_mm", "type one of the two"),
        (json!({ "screen": { "open_share": 1.4 } }), "strip_down.screen.open_share", "0.005 to 1"),
    ];
    for (figures, path, sentence) in rows {
        let error = parse(with(|case| case["strip_down"] = figures.clone()).to_string().as_bytes()).unwrap_err();
        assert!(error.path == path && error.message.contains(sentence), "{figures}: {error}");
    }
}

/// A spring pressed by half as much opens at half.
#[test]
fn a_short_spring_opens_early() {
    let spring = |free_mm: f64| Spring { free_mm, sheet_mm: 50.0, fitted_mm: Some(40.0), ..Spring::default() };
    let opens = |free_mm: f64| spring_opens_kpa(&spring(free_mm), 400.0).unwrap();
    assert!((opens(50.0) - 400.0).abs() < 1e-9 && (opens(45.0) - 200.0).abs() < 1e-9);
}

/// What an opening takes is said before it: nothing where the indication leads, the sump with its looks where the pickup does, and all of it dearer than stopping there.
#[test]
fn the_plan_says_what_is_opened_what_it_costs_and_what_stays_hidden() {
    let of = |value: &Value| {
        let (case, now) = known(value);
        plan(&case, &now, Some(60.0))
    };
    let sender = of(&with(|case| {
        case["readings"] = json!([hot(750.0, 180.0), hot(3000.0, 420.0)]);
        case["evidence"] =
            json!([{ "check": "module_compare", "outcome": "reads_low" }, { "check": "sender_plug", "outcome": "oil_in_plug" }]);
    }));
    assert!(sender.openings.is_empty() && !sender.due, "{:?}", sender.openings);
    let pickup = of(&with(|case| {
        case["readings"] = json!([hot(750.0, 12.0), hot(3000.0, 330.0)]);
        case["evidence"] = json!([{ "check": "tilt", "outcome": "better_covered" }, { "check": "level", "outcome": "ok" }, { "check": "needle", "outcome": "flutter" }]);
        case["circumstances"] = json!(["sump_was_off", "lamp_at_idle"]);
    }));
    let [opening] = pickup.openings.as_slice() else { panic!("{:?}", pickup.openings) };
    assert_eq!((opening.access, opening.done), (Access::Sump, false));
    let looks: Vec<&str> = opening.looks.iter().map(|look| look.check.id.as_str()).collect();
    assert_eq!(looks.first(), Some(&"sump_debris"), "before anything is wiped");
    for look in ["screen_light", "pickup_seal", "strip_gauge", "journal_map"] {
        assert!(looks.contains(&look), "{look} is looked at while it is open");
    }
    assert!(pickup.beyond.iter().any(|(check, access, _)| check.id == "cam_bearings" && *access == Access::EngineOut));
    assert!(pickup.hand.contains(&"new pickup seal") && pickup.hand.contains(&"plastic clearance strip in its packet"));
    let map = opening.looks.iter().find(|look| look.check.id == "journal_map").unwrap();
    let seal = opening.looks.iter().find(|look| look.check.id == "pickup_seal").unwrap();
    let counted: f64 = opening.looks.iter().filter(|look| look.counts()).map(|look| look.minutes).sum();
    assert!(
        seal.counts() && (pickup.looking_minutes() - (120.0 + counted)).abs() < 1e-9,
        "the look that proves the leader is in the estimate"
    );
    assert!(map.waits && !map.counts(), "every journal only when a strip says so");
    assert!(opening.looks.iter().any(|look| !look.needed), "what is seen in passing is an option and not in the estimate");
    let leader = &pickup.costs[0];
    assert_eq!(leader.cause.id, "pickup_air");
    // A starved crank is mended with what starved it: two together cost more than either alone.
    let both = pickup.costs.iter().filter(|cost| cost.second.is_some());
    for pair in both {
        assert!(
            pickup
                .costs
                .iter()
                .filter(|cost| cost.second.is_none() && pair.causes().any(|cause| cause.id == cost.cause.id))
                .all(|one| one.all_money < pair.all_money)
        );
    }
    assert!(leader.all_money > pickup.stop_money() && leader.all_minutes > pickup.looking_minutes() + pickup.closing.0);
}

/// What does not fit stops the job, what fits does not: metal where a joint was expected, and a blocked screen where it was.
#[test]
fn a_finding_that_does_not_fit_is_told_from_one_that_does() {
    let joint = |found: Value| {
        with(|case| {
            case["readings"] = json!([hot(750.0, 12.0), hot(3000.0, 330.0)]);
            let mut evidence = json!([{ "check": "tilt", "outcome": "better_covered" }, { "check": "needle", "outcome": "flutter" }]);
            evidence.as_array_mut().unwrap().push(found);
            case["evidence"] = evidence;
        })
    };
    let of = |value: &Value| {
        let (case, now) = known(value);
        unexpected_findings(&case, &now, &plan(&case, &now, None), None)
    };
    let fits = of(&joint(json!({ "check": "pickup_seal", "outcome": "one_sided" })));
    assert!(fits.is_empty(), "{fits:?}");
    let found = of(&joint(json!({ "check": "sump_debris", "outcome": "bearing_metal" })));
    let [metal] = found.as_slice() else { panic!("{found:?}") };
    assert_eq!((metal.key.as_str(), metal.expected.id.as_str()), ("sump_debris=bearing_metal", "pickup_air"));
    assert!(metal.probability < 0.25 && metal.stop_money < metal.leads_money, "{metal:?}");
    // Outside and before the yes it is a finding like any other; after it, it stops.
    let fuel = joint(json!({ "check": "oil_look", "outcome": "fuel", "at": "2026-11-20T10:00:00Z" }));
    let (case, now) = known(&fuel);
    let at = |yes: &str| unexpected_findings(&case, &now, &plan(&case, &now, None), Some(yes.parse().unwrap())).len();
    assert_eq!((at("2026-11-20T11:00:00Z"), at("2026-11-20T09:00:00Z")), (0, 1));
}
