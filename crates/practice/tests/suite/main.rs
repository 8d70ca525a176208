//! The practice bench: scenes that come again as they were, grades that hold what they promise, marks that go by what was done.
use proptest::prelude::*;
use std::collections::BTreeSet;
use velvet_dial_core::case::Case;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::{Link, knowledge};
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_practice::aftermath::aftermath;
use velvet_dial_practice::bots::{Bot, Ready, all};
use velvet_dial_practice::condition::{Condition, Wreck};
use velvet_dial_practice::course::course;
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::hints::{MOST_HINTS, hint};
use velvet_dial_practice::marks::Marks;
use velvet_dial_practice::play::{Act, Choice, Did, Played};
use velvet_dial_practice::proving::is_proven;
use velvet_dial_practice::run_file::{self, RunFile};
use velvet_dial_practice::scene::Scene;
use velvet_dial_practice::senses::sense;
use velvet_dial_practice::stock::seeds;
use velvet_dial_practice::written::Written;

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
        let brief = one.brief();
        let bare = Case {
            spec: brief.spec.clone(),
            instruments: brief.instruments.clone(),
            circumstances: brief.circumstances.clone(),
            ..Case::of(brief.engine.clone())
        };
        prop_assert_eq!(bare, brief);
    }

    #[test]
    fn a_vehicle_is_cured_once_everything_in_it_is_repaired_and_not_before(seed in 0u64..400, grade in prop::sample::select(Grade::ALL.to_vec())) {
        let scene = drawn(seed, grade);
        let idle = Working { rpm: scene.brief().engine.idle_rpm, oil_temp_c: 90.0 };
        let [was, sound] = scene.true_kpa(idle);
        let mut condition = Condition::default();
        let faults: Vec<usize> = scene.faults().collect();
        prop_assert!((scene.now(&condition).gauge_kpa(idle) - scene.gauge_kpa(idle)).abs() < 1e-6);
        for (done, cause) in faults.iter().enumerate() {
            prop_assert!(!scene.now(&condition).is_cured());
            prop_assert_eq!(scene.now(&condition).is_cured_by(*cause), done + 1 == faults.len());
            condition.repair(*cause);
        }
        let now = scene.now(&condition);
        prop_assert!(now.is_cured() && now.turns());
        // The gauge is off by what it was off: what the engine makes is what it made before.
        let off = scene.gauge_kpa(idle) - was;
        if scene.gauge_kpa(idle) > 0.0 && now.gauge_kpa(idle) > 0.0 && faults.len() < 2 {
            prop_assert!((now.gauge_kpa(idle) - sound - off).abs() < 1.0, "{} {sound} {off}", now.gauge_kpa(idle));
        }
        for (place, check) in knowledge().checks.iter().enumerate().filter(|(_, check)| check.id != "gauge_zero" && !faults.is_empty()) {
            prop_assert!(check.usual.p[now.outcome(&check.id)] >= check.usual.p.iter().copied().fold(0.0, f64::max), "{place} {}", check.id);
        }
        // A hint never names the cause.
        for place in 0..MOST_HINTS {
            let said = hint(&scene, &Condition::default(), place).unwrap();
            let named = faults.iter().any(|cause| said.to_lowercase().contains(&knowledge().causes[*cause].name.to_lowercase()));
            prop_assert!(!named, "{said}");
        }
        prop_assert!(hint(&scene, &Condition::default(), MOST_HINTS).is_none());
    }
}

#[test]
fn an_engine_that_is_run_without_pressure_wrecks_itself_by_degrees() {
    let written =
        |cause: &str| course().iter().find(|one| one.fault.cause == cause && one.fault.second.is_none()).unwrap().scene().unwrap();
    let scene = written("pump_drive");
    let hot = Working { rpm: 900.0, oil_temp_c: 90.0 };
    let mut condition = Condition::default();
    let mut degrees = Vec::new();
    for _ in 0..4 {
        condition.run(&scene, hot, false);
        degrees.push(condition.wreck);
    }
    // Once is how one finds out.
    assert_eq!(degrees, [Wreck::None, Wreck::Bearing, Wreck::Journal, Wreck::Crank]);
    assert!(!scene.now(&condition).turns() && scene.now(&condition).gauge_kpa(hot) == 0.0);
    assert!(degrees.windows(2).all(|two| two[1].costs() >= two[0].costs() && two[1].sense().is_some()));
    // The pump's drive alone does not cure it any more, and bearings alone go again.
    let bearings = knowledge().cause("bearings_crank").unwrap();
    let drive = knowledge().cause("pump_drive").unwrap();
    let mut one = Condition { wreck: Wreck::Bearing, ..Condition::default() };
    one.repair(drive);
    assert!(!scene.now(&one).is_cured() && scene.now(&one).is_cured_by(bearings));
    let noise = knowledge().check("noise").unwrap();
    assert_ne!(noise.outcomes[scene.now(&one).outcome("noise")].id, "none", "worn bearings are heard");
    one.repair(bearings);
    assert!(scene.now(&one).is_cured());
    let mut other = Condition { wreck: Wreck::Journal, ..Condition::default() };
    other.repair(bearings);
    for _ in 0..2 {
        other.run(&scene, hot, false);
    }
    assert_eq!(other.wreck, Wreck::Bearing);
    // Thicker oil lifts the gauge and cures nothing; it comes back, and a repair of the fault itself is still to be done.
    let worn = written("bearings_crank");
    let (as_it_was, mut thick) = (Condition::default(), Condition::default());
    thick.hide();
    assert!(worn.now(&thick).gauge_kpa(hot) > worn.now(&as_it_was).gauge_kpa(hot) && !worn.now(&thick).is_cured());
    assert!(aftermath(&worn, &Played::default(), &thick)[0].contains("frost"));
    thick.repair(bearings);
    assert!(worn.now(&thick).is_cured());
    // A wrong lamp is a fault like any other, though the pressure is right.
    let lamp = written("sender");
    assert!(!lamp.now(&Condition::default()).is_cured() && lamp.is_cured_by(knowledge().cause("sender").unwrap()));
    assert!(!lamp.is_cured_by(knowledge().cause("within_spec").unwrap()));
    // The flag is no wreck: an engine that has its pressure is not hurt by being run against it.
    let sound = written("sender");
    let mut run = Condition::default();
    for _ in 0..5 {
        run.run(&sound, hot, true);
    }
    assert_eq!(run, Condition::default());
    // What had led to the damage and was left brings it back.
    let pair = course().iter().find(|one| one.fault.second.is_some() && one.fault.cause == "screen_blocked").unwrap().scene().unwrap();
    let mut half = Condition::default();
    half.repair(bearings);
    let played = Played::default();
    assert!(aftermath(&pair, &played, &half)[0].contains("What had led to the damage"), "{:?}", aftermath(&pair, &played, &half));
}

#[test]
fn the_course_teaches_twenty_four_things_and_each_can_be_found() {
    assert_eq!(course().len(), 24);
    let titles: BTreeSet<&str> = course().iter().map(|one| one.title.as_str()).collect();
    assert_eq!(titles.len(), 24);
    for (place, one) in course().iter().enumerate() {
        let again = Written::read(&one.text()).unwrap_or_else(|wrong| panic!("{}: {wrong:?}", one.title));
        assert_eq!(again, *one);
        let name = knowledge().causes[knowledge().cause(&one.fault.cause).unwrap()].name.to_lowercase();
        assert!(!one.title.to_lowercase().contains(&name), "{} gives it away", one.title);
        assert_eq!(one.lesson.matches(". ").count() + 1, 3, "{}: three sentences: {}", one.title, one.lesson);
        // A few of them here; `velvet-dial practice --check` tries any.
        if place % 4 == 0 {
            one.solvable().unwrap_or_else(|why| panic!("{}: {why}", one.title));
        }
    }
    assert!(!course()[0].guide.is_empty(), "the first is guided");
    let grades: BTreeSet<Grade> = course().iter().map(|one| one.grade).collect();
    assert_eq!(grades.len(), 5);
}

#[test]
fn a_written_scene_is_refused_with_what_would_be_right() {
    let good = course()[0].text();
    let changes = [
        ("velvet-dial.scene/1", "velvet-dial.scene/9", "The format is velvet-dial.scene/1"),
        ("cause = \"sender\"", "cause = \"gremlins\"", "is no cause that a scene can have"),
        ("cause = \"sender\"", "cause = \"sender\"\nsecond = \"jets_open\"", "are no pair that is known"),
        ("cause = \"sender\"", "cause = \"test_gauge\"", "gauge_off_kpa"),
        ("grade = \"first\"", "grade = \"sixth\"", "This is no scene"),
        ("maker = \"two-stage pumps\"", "maker = \"Nobody\"", "No maker is called"),
        ("grade = \"first\"", "grade = \"first\"\ngauge_off_kpa = 4.0", "by 15 to 120 kPa"),
        ("tells = [\"lamp_on\"]", "tells = [\"aliens\"]", "cannot tell"),
        ("until = \"level\"", "until = \"divining\"", "A guide's step is done by"),
        ("vehicle = \"Van\"", "vehicle = \"\"", "holds 1 to"),
        ("vehicle = \"Van\"", "vehicle = \"Van\"\ncolour = \"red\"", "This is no scene"),
    ];
    for (from, to, said) in changes {
        assert_eq!(good.matches(from).count(), 1, "{from}: {good}");
        let wrong = Written::read(&good.replace(from, to)).unwrap_err().join(" ");
        assert!(wrong.contains(said), "{to}: {wrong}");
    }
    let made = velvet_dial_practice::written::schema().to_value();
    let kept: serde_json::Value = serde_json::from_str(include_str!("../../../../docs/scene.schema.json")).unwrap();
    assert_eq!(made, kept, "velvet-dial practice --schema > docs/scene.schema.json");
    // The example of the documentation is one.
    let docs = include_str!("../../../../docs/practice.md");
    let example = docs.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    Written::read(example).unwrap_or_else(|wrong| panic!("{wrong:?}"));
    let shows = |check: &str, outcome: &str| {
        let one = Written { shows: [(check.to_owned(), outcome.to_owned())].into(), ..course()[0].clone() };
        Written::read(&one.text()).map_err(|wrong| wrong.join(" "))
    };
    assert!(shows("level", "sideways").unwrap_err().contains("It shows ok, low, high"));
    assert!(shows("divining", "ok").unwrap_err().contains("is no check"));
    let one = shows("level", "low").unwrap().scene().unwrap();
    assert_eq!(knowledge().check("level").unwrap().outcomes[one.outcome("level")].id, "low", "it shows what its author says");
    // An old sheet asks a quarter more, and says that it is old.
    use velvet_dial_practice::written::SheetWritten;
    let sheet = |sheet: SheetWritten| Written { sheet, ..course()[0].clone() }.scene().unwrap().brief().spec;
    let (now, old) = (sheet(SheetWritten::InForce).unwrap(), sheet(SheetWritten::Old).unwrap());
    assert!(old.points[0].min_kpa > now.points[0].min_kpa && old.source.contains("first issue") && sheet(SheetWritten::None).is_none());
}

#[test]
fn a_run_is_replayed_from_its_file_as_it_was() {
    let scene = drawn(3, Grade::Second);
    let played = Ready::of(&scene).unwrap().played(Bot::Planner);
    let file = RunFile { format: run_file::FORMAT.to_owned(), seed: 3, grade: Grade::Second, written: None, played };
    let text = serde_json::to_string(&file).unwrap();
    let again = RunFile::read(&text).unwrap();
    assert_eq!(again.replay(), file.replay());
    let told = again.replay().unwrap();
    let hidden = &knowledge().causes[scene.faults().next().unwrap()].name;
    assert!(told.contains(hidden.as_str()) && told.contains("Proof"), "{told}");
    assert!(RunFile::read("{}").unwrap_err().contains("no run"));
    assert!(RunFile::read(&text.replace("practice-run/1", "practice-run/2")).unwrap_err().contains("The format is"));
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
        assert_eq!(scenes(grade).any(|scene| scene.sheet_in_force().is_some()), grade.mix().old_sheet > 0.0, "{grade:?}");
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
        cured: true,
        ..Played::default()
    };
    let marks = |played: &Played| Marks::of(played, right.money());
    let whole = marks(&right);
    assert!((whole.total() - 100.0).abs() < 1e-9 && whole.marks.iter().all(|mark| mark.because.is_empty()), "{whole:?}");
    assert!(right.is_justified() && !right.is_lucky());
    // One thing otherwise at a time: which mark falls, and what is said of it.
    type Change = fn(&mut Played);
    let changes: [(Change, &str, &str); 16] = [
        (|one| one.choices[0].probability = 0.2, "Proof", "repaired at 20 %"),
        (|one| one.choices[0].right = false, "Proof", "not found"),
        (|one| one.choices.clear(), "Proof", "No cause"),
        (|one| one.cured = false, "Proof", "still wrong"),
        (|one| one.cured = false, "Price", "still there"),
        (|one| one.hints = 2, "Proof", "2 hints were bought"),
        (|one| one.stopgaps = 1, "Proof", "hidden, not removed"),
        (|one| one.never_hot = true, "Proof", "oil hot"),
        (|one| one.wreck = Wreck::Journal, "Safety", "journal"),
        (|one| one.left_out.push("its zero".into()), "Safety", "its zero"),
        (|one| one.not_agreed = true, "Record", "agreed"),
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
    assert!(unseen.cured && !unseen.is_justified());
    let lucky = Played { choices: vec![choice(0.1, true)], ..right.clone() };
    assert!(lucky.is_lucky() && !lucky.is_justified() && lucky.cured);
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
