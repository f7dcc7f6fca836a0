//! The asking process's end of the way to the maker of a seal. When it is closed, however that comes, everything in the
//! seal is ended.

use std::io::{self, Read as _, Write as _};
use std::net::Shutdown;
use std::os::fd::AsRawFd as _;
use std::os::unix::net::UnixStream;
use std::os::unix::process::ExitStatusExt as _;
use std::process::{Command, ExitStatus};
use std::time::Duration;

use super::report::SealReport;
use super::request::SealRequest;

/// How long the maker may take to read, or to end everything.
const PATIENCE: Duration = Duration::from_secs(5);

#[derive(Debug)]
pub struct SealChannel {
    ours: UnixStream,
    theirs: Option<UnixStream>,
    heard: Vec<u8>,
    is_closed: bool,
}

/// The command that starts this program once more, also where its file was replaced meanwhile (proc(5), `/proc/self/exe`).
pub fn own_program() -> Command {
    Command::new("/proc/self/exe")
}

impl SealChannel {
    /// Opens one, whose other end the command will have, and is told of.
    pub fn open(command: &mut Command) -> io::Result<Self> {
        let (ours, theirs) = UnixStream::pair()?;
        ours.set_write_timeout(Some(PATIENCE))?;
        // A copy of their end in another child is no harm: it is closed before anything is started there.
        rustix::io::fcntl_setfd(&theirs, rustix::io::FdFlags::empty())?;
        command.arg(theirs.as_raw_fd().to_string());
        Ok(Self { ours, theirs: Some(theirs), heard: Vec::new(), is_closed: false })
    }

    /// Says what to start; called once the command was started.
    pub fn send(&mut self, request: &SealRequest) -> io::Result<()> {
        self.theirs = None;
        request.write(&mut self.ours)?;
        self.ours.set_nonblocking(true)
    }

    /// What has come of the program, if that is known by now.
    pub fn report(&mut self) -> Option<SealReport> {
        self.hear();
        let line = self.line()?;
        let (kind, rest) = line.split_at_checked(1)?;
        Some(match (kind, rest.parse::<i32>()) {
            ("X", Ok(status)) => SealReport::Exited(ExitStatus::from_raw(status)),
            ("N", Ok(number)) => SealReport::NotStarted(io::Error::from_raw_os_error(number)),
            _ => SealReport::NoSeal(rest.to_owned()),
        })
    }

    /// Asks for the program to be started once more, at its second terminal, where the first start has left something that
    /// the second may find; whether it was.
    pub fn start_again(&mut self) -> bool {
        if self.ours.set_nonblocking(false).and_then(|()| self.ours.set_read_timeout(Some(PATIENCE))).is_err() {
            return false;
        }
        let is_started = self.ours.write_all(b"A").is_ok()
            && loop {
                let mut buffer = [0; 512];
                match self.line().as_deref() {
                    Some("A") => break true,
                    Some(line) if line.starts_with('X') => continue,
                    Some(_) => break false,
                    None => {}
                }
                match self.ours.read(&mut buffer) {
                    Ok(0) => self.is_closed = true,
                    Ok(read) => self.heard.extend_from_slice(&buffer[..read]),
                    Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
                    Err(_) => break false,
                }
            };
        is_started && self.ours.set_nonblocking(true).is_ok()
    }

    /// Whether the second program has ended.
    pub fn second_has_ended(&mut self) -> bool {
        self.hear();
        self.line().is_some()
    }

    /// Has everything in the seal ended, and waits for it: the names of what was still running.
    pub fn end(mut self) -> Vec<String> {
        let asked = self.ours.shutdown(Shutdown::Write).and_then(|()| self.ours.set_nonblocking(false));
        if asked.and_then(|()| self.ours.set_read_timeout(Some(PATIENCE))).is_err() {
            return Vec::new();
        }
        let mut rest = Vec::new();
        let _ = self.ours.read_to_end(&mut rest);
        self.heard.extend(rest);
        let heard = String::from_utf8_lossy(&self.heard).into_owned();
        let left = heard.lines().find_map(|line| line.strip_prefix('L')).unwrap_or_default();
        left.split('\t').filter(|name| !name.is_empty()).map(str::to_owned).collect()
    }

    fn hear(&mut self) {
        let mut buffer = [0; 512];
        while !self.is_closed {
            match self.ours.read(&mut buffer) {
                Ok(0) => self.is_closed = true,
                Ok(read) => self.heard.extend_from_slice(&buffer[..read]),
                Err(e) if e.kind() == io::ErrorKind::Interrupted => {}
                Err(_) => return,
            }
        }
    }

    fn line(&mut self) -> Option<String> {
        match self.heard.iter().position(|byte| *byte == b'\n') {
            Some(at) => {
                let line: Vec<u8> = self.heard.drain(..=at).collect();
                Some(String::from_utf8_lossy(&line).trim_end().to_owned())
            }
            None if self.is_closed => Some("Fits maker ended".to_owned()),
            None => None,
        }
    }
}
