//! What a mechanic notes and chooses beside the checks: several findings of one look, a first thought that was revised, notes with and without a photo, the steps of an opening, debris whose source is
//! asked for, where mechanics differ, a drawing for the turner, and a sheet as makers print it.
use crate::support::person::Person;
use reqwest::StatusCode;
use reqwest::multipart::{Form, Part};
use serde_json::{Value, json};

async fn case(me: &Person, job: i64) -> Value {
    me.get(&format!("/jobs/{job}/case.json")).await.json().await.unwrap()
}

/// The entry that the answer of a check stands in.
fn entry_of(page: &str, check: &str) -> String {
    let card = page.split(&format!("id=\"check-{check}\"")).nth(1).unwrap();
    card.split("name=\"supersedes\" value=\"").nth(1).unwrap().get(..36).unwrap().to_owned()
}

#[tokio::test]
async fn one_look_finds_several_things_and_a_first_thought_stays_readable() {
    let me = Person::signed_in().await;
    let found = async |fields: &[(&str, &str)]| me.post("/jobs/9/evidence", fields).await.status();
    assert_eq!(
        found(&[
            ("check", "oil_look"),
            ("outcome", "sludge"),
            ("key", "a"),
            ("stage", "look"),
            ("supersedes", &entry_of(&me.page("/jobs/9/look").await, "oil_look"))
        ])
        .await,
        StatusCode::SEE_OTHER
    );
    let entry = entry_of(&me.page("/jobs/9/look").await, "oil_look");
    let beside =
        [("check", "oil_look"), ("outcome", "fuel"), ("beside", "true"), ("key", "b"), ("stage", "look"), ("supersedes", entry.as_str())];
    assert_eq!(found(&beside).await, StatusCode::SEE_OTHER);
    assert_eq!(found(&beside).await, StatusCode::SEE_OTHER, "sent twice it is written once");
    let page = me.page("/jobs/9/look").await;
    assert!(page.contains("Sludge, thin, smells of fuel") && page.contains("First thought: Clean. Now:"), "both stand");
    let told = case(&me, 9).await;
    let look = told["evidence"].as_array().unwrap().iter().find(|found| found["check"] == "oil_look").unwrap().clone();
    assert_eq!((look["outcome"].clone(), look["outcomes"].clone()), (json!("sludge"), json!(["fuel"])));
    // Nothing and something do not go together, and a check of one answer has one.
    let entry = entry_of(&page, "oil_look");
    let clean = [("check", "oil_look"), ("outcome", "clean"), ("beside", "true"), ("key", "c"), ("supersedes", entry.as_str())];
    assert_eq!(found(&clean).await, StatusCode::BAD_REQUEST);
    let entry = entry_of(&page, "level");
    let level = [("check", "level"), ("outcome", "low"), ("beside", "true"), ("key", "d"), ("supersedes", entry.as_str())];
    assert_eq!(found(&level).await, StatusCode::BAD_REQUEST);
}

#[tokio::test]
async fn a_note_goes_into_the_report_by_a_tap_and_stays_with_the_engine_by_another() {
    let me = Person::signed_in().await;
    let write = async |fields: &[(&'static str, &'static str)]| {
        let form = fields.iter().fold(Form::new(), |form, (name, value)| form.text(*name, *value));
        me.ask(me.client.post(format!("{}/jobs/9/notes", me.base))).multipart(form).send().await.unwrap()
    };
    let nothing = write(&[("stage", "run"), ("words", " "), ("key", "a")]).await;
    assert_eq!(nothing.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(nothing.text().await.unwrap().contains("needs words or a photo"));
    let snag = [("stage", "run"), ("sort", "way_in"), ("words", "Hidden bolt behind the starter"), ("key", "b")];
    assert_eq!(write(&snag).await.status(), StatusCode::SEE_OTHER);
    assert_eq!(write(&snag).await.status(), StatusCode::SEE_OTHER, "sent twice it is written once");
    let page = me.page("/jobs/9/trace").await;
    assert_eq!(page.matches("<b>Way in, tools.</b> Hidden bolt").count(), 1, "at every stage, once");
    assert!(!me.page("/jobs/9/report").await.contains("Hidden bolt"), "what was not taken into the report is not in it");
    assert!(me.page("/jobs/9/report").await.contains("A note that stays in the shop"));
    let flip = async |what: &str, key: &str| {
        let page = me.page("/jobs/9/look").await;
        let form = page.split("action=\"/jobs/9/notes/flip\"").nth(1).unwrap();
        let entry = form.split("name=\"supersedes\" value=\"").nth(1).unwrap().get(..36).unwrap();
        me.post("/jobs/9/notes/flip", &[("supersedes", entry), ("flip", what), ("key", key)]).await.status()
    };
    assert_eq!(flip("report", "c").await, StatusCode::SEE_OTHER);
    assert!(me.page("/jobs/9/report").await.contains("Way in, tools: Hidden bolt behind the starter"));
    assert!(!me.page("/jobs/7/open-up").await.contains("Hidden bolt"), "not with the engine yet");
    assert_eq!(flip("engine", "d").await, StatusCode::SEE_OTHER);
    let other = me.page("/jobs/5/open-up").await;
    assert!(
        other.contains("What we know of this engine") && other.contains("Hidden bolt behind the starter"),
        "the next job on one reads it"
    );
    assert!(!me.page("/jobs/6/open-up").await.contains("Hidden bolt"), "another engine does not");
    // A note belongs to a reading: it names it, in the report too.
    let run = me.page("/jobs/9/run").await;
    let reading = run.split("/jobs/9/run?about=").nth(1).unwrap().get(..36).unwrap().to_owned();
    let chosen = me.page(&format!("/jobs/9/run?about={reading}")).await;
    assert!(chosen.contains(&format!("value=\"{reading}\" selected")) && chosen.contains("id=\"notes\" open"));
    let mut png = std::io::Cursor::new(Vec::new());
    image::GrayImage::new(80, 60).write_to(&mut png, image::ImageFormat::Png).unwrap();
    let form = Form::new().text("stage", "run").text("words", "Needle swings wide here").text("in_report", "yes").text("key", "e");
    let form = form.text("about", reading).part("photo", Part::bytes(png.into_inner()).file_name("dial.png"));
    let kept = me.ask(me.client.post(format!("{}/jobs/9/notes", me.base))).multipart(form).send().await.unwrap();
    assert_eq!(kept.status(), StatusCode::SEE_OTHER);
    assert!(me.page("/jobs/9/report").await.contains("Needle swings wide here (hot reading at "));
    let row = me.page("/jobs/9/run").await;
    let row = row.split("<table class=\"stacks\"").nth(1).unwrap().split("</table>").next().unwrap();
    assert_eq!(row.matches("alt=\"Photo\"").count(), 1, "the photo stands at its reading");
}

#[tokio::test]
async fn what_was_replaced_before_is_kept_with_who_did_it_and_what_it_changed() {
    let me = Person::signed_in().await;
    let tick = async |told: &str, key: &str, old: &str| {
        let fields = [("circumstance", "pump_already_replaced"), ("told", told), ("key", key), ("supersedes", old)];
        me.post("/jobs/9/circumstance", &fields).await.status()
    };
    let said = [("circumstance", "pump_already_replaced"), ("by", "workshop"), ("effect", "no_change"), ("key", "b")];
    assert!(!me.page("/jobs/9/intake").await.contains("id=\"replaced-pump_already_replaced\""), "asked once it is ticked");
    assert_eq!(tick("true", "a", "").await, StatusCode::SEE_OTHER);
    assert!(me.page("/jobs/9/intake").await.contains("id=\"replaced-pump_already_replaced\""));
    assert_eq!(me.post("/jobs/9/replaced", &said).await.status(), StatusCode::SEE_OTHER);
    let wrong = [("circumstance", "knock"), ("by", "workshop"), ("key", "c")];
    assert_eq!(me.post("/jobs/9/replaced", &wrong).await.status(), StatusCode::BAD_REQUEST);
    let expected = json!([{ "circumstance": "pump_already_replaced", "by": "workshop", "effect": "no_change" }]);
    assert_eq!(case(&me, 9).await["replaced"], expected);
    assert!(me.page("/jobs/9/report").await.contains("without result: filter and pump (by another workshop)."));
    // Ticked by mistake and cleared: nobody replaced it.
    let entry = entry_of(&me.page("/jobs/9/intake").await.replace("id=\"tell-", "id=\"check-"), "pump_already_replaced");
    assert_eq!(tick("false", "d", &entry).await, StatusCode::SEE_OTHER);
    assert_eq!(case(&me, 9).await["replaced"], Value::Null);
}

#[tokio::test]
async fn an_opening_is_ticked_step_by_step_and_debris_is_asked_for_its_source() {
    let me = Person::signed_in().await;
    let tick = [
        ("cause", "open sump"),
        (
            "step",
            "Take the bolts out from the ends towards the middle, as the sheet's pattern read backwards; leave two opposite bolts in by a few turns.",
        ),
        ("key", "t"),
    ];
    assert_eq!(me.post("/jobs/9/done", &tick).await.status(), StatusCode::UNPROCESSABLE_ENTITY, "the customer's approval comes first");
    me.post("/jobs/9/agreed", &[("who", "The fish hall"), ("up_to", "900"), ("key", "y"), ("seen", "999")]).await;
    let strange = [("cause", "open sump"), ("step", "Hit it with a hammer"), ("key", "u")];
    assert_eq!(me.post("/jobs/9/done", &strange).await.status(), StatusCode::BAD_REQUEST);
    assert_eq!(me.post("/jobs/9/done", &tick).await.status(), StatusCode::SEE_OTHER);
    let page = me.page("/jobs/9/open-up").await;
    assert!(page.contains("Sump off: step by step") && page.contains("Not done</button>"));
    let repair = me.page("/jobs/9/put-right").await;
    let steps = repair.split("id=\"steps\"").nth(1).unwrap().split("</section>").next().unwrap();
    assert!(!steps.contains("leave two opposite bolts in"), "an opening's step begins no repair");

    let close = |source: Option<&'static str>, key: &'static str| {
        let mut form = vec![("cause", "pump_worn"), ("known", "seen"), ("key", key)];
        form.extend(source.map(|source| ("source", source)));
        form
    };
    me.post("/jobs/9/evidence", &[("check", "filter_cut"), ("outcome", "ferrous"), ("key", "f")]).await;
    let page = me.page("/jobs/9/prove").await;
    assert!(page.contains("Iron was found.") && page.contains("name=\"source\""));
    assert!(me.page("/jobs/9/put-right").await.contains("Iron: is its source mended?"));
    let refused = me.post("/jobs/9/close", &close(Some(""), "g")).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(refused.text().await.unwrap().contains("Is its source mended?"));
    assert_eq!(me.post("/jobs/9/close", &close(Some("left"), "h")).await.status(), StatusCode::SEE_OTHER);
    assert!(!me.page("/jobs/8/prove").await.contains("name=\"source\""), "nobody is asked for what was not found");
}

#[tokio::test]
async fn the_shop_says_which_way_it_goes_and_its_own_sheet_and_drawing_follow() {
    let me = Person::signed_in().await;
    assert_eq!(me.post("/ways", &[("question", "sump_seal"), ("way", "tarot")]).await.status(), StatusCode::BAD_REQUEST);
    assert!(me.page("/jobs/9/put-right?cause=pump_worn").await.contains("mechanics differ"));
    assert_eq!(me.post("/ways", &[("question", "sump_seal"), ("way", "both")]).await.status(), StatusCode::SEE_OTHER);
    assert!(me.page("/jobs/9/put-right?cause=pump_worn").await.contains("here: Gasket with a thin film of sealant"));
    assert_eq!(
        me.page("/ways").await.matches("This shop's way.").count() + me.page("/ways").await.matches("This shop&#39;s way.").count(),
        1
    );
    me.post("/ways", &[("question", "sump_seal"), ("way", "")]).await;
    assert!(me.page("/jobs/9/put-right?cause=pump_worn").await.contains("mechanics differ"), "left open again");

    // No adapter of the drawer leads to the wide gauge of a metric port: its drawing is offered.
    let page = me.page("/jobs/10/rig").await;
    let link = page
        .split("href=\"/jobs/10/rig/adapter.pdf")
        .nth(1)
        .unwrap()
        .split('"')
        .next()
        .unwrap()
        .replace("&amp;", "&")
        .replace("&#38;", "&");
    let drawing = me.get(&format!("/jobs/10/rig/adapter.pdf{link}")).await;
    assert_eq!(drawing.headers()["content-type"], "application/pdf");
    assert!(drawing.bytes().await.unwrap().starts_with(b"%PDF"));
    assert_eq!(me.get("/jobs/10/rig/adapter.pdf?gauge=none").await.status(), StatusCode::NOT_FOUND);

    // A sheet as it is printed: nominal with tolerance, no oil temperature, seconds, and the shop's own limit.
    let library = me.page("/library").await;
    let engine =
        library.split("Lantern 2.4 petrol").nth(1).unwrap().split("/library?revise=").nth(1).unwrap().get(..36).unwrap().to_owned();
    let sheet = |rpm: &'static str, min: &'static str| {
        [
            ("source", "Lantern card"),
            ("unit", "kPa"),
            ("rpm1", rpm),
            ("temp1", ""),
            ("gear1", "neutral"),
            ("min1", min),
            ("max1", ""),
            ("build_s", "4"),
            ("working_idle", "120"),
        ]
    };
    let words = me.post(&format!("/library/engines/{engine}/sheets"), &sheet("a fast idle", "350 ± 50")).await;
    assert_eq!(words.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(words.text().await.unwrap().contains("where it says a fast idle"));
    assert_eq!(me.post(&format!("/library/engines/{engine}/sheets"), &sheet("2000", "350 ± 50")).await.status(), StatusCode::SEE_OTHER);
    let library = me.page("/library").await;
    assert!(
        library.contains("taken as hot, 90 °C") && library.contains("within 4 s of the start") && library.contains("our own limit"),
        "told beside the sheet"
    );
}

/// What a job was opened with can be corrected: it is judged by the new engine at once, the board and a search follow, and the old words stay in the job history.
#[tokio::test]
async fn plate_complaint_and_engine_can_be_corrected() {
    let me = Person::signed_in().await;
    let page = me.page("/jobs/8/intake").await;
    let form = page.split("action=\"/jobs/8/details\"").nth(1).unwrap().split("</form>").next().unwrap();
    let engine = |name: &str| {
        let before = form.split(&format!(">{name}</option>")).next().unwrap();
        before.rsplit("value=\"").next().unwrap().get(..36).unwrap().to_owned()
    };
    let (pebble, quayside) = (engine("Pebble 1.2 petrol"), engine("Quayside 2.0 diesel"));
    let send = async |tag: &str, engine: &str, key: &str, old: &str| {
        let fields = [
            ("tag", tag),
            ("description", "District nurse"),
            ("complaint", "Lamp at the ferry"),
            ("engine", engine),
            ("key", key),
            ("supersedes", old),
        ];
        me.post("/jobs/8/details", &fields).await
    };
    let refused = send("", &quayside, "a", "").await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let refused = refused.text().await.unwrap();
    assert!(refused.contains("Lamp at the ferry") && refused.contains("id=\"details\" open"), "what was typed is kept, where it was typed");
    assert_eq!(send("NURSE 9", "none", "b", "").await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(send("NURSE 9", &quayside, "c", "").await.status(), StatusCode::SEE_OTHER);
    assert_eq!(case(&me, 8).await["engine"]["displacement_l"], 2.0, "judged by the other engine");
    let board = me.page("/").await;
    assert!(board.contains("NURSE 9") && board.contains("Lamp at the ferry"));
    assert!(me.page("/?q=ferry").await.contains("NURSE 9"));
    // A second correction takes the place of the first, and cannot be withdrawn: there has to be a plate.
    let page = me.page("/jobs/8/intake").await;
    let old = page.split("action=\"/jobs/8/details\"").nth(1).unwrap().split("name=\"supersedes\" value=\"").nth(1).unwrap();
    let old = old.get(..36).unwrap().to_owned();
    assert_eq!(send("NURSE 3", &pebble, "d", &old).await.status(), StatusCode::SEE_OTHER);
    let history = me.page("/jobs/8/trace").await;
    assert!(history.contains("Job details: NURSE 9, District nurse; Quayside 2.0 diesel; “Lamp at the ferry”"));
    let gone = me.post("/jobs/8/withdraw", &[("entry", &old), ("reason", "no"), ("key", "e")]).await;
    assert!(gone.status().is_client_error());
}
