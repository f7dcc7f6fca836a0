//! One thing worth telling.

use serde::Serialize;

use super::table::{Code, Severity};
use super::verdict::Verdict;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Finding {
    pub code: Code,
    pub severity: Severity,
    /// What it makes of the command or tool it was found at: verdicts are the worst of these.
    #[serde(skip_serializing_if = "Verdict::passes_ref")]
    pub verdict: Verdict,
    pub seen: String,
    /// All that it holds for, where that is more than the sentence names.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// Why it matters: what comes of it if nothing is done.
    pub why: &'static str,
    /// What to do about it, where there is something to do.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remedy: Option<String>,
}

impl Finding {
    pub fn new(code: Code, seen: impl Into<String>) -> Self {
        let (severity, why) = (code.severity(), code.texts().why);
        let verdict = code.verdict();
        Self { code, severity, verdict, seen: seen.into(), names: Vec::new(), why, remedy: None }
    }

    /// With a verdict other than the one its code usually has. A problem is never good.
    pub fn judged(mut self, verdict: Verdict) -> Self {
        self.verdict =
            if self.severity == Severity::Problem { verdict.max(Verdict::StartedWithError) } else { verdict };
        self
    }

    pub fn remedy(mut self, remedy: impl Into<String>) -> Self {
        self.remedy = Some(remedy.into());
        self
    }
}

impl Verdict {
    /// The worst that findings amount to; without any all is good.
    pub fn worst<'a>(findings: impl IntoIterator<Item = &'a Finding>) -> Self {
        findings.into_iter().map(|finding| finding.verdict).max().unwrap_or(Self::Good)
    }
}
