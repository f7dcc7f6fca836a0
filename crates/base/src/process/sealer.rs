//! Sealed runs: what is asked or probed leaves nothing behind, as far as this system lets us keep it from that.

use std::env;
use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use super::run::{Ending, Outcome, run_on};
use super::start::Start;
use super::streams::{SecondTerminal, Streams};
use super::typist::Typing;
use crate::environment::{Environment, host_system};
use crate::os::{self, Network, SEAL_ARGUMENT, SEALED_VARIABLE, SealChannel, SealLevel, SealRequest, TerminalContext};
use crate::progress::Stop;
use crate::system::System;

const TRIAL: Duration = Duration::from_secs(5);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum SealBackend {
    /// By this program itself, started once more, which makes the seal.
    Own,
    Sandbox,
    Plain,
}

#[derive(Debug, Clone)]
pub struct Sealer {
    level: SealLevel,
    means: SealBackend,
    folders: Vec<PathBuf>,
    places: Vec<PathBuf>,
}

#[derive(Debug, Clone)]
pub struct SealOptions {
    pub network: Network,
    pub stand_ins: Vec<(PathBuf, Vec<u8>)>,
    /// What is shown of folders for temporary files whatever lies beside it.
    named: Vec<PathBuf>,
}

impl SealOptions {
    pub fn of_terminal() -> Self {
        Self { network: Network::Open, stand_ins: Vec::new(), named: Vec::new() }
    }

    pub fn cut_off() -> Self {
        Self { network: Network::Closed, stand_ins: Vec::new(), named: Vec::new() }
    }

    /// Notes what a text names in folders for temporary files.
    pub fn name_places_of(&mut self, text: &str) {
        let usual = env::temp_dir();
        let mut folders: Vec<(PathBuf, String)> = ["$TMPDIR", "${TMPDIR", "$TMP", "${TMP", "$TEMP", "${TEMP"]
            .map(|name| (usual.clone(), name.to_owned()))
            .into();
        let places = [usual, "/tmp".into(), "/var/tmp".into()];
        folders.extend(places.map(|place| (place.clone(), place.display().to_string())));
        let ends = |c: char| c.is_whitespace() || "/:;,='\"`$(){}[]<>|&*?\\".contains(c);
        for (folder, written) in folders {
            for rest in text.split(&written).skip(1) {
                // As in "${TMPDIR:-/tmp}"/tide.
                let below = rest.trim_start_matches(['}', '"']).strip_prefix('/');
                let name = below.and_then(|below| below.split(ends).next()).filter(|name| !name.is_empty());
                self.named.extend(name.map(|name| folder.join(name)));
            }
        }
        self.named.sort();
        self.named.dedup();
    }
}

impl Sealer {
    pub fn none() -> Self {
        Self { level: SealLevel::None, means: SealBackend::Plain, folders: Vec::new(), places: Vec::new() }
    }

    /// Tries the levels from `best` on: the first counts at which a program really leaves nothing behind. What it writes in
    /// `folders`, or in other places of the system that this user may write to, is thrown away where the level allows writing. In a seal of our own there is nothing to be done.
    pub fn find(environment: &Environment, folders: Vec<PathBuf>, best: SealLevel, stop: &Stop) -> Self {
        if host_system() == System::Windows {
            return Self::none();
        }
        if let Some(level) = inherited(environment) {
            return Self { level, means: SealBackend::Plain, folders, places: Vec::new() };
        }
        let means = if os::SYSTEM == "macos" { SealBackend::Sandbox } else { SealBackend::Own };
        let levels = SealLevel::ALL.into_iter().filter(|level| *level >= best);
        for level in levels.filter(|level| means == SealBackend::Own || !level.throws_away()) {
            let means =
                if level == SealLevel::None && means == SealBackend::Sandbox { SealBackend::Plain } else { means };
            let sealer = Self { level, means, folders: folders.clone(), places: os::writable_places() };
            match sealer.holds(stop) {
                Ok(()) => return sealer,
                Err(why) => tracing::info!(level = level.name(), why, "this seal does not hold here"),
            }
        }
        Self { level: SealLevel::None, means: SealBackend::Plain, folders, places: Vec::new() }
    }

    pub fn level(&self) -> SealLevel {
        self.level
    }

    /// Lets a program write, rename and remove in a folder of its own, and write in all folders that it could write in without
    /// a seal, and looks whether anything of that is there.
    fn holds(&self, stop: &Stop) -> Result<(), String> {
        let folder = tempfile::tempdir().map_err(|e| e.to_string())?;
        let (old, new) = (folder.path().join("old"), folder.path().join("new"));
        fs::write(&old, "old").map_err(|e| e.to_string())?;
        let mut sealer = self.clone();
        sealer.folders.push(folder.path().to_owned());
        let start = Start::new(Path::new("/bin/sh"), &Environment::new(host_system()), folder.path());
        let text = "echo new > new; read line < new; rm old; test -e old || echo \"$line\"
            for folder do true 2>/dev/null > \"$folder/$0\" || echo \"no writing in $folder\"; done";
        // A name that nobody else has.
        let trace = &OsString::from(format!("{}-trace", folder.path().file_name().unwrap_or_default().display()));
        let writable: Vec<&PathBuf> = match self.level.throws_away() {
            true => self.folders.iter().filter(|folder| folder.is_dir() && os::may_write(folder)).collect(),
            false => Vec::new(),
        };
        let start = start.with(["-c", text]).with([trace]).with(writable.iter().map(|folder| folder.as_os_str()));
        let outcome = sealer.run(&start, SealOptions::of_terminal(), TRIAL, stop);
        match outcome.ending {
            Ending::Exited(_) => {}
            other => return Err(format!("{other:?}")),
        }
        let touched = writable.iter().find(|folder| folder.join(trace).exists());
        let is_untouched = old.exists() && !new.exists() && touched.is_none();
        let expected: &[u8] = if self.level.throws_away() { b"new\n" } else { b"" };
        match self.level {
            SealLevel::None => Ok(()),
            _ if is_untouched && outcome.stdout == expected => Ok(()),
            _ => Err(format!(
                "untouched: {is_untouched}, touched: {touched:?}, said: {}",
                String::from_utf8_lossy(&outcome.stdout)
            )),
        }
    }

    /// Runs a program to its end or to the time limit. Standard input is empty. In a context with a terminal it gets one, and
    /// all that it writes there is given as its standard output.
    pub fn run(&self, start: &Start, options: SealOptions, limit: Duration, stop: &Stop) -> Outcome {
        if !start.context.as_ref().is_some_and(TerminalContext::is_at_terminal) {
            return self.run_on(start, Streams::apart(), options, limit, stop);
        }
        match Streams::typed(None, false) {
            Ok(streams) => self.run_on(start, streams, options, limit, stop),
            Err(e) => Outcome::not_started(e, Duration::ZERO),
        }
    }

    /// Runs a program at a pseudo-terminal, and types there until all is answered. All that it writes is given as its
    /// standard output. Where it leaves something in its seal, it is started there a second time.
    pub fn run_typed(
        &self,
        start: &Start,
        typing: Typing<'_>,
        options: SealOptions,
        limit: Duration,
        stop: &Stop,
    ) -> Outcome {
        match Streams::typed(Some(typing), self.means == SealBackend::Own && self.level.throws_away()) {
            Ok(streams) => self.run_on(start, streams, options, limit, stop),
            Err(e) => Outcome::not_started(e, Duration::ZERO),
        }
    }

    fn run_on(
        &self,
        start: &Start,
        streams: Streams<'_>,
        options: SealOptions,
        limit: Duration,
        stop: &Stop,
    ) -> Outcome {
        match self.means {
            SealBackend::Plain => run_on(start.command(), None, streams, limit.into(), stop),
            SealBackend::Sandbox => run_on(self.in_sandbox(start).command(), None, streams, limit.into(), stop),
            SealBackend::Own => {
                let mut command = os::own_program();
                command.arg(SEAL_ARGUMENT).env_clear();
                let channel = match SealChannel::open(&mut command) {
                    Ok(channel) => channel,
                    Err(e) => return Outcome::not_started(e, Duration::ZERO),
                };
                let second_terminal = streams.second().and_then(SecondTerminal::number);
                let request = SealRequest { second_terminal, ..self.request(start, options) };
                run_on(command, Some((channel, request)), streams, limit.into(), stop)
            }
        }
    }

    fn request(&self, start: &Start, mut options: SealOptions) -> SealRequest {
        for text in start.environment.iter().map(|(_, value)| value).chain(&start.arguments) {
            options.name_places_of(&text.to_string_lossy());
        }
        let mut environment = start.environment.clone();
        if self.level != SealLevel::None {
            environment.set(SEALED_VARIABLE, self.level.name());
        }
        SealRequest {
            level: self.level,
            network: options.network,
            folders: self.folders.clone(),
            places: self.places.clone(),
            named: options.named,
            stand_ins: options.stand_ins,
            program: start.program.clone(),
            called: start.called.clone().unwrap_or_else(|| start.program.clone().into_os_string()),
            arguments: start.arguments.clone(),
            variables: environment.iter().map(|(name, value)| (name.clone(), value.clone())).collect(),
            folder: start.folder.clone(),
            context: start.context.clone(),
            asker: std::process::id(),
            second_terminal: None,
        }
    }

    /// The same program in the sandbox of macOS (sandbox-exec(1), sandbox(7)). The name it is called by is lost.
    fn in_sandbox(&self, start: &Start) -> Start {
        let mut sealed = Start::new(Path::new("/usr/bin/sandbox-exec"), &start.environment, &start.folder);
        sealed.environment.set(SEALED_VARIABLE, self.level.name());
        sealed = sealed.with(["-p", SANDBOX_PROFILE]).with([start.program.as_os_str()]);
        sealed.with(&start.arguments)
    }
}

/// Nothing can be written but to devices that everybody writes to.
const SANDBOX_PROFILE: &str = "(version 1)(allow default)(deny file-write*)(allow file-write* (literal \"/dev/null\") \
    (literal \"/dev/zero\") (literal \"/dev/tty\") (literal \"/dev/ptmx\") (regex #\"^/dev/ttys[0-9]+$\"))\
    (deny signal)(allow signal (target same-sandbox))";

fn inherited(environment: &Environment) -> Option<SealLevel> {
    let level = SealLevel::named(environment.get(SEALED_VARIABLE)?.to_str()?)?;
    // Anybody can set a variable: an ancestor of this process has made the seal, where that can be seen.
    (os::SYSTEM != "linux" || os::is_started_by(SEAL_ARGUMENT)).then_some(level)
}
