//! Who may go where, what a closing keeps, what the library takes, what is undone: over real HTTP.
use crate::support::person::{Person, location};
use reqwest::StatusCode;
use velvet_dial_core::rights::Role;
use velvet_dial_store::accounts;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{self, Photo};

/// Every address there is: its method, what it is sent, and whether it names something of a shop.
const ADDRESSES: &[(&str, &str, bool)] = &[
    ("GET", "/", false),
    ("GET", "/jobs", false),
    ("GET", "/jobs/new", false),
    ("POST", "/jobs", false),
    ("GET", "/library", false),
    ("GET", "/library?engine={engine}", true),
    ("GET", "/library?revise={engine}", true),
    ("POST", "/library/engines", false),
    ("POST", "/library/engines/{engine}", true),
    ("POST", "/library/engines/{engine}/sheets", true),
    ("POST", "/gauges", false),
    ("POST", "/gauges/{gauge}", true),
    ("GET", "/settings", false),
    ("POST", "/settings", false),
    ("GET", "/gauges?gauge={gauge}", true),
    ("GET", "/help", false),
    ("GET", "/help/run", false),
    ("GET", "/thread", false),
    ("GET", "/thread?diameter=10", false),
    ("GET", "/rigs", false),
    ("POST", "/rigs", false),
    ("POST", "/rigs/{rig}/token", true),
    ("GET", "/gauges", false),
    ("POST", "/gauges/{gauge}/beside", true),
    ("POST", "/adapters", false),
    ("POST", "/cautions", false),
    ("GET", "/jobs/9", true),
    ("GET", "/jobs/9/intake", true),
    ("GET", "/jobs/9/look", true),
    ("GET", "/jobs/9/rig", true),
    ("GET", "/jobs/9/readings", true),
    ("POST", "/jobs/9/rig", true),
    ("GET", "/jobs/9/run", true),
    ("GET", "/jobs/9/compare", true),
    ("GET", "/jobs/9/trace", true),
    ("GET", "/jobs/9/put-right", true),
    ("GET", "/jobs/9/prove", true),
    ("GET", "/jobs/9/report", true),
    ("GET", "/jobs/9/report.json", true),
    ("GET", "/jobs/9/case.json", true),
    ("GET", "/jobs/9/captures/{capture}", true),
    ("POST", "/jobs/9/captures/{capture}/mapping", true),
    ("GET", "/jobs/9/captures/{capture}/strip", true),
    ("GET", "/jobs/9/captures/{capture}/saved/parquet", true),
    ("GET", "/jobs/9/runs/{run}", true),
    ("GET", "/jobs/9/runs/{run}/told", true),
    ("GET", "/jobs/9/runs/{run}/strip?from=0&to=1&points=50", true),
    ("GET", "/jobs/9/runs/{run}/hold?number=1&from=0&to=2", true),
    ("GET", "/jobs/9/runs/{run}/saved/csv", true),
    ("GET", "/jobs/9/runs/{run}/saved/svg", true),
    ("GET", "/jobs/9/photos/{photo}/small.jpg", true),
    ("GET", "/jobs/9/live", true),
    ("POST", "/jobs/9/live/take", true),
    ("POST", "/jobs/9/live/hand", true),
    ("POST", "/jobs/9/live/rig", true),
    ("POST", "/jobs/9/circumstance", true),
    ("POST", "/jobs/9/details", true),
    ("POST", "/jobs/9/link/reply", true),
    ("POST", "/jobs/9/replaced", true),
    ("POST", "/jobs/9/particulars", true),
    ("POST", "/jobs/9/evidence", true),
    ("POST", "/jobs/9/happened", true),
    ("POST", "/jobs/9/reading", true),
    ("GET", "/practice", false),
    ("POST", "/practice", false),
    ("POST", "/jobs/9/bench", true),
    ("POST", "/jobs/9/repair", true),
    ("POST", "/jobs/9/withdraw", true),
    ("POST", "/jobs/9/undo", true),
    ("POST", "/jobs/9/close", true),
    ("POST", "/jobs/9/reopen", true),
    ("POST", "/rigs/{rig}/unpair", true),
];

/// A form that is whole wherever it is sent, so that nothing but the asker can be wrong with it.
pub const FORM: &[(&str, &str)] = &[
    ("key", "k"),
    ("check", "needle"),
    ("outcome", "steady"),
    ("step", "port"),
    ("answer", "done"),
    ("circumstance", "knock"),
    ("told", "true"),
    ("rpm", "780"),
    ("oil_temp_c", "97"),
    ("pressure", "60"),
    ("unit", "kPa"),
    ("done", "x"),
    ("reason", "x"),
    ("name", "Stranger's"),
    ("displacement_l", "2"),
    ("cylinders", "4"),
    ("idle_rpm", "750"),
    ("oil_grade", "5W-30"),
    ("full_scale", "1000"),
    ("class_percent", "1.6"),
    ("graduation", "20"),
    ("rpm1", "750"),
    ("temp1", "100"),
    ("min1", "100"),
    ("in_force_from", "2026-01-01"),
    ("time", "0"),
    ("time_unit", "s"),
    ("pressure_unit", "kPa"),
    ("speed", "2"),
    ("oil_temp", "3"),
    ("oil_temp_unit", "c"),
    ("zone", "UTC"),
];

/// A key of the page of this path, behind what stands before it.
async fn key(person: &Person, path: &str, before: &str) -> String {
    let page = person.page(path).await;
    page.split(before).nth(1).unwrap().get(..36).unwrap().to_owned()
}

#[tokio::test]
async fn every_address_is_closed_to_nobody_in_particular_and_to_another_shop() {
    let (base, db) = crate::support::start_with().await;
    let ines = Person::at(&base).entering_as("ines", "brass needle").await;
    let other = accounts::add_shop(&db, "Another shop").await.unwrap();
    accounts::add_user(&db, other, &NewUser::of(Role::Owner, "stranger", "Stranger", "heron valve gravel")).await.unwrap().unwrap();
    let stranger = Person::at(&base).entering_as("stranger", "heron valve gravel").await;
    let nobody = Person::at(&base);
    let run = std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/demo/run-fork5.csv")).unwrap();
    let upload = |person: &Person| {
        let (client, run) = (Person { cookie: person.cookie.clone(), ..Person::at(&base) }, run.clone());
        async move { client.upload("/jobs/9/captures", "run.csv", run).await.unwrap() }
    };
    let kept = upload(&ines).await;
    let capture = location(kept.headers()).rsplit('/').next().unwrap().to_owned();
    let engine = key(&ines, "/library", "?engine=").await;
    let gauge = key(&ines, "/gauges", "?gauge=").await;
    let (rig, run) = crate::support::recorded(&db, 9).await;
    let photo = jobs::add_photo(&db, &crate::support::ines(&db).await, 9, &Photo { width: 1, height: 1, small: vec![1], large: vec![2] })
        .await
        .unwrap();
    let before = ines.page("/jobs/9/case.json").await;
    let entries = async |person: &Person| person.page("/jobs/9/trace").await.matches(">Withdraw<").count();
    let written = entries(&ines).await;
    let ask = async |person: &Person, method: &str, path: &str| {
        let path = path.replace("{engine}", &engine).replace("{gauge}", &gauge).replace("{capture}", &capture);
        let path = path.replace("{rig}", &rig.to_string()).replace("{run}", &run.to_string()).replace("{photo}", &photo.to_string());
        if method == "GET" { person.get(&path).await } else { person.post(&path, FORM).await }
    };
    for (method, path, of_shop) in ADDRESSES {
        let answer = ask(&nobody, method, path).await;
        assert_eq!(answer.status(), StatusCode::SEE_OTHER, "{method} {path}");
        assert!(location(answer.headers()).starts_with("/sign-in"), "{method} {path}");
        if *of_shop {
            assert_eq!(ask(&stranger, method, path).await.status(), StatusCode::NOT_FOUND, "{method} {path}");
        }
    }
    assert_eq!(upload(&stranger).await.status(), StatusCode::NOT_FOUND);
    assert_eq!((ines.page("/jobs/9/case.json").await, entries(&ines).await), (before, written), "nobody has changed anything");
    assert!(!ines.page("/library").await.contains("Stranger"));
    // What the stranger may do is done in the stranger's own shop, and nothing of this one shows there.
    for (method, path, _) in ADDRESSES.iter().filter(|(_, _, of_shop)| !of_shop) {
        let text = ask(&stranger, method, path).await.text().await.unwrap();
        assert!(!text.contains("forklift") && !text.contains("Quayside") && !text.contains("Blue case"), "{method} {path}");
    }
    // Who belongs here is refused nowhere.
    for (method, path, _) in ADDRESSES {
        let status = ask(&ines, method, path).await.status();
        assert!(!status.is_server_error() && status != StatusCode::NOT_FOUND, "{method} {path}: {status}");
    }
}

/// The report of a page, without what is new on every answer.
fn lasting(page: &str) -> String {
    page.lines().filter(|line| !line.contains("name=\"key\"")).collect::<Vec<_>>().join("\n")
}

#[tokio::test]
async fn a_closed_report_is_changed_by_nothing_that_is_changed_later() {
    let person = Person::signed_in().await;
    let closed = |board: &str| board.split("/report\"").next().unwrap().rsplit("/jobs/").next().unwrap().to_owned();
    let number = closed(&person.page("/").await);
    let (report, data) = (format!("/jobs/{number}/report"), format!("/jobs/{number}/report.json"));
    let (page, record) = (lasting(&person.page(&report).await), person.page(&data).await);
    assert!(page.contains("proven") || page.contains("within its limit"), "it is one that was proven");
    assert!(page.contains(" 2026"), "the year stands on what leaves the shop");
    // Every engine, sheet and gauge of the shop is changed.
    let library = [person.page("/library").await, person.page("/gauges").await].concat();
    let keys = |before: &str| {
        let mut keys: Vec<&str> = library.split(before).skip(1).filter_map(|rest| rest.get(..36)).collect();
        keys.dedup();
        keys
    };
    for (place, engine) in keys("?engine=").into_iter().enumerate() {
        let name = format!("Renamed {place}");
        let card = [("name", name.as_str()), ("displacement_l", "4"), ("cylinders", "8"), ("idle_rpm", "600"), ("oil_grade", "15W-40")];
        let changed = person.post(&format!("/library/engines/{engine}"), &card).await;
        assert_eq!(changed.status(), StatusCode::SEE_OTHER);
        let sheet = [("source", "later"), ("in_force_from", "2001-01-01"), ("rpm1", "600"), ("temp1", "100"), ("min1", "20")];
        let revised = person.post(&format!("/library/engines/{engine}/sheets"), &sheet).await;
        assert_eq!(revised.status(), StatusCode::SEE_OTHER);
    }
    for (place, gauge) in keys("?gauge=").into_iter().enumerate() {
        let name = format!("Renamed gauge {place}");
        let form = [("name", name.as_str()), ("full_scale", "2000"), ("class_percent", "4"), ("graduation", "100")];
        assert_eq!(person.post(&format!("/gauges/{gauge}"), &form).await.status(), StatusCode::SEE_OTHER);
    }
    assert_eq!(lasting(&person.page(&report).await), page);
    assert_eq!(person.page(&data).await, record);
    // An open job follows.
    assert!(person.page("/jobs/9/report").await.contains("Renamed"));
}

#[tokio::test]
async fn a_sheet_in_another_unit_is_questioned_breaks_nothing_and_can_be_corrected() {
    let person = Person::signed_in().await;
    let bar = [
        ("name", "Wrong unit"),
        ("displacement_l", "2"),
        ("cylinders", "4"),
        ("idle_rpm", "750"),
        ("oil_grade", "5W-30"),
        ("source", "in bar"),
        ("rpm1", "750"),
        ("temp1", "100"),
        ("min1", "1"),
        ("rpm2", "3000"),
        ("temp2", "100"),
        ("min2", "3"),
        ("max2", "5"),
        ("unit", "kPa"),
    ];
    let asked = person.post("/library/engines", &bar).await;
    assert_eq!(asked.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let page = asked.text().await.unwrap();
    assert!(page.contains("1 kPa as the least at 750 rpm is far from what sheets ask there") && page.contains("value=\"in bar\""));
    // In the unit it stands in, it is taken at once; and whoever insists is believed.
    let insists = [&bar[..], &[("sure", "yes")]].concat();
    assert_eq!(person.post("/library/engines", &insists).await.status(), StatusCode::SEE_OTHER);
    let library = person.page("/library").await;
    let engine = library.split(">Wrong unit</h3>").nth(1).unwrap().split("?engine=").nth(1).unwrap().get(..36).unwrap().to_owned();
    let opened = person.post("/jobs", &[("tag", "BAR 1"), ("complaint", "low"), ("engine", &engine), ("key", "k")]).await;
    let job = location(opened.headers()).trim_end_matches("/intake").to_owned();
    let reading = [("rpm", "750"), ("oil_temp_c", "98"), ("pressure", "120"), ("unit", "kPa"), ("key", "r")];
    assert_eq!(person.post(&format!("{job}/reading"), &reading).await.status(), StatusCode::SEE_OTHER);
    for stage in ["intake", "look", "rig", "run", "compare", "trace", "put-right", "prove", "report"] {
        person.page(&format!("{job}/{stage}")).await;
    }
    let sheet = library.split(&format!("revise={engine}&amp;corrects=")).nth(1).unwrap().get(..36).unwrap();
    let right = [("source", "mended"), ("rpm1", "750"), ("temp1", "100"), ("min1", "1"), ("unit", "bar"), ("corrects", sheet)];
    // The open job's verdict turns, which is told before it is taken in.
    let told = person.post(&format!("/library/engines/{engine}/sheets"), &right).await;
    assert_eq!(told.status(), StatusCode::OK);
    let page = told.text().await.unwrap();
    assert!(page.contains("changes the verdict of open jobs") && page.contains("BAR 1: not measured would be undecided"), "{page}");
    let right = [&right[..], &[("told", "yes")]].concat();
    assert_eq!(person.post(&format!("/library/engines/{engine}/sheets"), &right).await.status(), StatusCode::SEE_OTHER);
    assert!(person.page(&format!("{job}/compare")).await.contains("at least 100 kPa"));
    // One without a first day would never count beside those that have one.
    let dated = [("rpm1", "750"), ("temp1", "100"), ("min1", "90"), ("in_force_from", "2026-01-01")];
    let sent = [&dated[..], &[("told", "yes")]].concat();
    assert_eq!(person.post(&format!("/library/engines/{engine}/sheets"), &sent).await.status(), StatusCode::SEE_OTHER);
    let undated = person.post(&format!("/library/engines/{engine}/sheets"), &dated[..3]).await;
    assert!(undated.text().await.unwrap().contains("a revision needs its first day"));
}

/// What the library shows in a form, sent back unchanged, changes nothing: in every unit.
#[tokio::test]
async fn a_form_that_is_sent_back_as_it_came_changes_nothing() {
    let person = Person::signed_in().await;
    let before = person.page("/jobs/9/case.json").await;
    for (query, from, action) in [("engine", "/library", "/library/engines"), ("gauge", "/gauges", "/gauges")] {
        let listed = person.page(from).await;
        for rest in listed.split(&format!("?{query}=")).skip(1) {
            let id = rest.get(..36).unwrap();
            for unit in ["kPa", "bar", "psi"] {
                let switched = Person { cookie: format!("{}; vd_unit={unit}", person.cookie), ..Person::at(&person.base) };
                let page = switched.page(&format!("{from}?{query}={id}")).await;
                let form = page.split(&format!("action=\"{action}/{id}\"")).nth(1).unwrap().split("</form>").next().unwrap();
                let fields = typed(form);
                assert!(fields.len() > 5, "{fields:?}");
                let fields: Vec<(&str, &str)> = fields.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
                let sent = switched.post(&format!("{action}/{id}"), &fields).await;
                assert_eq!(sent.status(), StatusCode::SEE_OTHER, "{query} in {unit}: {fields:?}");
            }
        }
    }
    assert_eq!(person.page("/jobs/9/case.json").await, before);
}

/// The fields of a form as a browser sends them.
pub fn typed(form: &str) -> Vec<(String, String)> {
    let value = |tag: &str, name: &str| tag.split(&format!("{name}=\"")).nth(1).and_then(|rest| rest.split('"').next()).map(str::to_owned);
    let (mut fields, mut first) = (Vec::new(), false);
    for tag in form.split('<').skip(1) {
        let ticked = !tag.contains("type=\"checkbox\"") || tag.contains(" checked");
        match (tag.split_whitespace().next(), value(tag, "name")) {
            (Some("input"), Some(name)) if ticked => fields.push((name, value(tag, "value").unwrap_or_default())),
            (Some("select"), Some(name)) => {
                fields.push((name, String::new()));
                first = true;
            }
            (Some("option"), None) if first || tag.contains(" selected") => {
                fields.last_mut().unwrap().1 = value(tag, "value").unwrap_or_default();
                first = false;
            }
            _ => {}
        }
    }
    fields
}

#[tokio::test]
async fn a_slip_of_the_finger_is_undone_by_one_tap_of_the_same_hand() {
    let person = Person::signed_in().await;
    let fragment = async |person: &Person, path: &str, form: &[(&str, &str)]| {
        let sent = person.ask(person.client.post(format!("{}/jobs/9/{path}", person.base))).header("hx-request", "true");
        sent.form(form).send().await.unwrap().text().await.unwrap()
    };
    let undo = |page: &str| {
        let form = page.split("/undo\"").nth(2)?;
        Some(form.split("name=\"supersedes\" value=\"").nth(1)?.get(..36)?.to_owned())
    };
    let answers = async || {
        let case: serde_json::Value = serde_json::from_str(&person.page("/jobs/9/case.json").await).unwrap();
        let found = case["evidence"].as_array().unwrap().iter().find(|entry| entry["check"] == "needle").cloned();
        found.map(|entry| entry["outcome"].as_str().unwrap().to_owned())
    };
    let first = fragment(&person, "evidence", &[("check", "needle"), ("outcome", "steady"), ("key", "a"), ("seen", "1")]).await;
    assert!(first.contains("Undo"));
    let entry = undo(&first).unwrap();
    // Another hand undoes nothing of it.
    let odd = Person::at(&person.base).entering_as("odd", "brass needle").await;
    fragment(&odd, "undo", &[("supersedes", &entry), ("key", "o"), ("seen", "1")]).await;
    assert_eq!(answers().await.as_deref(), Some("steady"));
    let changed =
        fragment(&person, "evidence", &[("check", "needle"), ("outcome", "flutter"), ("key", "b"), ("seen", "1"), ("supersedes", &entry)])
            .await;
    fragment(&person, "undo", &[("supersedes", &undo(&changed).unwrap()), ("key", "c"), ("seen", "1"), ("stage", "trace")]).await;
    assert_eq!(answers().await.as_deref(), Some("steady"), "the answer of before is back");
    let slip = fragment(
        &person,
        "reading",
        &[("rpm", "780"), ("oil_temp_c", "97"), ("pressure", "999"), ("unit", "kPa"), ("key", "d"), ("seen", "1")],
    )
    .await;
    assert!(person.page("/jobs/9/case.json").await.contains("999.0"));
    let gone = fragment(&person, "undo", &[("supersedes", &undo(&slip).unwrap()), ("key", "e"), ("seen", "1"), ("stage", "run")]).await;
    assert!(!person.page("/jobs/9/case.json").await.contains("999.0"));
    assert!(undo(&gone).is_none(), "an undoing is not offered to be undone");
    assert!(person.page("/jobs/9/trace").await.contains("undone at once"), "it stays readable");
}

#[tokio::test]
async fn whose_it_is_how_far_it_went_and_who_is_on_it_stand_in_the_report_and_on_the_board() {
    let person = Person::signed_in().await;
    let intake = person.page("/jobs/8/intake").await;
    let odd = intake.split(">Odd</option>").next().unwrap().rsplit("value=\"").next().unwrap().get(..36).unwrap();
    let form = [("customer", "The carrier"), ("reach", "ext. 12"), ("odometer_km", "182 400"), ("on_it", odd), ("key", "p")];
    assert_eq!(person.post("/jobs/8/particulars", &form).await.status(), StatusCode::SEE_OTHER);
    let report = person.page("/jobs/8/report").await;
    assert!(report.contains("The carrier, ext. 12") && report.contains("182400 km") && report.contains("worked on by Odd"));
    assert!(person.page("/").await.contains("Odd is on it"));
    let wrong = person.post("/jobs/8/particulars", &[("odometer_km", "far"), ("on_it", "nobody"), ("key", "q")]).await;
    assert_eq!(wrong.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let page = wrong.text().await.unwrap();
    assert!(page.contains("Odometer: “far” is not a number") && page.contains("not one of the shop any more"));
}

#[tokio::test]
async fn the_shop_says_its_clock_and_the_report_goes_by_it() {
    let person = Person::signed_in().await;
    let shop = async |zone: &str, opens: &str, money: &str| {
        let form = [
            ("name", "Skerry Lane Workshop"),
            ("zone", zone),
            ("opens", opens),
            ("closes", "17:00"),
            ("money", money),
            ("labour_rate", "85"),
        ];
        person.post("/settings", &form).await
    };
    for (zone, opens, money, sentence) in [
        ("Atlantis", "07:30", "EUR", "“Atlantis” is not in the zone database"),
        ("UTC", "half past", "EUR", "“half past” is no time of day"),
        ("UTC", "18:00", "EUR", "Closes: not before it opens"),
        ("UTC", "07:30", "€", "three letters, for example EUR"),
    ] {
        let answer = shop(zone, opens, money).await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY);
        let text = answer.text().await.unwrap();
        assert!(text.contains(sentence), "{zone} {opens} {money}: {sentence}");
    }
    let hour = async || {
        let report = person.page("/jobs/9/report").await;
        let report = report.replace('\u{a0}', " ");
        let at = report.split("Ines, ").nth(1).unwrap();
        at.split(':').next().unwrap().rsplit(' ').next().unwrap().parse::<i32>().unwrap()
    };
    let utc = hour().await;
    assert_eq!(shop("Asia/Kolkata", "07:30", "EUR").await.status(), StatusCode::SEE_OTHER);
    assert!([5, 6, 5 - 24, 6 - 24].contains(&(hour().await - utc)), "half past five hours further east");
}
