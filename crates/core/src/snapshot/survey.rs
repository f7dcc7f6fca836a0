//! What a survey found on a recorded machine.

use serde::{Deserialize, Serialize};

use super::private::Private;
use crate::finding::{Code, Finding, Severity};
use crate::report::{Report, ReportPath};
use crate::scope::Scope;
use crate::shells::TerminalKind;
use crate::survey::{EntrySurvey, ScopeSurvey, SurveyedPath, all_findings};

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedSurvey {
    pub entries: Vec<RecordedEntrySurvey>,
    pub findings: Vec<RecordedFinding>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedEntrySurvey {
    pub scope: Scope,
    pub raw: String,
    pub expanded: String,
    pub exists: bool,
    pub commands: usize,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub findings: Vec<RecordedFinding>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct RecordedFinding {
    pub code: String,
    pub severity: Severity,
    pub seen: String,
    /// All that it holds for, where that is more than the sentence names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remedy: Option<String>,
}

impl RecordedSurvey {
    pub(crate) fn of(surveyed: &Report<SurveyedPath>, private: &Private) -> Self {
        let findings = |found: &[Finding]| found.iter().map(|one| RecordedFinding::of(one, private)).collect();
        let entry = |scope: Scope, entry: &EntrySurvey| RecordedEntrySurvey {
            scope,
            raw: private.text(&entry.raw.text()),
            expanded: private.text(&entry.expanded.text()),
            exists: entry.exists,
            commands: entry.commands,
            findings: findings(&entry.findings),
        };
        let of_scope = |of: &ScopeSurvey| of.entries.iter().map(|one| entry(of.scope, one)).collect::<Vec<_>>();
        Self { entries: surveyed.scopes.iter().flat_map(of_scope).collect(), findings: findings(&surveyed.findings) }
    }

    /// The report that it was made of. Findings as bad as `limit` make it fail.
    pub fn report(&self, limit: Severity) -> Report<SurveyedPath> {
        let findings = |found: &[RecordedFinding]| found.iter().filter_map(RecordedFinding::known).collect();
        let mut scopes: Vec<ScopeSurvey> = Vec::new();
        for entry in &self.entries {
            let surveyed = EntrySurvey {
                raw: ReportPath::from(entry.raw.as_str()),
                expanded: ReportPath::from(entry.expanded.as_str()),
                exists: entry.exists,
                commands: entry.commands,
                findings: findings(&entry.findings),
            };
            match scopes.last_mut().filter(|last| last.scope == entry.scope) {
                Some(last) => last.entries.push(surveyed),
                None => scopes.push(ScopeSurvey { scope: entry.scope, entries: vec![surveyed] }),
            }
        }
        let report = Report::new(SurveyedPath { terminal: TerminalKind::New, scopes });
        let report = report.with_findings(findings(&self.findings));
        let bad = all_findings(&report).any(|finding| finding.severity <= limit);
        report.failed_if(bad)
    }
}

impl RecordedFinding {
    fn of(finding: &Finding, private: &Private) -> Self {
        Self {
            code: finding.code.as_str().to_owned(),
            severity: finding.severity,
            seen: private.text(&finding.seen),
            names: finding.names.iter().map(|name| private.text(name)).collect(),
            remedy: finding.remedy.as_ref().map(|remedy| private.text(remedy)),
        }
    }

    /// The finding, unless only a later version of this program knows its code.
    pub fn known(&self) -> Option<Finding> {
        let code = Code::ALL.iter().copied().find(|code| code.as_str() == self.code)?;
        let mut finding = Finding::new(code, self.seen.clone());
        finding.severity = self.severity;
        finding.names.clone_from(&self.names);
        finding.remedy.clone_from(&self.remedy);
        Some(finding)
    }
}
