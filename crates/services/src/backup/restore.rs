//! Putting a backup back, into a database that is empty and a folder that is new.
use super::client::{Address, Running};
use super::{BackupError, DATABASE_PARTS, FILE_PARTS, Manifest, archive, file};
use flate2::read::GzDecoder;
use std::fs;
use std::io::{self, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Component, Path, PathBuf};
use std::process::Stdio;

/// Loads the dump into the empty database of `url`, writes the files beside it into `folder`, and says what the backup says of itself.
///
/// # Errors
/// [`BackupError`]; what was loaded until then is of no use, and whoever called removes it.
pub fn read_back(backup: &Path, identity: Option<&Path>, url: &str, folder: &Path) -> Result<Manifest, BackupError> {
    let at = Address::of(url)?;
    let mut command = at.client("mariadb")?;
    command.args(["--binary-mode", &at.database]).stdin(Stdio::piped()).stdout(Stdio::null());
    let mut client = Running::start("mariadb", command)?;
    let mut broke = false;
    let manifest = archive::read(backup, identity, |name, bytes| {
        if let Some(inside) = name.strip_prefix(FILE_PARTS) {
            return write(folder, inside, &bytes);
        }
        if name.starts_with(DATABASE_PARTS) && !broke {
            let Some(stdin) = client.child.stdin.as_mut() else { return Err(BackupError::Address) };
            match io::copy(&mut GzDecoder::new(bytes.as_slice()), stdin) {
                // The client has ended, and says why itself.
                Err(error) if error.kind() == io::ErrorKind::BrokenPipe => broke = true,
                Err(error) => return Err(BackupError::Damaged(format!("{name}: {error}"))),
                Ok(_) => {}
            }
        }
        Ok(())
    })?;
    client.done()?;
    Ok(manifest)
}

/// A file below the folder; a name that leads out of it is refused.
fn write(folder: &Path, name: &str, bytes: &[u8]) -> Result<(), BackupError> {
    let name = PathBuf::from(name);
    if !name.components().all(|part| matches!(part, Component::Normal(_))) {
        return Err(BackupError::Damaged(format!("{} leads out of its folder", name.display())));
    }
    let path = folder.join(name);
    if let Some(parent) = path.parent() {
        fs::DirBuilder::new().recursive(true).mode(0o700).create(parent).map_err(file(parent))?;
    }
    let written = fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&path);
    written.and_then(|mut out| out.write_all(bytes)).map_err(file(&path))
}
