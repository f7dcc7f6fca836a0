//! What is to be thought of the starts of a command.

use super::by_terminal::ByTerminal;
use super::complaint::lacking_variable;
use super::evidence::{CommandEvidence, Role, Started, VersionRule};
use super::shown::Shows;
use super::version_text;
use crate::finding::{Code, Finding};
use crate::report::Verdict;
use crate::start_policy::NotStarted;

/// Judges each start; what holds for some terminals only is told with them.
pub(super) fn judge_starts(command: &CommandEvidence<'_>) -> Vec<Finding> {
    // What another copy says of itself is shown, but the verdict is about ours.
    let is_ours = |started: &&Started| {
        command.file.is_none_or(|_| command.is_ours(&started.program, crate::environment::host_system()))
    };
    let starts: Vec<&Started> = command.starts.iter().filter(is_ours).collect();
    let is_well_somewhere = starts.iter().any(|started| started.shown.is_well());
    let mut findings: Vec<Finding> = Vec::new();
    let mut by_terminal = ByTerminal::default();
    for started in &starts {
        let mut judged: Vec<Finding> = started.shown.asides.clone();
        judged.extend(judge_start(command, started, is_well_somewhere));
        judged.extend(judge_version(command, started));
        match starts.len() {
            1 => findings.extend(judged),
            _ => judged.into_iter().for_each(|finding| {
                started.terminals.iter().for_each(|at| by_terminal.add(finding.clone(), command.terminals[*at].answer));
            }),
        }
    }
    let everywhere: Vec<_> = command.terminals.iter().map(|seen| (seen.answer.shell, seen.answer.mode)).collect();
    findings.extend(by_terminal.told_unless_in(&everywhere));
    findings
}

fn judge_start(command: &CommandEvidence<'_>, started: &Started, is_well_somewhere: bool) -> Option<Finding> {
    let name = started.program.display();
    let error = |line: &str| {
        let finding = Finding::new(Code::StartedWithError, format!("{name} ends with an error: {line}"));
        Some(finding.remedy(after_complaint(command, line)))
    };
    let by_hand = "run it by hand to see why; to check it differently: --probe ARGUMENTS";
    match &started.shown.ending {
        Shows::Stated | Shows::Expected => None,
        Shows::StatedWithError(Some(line)) => error(line),
        Shows::StatedWithError(None) if is_well_somewhere => error("in another terminal it succeeds"),
        Shows::StatedWithError(None) => None,
        Shows::Complained(line) => error(line),
        Shows::Silent if started.shown.is_read => None,
        Shows::Silent => Some(Finding::new(Code::VersionNotStated, format!("{name} runs, but prints no version"))),
        Shows::Failed(code, why) => Some(Finding::new(*code, why.clone())),
        Shows::Unexpected(_) if command.version_rule == VersionRule::Free => None,
        Shows::Unexpected(expected) => {
            Some(Finding::new(Code::WrongVersion, format!("{name}: output does not contain \"{expected}\"")))
        }
        Shows::Mute => Some(Finding::new(Code::NotProven, format!("{name} failed without a message")).remedy(by_hand)),
        Shows::Asked(question) => {
            Some(Finding::new(Code::AsksForInput, format!("{name} asks for input: \"{question}\"")).remedy(by_hand))
        }
        Shows::Waits(question) => {
            let finding = Finding::new(Code::AsksForInput, format!("{name} waits for input: \"{question}\""));
            Some(finding.judged(Verdict::DoesNotStart).remedy(by_hand))
        }
        Shows::OpensWindow => {
            let seen = format!("{name} opens a window and keeps running; whether it works is unknown");
            Some(Finding::new(Code::NotProven, seen).remedy(by_hand))
        }
        Shows::StillRuns(seconds) => {
            let finding = Finding::new(Code::NoAnswerInTime, format!("{name} was still running after {seconds} s"));
            Some(finding.remedy("run it by hand; to allow more time: probe_seconds in settings.toml"))
        }
        Shows::NotStarted(why) => Some(not_started(command, started, *why)),
        Shows::SealBroke(why) => {
            let seen = format!("{name} was not run: its seal broke ({why})");
            Some(Finding::new(Code::NotProven, seen).remedy("run it again, or by hand"))
        }
        Shows::Windowed => {
            let seen = format!("{name} is a windowed program and was not run; whether it works is unknown");
            Some(Finding::new(Code::NotProven, seen).remedy("run it by hand; to have it run: --probe ARGUMENTS"))
        }
    }
}

fn not_started(command: &CommandEvidence<'_>, started: &Started, why: NotStarted) -> Finding {
    let name = started.program.display();
    let anyway = match command.role {
        Role::Own { tool, .. } => format!("wyard check {tool} --unsealed"),
        Role::Stranger | Role::Required { .. } => "--unsealed".to_owned(),
    };
    let (why, remedy) = match why {
        NotStarted::NoSeal => ("it cannot be sealed on this system", format!("run it anyway: {anyway}")),
        NotStarted::Elevated => (
            "it would have administrator rights, and nothing keeps it from the machine",
            format!("check it in a terminal without those rights, or run it anyway: {anyway}"),
        ),
        NotStarted::Unvouched => (
            "nothing keeps it from the machine, and no published checksum vouches for it",
            format!("run it by hand, or: {anyway}"),
        ),
        NotStarted::Other => {
            ("it belongs to no tool of the yard, and nothing keeps it from the machine", "run it by hand".to_owned())
        }
    };
    Finding::new(Code::NotProven, format!("{name} was not run: {why}")).remedy(remedy)
}

/// What to do about a complaint.
fn after_complaint(command: &CommandEvidence<'_>, line: &str) -> String {
    let Role::Own { tool, .. } = command.role else { return format!("provide what it asks for: {line}") };
    match lacking_variable(line) {
        Some(variable) => format!(
            "it says \"{line}\": set and export {variable} in a startup file, and record it: \
             wyard check {tool} --requires-variable {variable}"
        ),
        None => {
            format!("it says \"{line}\": provide that; if it always ends like that: wyard check {tool} --status NUMBER")
        }
    }
}

/// Whether the stated version is the tool's, where it has to be.
fn judge_version(command: &CommandEvidence<'_>, started: &Started) -> Option<Finding> {
    let Role::Own { version: expected, .. } = command.role else { return None };
    let is_stated = matches!(started.shown.ending, Shows::Stated | Shows::StatedWithError(_));
    let stated =
        started.shown.version.as_ref().filter(|stated| is_stated && !version_text::answers(stated, expected))?;
    let seen = format!("{} states {stated}, expected {expected}", started.program.display());
    match command.version_rule {
        VersionRule::Held => Some(Finding::new(Code::WrongVersion, seen)),
        VersionRule::OfItsOwn => Some(Finding::new(Code::VersionOfItsOwn, seen)),
        VersionRule::Free => None,
    }
}
