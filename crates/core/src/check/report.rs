//! The report of a check, and its verdicts.

use serde::Serialize;

use crate::finding::Finding;
use crate::process::SealLevel;
use crate::report::{ReportBody, ReportPath, Verdict};
use crate::resolve::{Caller, Kind};
use crate::shells::{StartMode, TerminalKind};
use crate::terminal::Evidence;

/// What one caller in one kind of new terminal makes of a command.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CallerResult {
    pub caller: Caller,
    pub mode: StartMode,
    /// In which terminal: always a new one.
    pub terminal: TerminalKind,
    /// Whether the shell itself was asked.
    pub proved: bool,
    /// The file that runs; null where none does.
    pub winner: Option<ReportPath>,
    pub kind: Kind,
    /// Whether that is the file in the yard.
    pub ours: bool,
    /// How far the shell was kept from the machine while it was asked.
    pub seal: SealLevel,
    /// How long the shell took to start, in milliseconds.
    pub milliseconds: u64,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CommandCheck {
    pub name: String,
    pub verdict: Verdict,
    /// The version that it states; null where that is not known.
    pub answered_version: Option<String>,
    /// Whether that was read in its file, since the program was not asked or did not say.
    pub version_is_read: bool,
    /// How far it was kept from the machine when it was started; null where it was not.
    pub seal: Option<SealLevel>,
    pub winner: Option<ReportPath>,
    pub caller_results: Vec<CallerResult>,
    pub findings: Vec<Finding>,
    #[serde(skip)]
    pub form: Option<Vec<String>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RequirementKind {
    Command,
    Variable,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Requirement {
    pub kind: RequirementKind,
    pub name: String,
    pub verdict: Verdict,
    /// The file that the command means, or the variable's value; null where there is none.
    pub is: Option<ReportPath>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ToolCheck {
    pub name: String,
    pub version: String,
    pub commands: Vec<CommandCheck>,
    /// Whether commands were started at all; where not, only what they resolve to is known.
    pub ran: bool,
    /// The worst verdict of them, of the home variables, and of what it needs.
    pub verdict: Verdict,
    pub requirements: Vec<Requirement>,
    pub findings: Vec<Finding>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CheckedTools {
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
