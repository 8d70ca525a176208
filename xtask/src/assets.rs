//! `built.css`: made with Tailwind by whoever changes styles, committed, and checked without Node by a fingerprint of what it was made from.
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

const STYLES: &str = "crates/web/styles/app.css";
const BUILT: &str = "crates/web/assets/built.css";
const SOURCES: &str = "crates/web/src";

/// Makes it.
pub fn make() -> Result<(), String> {
    let root = crate::machine::root()?;
    let tailwind = root.join("node_modules/.bin/tailwindcss");
    if !tailwind.exists() {
        crate::run(Command::new("npm").current_dir(&root).args(["install", "--no-package-lock", "--no-audit", "--no-fund"]))?;
    }
    crate::run(Command::new(&tailwind).current_dir(&root).args(["-i", STYLES, "-o", BUILT, "--minify"]))?;
    let css = fs::read_to_string(root.join(BUILT)).map_err(|error| format!("{BUILT}: {error}"))?;
    let stamped = format!("{}{css}", stamp(&root, &css)?);
    fs::write(root.join(BUILT), stamped).map_err(|error| format!("{BUILT}: {error}"))
}

/// Fails when it was not made from what stands here, or was changed by hand.
pub fn check() -> Result<(), String> {
    let root = crate::machine::root()?;
    let built = fs::read_to_string(root.join(BUILT)).map_err(|error| format!("{BUILT}: {error}"))?;
    let (head, css) = built.split_once('\n').ok_or_else(|| format!("{BUILT} is empty: run cargo xtask assets"))?;
    if format!("{head}\n") == stamp(&root, css)? {
        Ok(())
    } else {
        Err(format!("{BUILT} is not current: run cargo xtask assets and commit it"))
    }
}

fn stamp(root: &Path, css: &str) -> Result<String, String> {
    let mut files = vec![root.join(STYLES)];
    templates(&root.join(SOURCES), &mut files)?;
    files.sort();
    let mut sources = FNV_START;
    for file in files {
        let text = fs::read(&file).map_err(|error| format!("{}: {error}", file.display()))?;
        sources = fnv(sources, &text);
    }
    Ok(format!("/* made by cargo xtask assets; do not edit. sources {sources:016x} output {:016x} */\n", fnv(FNV_START, css.as_bytes())))
}

fn templates(folder: &Path, files: &mut Vec<PathBuf>) -> Result<(), String> {
    let entries = fs::read_dir(folder).map_err(|error| format!("{}: {error}", folder.display()))?;
    for entry in entries.flatten() {
        let path = entry.path();
        if path.is_dir() {
            templates(&path, files)?;
        } else if path.extension().is_some_and(|extension| extension == "html") {
            files.push(path);
        }
    }
    Ok(())
}

const FNV_START: u64 = 0xcbf2_9ce4_8422_2325;

/// FNV-1a, 64 bits: tells changed from unchanged, and needs no crate.
fn fnv(start: u64, bytes: &[u8]) -> u64 {
    bytes.iter().fold(start, |hash, byte| (hash ^ u64::from(*byte)).wrapping_mul(0x0000_0100_0000_01b3))
}
