//! The practice bench: scenes that come again as they were, grades that hold what they promise, marks that go by what was done.
use proptest::prelude::*;
use std::collections::BTreeSet;
use velvet_dial_core::case::Case;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::{Link, knowledge};
use velvet_dial_core::strip_down::StripDown;
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_practice::bots::{Bot, all};
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::marks::Marks;
use velvet_dial_practice::play::{Act, Choice, Did, Played};
use velvet_dial_practice::proving::is_proven;
use velvet_dial_practice::scene::Scene;
use velvet_dial_practice::senses::sense;
use velvet_dial_practice::stock::seeds;

fn drawn(seed: u64, grade: Grade) -> Scene {
    Scene::drawn(seed, grade).unwrap_or_else(|| panic!("no scene of seed {seed}, {grade:?}"))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn a_scene_comes_again_as_it_was_and_hands_over_nothing_of_its_fault(seed in any::<u64>(), grade in prop::sample::select(Grade::ALL.to_vec())) {
        let (one, again) = (drawn(seed, grade), drawn(seed, grade));
        prop_assert_eq!(one.brief(), again.brief());
        let outcomes = |scene: &Scene| knowledge().checks.iter().map(|check| scene.outcome(&check.id)).collect::<Vec<_>>();
        prop_assert_eq!(outcomes(&one), outcomes(&again));
        for check in &knowledge().checks {
            prop_assert!(one.outcome(&check.id) < check.outcomes.len(), "{}", check.id);
        }
        let idle = Working { rpm: one.brief().engine.idle_rpm, oil_temp_c: 90.0 };
        prop_assert_eq!(one.gauge_kpa(idle).to_bits(), again.gauge_kpa(idle).to_bits());
        // What is handed over is card, sheet, gauge and what the customer says, and nothing else.
        let bare = Case {
            id: None,
            readings: Vec::new(),
            evidence: Vec::new(),
            acts: Vec::new(),
            bench: None,
            pattern: None,
            replaced: Vec::new(),
            known_patterns: Vec::new(),
            memory: None,
            put_off: Vec::new(),
            strip_down: StripDown::default(),
            ..one.brief()
        };
        prop_assert_eq!(bare, one.brief());
    }
}

#[test]
fn a_grade_holds_what_it_promises() {
    let scenes = |grade: Grade| (0..40).map(move |seed| drawn(seed, grade));
    let links =
        |grade: Grade| scenes(grade).filter_map(|scene| scene.truth().map(|one| format!("{:?}", one.link))).collect::<BTreeSet<_>>();
    let alone = BTreeSet::from([format!("{:?}", Link::Alone)]);
    for grade in [Grade::First, Grade::Second, Grade::Third] {
        assert_eq!(links(grade), alone, "{grade:?}");
        assert!(scenes(grade).all(|scene| !scene.gauge_is_off()));
    }
    assert!(links(Grade::Fourth).contains("Linked") && links(Grade::Fifth).contains("Together"));
    assert!(scenes(Grade::Fifth).any(|scene| scene.gauge_is_off() && knowledge().check("gauge_zero").unwrap().outcomes[scene.outcome("gauge_zero")].id == "off"));
    let causes: BTreeSet<usize> = scenes(Grade::Second).filter_map(|scene| scene.truth().map(|one| one.first)).collect();
    assert!(causes.len() >= 8, "forty scenes of one fault are about more than a few: {causes:?}");
    assert!(Grade::ALL.array_windows().all(|[a, b]| a.mix().budget_minutes < b.mix().budget_minutes));
}

#[test]
fn marks_go_by_what_was_done_and_say_what_they_hang_on() {
    let act = |did: Did, minutes: f64, worth: Option<f64>| Act { did, minutes, money: 2.0 * minutes, worth };
    let choice = |probability: f64, right: bool| Choice { cause: "oil_low".into(), probability, act_at: 0.9, right, at_minutes: 60.0 };
    let right = Played {
        acts: vec![
            act(Did::Run, 45.0, None),
            act(Did::Check("level".into()), 3.0, Some(1.0)),
            act(Did::Repair("oil_low".into()), 20.0, None),
            act(Did::Recheck, 30.0, None),
        ],
        choices: vec![choice(0.95, true)],
        ..Played::default()
    };
    let marks = |played: &Played| Marks::of(played, right.money());
    let whole = marks(&right);
    assert!((whole.total() - 100.0).abs() < 1e-9 && whole.marks.iter().all(|mark| mark.because.is_empty()), "{whole:?}");
    assert!(right.is_justified() && !right.is_lucky());
    // One thing otherwise at a time: which mark falls, and what is said of it.
    type Change = fn(&mut Played);
    let changes: [(Change, &str, &str); 8] = [
        (|one| one.choices[0].probability = 0.2, "Proof", "repaired at 20 %"),
        (|one| one.choices[0].right = false, "Proof", "not found"),
        (|one| one.choices.clear(), "Proof", "No cause"),
        (|one| one.forbidden_runs = 1, "Safety", "must not"),
        (|one| _ = one.acts.remove(0), "Safety", "before anybody had measured"),
        (|one| one.acts[1].worth = Some(0.1), "Order", "less was to be learnt"),
        (|one| one.acts[1].money = 900.0, "Price", "planner's way"),
        (|one| _ = one.acts.pop(), "Record", "repair holds"),
    ];
    for (change, of, said) in changes {
        let mut other = right.clone();
        change(&mut other);
        let told = marks(&other);
        let mark = told.marks.iter().find(|mark| mark.of == of).unwrap();
        assert!(told.total() < 99.0 && mark.points < 20.0 && mark.because.iter().any(|why| why.contains(said)), "{of} {said}: {told:?}");
        assert!(told.marks.iter().all(|mark| (0.0..=20.0).contains(&mark.points)));
    }
    // What the customer said may point there; it proves nothing.
    let unseen = Played { acts: right.acts.iter().skip(2).cloned().collect(), ..right.clone() };
    assert!(unseen.is_cured() && !unseen.is_justified());
    let lucky = Played { choices: vec![choice(0.1, true)], ..right.clone() };
    assert!(lucky.is_lucky() && !lucky.is_justified() && lucky.is_cured());
}

#[test]
fn whoever_measures_is_marked_above_whoever_fits_parts() {
    let mut sums = [0.0; 5];
    for grade in Grade::ALL {
        for seed in 0..2 {
            let played = all(&drawn(seed, grade)).unwrap();
            let planner = played[&Bot::Planner].money();
            for (sum, bot) in sums.iter_mut().zip(Bot::ALL) {
                let one = &played[&bot];
                *sum += Marks::of(one, planner).total();
                assert!(one.minutes() > 0.0 && !one.choices.is_empty(), "{bot:?} does something");
                assert_eq!(one.measured_first(), bot != Bot::PartsCannon);
            }
        }
    }
    let [planner, cheapest, along, random, cannon] = sums;
    assert!(planner > random && [planner, cheapest, along, random].iter().all(|marks| *marks > cannon), "{sums:?}");
}

#[test]
fn every_look_has_its_sense_and_the_stock_holds_proven_scenes() {
    for check in &knowledge().checks {
        let said: BTreeSet<&str> = check.outcomes.iter().filter_map(|outcome| sense(&check.id, &outcome.id)).collect();
        assert_eq!(said.len(), check.outcomes.len(), "{}: each outcome is sensed as nothing else of it", check.id);
        // What is sensed is not what it means.
        for outcome in &check.outcomes {
            let label = outcome.label.to_lowercase();
            let sense = sense(&check.id, &outcome.id).unwrap().to_lowercase();
            assert!(label.len() < 6 || !sense.contains(&label), "{} {}: {sense}", check.id, outcome.id);
        }
    }
    for grade in Grade::ALL {
        let seeds = seeds(grade);
        assert!(seeds.len() >= 40, "{grade:?}");
        assert!(seeds.iter().collect::<BTreeSet<_>>().len() == seeds.len());
        let first = seeds[seeds.len() / 2];
        assert!(is_proven(first, grade), "{grade:?} {first}: the knowledge changed; draw the stock again");
    }
}
