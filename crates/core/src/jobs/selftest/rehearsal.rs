//! A throw-away home in which this program is called.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

use crate::environment::Environment;
use crate::judges::ending;
use crate::machine::Machine;
use crate::os;
use crate::process::{self, Ending, Outcome};
use crate::progress::Stop;
use crate::registry::{RegistryValue, ValueKind};
use crate::scope::Scope;
use crate::system::System;

/// How long a call may take.
const LIMIT: Duration = Duration::from_secs(60);

/// The variables that name the folder for temporary files: what a killed call leaves there goes with the self-test.
pub const SCRATCH: [&str; 3] = ["TMPDIR", "TMP", "TEMP"];

/// Startup files of a user, with what no program may lose: no last line end, other line ends, bytes that are no text.
const STARTUP_FILES: [(&str, &[u8]); 3] = [
    (".profile", b"# The tide office.\nTIDE=high\nexport TIDE"),
    (".bashrc", b"# caf\xe9\r\nalias neap='echo neap'\n\n\n"),
    (".zshrc", b"setopt NO_BEEP\n"),
];

/// What a user has: files by their place, and on Windows values of the registry.
pub type State = BTreeMap<String, Vec<u8>>;

pub fn until(end: Instant) -> Duration {
    end.saturating_duration_since(Instant::now())
}

pub struct Rehearsal<'a> {
    pub machine: Machine,
    scratch: PathBuf,
    program: &'a Path,
    ends: Instant,
    stop: &'a Stop,
}

impl<'a> Rehearsal<'a> {
    /// Makes the home in an empty folder. No call goes on when the self-test `ends`.
    pub fn build(folder: &Path, program: &'a Path, ends: Instant, stop: &'a Stop) -> io::Result<Self> {
        let machine =
            Machine::new(Environment::of_process(), Some(folder), None, Scope::User).map_err(io::Error::other)?;
        fs::create_dir_all(&machine.home)?;
        let scratch = folder.join("scratch");
        fs::create_dir_all(&scratch)?;
        let rehearsal = Self { machine, scratch, program, ends, stop };
        match rehearsal.machine.system() {
            System::Unix => {
                for (name, content) in STARTUP_FILES {
                    fs::write(rehearsal.machine.home.join(name), content)?;
                }
            }
            System::Windows => {
                let place = rehearsal.machine.registry().of_scope(Scope::User);
                for (name, text) in [("Path", "C:\\Tide Office\\bin;;%TIDE%\\bin"), ("TIDE", "D:\\high; water")] {
                    let value = RegistryValue::new(ValueKind::Expandable, text);
                    let raw = (value.kind.number(), &*value.bytes());
                    os::write_registry_value(place.hive, &place.key, name, Some(raw))?;
                }
            }
        }
        Ok(rehearsal)
    }

    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(self.program);
        command.arg("--sandbox").arg(self.machine.sandbox.as_deref().unwrap_or(Path::new(""))).args(arguments);
        command.env_remove("WYARD_YARD").env_remove("SHELL");
        // An administrator would be asked, of programs that come with this one.
        command.args((self.machine.system() == System::Windows).then_some("--unsealed"));
        command.envs(SCRATCH.map(|name| (name, &self.scratch)));
        command
    }

    pub fn call(&self, arguments: &[&str]) -> Outcome {
        process::run(self.command(arguments), until(self.ends).min(LIMIT), self.stop)
    }

    /// The same, where it has to end well: how it ended otherwise.
    pub fn ends_well(&self, arguments: &[&str]) -> Result<(), String> {
        let outcome = self.call(arguments);
        match &outcome.ending {
            Ending::Exited(status) if status.success() => Ok(()),
            _ => Err(told(arguments, &outcome)),
        }
    }

    pub fn undo_all(&self) {
        // Two for each of the two calls whose changes there are, at most.
        for _ in 0..4 {
            if !matches!(self.call(&["undo"]).ending, Ending::Exited(status) if status.success()) {
                break;
            }
        }
    }

    /// All that is the user's, without the yard.
    pub fn state(&self) -> io::Result<State> {
        let mut state = State::new();
        self.gather(&self.machine.home, &mut state)?;
        if self.machine.system() == System::Windows {
            let place = self.machine.registry().of_scope(Scope::User);
            for value in os::registry_values(place.hive, &place.key)? {
                state.insert(format!("registry: {} ({})", value.name, value.kind), value.bytes);
            }
        }
        Ok(state)
    }

    fn gather(&self, folder: &Path, state: &mut State) -> io::Result<()> {
        for entry in fs::read_dir(folder)? {
            let path: PathBuf = entry?.path();
            if path == self.machine.yard {
                continue;
            }
            if fs::symlink_metadata(&path)?.is_dir() {
                self.gather(&path, state)?;
            } else {
                let below = path.strip_prefix(&self.machine.home).unwrap_or(&path).display().to_string();
                state.insert(below, fs::read(&path)?);
            }
        }
        Ok(())
    }
}

impl Drop for Rehearsal<'_> {
    fn drop(&mut self) {
        // Nobody is left to be told; the keys are small and of no effect.
        let _ = self.machine.registry().remove_sandbox();
    }
}

/// What differs between two states.
pub fn difference(expected: &State, found: &State) -> Vec<String> {
    let both: BTreeSet<&String> = expected.keys().chain(found.keys()).collect();
    let differs = |name: &&&String| expected.get(**name) != found.get(**name);
    both.iter().filter(differs).map(|name| (*name).clone()).collect()
}

/// How a call ended, in one line.
pub fn told(arguments: &[&str], outcome: &Outcome) -> String {
    let errors = String::from_utf8_lossy(&outcome.stderr);
    let first = errors.lines().next().map(|line| format!("; {line}")).unwrap_or_default();
    format!("wyard {}: {}{first}", arguments.join(" "), ending(outcome))
}
