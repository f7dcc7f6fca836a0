//! The one judge: what was found out about a command or a tool, as findings. Each carries a verdict, and the verdict of a
//! command, a tool and a report is the worst of those; nothing else sets one.

use std::collections::BTreeSet;
use std::path::Path;

use super::by_terminal::ByTerminal;
use super::evidence::{AtTerminal, CommandEvidence, Evidence, Role};
use super::starting::is_powershell_script;
use super::{judge_starts, judge_tool};
use crate::finding::{Code, Finding, Severity};
use crate::order::promotion;
use crate::program::DownloadMark;
use crate::report::Verdict;
use crate::resolve::{self, Kind, Shell, Standing, same_file};
use crate::suggestion::suggested;
use crate::terminal::{Again, Answer, NoAnswer, ScriptHost, ShellReply};

/// Judges evidence. Nothing is asked or looked at any more.
pub(super) fn judge(evidence: &Evidence<'_>) -> Vec<Finding> {
    match evidence {
        Evidence::Command(command) => judge_command(command),
        Evidence::Tool(tool) => judge_tool::judge_tool(tool),
        Evidence::Variable { tool, name, answers } => judge_tool::judge_variable(tool, name, answers),
    }
}

fn judge_command(command: &CommandEvidence<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    if command.terminals.is_empty() {
        findings.push(Finding::new(Code::NoShell, "no shell available to verify the command"));
    }
    let mut by_terminal = ByTerminal::default();
    for seen in &command.terminals {
        if seen.answer.taken && seen.when.is_none() {
            by_terminal.add(taken(), seen.answer);
        }
        if let Some(finding) = judge_terminal(command, seen) {
            by_terminal.add(finding, seen.answer);
        }
    }
    findings.extend(by_terminal.told());
    if Verdict::worst(&findings) == Verdict::NotFound {
        if command.hindrance.as_ref().is_some_and(|hindrance| hindrance.code == Code::FileMissing) {
            findings.retain(|finding| finding.code != Code::NotFound);
        }
        findings.extend(command.hindrance.clone());
    }
    findings.extend(judge_starts::judge_starts(command));
    match command.role {
        Role::Own { .. } => findings.extend(hides(command)),
        Role::Stranger => {}
        Role::Required { by } => {
            findings.retain(|finding| finding.severity == Severity::Problem);
            for finding in findings.iter_mut().filter(|finding| finding.code != Code::RequirementMissing) {
                let seen = format!("{by} needs the command {}: {}", command.name, finding.seen);
                let told = Finding::new(Code::RequirementMissing, seen).judged(finding.verdict);
                *finding = Finding { remedy: finding.remedy.take(), ..told };
            }
        }
    }
    findings
}

/// What is bad about a name in a terminal.
fn judge_terminal(command: &CommandEvidence<'_>, seen: &AtTerminal<'_>) -> Option<Finding> {
    let (name, answer) = (command.name, seen.answer);
    if let Role::Required { by } = command.role {
        // Whatever a shell answers itself, the tool is not what it hides; and who gave no answer is told of the tool.
        let is_missing = seen.said.is_ok_and(|said| said.meaning(name).kind == Kind::None);
        let seen = format!("{by} needs the command {name} (not found) in a new terminal");
        let remedy = format!("receive or register the tool that provides {name}");
        return is_missing.then(|| Finding::new(Code::RequirementMissing, seen).remedy(remedy));
    }
    let said = match seen.said {
        Ok(said) => said,
        Err(NoAnswer::NotAsked(_)) => {
            let seen = "not verified: shells cannot be sealed on this system";
            return Some(Finding::new(Code::NotProven, seen).remedy("run it anyway with --unsealed"));
        }
        Err(NoAnswer::NoSeal(why)) => {
            let seen = format!("not verified: the seal around the shell broke ({why})");
            return Some(Finding::new(Code::NotProven, seen).remedy("run it again"));
        }
        Err(why) => {
            let seen = format!("no answer from a new terminal: {}", no_answer(why, answer));
            return Some(Finding::new(Code::NoTerminalAnswer, seen));
        }
    };
    let meaning = said.meaning(name);
    let bad = if seen.ours { None } else { Some(not_ours(command, seen, said)) };
    if let (Some(bad), Some(when)) = (&bad, seen.when) {
        let first_was_ours = command
            .terminals
            .iter()
            .any(|first| first.when.is_none() && first.ours && std::ptr::eq(first.answer, answer));
        if first_was_ours {
            return Some(differs(command, seen, when, bad.verdict));
        }
    }
    // What the shell itself answers has nothing to do with PATH.
    let by_path = matches!(meaning.kind, Kind::File | Kind::None);
    let undone = bad.as_ref().filter(|_| by_path).and(command.file);
    let undone = undone.and_then(|file| said.undone_at_prompt(answer.shell, name, file, seen.runs.as_deref()));
    undone.or(bad).or_else(|| doubted(command, seen, said))
}

/// That another file runs than the one that should, or none.
fn not_ours(command: &CommandEvidence<'_>, seen: &AtTerminal<'_>, said: &ShellReply) -> Finding {
    let (name, answer, meaning) = (command.name, seen.answer, said.meaning(command.name));
    match (meaning.kind, &seen.runs) {
        (Kind::File, Some(file)) => {
            let seen = format!("{name} is {} in a new terminal", file.display());
            let remedy = command.advice.line.clone();
            let promoted = || promotion(name, command.file?, &said.context);
            let look = || format!("run {} to see what puts it first", to_trace(answer, name));
            Finding::new(Code::Shadowed, seen).remedy(remedy.or_else(promoted).unwrap_or_else(look))
        }
        (Kind::Alias | Kind::Function | Kind::Builtin, _) => {
            let what = match meaning.kind {
                // What fish calls an alias is a function.
                Kind::Alias if answer.shell == Shell::Fish => "an abbreviation",
                Kind::Alias => "an alias",
                Kind::Function => "a function",
                _ => "a shell builtin",
            };
            Finding::new(Code::HiddenByShell, format!("{name} is {what}, which takes precedence over files"))
        }
        (Kind::File | Kind::None, _) => {
            let seen = format!("{name}: command not found in a new terminal");
            if let Some((ending, remedy)) = command.file.and_then(|file| said.context.unlisted_ending(file)) {
                return Finding::new(Code::NotFound, format!("{seen}: PATHEXT does not list {ending}")).remedy(remedy);
            }
            let remedy = unread_home(answer).unwrap_or_else(|| not_found_remedy(command, answer));
            Finding::new(Code::NotFound, seen).remedy(remedy)
        }
    }
}

fn not_found_remedy(command: &CommandEvidence<'_>, answer: &Answer) -> String {
    let advice = command.advice;
    let Role::Own { tool, .. } = command.role else {
        return format!("run {} to see which shells find it", to_trace(answer, command.name));
    };
    match &advice.line {
        Some(line) => line.clone(),
        None if advice.is_registered && !advice.lacks_block => format!(
            "{tool} is registered; run 'wyard survey' and {} to see what removes its folder from PATH",
            to_trace(answer, command.name)
        ),
        None => format!("run 'wyard register {tool}'"),
    }
}

fn differs(command: &CommandEvidence<'_>, seen: &AtTerminal<'_>, when: Again, verdict: Verdict) -> Finding {
    let name = command.name;
    let is = match &seen.runs {
        Some(file) => file.display().to_string(),
        None if seen.said.is_ok_and(|said| said.meaning(name).kind == Kind::None) => "not found".to_owned(),
        None => "a shell builtin, function or alias".to_owned(),
    };
    let (where_, line) = match when {
        Again::NextPrompt => ("some time after the first prompt", &command.advice.deferring),
        Again::SecondTerminal => ("in the second terminal that is opened", &command.advice.remembering),
    };
    let remedy = match line {
        Some(line) => format!("change {line}"),
        None => "look for startup file lines that run only once, or later".to_owned(),
    };
    Finding::new(Code::TerminalsDiffer, format!("{name} is {is} {where_}")).judged(verdict).remedy(remedy)
}

fn doubted(command: &CommandEvidence<'_>, seen: &AtTerminal<'_>, said: &ShellReply) -> Option<Finding> {
    let (name, answer) = (command.name, seen.answer);
    if let Some(doubt) = &answer.doubt {
        let finding = Finding::new(Code::NotProven, format!("the answer is uncertain: {doubt}"));
        return Some(finding.remedy("run it with --unsealed, or type the command in a new terminal"));
    }
    if said.watch.rewrites && !seen.leads && matches!(said.meaning(name).kind, Kind::File) {
        let text = format!("{name} was typed and did not start: a key binding, widget or hook changes what is typed");
        let finding = Finding::new(Code::NotProven, text);
        return Some(finding.remedy(format!(
            "look for key bindings and hooks (preexec, DEBUG) in the startup files of {}",
            answer.shell.name()
        )));
    }
    if answer.taken {
        return None;
    }
    disagreement(command, seen, said)
        .or_else(|| forbidden_script(name, seen.runs.as_deref()?, said.script_host.as_ref()?))
}

/// Where the shell says that a name is ours, and the rules by which it goes through PATH say otherwise: one of the two is
/// wrong, and nobody knows which.
fn disagreement(command: &CommandEvidence<'_>, seen: &AtTerminal<'_>, said: &ShellReply) -> Option<Finding> {
    let (name, file) = (command.name, seen.runs.as_deref()?);
    if said.meaning(name).kind != Kind::File {
        return None;
    }
    let predicted = match resolve::winner(&seen.predicted) {
        Some(winner) if command.is_ours(winner, seen.answer.shell.system()) => return None,
        Some(winner) => winner.display().to_string(),
        None => "nothing".to_owned(),
    };
    let text = format!("the shell finds {name} at {}, but its lookup rules give {predicted}", file.display());
    let remedy = format!("check PATH for quotes and other unusual entries: {}", to_trace(seen.answer, name));
    Some(Finding::new(Code::NotProven, text).remedy(remedy))
}

/// The copies elsewhere in PATH that ours comes before, in whichever terminal.
fn hides(command: &CommandEvidence<'_>) -> Option<Finding> {
    let mut others: Vec<&Path> = Vec::new();
    for seen in &command.terminals {
        let system = seen.answer.shell.system();
        if !resolve::winner(&seen.predicted).is_some_and(|winner| command.is_ours(winner, system)) {
            continue;
        }
        for candidate in seen.predicted.iter().filter(|candidate| candidate.standing == Standing::Shadowed) {
            let path = &candidate.path;
            if !command.is_ours(path, system) && !others.iter().any(|other| same_file(other, path)) {
                others.push(path);
            }
        }
    }
    if others.is_empty() {
        return None;
    }
    let others: BTreeSet<String> = others.iter().map(|path| path.display().to_string()).collect();
    let others: Vec<String> = others.into_iter().collect();
    Some(Finding::new(Code::HidesOther, format!("{} now comes before {}", command.name, others.join(", "))))
}

fn to_trace(answer: &Answer, name: &str) -> String {
    suggested(answer.shell.system(), "trace {}", &[name])
}

/// Where a name is a script of PowerShell, whether its execution policy lets that run ("about_Execution_Policies").
fn forbidden_script(name: &str, winner: &Path, host: &ScriptHost) -> Option<Finding> {
    let is_marked = is_powershell_script(winner) && DownloadMark::of(winner).is_some();
    refused_script(name, winner, &host.policy, is_marked)
}

fn refused_script(name: &str, winner: &Path, policy: &str, is_marked: bool) -> Option<Finding> {
    let (verdict, what) = match policy {
        "Restricted" => (Verdict::DoesNotStart, "runs no scripts"),
        "AllSigned" => (Verdict::NotProven, "runs signed scripts only"),
        "RemoteSigned" if is_marked => (Verdict::NotProven, "runs downloaded scripts only if they are signed"),
        "Unrestricted" if is_marked => (Verdict::NotProven, "asks before it runs a downloaded script"),
        _ => return None,
    };
    let seen = format!("{name} is a script, {}, and PowerShell {what} (execution policy {policy})", winner.display());
    let remedy = if is_marked && !["Restricted", "AllSigned"].contains(&policy) {
        // In single quotes only the quote itself means something ("about_Quoting_Rules").
        let file = winner.display().to_string().replace('\'', "''");
        format!("if you trust it, run in PowerShell: Unblock-File -LiteralPath '{file}'")
    } else {
        "run in PowerShell: Set-ExecutionPolicy -Scope CurrentUser RemoteSigned".to_owned()
    };
    is_powershell_script(winner).then(|| Finding::new(Code::BlockedByPolicy, seen).judged(verdict).remedy(remedy))
}

/// What to do where fish reads no startup file: without a UTF-8 locale it finds none below a folder whose name is not ASCII.
fn unread_home(answer: &Answer) -> Option<String> {
    let home = answer.base.get("HOME")?.to_string_lossy().into_owned();
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"].iter().find_map(|name| answer.base.get(name)).unwrap_or_default();
    let is_utf8 = locale.to_string_lossy().to_lowercase().replace('-', "").contains("utf8");
    let is_unread = answer.shell == Shell::Fish && !home.is_ascii() && !is_utf8;
    is_unread.then(|| format!("set LANG to a UTF-8 locale: without one, fish reads no startup file below {home}"))
}

fn taken() -> Finding {
    let seen = "a startup file replaces the shell at a terminal";
    let remedy = "check what its startup files start; if it is another shell, that one counts";
    Finding::new(Code::TerminalTaken, seen).remedy(remedy)
}

fn no_answer(why: &NoAnswer, answer: &Answer) -> String {
    match why {
        NoAnswer::TimedOut => format!("its startup files took longer than {} s", answer.took.as_secs()),
        NoAnswer::Ended(line) if line.is_empty() => "the shell ended before it answered".to_owned(),
        NoAnswer::Ended(line) => format!("the shell ended before it answered: \"{line}\""),
        NoAnswer::NotStarted(error) => format!("the shell could not be started: {error}"),
        NoAnswer::NoSeal(why) => format!("the seal around the shell broke: {why}"),
        NoAnswer::NotAsked(_) => "not asked".to_owned(),
        NoAnswer::Interrupted => "interrupted".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_execution_policy_decides_whether_a_script_runs() {
        for (file, policy, is_marked, expected) in [
            ("t.ps1", "Restricted", false, Some((Verdict::DoesNotStart, "Set-ExecutionPolicy"))),
            ("T.PS1", "AllSigned", false, Some((Verdict::NotProven, "Set-ExecutionPolicy"))),
            ("t.ps1", "RemoteSigned", false, None),
            ("t.ps1", "RemoteSigned", true, Some((Verdict::NotProven, "Unblock-File"))),
            ("t.ps1", "Unrestricted", true, Some((Verdict::NotProven, "Unblock-File"))),
            ("t.ps1", "Bypass", true, None),
            ("t.ps1", "Restricted", true, Some((Verdict::DoesNotStart, "Set-ExecutionPolicy"))),
            ("t.exe", "Restricted", false, None),
            ("t.cmd", "RemoteSigned", true, None),
        ] {
            let judged = refused_script("t", Path::new(file), policy, is_marked);
            let remedy = judged.as_ref().and_then(|finding| finding.remedy.clone()).unwrap_or_default();
            assert!(expected.is_none_or(|(_, how)| remedy.contains(how)), "{remedy}");
            let (judged, expected) = (judged.map(|finding| finding.verdict), expected.map(|(verdict, _)| verdict));
            assert_eq!(judged, expected, "{file} {policy}");
        }
    }
}
