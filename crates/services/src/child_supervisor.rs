//! A child that ends when we do.
//!
//! A small shell stands between: it starts the program, waits for its own standard input to close, then ends the program and waits for
//! it, and ends whatever that started and left. The other end of that input is ours, so it closes when we drop it, exit, panic or are killed; no child is left behind.
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, ChildStdin, Command, Stdio};
use std::{fs, io};

const SCRIPT: &str = r#"
log=$1; sweep=$2; shift 2
"$@" </dev/null >>"$log" 2>&1 &
child=$!
echo "$child"
exec >/dev/null
while read -r _; do :; done
kill "$child" 2>/dev/null
wait "$child"
trap '' TERM
kill 0
[ -z "$sweep" ] || rm -rf -- "$sweep"
"#;

/// A running child on its leash; dropped, it is ended and waited for.
#[derive(Debug)]
pub struct Leashed {
    shell: Child,
    leash: Option<ChildStdin>,
    pid: u32,
}

impl Leashed {
    /// Starts `program`, its output appended to `log`. With `sweep`, that folder is removed once the child has ended.
    ///
    /// # Errors
    /// When the shell or the log cannot be opened. A program that is not there shows as a child that is not [`Leashed::alive`].
    pub fn start(program: &Path, arguments: &[String], log: &Path, sweep: Option<&Path>) -> io::Result<Self> {
        fs::OpenOptions::new().create(true).append(true).open(log)?;
        let mut command = Command::new("/bin/sh");
        command.args(["-c", SCRIPT, "leash"]).arg(log).arg(sweep.unwrap_or(Path::new(""))).arg(program).args(arguments);
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
        // A group of its own, so that Ctrl-C reaches us and not it: we end it in order.
        std::os::unix::process::CommandExt::process_group(&mut command, 0);
        let mut shell = command.spawn()?;
        let mut line = String::new();
        if let Some(out) = shell.stdout.take() {
            BufReader::new(out).read_line(&mut line)?;
        }
        let pid = line.trim().parse().map_err(|_| io::Error::other("the shell did not start the program"))?;
        let leash = shell.stdin.take();
        Ok(Self { shell, leash, pid })
    }

    /// Process id of the program.
    pub fn pid(&self) -> u32 {
        self.pid
    }

    /// True while the program runs.
    pub fn alive(&self) -> bool {
        // A child that ended but was not yet waited for shows as a zombie.
        fs::read_to_string(format!("/proc/{}/stat", self.pid))
            .is_ok_and(|stat| stat.rsplit(')').next().is_some_and(|rest| !rest.trim_start().starts_with('Z')))
    }
}

impl Drop for Leashed {
    fn drop(&mut self) {
        drop(self.leash.take());
        // Nothing can be done about a shell that cannot be waited for.
        let _ended = self.shell.wait();
    }
}
