//! What is looked at for a tool as a whole: its home variables, that its commands belong together, and what it needs.

use std::path::Path;

use super::by_terminal::ByTerminal;
use super::report::{CommandCheck, Requirement, RequirementKind};
use super::round::Round;
use super::version_text::shared_parts;
use super::{probe, version_text};
use crate::finding::{Code, Finding};
use crate::os;
use crate::path_list::is_spelled_alike;
use crate::report::{ReportPath, Verdict};
use crate::resolve::Kind;
use crate::scope::Scope;
use crate::terminal::Answer;
use crate::yard::Card;

/// The terminals in which a home variable of a registered tool does not lead to it.
pub(super) fn home_variables(card: &Card, home: &Path, answers: &[Answer]) -> Vec<Finding> {
    let mut by_terminal = ByTerminal::default();
    for name in card.registration.iter().flat_map(|r| &r.home_variables).map(ToString::to_string) {
        for answer in answers {
            let Ok(said) = &answer.said else { continue };
            let value = said.variable(&name);
            if value.is_some_and(|value| is_spelled_alike(Path::new(value), home, answer.shell.system())) {
                // Programs that put "/bin" behind it see the difference.
                if value.is_some_and(|value| value != home.as_os_str()) {
                    let seen = format!("{name} is spelled differently than {} in a new terminal", home.display());
                    let remedy = format!("run 'wyard register {}'", card.name);
                    by_terminal.add(Finding::new(Code::HomeVariableSeparator, seen).remedy(remedy), answer);
                }
                continue;
            }
            let is = value.map_or("not set".to_owned(), |value| value.to_string_lossy().into_owned());
            let seen = format!("{name} is {is} in a new terminal; expected {}", home.display());
            let remedy =
                format!("run 'wyard survey': it names the line that sets it, or 'wyard register {}'", card.name);
            by_terminal.add(Finding::new(Code::HomeVariableDiffers, seen).remedy(remedy), answer);
        }
    }
    by_terminal.told().collect()
}

/// The command folders of a registered tool that somebody else could put programs into.
pub(super) fn writable_by_others(card: &Card, home: &Path) -> Option<Finding> {
    let mut folders = card.registration.iter().flat_map(|_| &card.layout.command_folders).map(|below| home.join(below));
    let for_every_user = card.registration.as_ref().is_some_and(|registration| registration.scope == Scope::System);
    let untrusted = |folder: &Path| match for_every_user {
        true => os::untrusted_for_everybody(folder),
        false => os::untrusted_on_way(folder),
    };
    let folder = folders.find(|folder| os::others_may_write(folder) || untrusted(folder).is_some())?;
    let seen = format!("another user can put programs into {}", folder.display());
    Some(Finding::new(Code::WritableByOthers, seen).remedy("remove write access for other users"))
}

/// Judges the commands that state another version than their tool's. The one that is named as the tool has to state it, or
/// else those whose statements share most of it; what comes along with a tool has a version of its own.
pub(super) fn hold_to_version(card: &Card, commands: &mut [CommandCheck]) {
    let version = card.version.to_string();
    if card.probe.as_ref().is_some_and(|probe| probe.expect.is_some()) {
        hold_to_expected(&version, commands);
        return;
    }
    let stated = |command: &CommandCheck| command.form.as_ref().and(command.answered_version.clone());
    let shared = |command: &CommandCheck| stated(command).map_or(0, |stated| shared_parts(&stated, &version));
    let has_main = commands.iter().any(|command| is_main(card, command) && stated(command).is_some());
    let most = commands.iter().map(shared).max().unwrap_or_default();
    let is_held = |command: &CommandCheck| if has_main { is_main(card, command) } else { shared(command) == most };
    for command in commands.iter_mut().filter(|command| command.differs) {
        if is_held(command) {
            command.verdict = command.verdict.max(Verdict::WrongVersion);
            continue;
        }
        for finding in command.findings.iter_mut().filter(|finding| finding.code == Code::WrongVersion) {
            *finding = Finding::new(Code::VersionOfItsOwn, finding.seen.clone());
        }
    }
}

/// What is expected of a tool's answers, one of its commands has to say; the others may state its version.
fn hold_to_expected(version: &str, commands: &mut [CommandCheck]) {
    let is_said = commands.iter().any(|command| command.form.is_some() && !command.differs);
    for command in commands.iter_mut().filter(|command| command.differs) {
        let states = command.answered_version.as_deref().is_some_and(|stated| version_text::answers(stated, version));
        match is_said && states {
            true => command.findings.retain(|finding| finding.code != Code::WrongVersion),
            false => command.verdict = command.verdict.max(Verdict::WrongVersion),
        }
    }
}

fn is_main(card: &Card, command: &CommandCheck) -> bool {
    command.name == card.name.as_str()
}

/// Whether the commands of a tool that a new terminal runs belong together: all from one copy, all of one version.
pub(super) fn companions(commands: &[CommandCheck]) -> Vec<Finding> {
    let mut findings = Vec::new();
    let is_ours = |c: &&CommandCheck| c.caller_results.iter().all(|r| r.ours);
    let (ours, others): (Vec<_>, Vec<_>) = commands.iter().filter(|c| c.winner.is_some()).partition(is_ours);
    if let (Some(one), Some(other)) = (ours.first(), others.first()) {
        let winner = other.winner.as_ref().map_or_else(String::new, |winner| winner.display().to_string());
        let seen = format!("{} is the received one, but {} is {winner}", one.name, other.name);
        findings.push(Finding::new(Code::CompanionsSplit, seen));
    }
    let mut stated: Vec<(&str, &str)> = Vec::new();
    let has_own = |c: &&&CommandCheck| c.findings.iter().any(|finding| finding.code == Code::VersionOfItsOwn);
    for command in ours.iter().filter(|command| !has_own(command)) {
        if let Some(version) = command.form.as_ref().and(command.answered_version.as_deref())
            && !stated.iter().any(|(_, other)| version_text::same(other, version))
        {
            stated.push((&command.name, version));
        }
    }
    if stated.len() > 1 {
        let words: Vec<String> = stated.iter().map(|(name, version)| format!("{name} states {version}")).collect();
        findings.push(Finding::new(Code::CompanionsDisagree, words.join(", ")));
    }
    findings
}

/// Whether what a tool needs is there in every new terminal and, where programs may be started, answers.
pub(super) fn requirements(card: &Card, round: &Round<'_>) -> (Vec<Requirement>, Vec<Finding>) {
    let mut all = Vec::new();
    let mut by_terminal = ByTerminal::default();
    let lacks = |what: String, remedy: String| {
        let seen = format!("{} needs {what} in a new terminal", card.name);
        Finding::new(Code::RequirementMissing, seen).remedy(remedy)
    };
    let mut findings = Vec::new();
    for name in &card.requires.commands {
        let mut requirement =
            Requirement { kind: RequirementKind::Command, name: name.clone(), verdict: Verdict::Good, is: None };
        let mut program = None;
        for answer in &round.answers {
            let Ok(said) = &answer.said else { continue };
            let meaning = said.meaning(name);
            if meaning.kind == Kind::None {
                let remedy = format!("receive or register the tool that provides {name}");
                by_terminal.add(lacks(format!("the command {name} (not found)"), remedy), answer);
                requirement.verdict = Verdict::NotFound;
            }
            program = program.or_else(|| Some((meaning.file.clone()?, &said.environment)));
        }
        if let (Some((program, environment)), true) = (&program, round.runs) {
            let target = probe::Target {
                program,
                names: [name, name],
                expected: None,
                forms: probe::HARMLESS,
                is_told: false,
                expects: None,
            };
            let probed = probe::probe(&target, environment, &round.prober);
            if let Ok(probed) = probed.as_ref()
                && probed.verdict == Verdict::DoesNotStart
            {
                let why = probed.findings.last().map_or("it does not start", |finding| &finding.seen);
                let seen = format!("{} needs the command {name}: {why}", card.name);
                findings.push(Finding::new(Code::RequirementMissing, seen));
                requirement.verdict = requirement.verdict.max(Verdict::DoesNotStart);
            }
        }
        requirement.is = program.map(|(program, _)| ReportPath::from(program));
        all.push(requirement);
    }
    for variable in &card.requires.variables {
        let name = variable.to_string();
        let mut requirement =
            Requirement { kind: RequirementKind::Variable, name: name.clone(), verdict: Verdict::Good, is: None };
        for answer in &round.answers {
            let Ok(said) = &answer.said else { continue };
            match said.variable(&name).filter(|value| !value.is_empty()) {
                Some(value) => requirement.is = Some(value.into()),
                None => {
                    let remedy = format!("set and export {name} in a startup file");
                    by_terminal.add(lacks(format!("the variable {name} (not set)"), remedy), answer);
                    requirement.verdict = Verdict::NotFound;
                }
            }
        }
        all.push(requirement);
    }
    findings.splice(0..0, by_terminal.told());
    (all, findings)
}
