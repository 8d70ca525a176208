//! The keys that sign reports, a shop each, and the server's own: made when they are first needed, kept in files that only their owner reads.
//!
//! Beside the server's key lie a folder with the shops' keys (`report-keys/SHOP.pem`), the public keys of before (`report-keys/SHOP.DAY.public.pem`), and the file of seals
//! (`report-seals.jsonl`), to which a line is added whenever the heads of the ledgers are sealed.
use std::collections::HashMap;
use std::fs::{self, OpenOptions};
use std::io::{self, ErrorKind, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use thiserror::Error;
use uuid::Uuid;
use velvet_dial_core::signing::{KeyError, SealLine, SealedHeads, Signer, public_keys};

/// The server's key, by its name in the data folder.
pub const NAME: &str = "report-key.pem";
/// Folder of the shops' keys, beside it.
pub const FOLDER: &str = "report-keys";
/// The file of seals, beside it.
pub const SEALS: &str = "report-seals.jsonl";
const FORMER: &str = "public.pem";

/// Why there is no key.
#[derive(Debug, Error)]
pub enum KeyFileError {
    /// A file could not be read or written.
    #[error("{file}: {source}")]
    File {
        /// Which.
        file: String,
        /// Why.
        source: io::Error,
    },
    /// A file holds no key.
    #[error(
        "{file}: {source}. Put the right file in its place, or move it away: a new key is made then, and what the old one signed is checked with the old public key"
    )]
    Key {
        /// Which.
        file: String,
        /// Why.
        source: KeyError,
    },
    /// The system gives no random bytes.
    #[error("no random bytes could be had ({0})")]
    Random(String),
}

/// The keys of a server.
#[derive(Debug)]
pub struct Keys {
    server: Signer,
    /// The server's key file; none of keys that are in memory alone.
    file: Option<PathBuf>,
    shops: Mutex<HashMap<Uuid, Signer>>,
}

impl Keys {
    /// Those of a server's key file, which is made where there is none.
    ///
    /// # Errors
    /// [`KeyFileError`] where it cannot be read or made.
    pub fn open(file: &Path) -> Result<Self, KeyFileError> {
        Ok(Self { server: signer(file)?, file: Some(file.to_owned()), shops: Mutex::default() })
    }

    /// One key for all, in memory alone.
    pub fn of(server: Signer) -> Self {
        Self { server, file: None, shops: Mutex::default() }
    }

    /// The server's own.
    pub fn server(&self) -> &Signer {
        &self.server
    }

    /// A shop's key; made at its first report.
    ///
    /// # Errors
    /// [`KeyFileError`] where it cannot be read or made.
    pub fn of_shop(&self, shop: Uuid) -> Result<Signer, KeyFileError> {
        let Some(folder) = self.folder() else { return Ok(self.server.clone()) };
        let mut shops = self.shops.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = shops.get(&shop) {
            return Ok(known.clone());
        }
        let made = fs::DirBuilder::new().recursive(true).mode(0o700).create(&folder);
        made.map_err(|source| KeyFileError::File { file: folder.display().to_string(), source })?;
        let signer = signer(&folder.join(format!("{shop}.pem")))?;
        shops.insert(shop, signer.clone());
        Ok(signer)
    }

    /// Every public key that a report of a shop may be signed by, in PEM, the one in use first. The server's own signed all reports once.
    ///
    /// # Errors
    /// [`KeyFileError`] where one cannot be read.
    pub fn public_of_shop(&self, shop: Uuid) -> Result<String, KeyFileError> {
        let mut text = public(&self.of_shop(shop)?, &shop.to_string())?;
        for file in self.files(|name| name.starts_with(&shop.to_string()) && name.ends_with(FORMER))? {
            text.push_str(&fs::read_to_string(&file).map_err(|source| KeyFileError::File { file: file.display().to_string(), source })?);
        }
        if self.file.is_some() {
            text.push_str(&public(&self.server, NAME)?);
        }
        Ok(text)
    }

    /// True when a public key, hexadecimal, is one that signed reports of this shop.
    pub fn is_of_shop(&self, shop: Uuid, key: &str) -> bool {
        let known = self.public_of_shop(shop).ok().and_then(|text| public_keys(&text).ok()).unwrap_or_default();
        known.iter().any(|known| known == key)
    }

    /// Every public key of every shop, and the server's, in PEM.
    ///
    /// # Errors
    /// [`KeyFileError`] where one cannot be read.
    pub fn public_of_all(&self) -> Result<String, KeyFileError> {
        let mut text = public(&self.server, NAME)?;
        for file in self.files(|name| name.ends_with(".pem"))? {
            let wrong = |source| KeyFileError::File { file: file.display().to_string(), source };
            let former = file.to_string_lossy().ends_with(FORMER);
            text.push_str(&if former {
                fs::read_to_string(&file).map_err(wrong)?
            } else {
                public(&read(&file)?, &file.display().to_string())?
            });
        }
        Ok(text)
    }

    /// Gives a shop a new key from its next report on. The public half of the one before is kept: what it signed is checked with it for ever.
    ///
    /// # Errors
    /// [`KeyFileError`] where files cannot be written.
    pub fn rotate(&self, shop: Uuid, day: &str) -> Result<(), KeyFileError> {
        let Some(folder) = self.folder() else { return Ok(()) };
        let text = public(&self.of_shop(shop)?, &shop.to_string())?;
        let former = folder.join(format!("{shop}.{day}.{}.{FORMER}", std::process::id()));
        write_new(&former, &text)?;
        let file = folder.join(format!("{shop}.pem"));
        fs::remove_file(&file).map_err(|source| KeyFileError::File { file: file.display().to_string(), source })?;
        self.shops.lock().unwrap_or_else(PoisonError::into_inner).remove(&shop);
        Ok(())
    }

    /// Adds a line to the file of seals.
    ///
    /// # Errors
    /// [`KeyFileError`] where it cannot be written.
    pub fn note_seal(&self, sealed: &SealedHeads) -> Result<(), KeyFileError> {
        let Some(file) = self.beside(SEALS) else { return Ok(()) };
        let line =
            SealLine { number: sealed.number, at: sealed.at, root: sealed.root.clone(), signed: Some(self.server.sign(&sealed.root)) };
        let wrong = |source| KeyFileError::File { file: file.display().to_string(), source };
        let text = serde_json::to_string(&line).map_err(|error| wrong(error.into()))?;
        let mut opened = OpenOptions::new().append(true).create(true).mode(0o600).open(&file).map_err(wrong)?;
        opened.write_all(format!("{text}\n").as_bytes()).and_then(|()| opened.sync_all()).map_err(wrong)
    }

    /// The lines of the file of seals; none where nothing was sealed yet.
    ///
    /// # Errors
    /// [`KeyFileError`] where it cannot be read, or a line of it is none.
    pub fn seal_lines(&self) -> Result<Vec<SealLine>, KeyFileError> {
        let Some(file) = self.beside(SEALS).filter(|file| file.exists()) else { return Ok(Vec::new()) };
        let wrong = |source| KeyFileError::File { file: file.display().to_string(), source };
        let text = fs::read_to_string(&file).map_err(wrong)?;
        text.lines().map(|line| serde_json::from_str(line).map_err(|error| wrong(error.into()))).collect()
    }

    fn beside(&self, name: &str) -> Option<PathBuf> {
        self.file.as_ref().map(|file| file.with_file_name(name))
    }

    fn folder(&self) -> Option<PathBuf> {
        self.beside(FOLDER)
    }

    fn files(&self, wanted: impl Fn(&str) -> bool) -> Result<Vec<PathBuf>, KeyFileError> {
        let Some(folder) = self.folder().filter(|folder| folder.exists()) else { return Ok(Vec::new()) };
        let wrong = |source| KeyFileError::File { file: folder.display().to_string(), source };
        let mut files = Vec::new();
        for entry in fs::read_dir(&folder).map_err(wrong)? {
            let entry = entry.map_err(wrong)?;
            if wanted(&entry.file_name().to_string_lossy()) {
                files.push(entry.path());
            }
        }
        files.sort();
        Ok(files)
    }
}

fn public(signer: &Signer, of: &str) -> Result<String, KeyFileError> {
    signer.public_pem().map_err(|source| KeyFileError::Key { file: of.to_owned(), source })
}

fn read(file: &Path) -> Result<Signer, KeyFileError> {
    let name = || file.display().to_string();
    let text = fs::read_to_string(file).map_err(|source| KeyFileError::File { file: name(), source })?;
    Signer::of_pem(&text).map_err(|source| KeyFileError::Key { file: name(), source })
}

/// The key of a file; made where there is none. Of two servers that begin at once both take the first one's.
fn signer(file: &Path) -> Result<Signer, KeyFileError> {
    if file.exists() {
        return read(file);
    }
    let text = made()?.to_pem().map_err(|source| KeyFileError::Key { file: file.display().to_string(), source })?;
    write_new(file, &text)?;
    read(file)
}

/// Written whole beside it first: a start that is cut short leaves no half file. One that is there already stays.
fn write_new(file: &Path, text: &str) -> Result<(), KeyFileError> {
    let wrong = |source| KeyFileError::File { file: file.display().to_string(), source };
    let beside = file.with_extension(format!("{}.new", std::process::id()));
    let mut opened = OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&beside).map_err(wrong)?;
    opened.write_all(text.as_bytes()).and_then(|()| opened.sync_all()).map_err(wrong)?;
    let linked = fs::hard_link(&beside, file);
    fs::remove_file(&beside).map_err(wrong)?;
    match linked {
        Err(error) if error.kind() != ErrorKind::AlreadyExists => Err(wrong(error)),
        _ => Ok(()),
    }
}

fn made() -> Result<Signer, KeyFileError> {
    let mut seed = [0u8; 32];
    getrandom::fill(&mut seed).map_err(|error| KeyFileError::Random(error.to_string()))?;
    Ok(Signer::of_seed(&seed))
}
