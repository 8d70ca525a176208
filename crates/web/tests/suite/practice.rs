//! The practice bench: a scene solved well, one by luck, one that is handed to nobody else, and nothing of any of them outside the bench.
use crate::support::person::{Person, location};
use crate::support::{ines, start_with};
use reqwest::StatusCode;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_practice::grade::Grade;
use velvet_dial_practice::scene::Scene;
use velvet_dial_store::{Connection, jobs, practice};

struct Trainee {
    me: Person,
    db: Connection,
    number: i64,
    scene: Scene,
    sent: usize,
}

impl Trainee {
    async fn begins(grade: u8) -> Self {
        let (base, db) = start_with().await;
        let me = Person::at(&base).entering_as("ines", "brass needle").await;
        let page = me.page("/practice").await;
        let key = page.split("name=\"key\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
        let answer = me.post("/practice", &[("key", &key), ("grade", &grade.to_string())]).await;
        assert_eq!(answer.status(), StatusCode::SEE_OTHER);
        let number: i64 = location(answer.headers()).split('/').nth(2).unwrap().parse().unwrap();
        // The same form once more is the same scene.
        let again = me.post("/practice", &[("key", &key), ("grade", &grade.to_string())]).await;
        assert_eq!(location(again.headers()), format!("/jobs/{number}/intake"));
        let bench = practice::viewer_of_job(&db, &ines(&db).await, number).await.unwrap();
        let seed = jobs::load(&db, &bench, number).await.unwrap().head.scene.unwrap().seed;
        let scene = Scene::drawn(seed, *Grade::ALL.get(usize::from(grade)).unwrap()).unwrap();
        Self { me, db, number, scene, sent: 0 }
    }

    async fn sends(&mut self, act: &str, form: &[(&str, &str)]) -> StatusCode {
        self.sent += 1;
        let key = format!("key-{}", self.sent);
        let form: Vec<(&str, &str)> = form.iter().copied().chain([("key", key.as_str())]).collect();
        self.me.post(&format!("/jobs/{}/{act}", self.number), &form).await.status()
    }

    async fn page(&self, stage: &str) -> String {
        self.me.page(&format!("/jobs/{}/{stage}", self.number)).await
    }

    /// Does a check, sees what it shows, and enters what that means.
    async fn checks(&mut self, check: &str) {
        use velvet_dial_core::vehicle::Vehicle;
        assert_eq!(self.sends("bench", &[("stage", "look"), ("check", check)]).await, StatusCode::SEE_OTHER);
        let outcome = &knowledge().check(check).unwrap().outcomes.get(self.scene.outcome(check)).unwrap().id;
        assert_eq!(self.sends("evidence", &[("stage", "look"), ("check", check), ("outcome", outcome)]).await, StatusCode::SEE_OTHER);
    }

    /// Runs the engine, looks at the needle, and enters what it shows.
    async fn reads(&mut self, rpm: f64, repaired: &[usize], stage: &str) {
        let kpa = self.scene.gauge_after_kpa(Working { rpm, oil_temp_c: 95.0 }, repaired).round().to_string();
        let rpm = rpm.to_string();
        assert_eq!(self.sends("bench", &[("stage", stage), ("check", ""), ("rpm", &rpm), ("oil", "95")]).await, StatusCode::SEE_OTHER);
        let reading = [("stage", stage), ("rpm", &rpm), ("oil_temp_c", "95"), ("pressure", &kpa), ("gear", "neutral")];
        assert_eq!(self.sends("reading", &reading).await, StatusCode::SEE_OTHER, "{reading:?}");
    }

    fn truth(&self) -> &'static str {
        &knowledge().causes.get(self.scene.truth().unwrap().first).unwrap().id
    }

    async fn marks(&self) -> String {
        let answer = self.me.post(&format!("/practice/{}/hand-back", self.number), &[]).await;
        assert_eq!(location(answer.headers()), format!("/practice/{}", self.number));
        self.me.page(&format!("/practice/{}", self.number)).await
    }
}

#[tokio::test]
async fn a_scene_is_solved_on_the_screens_of_a_job_and_marked_for_its_proof() {
    let mut bench = Trainee::begins(0).await;
    // What is hidden is on no screen: neither a seed nor the sense of a look that was not done.
    for stage in ["intake", "look", "rig", "run", "compare", "trace", "open-up", "put-right", "prove"] {
        let page = bench.page(stage).await;
        assert!(page.contains("Practice.") && !page.contains("class=\"sensed\""), "{stage}");
        assert!(!page.to_lowercase().contains("seed"), "{stage}");
    }
    let unseen = [("stage", "look"), ("check", "level"), ("outcome", "ok")];
    assert_eq!(bench.sends("evidence", &unseen).await, StatusCode::BAD_REQUEST, "what was not looked at is not entered");
    for check in ["level", "oil_look", "oil_grade", "leaks", "filter_id", "sender_plug", "noise"] {
        bench.checks(check).await;
    }
    assert!(bench.page("look").await.contains("class=\"sensed\""));
    // Nonsense is refused at the form, and kept.
    assert_eq!(
        bench.sends("bench", &[("stage", "run"), ("check", ""), ("rpm", "fast"), ("oil", "95")]).await,
        StatusCode::UNPROCESSABLE_ENTITY
    );
    assert_ne!(bench.sends("bench", &[("stage", "run"), ("check", "divining")]).await, StatusCode::SEE_OTHER);
    let idle = bench.scene.brief().engine.idle_rpm;
    for rpm in [idle, 2000.0] {
        bench.reads(rpm, &[], "run").await;
    }
    assert!(bench.page("run").await.contains("bench-dial"));
    let cause = bench.truth();
    let place = knowledge().cause(cause).unwrap();
    assert_eq!(bench.sends("agreed", &[("stage", "open_up"), ("who", "nobody"), ("how", "practice")]).await, StatusCode::SEE_OTHER);
    assert_eq!(
        bench.sends("repair", &[("stage", "put_right"), ("cause", cause), ("done", "as the book says")]).await,
        StatusCode::SEE_OTHER
    );
    for rpm in [idle, 2000.0] {
        bench.reads(rpm, &[place], "prove").await;
    }
    let marks = bench.marks().await;
    assert!(marks.contains(&knowledge().causes.get(place).unwrap().name) && marks.contains(" of 100. Found"), "{marks}");
    let total: f64 = marks.split("<h1>").nth(1).and_then(|rest| rest.split(' ').next()).unwrap().parse().unwrap();
    assert!(total >= 55.0, "{total}: {marks}");
    // What was handed back takes nothing more, and its marks stay.
    assert_eq!(bench.sends("bench", &[("stage", "look"), ("check", "codes")]).await, StatusCode::BAD_REQUEST);
    assert_eq!(bench.sends("evidence", &[("stage", "look"), ("check", "codes"), ("outcome", "not_now")]).await, StatusCode::CONFLICT);
    assert!(bench.marks().await.contains(&format!("<h1>{total:.0} of 100")));
}

#[tokio::test]
async fn a_guess_that_hits_is_told_from_a_proof_and_nothing_of_it_leaves_the_bench() {
    let mut bench = Trainee::begins(3).await;
    let cause = bench.truth();
    assert_eq!(bench.sends("agreed", &[("stage", "open_up"), ("who", "nobody"), ("how", "practice")]).await, StatusCode::SEE_OTHER);
    assert_eq!(bench.sends("repair", &[("stage", "put_right"), ("cause", cause), ("done", "a guess")]).await, StatusCode::SEE_OTHER);
    // Closing it is handing it back: nothing is signed.
    let closed = bench.me.post(&format!("/jobs/{}/close", bench.number), &[("key", "close")]).await;
    assert_eq!(location(closed.headers()), format!("/practice/{}", bench.number));
    let marks = bench.marks().await;
    assert!(marks.contains("before anybody had measured") && marks.contains("No reading is on record"), "{marks}");
    assert!(!marks.contains("Found and justified"), "{marks}");
    // Not on the board, not found, not among the engines and gauges, not in the shop's experience, and no other shop's.
    let who = ines(&bench.db).await;
    let tag = jobs::load(&bench.db, &practice::viewer_of_job(&bench.db, &who, bench.number).await.unwrap(), bench.number)
        .await
        .unwrap()
        .head
        .vehicle
        .tag;
    for page in ["/", "/?q=bench", &format!("/?q={}", tag.replace(' ', "+")), "/library", "/gauges", "/learnt", "/jobs/new"] {
        let page = bench.me.page(page).await;
        assert!(!page.contains(&format!("/jobs/{}", bench.number)) && !page.contains("Bench gauge") && !page.contains("Practice engine"));
    }
    let mut stranger = who.clone();
    stranger.shop = uuid::Uuid::now_v7();
    assert_eq!(practice::viewer_of_job(&bench.db, &stranger, bench.number).await.unwrap().shop, stranger.shop);
    assert!(jobs::load(&bench.db, &stranger, bench.number).await.is_err());
    // A real job is at no bench.
    assert_eq!(bench.me.get("/practice/9").await.status(), StatusCode::NOT_FOUND);
    assert_eq!(
        bench.me.post("/jobs/9/bench", &[("stage", "look"), ("check", "level"), ("key", "x")]).await.status(),
        StatusCode::BAD_REQUEST
    );
}
