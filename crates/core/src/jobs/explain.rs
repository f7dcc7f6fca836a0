//! `explain`: what a finding means, how it comes about, and how to settle it.

use serde::Serialize;

use crate::error::{Classified, ErrorClass};
use crate::finding::{Code, Severity};
use crate::naming::did_you_mean;
use crate::report::{Report, report_body};
use crate::session::Session;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Explanation {
    pub code: Code,
    pub severity: Severity,
    pub means: &'static str,
    pub why: &'static str,
    pub comes_about: &'static str,
    pub settle: &'static str,
    pub example: &'static str,
}

report_body!(Explanation = "explain");

#[derive(Debug, thiserror::Error)]
#[error("no finding called \"{0}\"")]
pub struct UnknownCode(pub String);

impl Classified for UnknownCode {
    fn class(&self) -> ErrorClass {
        ErrorClass::Call
    }

    fn hint(&self) -> Option<String> {
        let all: Vec<String> = Code::ALL.iter().map(|code| code.as_str().to_owned()).collect();
        Some(did_you_mean(&self.0, all.clone()).unwrap_or_else(|| format!("findings are: {}", all.join(", "))))
    }
}

pub fn run(_session: &Session, code: &str) -> Result<Report<Explanation>, UnknownCode> {
    let known = Code::ALL.iter().copied().find(|known| known.as_str() == code);
    let code = known.ok_or_else(|| UnknownCode(code.to_owned()))?;
    let texts = code.texts();
    Ok(Report::new(Explanation {
        code,
        severity: code.severity(),
        means: texts.means,
        why: texts.why,
        comes_about: texts.comes_about,
        settle: texts.settle,
        example: texts.example,
    }))
}
