//! `survey`: the health of the whole PATH.

use crate::finding::Severity;
use crate::report::Report;
use crate::session::{JobError, Session};
use crate::shells::TerminalKind;
use crate::snapshot::{Snapshot, SnapshotError};
use crate::survey::{self, SurveyedPath};

/// What is asked of `survey`.
#[derive(Debug, Clone, Copy)]
pub struct SurveyRequest {
    pub terminal: TerminalKind,
    pub fail_on: Severity,
}

pub fn run(session: &Session, request: SurveyRequest) -> Result<Report<SurveyedPath>, JobError> {
    survey::survey(session, request.terminal, request.fail_on)
}

/// What a survey found on the machine of a snapshot.
pub fn recorded(snapshot: &Snapshot, fail_on: Severity) -> Result<Report<SurveyedPath>, SnapshotError> {
    let survey = snapshot.survey.as_ref();
    Ok(survey.ok_or_else(|| SnapshotError::not_recorded(snapshot, "survey"))?.report(fail_on))
}
