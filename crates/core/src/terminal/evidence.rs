//! How a new terminal was asked and what it answered, for somebody who wants to see the proof or repeat it by hand.

use serde::Serialize;

use super::installed::InstalledShell;
use crate::process::{Outcome, SealLevel, Start};
use crate::report::ReportPath;
use crate::resolve::Caller;
use crate::shells::StartMode;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Evidence {
    pub caller: Caller,
    pub mode: StartMode,
    pub program: ReportPath,
    /// The name it was called by (`argv[0]`), where that is not its path.
    pub called: Option<String>,
    /// Its arguments, without the question.
    pub arguments: Vec<String>,
    pub seal: SealLevel,
    /// The line that was typed at its prompt; null where the question was its last argument.
    pub typed: Option<String>,
    /// What it was asked to do, in its own language.
    pub question: String,
    pub answer: String,
}

impl Evidence {
    pub(super) fn typed(
        (shell, mode, seal): (&InstalledShell, StartMode, SealLevel),
        start: &Start,
        (line, question): (&str, String),
        outcome: &Outcome,
    ) -> Self {
        let arguments = start.arguments.iter().map(|argument| argument.to_string_lossy().into_owned()).collect();
        Self {
            caller: shell.shell.into(),
            mode,
            program: start.program.clone().into(),
            called: start.called.as_ref().map(|name| name.to_string_lossy().into_owned()),
            arguments,
            seal,
            typed: Some(line.to_owned()),
            question,
            answer: String::from_utf8_lossy(&outcome.stdout).into_owned(),
        }
    }

    pub(super) fn argument(
        of: (&InstalledShell, StartMode, SealLevel),
        start: &Start,
        question: String,
        outcome: &Outcome,
    ) -> Self {
        let mut evidence = Self::typed(of, start, ("", question), outcome);
        evidence.arguments.pop();
        Self { typed: None, ..evidence }
    }
}
