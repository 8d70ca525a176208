//! A backup is taken while a server writes, and put back on another machine, as it was and up to a moment after it.
use super::{run, serving};
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::thread::sleep;
use std::time::Duration;

fn said(output: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

fn in_folder(folder: &Path, ending: &str) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    found.retain(|path| text(path).ends_with(ending));
    found.sort();
    found
}

/// A pair of keys: the file of the private one, and the public one.
fn key_pair(folder: &Path) -> (PathBuf, String) {
    let file = folder.join("identity.txt");
    let made = Command::new("age-keygen").arg("-o").arg(&file).output().unwrap();
    let public = said(&made).lines().find_map(|line| line.strip_prefix("Public key: ").map(str::to_owned)).unwrap();
    (file, public)
}

#[test]
fn a_backup_is_put_back_as_it_was_and_up_to_a_moment() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let (data, backups, plain) = (at("data"), at("backups"), at("plain"));
    let (identity, public) = key_pair(folder.path());
    let (mut server, _) = serving(text(&data), &["--demo"]);
    let add = |name: &str| assert!(run(&["user", "add", name, "--data", text(&data)], "heron valve gravel\n").status.success());
    let back_up = |to: &Path, more: &[&str]| run(&[&["backup", "--data", text(&data), "--backups", text(to)], more].concat(), "");
    let encrypted = ["--encrypt-backups-to", &public, "--keep-backups", "3"];

    add("before");
    let first = back_up(&backups, &encrypted);
    assert!(first.status.success() && !said(&first).contains("encrypt it"), "{}", said(&first));
    add("after");
    sleep(Duration::from_millis(1500));
    let moment = chrono::Utc::now().to_rfc3339();
    sleep(Duration::from_millis(1500));
    add("too_late");
    let first = in_folder(&backups, ".tar.age").remove(0);
    // The log is copied along with each; only so many backups stay.
    for _ in 0..2 {
        sleep(Duration::from_millis(1100));
        assert!(back_up(&backups, &encrypted).status.success());
        let told = said(&back_up(&plain, &["--keep-backups", "1"]));
        assert!(told.contains("encrypt it"), "{told}");
    }
    assert_eq!((in_folder(&backups, ".tar.age").len(), in_folder(&plain, ".tar").len()), (3, 1));
    assert!(!fs::read(&first).unwrap().windows(6).any(|some| some == b"INSERT"), "it is encrypted");

    let restore_by = |by: &str, file: &Path, to: &Path, more: &[&str]| {
        run(&[&["restore", text(file), "--data", text(to), "--by", by], more].concat(), "")
    };
    let restore = |file: &Path, to: &Path, more: &[&str]| restore_by("ines", file, to, more);
    let people = |data: &Path| said(&run(&["user", "list", "--data", text(data)], ""));
    let (other, key) = (at("other"), ["--identity", text(&identity)]);
    let running = restore(&first, &data, &key);
    assert!(!running.status.success() && said(&running).contains("Stop it first"), "{}", said(&running));
    server.kill().unwrap();
    server.wait().unwrap();

    // What cannot be put back is refused with what would be right, and nothing is left of the try.
    let damaged = at("velvet-dial-damaged.tar");
    let mut bytes = fs::read(in_folder(&plain, ".tar").remove(0)).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    fs::write(&damaged, &bytes).unwrap();
    let cut = at("velvet-dial-cut.tar");
    fs::write(&cut, &bytes[..middle]).unwrap();
    let letter = at("letter.tar");
    fs::write(&letter, "Dear Sir").unwrap();
    let lone = at("velvet-dial-lone.tar.age");
    fs::copy(&first, &lone).unwrap();
    for (by, file, more, why) in [
        ("ines", &first, vec![], "Give the file of the private key"),
        ("ines", &damaged, vec![], "the backup is damaged"),
        ("ines", &cut, vec![], "the backup is damaged"),
        ("ines", &letter, vec![], "is not a backup of Velvet Dial"),
        ("ines", &first, [&key[..], &["--until", "yesterday"]].concat(), "give a moment such as"),
        ("ines", &lone, [&key[..], &["--until", "now", "--log", "/nowhere"]].concat(), "the binary log does not go on from this backup"),
        ("ines", &first, [&key[..], &["--until", "2020-05-30 14:05"]].concat(), "is before that. Take an older backup"),
        ("nobody", &first, key.to_vec(), "These do: "),
    ] {
        let refused = restore_by(by, file, &other, &more);
        assert!(!refused.status.success() && said(&refused).contains(why), "{}: {}", file.display(), said(&refused));
        assert!(!other.exists() && !at("other.restoring").exists(), "{}", file.display());
    }

    // As it was.
    let back = restore(&first, &other, &key);
    assert!(back.status.success() && said(&back).contains("10 job histories and the seals"), "{}", said(&back));
    let list = people(&other);
    assert!(list.contains("before\t") && !list.contains("after\t") && list.contains("ines\t"), "{list}");
    // Up to a moment, by the copies of the log beside the backups; what stood there is kept.
    let log = ["--log", text(&backups)];
    let back = restore(&first, &other, &[&key[..], &log, &["--until", &moment]].concat());
    assert!(back.status.success() && said(&back).contains("Played back until"), "{}", said(&back));
    let list = people(&other);
    assert!(list.contains("after\t") && !list.contains("too_late\t"), "{list}");
    let kept = fs::read_dir(folder.path()).unwrap().filter(|entry| text(&entry.as_ref().unwrap().path()).contains("other.before-")).count();
    assert_eq!(kept, 1);
    // In its own folder, up to the last thing that was written there.
    let back = restore(&first, &data, &[&key[..], &["--until", "now"]].concat());
    assert!(back.status.success() && people(&data).contains("too_late\t"), "{}", said(&back));
    // It serves, it holds, and it says what happened to it.
    let held = run(&["verify", "--shop", "--data", text(&other)], "");
    assert!(held.status.success(), "{}", said(&held));
    let (mut server, address) = serving(text(&other), &["--demo"]);
    assert!(super::sign_in(&address, "ines", "brass needle").contains("303"));
    server.kill().unwrap();
    server.wait().unwrap();
}
