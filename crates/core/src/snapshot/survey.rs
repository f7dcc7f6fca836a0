//! What a survey found on a recorded machine.

use serde::{Deserialize, Serialize};

use super::private::Private;
use crate::finding::{Code, Finding, Severity};
use crate::report::{Report, ReportPath};
use crate::scope::Scope;
use crate::survey::{EntrySurvey, ScopeSurvey, SurveyedPath, all_findings};
use crate::terminal::TerminalKind;

/// What a survey found.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RecordedSurvey {
    /// PATH of a new terminal, entry by entry.
    pub entries: Vec<RecordedEntrySurvey>,
    /// What was found beyond the entries.
    pub findings: Vec<RecordedFinding>,
}

/// An entry of PATH as a survey saw it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RecordedEntrySurvey {
    /// Whose PATH it is in.
    pub scope: Scope,
    /// As written.
    pub raw: String,
    /// The folder it stands for.
    pub expanded: String,
    /// Whether that exists.
    pub exists: bool,
    /// How many commands it holds.
    pub commands: usize,
    /// What was found about it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub findings: Vec<RecordedFinding>,
}

/// A finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RecordedFinding {
    /// Its stable code.
    pub code: String,
    /// How much it matters.
    pub severity: Severity,
    /// What was seen, in a sentence.
    pub seen: String,
    /// All that it holds for, where that is more than the sentence names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// What to do about it.
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
