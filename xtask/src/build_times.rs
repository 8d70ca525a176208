//! How long building takes: in a clean clone of what is committed, so that nothing of this folder's own builds helps.
use crate::{cargo, machine, run};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Where the demo of the measurement answers.
const PORT: u16 = 8493;
/// Longer than any build takes here.
const PATIENCE: Duration = Duration::from_secs(60 * 60);
/// One changed line each: what it is called, the file, what stands there, what it becomes, and where the page shows it.
const CHANGES: [(&str, &str, &str, &str, Option<&str>); 3] = [
    ("one changed line in a template", "crates/web/src/account/sign_in.html", "</h1>", " (changed)</h1>", Some("(changed)")),
    ("one changed line in the store", "crates/store/src/zone.rs", "use jiff::Timestamp;", "use jiff::Timestamp; const _: u8 = 1;", None),
    ("one changed line in the core", "crates/core/src/lib.rs", "pub mod adapter;", "pub mod adapter; const _: u8 = 1;", None),
];

/// Measures and prints the table. `only` names what is measured: `release`, `demo`, `ci`; all of them where it is empty.
pub fn measure(only: &[&str]) -> Result<(), String> {
    let wanted = |name: &str| only.is_empty() || only.contains(&name);
    let folder = machine::root()?.join("var/build-times");
    if folder.exists() {
        std::fs::remove_dir_all(&folder).map_err(|error| format!("{}: {error}", folder.display()))?;
    }
    let project = folder.join("project");
    run(Command::new("git").args(["clone", "--quiet"]).arg(machine::root()?).arg(&project))?;
    // What is fetched counts for the network, not for the compiler.
    run(cargo().current_dir(&project).args(["fetch", "--quiet", "--locked"]))?;
    machine::install(machine::SERVER)?;
    let mut table = Vec::new();
    if wanted("release") {
        let took = timed(|| run(clean(&project, &folder.join("release")).args(["build", "--quiet", "--release", "--bin", "velvet-dial"])))?;
        let binary = folder.join("release/release/velvet-dial");
        let size = std::fs::metadata(&binary).map_err(|error| format!("{}: {error}", binary.display()))?.len();
        table.push((format!("clean release build ({} MB)", size / 1_000_000), took));
    }
    if wanted("demo") {
        table.extend(demo(&project, &folder.join("demo"))?);
    }
    if wanted("ci") {
        let log = std::fs::File::create(folder.join("ci.log")).map_err(|error| error.to_string())?;
        let mut ci = Command::new("bash");
        ci.arg(".ci/run").current_dir(&project).env("CARGO_TARGET_DIR", folder.join("ci")).env("CI", "true");
        ci.stdin(Stdio::null()).stdout(log.try_clone().map_err(|error| error.to_string())?).stderr(log);
        table.push(("clean .ci/run, tests included".to_owned(), timed(|| run(&mut ci))?));
    }
    println!("| what | minutes : seconds |\n|---|---|");
    for (what, took) in table {
        println!("| {what} | {}:{:02} |", took.as_secs() / 60, took.as_secs() % 60);
    }
    Ok(())
}

/// The demo from nothing to its first page, then after each change until the changed program answers.
fn demo(project: &Path, target: &Path) -> Result<Vec<(String, Duration)>, String> {
    let mut table = vec![("demo's first page, from nothing".to_owned(), until_it_answers(project, target, None)?)];
    for (what, file, from, to, seen) in CHANGES {
        let path = project.join(file);
        let text = std::fs::read_to_string(&path).map_err(|error| format!("{}: {error}", path.display()))?;
        if !text.contains(from) {
            return Err(format!("{file} has no line with \"{from}\" to change"));
        }
        std::fs::write(&path, text.replacen(from, to, 1)).map_err(|error| format!("{}: {error}", path.display()))?;
        table.push((format!("{what}, until it runs again"), until_it_answers(project, target, seen)?));
    }
    Ok(table)
}

/// Starts the demo and waits for its sign-in page, and for what it must show; then ends it.
fn until_it_answers(project: &Path, target: &Path, seen: Option<&str>) -> Result<Duration, String> {
    let start = Instant::now();
    let mut served = clean(project, target);
    served.args(["xtask", "demo", "--port", &PORT.to_string()]).stdout(Stdio::null()).stderr(Stdio::null());
    let mut served = Ended(served.spawn().map_err(|error| error.to_string())?);
    loop {
        if page().is_some_and(|page| seen.is_none_or(|seen| page.contains(seen))) {
            return Ok(start.elapsed());
        }
        if let Some(status) = served.0.try_wait().map_err(|error| error.to_string())? {
            return Err(format!("the demo ended with {status}"));
        }
        if start.elapsed() > PATIENCE {
            return Err("the demo did not answer within an hour".to_owned());
        }
        std::thread::sleep(Duration::from_millis(100));
    }
}

/// The sign-in page, as soon as it is served.
fn page() -> Option<String> {
    let mut server = TcpStream::connect(("127.0.0.1", PORT)).ok()?;
    server.set_read_timeout(Some(Duration::from_secs(10))).ok()?;
    write!(server, "GET /sign-in HTTP/1.0\r\nHost: 127.0.0.1:{PORT}\r\n\r\n").ok()?;
    let mut page = String::new();
    server.read_to_string(&mut page).ok()?;
    (page.split(' ').nth(1) == Some("200")).then_some(page)
}

/// Cargo with a target folder of its own.
fn clean(project: &Path, target: &Path) -> Command {
    let mut command = cargo();
    command.current_dir(project).env("CARGO_TARGET_DIR", target);
    command
}

fn timed(work: impl FnOnce() -> Result<(), String>) -> Result<Duration, String> {
    let start = Instant::now();
    work()?;
    Ok(start.elapsed())
}

/// A demo that is asked to end, and has ended, when it is dropped: its database ends with it.
struct Ended(Child);

impl Drop for Ended {
    fn drop(&mut self) {
        // Where it has ended already there is nothing to do.
        _ = Command::new("kill").args(["-TERM", &self.0.id().to_string()]).status();
        _ = self.0.wait();
    }
}
