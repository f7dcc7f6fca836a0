//! The check of one command: what it means in every new terminal, and whether it starts and answers.

use std::path::{Path, PathBuf};
use std::rc::Rc;

use super::by_terminal::ByTerminal;
use super::predicted::Predicted;
use super::prober::Prober;
use super::report::{CallerResult, CommandCheck};
use super::{probe, starting, typed};
use crate::environment::Environment;
use crate::finding::{Code, Finding};
use crate::layout::Command;
use crate::order::promotion;
use crate::path_list::is_spelled_alike;
use crate::process;
use crate::report::{ReportPath, Verdict};
use crate::resolve::{self, Caller, Candidate, Kind, ListedDisk, Shell, same_file};
use crate::suggestion::suggested;
use crate::system::System;
use crate::terminal::{Answer, NoAnswer, Said, TerminalKind};
use crate::yard::{Answers, Card, CardProbe};

/// One command to be checked.
pub(super) struct Subject {
    /// What a person types.
    pub name: String,
    /// The file that should run.
    pub file: PathBuf,
    owner: Owner,
}

/// Whose command it is, and so how it is asked.
enum Owner {
    /// A tool of the yard.
    Tool { tool: String, version: String, probe: Option<CardProbe>, remembered: Option<Vec<String>> },
    /// Somebody else: nothing is known of it, so that only harmless things are tried.
    Stranger,
}

impl Subject {
    /// The commands of a tool of the yard.
    pub fn of(home: &Path, card: &Card, answers: &Answers) -> Vec<Self> {
        let subject = |command: &Command| Self {
            name: command.name.clone(),
            file: home.join(&command.path),
            owner: Owner::Tool {
                tool: card.name.to_string(),
                version: card.version.to_string(),
                probe: card.probe.clone(),
                remembered: answers.of(&card.name, &card.version, &command.name).cloned(),
            },
        };
        card.commands.iter().map(subject).collect()
    }

    /// A command that is not the yard's.
    pub fn stranger(name: String, file: PathBuf) -> Self {
        Self { name, file, owner: Owner::Stranger }
    }

    /// Looks at what it means in every new terminal and starts it as each would.
    /// `leads` says of which answers, by their place, an alias or function leads to it in the end.
    pub fn check(
        &self,
        answers: &[Answer],
        leads: &dyn Fn(usize) -> bool,
        prober: Option<&Prober<'_>>,
        disk: &ListedDisk,
    ) -> std::io::Result<CommandCheck> {
        let mut findings = Vec::new();
        let mut verdict = Verdict::Good;
        let mut results = Vec::new();
        let mut by_terminal = ByTerminal::default();
        if answers.is_empty() {
            findings.push(Finding::new(Code::NoShell, "no shell available to verify the command"));
            verdict = Verdict::NotFound;
        }
        let predicted = Predicted::new(&self.name, answers, disk);
        for (at, answer) in answers.iter().enumerate() {
            let (result, bad) = self.result(answer, leads(at), &|| predicted.candidates(at));
            results.push(result);
            if answer.taken {
                by_terminal.add(taken(), answer);
            }
            if let Some((worse, finding)) = bad {
                verdict = verdict.max(worse);
                by_terminal.add(finding, answer);
            }
        }
        findings.extend(by_terminal.told());
        if verdict == Verdict::NotFound {
            findings.extend(starting::cannot_execute(&self.file));
        }
        let other = results.iter().find(|r| !r.ours && r.winner.is_some()).and_then(|r| r.winner.clone());
        let ours = results.iter().any(|r| r.ours).then(|| ReportPath::from(self.file.clone()));
        let winner = other.or(ours);
        let (mut answered_version, mut form, mut differs) = (None, None, false);
        if let Some(prober) = prober {
            // What another copy says of itself is shown, but the verdict is about ours.
            let is_ours = winner.as_ref().is_none_or(|winner| **winner == *self.file);
            let typed = typed::ways(answers, &results, &self.name, winner.as_deref().unwrap_or(&self.file));
            let mut by_terminal = ByTerminal::default();
            let probed = process::side_by_side(&typed, 4, |way| self.probe(&way.program, &way.environment, prober));
            for (way, probed) in typed.iter().zip(probed) {
                let probed = probed?;
                if is_ours {
                    differs |= probed.verdict == Verdict::WrongVersion;
                    // Whether that is bad is seen from the tool's other commands.
                    verdict = verdict.max(if differs { Verdict::Good } else { probed.verdict });
                    for finding in probed.findings {
                        match typed.len() {
                            1 => findings.push(finding),
                            _ => way.answers.iter().for_each(|answer| by_terminal.add(finding.clone(), answer)),
                        }
                    }
                    form = form.or(probed.form);
                }
                answered_version = answered_version.or(probed.version);
            }
            findings.extend(by_terminal.told());
        }
        if matches!(self.owner, Owner::Tool { .. }) {
            findings.extend(self.hides(answers, &predicted));
        }
        let name = self.name.clone();
        Ok(CommandCheck { name, verdict, answered_version, winner, caller_results: results, findings, form, differs })
    }

    /// Asks a program for its version: in the way that its card says, else in the one that worked before, else in the
    /// usual ones.
    fn probe(&self, program: &Path, environment: &Environment, prober: &Prober<'_>) -> std::io::Result<probe::Probed> {
        let mut target = probe::Target {
            program,
            names: [&self.name, &self.name],
            expected: None,
            forms: probe::HARMLESS,
            is_told: false,
            expects: None,
        };
        let Owner::Tool { tool, version, probe, remembered } = &self.owner else {
            return probe::probe(&target, environment, prober);
        };
        target.names = [&self.name, tool];
        target.expected = Some(version);
        target.expects = probe.as_ref().and_then(|probe| probe.expect.as_deref());
        let set = probe.as_ref().and_then(|probe| probe.arguments.as_ref());
        let first: Option<Vec<&str>> =
            set.or(remembered.as_ref()).map(|words| words.iter().map(String::as_str).collect());
        let mut forms: Vec<&[&str]> = first.as_deref().into_iter().collect();
        if set.is_none() {
            forms.extend(probe::forms(prober).iter().filter(|form| Some(**form) != first.as_deref()));
        }
        target.forms = &forms;
        target.is_told = set.is_some();
        probe::probe(&target, environment, prober)
    }

    /// Whether a file is the one of this name, or stands for it: on Windows a tool may bring the same command as a program and
    /// as scripts for several shells, and each caller takes the one that it can start.
    fn is_ours(&self, file: &Path, system: System) -> bool {
        let is_beside = is_spelled_alike(&file.with_extension(""), &self.file.with_extension(""), system);
        let stands_for = system == System::Windows && matches!(self.owner, Owner::Tool { .. }) && is_beside;
        stands_for || same_file(file, &self.file)
    }

    /// Whether an alias or function of the shell answers, and a search through PATH would find this file.
    pub fn is_hidden_by_shell(&self, said: &Said) -> bool {
        let meaning = said.meaning(&self.name);
        let is_ours = meaning.file.as_ref().is_some_and(|file| same_file(file, &self.file));
        matches!(meaning.kind, Kind::Alias | Kind::Function) && is_ours
    }

    fn to_trace(&self, answer: &Answer) -> String {
        suggested(answer.shell.system(), "trace {}", &[&self.name])
    }

    fn result(
        &self,
        answer: &Answer,
        leads: bool,
        predicted: &dyn Fn() -> Rc<[Candidate]>,
    ) -> (CallerResult, Option<(Verdict, Finding)>) {
        let caller = Caller::from(answer.shell);
        let mut result = CallerResult {
            caller,
            mode: answer.mode,
            terminal: TerminalKind::New,
            proved: answer.said.is_ok() && answer.doubt.is_none(),
            winner: None,
            kind: Kind::None,
            ours: false,
            seal: answer.seal,
            milliseconds: u64::try_from(answer.took.as_millis()).unwrap_or(u64::MAX),
        };
        let said = match &answer.said {
            Ok(said) => said,
            Err(NoAnswer::NotAsked(_)) => {
                let seen = "not verified: shells cannot be sealed on this system".to_owned();
                let finding = Finding::new(Code::NotProven, seen).remedy("run it anyway with --unsealed");
                return (result, Some((Verdict::NotProven, finding)));
            }
            Err(why) => {
                let seen = format!("a new terminal did not answer: {}", no_answer(why, answer));
                let finding = Finding::new(Code::NoTerminalAnswer, seen)
                    .remedy("check that shell's startup files: something waits, ends the shell, or starts another");
                return (result, Some((Verdict::NotFound, finding)));
            }
        };
        let meaning = said.meaning(&self.name);
        result.kind = meaning.kind;
        let name = &self.name;
        let bad = match (meaning.kind, &meaning.file) {
            (Kind::File, Some(file)) => {
                result.winner = Some(file.clone().into());
                result.ours = self.is_ours(file, answer.shell.system());
                (!result.ours).then(|| {
                    let seen = format!("{name} is {} in a new terminal", file.display());
                    let look = || format!("run {} to see what puts it first", self.to_trace(answer));
                    let remedy = promotion(name, &self.file, &said.context).unwrap_or_else(look);
                    (Verdict::Shadowed, Finding::new(Code::Shadowed, seen).remedy(remedy))
                })
            }
            (Kind::Alias | Kind::Function, Some(file)) if leads => {
                (result.winner, result.ours) = (Some(file.clone().into()), true);
                None
            }
            (Kind::Alias | Kind::Function | Kind::Builtin, _) => {
                let what = match meaning.kind {
                    // What fish calls an alias is a function.
                    Kind::Alias if answer.shell == Shell::Fish => "an abbreviation",
                    Kind::Alias => "an alias",
                    Kind::Function => "a function",
                    _ => "a shell builtin",
                };
                let seen = format!("{name} is {what}, which takes precedence over files");
                Some((Verdict::Shadowed, Finding::new(Code::HiddenByShell, seen)))
            }
            (Kind::File | Kind::None, _) => {
                let seen = format!("{name}: command not found in a new terminal");
                let remedy = unread_home(answer).unwrap_or_else(|| match &self.owner {
                    Owner::Tool { tool, .. } => format!("run 'wyard register {tool}'"),
                    Owner::Stranger => format!("run {} to see which shells find it", self.to_trace(answer)),
                });
                Some((Verdict::NotFound, Finding::new(Code::NotFound, seen).remedy(remedy)))
            }
        };
        let bad = bad.or_else(|| {
            let seen = format!("the answer is uncertain: {}", answer.doubt.as_ref()?);
            let finding = Finding::new(Code::NotProven, seen).remedy("run it with --unsealed");
            Some((Verdict::NotProven, finding))
        });
        let bad = bad.or_else(|| Some((Verdict::NotProven, self.disagreement(answer, said, predicted)?)));
        let bad = bad.or_else(|| forbidden_script(name, result.winner.as_deref()?, said.script_policy.as_deref()?));
        let bad = bad.map(|(verdict, finding)| {
            // What the shell itself answers has nothing to do with PATH.
            let by_path = matches!(meaning.kind, Kind::File | Kind::None);
            let undone = said.undone_at_prompt(answer.shell, name, &self.file, result.winner.as_deref());
            (verdict, undone.filter(|_| by_path).unwrap_or(finding))
        });
        (result, bad)
    }

    /// Where the shell says that a name is ours, and the rules by which it goes through PATH say otherwise: one of the two is
    /// wrong, and nobody knows which.
    fn disagreement(&self, answer: &Answer, said: &Said, predicted: &dyn Fn() -> Rc<[Candidate]>) -> Option<Finding> {
        if said.meaning(&self.name).kind != Kind::File {
            return None;
        }
        let predicted = match resolve::winner(&predicted()) {
            Some(winner) if self.is_ours(winner, answer.shell.system()) => return None,
            Some(winner) => winner.display().to_string(),
            None => "nothing".to_owned(),
        };
        let seen =
            format!("the shell finds {} at {}, but its lookup rules give {predicted}", self.name, self.file.display());
        let remedy = format!("check PATH for quotes and other unusual entries: {}", self.to_trace(answer));
        Some(Finding::new(Code::NotProven, seen).remedy(remedy))
    }

    /// The copies elsewhere in PATH that ours comes before.
    fn hides(&self, answers: &[Answer], predicted: &Predicted<'_>) -> Option<Finding> {
        let at = answers.iter().position(|answer| answer.said.is_ok())?;
        let (shell, candidates) = (answers[at].shell, predicted.candidates(at));
        resolve::winner(&candidates).filter(|winner| self.is_ours(winner, shell.system()))?;
        let mut others: Vec<&Path> = Vec::new();
        for candidate in candidates.iter().filter(|c| c.standing == resolve::Standing::Shadowed) {
            if !self.is_ours(&candidate.path, shell.system()) && !others.iter().any(|o| same_file(o, &candidate.path)) {
                others.push(&candidate.path);
            }
        }
        if others.is_empty() {
            return None;
        }
        let others: Vec<String> = others.iter().map(|path| path.display().to_string()).collect();
        let seen = format!("{} now comes before {}", self.name, others.join(", "));
        Some(Finding::new(Code::HidesOther, seen))
    }
}

/// Where a name is a script of PowerShell, whether its execution policy lets that run ("about_Execution_Policies").
fn forbidden_script(name: &str, winner: &Path, policy: &str) -> Option<(Verdict, Finding)> {
    let is_script = winner.extension().is_some_and(|end| end.eq_ignore_ascii_case("ps1"));
    let (verdict, what) = match policy {
        "Restricted" => (Verdict::DoesNotStart, "runs no scripts"),
        "AllSigned" => (Verdict::NotProven, "runs signed scripts only"),
        _ => return None,
    };
    let seen =
        format!("{name} is a script, {}, and PowerShell {what} here (execution policy {policy})", winner.display());
    let remedy = "run in PowerShell: Set-ExecutionPolicy -Scope CurrentUser RemoteSigned";
    is_script.then(|| (verdict, Finding::new(Code::BlockedByPolicy, seen).remedy(remedy)))
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
        NoAnswer::NotAsked(_) => "not asked".to_owned(),
        NoAnswer::Interrupted => "interrupted".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_execution_policy_decides_whether_a_script_runs() {
        for (file, policy, expected) in [
            ("t.ps1", "Restricted", Some(Verdict::DoesNotStart)),
            ("T.PS1", "AllSigned", Some(Verdict::NotProven)),
            ("t.ps1", "RemoteSigned", None),
            ("t.exe", "Restricted", None),
            ("t.cmd", "AllSigned", None),
        ] {
            let judged = forbidden_script("t", Path::new(file), policy).map(|(verdict, _)| verdict);
            assert_eq!(judged, expected, "{file} {policy}");
        }
    }
}
