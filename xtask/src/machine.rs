//! The machine: where the project stands, and the Debian packages it needs.
use std::path::{Path, PathBuf};
use std::process::Command;

/// A program and the packages that bring it.
pub type Need = (&'static [&'static str], &'static [&'static str]);

/// What serving needs.
pub const SERVER: Need = (&["/usr/sbin/mariadbd", "/usr/bin/mariadb-install-db"], &["mariadb-server"]);
/// What the browser tests need.
pub const BROWSER: Need = (&["/usr/bin/chromium", "/usr/bin/chromedriver"], &["chromium", "chromium-driver"]);

/// What reads a report on paper back, for the tests.
pub const READER: Need = (&["/usr/bin/pdftotext"], &["poppler-utils"]);

/// What encrypts a backup, for the tests.
pub const ENCRYPTION: Need = (&["/usr/bin/age", "/usr/bin/age-keygen"], &["age"]);

/// What runs the example client of the docs, and checks what was signed, for the tests.
pub const OTHERS: Need = (&["/usr/bin/python3", "/usr/bin/openssl"], &["python3", "openssl"]);

/// The workspace's root.
pub fn root() -> Result<PathBuf, String> {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().map(Path::to_owned).ok_or_else(|| "the workspace has no root".to_owned())
}

/// Installs what is missing when it may; else says the one command that does.
pub fn install((programs, packages): Need) -> Result<(), String> {
    if programs.iter().all(|program| Path::new(program).exists()) {
        return Ok(());
    }
    let by_hand = format!("apt-get update && apt-get install -y --no-install-recommends {}", packages.join(" "));
    let root = Command::new("id").arg("-u").output().is_ok_and(|out| out.stdout.trim_ascii() == b"0");
    let debian = Path::new("/usr/bin/apt-get").exists();
    if !root || !debian {
        let how = if debian {
            format!("Run this once, then start again:\n  sudo sh -c '{by_hand}'")
        } else {
            "On Debian these come from its own packages.".to_owned()
        };
        return Err(format!("Missing: {}. {how}", packages.join(", ")));
    }
    println!("Installing {} …", packages.join(", "));
    let apt = |arguments: &[&str]| {
        let mut command = Command::new("apt-get");
        command.env("DEBIAN_FRONTEND", "noninteractive").args(["-q", "-o", "Dpkg::Use-Pty=0"]).args(arguments);
        crate::run(&mut command)
    };
    // A package that starts a service of its own is told not to: only ours is wanted.
    let policy = Path::new("/usr/sbin/policy-rc.d");
    let ours = !policy.exists()
        && std::fs::write(policy, "#!/bin/sh\nexit 101\n").is_ok()
        && crate::run(Command::new("chmod").arg("755").arg(policy)).is_ok();
    let done = apt(&["update"]).and_then(|()| apt(&[&["install", "-y", "--no-install-recommends"], packages].concat()));
    if ours {
        std::fs::remove_file(policy).map_err(|error| format!("{}: {error}", policy.display()))?;
    }
    done.map_err(|error| format!("{error}. By hand: {by_hand}"))
}
