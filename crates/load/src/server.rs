//! A server as a process of its own, so that it can be measured and killed.
use crate::Done;
use std::io::{BufRead, BufReader};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Stdio};

/// A port that is free with the one after it, at which rigs are served.
fn free_pair() -> Done<u16> {
    const TRIES: usize = 50;
    for _ in 0..TRIES {
        let first = TcpListener::bind("127.0.0.1:0")?;
        let port = first.local_addr()?.port();
        if port.checked_add(1).is_some_and(|next| TcpListener::bind(("127.0.0.1", next)).is_ok()) {
            return Ok(port);
        }
    }
    Err("no two ports are free side by side".into())
}

/// A running server.
pub struct Server {
    child: Child,
    /// Where it serves.
    pub base: String,
}

impl Server {
    /// Starts the program on a database's folder and waits until it serves.
    pub fn start(program: &Path, data: &Path) -> Done<Self> {
        let port = free_pair()?.to_string();
        let mut child = Command::new(program)
            // Every person has an address of their own, as behind a proxy: signing in is slowed down by address.
            .args(["serve", "--port", &port, "--trusted-proxy", "127.0.0.1", "--data"])
            .arg(data)
            .env("RUST_LOG", "error")
            .env_remove("DATABASE_URL")
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()?;
        let mut said = String::new();
        BufReader::new(child.stdout.take().ok_or("the server says nothing")?).read_line(&mut said)?;
        if !said.contains("serves on") {
            child.kill()?;
            return Err(format!("the server did not start: {said}").into());
        }
        Ok(Self { child, base: format!("http://127.0.0.1:{port}") })
    }

    /// Its memory, MB: now, and the most it ever had.
    pub fn memory_mb(&self) -> Done<(u64, u64)> {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.child.id()))?;
        let kb = |key: &str| -> Option<u64> { status.lines().find(|line| line.starts_with(key))?.split_whitespace().nth(1)?.parse().ok() };
        kb("VmRSS:").zip(kb("VmHWM:")).map(|(now, most)| (now / 1024, most / 1024)).ok_or_else(|| "no memory in /proc".into())
    }

    /// Processor time it has taken, s.
    pub fn cpu_s(&self) -> Done<f64> {
        let stat = std::fs::read_to_string(format!("/proc/{}/stat", self.child.id()))?;
        let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
        // Of the fields after the name the twelfth and thirteenth, in hundredths of a second (proc(5)).
        let ticks = |place: usize| fields.get(place).and_then(|ticks| ticks.parse::<f64>().ok());
        ticks(11).zip(ticks(12)).map(|(user, system)| (user + system) / 100.0).ok_or_else(|| "no times in /proc".into())
    }

    /// Asks it to end, and waits until it has.
    pub fn end(&mut self) -> Done<()> {
        Command::new("kill").args(["-TERM", &self.child.id().to_string()]).status()?;
        self.child.wait()?;
        Ok(())
    }

    /// SIGKILL.
    pub fn kill(&mut self) -> Done<()> {
        self.child.kill()?;
        self.child.wait()?;
        Ok(())
    }

    /// Waits until it has ended by itself, as it does when its database is gone; its exit code.
    pub fn wait(&mut self) -> Done<Option<i32>> {
        Ok(self.child.wait()?.code())
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        // Asked first, so that its database ends in order; a server that is gone already needs nothing.
        let asked = Command::new("kill").args(["-TERM", &self.child.id().to_string()]).stderr(Stdio::null()).status();
        if asked.is_ok_and(|asked| asked.success()) {
            self.child.wait().ok();
        }
    }
}

/// The machine's processor time since a moment, to tell how much of it others took: what is measured on a shared machine means little without that.
pub struct Shared(Vec<f64>);

impl Shared {
    /// From now on.
    pub fn begin() -> Self {
        Self(times())
    }

    /// “3 % taken by others”: of the processors' time since, what the machine below gave to somebody else.
    pub fn told(&self) -> String {
        let since: Vec<f64> = times().iter().zip(&self.0).map(|(now, then)| now - then).collect();
        let taken = since.get(STEAL).copied().unwrap_or(0.0) / since.iter().sum::<f64>().max(1.0);
        format!("{:.0} % of the processors' time taken by other machines", 100.0 * taken)
    }
}

/// Place of “steal” in the first line (proc(5)).
const STEAL: usize = 7;

/// User, nice, system, idle, waiting, interrupts, soft ones, stolen; in hundredths of a second.
fn times() -> Vec<f64> {
    let stat = std::fs::read_to_string("/proc/stat").unwrap_or_default();
    stat.lines()
        .next()
        .into_iter()
        .flat_map(|line| line.split_whitespace().skip(1).take(8))
        .filter_map(|ticks| ticks.parse().ok())
        .collect()
}
