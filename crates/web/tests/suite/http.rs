//! What the server refuses, what it says, and what it never says, over real HTTP.
use crate::support::person::{Person, location};
use crate::support::start_waiting;
use chrono::Utc;
use reqwest::StatusCode;
use reqwest::header::{COOKIE, SET_COOKIE};
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;
use velvet_dial_rig::tls;
use velvet_dial_services::certificate::certificates;
use velvet_dial_testkit::{HOSTILE, fresh_database};
use velvet_dial_web::state::{App, Serving};

/// The job that the demo shop ends with.
const TUG4: &str = "/jobs/9";

#[tokio::test]
async fn nobody_sees_a_page_without_signing_in() {
    let person = Person::new().await;
    for path in [
        "/",
        "/jobs/new",
        "/library",
        TUG4,
        "/jobs/9/run",
        "/jobs/9/report",
        "/jobs/9/case.json",
        "/jobs/9/captures/00000000-0000-0000-0000-000000000000",
    ] {
        let answer = person.get(path).await;
        assert_eq!((answer.status(), location(answer.headers()).starts_with("/sign-in?back=")), (StatusCode::SEE_OTHER, true), "{path}");
    }
    let answer = person
        .ask(person.client.post(format!("{}/jobs/9/evidence", person.base)))
        .header("hx-request", "true")
        .form(&[("check", "level")])
        .send()
        .await
        .unwrap();
    assert!(answer.headers().contains_key("hx-redirect"));
    for back in ["//elsewhere.test/", "https://elsewhere.test/", "/\\elsewhere.test"] {
        let answer = person.post("/sign-in", &[("name", "odd"), ("password", "brass needle"), ("back", back)]).await;
        assert_eq!(location(answer.headers()), "/", "{back}");
    }
}

#[tokio::test]
async fn guessing_is_slowed_down_and_told() {
    let person = Person::new().await;
    let mut last = StatusCode::OK;
    // Spaces and capitals make no other name.
    for name in ["ines", " ines", "Ines ", "INES", "ines  ", "iNes", " ines "] {
        last = person.post("/sign-in", &[("name", name), ("password", "guess")]).await.status();
    }
    assert_eq!(last, StatusCode::TOO_MANY_REQUESTS);
    let told = person.post("/sign-in", &[("name", "ines"), ("password", "brass needle")]).await.text().await.unwrap();
    assert!(told.contains("Too many tries. Wait") && told.contains("value=\"ines\""), "it says how long, and keeps the name");
}

#[tokio::test]
async fn another_site_changes_nothing() {
    let person = Person::signed_in().await;
    let send = |headers: &[(&'static str, String)]| {
        let mut request = person.client.post(format!("{}/jobs/9/evidence", person.base)).header(COOKIE, &person.cookie);
        for (name, value) in headers {
            request = request.header(*name, value);
        }
        request.form(&[("check", "needle"), ("outcome", "steady"), ("key", "x")]).send()
    };
    for headers in [
        vec![("sec-fetch-site", "cross-site".to_owned())],
        vec![("sec-fetch-site", "same-site".to_owned()), ("origin", person.base.clone())],
        vec![("origin", "https://elsewhere.test".to_owned())],
        vec![("origin", "null".to_owned())],
        vec![],
    ] {
        assert_eq!(send(&headers).await.unwrap().status(), StatusCode::FORBIDDEN, "{headers:?}");
    }
    assert!(!person.page("/jobs/9/case.json").await.contains("needle"));
    assert_eq!(send(&[("origin", person.base.clone())]).await.unwrap().status(), StatusCode::SEE_OTHER);
    assert!(person.page("/jobs/9/case.json").await.contains("needle"));
}

#[tokio::test]
async fn every_answer_carries_the_headers_and_no_page_needs_inline_code() {
    let person = Person::signed_in().await;
    for path in [
        "/",
        "/jobs/9/intake",
        "/jobs/9/look",
        "/jobs/9/run",
        "/jobs/9/compare",
        "/jobs/9/trace",
        "/jobs/9/put-right",
        "/jobs/1/prove",
        "/jobs/1/report",
        "/library",
        "/jobs/new",
        "/no/such/page",
        "/assets/app.js",
    ] {
        let answer = person.get(path).await;
        let policy = answer.headers().get("content-security-policy").unwrap().to_str().unwrap().to_owned();
        assert!(policy.contains("script-src 'self'") && !policy.contains("unsafe"), "{path}");
        assert_eq!(answer.headers().get("x-content-type-options").unwrap(), "nosniff");
        let text = answer.text().await.unwrap();
        for inline in ["<script>", " onclick=", " style=", "javascript:", "<style"] {
            assert!(path.contains("/assets/") || !text.contains(inline), "{path} has {inline}");
        }
    }
}

#[tokio::test]
async fn hostile_text_in_every_field_is_shown_and_never_run() {
    let person = Person::signed_in().await;
    let long: String = HOSTILE.chars().take(38).collect();
    let library = person.page("/library").await;
    assert!(library.contains("Quayside 2.0 diesel"));
    let engine = [
        ("name", HOSTILE),
        ("displacement_l", "2,0"),
        ("cylinders", "4"),
        ("idle_rpm", "750"),
        ("oil_grade", "5W-30"),
        ("source", HOSTILE),
        ("rpm1", "750"),
        ("temp1", "100"),
        ("min1", "100"),
    ];
    assert_eq!(person.post("/library/engines", &engine).await.status(), StatusCode::SEE_OTHER);
    let gauge: String = HOSTILE.chars().take(80).collect();
    let gauge_form = [("name", gauge.as_str()), ("full_scale", "1000"), ("class_percent", "1.6"), ("graduation", "20")];
    assert_eq!(person.post("/gauges", &gauge_form).await.status(), StatusCode::SEE_OTHER);
    let form = person.page("/jobs/new").await;
    let at = form.find("&lt;/title").or_else(|| form.find("&#60;/title")).expect("the engine is listed, escaped");
    let id = form.get(..at).unwrap().rsplit("value=\"").next().unwrap().get(..36).unwrap().to_owned();
    let opened =
        person.post("/jobs", &[("tag", &long), ("description", HOSTILE), ("complaint", HOSTILE), ("engine", &id), ("key", HOSTILE)]).await;
    assert_eq!(opened.status(), StatusCode::SEE_OTHER);
    let job = location(opened.headers()).trim_end_matches("/intake").to_owned();
    for (path, form) in [
        (
            "reading",
            vec![("rpm", "750"), ("oil_temp_c", "98,5"), ("pressure", "62"), ("unit", "kPa"), ("gauge", gauge.as_str()), ("key", HOSTILE)],
        ),
        ("repair", vec![("done", HOSTILE), ("follow_up", HOSTILE), ("cause", "pickup_air"), ("key", HOSTILE)]),
        ("evidence", vec![("check", "level"), ("outcome", "ok"), ("key", HOSTILE), ("stage", HOSTILE)]),
    ] {
        assert_eq!(person.post(&format!("{job}/{path}"), &form).await.status(), StatusCode::SEE_OTHER, "{path}");
    }
    // Refused forms show what was typed, too.
    let refused = person
        .post(
            &format!("{job}/reading"),
            &[("rpm", HOSTILE), ("pressure", HOSTILE), ("unit", HOSTILE), ("gauge", HOSTILE), ("supersedes", HOSTILE)],
        )
        .await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let mut pages = vec![refused.text().await.unwrap()];
    let capture =
        person.upload(&format!("{job}/captures"), HOSTILE, format!("{HOSTILE},b,c,d\n1,2,3,4\n2,3,4,5\n").into_bytes()).await.unwrap();
    pages.push(person.page(location(capture.headers())).await);
    for stage in ["intake", "look", "rig", "run", "compare", "trace", "put-right", "prove", "report"] {
        pages.push(person.page(&format!("{job}/{stage}")).await);
    }
    pages.push(person.page("/").await);
    for page in pages {
        assert!(!page.contains("<script>document") && !page.contains("<img src=x") && !page.contains("</title><script"), "{page}");
    }
}

#[tokio::test]
async fn bad_input_is_told_beside_its_field_and_kept() {
    let person = Person::signed_in().await;
    let read = async |form: &[(&str, &str)]| {
        let answer = person.post("/jobs/9/reading", form).await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY, "{form:?}");
        answer.text().await.unwrap()
    };
    let cases = [
        ("rpm", "-50", "Speed: -50 is too low; enter 0 to 10000 rpm."),
        ("oil_temp_c", "9000", "Oil temperature: 9000 is too high; enter -20 to 150 °C."),
        ("pressure", "NaN", "Pressure: “NaN” is not a number; enter 0 to 2500 kPa."),
        ("pressure", "", "Pressure: nothing typed yet; enter 0 to 2500 kPa."),
        ("unit", "furlong", "“furlong” is not a unit of pressure; use kPa, bar or psi."),
        ("pressure", "1900", "1900 kPa is more than the full scale of “Blue case, 10 bar”, 1000 kPa. Check number, unit and gauge."),
    ];
    for (field, typed, sentence) in cases {
        let mut form =
            vec![("rpm", "750"), ("oil_temp_c", "98,5"), ("pressure", "62"), ("unit", "kPa"), ("gauge", "Blue case, 10 bar"), ("key", "k")];
        form.retain(|(name, _)| *name != field);
        form.push((field, typed));
        let page = read(&form).await;
        assert!(page.contains(sentence), "{field}={typed}: no “{sentence}”");
        let kept = if field == "oil_temp_c" { "value=\"750\"" } else { "value=\"98,5\"" };
        assert!(page.contains(kept), "what was typed is kept");
    }
    let long = "x".repeat(2001);
    for (path, form, sentence) in [
        ("/jobs/9/repair", vec![("done", long.as_str())], "2001 characters are too many; keep it to 2000."),
        ("/jobs/9/repair", vec![("done", " ")], "What was done: a sentence for the report"),
        ("/jobs", vec![("tag", "T"), ("complaint", ""), ("engine", "")], "Complaint: nothing typed yet; for example"),
        (
            "/gauges",
            vec![("name", "g"), ("full_scale", "0"), ("class_percent", "1"), ("graduation", "5")],
            "Full scale: 0 is too low; enter 50 to 4000 kPa.",
        ),
        ("/library/engines", vec![("name", "e"), ("oil_grade", "7W-35")], "oil grade “7W-35” is not known"),
    ] {
        let answer = person.post(path, &form).await;
        assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY, "{path}");
        assert!(answer.text().await.unwrap().contains(sentence), "{path}: no “{sentence}”");
    }
    let huge = "x".repeat(40_000);
    let answer = person.post("/jobs/9/repair", &[("done", huge.as_str())]).await;
    assert!(answer.status().is_client_error() && answer.text().await.unwrap().contains("too long"));
}

#[tokio::test]
async fn files_that_are_no_run_are_told_and_bad_rows_are_named() {
    let person = Person::signed_in().await;
    let up = async |name: &str, bytes: Vec<u8>| person.upload("/jobs/9/captures", name, bytes).await;
    for (name, bytes, sentence) in [
        ("empty.csv", vec![], "The file is empty."),
        ("picture.csv", b"\x89PNG\r\n\x1a\n\0\0\0\r".to_vec(), "This is not a text file"),
        ("large.csv", b"1,2,3,4\n".repeat(8_200_000 + 300_000), "larger than 64 MB"),
        ("endless.csv", format!("{}\n1\n", "a,".repeat(500_000)).into_bytes(), "longer than any row"),
        ("wide.csv", format!("{}\n", "1,".repeat(200)).repeat(3).into_bytes(), "at most 64"),
    ] {
        let answer = up(name, bytes).await.unwrap();
        assert!(answer.text().await.unwrap().contains(sentence), "{name}");
    }
    // A hundred megabytes may be cut off on the way, but never kept and never the end of the server.
    if let Ok(answer) = up("huge.csv", vec![b'1'; 100 * 1024 * 1024]).await {
        assert!(answer.status().is_client_error());
    }
    assert_eq!(person.get("/healthz").await.status(), StatusCode::OK);
    // What is under the limit that is told is taken.
    let mut long = b"time s,pressure bar,rpm,oil temp c\n".to_vec();
    (0..120_000).for_each(|row| long.extend(format!("{:.1},2.{:02},2000,95.0\n", 0.1 * f64::from(row), row % 7).bytes()));
    assert!(long.len() > 2 * 1024 * 1024);
    assert_eq!(up("long.csv", long).await.unwrap().status(), StatusCode::SEE_OTHER);
    let bad = up("bad.csv", b"time s,pressure bar,rpm,oil temp c\n0,1,800,90\n1,x,800,90\n2,1,800,90\n".to_vec()).await.unwrap();
    let page = person.page(location(bad.headers())).await;
    assert!(page.contains("Left out: 1 row. For example line 3 has “x” for “pressure bar”"));
    let none = up("none.csv", b"time s,pressure bar,rpm,oil temp c\n0,x,800,90\n1,x,800,90\n".to_vec()).await.unwrap();
    let page = person.page(location(none.headers())).await;
    assert!(page.contains("“pressure bar” holds no numbers") && page.contains("Nothing was imported"));
    let odd = up("odd.csv", b"a,b,c,d\n0,1.1,800,90\n1,1.2,800,90\n7,1.1,800,90\n".to_vec()).await.unwrap();
    let at = location(odd.headers()).to_owned();
    assert!(person.page(&at).await.contains("Which column is which?"));
    let twice = [
        ("time", "0"),
        ("time_unit", "s"),
        ("pressure", "0"),
        ("pressure_unit", "bar"),
        ("speed", "2"),
        ("oil_temp", "3"),
        ("oil_temp_unit", "c"),
    ];
    assert_eq!(person.post(&format!("{at}/mapping"), &twice).await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let right = twice.map(|(name, value)| if name == "pressure" { (name, "1") } else { (name, value) });
    assert_eq!(person.post(&format!("{at}/mapping"), &right).await.status(), StatusCode::SEE_OTHER);
    assert!(person.page(&at).await.contains("Steady readings found"));
}

#[tokio::test]
async fn what_another_wrote_meanwhile_is_shown_before_anything_is_replaced() {
    let mut person = Person::signed_in().await;
    let mine = [("check", "needle"), ("outcome", "flutter"), ("key", "mine"), ("stage", "trace"), ("seen", "0")];
    assert_eq!(person.post("/jobs/9/evidence", &mine).await.status(), StatusCode::SEE_OTHER);
    let other = person.post("/sign-in", &[("name", "odd"), ("password", "brass needle")]).await;
    person.cookie = other.headers().get(SET_COOKIE).unwrap().to_str().unwrap().split(';').next().unwrap().to_owned();
    let theirs = [("check", "needle"), ("outcome", "steady"), ("key", "theirs"), ("stage", "trace"), ("seen", "0")];
    let clash = person.post("/jobs/9/evidence", &theirs).await;
    assert_eq!(clash.status(), StatusCode::CONFLICT);
    let page = clash.text().await.unwrap();
    assert!(
        page.contains("Ines saved something else first") && page.contains("Replace it with mine") && page.contains("New entries by others")
    );
    let offer =
        page.split("saved something else first").nth(1).unwrap().split("name=\"supersedes\" value=\"").nth(1).unwrap().get(..36).unwrap();
    let replace = [("check", "needle"), ("outcome", "steady"), ("key", "theirs2"), ("supersedes", offer)];
    assert_eq!(person.post("/jobs/9/evidence", &replace).await.status(), StatusCode::SEE_OTHER);
    let trace = person.page("/jobs/9/trace").await;
    assert!(trace.contains("changed later"), "what was replaced stays readable");
}

#[tokio::test]
async fn no_fault_tells_what_is_inside() {
    let person = Person::signed_in().await;
    for (path, status) in [
        ("/jobs/99999", 404),
        ("/jobs/9/captures/00000000-0000-0000-0000-000000000000", 404),
        ("/jobs/9/nowhere", 404),
        ("/jobs/x/trace", 404),
        ("/assets/../Cargo.toml", 404),
    ] {
        let answer = person.get(path).await;
        assert_eq!(answer.status().as_u16(), status, "{path}");
        let text = answer.text().await.unwrap().to_lowercase();
        for secret in ["mysql", "select ", "sqlx", "panick", "/work", "src/"] {
            assert!(!text.contains(secret), "{path} tells {secret}");
        }
    }
}

/// Whatever the core knows can be told on the screens, and comes out of the job as a case file that the core reads.
#[tokio::test]
async fn the_whole_vocabulary_walks_through_a_job() {
    use velvet_dial_core::knowledge::knowledge;
    let person = Person::signed_in().await;
    let know = knowledge();
    let before: serde_json::Value = person.get("/jobs/8/case.json").await.json().await.unwrap();
    let told: Vec<&str> = before["circumstances"].as_array().unwrap().iter().filter_map(serde_json::Value::as_str).collect();
    for circumstance in know.circumstances.iter().filter(|circumstance| !told.contains(&circumstance.id.as_str())) {
        let form = [("circumstance", circumstance.id.as_str()), ("told", "true"), ("key", &circumstance.id), ("seen", "999")];
        assert_eq!(person.post("/jobs/8/circumstance", &form).await.status(), StatusCode::SEE_OTHER, "{}", circumstance.id);
    }
    let answered: Vec<String> =
        before["evidence"].as_array().unwrap().iter().map(|entry| entry["check"].as_str().unwrap().to_owned()).collect();
    // What lies behind an opening waits for the customer's yes, or for the reason why nobody was asked.
    let screen = [("check", "screen_light"), ("outcome", know.check("screen_light").unwrap().outcomes[0].id.as_str()), ("seen", "999")];
    let held = person.post("/jobs/8/evidence", &screen).await;
    assert_eq!(held.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(held.text().await.unwrap().contains("approval first"));
    let unasked = |how| [("who", ""), ("how", how), ("unasked", "yes"), ("key", "yes"), ("seen", "999")];
    assert_eq!(person.post("/jobs/8/agreed", &unasked("")).await.status(), StatusCode::UNPROCESSABLE_ENTITY, "not without a reason");
    assert_eq!(person.post("/jobs/8/agreed", &unasked("it came open on a trailer")).await.status(), StatusCode::SEE_OTHER);
    assert!(person.page("/jobs/8/open-up").await.contains("Opened without the customer&#39;s approval: it came open on a trailer"));
    for check in know.checks.iter().filter(|check| !answered.contains(&check.id)) {
        let outcome = &check.outcomes.last().unwrap().id;
        let answer = person
            .post(
                "/jobs/8/evidence",
                &[("check", &check.id), ("outcome", outcome), ("key", &check.id), ("stage", "trace"), ("seen", "999")],
            )
            .await;
        assert_eq!(answer.status(), StatusCode::SEE_OTHER, "{} {outcome}", check.id);
    }
    for stage in ["intake", "look", "rig", "run", "compare", "trace", "put-right", "prove"] {
        let page = person.page(&format!("/jobs/8/{stage}")).await;
        assert!(page.contains("Suspects") && page.contains("Do not run"), "{stage}");
    }
    let text = person.page("/jobs/8/case.json").await;
    let case = velvet_dial_core::case::parse(text.as_bytes()).unwrap();
    assert_eq!((case.circumstances.len(), case.evidence.len()), (know.circumstances.len(), know.checks.len()));
    // What is none is refused, and nothing was written.
    for (path, form) in [
        ("/jobs/8/circumstance", [("circumstance", "full_moon"), ("told", "true"), ("key", "a")]),
        ("/jobs/8/evidence", [("check", "level"), ("outcome", "purple"), ("key", "b")]),
        ("/jobs/8/evidence", [("check", "tarot"), ("outcome", "ok"), ("key", "c")]),
    ] {
        assert_eq!(person.post(path, &form).await.status(), StatusCode::BAD_REQUEST, "{path} {form:?}");
    }
    assert_eq!(person.page("/jobs/8/case.json").await, text);
}

/// Every cause can be what it was: recorded with its caution, read back in the report, replaced by the next.
#[tokio::test]
async fn any_cause_can_be_put_right_and_reported() {
    use velvet_dial_core::knowledge::knowledge;
    let person = Person::signed_in().await;
    let page = person.page("/jobs/7/put-right").await;
    for cause in &knowledge().causes {
        assert!(page.contains(&format!("value=\"{}\"", cause.id)), "{} cannot be chosen", cause.id);
    }
    for cause in ["sender", "pump_control", "gallery_blocked", "something_else"] {
        let done = format!("Mended {cause} & proved it");
        let answer = person
            .post(
                "/jobs/7/repair",
                &[("cause", cause), ("done", &done), ("follow_up", "Filter cut at 500 km"), ("key", cause), ("seen", "999")],
            )
            .await;
        assert_eq!(answer.status(), StatusCode::SEE_OTHER, "{cause}");
        let report = person.page("/jobs/7/report").await;
        let name = &knowledge().causes[knowledge().cause(cause).unwrap()].name;
        assert!(
            report.contains(&format!("Mended {cause} &#38; proved it")) && report.to_lowercase().contains(&name.to_lowercase()),
            "{cause}"
        );
    }
    let answer = person.post("/jobs/7/repair", &[("cause", "gremlins"), ("done", "x"), ("key", "g")]).await;
    assert!(answer.status().is_client_error());
}

#[tokio::test]
async fn a_closed_job_takes_nothing_but_its_reopening() {
    let person = Person::signed_in().await;
    let page = person.page("/jobs/1/prove").await;
    assert!(page.contains("This job is closed") && page.contains("<fieldset class=\"contents\" disabled>"));
    let late = [("rpm", "780"), ("oil_temp_c", "98"), ("pressure", "150"), ("unit", "kPa"), ("phase", "after"), ("key", "late")];
    let refused = person.post("/jobs/1/reading", &late).await;
    assert_eq!(refused.status(), StatusCode::CONFLICT);
    assert!(refused.text().await.unwrap().contains("Open it again from its report"));
    let silent = person.post("/jobs/1/reopen", &[("reason", "  "), ("key", "k1")]).await;
    assert_eq!(silent.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(silent.text().await.unwrap().contains("say in a few words why it is opened again"));
    // Sent twice it is opened once; then it takes what it refused, and the report tells both.
    for _ in 0..2 {
        let opened = person.post("/jobs/1/reopen", &[("reason", "Lamp again"), ("key", "k2")]).await;
        assert_eq!(opened.status(), StatusCode::SEE_OTHER);
    }
    assert_eq!(person.post("/jobs/1/reading", &late).await.status(), StatusCode::SEE_OTHER);
    let report = person.page("/jobs/1/report").await;
    assert!(report.contains("Opened again: Lamp again") && report.contains("Job closed") && !report.contains("id=\"reopen\""));
}

/// What an attack once got through: each was stored or answered wrongly, and breaks nothing now.
#[tokio::test]
async fn what_forms_cannot_send_is_refused_before_anything_is_written() {
    let person = Person::signed_in().await;
    let mine = person.page("/jobs/9/run").await;
    let capture = mine.split("/jobs/9/captures/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let reading = |more: &[(&'static str, &str)]| {
        let mut form = vec![("rpm", "2000"), ("oil_temp_c", "98"), ("pressure", "150"), ("unit", "kPa"), ("key", "odd")];
        form.extend(more.iter().map(|(name, value)| (*name, *value)));
        form.into_iter().map(|(name, value)| (name, value.to_owned())).collect::<Vec<(&str, String)>>()
    };
    let send = async |job: i64, form: Vec<(&str, String)>| {
        let form: Vec<(&str, &str)> = form.iter().map(|(name, value)| (*name, value.as_str())).collect();
        person.post(&format!("/jobs/{job}/reading"), &form).await.status()
    };
    let before = person.page("/jobs/9/case.json").await;
    for (job, more) in [
        (9, vec![("capture", capture.as_str()), ("from_s", "NaN"), ("to_s", "3")]),
        (9, vec![("capture", capture.as_str()), ("from_s", "1"), ("to_s", "inf")]),
        (7, vec![("capture", capture.as_str()), ("from_s", "1"), ("to_s", "3")]),
        (9, vec![("supersedes", "not a key")]),
    ] {
        assert_eq!(send(job, reading(&more)).await, StatusCode::BAD_REQUEST, "{job} {more:?}");
    }
    // A reading cannot take the place of a check.
    let check = mine_of(&person, "/jobs/9/look").await;
    assert_eq!(send(9, reading(&[("supersedes", &check)])).await, StatusCode::BAD_REQUEST);
    assert_eq!(person.page("/jobs/9/case.json").await, before, "nothing was written");
    assert_eq!(person.get("/").await.status(), StatusCode::OK, "and the board stands");

    // Packed bodies are refused unread, with the headers of every answer; so is another site.
    let url = format!("{}/jobs/9/reading", person.base);
    let packed = person.ask(person.client.post(&url)).header("content-encoding", "gzip").body(vec![0x1f, 0x8b]).send().await.unwrap();
    assert_eq!(packed.status(), StatusCode::UNSUPPORTED_MEDIA_TYPE);
    let foreign = person.client.post(&url).header(COOKIE, &person.cookie).header("sec-fetch-site", "cross-site").send().await.unwrap();
    assert_eq!(foreign.status(), StatusCode::FORBIDDEN);
    for answer in [packed, foreign] {
        assert!(answer.headers().contains_key("content-security-policy") && answer.headers().contains_key("x-content-type-options"));
    }
    assert_eq!(person.client.head(format!("{}/healthz", person.base)).send().await.unwrap().status(), StatusCode::OK);

    // Figures keep the unit of the page they were typed on, a part of a cylinder is none, and a plate that nobody sees is none.
    let gauge =
        [("name", "Odd one"), ("full_scale", "60"), ("class_percent", "1"), ("graduation", "1"), ("unit", "psi"), ("kind", "bourdon")];
    assert_eq!(person.post("/gauges", &gauge).await.status(), StatusCode::SEE_OTHER);
    assert!(person.page("/gauges").await.contains("414 kPa full scale"), "60 psi, though the switch stands at kPa");
    let engine = [("name", "Odd"), ("displacement_l", "2"), ("cylinders", "4.5"), ("idle_rpm", "750"), ("oil_grade", "5W-30")];
    let refused = person.post("/library/engines", &engine).await;
    assert!(refused.status() == StatusCode::UNPROCESSABLE_ENTITY && refused.text().await.unwrap().contains("a whole number"));
    let unseen = person.post("/jobs", &[("tag", "\u{200b}\u{2060}\u{200d}"), ("complaint", "x"), ("engine", "x"), ("key", "u")]).await;
    assert_eq!(unseen.status(), StatusCode::UNPROCESSABLE_ENTITY);
}

/// The key of a check that was answered, from the form that would change it.
async fn mine_of(person: &Person, path: &str) -> String {
    let page = person.page(path).await;
    page.split("name=\"supersedes\" value=\"").map(|rest| rest.split('"').next().unwrap()).find(|key| key.len() == 36).unwrap().to_owned()
}

/// A body that does not come is given up, with a sentence; addresses and queries that are none get our own page.
#[tokio::test]
async fn what_stalls_is_ended_and_no_framework_speaks_for_us() {
    let (base, _) = start_waiting(Some(Duration::from_secs(5))).await;
    let person = Person::at(&base).entering_as("ines", "brass needle").await;
    // A form that does not come.
    assert!(
        answer_to(&person, "/jobs/9/repair", "application/x-www-form-urlencoded", 500, &["done=".to_owned()])
            .await
            .starts_with("HTTP/1.1 408")
    );
    // A recorded run that comes slowly, and for longer than a form may, is taken.
    let row = "1,2,3,4\n";
    let mut parts = vec![
        "--b\r\ncontent-disposition: form-data; name=\"file\"; filename=\"slow.csv\"\r\n\r\ntime s,pressure bar,rpm,oil temp c\n"
            .to_owned(),
    ];
    parts.extend(std::iter::repeat_n(row.repeat((64 << 10) / row.len()), 12));
    parts.push("\r\n--b--\r\n".to_owned());
    let length = parts.iter().map(String::len).sum();
    let answer = answer_to(&person, "/jobs/9/captures", "multipart/form-data; boundary=b", length, &parts).await;
    assert!(answer.starts_with("HTTP/1.1 303"), "{answer}");
    for path in ["/?page=many", "/jobs/many", "/jobs/9/captures/none", "/jobs/99999999999999999999/trace", "/library?engine=%FF"] {
        let answer = person.get(path).await;
        let (status, policy) = (answer.status(), answer.headers().contains_key("content-security-policy"));
        let text = answer.text().await.unwrap();
        assert!(!status.is_server_error() && policy && text.contains("Velvet Dial"), "{path}: {status} {text}");
        assert!(!text.contains("deserialize") && !text.contains("invalid digit") && !text.contains("UUID"), "{path}: {text}");
    }
}

/// What the server answers first to a body that is sent in parts, half a second apart.
async fn answer_to(person: &Person, path: &str, kind: &str, length: usize, parts: &[String]) -> String {
    use std::io::{Read, Write};
    let address = person.base.trim_start_matches("http://").to_owned();
    let head = format!(
        "POST {path} HTTP/1.1\r\nhost: x\r\ncookie: {}\r\nsec-fetch-site: same-origin\r\ncontent-type: {kind}\r\ncontent-length: {length}\r\n\r\n",
        person.cookie
    );
    let parts = parts.to_vec();
    let answer = tokio::task::spawn_blocking(move || {
        let mut stream = std::net::TcpStream::connect(address).unwrap();
        stream.set_read_timeout(Some(Duration::from_secs(60))).unwrap();
        stream.write_all(head.as_bytes()).unwrap();
        for part in parts {
            stream.write_all(part.as_bytes()).unwrap();
            std::thread::sleep(Duration::from_millis(500));
        }
        let mut answer = vec![0; 200];
        let read = stream.read(&mut answer).unwrap();
        String::from_utf8_lossy(answer.get(..read).unwrap()).into_owned()
    });
    answer.await.unwrap()
}

/// Over TLS, by a certificate of the shop's own authority: who trusts that gets in, and nobody is served in clear.
#[tokio::test]
async fn a_server_with_its_own_certificate_is_reached_over_tls_alone() {
    let folder = tempfile::tempdir().unwrap();
    let made = certificates(folder.path(), &["localhost".to_owned()], Utc::now().date_naive()).unwrap();
    let config = tls::server_config(&made.server, &made.key).unwrap();
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let authority = std::fs::read_to_string(&made.authority).unwrap();
    let serving = Serving { authority: Some(authority.as_str().into()), ..Serving::default() };
    let base = crate::support::run_by(App::new(db, serving), Some(config));
    let address = base.trim_start_matches("http://").to_owned();
    let ask = b"GET /shop-authority.pem HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n";
    let connector = tls::connector(&made.authority).unwrap();
    let mut link = connector.connect(tls::host("localhost:1").unwrap(), TcpStream::connect(&address).await.unwrap()).await.unwrap();
    link.write_all(ask).await.unwrap();
    let mut answer = String::new();
    // A server that ends without a farewell has said all it had to say.
    let _ = link.read_to_string(&mut answer).await;
    assert!(answer.starts_with("HTTP/1.1 200") && answer.contains(authority.trim()), "{answer}");
    let wrong = certificates(&folder.path().join("other"), &["localhost".to_owned()], Utc::now().date_naive()).unwrap();
    let stranger = tls::connector(&wrong.authority).unwrap();
    assert!(stranger.connect(tls::host("localhost:1").unwrap(), TcpStream::connect(&address).await.unwrap()).await.is_err());
    let mut clear = TcpStream::connect(&address).await.unwrap();
    clear.write_all(ask).await.unwrap();
    let mut answer = Vec::new();
    let _ = clear.read_to_end(&mut answer).await;
    assert!(!String::from_utf8_lossy(&answer).contains("200"));
}
