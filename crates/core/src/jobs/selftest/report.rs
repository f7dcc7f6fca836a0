//! What a self-test found.

use serde::{Deserialize, Serialize};

use crate::facts::MachineFacts;
use crate::judges::JudgedCaller;
use crate::report::ReportBody;

/// What a self-test found. Nothing in it says who the user is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SelfTest {
    /// The version of the program.
    pub program: String,
    /// The machine, but for its interpreters.
    pub machine: MachineFacts,
    /// Whether the system is Wine.
    pub is_wine: bool,
    /// The best level at which shells and programs are sealed here.
    pub seal: &'static str,
    /// What the made machines came from.
    pub seed: u64,
    /// Seconds that it took.
    pub seconds: u64,
    /// Who looked names up, and how often the answer differed from the prediction.
    pub lookups: Vec<JudgedCaller>,
    /// What else was tried.
    pub steps: Vec<SelfTestStep>,
}

/// A thing that was tried.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SelfTestStep {
    /// What it was.
    pub title: String,
    /// How often it was tried.
    pub times: usize,
    /// What did not hold.
    pub wrong: Vec<String>,
}

impl SelfTestStep {
    pub(super) fn new(title: &str) -> Self {
        Self { title: title.to_owned(), ..Self::default() }
    }
}

impl SelfTest {
    /// Whether all of it held, and something was tried.
    #[must_use]
    pub fn held(&self) -> bool {
        self.lookups.iter().all(|judged| judged.held() && judged.compared > 0)
            && self.steps.iter().all(|step| step.wrong.is_empty() && step.times > 0)
    }
}

impl ReportBody for SelfTest {
    fn name(&self) -> &'static str {
        "selftest"
    }
}
