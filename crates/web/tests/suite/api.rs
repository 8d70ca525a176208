//! The door for other programs: every operation by every scope, role and shop; what is sent twice, asked again, or wrong; events, the stream, and the example client.
use crate::support::person::Person;
use crate::support::{ines, serving};
use reqwest::{Method, RequestBuilder, Response, StatusCode};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::process::Command;
use std::time::Duration;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::rights::{Role, Scope};
use velvet_dial_store::accounts::{self, NewUser};
use velvet_dial_store::programs::{self, NewProgram};
use velvet_dial_store::{Connection, Viewer};
use velvet_dial_web::state::{App, Serving};

/// A program with its token.
struct Program {
    client: reqwest::Client,
    base: String,
    token: String,
}

impl Program {
    async fn of(base: &str, db: &Connection, owner: &Viewer, (role, scopes, own_jobs_only): (Role, &[Scope], bool)) -> Self {
        let new = NewProgram { name: "Fleet office", role, scopes, own_jobs_only };
        let token = programs::add(db, owner, &new).await.unwrap();
        Self { client: reqwest::Client::new(), base: format!("{base}/api/v1"), token }
    }

    async fn of_everything(base: &str, db: &Connection) -> Self {
        let all: Vec<Scope> = Scope::ALL.iter().map(|(scope, ..)| *scope).collect();
        Self::of(base, db, &ines(db).await, (Role::Foreman, &all, false)).await
    }

    fn request(&self, method: Method, path: &str) -> RequestBuilder {
        self.client.request(method, format!("{}{path}", self.base)).bearer_auth(&self.token)
    }

    async fn get(&self, path: &str) -> Response {
        self.request(Method::GET, path).send().await.unwrap()
    }

    async fn json(&self, path: &str) -> Value {
        let answer = self.get(path).await;
        assert_eq!(answer.status(), StatusCode::OK, "{path}");
        serde_json::from_slice(&answer.bytes().await.unwrap()).unwrap()
    }

    async fn post(&self, path: &str, key: Option<&str>, body: &Value) -> (StatusCode, Value) {
        let mut request = self.request(Method::POST, path).body(body.to_string());
        if let Some(key) = key {
            request = request.header("idempotency-key", key);
        }
        let answer = request.send().await.unwrap();
        let status = answer.status();
        (status, serde_json::from_slice(&answer.bytes().await.unwrap()).unwrap())
    }
}

fn reading(kpa: f64) -> Value {
    json!({ "reading": { "rpm": 2000, "oil_temp_c": 96, "kpa": kpa, "instrument": "Blue case, 10 bar" } })
}

/// `cargo run --bin velvet-dial -- schema --api > docs/openapi.json` makes it again.
#[test]
fn the_description_in_the_docs_is_current() {
    let made = velvet_dial_web::api_document();
    let kept: Value = serde_json::from_str(include_str!("../../../../docs/openapi.json")).unwrap();
    assert!(made == kept, "docs/openapi.json is not current");
    // Nothing refers to what is not there, and figures have their ranges.
    let text = made.to_string();
    for reference in text.split("\"$ref\":\"#").skip(1).filter_map(|rest| rest.split('"').next()) {
        assert!(made.pointer(reference).is_some(), "{reference}");
    }
    assert_eq!(made.pointer("/components/schemas/Reading/properties/rpm/minimum"), Some(&json!(0.0)));
}

/// Every operation that the description has: whether it adds, its path of job 9, and the scope it needs.
fn operations() -> Vec<(bool, String, Option<Scope>)> {
    let document = velvet_dial_web::api_document();
    let paths = document.get("paths").and_then(Value::as_object).unwrap();
    let mut all = Vec::new();
    for (path, methods) in paths {
        for (method, said) in methods.as_object().unwrap() {
            let needs = said["description"].as_str().unwrap();
            let scope = needs.split('`').nth(1).and_then(Scope::parse);
            let path = path.trim_start_matches("/api/v1").replace("{number}", "9").replace("{id}", "00000000-0000-0000-0000-000000000001");
            all.push((method == "post", path, scope));
        }
    }
    assert!(all.len() > 25);
    all
}

/// What each scope needs of a role, said once more by hand.
fn role_may(role: Role, scope: Scope) -> bool {
    match scope {
        Scope::ReadJobs | Scope::ReadCustomers | Scope::ReadReports | Scope::ReadLibrary => true,
        Scope::WriteJobs => role != Role::Reader,
        Scope::WriteLibrary | Scope::ReadPractice => matches!(role, Role::Technician | Role::Foreman),
    }
}

#[tokio::test]
async fn every_operation_asks_for_its_scope_and_the_role_of_the_program() {
    let (base, db) = crate::support::start_with().await;
    let owner = ines(&db).await;
    let operations = operations();
    for role in [Role::Reader, Role::Apprentice, Role::Technician, Role::Foreman] {
        for (scope, id, _) in Scope::ALL {
            let program = Program::of(&base, &db, &owner, (role, &[*scope], false)).await;
            for (adds, path, needs) in &operations {
                // What is sent is nothing that could be written, so the answer is of the door alone.
                let request = if *adds { program.request(Method::POST, path).body("{}") } else { program.request(Method::GET, path) };
                let status = request.send().await.unwrap().status();
                let open = needs.is_none_or(|needs| needs == *scope && role_may(role, needs));
                assert_eq!(status != StatusCode::FORBIDDEN, open, "{role:?} with {id} at {path}: {status}");
                assert_ne!(status, StatusCode::UNAUTHORIZED);
                assert!(!status.is_server_error(), "{path}: {status}");
            }
        }
    }
    // Without a token, with one that nobody has, and with one that was locked out: the same.
    let all = Program::of_everything(&base, &db).await;
    let id = programs::all(&db, &owner).await.unwrap().last().unwrap().id;
    programs::revoke(&db, &owner, id).await.unwrap();
    for (adds, path, _) in &operations {
        let method = if *adds { Method::POST } else { Method::GET };
        for token in [None, Some("vdt_0"), Some(all.token.as_str())] {
            let mut request = all.client.request(method.clone(), format!("{}{path}", all.base));
            request = if let Some(token) = token { request.bearer_auth(token) } else { request };
            let answer = request.send().await.unwrap();
            assert_eq!(
                (answer.status(), answer.headers()["www-authenticate"].to_str().unwrap()),
                (StatusCode::UNAUTHORIZED, "Bearer"),
                "{path}"
            );
        }
    }
}

/// Another shop's program, and one that has to do with nothing but its own jobs, meet job 9 as one that there is not.
#[tokio::test]
async fn a_program_sees_its_own_shop_and_its_own_jobs() {
    let (base, db) = crate::support::start_with().await;
    let other = accounts::shop_named(&db, "Other side").await.unwrap();
    let olga = accounts::add_user(&db, other, &NewUser::of(Role::Owner, "olga", "Olga", "heron valve gravel")).await.unwrap().unwrap();
    let all: Vec<Scope> = Scope::ALL.iter().map(|(scope, ..)| *scope).collect();
    let theirs = Program::of(&base, &db, &olga, (Role::Foreman, &all, false)).await;
    let own = Program::of(&base, &db, &ines(&db).await, (Role::Technician, &all, true)).await;
    for program in [&theirs, &own] {
        for (adds, path, _) in operations().into_iter().filter(|(_, path, _)| path.starts_with("/jobs/9")) {
            let body = match path.rsplit('/').next().unwrap() {
                "readings" => reading(200.0),
                "findings" => json!({ "evidence": { "check": "level", "outcome": "ok" } }),
                "circumstances" => json!({ "circumstance": "lamp_on" }),
                _ => json!({ "words": "seen" }),
            };
            let request =
                if adds { program.request(Method::POST, &path).body(body.to_string()) } else { program.request(Method::GET, &path) };
            assert_eq!(request.send().await.unwrap().status(), StatusCode::NOT_FOUND, "{path}");
        }
        assert_eq!(program.json("/jobs").await["jobs"], json!([]));
    }
    let engine = own.json("/engines").await[0]["id"].clone();
    // Keys of the one shop open nothing in the other.
    assert_eq!(theirs.get(&format!("/engines/{}", engine.as_str().unwrap())).await.status(), StatusCode::NOT_FOUND);
    let new = json!({ "tag": "BUS 9", "engine": engine, "complaint": "Lamp comes on once it is warm" });
    assert_eq!(theirs.post("/jobs", None, &new).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    let (status, job) = own.post("/jobs", None, &new).await;
    assert_eq!(status, StatusCode::CREATED);
    assert_eq!(own.json("/jobs").await["jobs"], json!([job]));
    assert_eq!(own.json(&format!("/jobs/{}", job["number"])).await, job);
    assert_eq!(theirs.get(&format!("/jobs/{}", job["number"])).await.status(), StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn what_is_sent_twice_is_written_once_and_what_is_wrong_says_where() {
    let (base, db) = crate::support::start_with().await;
    let program = Program::of_everything(&base, &db).await;
    let seq = || async { program.json("/jobs/9/entries?limit=200").await["entries"].as_array().unwrap().len() };
    let before = seq().await;
    let (status, first) = program.post("/jobs/9/readings", Some("a"), &reading(212.0)).await;
    assert_eq!((status, &first["already"]), (StatusCode::CREATED, &json!(false)));
    assert_eq!(program.post("/jobs/9/readings", Some("a"), &reading(212.0)).await, (status, first.clone()));
    let (status, problem) = program.post("/jobs/9/readings", Some("a"), &reading(213.0)).await;
    assert_eq!((status, &problem["code"]), (StatusCode::CONFLICT, &json!("key_of_another")));
    // Eight at once with a new key.
    let words = json!({ "words": "from the office" });
    let at_once = (0..8).map(|_| program.post("/jobs/9/notes", Some("b"), &words));
    for (status, said) in futures_util::future::join_all(at_once).await {
        assert!(status == StatusCode::CREATED || said["code"] == "in_progress", "{said}");
    }
    assert_eq!(seq().await, before + 2);
    // The history names the program, and a person reads it there.
    let last = program.json(&format!("/jobs/9/entries?after={}", before)).await;
    assert_eq!((&last["entries"][0]["by"], &last["next"]), (&json!("Fleet office"), &Value::Null));
    assert!(Person::at(&base).entering_as("ines", "brass needle").await.page("/jobs/9/run").await.contains("212"));
    // What stops the engine is said in the same answer.
    let (_, stopped) = program.post("/jobs/8/findings", None, &json!({ "evidence": { "check": "oil_look", "outcome": "metal" } })).await;
    assert_ne!(stopped["flag"], "may_run", "{stopped}");
    // Capitals make another key.
    let (status, _) = program.post("/jobs/9/readings", Some("A"), &reading(212.0)).await;
    assert_eq!(status, StatusCode::CREATED);
    // The finding that is there already comes back with what it says, and is corrected by its key.
    let finding = |outcome: &str| json!({ "evidence": { "check": "level", "outcome": outcome } });
    let (status, problem) = program.post("/jobs/9/findings", None, &finding("low")).await;
    assert_eq!((status, &problem["code"], &problem["entry"]["says"]["outcome"]), (StatusCode::CONFLICT, &json!("overtaken"), &json!("ok")));
    let mut corrected = finding("low");
    corrected["in_place_of"] = problem["entry"]["id"].clone();
    assert_eq!(program.post("/jobs/9/findings", None, &corrected).await.0, StatusCode::CREATED);
    let future = json!({ "reading": { "rpm": 800, "oil_temp_c": 90, "kpa": 80, "at": "2999-01-01T00:00:00+00:00" } });
    for (path, body, at) in [
        ("/jobs/9/readings", json!({ "reading": { "rpm": 800, "oil_temp_c": 950, "kpa": 60 } }), "reading.oil_temp_c"),
        (
            "/jobs/9/readings",
            json!({ "reading": { "rpm": 800, "oil_temp_c": 90, "kpa": 1100, "instrument": "Blue case, 10 bar" } }),
            "reading.kpa",
        ),
        ("/jobs/9/readings", json!({ "reading": { "rpm": 800, "oil_temp_c": 90, "kpa": 60, "instrument": "none" } }), "reading.instrument"),
        ("/jobs/9/readings", json!({ "reading": { "rpm": 800, "oil_temp_c": 90, "kpa": 60 }, "colour": 1 }), "colour"),
        ("/jobs/9/readings", future, "reading.at"),
        ("/jobs/9/findings", finding("purple"), "evidence.outcome"),
        ("/jobs/9/circumstances", json!({ "circumstance": "purple" }), "circumstance"),
        ("/jobs/9/notes", json!({ "words": " " }), "words"),
        ("/jobs", json!({ "tag": "A", "engine": "00000000-0000-0000-0000-000000000001", "complaint": "x" }), "engine"),
        (
            "/gauges",
            json!({ "name": "New", "gauge": { "kind": "bourdon", "full_scale_kpa": -1, "class_percent": 1, "graduation_kpa": 10 } }),
            "gauge.full_scale_kpa",
        ),
    ] {
        let (status, problem) = program.post(path, None, &body).await;
        assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("invalid")), "{body}");
        assert_eq!(problem["errors"][0]["path"], at, "{problem}");
    }
    // What opens the engine waits for the customer's approval here too.
    let engine = program.json("/engines").await[0].clone();
    let card: Card = serde_json::from_value(engine["card"].clone()).unwrap();
    let opens = knowledge().checks.iter().find(|check| check.opens(&card)).unwrap();
    let finding = json!({ "evidence": { "check": opens.id, "outcome": opens.outcomes.first().unwrap().id } });
    let (_, job) = program.post("/jobs", None, &json!({ "tag": "BUS 9", "engine": engine["id"], "complaint": "Lamp" })).await;
    let (status, problem) = program.post(&format!("/jobs/{}/findings", job["number"]), None, &finding).await;
    assert_eq!((status, &problem["code"]), (StatusCode::CONFLICT, &json!("approval_first")), "{problem}");
}

#[tokio::test]
async fn what_loosens_a_stop_waits_for_a_foreman_and_customers_are_kept_back() {
    let (base, db) = crate::support::start_with().await;
    let owner = ines(&db).await;
    let scopes = [Scope::ReadJobs, Scope::WriteJobs];
    let apprentice = Program::of(&base, &db, &owner, (Role::Apprentice, &scopes, false)).await;
    let all = Program::of_everything(&base, &db).await;
    let entries = all.json("/jobs/9/entries?limit=200").await["entries"].as_array().unwrap().clone();
    let level = entries.iter().find(|entry| entry["says"]["check"] == "level").unwrap();
    let correction = json!({ "evidence": { "check": "level", "outcome": "high" }, "in_place_of": level["id"] });
    let (status, said) = apprentice.post("/jobs/9/findings", Some("k"), &correction).await;
    assert_eq!((status, &said["waits_for_foreman"]), (StatusCode::ACCEPTED, &json!(true)));
    assert!(Person::at(&base).entering_as("ines", "brass needle").await.page("/").await.contains("Fleet office"));
    let kept_back = apprentice.json("/jobs/9/entries?limit=200").await["entries"].as_array().unwrap().clone();
    let personal = |entry: &&Value| entry["kind"] == "particulars";
    assert!(entries.iter().find(personal).unwrap()["says"].is_object());
    assert!(kept_back.iter().find(personal).unwrap()["says"].is_null());
}

#[tokio::test]
async fn pages_follow_each_other_tags_spare_the_rest_and_too_many_are_held_back() {
    let (base, db) = crate::support::start_with().await;
    let program = Program::of_everything(&base, &db).await;
    let whole = program.json("/jobs").await["jobs"].as_array().unwrap().clone();
    let (mut after, mut pages) = (0, Vec::new());
    loop {
        let page = program.json(&format!("/jobs?limit=3&after={after}")).await;
        pages.extend(page["jobs"].as_array().unwrap().clone());
        match page["next"].as_i64() {
            Some(next) => after = next,
            None => break,
        }
    }
    assert_eq!(pages, whole);
    let count = |state: &str| whole.iter().filter(|job| job["closed_at"].is_null() == (state == "open")).count();
    for state in ["open", "closed"] {
        assert_eq!(program.json(&format!("/jobs?state={state}")).await["jobs"].as_array().unwrap().len(), count(state));
    }
    let newest = whole.iter().map(|job| job["changed_at"].as_str().unwrap()).max().unwrap().to_owned();
    assert_eq!(program.json(&format!("/jobs?changed_since={newest}")).await["jobs"], json!([]));
    for path in ["/jobs/9", "/jobs/9/diagnosis", "/jobs/1/report", "/engines"] {
        let tag = program.get(path).await.headers()["etag"].to_str().unwrap().to_owned();
        let again = program.request(Method::GET, path).header("if-none-match", &tag).send().await.unwrap();
        assert_eq!(again.status(), StatusCode::NOT_MODIFIED, "{path}");
    }
    let tag = program.get("/jobs/9").await.headers()["etag"].to_str().unwrap().to_owned();
    program.post("/jobs/9/notes", None, &json!({ "words": "changed" })).await;
    let again = program.request(Method::GET, "/jobs/9").header("if-none-match", &tag).send().await.unwrap();
    assert_eq!(again.status(), StatusCode::OK);
    // A run that is sent comes back byte by byte, and once.
    let run = b"time_s,pressure_kpa\n0,100\n1,101\n2,102\n".to_vec();
    let send = || async {
        let answer = program.request(Method::POST, "/jobs/9/captures?name=office.csv").body(run.clone()).send().await.unwrap();
        assert_eq!(answer.status(), StatusCode::CREATED);
        serde_json::from_slice::<Value>(&answer.bytes().await.unwrap()).unwrap()["id"].as_str().unwrap().to_owned()
    };
    let id = send().await;
    assert_eq!(send().await, id);
    assert_eq!(program.get(&format!("/jobs/9/captures/{id}")).await.bytes().await.unwrap(), run);
    // Two hundred at once are let through, and a few more while they come.
    let mut refused = None;
    for _ in 0..600 {
        let answer = program.get("/me").await;
        if answer.status() == StatusCode::TOO_MANY_REQUESTS {
            refused = Some(answer.headers()["retry-after"].to_str().unwrap().parse::<u64>().unwrap());
            break;
        }
    }
    assert_eq!(refused, Some(1));
}

/// Reads one request, and answers it.
fn hear(listener: &TcpListener, status: &str) -> (Vec<(String, String)>, String) {
    let (stream, _) = listener.accept().unwrap();
    let mut reader = BufReader::new(stream);
    let mut headers = Vec::new();
    loop {
        let mut line = String::new();
        reader.read_line(&mut line).unwrap();
        match line.trim_end().split_once(": ") {
            Some((name, value)) => headers.push((name.to_lowercase(), value.to_owned())),
            None if line.trim_end().is_empty() => break,
            None => {}
        }
    }
    let size = headers.iter().find(|(name, _)| name == "content-length").map_or(0, |(_, value)| value.parse().unwrap());
    let mut body = vec![0; size];
    reader.read_exact(&mut body).unwrap();
    let mut stream: TcpStream = reader.into_inner();
    write!(stream, "HTTP/1.1 {status}\r\ncontent-length: 0\r\nconnection: close\r\n\r\n").unwrap();
    (headers, String::from_utf8(body).unwrap())
}

#[tokio::test]
async fn an_event_is_signed_sent_again_and_seen_in_the_list() {
    let (base, db) = crate::support::start_with().await;
    let program = Program::of_everything(&base, &db).await;
    let owner = Person::at(&base).entering_as("ines", "brass needle").await;
    let id = programs::all(&db, &ines(&db).await).await.unwrap()[0].id;
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let page = format!("/programs/{id}");
    let refused = owner.post(&page, &[("url", "fleet")]).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let url = format!("http://{}/events", listener.local_addr().unwrap());
    let saved = owner.post(&page, &[("url", &url)]).await.text().await.unwrap();
    let secret = saved.split("id=\"secret\"").nth(1).unwrap().split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    assert!(saved.contains(&url) && !owner.page(&page).await.contains(&secret), "a secret is shown once");
    let app = App::new(db.clone(), Serving { hooks_within: true, ..serving() });
    let sending = tokio::spawn(async move { velvet_dial_web::deliver(&app).await });
    program.post("/jobs/9/notes", None, &json!({ "words": "from the office" })).await;
    let heard = tokio::task::spawn_blocking(move || {
        let first = hear(&listener, "500 Internal Server Error");
        (first, hear(&listener, "204 No Content"))
    });
    let ((_, first), (headers, again)) = heard.await.unwrap();
    assert_eq!(first, again, "the same event is sent until it arrives");
    let event: Value = serde_json::from_str(&again).unwrap();
    assert_eq!((&event["type"], &event["job"], &event["entry"]["kind"]), (&json!("job.changed"), &json!(9), &json!("note")));
    assert!(!again.contains("office") && !again.contains("FORK"), "{again}");
    let header = |name: &str| headers.iter().find(|(known, _)| known == name).map(|(_, value)| value.clone()).unwrap();
    // Checked by another program than ours.
    let text = format!("{}.{}.{again}", header("webhook-id"), header("webhook-timestamp"));
    let check = "printf %s \"$TEXT\" | openssl dgst -sha256 -hmac \"$SECRET\" -binary | base64";
    let made = Command::new("sh").args(["-c", check]).env("TEXT", text).env("SECRET", secret).output().unwrap();
    assert_eq!(header("webhook-signature"), format!("v1,{}", String::from_utf8(made.stdout).unwrap().trim()));
    let list = loop {
        let list = owner.page(&page).await;
        if list.contains("arrived") {
            break list;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    };
    assert!(list.contains("job.changed") && list.contains("answered 204"));
    sending.abort();
    // A server that serves many shops sends nothing to itself.
    let app = App::new(db.clone(), serving());
    let sending = tokio::spawn(async move { velvet_dial_web::deliver(&app).await });
    program.post("/jobs/9/notes", None, &json!({ "words": "once more" })).await;
    loop {
        let list = owner.page(&page).await;
        if list.contains("host not found") {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    sending.abort();
}

#[tokio::test]
async fn the_board_comes_as_a_stream() {
    let (base, db) = crate::support::start_with().await;
    let program = Program::of_everything(&base, &db).await;
    let mut stream = program.get("/events").await;
    assert_eq!(stream.headers()["content-type"], "text/event-stream");
    program.post("/jobs/9/notes", None, &json!({ "words": "from the office" })).await;
    let mut heard = String::new();
    while !heard.contains("event: job") {
        heard.push_str(std::str::from_utf8(&stream.chunk().await.unwrap().unwrap()).unwrap());
    }
    let data = heard.lines().find_map(|line| line.strip_prefix("data: ")).unwrap();
    assert_eq!(serde_json::from_str::<Value>(data).unwrap(), program.json("/jobs/9").await);
    // Whoever comes again hears what came since.
    let id = heard.lines().find_map(|line| line.strip_prefix("id: ")).unwrap().to_owned();
    program.post("/jobs/1/notes", None, &json!({ "words": "closed jobs take none" })).await;
    program.post("/jobs/10/notes", None, &json!({ "words": "meanwhile" })).await;
    let mut again = program.request(Method::GET, "/events").header("last-event-id", id).send().await.unwrap();
    let first = again.chunk().await.unwrap().unwrap();
    assert!(String::from_utf8_lossy(&first).contains("\"number\":10"), "{first:?}");
}

/// What docs/api/fleet.py says it does, it does: it opens a job once, says where it is, and fetches the signed report that this program's command then checks.
#[tokio::test]
async fn the_example_client_opens_a_job_and_fetches_the_proof() {
    let (base, db) = crate::support::start_with().await;
    let scopes = [Scope::ReadJobs, Scope::WriteJobs, Scope::ReadLibrary, Scope::ReadReports];
    let program = Program::of(&base, &db, &ines(&db).await, (Role::Technician, &scopes, false)).await;
    let client = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/api/fleet.py");
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("report.json");
    let token = program.token.clone();
    let run = |args: Vec<String>| {
        let (base, token) = (base.clone(), token.clone());
        async move {
            let done = tokio::task::spawn_blocking(move || {
                Command::new("/usr/bin/python3").args([client, "--at", &base, "--token", &token]).args(args).output().unwrap()
            });
            let done = done.await.unwrap();
            (done.status.success(), String::from_utf8([done.stdout, done.stderr].concat()).unwrap())
        }
    };
    let args = |all: &[&str]| all.iter().map(|one| (*one).to_owned()).collect::<Vec<_>>();
    let engine = program.json("/engines").await[0]["name"].as_str().unwrap().to_owned();
    let opening = args(&["open", "BUS 9", &engine, "Lamp comes on once it is warm", "--order", "2031-7"]);
    let (done, number) = run(opening.clone()).await;
    assert!(done, "{number}");
    assert_eq!(run(opening).await, (true, number.clone()), "the same order is one job");
    let (done, state) = run(args(&["state", number.trim()])).await;
    assert!(done && state.contains("BUS 9") && state.contains("may_run"), "{state}");
    let (done, said) = run(args(&["open", "BUS 9", "No such engine", "x"])).await;
    assert!(!done && said.contains(&engine), "{said}");
    let path = file.to_str().unwrap();
    let (done, said) = run(args(&["proof", number.trim(), path])).await;
    assert!(!done && said.contains("not signed yet") && !file.exists(), "{said}");
    let (done, said) = run(args(&["proof", "1", path])).await;
    assert!(done, "{said}");
    let kept = std::fs::read(&file).unwrap();
    let (record, verified) = velvet_dial_core::signing::verified(&kept, velvet_dial_core::signing::Depth::Seal).unwrap();
    assert!(record.papers.number == 1 && verified.signed_by.is_some());
    let (_, said) = run(args(&["state", "9999"])).await;
    assert!(said.contains("Not found"), "{said}");
}
