//! Who may know whom: the crates of the workspace, the areas of the web crate, and the rooms of the core, which form no circle. `.ci/run` asks it.
use crate::machine;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;

/// What each crate may import of the others, beside what its tests use.
const CRATES: [(&str, &[&str]); 13] = [
    ("core", &[]),
    ("core-tests", &[]),
    ("services", &[]),
    ("report", &[]),
    ("rig", &["core"]),
    ("engines", &["core"]),
    ("practice", &["core", "engines"]),
    ("examiner", &["core", "engines"]),
    ("store", &["core", "rig"]),
    ("testkit", &["services"]),
    ("web", &["core", "practice", "report", "rig", "store"]),
    ("load", &["core", "rig", "services", "store", "testkit"]),
    ("cli", &["core", "examiner", "practice", "rig", "services", "store", "web"]),
];
/// What each area of the web crate must not know.
const AREAS: [(&str, &[&str]); 9] = [
    ("api", &["shop", "account", "customer", "practice", "server"]),
    ("ui", &["http", "state", "job", "shop", "account", "customer", "server"]),
    ("state", &["http", "ui", "job", "shop", "account", "customer", "server"]),
    ("http", &["job", "shop", "account", "customer", "server"]),
    ("job", &["shop", "account", "customer", "server"]),
    ("shop", &["job", "account", "customer", "server"]),
    ("account", &["job", "shop", "customer", "practice", "server"]),
    ("practice", &["shop", "account", "customer", "server"]),
    ("customer", &["job", "shop", "account", "server"]),
];

/// Says what breaks the rules; an error names all of it.
pub fn check() -> Result<(), String> {
    let root = machine::root()?;
    let mut broken = crates(&root)?;
    broken.extend(areas(&root.join("crates/web/src"))?);
    broken.extend(circles(&root.join("crates/core/src"))?);
    if broken.is_empty() { Ok(()) } else { Err(broken.join("\n")) }
}

fn crates(root: &Path) -> Result<Vec<String>, String> {
    let mut broken = Vec::new();
    for folder in folders(&root.join("crates"))? {
        let manifest = read(&root.join("crates").join(&folder).join("Cargo.toml"))?;
        let own = manifest.split("\n[").find(|part| part.starts_with("dependencies]")).unwrap_or_default();
        let used = own.lines().filter_map(|line| line.strip_prefix("velvet-dial-")).filter_map(|line| line.split([' ', '.', '=']).next());
        match CRATES.iter().find(|(name, _)| *name == folder) {
            None => broken.push(format!("crates/{folder} is not in the table of crates (xtask/src/rooms.rs)")),
            Some((_, may)) => {
                broken.extend(used.filter(|used| !may.contains(used)).map(|used| format!("crates/{folder} must not import {used}")));
            }
        }
    }
    Ok(broken)
}

fn areas(web: &Path) -> Result<Vec<String>, String> {
    let mut broken = Vec::new();
    for (area, must_not) in AREAS {
        for file in sources(&web.join(area))? {
            let known = imported(&read(&file)?);
            broken.extend(
                must_not.iter().filter(|other| known.contains(**other)).map(|other| format!("{} must not know {other}", file.display())),
            );
        }
    }
    Ok(broken)
}

/// Rooms of the core that know each other, directly or by way of others.
fn circles(core: &Path) -> Result<Vec<String>, String> {
    let mut knows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for file in sources(core)? {
        let below = file.strip_prefix(core).map_err(|error| error.to_string())?;
        let room = below.components().next().map(|part| part.as_os_str().to_string_lossy().trim_end_matches(".rs").to_owned());
        let Some(room) = room.filter(|room| room != "lib") else { continue };
        knows.entry(room).or_default().extend(imported(&read(&file)?));
    }
    let rooms: BTreeSet<String> = knows.keys().cloned().collect();
    // Whoever knows only rooms that are sorted already is sorted; what is left knows itself by some way.
    let mut left = knows;
    loop {
        let free: Vec<String> = left
            .iter()
            .filter(|(room, knows)| knows.iter().all(|other| other == *room || !rooms.contains(other) || !left.contains_key(other)))
            .map(|(room, _)| room.clone())
            .collect();
        if free.is_empty() {
            break;
        }
        free.iter().for_each(|room| _ = left.remove(room));
    }
    let names: Vec<&str> = left.keys().map(String::as_str).collect();
    Ok(if names.is_empty() { Vec::new() } else { vec![format!("rooms of the core in or above a circle: {}", names.join(", "))] })
}

/// The first names after `crate::` in a source, its comments and its tests left out: of `use crate::{a::B, c}` a and c.
fn imported(text: &str) -> BTreeSet<String> {
    let text = text.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
    let code: String = text.lines().map(|line| line.split("//").next().unwrap_or_default()).collect::<Vec<_>>().join("\n");
    let mut names = BTreeSet::new();
    for after in code.split("crate::").skip(1) {
        match after.strip_prefix('{') {
            Some(list) => names.extend(first_names(list)),
            None => names.extend(word(after)),
        }
    }
    names
}

/// The first names of a list in braces, up to its closing one.
fn first_names(list: &str) -> BTreeSet<String> {
    let (mut names, mut depth, mut at_start) = (BTreeSet::new(), 0, true);
    for (place, letter) in list.char_indices() {
        match letter {
            '{' => depth += 1,
            '}' if depth == 0 => break,
            '}' => depth -= 1,
            ',' if depth == 0 => at_start = true,
            _ if at_start && depth == 0 && !letter.is_whitespace() => {
                names.extend(list.get(place..).and_then(word));
                at_start = false;
            }
            _ => {}
        }
    }
    names
}

fn word(text: &str) -> Option<String> {
    let word: String = text.chars().take_while(|letter| letter.is_ascii_lowercase() || *letter == '_' || letter.is_ascii_digit()).collect();
    (!word.is_empty()).then_some(word)
}

fn sources(folder: &Path) -> Result<Vec<std::path::PathBuf>, String> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).map_err(|error| format!("{}: {error}", folder.display()))? {
        let path = entry.map_err(|error| error.to_string())?.path();
        if path.is_dir() {
            found.extend(sources(&path)?);
        } else if path.extension().is_some_and(|kind| kind == "rs") {
            found.push(path);
        }
    }
    Ok(found)
}

fn folders(folder: &Path) -> Result<Vec<String>, String> {
    let entries = fs::read_dir(folder).map_err(|error| format!("{}: {error}", folder.display()))?;
    Ok(entries.flatten().filter(|entry| entry.path().is_dir()).map(|entry| entry.file_name().to_string_lossy().into_owned()).collect())
}

fn read(path: &Path) -> Result<String, String> {
    fs::read_to_string(path).map_err(|error| format!("{}: {error}", path.display()))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every form of an import is seen, and nothing of comments and tests.
    #[test]
    fn every_form_of_an_import_is_seen() {
        let text = "use crate::case::Case;\nuse crate::{oil, limits::{self, Point}, unit as u};\n// crate::comment\nfn f() { crate::flag::flag(); }\n#[cfg(test)]\nmod tests { use crate::trace; }";
        let seen: Vec<String> = imported(text).into_iter().collect();
        assert_eq!(seen, ["case", "flag", "limits", "oil", "unit"]);
    }

    #[test]
    fn the_house_keeps_its_rules() {
        assert_eq!(check(), Ok(()));
    }
}
