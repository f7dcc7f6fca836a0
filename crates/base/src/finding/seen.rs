//! One thing worth telling.

use serde::Serialize;

use super::table::{Code, Severity};

/// One thing worth telling.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// What it is.
    pub code: Code,
    /// How much it matters.
    pub severity: Severity,
    /// What was seen, in a sentence.
    pub seen: String,
    /// Why it matters: what comes of it if nothing is done.
    pub why: &'static str,
    /// What to do about it, where there is something to do.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remedy: Option<String>,
}

impl Finding {
    /// A finding with nothing to do about it.
    #[must_use]
    pub fn new(code: Code, seen: impl Into<String>) -> Self {
        Self { code, severity: code.severity(), seen: seen.into(), why: code.texts().why, remedy: None }
    }

    /// Adds what to do.
    #[must_use]
    pub fn remedy(mut self, remedy: impl Into<String>) -> Self {
        self.remedy = Some(remedy.into());
        self
    }
}
