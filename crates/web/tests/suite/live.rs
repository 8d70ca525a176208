//! A live gauge before a real browser: a guided run on the stand-in with a fault that nobody has named, over a link that drops and a server that ends in its midst.
use crate::support::House;
use crate::support::person::Person as Asker;
use crate::support::screen::{Person, until};
use reqwest::StatusCode;
use thirtyfour::prelude::*;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::watch;
use velvet_dial_core::circuit::{Card, Fault};
use velvet_dial_rig::standin::{self, Plan};
use velvet_dial_store::jobs::{self, Body};
use velvet_dial_store::rigs;
use velvet_dial_testkit::Browser;

/// A wire between rig and server that can be cut: whoever is linked through it loses the link, and may link again.
async fn wire(to: std::net::SocketAddr) -> (String, watch::Sender<()>) {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let at = listener.local_addr().unwrap().to_string();
    let (cut, cuts) = watch::channel(());
    tokio::spawn(async move {
        loop {
            let (mut near, _) = listener.accept().await.unwrap();
            let mut cuts = cuts.clone();
            cuts.mark_unchanged();
            tokio::spawn(async move {
                let Ok(mut far) = TcpStream::connect(to).await else { return };
                tokio::select! {
                    _ = tokio::io::copy_bidirectional(&mut near, &mut far) => {}
                    _ = cuts.changed() => {}
                }
            });
        }
    });
    (at, cut)
}

struct Bay {
    person: Person,
    house: House,
    cut: watch::Sender<()>,
}

impl Bay {
    async fn attribute(&self, css: &str, name: &str) -> String {
        match self.person.driver.find(By::Css(css)).await {
            Ok(found) => found.attr(name).await.ok().flatten().unwrap_or_default(),
            Err(_) => String::new(),
        }
    }

    async fn said(&self, id: &str) -> String {
        match self.person.driver.find(By::Id(id)).await {
            Ok(found) => found.text().await.unwrap_or_default(),
            Err(_) => String::new(),
        }
    }

    async fn point(&self) -> String {
        self.attribute("#live", "data-point").await
    }

    async fn rpm(&self) -> f64 {
        self.said("live-rpm").await.split(' ').next().and_then(|rpm| rpm.parse().ok()).unwrap_or(0.0)
    }

    async fn throttle(&self, percent: f64) {
        let script = "const hand = document.getElementById('live-throttle'); hand.value = arguments[0]; hand.dispatchEvent(new Event('input', { bubbles: true }));";
        self.person.driver.execute(script, vec![percent.into()]).await.unwrap();
    }

    /// Waits as long as an engine takes to warm up or to settle.
    async fn patiently(&self, what: &str, so: impl AsyncFn() -> bool) {
        let start = std::time::Instant::now();
        while !so().await {
            assert!(
                start.elapsed().as_secs() < 120,
                "never: {what}; at {} with {}",
                self.point().await,
                self.said("live-steady-says").await
            );
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        }
    }

    /// Opens the throttle as far as this speed asks for.
    async fn hold(&self, rpm: f64) {
        let card = card();
        self.throttle((100.0 * (rpm - card.idle_rpm) / (card.rated_rpm() - card.idle_rpm)).round()).await;
        self.patiently("the speed", async || (self.rpm().await - rpm).abs() < 80.0).await;
    }

    async fn linked(&self) -> bool {
        self.attribute("#live-link", "hidden").await == "true" && self.said("live-value").await.parse::<f64>().is_ok()
    }
}

/// The engine of the demo's job with a rig.
fn card() -> Card {
    let card = r#"{"displacement_l": 1.2, "cylinders": 3, "idle_rpm": 800, "oil_grade": "0W-20", "relief_opens_kpa": 380, "layout": {"rockers": "lifters"}}"#;
    serde_json::from_str(card).unwrap()
}

/// An engine whose pickup has fallen off: the stop is called, is an entry, and stays on every screen until somebody says that the engine is off.
#[tokio::test]
async fn a_stop_call_stays_on_every_screen_until_it_is_answered() {
    let house = House::begin().await;
    let who = crate::support::ines(&house.db).await;
    let rig = rigs::rigs(&house.db, &who).await.unwrap().remove(0);
    let token = rigs::pair_again(&house.db, &who, rig.id).await.unwrap();
    let plan = Plan {
        to: house.rigs.to_string(),
        name: rig.name,
        token,
        trusted: None,
        card: card(),
        fault: Some((Fault::PickupBroken, 1.0)),
        rate_hz: 100.0,
        warms: 40.0,
        air_c: 18.0,
        odd: Vec::new(),
        module: false,
        seed: 1,
    };
    tokio::spawn(standin::run(plan));
    let base = format!("http://{}", house.web);
    let person = Asker::at(&base).entering_as("ines", "brass needle").await;
    let called = async |path: &str| person.page(path).await.contains("id=\"stop-call\"");
    assert!(!called("/jobs/10/trace").await);
    // The stream of any screen of the job writes the call down.
    let mut stream = person.get("/jobs/10/live?brief=true").await;
    until("the starter turns it", || async { person.post("/jobs/10/live/hand", &[("starter", "on")]).await.status().is_success() }).await;
    let mut heard = String::new();
    while !heard.contains("\"stop_written\":true") {
        heard.push_str(&String::from_utf8_lossy(&stream.chunk().await.unwrap().unwrap()));
    }
    assert!(heard.contains("Stop the engine. No pressure"), "{heard}");
    // Whoever hears it shuts the engine off: a link that falters meanwhile would call once more.
    until("it is shut off", || async { person.post("/jobs/10/live/hand", &[("starter", "off")]).await.status().is_success() }).await;
    for path in ["/jobs/10/trace", "/jobs/10/run", "/jobs/10/look"] {
        assert!(called(path).await, "{path}");
    }
    let page = person.page("/jobs/10/trace").await;
    assert!(page.contains("Do not run.") && page.contains("No pressure in the time that this engine takes after a start"));
    // One entry, with the seconds, however many look on.
    let job = jobs::load(&house.db, &who, 10).await.unwrap();
    let calls: Vec<_> = job.live().filter(|entry| entry.body.kind() == "stop_call").collect();
    let [entry] = calls[..] else { panic!("{calls:?}") };
    assert!(
        matches!(&entry.body, Body::StopCall(called) if called.seconds >= 6.0 && !called.answered && called.kpa.is_none()),
        "{entry:?}"
    );
    let answer = [("key", "off"), ("seen", "0"), ("stage", "trace"), ("supersedes", &entry.id.to_string())];
    assert_eq!(person.post("/jobs/10/live/stopped", &answer).await.status(), StatusCode::SEE_OTHER);
    assert!(!called("/jobs/10/trace").await, "answered");
    assert!(person.page("/jobs/10/trace").await.contains("Do not run."), "an answer repairs nothing");
    let job = jobs::load(&house.db, &who, 10).await.unwrap();
    assert!(job.live().any(|entry| matches!(&entry.body, Body::StopCall(called) if called.answered)));
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_guided_run_from_the_checklist_to_the_right_leader_over_a_cut_wire_and_a_server_that_ends() {
    let house = House::begin().await;
    let (wire, cut) = wire(house.rigs).await;
    let who = crate::support::ines(&house.db).await;
    let rig = rigs::rigs(&house.db, &who).await.unwrap().remove(0);
    let token = rigs::pair_again(&house.db, &who, rig.id).await.unwrap();
    let fault = Some((Fault::ReliefWeak, 0.8));
    let plan = Plan {
        to: wire,
        name: rig.name,
        token,
        trusted: None,
        card: card(),
        fault,
        rate_hz: 100.0,
        warms: 40.0,
        air_c: 18.0,
        odd: Vec::new(),
        module: true,
        seed: 1,
    };
    tokio::spawn(standin::run(plan));
    let browser = Browser::start().await;
    let person = Person { driver: browser.driver.clone() };
    let base = format!("http://{}", house.web);
    person.sign_in(&base).await;
    let mut bay = Bay { person, house, cut };
    let driver = bay.person.driver.clone();

    // The checklist, a tap a step; the zero with its figure.
    driver.goto(format!("{base}/jobs/10/rig")).await.unwrap();
    bay.person.sees("linked to this job").await;
    for _ in 0..8 {
        if let Ok(zero) = driver.find(By::Css(".rig-steps .card:has([data-shortcut='n']) #rig-zero")).await {
            zero.send_keys("0").await.unwrap();
        }
        let done = driver.find_all(By::Css(".rig-steps .is-within")).await.unwrap().len();
        driver.find(By::Css(".rig-steps [data-shortcut='n']")).await.unwrap().click().await.unwrap();
        bay.patiently("the step", async || driver.find_all(By::Css(".rig-steps .is-within")).await.unwrap_or_default().len() > done).await;
    }
    bay.person.press("Next: take the readings").await;

    // Cold start: the starter, the time until pressure shows as it was measured.
    bay.patiently("the link", async || bay.linked().await).await;
    assert_eq!(bay.point().await, "cold-start");
    bay.person.press("Start").await;
    bay.patiently("the start is timed", async || bay.said("live-built").await.starts_with("Pressure after")).await;
    driver.find(By::Css("button.measured")).await.unwrap().click().await.unwrap();
    bay.patiently("the next point", async || bay.point().await != "cold-start").await;

    // The wire is cut and mended while it warms up; then the holds are taken by themselves.
    bay.cut.send_replace(());
    bay.patiently("the cut is told", async || bay.said("live-link").await.contains("connection is lost")).await;
    bay.patiently("the link is back", async || bay.linked().await).await;
    bay.patiently("hot idle is taken", async || bay.point().await == "held-2500").await;
    let taken = async || driver.find_all(By::XPath("//td[contains(., 'capture')]")).await.unwrap().len();
    let before = taken().await;
    assert!(before >= 1, "by itself");

    // The server ends and begins again: the page and the rig come back by themselves, and the next hold is taken.
    bay.house.kill().await;
    bay.patiently("the end is told", async || bay.said("live-link").await.contains("No connection to the server")).await;
    bay.house.start();
    bay.patiently("the link is back", async || bay.linked().await).await;
    bay.hold(2500.0).await;
    bay.patiently("the held speed is taken", async || bay.point().await == "sweep").await;
    // At the sweep the needle's motion is measured, not asked.
    bay.patiently("the needle is measured", async || bay.said("live-needle").await.starts_with("Needle: ±")).await;
    driver.find(By::Css("form:has([name='check'][value='needle']) button.measured")).await.unwrap();
    assert_eq!(taken().await, before + 1, "once");
    assert!(bay.person.text().await.contains("below"), "it is under its limit");
    assert_eq!(bay.person.leader().await, "suspect-relief_weak");
    assert!(driver.execute("return document.body.dataset.sounded", vec![]).await.unwrap().json().is_string(), "it was heard, too");

    // What is heard is marked by a key, with its word, and stands in the run; the value stands in the frame of every other screen.
    driver.find(By::Id("live-note")).await.unwrap().send_keys("whine" + Key::Enter).await.unwrap();
    bay.patiently("the mark", async || bay.said("live-marks").await.starts_with("Marked 1")).await;
    driver.find(By::Tag("body")).await.unwrap().send_keys("m").await.unwrap();
    bay.patiently("the second mark", async || bay.said("live-marks").await.starts_with("Marked 2")).await;
    driver.goto(format!("{base}/jobs/10/look")).await.unwrap();
    bay.patiently("the frame", async || bay.said("head-live").await.ends_with(" kPa")).await;

    // Nothing is lost and nothing stands twice: every sample from the first to the last, ten milliseconds apart.
    let runs = rigs::runs(&bay.house.db, &who, 10).await.unwrap();
    assert_eq!(runs.len(), 1, "one run over all of it");
    let chunks = rigs::chunks(&bay.house.db, runs[0].id, 0, u64::MAX).await.unwrap();
    let times: Vec<u64> = chunks.iter().flat_map(|chunk| chunk.us.iter().copied()).collect();
    assert!(times.len() as u64 >= runs[0].samples && runs[0].lost == 0);
    assert!(times.array_windows().all(|[a, b]| b - a == 10_000), "no gap and no sample twice");

    // The run afterwards: the strip draws it, and a hold that is moved is judged anew.
    // The rig records on: until its oil has settled a stretch is a warm-up and no hold, so it is looked at again.
    let told = async || {
        driver.goto(format!("{base}/jobs/10/runs/{}", runs[0].id)).await.unwrap();
        bay.patiently("it is drawn", async || !bay.attribute("[data-strip]", "data-drawn").await.is_empty()).await;
        bay.patiently("what it tells", async || driver.find(By::Css("[data-told]")).await.is_err()).await;
        bay.person.text().await.contains("Steady readings found")
    };
    bay.patiently("holds", told).await;
    bay.person.sees("Marked moments").await;
    assert_eq!(driver.find_all(By::Css(".strip-mark")).await.unwrap().len(), 2);
    assert_eq!(bay.attribute("[name='note']", "value").await, "whine");
    // The row is replaced while one looks: then it is looked at again.
    let place = async || match driver.find(By::Css("#hold-1 td:nth-child(2)")).await {
        Ok(cell) => cell.text().await.unwrap_or_default(),
        Err(_) => String::new(),
    };
    let first = place().await;
    let grip = driver.find(By::Css(".strip-grip-from")).await.unwrap();
    grip.send_keys(Key::Right + Key::Right).await.unwrap();
    bay.patiently("judged anew", async || !matches!(place().await, now if now.is_empty() || now == first)).await;
    assert_eq!(browser.axe().await, Vec::<String>::new());

    // A photo as the tablet takes it: kept with its finding, and printed in the report.
    driver.goto(format!("{base}/jobs/10/look")).await.unwrap();
    let photo = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/suite/support/eight.jpg");
    driver.find(By::Css(".photo-form input[type='file']")).await.unwrap().send_keys(photo).await.unwrap();
    bay.patiently("the photo is kept", async || driver.find(By::Css("#work img.photo")).await.is_ok()).await;
    driver.goto(format!("{base}/jobs/10/report")).await.unwrap();
    let drawn = "const photo = document.querySelector('.photo-paper'); return photo !== null && photo.complete && photo.naturalWidth > 0;";
    bay.patiently("it is printed", async || driver.execute(drawn, vec![]).await.unwrap().json().as_bool() == Some(true)).await;

    // Without a rig the seconds are counted by hand, and stop is called at six.
    driver.goto(format!("{base}/jobs/8/run?point=cold-start")).await.unwrap();
    driver.execute("delete document.body.dataset.sounded", vec![]).await.unwrap();
    bay.person.press("Count from the first turn").await;
    bay.person.sees("No pressure after 6 s. Stop the engine.").await;
    assert_eq!(bay.attribute("button.measured", "value").await, "none");
    assert_eq!(bay.attribute("body", "data-sounded").await, "880");
    bay.house.kill().await;
    browser.quit().await;
}
