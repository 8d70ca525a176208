//! The command line as a person or a script meets it.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
use std::io::Write;
use std::net::TcpListener;
use std::process::{Command, Output, Stdio};

const GOOD: &str = r#"{"format":"velvet-dial.case/1","id":"a","engine":{"displacement_l":2.0,"cylinders":4,"idle_rpm":750,"oil_grade":"5W-30"},"evidence":[{"check":"level","outcome":"low"}]}"#;

fn run(arguments: &[&str], input: &str) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_velvet-dial"));
    command.args(arguments).env_remove("DATABASE_URL").stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
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

    assert_eq!(run(&["diagnose"], "").status.code(), Some(2));
    assert_eq!(run(&["diagnose", "/no/such/file.json"], "").status.code(), Some(1));
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

#[test]
fn a_user_is_added_once_and_a_short_password_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().to_str().unwrap();
    let add = |password: &str| run(&["user", "add", "mo", "--data", data], password);
    let short = add("short\n");
    assert!(!short.status.success() && String::from_utf8_lossy(&short.stderr).contains("fewer than 10 characters"));
    assert!(add("a long password\n").status.success());
    let again = add("a long password\n");
    assert!(!again.status.success() && String::from_utf8_lossy(&again.stderr).contains("may sign in already"));
}
