//! What a self-test found.

use serde::{Deserialize, Serialize};

use crate::facts::MachineFacts;
use crate::judges::JudgedCaller;
use crate::report::report_body;

/// What a self-test found. Nothing in it says who the user is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct SelfTest {
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
    pub steps: Vec<SelfTestStep>,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct SelfTestStep {
    pub title: String,
    /// How often it was tried; 0 where no time was left for it, or its preparation went wrong.
    pub times: usize,
    pub wrong: Vec<String>,
}

impl SelfTestStep {
    pub(super) fn new(title: &str) -> Self {
        Self { title: title.to_owned(), ..Self::default() }
    }

    pub fn held(&self) -> bool {
        self.times > 0 && !self.failed()
    }

    /// Whether something did not hold; false where no time was left for it.
    pub fn failed(&self) -> bool {
        !self.wrong.is_empty()
    }
}

impl SelfTest {
    pub fn held(&self) -> bool {
        self.lookups.iter().all(JudgedCaller::held) && self.steps.iter().all(SelfTestStep::held)
    }

    /// Whether no time was left for some of it.
    pub fn ran_out_of_time(&self) -> bool {
        self.lookups.iter().any(|judged| !judged.held() && !judged.failed())
            || self.steps.iter().any(|step| !step.held() && !step.failed())
    }

    /// Whether something did not hold; false where all there is to say is that no time was left.
    pub fn failed(&self) -> bool {
        self.lookups.iter().any(JudgedCaller::failed) || self.steps.iter().any(SelfTestStep::failed)
    }
}

report_body!(SelfTest = "selftest");

#[cfg(test)]
mod tests {
    use super::*;
    use crate::resolve::Caller;

    #[test]
    fn what_no_time_was_left_for_has_neither_held_nor_failed() {
        let tested = |times, wrong: &[&str], compared, no_answer: Option<&str>| SelfTest {
            program: "0.2.0".to_owned(),
            machine: MachineFacts::new("linux".into(), "x86_64".into()),
            is_wine: false,
            seal: "none",
            seed: 1,
            seconds: 90,
            lookups: vec![JudgedCaller {
                caller: Caller::Exec,
                compared,
                wrong: 0,
                disagreements: Vec::new(),
                no_answer: no_answer.map(str::to_owned),
            }],
            steps: vec![SelfTestStep {
                title: "the demo".to_owned(),
                times,
                wrong: wrong.iter().map(|text| (*text).to_owned()).collect(),
            }],
        };
        for (tested, held, failed, ran_out) in [
            (tested(1, &[], 50, None), true, false, false),
            (tested(0, &[], 50, None), false, false, true),
            (tested(1, &[], 0, None), false, false, true),
            (tested(1, &["a difference"], 50, None), false, true, false),
            (tested(1, &["a difference"], 0, None), false, true, true),
            (tested(0, &["not prepared"], 50, None), false, true, false),
            (tested(1, &[], 0, Some("it is not there")), false, true, false),
        ] {
            assert_eq!(
                (tested.held(), tested.failed(), tested.ran_out_of_time()),
                (held, failed, ran_out),
                "{tested:?}"
            );
        }
    }
}
