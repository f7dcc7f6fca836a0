//! The report of a survey.

use serde::Serialize;

use crate::finding::Finding;
use crate::report::{Report, ReportBody, ReportPath};
use crate::scope::Scope;
use crate::terminal::TerminalKind;

/// What was surveyed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SurveyedPath {
    /// Whose PATH was looked at: this terminal's, or that of a new one.
    pub terminal: TerminalKind,
    /// Scope by scope, in the order of PATH. On Unix PATH is not kept by scope, and all is the user's.
    pub scopes: Vec<ScopeSurvey>,
}

impl ReportBody for SurveyedPath {
    fn name(&self) -> &'static str {
        "survey"
    }
}

/// All findings of a survey, those of entries included.
pub fn all_findings(report: &Report<SurveyedPath>) -> impl Iterator<Item = &Finding> {
    let of_entries = report.scopes.iter().flat_map(|scope| &scope.entries).flat_map(|entry| &entry.findings);
    of_entries.chain(&report.findings)
}

/// The entries of one scope.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ScopeSurvey {
    /// Whose.
    pub scope: Scope,
    /// In order.
    pub entries: Vec<EntrySurvey>,
}

/// One entry of PATH.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct EntrySurvey {
    /// As written.
    pub raw: ReportPath,
    /// The folder it stands for.
    pub expanded: ReportPath,
    /// Whether that is there.
    pub exists: bool,
    /// How many commands it holds.
    pub commands: usize,
    /// What is worth telling of it.
    pub findings: Vec<Finding>,
}
