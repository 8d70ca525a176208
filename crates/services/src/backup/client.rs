//! MariaDB's own client programs, and age: each started on a database or a file, with its words kept for when it fails.
use super::BackupError;
use crate::mariadb::{find, last_lines};
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Child, ChildStderr, Command, Stdio};
use std::thread::JoinHandle;
use url::Url;

/// Where a database is.
#[derive(Debug)]
pub(super) struct Address {
    host: String,
    port: u16,
    user: String,
    password: String,
    pub database: String,
}

impl Address {
    pub fn of(url: &str) -> Result<Self, BackupError> {
        let url = Url::parse(url).map_err(|_| BackupError::Address)?;
        let plain = |text: &str| percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned();
        let database = plain(url.path().trim_start_matches('/'));
        let host = url.host_str().filter(|_| !database.is_empty()).ok_or(BackupError::Address)?;
        Ok(Self {
            host: plain(host),
            port: url.port().unwrap_or(3306),
            user: plain(url.username()),
            password: plain(url.password().unwrap_or_default()),
            database,
        })
    }

    /// One of MariaDB's clients on this server. The password goes by the environment, which nobody else on the machine can read, and not by the arguments, which everybody can.
    pub fn client(&self, program: &'static str) -> Result<Command, BackupError> {
        let mut command = command(program, "mariadb-client")?;
        command.args(["--no-defaults", "--protocol=tcp", "--default-character-set=utf8mb4", "--max-allowed-packet=256M"]);
        command.args([format!("--host={}", self.host), format!("--port={}", self.port), format!("--user={}", self.user)]);
        command.env("MYSQL_PWD", &self.password);
        Ok(command)
    }
}

/// A program by its name alone.
pub(super) fn command(program: &'static str, package: &'static str) -> Result<Command, BackupError> {
    let path = find(program).ok_or(BackupError::Missing { program, package })?;
    let mut command = Command::new(path);
    // Times in the binary log are UTC, as everywhere.
    command.env("TZ", "UTC");
    Ok(command)
}

/// A program that runs, with what it says on standard error.
#[derive(Debug)]
pub(super) struct Running {
    program: &'static str,
    pub child: Child,
    words: Option<JoinHandle<String>>,
}

impl Running {
    pub fn start(program: &'static str, mut command: Command) -> Result<Self, BackupError> {
        command.stderr(Stdio::piped());
        let failed = |source: std::io::Error| BackupError::Failed { program, words: source.to_string() };
        let mut child = command.spawn().map_err(failed)?;
        // Read beside it: a pipe that nobody empties would hold the program up.
        let words = child.stderr.take().map(|stderr| std::thread::spawn(move || words(stderr)));
        Ok(Self { program, child, words })
    }

    /// Waits until it has ended, and what it said where it failed.
    pub fn done(mut self) -> Result<(), BackupError> {
        drop(self.child.stdin.take());
        let status = self.child.wait();
        let words = self.words.take().and_then(|words| words.join().ok()).unwrap_or_default();
        match status {
            Ok(status) if status.success() => Ok(()),
            Ok(_) => Err(BackupError::Failed { program: self.program, words }),
            Err(error) => Err(BackupError::Failed { program: self.program, words: error.to_string() }),
        }
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        // One that was left in the middle is ended; nothing can be done about one that has ended already.
        self.child.kill().ok();
        self.child.wait().ok();
    }
}

fn words(mut stderr: ChildStderr) -> String {
    let mut text = String::new();
    stderr.read_to_string(&mut text).ok();
    last_lines(&text)
}

/// Runs SQL.
pub(super) fn run_sql(at: &Address, sql: &str) -> Result<(), BackupError> {
    let mut command = at.client("mariadb")?;
    command.arg(&at.database).stdin(Stdio::piped()).stdout(Stdio::null());
    let mut running = Running::start("mariadb", command)?;
    if let Some(stdin) = running.child.stdin.as_mut() {
        stdin.write_all(sql.as_bytes()).ok();
    }
    running.done()
}

/// What is written goes encrypted into a file, for these recipients.
pub(super) fn encrypting(recipients: &[String], to: &Path) -> Result<Running, BackupError> {
    let mut command = command("age", "age")?;
    for recipient in recipients {
        command.args(["--recipient", recipient]);
    }
    command.arg("--output").arg(to).stdin(Stdio::piped()).stdout(Stdio::null());
    Running::start("age", command)
}

/// What is read comes decrypted from a file.
pub(super) fn decrypting(identity: &Path, from: &Path) -> Result<Running, BackupError> {
    let mut command = command("age", "age")?;
    command.arg("--decrypt").arg("--identity").arg(identity).arg(from).stdin(Stdio::null()).stdout(Stdio::piped());
    Running::start("age", command)
}
