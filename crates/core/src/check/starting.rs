//! Starting a program with care, and telling why one does not get going.

use std::fs;
use std::io;
use std::path::Path;

use super::exit_words;
use super::place::Place;
use super::version_text::text_of;
use crate::environment::{Environment, host_system};
use crate::finding::{Code, Finding};
use crate::given;
use crate::os;
use crate::process::{Ending, Outcome, Start};
use crate::program::{Brought, Fit, HEAD_BYTES, Needs, Program, ProgramKind, ThisMachine};
use crate::system::System;

/// A program of this size and more is not read whole to see which libraries it needs.
const READ_WHOLE: u64 = 256 << 20;

/// How a PowerShell runs one script, without what its profile does and without questions ("about_pwsh").
const RUN_SCRIPT: [&str; 4] = ["-NoLogo", "-NoProfile", "-NonInteractive", "-File"];

/// Whether a file is a script that only a PowerShell runs.
pub(super) fn is_powershell_script(file: &Path) -> bool {
    file.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("ps1"))
}

#[derive(Debug)]
pub(super) struct Startable<'a> {
    file: &'a Path,
    seen: Program,
    through: Option<&'static Path>,
}

impl<'a> Startable<'a> {
    /// Looks at the file before it is started: the C library hands whatever the system can't run to the plain shell, and
    /// that must never read a foreign program as a script (execvp(3), ENOEXEC).
    pub fn look(file: &'a Path) -> Result<Self, (Code, String)> {
        if !file.exists() {
            return Err((Code::FileMissing, format!("{}: the file is missing", file.display())));
        }
        let file_name = file.file_name().unwrap_or_default().to_string_lossy();
        let seen = Program::identify(&file_name, &read_head(file).unwrap_or_default());
        if !seen.is_native(os::SYSTEM, os::processor()) {
            return Err((Code::ForAnotherMachine, format!("{} {}", file.display(), foreign(&seen))));
        }
        let by_shell = seen.kind == ProgramKind::Other && host_system() == System::Unix;
        Ok(Self { file, seen, through: by_shell.then_some(Path::new("/bin/sh")) })
    }

    pub fn oddity(&self) -> Option<Finding> {
        self.through?;
        let seen = format!("{} has no #! line: shells run it, other programs cannot", self.file.display());
        Some(Finding::new(Code::NoInterpreterLine, seen))
    }

    /// How it is started with these arguments where it is typed by this name: in a terminal's context, or else in a folder of
    /// its own.
    pub fn start(&self, name: &str, arguments: &[&str], place: Place<'_>, scratch: &Path) -> Start {
        let host = place.script_host.filter(|_| is_powershell_script(self.file));
        let mut start = Start::new(host.or(self.through).unwrap_or(self.file), place.environment, scratch);
        if let Some(context) = place.context {
            start = start.in_context(context);
        }
        let folder = start.folder.clone();
        start.environment.set("PWD", folder);
        // A script goes by its path whatever it is called by.
        start = match (host, self.through) {
            (Some(_), _) => start.with(RUN_SCRIPT).with([self.file.as_os_str()]),
            (None, Some(_)) => start.with([self.file.as_os_str()]),
            (None, None) if place.context.is_some() => start.called(name),
            (None, None) => start,
        };
        start.with(arguments)
    }

    /// Whether its header says that it opens windows, so that it would only disturb if it were started.
    pub fn is_not_for_terminals(&self) -> bool {
        self.seen.opens_windows
    }

    /// Whether it is made to open windows: it needs the libraries for that, or its header says so.
    pub fn opens_windows(&self) -> bool {
        const LIBRARIES: [&str; 8] =
            ["libX11", "libxcb", "libwayland-client", "libgtk", "libQt", "libGL.", "libSDL", "libgdk"];
        let Some(needs) = self.needs() else { return false };
        needs.libraries().iter().any(|library| LIBRARIES.iter().any(|begin| library.starts_with(begin)))
    }

    /// Why it did not get going, or crashed; `None` where it ran, whatever it said.
    pub fn trouble(&self, outcome: &Outcome, environment: &Environment) -> Option<(Code, String)> {
        let (code, why) = match &outcome.ending {
            Ending::NotStarted(error) => self.not_started(error),
            Ending::Exited(status) => match os::ending_signal(*status) {
                Some(signal) => self.signalled(signal, outcome),
                None => self.gave_up(status.code()?, outcome, environment)?,
            },
            Ending::TimedOut | Ending::Interrupted | Ending::NoSeal(_) => return None,
        };
        Some((code, format!("{}: {why}", self.file.display())))
    }

    /// Why the system did not start it (execve(2), "ERRORS"; "System Error Codes" of Windows).
    fn not_started(&self, error: &io::Error) -> (Code, String) {
        if let Some(words) = os::refused_by_policy(error) {
            return (Code::BlockedByPolicy, format!("the system refuses to start it: {words}"));
        }
        if let Some((code, why)) = not_executable(self.file) {
            return (code, format!("it {why}"));
        }
        match (error.kind(), &self.seen.interpreter) {
            (io::ErrorKind::PermissionDenied, Some(line)) if host_system() == System::Unix => {
                (Code::BlockedByPolicy, format!("the system refuses to start it or its interpreter: #!{line}"))
            }
            (io::ErrorKind::PermissionDenied, None) => {
                (Code::BlockedByPolicy, "the system refuses to start it, although its mode allows it".to_owned())
            }
            (io::ErrorKind::NotFound, Some(line)) => {
                let ending = if self.has_windows_lines() { ", with a Windows line ending" } else { "" };
                (Code::InterpreterMissing, format!("its interpreter is missing: #!{line}{ending}"))
            }
            (io::ErrorKind::NotFound, None) if self.file.exists() => {
                let needs = self.needs();
                let loader = needs.as_ref().and_then(|needs| needs.elf()?.loader.as_ref());
                let loader = loader.map_or_else(String::new, |loader| format!(": {}", loader.display()));
                (Code::LibraryMissing, format!("the loader it needs is missing on this system{loader}"))
            }
            _ => (Code::DoesNotStart, error.to_string()),
        }
    }

    /// A signal that ended it. The loader of macOS gives up with one (dyld(1)), and its system ends programs whose
    /// signature it does not accept with another.
    fn signalled(&self, signal: i32, outcome: &Outcome) -> (Code, String) {
        if let Some(library) = library_said(outcome) {
            return (Code::LibraryMissing, format!("the library {library} is missing"));
        }
        if os::SYSTEM == "macos" && signal == 9 {
            let why = "it was killed at once (signal 9); its signature is probably invalid";
            return (Code::BlockedByPolicy, why.to_owned());
        }
        (Code::Crashed, format!("it crashed with signal {signal}"))
    }

    /// An exit status that says that it never got going: the loader's, and that of a script's `env`, 126 or 127
    /// (POSIX.1-2017, 2.8.2; ld.so(8)); on Windows one of the system's.
    fn gave_up(&self, status: i32, outcome: &Outcome, environment: &Environment) -> Option<(Code, String)> {
        let line = first_line(outcome);
        let said = || line.clone().map_or_else(|| "no output".to_owned(), |line| format!("it says: {line}"));
        if host_system() == System::Windows {
            let (code, words) = exit_words::of_windows(status.cast_unsigned())?;
            let missing = if code == Code::LibraryMissing { self.missing(environment) } else { Vec::new() };
            let named = if missing.is_empty() { String::new() } else { format!(", {}", missing.join(", ")) };
            return Some((code, format!("{words}{named}; {}", said())));
        }
        if status == 0 {
            return None;
        }
        // The loader gives up with 1 where a version of symbols is missing, as programs do for reasons of their own.
        if let Some(hindrance) = self.fit(environment).hindrance() {
            return Some((Code::LibraryMissing, hindrance));
        }
        if self.loader_said(outcome) {
            return Some((Code::LibraryMissing, format!("its loader failed; {}", said())));
        }
        if !matches!(status, 126 | 127) {
            return None;
        }
        if let Some(library) = library_said(outcome) {
            return Some((Code::LibraryMissing, format!("the library {library} is missing")));
        }
        let through_env = self.seen.interpreter.as_deref().filter(|line| {
            let mut words = line.split_whitespace();
            words.next().is_some_and(|first| first.rsplit('/').next() == Some("env"))
        });
        if let (Some(interpreter), Some(said)) = (through_env, line.as_deref())
            && said.starts_with("env:") | said.contains("/env:")
        {
            return Some((Code::InterpreterMissing, format!("its interpreter is missing: #!{interpreter} ({said})")));
        }
        Some((Code::DoesNotStart, format!("it exits with status {status}; {}", said())))
    }

    fn has_windows_lines(&self) -> bool {
        read_head(self.file).is_ok_and(|head| head.split(|b| *b == b'\n').next().is_some_and(|l| l.ends_with(b"\r")))
    }

    fn needs(&self) -> Option<Needs> {
        let is_small = fs::metadata(self.file).is_ok_and(|seen| seen.len() < READ_WHOLE);
        Needs::of(&is_small.then(|| given::content(self.file).ok())??)
    }

    /// A finding if a library is missing.
    pub fn without_library(&self, environment: &Environment) -> Option<(Code, String)> {
        let missing = self.missing(environment);
        let seen = format!("{}: {} is missing", self.file.display(), missing.join(", "));
        (!missing.is_empty()).then_some((Code::LibraryMissing, seen))
    }

    /// Whether the loader of a program that has one ended it: the first line is the loader's, which begins with the program.
    fn loader_said(&self, outcome: &Outcome) -> bool {
        const LOADER: [&str; 3] = [
            "' not found (required by ",
            ": CPU ISA level is lower than required",
            ": error while loading shared libraries: ",
        ];
        let said = text(outcome);
        let first = said.lines().next().unwrap_or_default();
        LOADER.iter().any(|words| first.contains(words))
            && self.needs().as_ref().and_then(Needs::elf).is_some_and(|elf| elf.loader.is_some())
    }

    /// What it needs that is neither here nor beside it.
    fn missing(&self, environment: &Environment) -> Vec<String> {
        self.fit(environment).missing.into_iter().map(|lack| lack.words).collect()
    }

    fn fit(&self, environment: &Environment) -> Fit {
        let Some(needs) = self.needs() else { return Fit::default() };
        let real = self.file.canonicalize();
        let origin = real.as_deref().unwrap_or(self.file).parent();
        needs.fit(origin, &Brought::new(), &ThisMachine::new(environment))
    }
}

/// Why nobody can start a file that is there; most shells pass over it without a word.
pub(super) fn cannot_execute(file: &Path) -> Option<Finding> {
    if !file.exists() {
        let finding = Finding::new(Code::FileMissing, format!("{}: the file is missing", file.display()));
        return Some(finding.remedy("receive the tool again with --replace, or bring the file back"));
    }
    let (code, why) = not_executable(file)?;
    Some(Finding::new(code, format!("{} {why}", file.display())))
}

fn not_executable(file: &Path) -> Option<(Code, &'static str)> {
    if host_system() == System::Windows || !file.exists() || os::may_execute(file) {
        return None;
    }
    Some(match os::forbids_programs(file) {
        true => (Code::BlockedByPolicy, "is on a disk that is mounted noexec"),
        false => (Code::NotExecutable, "is not executable for you"),
    })
}

/// The library that a loader says it did not find: glibc's, musl's, or that of macOS.
fn library_said(outcome: &Outcome) -> Option<String> {
    let said = text(outcome);
    let after = |begin: &str| said.split_once(begin).map(|(_, rest)| rest);
    let name = after("error while loading shared libraries: ")
        .or_else(|| after("Error loading shared library "))
        .or_else(|| after("Library not loaded: "))?;
    let name = name.split([':', '\n']).next().unwrap_or_default().trim();
    (!name.is_empty()).then(|| name.to_owned())
}

/// All that it wrote, standard error first: at a terminal both are one.
pub(super) fn text(outcome: &Outcome) -> String {
    [&outcome.stderr, &outcome.stdout].map(|stream| text_of(stream)).join("\n")
}

/// The lines that say anything, standard error first.
pub(super) fn lines(outcome: &Outcome) -> Vec<String> {
    let text = text(outcome);
    let lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
    lines.map(|line| line.chars().take(200).collect()).collect()
}

fn first_line(outcome: &Outcome) -> Option<String> {
    lines(outcome).into_iter().next()
}

/// The question that a program left open: a last line without an end that reads like one.
pub(super) fn open_question(outcome: &Outcome) -> Option<String> {
    [&outcome.stdout, &outcome.stderr].into_iter().find_map(|stream| {
        let text = String::from_utf8_lossy(stream);
        let last = text.rsplit(['\n', '\r']).next().unwrap_or_default();
        let is_question = last.trim_end().ends_with(['?', ':', '>', ']']) && last.trim().len() > 1;
        is_question.then(|| last.trim().chars().take(200).collect())
    })
}

/// The end of what a program said, for somebody who looks for the reason of a failure.
pub fn last_words(outcome: &Outcome) -> String {
    if let Some(question) = open_question(outcome) {
        return format!("; it asks \"{question}\": pass the arguments it needs after --");
    }
    let line = [&outcome.stderr, &outcome.stdout].into_iter().find_map(|stream| {
        let text = String::from_utf8_lossy(stream);
        let line = text.lines().map(str::trim).rfind(|line| !line.is_empty())?;
        Some(line.chars().take(200).collect::<String>())
    });
    line.map_or_else(String::new, |line| format!("; last output: {line}"))
}

fn foreign(program: &Program) -> String {
    match (program.os, program.arch) {
        (Some(os), Some(arch)) => format!("is a program for {os} on {arch}"),
        (Some(os), None) => format!("is a program for {os}"),
        _ => "is not a program that this system can run".to_owned(),
    }
}

fn read_head(program: &Path) -> io::Result<Vec<u8>> {
    use io::Read;
    let mut head = Vec::new();
    given::open(program)?.take(HEAD_BYTES as u64).read_to_end(&mut head)?;
    Ok(head)
}

/// An empty folder to run something in, that goes away by itself.
pub(super) fn scratch(what: &str) -> io::Result<tempfile::TempDir> {
    tempfile::Builder::new().prefix(&format!("{}{what}-", os::temporary_name(std::process::id()))).tempdir()
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;

    fn outcome(stdout: &str, stderr: &str) -> Outcome {
        let ending = Ending::TimedOut;
        Outcome {
            ending,
            stdout: stdout.into(),
            stderr: stderr.into(),
            took: Duration::ZERO,
            left: Vec::new(),
            second: None,
        }
    }

    #[test]
    fn a_script_of_powershell_is_run_by_the_one_that_finds_it() {
        let work = tempfile::tempdir().unwrap();
        let (script, program) = (work.path().join("tide.ps1"), work.path().join("tide.txt"));
        fs::write(&script, "'tide 1.0'").unwrap();
        fs::write(&program, "tide").unwrap();
        let environment = Environment::new(host_system());
        let place =
            Place { environment: &environment, context: None, script_host: Some(Path::new("/shells/pwsh.exe")) };
        let start = Startable::look(&script).unwrap().start("tide", &["--version"], place, work.path());
        assert_eq!(start.program, Path::new("/shells/pwsh.exe"));
        let [before @ .., file, version] = &start.arguments[..] else { panic!("{:?}", start.arguments) };
        assert!(
            before.ends_with(&["-File".into()]) && *file == *script && version == "--version",
            "{:?}",
            start.arguments
        );
        let looked = Startable::look(&program).unwrap();
        assert_ne!(looked.start("tide", &[], place, work.path()).program, Path::new("/shells/pwsh.exe"));
    }

    #[test]
    fn loaders_name_the_library() {
        for (said, expected) in [
            ("t: error while loading shared libraries: libshore.so.2: cannot open shared object file", "libshore.so.2"),
            ("Error loading shared library libshore.so.2: No such file (needed by t)", "libshore.so.2"),
            ("dyld[7]: Library not loaded: @rpath/libshore.dylib\n  Referenced from: t", "@rpath/libshore.dylib"),
        ] {
            assert_eq!(library_said(&outcome("", said)).as_deref(), Some(expected));
        }
        assert_eq!(library_said(&outcome("", "library not there")), None);
    }

    #[test]
    fn a_question_is_a_last_line_left_open() {
        for (stdout, expected) in [
            ("Station name: ", Some("Station name:")),
            ("Welcome\nGo on? [y/n] ", Some("Go on? [y/n]")),
            ("tide> ", Some("tide>")),
            ("Usage:\n", None),
            ("ready", None),
            (">", None),
            ("", None),
        ] {
            assert_eq!(open_question(&outcome(stdout, "")).as_deref(), expected, "{stdout}");
        }
    }
}
