//! The report of a survey.

use serde::Serialize;

use crate::finding::Finding;
use crate::report::{Report, ReportPath, report_body};
use crate::scope::Scope;
use crate::shells::TerminalKind;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct SurveyedPath {
    /// Whose PATH was looked at: this terminal's, or that of a new one.
    pub terminal: TerminalKind,
    /// Scope by scope, in the order of PATH. On Unix PATH is not kept by scope, and all is the user's.
    pub scopes: Vec<ScopeSurvey>,
}

report_body!(SurveyedPath = "survey");

/// All findings of a survey, those of entries included.
pub fn all_findings(report: &Report<SurveyedPath>) -> impl Iterator<Item = &Finding> {
    let of_entries = report.scopes.iter().flat_map(|scope| &scope.entries).flat_map(|entry| &entry.findings);
    of_entries.chain(&report.findings)
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ScopeSurvey {
    pub scope: Scope,
    pub entries: Vec<EntrySurvey>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct EntrySurvey {
    pub raw: ReportPath,
    pub expanded: ReportPath,
    pub exists: bool,
    pub commands: usize,
    pub findings: Vec<Finding>,
}
