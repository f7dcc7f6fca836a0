//! The one form of all reports: what every job gives back, and what `--json` prints.

mod path;

use std::ops::{Deref, DerefMut};

use serde::{Serialize, Serializer};

pub use path::ReportPath;

pub use crate::finding::Verdict;
use crate::finding::{Finding, Severity};

const FORMAT: u32 = 1;

pub trait ReportBody: Serialize {
    fn name(&self) -> &'static str;

    /// The worst of what was judged; `None` where nothing was.
    fn verdict(&self) -> Option<Verdict> {
        None
    }
}

/// Gives the body of a report on which nothing is judged its stable name.
#[macro_export]
macro_rules! report_body {
    ($body:ty = $name:literal) => {
        impl $crate::report::ReportBody for $body {
            fn name(&self) -> &'static str {
                $name
            }
        }
    };
}
pub use report_body;

/// A report: its format and name, what the job has to say, the verdict where there is one, and findings. In JSON the fields
/// of the body stand between the name and the verdict. Nobody sets the verdict: it is the worst of the findings, and a
/// report that holds a problem never passes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Report<T> {
    body: T,
    /// What is worth telling beyond the parts of the body that have findings of their own.
    pub findings: Vec<Finding>,
    failed: bool,
}

impl<T> Report<T> {
    pub fn new(body: T) -> Self {
        Self { body, findings: Vec::new(), failed: false }
    }

    pub fn with_findings(mut self, findings: Vec<Finding>) -> Self {
        self.findings = findings;
        self
    }

    /// Marks what was asked for as not achieved, whatever the verdict.
    pub fn failed_if(mut self, failed: bool) -> Self {
        self.failed |= failed;
        self
    }

    pub fn map<U>(self, turn: impl FnOnce(T) -> U) -> Report<U> {
        let Self { body, findings, failed } = self;
        Report { body: turn(body), findings, failed }
    }

    pub fn into_body(self) -> T {
        self.body
    }
}

impl<T: ReportBody> Report<T> {
    /// The worst of all that was judged and found; `None` where nothing was judged.
    pub fn verdict(&self) -> Option<Verdict> {
        self.body.verdict().map(|verdict| verdict.max(Verdict::worst(&self.findings)))
    }

    /// Whether all is well, which makes the exit code 0; else it is 1.
    pub fn passes(&self) -> bool {
        let is_problem = |finding: &Finding| finding.severity == Severity::Problem;
        !self.failed && self.verdict().is_none_or(Verdict::passes) && !self.findings.iter().any(is_problem)
    }
}

impl<T> Deref for Report<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.body
    }
}

impl<T> DerefMut for Report<T> {
    fn deref_mut(&mut self) -> &mut T {
        &mut self.body
    }
}

#[derive(Serialize, schemars::JsonSchema)]
struct Document<'a, T> {
    format: u32,
    report: &'static str,
    #[serde(flatten)]
    body: &'a T,
    #[serde(skip_serializing_if = "Option::is_none")]
    verdict: Option<Verdict>,
    /// What is worth telling beyond the parts that have findings of their own.
    findings: &'a [Finding],
}

impl<T: schemars::JsonSchema + 'static> schemars::JsonSchema for Report<T> {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        T::schema_name()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        Document::<'static, T>::json_schema(generator)
    }
}

impl<T: ReportBody> Serialize for Report<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let (body, findings) = (&self.body, &self.findings[..]);
        Document { format: FORMAT, report: body.name(), body, verdict: self.verdict(), findings }.serialize(serializer)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::Code;

    #[derive(Serialize)]
    struct Body {
        home: ReportPath,
        #[serde(skip)]
        judged: Option<Verdict>,
    }

    impl ReportBody for Body {
        fn name(&self) -> &'static str {
            "made"
        }

        fn verdict(&self) -> Option<Verdict> {
            self.judged
        }
    }

    #[test]
    fn every_report_has_the_same_frame_and_none_with_a_problem_passes() {
        let made = |judged| Report::new(Body { home: "/h".into(), judged });
        let text = r#"{"format":1,"report":"made","home":"/h","findings":[]}"#;
        assert_eq!(serde_json::to_string(&made(None)).unwrap(), text);
        assert!(made(None).passes() && !made(None).failed_if(true).passes());
        assert!(made(Some(Verdict::Good)).passes() && !made(Some(Verdict::StartedWithError)).passes());
        for judged in [None, Some(Verdict::Good)] {
            let bad = made(judged).with_findings(vec![Finding::new(Code::Shadowed, "x")]);
            let text = serde_json::to_value(&bad).unwrap();
            assert_eq!(text["verdict"].as_str(), judged.map(|_| "shadowed"));
            assert_eq!(
                (&text["findings"][0]["code"], &text["findings"][0]["verdict"]),
                (&"shadowed".into(), &"shadowed".into())
            );
            assert!(!bad.passes());
        }
    }
}
