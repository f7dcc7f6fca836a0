//! The probe: running a program in a harmless way to learn its version.

use std::io;
use std::path::{Path, PathBuf};

use super::complaint;
use super::place::Place;
use super::prober::Prober;
use super::shown::{Shown, Shows};
use super::starting::{self, Startable};
use super::version_text::{self, Nearness};
use crate::archive;
use crate::finding::{Code, Finding};
use crate::process::{Ending, Outcome};
use crate::program;
use crate::start_policy::{NotStarted, Whose};

/// After this many forms without an end within the limit, no more are tried.
const MOST_TIMEOUTS: u32 = 2;

#[derive(Debug, Clone)]
pub(super) struct Target<'a> {
    pub program: &'a Path,
    /// The names it goes by: its own and its tool's.
    pub names: [&'a str; 2],
    /// The version it should state, where one is known.
    pub expected: Option<&'a str>,
    /// With which words it is asked, one after another; or why it is not.
    pub forms: Result<&'a [&'a [&'a str]], NotStarted>,
    /// Whether the user has said with which arguments it is asked.
    pub is_told: bool,
    /// Where its version may stand, beside its own file.
    pub reads: &'a [PathBuf],
    /// What the answer has to hold, where that is not the version.
    pub expects: Option<&'a str>,
    /// The exit status with which it ends when all is well, where the user has said one.
    pub status: Option<i32>,
}

impl<'a> Target<'a> {
    /// A program of which nothing is known but the name it is typed by.
    pub fn stranger(program: &'a Path, name: &'a str, prober: &Prober<'_>) -> Self {
        let (expected, expects, status) = (None, None, None);
        let forms = prober.forms(Whose::Other);
        Self { program, names: [name, name], expected, forms, is_told: false, reads: &[], expects, status }
    }
}

#[derive(Default)]
struct Tried {
    is_silent: bool,
    complaint: Option<String>,
    unexpected: Option<(Option<String>, String)>,
    question: Option<String>,
    timeouts: u32,
    is_mute: bool,
}

/// Asks the program form by form, until it states a version. Where it does not, its file may.
pub(super) fn probe(target: &Target, place: Place<'_>, prober: &Prober<'_>) -> io::Result<Shown> {
    let mut shown = match target.forms {
        Ok(forms) => started(target, forms, place, prober)?,
        Err(why) => Shown::of(Shows::NotStarted(why)),
    };
    let is_open = matches!(shown.ending, Shows::NotStarted(_) | Shows::Silent);
    if shown.version.is_none() && is_open && !prober.is_sealed() {
        let mut files = std::iter::once(target.program).chain(target.reads.iter().map(PathBuf::as_path));
        // Many a file keeps the number that its maker's tools put there first.
        let fits = |version: &String| target.expected.is_none_or(|expected| version_text::answers(version, expected));
        shown.version = files.find_map(|file| read(file).filter(fits));
        shown.is_read = shown.version.is_some();
    }
    Ok(shown)
}

/// The version that a file states of itself.
fn read(file: &Path) -> Option<String> {
    match archive::could_hold_classes(&file.file_name()?.to_string_lossy()) {
        true => archive::version_of_classes(file),
        false => program::stated_version(file),
    }
}

fn started(target: &Target, forms: &[&[&str]], place: Place<'_>, prober: &Prober<'_>) -> io::Result<Shown> {
    let scratch = starting::scratch("probe")?;
    let startable = match Startable::look(target.program) {
        Ok(startable) => startable,
        Err((code, why)) => return Ok(Shown::of(Shows::Failed(code, why))),
    };
    if startable.is_not_for_terminals() && !target.is_told {
        let lacks = startable.without_library(place.environment);
        return Ok(Shown::of(lacks.map_or(Shows::Windowed, |(code, why)| Shows::Failed(code, why))));
    }
    // Where nothing keeps it from the machine, it is at least in a folder of its own.
    let elsewhere = place.context.map(|context| context.in_folder(scratch.path()));
    let place = Place { context: if prober.is_sealed() { place.context } else { elsewhere.as_ref() }, ..place };
    let mut asides: Vec<Finding> = startable.oddity().into_iter().collect();
    let mut tried = Tried::default();
    for form in forms {
        let start = startable.start(target.names[0], form, place, scratch.path());
        let outcome = prober.run(&start);
        if let Some(finding) = left_running(target.program, form, &outcome)
            && !asides.iter().any(|found| found.code == Code::LeftRunning)
        {
            asides.push(finding);
        }
        let is_known = target.status.is_some_and(|status| ends_with(&outcome, status));
        if let Some((code, why)) = startable.trouble(&outcome, place.environment).filter(|_| !is_known) {
            return Ok(Shown { asides, ..Shown::of(Shows::Failed(code, why)) });
        }
        let well = match &outcome.ending {
            Ending::Exited(status) => is_known || target.status.is_none() && status.success(),
            Ending::TimedOut => {
                tried.question = tried.question.or_else(|| starting::open_question(&outcome));
                tried.timeouts += 1;
                if tried.timeouts == MOST_TIMEOUTS || startable.opens_windows() {
                    break;
                }
                continue;
            }
            Ending::NoSeal(why) => return Ok(Shown { asides, ..Shown::of(Shows::SealBroke(why.clone())) }),
            Ending::NotStarted(_) | Ending::Interrupted => break,
        };
        if let Some((ending, version)) = tried.take_in(&outcome, target, form, well) {
            let form = form.iter().map(|&argument| argument.to_owned()).collect();
            return Ok(Shown { version, form: Some(form), asides, ..Shown::of(ending) });
        }
    }
    Ok(tried.shown(asides, &startable, prober))
}

impl Tried {
    /// Takes in what one form has shown: how it all ended, with the version, where that is known by now.
    fn take_in(
        &mut self,
        outcome: &Outcome,
        target: &Target,
        form: &[&str],
        well: bool,
    ) -> Option<(Shows, Option<String>)> {
        let lines = starting::lines(outcome);
        if let Some(expects) = target.expects {
            if starting::text(outcome).contains(expects) {
                return Some((Shows::Expected, Some(expects.to_owned())));
            }
            self.unexpected =
                self.unexpected.take().or_else(|| Some((stated(outcome, target, well), expects.to_owned())));
            return None;
        }
        let succeeded = matches!(&outcome.ending, Ending::Exited(status) if status.success());
        if let Some(version) = stated(outcome, target, succeeded) {
            let ending = match well {
                true => Shows::Stated,
                false => Shows::StatedWithError(complaint::complaint_beside_version(&lines, form, target.names[0])),
            };
            return Some((ending, Some(version)));
        }
        let complaint = match well {
            true if target.status.is_some() => None,
            true => complaint::complaint_of_well(&lines),
            false => complaint::complaint(&lines, form, target.names[0]),
        };
        let question = starting::open_question(outcome).filter(|_| !well);
        match (complaint, question) {
            (_, Some(question)) => self.question = self.question.take().or(Some(question)),
            (Some(line), None) => self.complaint = self.complaint.take().or(Some(line)),
            (None, None) if !well && lines.is_empty() => self.is_mute = true,
            (None, None) => self.is_silent = true,
        }
        None
    }

    /// How it all ended, where no form gave an answer.
    fn shown(self, asides: Vec<Finding>, startable: &Startable<'_>, prober: &Prober<'_>) -> Shown {
        let ending = match self {
            Self { unexpected: Some((version, expects)), .. } => {
                return Shown { version, asides, ..Shown::of(Shows::Unexpected(expects)) };
            }
            Self { complaint: Some(line), .. } => Shows::Complained(line),
            Self { is_silent: true, .. } => Shows::Silent,
            Self { timeouts: 1.., question: Some(question), .. } => Shows::Waits(question),
            Self { timeouts: 1.., .. } if startable.opens_windows() => Shows::OpensWindow,
            Self { timeouts: 1.., .. } => Shows::StillRuns(prober.limit.as_secs()),
            Self { question: Some(question), .. } => Shows::Asked(question),
            _ => Shows::Mute,
        };
        Shown { asides, ..Shown::of(ending) }
    }
}

fn ends_with(outcome: &Outcome, status: i32) -> bool {
    matches!(&outcome.ending, Ending::Exited(ended) if ended.code() == Some(status))
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
/// that stands right after its name or the word "version" counts then, and not in a line that asks for something.
fn stated(outcome: &Outcome, target: &Target, well: bool) -> Option<String> {
    [&outcome.stdout, &outcome.stderr].into_iter().find_map(|stream| {
        let text = version_text::text_of(stream);
        let text: String = match well {
            true => text,
            false => text.lines().filter(|line| !complaint::asks(line)).flat_map(|line| [line, "\n"]).collect(),
        };
        let (version, nearness) = version_text::find(&text, &target.names, target.expected)?;
        (well || nearness <= Nearness::VersionWord).then_some(version)
    })
}
