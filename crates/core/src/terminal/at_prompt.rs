//! What an interactive shell does before it shows its first prompt, and once more before it runs the line typed there: a
//! hook that changes PATH then decides what the line means, and no other way of starting the shell runs it.

use std::path::Path;

use super::answer::ShellReply;
use crate::finding::{Code, Finding};
use crate::resolve::{self, Disk, LookupContext, Shell};
use crate::shells::unix_rules;

/// What hooks are called: bash(1), `PROMPT_COMMAND`; zsh(1), "Hook Functions"; fish, "Event handlers"; tcsh(1), "Special
/// aliases".
const HOOKS: [&str; 9] = [
    "PROMPT_COMMAND",
    "DEBUG",
    "precmd",
    "preexec",
    "periodic",
    "sched",
    "fish_prompt",
    "fish_preexec",
    "zle-line-init",
];

/// Whether a startup file hooks in there.
pub(super) fn mentions_hook(text: &str) -> bool {
    let mut code = text.lines().filter(|line| !line.trim_start().starts_with('#'));
    code.any(|line| HOOKS.iter().any(|hook| line.contains(hook)))
}

impl ShellReply {
    /// Tells where `name` meant `file` until the shell did what it does before a prompt, and means `now` since.
    pub fn undone_at_prompt(&self, shell: Shell, name: &str, file: &Path, now: Option<&Path>) -> Option<Finding> {
        let before = LookupContext { path: self.before_prompt.clone()?, ..self.context.clone() };
        let candidates = resolve::candidates(shell.into(), name, &before, &Disk);
        resolve::winner(&candidates).filter(|winner| resolve::same_file(winner, file))?;
        let hook = unix_rules(shell)?.prompt_hook;
        let means = now.map_or_else(|| "not found".to_owned(), |now| now.display().to_string());
        let seen = format!("a prompt hook changes PATH: {name} is {means} in a new terminal");
        let shell = shell.name();
        let remedy = format!("find {hook} in the startup files of {shell}, and remove its change to PATH");
        Some(Finding::new(Code::UndoneAtPrompt, seen).remedy(remedy))
    }
}
