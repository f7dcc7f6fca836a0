//! The report of a check, and its verdicts.

use serde::Serialize;

use crate::finding::Finding;
use crate::process::SealLevel;
use crate::report::{ReportBody, ReportPath, Verdict};
use crate::resolve::{Caller, Kind};
use crate::terminal::{Evidence, StartMode, TerminalKind};

/// What one caller in one kind of new terminal makes of a command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CallerResult {
    /// Who looked it up.
    pub caller: Caller,
    /// How the shell was started.
    pub mode: StartMode,
    /// In which terminal: always a new one.
    pub terminal: TerminalKind,
    /// Whether the shell itself was asked.
    pub proved: bool,
    /// The file that runs; null where none does.
    pub winner: Option<ReportPath>,
    /// What answers.
    pub kind: Kind,
    /// Whether that is the file in the yard.
    pub ours: bool,
    /// How far the shell was kept from the machine while it was asked.
    pub seal: SealLevel,
    /// How long the shell took to start, in milliseconds.
    pub milliseconds: u64,
}

/// The check of one command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CommandCheck {
    /// The command.
    pub name: String,
    /// What is to be thought of it.
    pub verdict: Verdict,
    /// The version that what runs has stated.
    pub answered_version: Option<String>,
    /// The file that runs.
    pub winner: Option<ReportPath>,
    /// Caller by caller.
    pub caller_results: Vec<CallerResult>,
    /// What is worth telling.
    pub findings: Vec<Finding>,
    /// The arguments with which it has stated its version.
    #[serde(skip)]
    pub form: Option<Vec<String>>,
}

/// What a tool can need besides itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum RequirementKind {
    /// A command of another tool.
    Command,
    /// A variable that is set.
    Variable,
}

/// Something that a tool needs besides itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Requirement {
    /// What kind of thing.
    pub kind: RequirementKind,
    /// Its name.
    pub name: String,
    /// What is to be thought of it.
    pub verdict: Verdict,
    /// The file that the command means, or the variable's value; null where there is none.
    pub is: Option<ReportPath>,
}

/// The check of one tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ToolCheck {
    /// The tool.
    pub name: String,
    /// The version the card states.
    pub version: String,
    /// Its commands.
    pub commands: Vec<CommandCheck>,
    /// Whether commands were started at all; where not, only what they resolve to is known.
    pub ran: bool,
    /// The worst verdict of them, of the home variables, and of what it needs.
    pub verdict: Verdict,
    /// What it needs besides itself.
    pub requirements: Vec<Requirement>,
    /// What is worth telling of the tool as a whole.
    pub findings: Vec<Finding>,
}

/// What was checked.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CheckedTools {
    /// Tool by tool.
    pub tools: Vec<ToolCheck>,
    /// How terminals were asked, and their raw answers, where that was wanted.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub evidence: Vec<Evidence>,
}

impl ReportBody for CheckedTools {
    fn name(&self) -> &'static str {
        "check"
    }

    fn verdict(&self) -> Option<Verdict> {
        Some(self.tools.iter().map(|tool| tool.verdict).max().unwrap_or(Verdict::Good))
    }
}

impl ToolCheck {
    /// The check of a tool, whose verdict is the worst of all findings.
    pub(super) fn new(
        name: String,
        version: String,
        ran: bool,
        commands: Vec<CommandCheck>,
        requirements: Vec<Requirement>,
        findings: Vec<Finding>,
    ) -> Self {
        let verdict = Verdict::worst(commands.iter().flat_map(|command| &command.findings).chain(&findings));
        Self { name, version, commands, ran, verdict, requirements, findings }
    }
}
