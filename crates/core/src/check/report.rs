//! The report of a check, and its verdicts.

use std::path::PathBuf;

use serde::Serialize;

use crate::finding::Finding;
use crate::resolve::{Caller, Kind};
use crate::terminal::Way;

/// What a check says of a command, from best to worst.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Verdict {
    /// It resolves, starts, and states the right version or none.
    Good,
    /// It resolves and starts, and complains.
    StartedWithError,
    /// It states another version.
    WrongVersion,
    /// Another copy, or the shell itself, answers in a new terminal, or a home variable leads elsewhere there.
    Shadowed,
    /// It cannot be started.
    DoesNotStart,
    /// A new terminal does not find it, or could not be asked.
    NotFound,
}

impl Verdict {
    /// All verdicts, from best to worst.
    pub const ALL: [Self; 6] =
        [Self::Good, Self::StartedWithError, Self::WrongVersion, Self::Shadowed, Self::DoesNotStart, Self::NotFound];

    /// The stable text.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Good => "good",
            Self::StartedWithError => "started-with-error",
            Self::WrongVersion => "wrong-version",
            Self::Shadowed => "shadowed",
            Self::DoesNotStart => "does-not-start",
            Self::NotFound => "not-found",
        }
    }

    /// Whether the command works in a new terminal: an error message proves that it starts.
    #[must_use]
    pub fn passes(self) -> bool {
        self <= Self::StartedWithError
    }
}

/// What one caller in one kind of new terminal makes of a command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CallerResult {
    /// Who looked it up.
    pub caller: Caller,
    /// How the shell was started.
    pub way: Way,
    /// Always `new`.
    pub terminal: &'static str,
    /// Whether the shell itself was asked.
    pub proved: bool,
    /// The file that runs; null where none does.
    pub winner: Option<PathBuf>,
    /// What answers.
    pub kind: Kind,
    /// Whether that is the file in the yard.
    pub ours: bool,
    /// How long the shell took to start, in milliseconds.
    pub milliseconds: u64,
}

/// The check of one command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CommandCheck {
    /// The command.
    pub name: String,
    /// What is to be thought of it.
    pub verdict: Verdict,
    /// The version that what runs has stated.
    pub answered_version: Option<String>,
    /// The file that runs.
    pub winner: Option<PathBuf>,
    /// Caller by caller.
    pub caller_results: Vec<CallerResult>,
    /// What is worth telling.
    pub findings: Vec<Finding>,
    /// The arguments with which it has stated its version.
    #[serde(skip)]
    pub form: Option<Vec<String>>,
}

/// Something that a tool needs besides itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Requirement {
    /// `command` or `variable`.
    pub kind: &'static str,
    /// Its name.
    pub name: String,
    /// What is to be thought of it.
    pub verdict: Verdict,
    /// The file that the command means, or the variable's value; null where there is none.
    pub is: Option<String>,
}

/// The check of one tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ToolCheck {
    /// The tool.
    pub name: String,
    /// The version the card states.
    pub version: String,
    /// Its commands.
    pub commands: Vec<CommandCheck>,
    /// The worst verdict of them, of the home variables, and of what it needs.
    pub verdict: Verdict,
    /// What it needs besides itself.
    pub requirements: Vec<Requirement>,
    /// What is worth telling of the tool as a whole.
    pub findings: Vec<Finding>,
}

/// The report of `check`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CheckReport {
    /// The format number.
    pub format: u32,
    /// `check`.
    pub report: &'static str,
    /// Tool by tool.
    pub tools: Vec<ToolCheck>,
    /// The worst verdict of them.
    pub verdict: Verdict,
}

impl CheckReport {
    pub(super) fn of(tools: Vec<ToolCheck>) -> Self {
        let verdict = tools.iter().map(|t| t.verdict).max().unwrap_or(Verdict::Good);
        Self { format: 1, report: "check", tools, verdict }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn verdicts_stand_in_order() {
        assert!(Verdict::ALL.is_sorted());
        let texts: std::collections::HashSet<_> = Verdict::ALL.iter().map(|v| v.as_str()).collect();
        assert_eq!(texts.len(), Verdict::ALL.len());
        assert_eq!(Verdict::ALL.map(Verdict::passes), [true, true, false, false, false, false]);
    }
}
