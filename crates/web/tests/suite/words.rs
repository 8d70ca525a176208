//! Plain words: what a person may read (templates, knowledge files, documents, sentences in the code) has none of the turns that nobody would say.
use std::path::{Path, PathBuf};

/// Turns that nobody says, or that have another word here.
const TURNS: &[&str] = &[
    "told",
    "reckoned",
    "anew",
    "nought",
    "whoever",
    "made good",
    "that is none",
    "is none of",
    "leads nowhere",
    "take it back",
    "taken back",
    "let it count",
    "set it apart",
    "set apart",
    "strike it out",
    "struck out",
    "bring it in",
    "lay it out",
    "laid out",
    "whisker",
    "is held",
    "are held",
    "stands for",
    "none of the list",
    "beside it",
    "the ledger",
    "doubt",
];

/// Files of a folder and of those in it.
fn files(folder: &Path, kind: &str, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() {
            files(&path, kind, found);
        } else if path.extension().is_some_and(|known| known == kind) {
            found.push(path);
        }
    }
}

/// A phrase as whole words.
fn holds(text: &str, phrase: &str) -> bool {
    let part = |letter: Option<char>| letter.is_some_and(char::is_alphanumeric);
    text.match_indices(phrase).any(|(at, _)| !part(text[..at].chars().next_back()) && !part(text[at + phrase.len()..].chars().next()))
}

/// A template without its markup and its code.
fn shown(template: &str) -> String {
    let (mut said, mut rest) = (String::new(), template);
    while let Some(at) = rest.find(['<', '{']) {
        said.push_str(&rest[..at]);
        let ends = [("{{", "}}"), ("{%", "%}"), ("{#", "#}"), ("<", ">")];
        let (_, end) = ends.into_iter().find(|(begin, _)| rest[at..].starts_with(begin)).unwrap_or(("", ""));
        let long = rest[at..].find(end).map_or(1, |long| (long + end.len()).max(1));
        // What a line shows stays on its line.
        said.extend(rest[at..at + long].chars().filter(|letter| *letter == '\n'));
        said.push(' ');
        rest = &rest[at + long..];
    }
    said + rest
}

/// The sentences of a source file: its strings with a space in them, tests and comments left out.
fn sentences(source: &str) -> String {
    let code = source.split("#[cfg(test)]").next().unwrap();
    let lines: Vec<&str> = code.lines().map(|line| if line.trim_start().starts_with("//") { "" } else { line }).collect();
    let code = lines.join("\n").replace("\\\"", "”");
    let mut said = String::new();
    for (place, part) in code.split('"').enumerate() {
        if place % 2 == 1 && part.trim().contains(' ') {
            // What stands in braces is the code's.
            let outside = part
                .split('{')
                .enumerate()
                .map(|(place, part)| if place == 0 { part } else { part.split_once('}').map_or("", |(_, rest)| rest) });
            said.extend(outside);
            said.push('\n');
        }
    }
    said
}

#[test]
fn nothing_that_a_person_reads_has_a_turn_that_nobody_would_say() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let list = |folder: &str, kind: &str| {
        let mut found = Vec::new();
        files(&root.join(folder), kind, &mut found);
        found
    };
    let read = |path: &Path| std::fs::read_to_string(path).unwrap();
    let mut texts: Vec<(PathBuf, String)> =
        list("crates/web/src", "html").into_iter().map(|path| (path.clone(), shown(&read(&path)))).collect();
    let knowledge = ["crates/core/knowledge", "crates/web/src", "crates/practice"].into_iter().flat_map(|folder| list(folder, "toml"));
    texts.extend(knowledge.map(|path| {
        let rows: Vec<String> = read(&path).lines().filter(|line| !line.trim_start().starts_with('#')).map(str::to_owned).collect();
        (path, rows.join("\n"))
    }));
    texts.extend(
        list("docs", "md")
            .into_iter()
            .chain(["README.md", "ARCHITECTURE.md"].map(|file| root.join(file)))
            .map(|path| (path.clone(), read(&path))),
    );
    for folder in [
        "crates/core/src",
        "crates/web/src",
        "crates/store/src",
        "crates/rig/src",
        "crates/cli/src",
        "crates/report/src",
        "crates/services/src",
        "crates/practice/src",
    ] {
        texts.extend(list(folder, "rs").into_iter().map(|path| (path.clone(), sentences(&read(&path)))));
    }
    texts.extend(list("crates/core/messages", "ftl").into_iter().map(|path| (path.clone(), read(&path))));
    assert!(texts.len() > 200, "everything is looked at");
    let mut found = Vec::new();
    for (path, text) in &texts {
        for line in text.to_lowercase().lines() {
            found.extend(
                TURNS.iter().filter(|turn| holds(line, turn)).map(|turn| format!("{}: “{turn}” in: {}", path.display(), line.trim())),
            );
        }
    }
    assert!(found.is_empty(), "{}", found.join("\n"));
    assert!(
        holds("it is told twice", "told") && !holds("undoubted", "doubt") && shown("<p class=\"told\">Save</p>{{ told }}").trim() == "Save"
    );
}
