//! The command line as a person or a script meets it.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
mod backups;
mod tamper;

use std::io::Write;
use std::net::TcpListener;
use std::process::{Command, Output, Stdio};

const GOOD: &str = r#"{"format":"velvet-dial.case/1","id":"a","engine":{"displacement_l":2.0,"cylinders":4,"idle_rpm":750,"oil_grade":"5W-30"},"evidence":[{"check":"level","outcome":"low"}]}"#;

fn run(arguments: &[&str], input: &str) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_velvet-dial"));
    command.args(arguments).env_remove("DATABASE_URL").stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    // A command that refuses its arguments ends before it reads: the pipe is then closed, and that is right.
    if let Err(error) = child.stdin.take().unwrap().write_all(input.as_bytes()) {
        assert_eq!(error.kind(), std::io::ErrorKind::BrokenPipe, "{error}");
    }
    child.wait_with_output().unwrap()
}

fn lines(output: &Output) -> Vec<serde_json::Value> {
    String::from_utf8_lossy(&output.stdout).lines().map(|line| serde_json::from_str(line).unwrap()).collect()
}

#[test]
fn diagnose_answers_a_line_a_case_and_goes_on_after_a_bad_one() {
    let good = run(&["diagnose", "-"], GOOD);
    assert_eq!(good.status.code(), Some(0));
    let out = lines(&good);
    assert_eq!(out.len(), 1);
    let first = out.first().unwrap();
    assert_eq!((first["id"].as_str(), first["causes"][0]["id"].as_str()), (Some("a"), Some("oil_low")));
    assert!(String::from_utf8_lossy(&good.stderr).contains("rule of thumb"), "it says what it judged by");

    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("many.jsonl");
    let bad = GOOD.replace("\"a\"", "\"b\"").replace("5W-30", "7W-35");
    std::fs::write(&file, format!("{GOOD}\n{bad}\nnot json\n\n{GOOD}\n")).unwrap();
    let many = run(&["diagnose", file.to_str().unwrap()], "");
    assert_eq!(many.status.code(), Some(1));
    let out = lines(&many);
    let ids: Vec<Option<&str>> = out.iter().map(|line| line["id"].as_str()).collect();
    assert_eq!(ids, [Some("a"), Some("b"), None, Some("a")]);
    assert_eq!(out.get(1).unwrap()["error"]["path"], "engine.oil_grade");

    // What is no case at all is refused in words of our own.
    let more = format!("{GOOD} {{}}");
    for (text, sentence) in [
        ("[]", "a list was given; it must be an object in braces"),
        ("{", "the file ends inside an object"),
        (&more, "something follows after the end"),
    ] {
        let refused = format!("{:?}", lines(&run(&["diagnose", "-"], text)));
        assert!(refused.contains(sentence) && !refused.contains("struct"), "{refused}");
    }

    assert_eq!(run(&["diagnose"], "").status.code(), Some(2));
    assert_eq!(run(&["diagnose", "/no/such/file.json"], "").status.code(), Some(1));
}

#[test]
fn capture_tells_a_run_or_what_is_wrong_with_it() {
    let row = |i: usize| format!("{:.1};{};1,2{};95\n", i as f64 / 10.0, 800 + i % 4, i % 3);
    let rows: String = (0..300).map(row).collect();
    let folder = tempfile::tempdir().unwrap();
    let kept = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    std::fs::write(kept("run.csv"), format!("a;b;c;d\n{rows}")).unwrap();
    let map = "time=1:s,speed=2,pressure=3:bar,oil_temp=4:c";
    let told = run(&["capture", &kept("run.csv"), "--map", map, "--csv", &kept("out.csv")], "");
    let answer: serde_json::Value = serde_json::from_slice(&told.stdout).unwrap();
    assert_eq!((told.status.code(), answer["format"].as_str()), (Some(0), Some("velvet-dial.capture/1")));
    assert!((answer["holds"][0]["kpa"].as_f64().unwrap() - 121.0).abs() < 0.1, "{answer}");
    // What was written is the same run, and needs no map.
    let again = run(&["capture", "-"], &std::fs::read_to_string(kept("out.csv")).unwrap());
    let again: serde_json::Value = serde_json::from_slice(&again.stdout).unwrap();
    assert_eq!(again["fingerprint"], answer["fingerprint"]);
    for (arguments, code, said) in [
        (vec!["capture", "/no/such.csv"], 1, "cannot be read"),
        (vec!["capture", "-", "--map", "x=1"], 1, "cannot be followed"),
        (vec!["capture", "-"], 1, "which column is time"),
        (vec!["capture"], 2, "required"),
    ] {
        let out = run(&arguments, &format!("a;b;c;d\n{rows}"));
        let text = format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr));
        assert!(out.status.code() == Some(code) && text.contains(said), "{arguments:?}: {text}");
    }
    let large = std::fs::File::create(kept("large.csv")).unwrap();
    large.set_len(2 << 30).unwrap();
    let out = run(&["capture", &kept("large.csv")], "");
    assert!(
        out.status.code() == Some(1) && String::from_utf8_lossy(&out.stdout).contains("larger than 64 MB"),
        "two gigabytes are not looked at"
    );
}

#[test]
fn a_taken_port_is_said_with_what_to_do() {
    let taken = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = taken.local_addr().unwrap().port();
    let folder = tempfile::tempdir().unwrap();
    let out = run(&["serve", "--port", &port.to_string(), "--data", folder.path().to_str().unwrap()], "");
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(!out.status.success() && said.contains(&format!("port {port} on 127.0.0.1 is taken")) && said.contains("--port"), "{said}");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "nothing was begun");
}

/// With nothing running and beside a running server alike; what a stranger would try first is no password.
#[test]
fn a_stand_in_rig_says_what_is_wrong_with_its_plan() {
    let card = r#"{"displacement_l": 2, "cylinders": 4, "idle_rpm": 780, "oil_grade": "5W-30"}"#;
    for (engine, more, said) in [
        ("{}", vec![], "neither an engine's card nor a case"),
        ("/no/such.json", vec![], "/no/such.json"),
        (card, vec!["--fault", "tarot"], "“tarot” is no cause that harms a circuit"),
        (card, vec!["--odd", "purple"], "“purple” is not one of bounce, drift"),
        (card, vec!["--rate", "5000"], "1 to 1000 samples a second, not 5000"),
    ] {
        let arguments = [&["rig", "--to", "127.0.0.1:1", "--name", "green", "--token", "x", "--engine", engine][..], &more].concat();
        let out = run(&arguments, "");
        let text = String::from_utf8_lossy(&out.stderr);
        assert!(!out.status.success() && text.contains(said), "{arguments:?}: {text}");
    }
}

#[test]
fn users_are_added_listed_given_passwords_and_removed() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let data = data.to_str().unwrap();
    let user = |words: &[&str], typed: &str| {
        let out = run(&[&["user"], words, &["--data", data]].concat(), typed);
        let said = format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr));
        (out.status.success(), said)
    };
    let refused = |(done, said): (bool, String), why: &str| assert!(!done && said.contains(why), "{said}");
    refused(user(&["add", "mo"], "short\n"), "fewer than 10 characters");
    for common in ["password123", "qwertyuiop", "mo mo mo mo", "1234567890", "aaaaaaaaaaaa"] {
        refused(user(&["add", "mo"], &format!("{common}\n")), "among the first that are tried");
    }
    assert!(user(&["add", "mo"], "heron valve gravel\n").0);
    let (mut server, _) = serving(data, &[]);
    refused(user(&["add", "mo"], "heron valve gravel\n"), "is in the list already");
    assert!(user(&["add", "bo", "--shown-name", "Bo"], "heron valve gravel\n").0);
    assert!(user(&["password", "bo"], "gravel heron valve\n").0);
    refused(user(&["password", "nobody"], "gravel heron valve\n"), "Nobody signs in as");
    assert!(user(&["role", "bo", "foreman"], "").0);
    refused(user(&["role", "bo", "king"], ""), "apprentice, technician, foreman, owner or reader");
    assert!(user(&["remove", "mo"], "").0);
    refused(user(&["remove", "mo"], ""), "Nobody signs in as");
    let (_, list) = user(&["list"], "");
    assert_eq!(list.trim_end(), "bo\tBo\tforeman\tWorkshop\nmo\tmo\towner\tWorkshop\tremoved");
    let told = run(&["summaries", "--data", data], "");
    assert!(String::from_utf8_lossy(&told.stdout).starts_with("Summaries of 0 jobs made again"));
    server.kill().unwrap();
    server.wait().unwrap();
}

/// A server on a folder, and where it serves. Its log is beside the folder.
fn serving(data: &str, more: &[&str]) -> (std::process::Child, String) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = listener.local_addr().unwrap().port().to_string();
    drop(listener);
    let mut server = Command::new(env!("CARGO_BIN_EXE_velvet-dial"))
        // The port after the web's may be another test's.
        .args([&["serve", "--port", &port, "--rig-port", "0", "--data", data], more].concat())
        .env_remove("DATABASE_URL")
        .stderr(std::fs::OpenOptions::new().create(true).append(true).open(log_of(data)).unwrap())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut said = String::new();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(server.stdout.take().unwrap()), &mut said).unwrap();
    assert!(said.contains("serves on"), "{said}");
    (server, format!("127.0.0.1:{port}"))
}

fn log_of(data: &str) -> String {
    format!("{data}.log")
}

/// Signs in over a bare connection; the status line.
fn sign_in(address: &str, name: &str, password: &str) -> String {
    let form = format!("name={name}&password={}", password.replace(' ', "+"));
    let head = "POST /sign-in HTTP/1.1\r\nhost: x\r\nsec-fetch-site: same-origin\r\nconnection: close\r\ncontent-type: application/x-www-form-urlencoded";
    let mut stream = std::net::TcpStream::connect(address).unwrap();
    write!(stream, "{head}\r\ncontent-length: {}\r\n\r\n{form}", form.len()).unwrap();
    let mut said = String::new();
    std::io::Read::read_to_string(&mut stream, &mut said).unwrap();
    said.lines().next().unwrap_or_default().to_owned()
}

/// The demo's people stay in the demo: where its folder is served without it, they are nobody. A customer's link is a key, and the log leaves it out.
#[test]
fn the_demos_people_are_let_in_nowhere_but_in_the_demo() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let data = data.to_str().unwrap();
    let end = |mut server: std::process::Child| {
        Command::new("kill").args(["-TERM", &server.id().to_string()]).status().unwrap();
        server.wait().unwrap();
    };
    let (server, address) = serving(data, &["--demo"]);
    assert!(sign_in(&address, "ines", "brass needle").contains("303"));
    let token = "ab".repeat(32);
    let mut stream = std::net::TcpStream::connect(&address).unwrap();
    write!(stream, "GET /yes/{token} HTTP/1.1\r\nhost: x\r\nconnection: close\r\n\r\n").unwrap();
    let mut page = String::new();
    std::io::Read::read_to_string(&mut stream, &mut page).unwrap();
    assert!(page.starts_with("HTTP/1.1 404"), "{page}");
    end(server);
    let log = std::fs::read_to_string(log_of(data)).unwrap();
    assert!(log.contains("a customer's link that is not valid") && !log.contains(&token), "{log}");
    // Where links begin is an address without a path.
    let refused = run(&["serve", "--data", data, "--public-url", "shop.example/path"], "");
    assert!(String::from_utf8_lossy(&refused.stderr).contains("give the scheme and the host alone"));
    let (server, address) = serving(data, &[]);
    assert!(sign_in(&address, "ines", "brass needle").contains("422"));
    let list = run(&["user", "list", "--data", data], "");
    assert!(String::from_utf8_lossy(&list.stdout).contains("ines\tInes\towner\tSkerry Lane Workshop\tdemo"));
    assert!(run(&["user", "add", "mo", "--data", data], "heron valve gravel\n").status.success());
    assert!(sign_in(&address, "mo", "heron valve gravel").contains("303"));
    end(server);
}

const LOW: &str = r#"{"format":"velvet-dial.case/1","id":"low","engine":{"displacement_l":2.0,"cylinders":4,"idle_rpm":750,"oil_grade":"5W-30","relief_opens_kpa":450},
"spec":{"points":[{"rpm":750,"oil_temp_c":100,"min_kpa":100},{"rpm":3000,"oil_temp_c":100,"min_kpa":300,"max_kpa":550}]},
"readings":[{"rpm":750,"oil_temp_c":98,"kpa":62},{"rpm":3000,"oil_temp_c":100,"kpa":405}],"evidence":[{"check":"relief_plunger","outcome":"free"}]}"#;

#[test]
fn explain_says_why_with_memory_and_strikes_and_a_sheets_own_oil() {
    let one = LOW.replace('\n', "");
    let plain = lines(&run(&["explain", "-"], &one)).remove(0);
    assert_eq!(plain["orders"].as_array().unwrap().len(), 4);
    assert_eq!(plain["memory"].as_array().unwrap().len(), 0, "switched off unless it is given");
    let idle = &plain["readings"][0];
    assert!(idle["doubt_kpa"]["gauge class"].as_f64().unwrap() > 5.0 && idle["projected"].as_array().unwrap().len() == 4);
    let moved = plain["causes"][0]["moved"].as_array().unwrap();
    assert!(moved.iter().any(|m| m["finding"] == "readings") && moved.iter().all(|m| m["reason"].as_str().unwrap().len() > 4));

    let folder = tempfile::tempdir().unwrap();
    let memory = folder.path().join("memory.json");
    let path = memory.to_str().unwrap();
    std::fs::write(&memory, r#"{"family":"tug","closed":{"pickup_air":9}}"#).unwrap();
    let prior = |answer: &serde_json::Value| {
        answer["causes"].as_array().unwrap().iter().find(|c| c["id"] == "pickup_air").map_or(0.0, |c| c["prior"].as_f64().unwrap())
    };
    let learned = lines(&run(&["explain", "--memory", path, "-"], &one)).remove(0);
    assert!(prior(&learned) > 0.3 && learned["memory"].as_array().unwrap().len() > 30);
    std::fs::write(&memory, r#"{"family":"tug","closed":{"gremlins":9}}"#).unwrap();
    let wrong = run(&["explain", "--memory", path, "-"], &one);
    assert!(wrong.status.code() == Some(2) && String::from_utf8_lossy(&wrong.stderr).contains("gremlins"));

    let struck =
        lines(&run(&["explain", "--strike", "pickup_air:relief_plunger=free", "--strike", "sender:level=low", "-"], &one)).remove(0);
    assert!(struck["causes"].as_array().unwrap().iter().all(|c| c["id"] != "pickup_air"));
    assert!(struck["come_back"][0].as_str().unwrap().starts_with("sender"));
    assert_eq!(run(&["explain", "--strike", "gremlins:level=ok", "-"], &one).status.code(), Some(2));
    assert_eq!(run(&["explain", "--strike", "sender", "-"], &one).status.code(), Some(2));

    let thick = lines(&run(&["explain", "--oil", "160,18", "-"], &one)).remove(0);
    assert_ne!(thick["causes"], plain["causes"], "another oil, other odds");
    assert_eq!(run(&["explain", "--oil", "10,18", "-"], &one).status.code(), Some(2));
}

#[test]
fn calculate_lists_describes_works_out_and_refuses() {
    let text = |output: &Output| String::from_utf8_lossy(&output.stdout).into_owned();
    let list = text(&run(&["calculate"], ""));
    assert_eq!(list.lines().count(), 18);
    assert!(list.contains("thread") && list.contains("timetable"));
    let described = text(&run(&["calculate", "relief"], ""));
    assert!(described.contains("Example:") && described.contains("plunger_mm"));
    let figure = run(&["calculate", "pulses", r#"{ "hz": 100, "pulses_per_turn": 2 }"#], "");
    assert!(figure.status.success() && text(&figure).contains("3000.0"));
    let refused = run(&["calculate", "pulses", r#"{ "hz": 100, "pulses_per_turn": 0 }"#], "");
    let said = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(refused.status.code() == Some(1) && said.contains("0.5 to 400") && said.contains("An input that works"), "{said}");
    assert_eq!(run(&["calculate", "horoscope"], "").status.code(), Some(2));
}

#[test]
fn schema_and_evaluate_print_what_they_say() {
    let schema: serde_json::Value = serde_json::from_slice(&run(&["schema"], "").stdout).unwrap();
    assert_eq!(schema["properties"]["format"]["const"], "velvet-dial.case/1");
    let tables = run(&["evaluate", "--believes"], "");
    assert!(tables.status.success() && String::from_utf8_lossy(&tables.stdout).contains("| 15 l diesel | rated | 1900 |"));
    let json = lines(&run(&["evaluate", "--engines", "1", "--seed", "4", "--json"], "")).remove(0);
    assert_eq!(json["options"]["seed"], 4);
    assert_eq!(run(&["evaluate", "--engines", "0"], "").status.code(), Some(2));
}

/// Killed, its database is not waited for behind pages that fail: the server ends, and says so to whatever watches over it.
#[test]
fn a_server_whose_database_dies_ends_with_a_code_of_its_own() {
    let folder = tempfile::tempdir().unwrap();
    let mut command = Command::new(env!("CARGO_BIN_EXE_velvet-dial"));
    command.args(["serve", "--port", "0", "--data", folder.path().to_str().unwrap()]).env_remove("DATABASE_URL");
    let mut server = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut line = String::new();
    std::io::BufRead::read_line(&mut std::io::BufReader::new(server.stdout.as_mut().unwrap()), &mut line).unwrap();
    assert!(line.contains("serves on http://"), "{line}");
    let pid = std::fs::read_to_string(folder.path().join("run.pid")).unwrap();
    assert!(Command::new("/bin/sh").args(["-c", &format!("kill -9 {}", pid.trim())]).status().unwrap().success());
    let ended = server.wait_with_output().unwrap();
    assert_eq!(ended.status.code(), Some(75));
    assert!(String::from_utf8_lossy(&ended.stderr).contains("the database ended by itself"));
}

/// A job as the database keeps it holds, open and closed; with one entry changed behind the program's back it does not, and one that is not there is told. A report that somebody else signed
/// does not hold for the shop's key.
#[tokio::test]
async fn a_job_in_the_database_is_verified() {
    use sea_orm::ConnectionTrait;
    let url = velvet_dial_testkit::fresh_database().await;
    let db = velvet_dial_store::open(&url).await.unwrap();
    velvet_dial_web::demo::load_once(&db, None).await.unwrap();
    let verify = |jobs: &[&str]| {
        let mut arguments = vec!["verify", "--database-url", &url];
        jobs.iter().for_each(|job| arguments.extend(["--job", job]));
        run(&arguments, "")
    };
    let held = verify(&["1", "9"]);
    assert_eq!(held.status.code(), Some(0), "{}", String::from_utf8_lossy(&held.stdout));
    let out = lines(&held);
    assert!(out.iter().all(|job| job["holds"] == true) && out.iter().any(|job| job["checked"]["closed"]["figures"] == true));
    db.execute_unprepared(
        "UPDATE entries SET body = REPLACE(body, '\"kpa\":', '\"kpa\":1') WHERE job_id = (SELECT id FROM jobs WHERE number = 9)",
    )
    .await
    .unwrap();
    let changed = verify(&["1", "9", "4711"]);
    assert_eq!(changed.status.code(), Some(1));
    let out = lines(&changed);
    let told: Vec<_> = out.iter().map(|job| (job["holds"] == true, job["error"].as_str().unwrap_or_default())).collect();
    assert!(
        matches!(told.as_slice(), [(true, ""), (false, chain), (false, gone)] if chain.contains("was changed after it was written") && gone.contains("no job 4711")),
        "{told:?}"
    );

    // A key is made once, and its public half is what checks.
    let folder = tempfile::tempdir().unwrap();
    let (key, public) = (folder.path().join("key.pem"), folder.path().join("public.pem"));
    let signer = velvet_dial_core::signing::Signer::of_seed(&[3; 32]);
    std::fs::write(&key, signer.to_pem().unwrap()).unwrap();
    let told = run(&["key", "--key-file", key.to_str().unwrap()], "");
    assert_eq!(String::from_utf8_lossy(&told.stdout), signer.public_pem().unwrap());
    std::fs::write(&public, &told.stdout).unwrap();
    let viewer = velvet_dial_store::accounts::demo_viewer(&db, "ines").await.unwrap().unwrap();
    let report = folder.path().join("report.json");
    let job = velvet_dial_store::jobs::load(&db, &viewer, 1).await.unwrap();
    let kept = velvet_dial_store::jobs::kept_record(&db, &job).await.unwrap().unwrap();
    let by = |signer: &velvet_dial_core::signing::Signer| {
        let mut record = serde_json::from_str(&kept).unwrap();
        velvet_dial_core::signing::sign(&mut record, signer);
        std::fs::write(&report, serde_json::to_vec(&record).unwrap()).unwrap();
        run(&["verify", report.to_str().unwrap(), "--key", public.to_str().unwrap()], "").status.code()
    };
    assert_eq!((by(&signer), by(&velvet_dial_core::signing::Signer::of_seed(&[4; 32]))), (Some(0), Some(1)));
    assert_eq!(run(&["verify", report.to_str().unwrap(), "--key", report.to_str().unwrap()], "").status.code(), Some(2));
}
