//! What a real shop installs: a Debian package with a service of its own, and an archive for other systems.
use crate::{cargo, machine, run};
use std::path::Path;
use std::process::Command;

/// What trying the package needs.
const TRIES: machine::Need = (&["/usr/sbin/debootstrap", "/usr/bin/systemd-analyze", "/usr/bin/curl"], &["debootstrap", "systemd", "curl"]);
/// Version of the maker of packages: another one may lay them out otherwise.
const CARGO_DEB: &str = "3.8.0";

/// Makes both in `target/packages`; with `--try` the package is installed, upgraded, served and removed in a Debian of its own.
pub fn make(rest: &[&str]) -> Result<(), String> {
    let tries = match rest {
        [] => false,
        ["--try"] => true,
        _ => return Err("cargo xtask package [--try]".to_owned()),
    };
    let root = machine::root()?;
    let target = std::env::var_os("CARGO_TARGET_DIR").map_or_else(|| root.join("target"), Into::into);
    let (tools, out) = (target.join("tools"), target.join("packages"));
    std::fs::create_dir_all(&out).map_err(|error| error.to_string())?;
    if !tools.join("bin/cargo-deb").exists() {
        run(cargo().args(["install", "cargo-deb", "--locked", "--version", CARGO_DEB, "--root"]).arg(&tools))?;
    }
    run(cargo().current_dir(&root).args(["build", "--release", "--bin", "velvet-dial"]))?;
    // The first stands for the package before: the same program, whose tables are then taken a step back.
    let revisions: &[&str] = if tries { &["1", "2"] } else { &["1"] };
    for revision in revisions {
        let mut deb = Command::new(tools.join("bin/cargo-deb"));
        deb.current_dir(&root).args(["--no-build", "--package", "velvet-dial", "--deb-revision", revision, "--output"]).arg(&out);
        run(&mut deb)?;
    }
    archive(&root, &target, &out)?;
    println!("In {}.", out.display());
    if !tries {
        return Ok(());
    }
    machine::install(TRIES)?;
    unit_holds(&root, &target, &out)?;
    run(Command::new("sh").arg(root.join("packaging/try.sh")).arg(&out))
}

/// The unit as systemd reads it, with the program where it was built: it is not installed here.
fn unit_holds(root: &Path, target: &Path, out: &Path) -> Result<(), String> {
    let unit = std::fs::read_to_string(root.join("packaging/velvet-dial.service")).map_err(|error| error.to_string())?;
    let program = target.join("release/velvet-dial");
    let checked = out.join("velvet-dial.service");
    std::fs::write(&checked, unit.replace("/usr/bin/velvet-dial", &program.display().to_string())).map_err(|error| error.to_string())?;
    run(Command::new("systemd-analyze").args(["verify", "--man=no"]).arg(&checked))
}

fn archive(root: &Path, target: &Path, out: &Path) -> Result<(), String> {
    let version = env!("CARGO_PKG_VERSION");
    let name = format!("velvet-dial-{version}-{}.tar.gz", std::env::consts::ARCH);
    let mut tar = Command::new("tar");
    tar.args(["--create", "--gzip", "--owner=0", "--group=0", "--file"]).arg(out.join(name));
    tar.args(["--transform", &format!("s,^,velvet-dial-{version}/,")]);
    tar.arg("--directory").arg(target.join("release")).arg("velvet-dial");
    tar.arg("--directory").arg(root.join("packaging")).args(["velvet-dial.service", "velvet-dial.conf"]);
    tar.arg("--directory").arg(root).args([
        "README.md",
        "CHANGELOG.md",
        "LICENSE-MIT",
        "LICENSE-APACHE",
        "docs/running.md",
        "docs/people.md",
    ]);
    run(&mut tar)
}
