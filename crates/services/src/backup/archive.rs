//! The file of a backup, written and read part by part, encrypted or not.
use super::client::{Running, decrypting, encrypting};
use super::{BackupError, FORMAT, FORMAT_PART, MANIFEST_PART, Manifest, Part, file};
use sha2::{Digest, Sha256};
use std::fs::{File, OpenOptions};
use std::io::{self, BufReader, BufWriter, Read, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use tar::{Builder, EntryType, Header};

/// What an encrypted file's name ends with.
pub(super) const ENCRYPTED: &str = "age";

/// A file's name as it is kept, encrypted or not.
pub(super) fn kept_as(name: &str, is_encrypted: bool) -> String {
    if is_encrypted { format!("{name}.{ENCRYPTED}") } else { name.to_owned() }
}

/// The name that a file was kept by, without what says that it is encrypted.
pub(super) fn plain_name(name: &str) -> &str {
    name.strip_suffix(ENCRYPTED).and_then(|name| name.strip_suffix('.')).unwrap_or(name)
}

/// A new file that only its owner reads, or an encrypted one.
pub(super) enum Sink {
    Plain(BufWriter<File>),
    Encrypted(Running),
}

impl Sink {
    pub fn create(path: &Path, recipients: &[String]) -> Result<Self, BackupError> {
        let made = OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(path).map_err(file(path))?;
        Ok(if recipients.is_empty() { Self::Plain(BufWriter::new(made)) } else { Self::Encrypted(encrypting(recipients, path)?) })
    }

    /// It is on the disk, whole.
    pub fn done(self, path: &Path) -> Result<(), BackupError> {
        match self {
            Self::Plain(mut out) => out.flush().and_then(|()| out.get_ref().sync_all()).map_err(file(path)),
            Self::Encrypted(running) => {
                running.done()?;
                File::open(path).and_then(|out| out.sync_all()).map_err(file(path))
            }
        }
    }
}

impl Write for Sink {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Self::Plain(out) => out.write(bytes),
            Self::Encrypted(running) => running.child.stdin.as_mut().ok_or(io::ErrorKind::BrokenPipe)?.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Self::Plain(out) => out.flush(),
            Self::Encrypted(running) => running.child.stdin.as_mut().map_or(Ok(()), Write::flush),
        }
    }
}

/// A backup that is being written.
pub(super) struct Writer {
    path: PathBuf,
    tar: Builder<Sink>,
    pub parts: Vec<Part>,
}

impl Writer {
    pub fn begin(path: &Path, recipients: &[String]) -> Result<Self, BackupError> {
        let mut writer = Self { path: path.to_owned(), tar: Builder::new(Sink::create(path, recipients)?), parts: Vec::new() };
        writer.part(FORMAT_PART, FORMAT.as_bytes())?;
        Ok(writer)
    }

    pub fn part(&mut self, name: &str, bytes: &[u8]) -> Result<(), BackupError> {
        self.append(name, bytes)?;
        self.parts.push(Part { name: name.to_owned(), bytes: bytes.len() as u64, sha256: hash(bytes) });
        Ok(())
    }

    fn append(&mut self, name: &str, bytes: &[u8]) -> Result<(), BackupError> {
        let mut header = Header::new_gnu();
        header.set_size(bytes.len() as u64);
        header.set_mode(0o600);
        header.set_entry_type(EntryType::Regular);
        self.tar.append_data(&mut header, name, bytes).map_err(file(&self.path))
    }

    pub fn end(mut self, manifest: &Manifest) -> Result<(), BackupError> {
        let text = serde_json::to_vec_pretty(manifest).map_err(|error| file(&self.path)(error.into()))?;
        self.append(MANIFEST_PART, &text)?;
        let path = self.path;
        self.tar.into_inner().map_err(file(&path))?.done(&path)
    }
}

/// Reads a backup: `take` gets every part but the first and the last as it comes, and the manifest is checked against what came.
pub(super) fn read(
    path: &Path,
    identity: Option<&Path>,
    mut take: impl FnMut(&str, Vec<u8>) -> Result<(), BackupError>,
) -> Result<Manifest, BackupError> {
    let (from, running) = source(path, identity)?;
    let mut tar = tar::Archive::new(from);
    let damaged = |error: io::Error| BackupError::Damaged(format!("it cannot be read to its end ({error})"));
    let mut seen: Vec<Part> = Vec::new();
    let mut manifest: Option<Manifest> = None;
    let entries = tar.entries().map_err(|_| BackupError::NotOne(path.to_owned()))?;
    for entry in entries {
        let is_first = seen.is_empty();
        let mut entry = entry.map_err(|error| if is_first { BackupError::NotOne(path.to_owned()) } else { damaged(error) })?;
        let name = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
        let mut bytes = Vec::new();
        entry.read_to_end(&mut bytes).map_err(damaged)?;
        if is_first && (name != FORMAT_PART || bytes != FORMAT.as_bytes()) {
            return Err(BackupError::NotOne(path.to_owned()));
        }
        if name == MANIFEST_PART {
            manifest = Some(serde_json::from_slice(&bytes).map_err(|error| damaged(error.into()))?);
            continue;
        }
        seen.push(Part { name: name.clone(), bytes: bytes.len() as u64, sha256: hash(&bytes) });
        if !is_first {
            take(&name, bytes)?;
        }
    }
    drop(tar);
    match (running, manifest) {
        // What age says of a file that it cannot open tells more than that nothing came.
        (Some(running), None) => Err(running.done().err().unwrap_or_else(|| BackupError::Damaged("its end is missing".to_owned()))),
        (None, None) if seen.is_empty() => Err(BackupError::NotOne(path.to_owned())),
        (None, None) => Err(BackupError::Damaged("its end is missing".to_owned())),
        (running, Some(manifest)) => {
            running.map_or(Ok(()), Running::done)?;
            fits(&manifest.parts, &seen)?;
            Ok(manifest)
        }
    }
}

type Source = Box<dyn Read>;

fn source(path: &Path, identity: Option<&Path>) -> Result<(Source, Option<Running>), BackupError> {
    let opened = File::open(path).map_err(file(path))?;
    if path.extension().is_none_or(|extension| extension != ENCRYPTED) {
        return Ok((Box::new(BufReader::new(opened)), None));
    }
    let mut running = decrypting(identity.ok_or_else(|| BackupError::Encrypted(path.to_owned()))?, path)?;
    let out = running.child.stdout.take().ok_or_else(|| BackupError::Damaged("age gave nothing".to_owned()))?;
    Ok((Box::new(BufReader::new(out)), Some(running)))
}

/// The bytes of a file that may be encrypted.
pub(super) fn bytes_of(path: &Path, identity: Option<&Path>) -> Result<Vec<u8>, BackupError> {
    let (mut from, running) = source(path, identity)?;
    let mut bytes = Vec::new();
    from.read_to_end(&mut bytes).map_err(file(path))?;
    running.map_or(Ok(()), Running::done)?;
    Ok(bytes)
}

fn fits(said: &[Part], seen: &[Part]) -> Result<(), BackupError> {
    let wrong = said.iter().zip(seen).find(|(said, seen)| said != seen).map(|(said, _)| said.name.clone());
    let wrong = wrong.or_else(|| said.get(seen.len()).or_else(|| seen.get(said.len())).map(|part| part.name.clone()));
    wrong.map_or(Ok(()), |name| Err(BackupError::Damaged(format!("{name} is not what it was"))))
}

fn hash(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}
