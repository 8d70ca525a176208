//! What a person types: `cargo xtask demo`, `test`, `assets`, `rooms`, `package`, `shots`, `bench`, `load`, `kill`, `rigs`, `build-times`. Plain std, so that it builds in a moment.
mod assets;
mod build_times;
mod machine;
mod package;
mod rooms;

use std::os::unix::process::CommandExt;
use std::process::{Command, ExitCode};

const USAGE: &str = "cargo xtask demo [--port N] [--fresh]   install what is missing, build, serve the demo shop
cargo xtask test [ARGS…]                install what is missing, run every test (ARGS go to cargo test)
cargo xtask assets [--check]            make built.css from the styles and templates, or check that it is current
cargo xtask rooms                       say which crate, area or room knows another that it must not know
cargo xtask package [--try]             make a Debian package and an archive in target/packages; --try installs, upgrades, serves and removes it in a Debian of its own
cargo xtask shots                       take docs/screenshots anew from the demo shop
cargo xtask bench                       time the core: operating points, diagnose, orders
cargo xtask load [ARGS…]                fill a database in var/load (20,000 jobs, 2 million entries), drive 100 people on it, print times and memory
cargo xtask kill [--times N]            kill server and database in mid-write, count what was acknowledged against what is found
cargo xtask rigs [--seconds N]          link four rigs at a thousand samples a second: how far behind a screen is, processor, lost and doubled; the strip of an hour
cargo xtask build-times [release|demo|ci …] time clean builds and changed lines of what is committed, in a clone under var/build-times (an hour for all of it)";

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let done = match words.as_slice() {
        ["demo", rest @ ..] => demo(rest),
        ["test", rest @ ..] => test(rest),
        ["assets"] => assets::make(),
        ["assets", "--check"] => assets::check(),
        ["rooms"] => rooms::check(),
        ["shots"] => shots(),
        ["package", rest @ ..] => package::make(rest),
        ["bench"] => bench(),
        ["load", rest @ ..] => load("load", rest),
        ["kill", rest @ ..] => load("kill", rest),
        ["rigs", rest @ ..] => load("rigs", rest),
        ["build-times", rest @ ..] => build_times::measure(rest),
        _ => Err(USAGE.to_owned()),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("{message}");
            ExitCode::FAILURE
        }
    }
}

/// Cargo as the one that runs us, without what it told us of ourselves: a build script that looks at that would build its crate, and all that stand on
/// it, anew each time the command is typed by another way.
fn cargo() -> Command {
    let mut cargo = Command::new(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()));
    for (name, _) in std::env::vars_os() {
        if name.to_str().is_some_and(|name| name.starts_with("CARGO_PKG_") || name.starts_with("CARGO_MANIFEST_")) {
            cargo.env_remove(name);
        }
    }
    cargo
}

fn run(command: &mut Command) -> Result<(), String> {
    let status = command.status().map_err(|error| format!("{}: {error}", command.get_program().display()))?;
    if status.success() { Ok(()) } else { Err(format!("{} ended with {status}", command.get_program().display())) }
}

fn demo(rest: &[&str]) -> Result<(), String> {
    machine::install(machine::SERVER)?;
    let root = machine::root()?;
    // The whole workspace is named, so that what is compiled for the tests serves here too.
    run(cargo().current_dir(&root).args(["build", "--workspace", "--bin", "velvet-dial"]))?;
    let target = std::env::var_os("CARGO_TARGET_DIR").map_or_else(|| root.join("target"), Into::into);
    // We become the server, so that Ctrl-C and TERM reach it itself.
    let mut server = Command::new(target.join("debug/velvet-dial"));
    Err(server.current_dir(&root).args(["serve", "--demo"]).args(rest).exec().to_string())
}

fn test(rest: &[&str]) -> Result<(), String> {
    machine::install(machine::SERVER)?;
    machine::install(machine::BROWSER)?;
    machine::install(machine::READER)?;
    machine::install(machine::ENCRYPTION)?;
    machine::install(machine::OTHERS)?;
    run(cargo().current_dir(machine::root()?).args(["test", "--workspace"]).args(rest))
}

fn bench() -> Result<(), String> {
    run(cargo().current_dir(machine::root()?).args(["bench", "--package", "velvet-dial-core", "--bench", "speed"]))?;
    // The same file by another reader at its default threads, where it is installed (pip install polars): it only reads what the core reads and analyses.
    const POLARS: &str = "import os, tempfile, time, polars
path = os.path.join(tempfile.gettempdir(), 'velvet-dial-bench-run.csv')
took = []
for _ in range(20):
    start = time.perf_counter(); polars.read_csv(path); took.append(time.perf_counter() - start)
print(f'polars {polars.__version__} reads the same 600,000 rows in {1000 * sorted(took)[10]:.0f} ms (median of 20)')";
    if !Command::new("python3").args(["-c", POLARS]).status().is_ok_and(|status| status.success()) {
        println!("polars is not installed, so nothing was read beside it");
    }
    Ok(())
}

/// In release, as it is served: what is measured is the server and not its debug build.
fn load(what: &str, rest: &[&str]) -> Result<(), String> {
    machine::install(machine::SERVER)?;
    machine::install(machine::BROWSER)?;
    let root = machine::root()?;
    run(cargo().current_dir(&root).args(["build", "--release", "--bin", "velvet-dial", "--bin", "velvet-dial-load"]))?;
    let built = std::env::var_os("CARGO_TARGET_DIR").map_or_else(|| root.join("target"), Into::into).join("release");
    let mut driver = Command::new(built.join("velvet-dial-load"));
    run(driver.current_dir(&root).arg(what).arg("--server").arg(built.join("velvet-dial")).args(rest))
}

fn shots() -> Result<(), String> {
    machine::install(machine::SERVER)?;
    machine::install(machine::BROWSER)?;
    run(cargo().current_dir(machine::root()?).args([
        "test",
        "--package",
        "velvet-dial-web",
        "--test",
        "suite",
        "--",
        "shots",
        "--ignored",
        "--nocapture",
    ]))
}
