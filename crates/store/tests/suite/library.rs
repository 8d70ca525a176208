//! On a real MariaDB: whatever a library is asked, in whatever order, it answers as a plain list in memory would, and forgets nothing it was told.
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use uuid::Uuid;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::experience::KnownPattern;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::limits::{Point, Sheet};
use velvet_dial_core::rights::Role;
use velvet_dial_core::unit::Gear;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::jobs::{self, Opening, Photo};
use velvet_dial_store::library::Entered;
use velvet_dial_store::zone::Zone;
use velvet_dial_store::{Connection, StoreError, Viewer, library};
use velvet_dial_testkit::{HOSTILE, fresh_database};

const NAMES: [&str; 4] = ["Quayside", "Plover", "Ünder", "Under"];

async fn viewer(db: &Connection, name: &str) -> Viewer {
    let shop = accounts::add_shop(db, name).await.unwrap();
    accounts::add_user(db, shop, &NewUser::of(Role::Owner, name, name, "a long password")).await.unwrap().unwrap()
}

fn card(number: u32) -> Card {
    Card::of(0.5 + f64::from(number % 40) / 10.0, 4, 700.0 + f64::from(number % 7), "5W-30")
}

fn sheet(number: u32) -> Sheet {
    let min_kpa = Some(60.0 + f64::from(number % 50));
    let point = Point { rpm: 750.0, oil_temp_c: 100.0, gear: Gear::Neutral, min_kpa, max_kpa: None };
    let day = format!("20{:02}-0{}-01", 10 + number % 15, 1 + number % 9);
    Sheet {
        source: format!("revision {number}"),
        in_force_from: (!number.is_multiple_of(6)).then(|| day.parse().unwrap()),
        points: vec![point],
        ..Sheet::default()
    }
}

/// A revision as the model remembers it: its key, what it says, whether another took its place.
type Revision = (Uuid, Sheet, bool);

/// What the shop should know.
#[derive(Default)]
struct Model {
    engines: Vec<(Uuid, String, Card, Vec<Revision>)>,
    gauges: Vec<(Uuid, String, Instrument)>,
}

/// Names are told apart as the database does: letters with and without accents are one.
fn alike(a: &str, b: &str) -> bool {
    let plain = |name: &str| name.replace('Ü', "U").to_lowercase();
    plain(a) == plain(b)
}

impl Model {
    async fn step(&mut self, db: &Connection, who: &Viewer, random: &mut ChaCha8Rng) {
        let number = random.random::<u32>();
        let name = NAMES[number as usize % NAMES.len()];
        let one = (!self.engines.is_empty()).then(|| number as usize % self.engines.len());
        match (random.random_range(0..7), one) {
            (0 | 1, _) => {
                let first = sheet(number);
                let added = library::add_engine_with(db, who, (name, &card(number)), Some(&first)).await.unwrap();
                let taken = self.engines.iter().any(|(_, other, ..)| alike(other, name));
                assert_eq!(added.is_none(), taken, "{name}");
                if let Some(id) = added {
                    let revision = library::engine(db, who, id).await.unwrap().revisions[0].id;
                    self.engines.push((id, name.to_owned(), card(number), vec![(revision, first, false)]));
                }
            }
            (2, Some(one)) => {
                let taken = self.engines.iter().enumerate().any(|(i, (_, other, ..))| i != one && alike(other, name));
                let engine = &mut self.engines[one];
                assert_eq!(library::change_engine(db, who, engine.0, name, &card(number)).await.unwrap(), !taken);
                if !taken {
                    (engine.1, engine.2) = (name.to_owned(), card(number));
                }
            }
            (3 | 4, Some(one)) => {
                let revisions = &mut self.engines[one].3;
                // Every other one corrects one that stands, or one that was corrected before.
                let corrects = number.is_multiple_of(2).then(|| number as usize % revisions.len());
                let corrected = corrects.map(|place| revisions[place].0);
                let id = library::revise_sheet(db, who, self.engines[one].0, &sheet(number), corrected).await.unwrap();
                let revisions = &mut self.engines[one].3;
                if let Some(place) = corrects {
                    revisions[place].2 = true;
                }
                revisions.push((id, sheet(number), false));
            }
            (5, _) => {
                let gauge = Instrument { full_scale_kpa: 100.0 + f64::from(number % 900), ..Instrument::default() };
                let added = library::add_gauge(db, who, name, &gauge).await.unwrap();
                assert_eq!(added.is_none(), self.gauges.iter().any(|(_, other, _)| alike(other, name)));
                self.gauges.extend(added.map(|id| (id, name.to_owned(), gauge)));
            }
            _ if !self.gauges.is_empty() => {
                let one = number as usize % self.gauges.len();
                let gauge = Instrument { class_percent: f64::from(number % 5) + 0.5, ..Instrument::default() };
                let taken = self.gauges.iter().enumerate().any(|(i, (_, other, _))| i != one && alike(other, name));
                assert_eq!(library::change_gauge(db, who, self.gauges[one].0, name, &gauge).await.unwrap(), !taken);
                if !taken {
                    (self.gauges[one].1, self.gauges[one].2) = (name.to_owned(), gauge);
                }
            }
            _ => {}
        }
    }

    async fn holds(&self, db: &Connection, who: &Viewer) {
        let engines = library::engines(db, who).await.unwrap();
        assert_eq!(engines.len(), self.engines.len());
        for (id, name, card, revisions) in &self.engines {
            let engine = engines.iter().find(|engine| engine.id == *id).unwrap();
            assert_eq!((&engine.name, &engine.card), (name, card));
            assert_eq!(engine, &library::engine(db, who, *id).await.unwrap(), "alone and in the list it is the same");
            let mut all = revisions.clone();
            all.sort_by_key(|(id, sheet, _)| (sheet.in_force_from, *id));
            let kept: Vec<Revision> = engine.revisions.iter().map(|r| (r.id, r.sheet.clone(), r.corrected)).collect();
            assert_eq!(kept, all, "nothing that was entered is forgotten");
            let counts: Vec<Sheet> = all.into_iter().filter(|(_, _, corrected)| !corrected).map(|(_, sheet, _)| sheet).collect();
            assert_eq!(engine.sheets, counts, "what was corrected counts no more");
        }
        let gauges = library::gauges(db, who).await.unwrap();
        let mut known: Vec<_> = gauges.into_iter().map(|gauge| (gauge.id, gauge.name, gauge.gauge)).collect();
        known.sort_by_key(|(id, ..)| *id);
        assert_eq!(known, self.gauges);
    }
}

#[tokio::test]
async fn a_library_answers_as_a_plain_list_would_and_one_shop_is_not_another() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let shops = [viewer(&db, "alpha").await, viewer(&db, "beta").await];
    let mut models = [Model::default(), Model::default()];
    let mut random = ChaCha8Rng::seed_from_u64(11);
    for _ in 0..120 {
        let place = usize::from(random.random_bool(0.3));
        models[place].step(&db, &shops[place], &mut random).await;
    }
    for (who, model) in shops.iter().zip(&models) {
        model.holds(&db, who).await;
    }
    // The one cannot touch what is the other's, by any of its keys.
    let (id, ..) = &models[0].engines[0];
    let stranger = &shops[1];
    let refused = |done: Result<(), StoreError>| assert!(matches!(done, Err(StoreError::NotFound)), "{done:?}");
    refused(library::engine(&db, stranger, *id).await.map(drop));
    refused(library::change_engine(&db, stranger, *id, "mine", &card(1)).await.map(drop));
    refused(library::revise_sheet(&db, stranger, *id, &sheet(1), None).await.map(drop));
    refused(library::change_gauge(&db, stranger, models[0].gauges[0].0, "mine", &Instrument::default()).await.map(drop));
    let foreign = models[0].engines[0].3[0].0;
    refused(library::revise_sheet(&db, stranger, models[1].engines[0].0, &sheet(1), Some(foreign)).await.map(drop));
    models[0].holds(&db, &shops[0]).await;
}

#[tokio::test]
async fn a_vehicle_is_known_by_its_plate_and_offered_while_it_is_typed() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let who = viewer(&db, "alpha").await;
    let tagged = async |tag: &str, says: &str| library::vehicle_tagged(&db, &who, tag, says).await.unwrap();
    let first = tagged("QX 41 ABC", "Mobile library").await;
    assert_eq!(tagged("qx41abc", "").await, first, "spaces and case aside, and nothing said changes nothing");
    assert_eq!(tagged("QX 41 ABC", "Library van").await.description, "Library van", "a new description is taken");
    for tag in ["QX 41 ÄBC", "QX 41 AB", "O 0", "0 O", HOSTILE] {
        let other = tagged(&tag.chars().take(40).collect::<String>(), "").await;
        assert_ne!(other.id, first.id, "no letter is taken for another: {tag}");
    }
    let like = async |typed: &str, most: u64| library::vehicles_like(&db, &who, typed, most).await.unwrap();
    assert_eq!(like("qx 41 a", 9).await.iter().map(|vehicle| vehicle.tag.as_str()).collect::<Vec<_>>(), ["QX 41 AB", "QX 41 ABC"]);
    assert_eq!(
        (like("", 3).await.len(), like("%", 9).await.len(), like("_X", 9).await.len()),
        (3, 0, 0),
        "signs of the database mean nothing"
    );
    let at_once = (0..12).map(|_| {
        let (db, who) = (db.clone(), who.clone());
        tokio::spawn(async move { library::vehicle_tagged(&db, &who, "NEW 1", "").await.unwrap().id })
    });
    let mut ids = std::collections::HashSet::new();
    for one in at_once.collect::<Vec<_>>() {
        ids.insert(one.await.unwrap());
    }
    assert_eq!(ids.len(), 1, "twelve at once make one vehicle");
}

#[tokio::test]
async fn what_a_shop_says_of_itself_comes_back_and_its_people_are_its_own() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (alpha, beta) = (viewer(&db, "alpha").await, viewer(&db, "beta").await);
    let says = [
        Shop { name: HOSTILE.chars().take(60).collect(), zone: Zone::named("Pacific/Chatham").unwrap(), ..Shop::default() },
        Shop { hours_min: Some((0, 1440)), labour_rate: Some(0.1 + 0.2), money: Some("XTS".into()), name: "A".into(), ..Shop::default() },
        Shop { name: "Ä".into(), ..Shop::default() },
    ];
    for shop in says {
        accounts::change_shop(&db, &alpha, &shop).await.unwrap();
        assert_eq!(accounts::shop(&db, &alpha).await.unwrap(), shop);
    }
    assert_eq!(accounts::shop(&db, &beta).await.unwrap().name, "beta");
    let named = async |name: &str| accounts::shop_named(&db, name).await.unwrap();
    assert_eq!(named("Ä").await, alpha.shop);
    assert_ne!(named("A").await, alpha.shop, "an accent makes another shop");
    assert_eq!(named("A").await, named("A").await, "and the second time it is known");
    accounts::add_user(&db, alpha.shop, &NewUser::of(Role::Owner, "mo", "Mo", "a long password")).await.unwrap().unwrap();
    assert!(
        accounts::add_user(&db, beta.shop, &NewUser::of(Role::Owner, "mo", "Mo", "a long password")).await.unwrap().is_none(),
        "one name, one person"
    );
    let colleagues = async || accounts::colleagues(&db, &alpha).await.unwrap().into_iter().map(|person| person.sign_in).collect::<Vec<_>>();
    assert_eq!(colleagues().await, ["alpha", "mo"], "in the order of their names on the screen");
    accounts::remove_user(&db, "mo").await.unwrap();
    assert_eq!(colleagues().await, ["alpha"]);
    let of_each: Vec<Uuid> = accounts::one_of_each_shop(&db).await.unwrap().iter().map(|viewer| viewer.shop).collect();
    assert_eq!(of_each, [alpha.shop, beta.shop]);
}

/// What is known of a family reaches the open jobs on its engines, once a cause; taken back it counts no more, and no other shop has a part in it. So with a sheet's pages.
#[tokio::test]
async fn known_patterns_and_pages_belong_to_their_family_their_sheet_and_their_shop() {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let (alpha, beta) = (viewer(&db, "alpha").await, viewer(&db, "beta").await);
    let family = |name: &str| Card { family: Some(name.to_owned()), ..card(3) };
    let mut jobs = Vec::new();
    for (who, engine, family) in [(&alpha, "one", family("Skua")), (&alpha, "two", family("Tern")), (&beta, "one", family("Skua"))] {
        let engine = library::add_engine(&db, who, engine, &family).await.unwrap().unwrap();
        let opening = Opening { tag: "T 1", description: "", engine, complaint: "lamp", submit_key: "k", scene: None, at: None };
        // Of one vehicle only one job is open.
        let opening = Opening { tag: if jobs.len() == 1 { "T 2" } else { "T 1" }, ..opening };
        jobs.push((who, engine, jobs::open(&db, who, &opening).await.unwrap()));
    }
    let known = KnownPattern { cause: "pickup_air".to_owned(), times: 4.0, cases: Some(7), source: HOSTILE.chars().take(190).collect() };
    assert_eq!(library::add_pattern(&db, &alpha, "Skua", &known).await.unwrap(), Entered::Stands);
    let again = KnownPattern { times: 9.0, ..known.clone() };
    assert_eq!(library::add_pattern(&db, &alpha, "skua", &again).await.unwrap(), Entered::Twice, "it would count twice");
    assert_eq!(library::add_pattern(&db, &beta, "Tern", &again).await.unwrap(), Entered::NoFamily, "another shop's family");
    let counts = async |place: usize| {
        let (who, _, number) = &jobs[place];
        jobs::load(&db, who, *number).await.unwrap().case().known_patterns
    };
    assert_eq!((counts(0).await, counts(1).await, counts(2).await), (vec![known.clone()], Vec::new(), Vec::new()));
    let stands = library::patterns(&db, &alpha).await.unwrap();
    assert_eq!((stands.len(), &stands[0].known, stands[0].by.0.as_str()), (1, &known, "alpha"));
    assert!(library::patterns(&db, &beta).await.unwrap().is_empty());
    assert!(matches!(library::retire_pattern(&db, &beta, stands[0].id).await, Err(StoreError::NotFound)));
    library::retire_pattern(&db, &alpha, stands[0].id).await.unwrap();
    assert_eq!(counts(0).await, Vec::new());
    assert_eq!(library::add_pattern(&db, &alpha, "Skua", &known).await.unwrap(), Entered::Stands, "and may be entered again");

    let revision = library::add_sheet(&db, &alpha, jobs[0].1, &sheet(1), None).await.unwrap();
    let photo = |byte: u8| Photo { width: 2, height: 3, small: vec![byte], large: vec![byte; 9] };
    for byte in [1, 2, 1] {
        library::add_page(&db, &alpha, revision, &photo(byte)).await.unwrap();
    }
    assert!(matches!(library::add_page(&db, &beta, revision, &photo(3)).await, Err(StoreError::NotFound)));
    let pages = library::pages(&db, &alpha).await.unwrap().remove(&revision).unwrap();
    assert_eq!(pages.len(), 2, "the same one once");
    assert_eq!(library::page(&db, &alpha, pages[1], true).await.unwrap(), vec![2; 9]);
    assert!(library::pages(&db, &beta).await.unwrap().is_empty());
    assert!(matches!(library::page(&db, &beta, pages[0], false).await, Err(StoreError::NotFound)));
    let engines = library::engines(&db, &alpha).await.unwrap();
    let entered = &engines.iter().find(|engine| engine.name == "one").unwrap().revisions[0].by;
    assert_eq!(entered.0, "alpha", "who entered it");
}
