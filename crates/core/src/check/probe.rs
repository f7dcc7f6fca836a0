//! The probe: running a program in a harmless way to learn its version.

use std::io;
use std::path::Path;

use super::prober::Prober;
use super::starting::{self, Startable};
use super::version_text::{self, Nearness};
use crate::environment::Environment;
use crate::finding::{Code, Finding};
use crate::process::{Ending, Outcome};
use crate::report::Verdict;

/// The arguments tried, in order of how little they can do.
const FORMS: [&[&str]; 6] = [&["--version"], &["-version"], &["version"], &["-V"], &["-v"], &[]];

/// So many of them come first that hardly a program takes for work to be done; the others are tried only where that would be
/// no harm.
const CAREFUL: usize = 4;

/// Of the forms only those that no program takes for work to be done.
pub(super) const HARMLESS: &[&[&str]] = FORMS.split_at(2).0;

/// The forms that may be tried.
pub(super) fn forms(prober: &Prober<'_>) -> &'static [&'static [&'static str]] {
    const ALL: &[&[&str]] = &FORMS;
    if prober.may_risk() { ALL } else { &ALL[..CAREFUL] }
}

/// After so many forms without an end within the limit, no more are tried.
const MOST_TIMEOUTS: u32 = 2;

/// What is to be probed.
#[derive(Debug, Clone)]
pub(super) struct Target<'a> {
    /// The program.
    pub program: &'a Path,
    /// The names it goes by: its own and its tool's.
    pub names: [&'a str; 2],
    /// The version it should state, where one is known.
    pub expected: Option<&'a str>,
    /// The arguments to try.
    pub forms: &'a [&'a [&'a str]],
    /// Whether the user has said with which arguments it is asked.
    pub is_told: bool,
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
    /// The arguments with which it did.
    pub form: Option<Vec<String>>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// Runs the program from an empty folder of its own, form by form, until one states a version.
pub(super) fn probe(target: &Target, environment: &Environment, prober: &Prober<'_>) -> io::Result<Probed> {
    if !prober.may_start() && !target.is_told {
        let seen = format!("{} was not run: it cannot be sealed on this system", target.program.display());
        let finding = Finding::new(Code::NotProven, seen).remedy("run it anyway with --unsealed");
        return Ok(Probed::ending(Verdict::NotProven, finding, Vec::new()));
    }
    let scratch = starting::scratch("probe")?;
    let startable = match Startable::look(target.program) {
        Ok(startable) => startable,
        Err(finding) => return Ok(Probed::bad(finding, Vec::new())),
    };
    if startable.is_not_for_terminals() && !target.is_told {
        return Ok(match startable.without_library(environment) {
            Some(finding) => Probed::bad(finding, Vec::new()),
            None => {
                let seen = format!(
                    "{} is a windowed program and was not run; its version is unknown",
                    target.program.display()
                );
                Probed::ending(Verdict::Good, Finding::new(Code::VersionNotStated, seen), Vec::new())
            }
        });
    }
    let mut findings: Vec<Finding> = startable.oddity().into_iter().collect();
    let mut stated_otherwise = None;
    let (mut timeouts, mut ran, mut answered, mut complaint, mut question) = (0, false, false, None, None);
    for form in target.forms {
        let outcome = prober.run(&startable.start(form, environment, scratch.path()));
        if let Some(finding) = left_running(target.program, form, &outcome)
            && !findings.iter().any(|found| found.code == Code::LeftRunning)
        {
            findings.push(finding);
        }
        if let Some(finding) = startable.trouble(&outcome, environment) {
            return Ok(Probed::bad(finding, findings));
        }
        let well = match &outcome.ending {
            Ending::Exited(status) => status.success(),
            Ending::TimedOut => {
                question = question.or_else(|| starting::open_question(&outcome));
                timeouts += 1;
                if timeouts == MOST_TIMEOUTS || startable.opens_windows() {
                    break;
                }
                continue;
            }
            Ending::NotStarted(_) | Ending::Interrupted => break,
        };
        let form: Vec<String> = form.iter().map(|&argument| argument.to_owned()).collect();
        if let Some(expects) = target.expects {
            let said = [&outcome.stdout[..], b"\n", &outcome.stderr].concat();
            if String::from_utf8_lossy(&said).contains(expects) {
                let version = Some(expects.to_owned());
                return Ok(Probed { verdict: Verdict::Good, version, form: Some(form), findings });
            }
            answered = true;
            stated_otherwise = stated_otherwise.or_else(|| stated(&outcome, target, well));
            continue;
        }
        if let Some(version) = stated(&outcome, target, well) {
            let right = target.expected.is_none_or(|expected| version_text::answers(&version, expected));
            if let Some(expected) = target.expected.filter(|_| !right) {
                let seen = format!("{} states {version}, expected {expected}", target.program.display());
                findings.push(Finding::new(Code::WrongVersion, seen));
            }
            let verdict = if right { Verdict::Good } else { Verdict::WrongVersion };
            return Ok(Probed { verdict, version: Some(version), form: Some(form), findings });
        }
        if well {
            ran = true;
        } else {
            question = question.or_else(|| starting::open_question(&outcome));
            complaint = complaint.or_else(|| starting::first_line(&outcome));
        }
    }
    let name = target.program.display();
    if let Some(expects) = target.expects.filter(|_| answered) {
        let seen = format!("{name}: output does not contain \"{expects}\"");
        let finding = Finding::new(Code::WrongVersion, seen);
        return Ok(Probed { version: stated_otherwise, ..Probed::ending(Verdict::WrongVersion, finding, findings) });
    }
    if ran {
        let finding = Finding::new(Code::VersionNotStated, format!("{name} runs, but prints no version"));
        return Ok(Probed::ending(Verdict::Good, finding, findings));
    }
    if timeouts > 0 {
        if let Some(question) = question {
            let seen = format!("{name} waits for input: \"{question}\"");
            return Ok(Probed::bad(Finding::new(Code::AsksForInput, seen), findings));
        }
        if startable.opens_windows() {
            let seen = format!("{name} opens a window and keeps running; its version is unknown");
            return Ok(Probed::ending(Verdict::Good, Finding::new(Code::VersionNotStated, seen), findings));
        }
        let seen = format!("{name} was still running after {} s", prober.limit.as_secs());
        let finding = Finding::new(Code::NoAnswerInTime, seen)
            .remedy("run it by hand; to allow more time: probe_seconds in settings.toml");
        return Ok(Probed::ending(Verdict::NotProven, finding, findings));
    }
    if let Some(question) = question {
        let seen = format!("{name} asks for input: \"{question}\"");
        return Ok(Probed::ending(Verdict::StartedWithError, Finding::new(Code::AsksForInput, seen), findings));
    }
    let Some(complaint) = complaint else {
        let remedy = "run it by hand to see why; to check it differently: --probe ARGUMENTS";
        let finding = Finding::new(Code::NotProven, format!("{name} failed without a message")).remedy(remedy);
        return Ok(Probed::ending(Verdict::NotProven, finding, findings));
    };
    let finding = Finding::new(Code::StartedWithError, format!("{name} starts with an error: {complaint}"));
    Ok(Probed::ending(Verdict::StartedWithError, finding, findings))
}

impl Probed {
    fn bad(finding: Finding, findings: Vec<Finding>) -> Self {
        Self::ending(Verdict::DoesNotStart, finding, findings)
    }

    fn ending(verdict: Verdict, finding: Finding, mut findings: Vec<Finding>) -> Self {
        findings.push(finding);
        Self { verdict, version: None, form: None, findings }
    }
}

/// Tells of programs that it had started and that were still running when it had ended.
fn left_running(program: &Path, form: &[&str], outcome: &Outcome) -> Option<Finding> {
    if outcome.left.is_empty() || matches!(outcome.ending, Ending::TimedOut) {
        return None;
    }
    let call = [&[&*program.display().to_string()], form].concat().join(" ");
    let seen = format!("'{call}' left processes running, now ended: {}", outcome.left.join(", "));
    Some(Finding::new(Code::LeftRunning, seen))
}

/// The version in the output, standard output first. A program that ended with an error may print any number; only one
/// that stands right after its name or the word "version" counts then.
fn stated(outcome: &Outcome, target: &Target, well: bool) -> Option<String> {
    [&outcome.stdout, &outcome.stderr].into_iter().find_map(|stream| {
        let (version, nearness) = version_text::find(&version_text::text_of(stream), &target.names, target.expected)?;
        (well || nearness <= Nearness::VersionWord).then_some(version)
    })
}
