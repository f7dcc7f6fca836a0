//! The probe: running a program in a harmless way to learn its version.

use std::fs;
use std::io;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

use super::Verdict;
use super::exit_words;
use super::version_text::{self, Nearness};
use crate::finding::{Code, Finding};
use crate::machine::Environment;
use crate::os;
use crate::process::{self, Ending, Outcome};
use crate::program::{HEAD_BYTES, Program, ProgramKind};
use crate::progress::Stop;
use crate::system::System;

/// The arguments tried, in order of how little they can do.
pub(super) const FORMS: [&[&str]; 6] = [&["--version"], &["-version"], &["version"], &["-V"], &["-v"], &[]];

/// After so many forms without an end within the limit, no more are tried.
const MOST_TIMEOUTS: u32 = 2;

/// What is to be probed.
#[derive(Debug, Clone)]
pub(super) struct Target<'a> {
    /// The program.
    pub program: &'a Path,
    /// The names it goes by: its own and its tool's.
    pub names: [&'a str; 2],
    /// The version it should state.
    pub expected: &'a str,
    /// The arguments to try.
    pub forms: &'a [&'a [&'a str]],
    /// What the answer has to hold, where that is not the version.
    pub expects: Option<&'a str>,
}

/// What a probe showed.
#[derive(Debug)]
pub(super) struct Probed {
    /// `good`, `started-with-error`, `wrong-version` or `does-not-start`.
    pub verdict: Verdict,
    /// The version it stated.
    pub version: Option<String>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// Runs the program from an empty folder of its own, form by form, until one states a version.
pub(super) fn probe(target: &Target, environment: &Environment, limit: Duration, stop: &Stop) -> io::Result<Probed> {
    let scratch = tempfile::Builder::new().prefix("wyard-probe-").tempdir()?;
    let mut findings = Vec::new();
    // Looked at before it is started: the C library hands whatever the system can't run to the plain shell, and that
    // must never read a foreign program as a script (execvp(3), ENOEXEC).
    let file_name = target.program.file_name().unwrap_or_default().to_string_lossy();
    let seen = Program::identify(&file_name, &read_head(target.program).unwrap_or_default());
    if !seen.is_native(os::SYSTEM, std::env::consts::ARCH) {
        let seen = format!("{} {}", target.program.display(), foreign(&seen));
        return Ok(Probed::bad(Code::DoesNotStart, seen, findings));
    }
    let mut through: Option<&Path> = None;
    if seen.kind == ProgramKind::Other && os::HERE == System::Unix {
        let seen = format!("{} has no #! line: shells run it, other programs can't", target.program.display());
        findings.push(Finding::new(Code::NoInterpreterLine, seen));
        through = Some(Path::new("/bin/sh"));
    }
    let (mut timeouts, mut ran, mut answered, mut complaint) = (0, false, false, None);
    for form in target.forms {
        let outcome = start(target.program, through, form, environment, scratch.path(), limit, stop);
        let well = match &outcome.ending {
            Ending::Exited(status) => status.success(),
            Ending::TimedOut => {
                timeouts += 1;
                if timeouts == MOST_TIMEOUTS {
                    break;
                }
                continue;
            }
            Ending::NotStarted(e) => {
                let seen = format!("{}: {}", target.program.display(), why_not(target.program, &seen, e));
                return Ok(Probed::bad(Code::DoesNotStart, seen, findings));
            }
            Ending::Interrupted => break,
        };
        if let Some(seen) = broken(target.program, &outcome) {
            return Ok(Probed::bad(Code::DoesNotStart, seen, findings));
        }
        if let Some(expects) = target.expects {
            let said = [&outcome.stdout[..], b"\n", &outcome.stderr].concat();
            if String::from_utf8_lossy(&said).contains(expects) {
                return Ok(Probed { verdict: Verdict::Good, version: Some(expects.to_owned()), findings });
            }
            answered = true;
            continue;
        }
        if let Some(version) = stated(&outcome, target, well) {
            let right = version_text::same(&version, target.expected);
            if !right {
                let seen = format!("{} answers {version}, not {}", target.program.display(), target.expected);
                findings.push(Finding::new(Code::WrongVersion, seen));
            }
            let verdict = if right { Verdict::Good } else { Verdict::WrongVersion };
            return Ok(Probed { verdict, version: Some(version), findings });
        }
        if well {
            ran = true;
        } else if complaint.is_none() {
            complaint = first_line(&outcome);
        }
    }
    let name = target.program.display();
    if let Some(expects) = target.expects.filter(|_| answered) {
        let seen = format!("{name} answers without \"{expects}\", which it should say");
        findings.push(Finding::new(Code::WrongVersion, seen));
        return Ok(Probed { verdict: Verdict::WrongVersion, version: None, findings });
    }
    if ran {
        findings.push(Finding::new(Code::VersionNotStated, format!("{name} runs, but states no version")));
        return Ok(Probed { verdict: Verdict::Good, version: None, findings });
    }
    if timeouts > 0 {
        let seen = format!("{name} does not end within {} s, whatever it is asked", limit.as_secs());
        return Ok(Probed::bad(Code::NoAnswerInTime, seen, findings));
    }
    let complaint = complaint.unwrap_or_else(|| "it ends with an error and says nothing".to_owned());
    findings.push(Finding::new(Code::StartedWithError, format!("{name} starts, and says: {complaint}")));
    Ok(Probed { verdict: Verdict::StartedWithError, version: None, findings })
}

impl Probed {
    fn bad(code: Code, seen: String, mut findings: Vec<Finding>) -> Self {
        findings.push(Finding::new(code, seen));
        Self { verdict: Verdict::DoesNotStart, version: None, findings }
    }
}

fn start(
    program: &Path,
    through: Option<&Path>,
    form: &[&str],
    environment: &Environment,
    scratch: &Path,
    limit: Duration,
    stop: &Stop,
) -> Outcome {
    let mut command = Command::new(through.unwrap_or(program));
    if through.is_some() {
        command.arg(program);
    }
    command.args(form).env_clear().envs(environment).env("PWD", scratch).current_dir(scratch);
    process::run(command, limit, stop)
}

/// The version in the output, standard output first. A program that ended with an error may print any number; only one
/// that stands right after its name or the word "version" counts then.
fn stated(outcome: &Outcome, target: &Target, well: bool) -> Option<String> {
    [&outcome.stdout, &outcome.stderr].into_iter().find_map(|stream| {
        let text = String::from_utf8_lossy(stream);
        let (version, nearness) = version_text::find(&text, &target.names, target.expected)?;
        (well || nearness < Nearness::Anywhere).then_some(version)
    })
}

/// Whether the program was started and could not get going: ended by a signal, or given up by the loader or by the
/// script's `env` with status 126 or 127 (POSIX.1-2017, 2.8.2; ld.so(8)); on Windows by a status of the system's.
fn broken(program: &Path, outcome: &Outcome) -> Option<String> {
    let Ending::Exited(status) = &outcome.ending else { return None };
    let name = program.display();
    if let Some(signal) = os::ending_signal(*status) {
        return Some(format!("{name} is ended by signal {signal}"));
    }
    let code = status.code()?;
    let line = first_line(outcome).unwrap_or_else(|| "it says nothing".to_owned());
    match os::HERE {
        System::Unix if matches!(code, 126 | 127) => Some(format!("{name} ends with status {code}: {line}")),
        System::Unix => None,
        System::Windows => {
            let words = exit_words::of_windows(code.cast_unsigned())?;
            Some(format!("{name} does not run, {words}: {line}"))
        }
    }
}

fn first_line(outcome: &Outcome) -> Option<String> {
    [&outcome.stderr, &outcome.stdout].into_iter().find_map(|stream| {
        let text = String::from_utf8_lossy(stream);
        let line = text.lines().map(str::trim).find(|l| !l.is_empty())?;
        Some(line.chars().take(200).collect())
    })
}

fn why_not(file: &Path, program: &Program, error: &io::Error) -> String {
    match (error.kind(), &program.interpreter) {
        (io::ErrorKind::NotFound, Some(interpreter)) => format!("its interpreter is missing: {interpreter}"),
        (io::ErrorKind::NotFound, None) if file.exists() => "the loader it needs is missing on this system".to_owned(),
        _ => error.to_string(),
    }
}

fn foreign(program: &Program) -> String {
    match (program.os, program.arch) {
        (Some(os), Some(arch)) => format!("is a program for {os} on {arch}, and can't run here"),
        (Some(os), None) => format!("is a program for {os}, and can't run here"),
        _ => "is no program that this system can run".to_owned(),
    }
}

fn read_head(program: &Path) -> io::Result<Vec<u8>> {
    use io::Read;
    let mut head = Vec::new();
    fs::File::open(program)?.take(HEAD_BYTES as u64).read_to_end(&mut head)?;
    Ok(head)
}
