//! Where new terminals differ from each other.

use std::time::Duration;

use super::answer::{Answer, NoAnswer, ShellReply};
use crate::finding::{Code, Finding};
use crate::resolve::Shell;

/// From here on the start of a shell is worth telling.
const SLOW: Duration = Duration::from_secs(1);

/// The answer that stands for the others: with the PATH that most new terminals of the login shell have, or most of all where
/// that one gave none; of two as common ones the first.
pub fn leading(answers: &[Answer], login_shell: Option<Shell>) -> Option<(&Answer, &ShellReply)> {
    let mut said: Vec<(&Answer, &ShellReply)> =
        answers.iter().filter_map(|a| Some((a, a.said.as_ref().ok()?))).collect();
    let of_login: Vec<_> = said.iter().copied().filter(|(answer, _)| Some(answer.shell) == login_shell).collect();
    if !of_login.is_empty() {
        said = of_login;
    }
    let as_many = |one: &ShellReply| said.iter().filter(|(_, other)| other.context.path == one.context.path).count();
    said.iter().rev().max_by_key(|(_, one)| as_many(one)).copied()
}

/// Tells of the terminals that gave no answer or have another PATH than the one looked at.
pub fn tell_other_paths(answers: &[Answer], said: &ShellReply) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    let mut elsewhere: Vec<String> = Vec::new();
    for answer in answers {
        let words = format!("{} ({})", answer.shell.name(), answer.mode.name());
        if answer.took >= SLOW {
            let seen = format!("a new terminal of {words} takes {:.1} s to start", answer.took.as_secs_f64());
            findings.push(Finding::new(Code::SlowStartup, seen).remedy("check what its startup files start"));
        }
        match &answer.said {
            Err(NoAnswer::NotAsked(_)) => {
                let seen = format!("not verified, since shells cannot be sealed on this system: {words}");
                findings.push(Finding::new(Code::NotProven, seen).remedy("run it with --unsealed"));
            }
            Err(_) => {
                let seen = format!("a new terminal did not answer: {words}");
                findings.push(Finding::new(Code::NoTerminalAnswer, seen).remedy("check that shell's startup files"));
            }
            Ok(other) if other.context.path != said.context.path => {
                if !elsewhere.contains(&words) {
                    elsewhere.push(words);
                }
            }
            Ok(_) => {}
        }
    }
    findings.dedup();
    if !elsewhere.is_empty() {
        let seen = format!("PATH differs in {}", elsewhere.join(", "));
        let remedy = "'wyard trace COMMAND' shows which copy each one runs";
        findings.push(Finding::new(Code::PathDiffers, seen).remedy(remedy));
    }
    findings
}
