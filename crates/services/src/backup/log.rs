//! The binary log: every change since a backup, copied beside the backups, and played back up to a moment.
use super::archive::{ENCRYPTED, Sink, bytes_of, kept_as, plain_name};
use super::client::{Address, Running, command, run_sql};
use super::{BackupError, LogPlace, file, folder};
use chrono::{DateTime, Utc};
use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::process::Stdio;

/// Folder of the copies, in the folder of backups.
const COPIES: &str = "log";

/// Copies what the binary log has beside the backups; the database begins a new file first, so everything until now is copied. What is older than the oldest backup goes.
///
/// # Errors
/// [`BackupError`]; what was copied before stays.
pub fn copy(url: &str, log: &Path, backups: &Path, recipients: &[String]) -> Result<(), BackupError> {
    let _lock = folder::lock(backups)?;
    run_sql(&Address::of(url)?, "FLUSH BINARY LOGS;")?;
    let to = backups.join(COPIES);
    fs::create_dir_all(&to).map_err(file(&to))?;
    let mut files = files(log)?;
    // The newest is being written.
    files.pop_last();
    for (name, path) in &files {
        let (done, half) = (to.join(kept_as(name, !recipients.is_empty())), to.join(folder::HALF));
        if done.exists() {
            continue;
        }
        let mut sink = Sink::create(&half, recipients)?;
        let mut from = File::open(path).map_err(file(path))?;
        io::copy(&mut from, &mut sink).map_err(file(&half))?;
        sink.done(&half)?;
        let written = from.metadata().and_then(|about| about.modified()).map_err(file(path))?;
        let dated = File::options().write(true).open(&half).and_then(|copy| copy.set_modified(written));
        dated.and_then(|()| fs::rename(&half, &done)).map_err(file(&done))?;
    }
    forget(backups, &to)
}

/// A file of the log that ended before the oldest backup began serves nothing any more.
fn forget(backups: &Path, copies: &Path) -> Result<(), BackupError> {
    let Some((oldest, _)) = folder::backups(backups)?.into_iter().next() else { return Ok(()) };
    for (_, path) in files(copies)? {
        if written(&path)? < oldest {
            fs::remove_file(&path).map_err(file(&path))?;
        }
    }
    Ok(())
}

/// Plays the log back into the database of `url`, from where a backup stands until a moment, and says how far the log reaches. Its files are looked for in `folders`.
///
/// # Errors
/// [`BackupError::Log`] where the log does not go on from the backup, [`BackupError::Failed`] where it cannot be played back.
pub fn until(
    url: &str,
    from: &LogPlace,
    moment: DateTime<Utc>,
    folders: &[PathBuf],
    identity: Option<&Path>,
    scratch: &Path,
) -> Result<DateTime<Utc>, BackupError> {
    let mut found: BTreeMap<String, PathBuf> = BTreeMap::new();
    // Of two copies of a file the one that goes on further.
    let length = |path: &PathBuf| fs::metadata(path).map_or(0, |about| about.len());
    for folder in folders.iter().flat_map(|folder| [folder.clone(), folder.join(COPIES)]).filter(|folder| folder.is_dir()) {
        for (name, path) in files(&folder)? {
            let better = found.get(&name).is_none_or(|known| length(known) < length(&path));
            if better {
                found.insert(name, path);
            }
        }
    }
    let base = base(&from.file);
    found.retain(|name, _| name >= &from.file && self::base(name) == base);
    if !found.contains_key(&from.file) {
        return Err(BackupError::Log(format!("{} is not there", from.file)));
    }
    if let Some((before, after)) = found.keys().zip(found.keys().skip(1)).find(|(one, next)| number(one) + 1 != number(next)) {
        return Err(BackupError::Log(format!("between {before} and {after} a file is missing")));
    }
    let (mut plain, mut reaches) = (Vec::new(), DateTime::UNIX_EPOCH);
    for (name, path) in &found {
        reaches = written(path)?.max(reaches);
        if path.extension().is_some_and(|extension| extension == ENCRYPTED) {
            let opened = scratch.join(name);
            fs::write(&opened, bytes_of(path, identity)?).map_err(file(&opened))?;
            plain.push(opened);
        } else {
            plain.push(path.clone());
        }
    }
    let played = play(&Address::of(url)?, from.position, moment, &plain);
    // What was encrypted does not lie about in the clear.
    for opened in plain.iter().filter(|path| path.parent() == Some(scratch)) {
        fs::remove_file(opened).map_err(file(opened))?;
    }
    played?;
    Ok(reaches)
}

/// When a file was written to last.
fn written(path: &Path) -> Result<DateTime<Utc>, BackupError> {
    Ok(fs::metadata(path).and_then(|about| about.modified()).map_err(file(path))?.into())
}

fn play(at: &Address, position: u64, moment: DateTime<Utc>, files: &[PathBuf]) -> Result<(), BackupError> {
    let mut read = command("mariadb-binlog", "mariadb-client")?;
    read.args(["--no-defaults".to_owned(), format!("--start-position={position}"), format!("--database={}", at.database)]);
    read.arg(format!("--stop-datetime={}", moment.format("%Y-%m-%d %H:%M:%S"))).args(files);
    read.stdin(Stdio::null()).stdout(Stdio::piped());
    let mut reading = Running::start("mariadb-binlog", read)?;
    let mut write = at.client("mariadb")?;
    write.args(["--binary-mode", &at.database]).stdout(Stdio::null());
    write.stdin(reading.child.stdout.take().map_or_else(Stdio::null, Stdio::from));
    Running::start("mariadb", write)?.done()?;
    reading.done()
}

/// The files of a log in a folder by name, without the ending of encrypted ones.
fn files(folder: &Path) -> Result<BTreeMap<String, PathBuf>, BackupError> {
    let mut found = BTreeMap::new();
    for entry in fs::read_dir(folder).map_err(file(folder))? {
        let path = entry.map_err(file(folder))?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let name = plain_name(&name);
        if number(name) > 0 {
            found.insert(name.to_owned(), path);
        }
    }
    Ok(found)
}

fn base(name: &str) -> &str {
    name.rsplit_once('.').map_or(name, |(base, _)| base)
}

/// A file's place in the log, from 1; 0 of another file.
fn number(name: &str) -> u64 {
    name.rsplit_once('.').filter(|(_, number)| number.len() == 6).and_then(|(_, number)| number.parse().ok()).unwrap_or(0)
}
