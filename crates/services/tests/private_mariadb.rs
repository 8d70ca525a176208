//! The private MariaDB starts, refuses what it must, and leaves nothing behind.
use std::fs;
use std::time::{Duration, Instant};
use velvet_dial_services::child_supervisor::Leashed;
use velvet_dial_services::mariadb::{MariaDb, StartError};

#[test]
fn a_folder_is_made_once_kept_and_guarded() {
    let folder = tempfile::tempdir().unwrap();
    // What a cut-short start leaves is swept away.
    fs::create_dir(folder.path().join("data.half-made")).unwrap();
    let first = MariaDb::start(folder.path(), false).unwrap();
    let url = first.url();
    assert!(matches!(MariaDb::start(folder.path(), false), Err(StartError::InUse(_))));
    // A command finds the server that another process has started, and no server that is over.
    assert_eq!(MariaDb::url_of_running(folder.path()).unwrap().as_deref(), Some(url.as_str()));
    assert!(folder.path().join("tmp").is_dir(), "temporary tables of its own");
    drop(first);
    assert_eq!(MariaDb::url_of_running(folder.path()).unwrap(), None);
    let second = MariaDb::start(folder.path(), false).unwrap();
    let password = |url: &str| url.split('@').next().unwrap().to_owned();
    assert_eq!(password(&url), password(&second.url()), "a second start keeps the password, and so the data");
    drop(second);
    assert!(fs::write(folder.path().join("password"), "\n").is_ok());
    let error = MariaDb::start(folder.path(), false).unwrap_err();
    assert!(matches!(error, StartError::NoPassword(_)) && error.to_string().contains("--fresh"), "{error}");
    fs::remove_file(folder.path().join("password")).unwrap();
    let error = MariaDb::start(folder.path(), false).unwrap_err();
    assert!(matches!(error, StartError::NotWhole { missing: "password", .. }), "{error}");
    assert!(error.to_string().contains("--fresh"));
}

#[test]
fn a_leashed_child_ends_with_its_leash() {
    let folder = tempfile::tempdir().unwrap();
    let sweep = folder.path().join("sweep");
    fs::create_dir(&sweep).unwrap();
    let child = Leashed::start("/bin/sleep".as_ref(), &["600".into()], &folder.path().join("log"), Some(&sweep)).unwrap();
    let pid = child.pid();
    assert!(child.alive());
    let start = Instant::now();
    drop(child);
    assert!(start.elapsed() < Duration::from_secs(60), "it was ended, not waited out");
    assert!(!fs::exists(format!("/proc/{pid}")).unwrap());
    assert!(!sweep.exists());
}
