//! `survey`: the health of the whole PATH.

use crate::finding::Severity;
use crate::report::Report;
use crate::session::{Session, SessionError};
use crate::snapshot::{Snapshot, SnapshotError};
use crate::survey::{self, SurveyedPath};
use crate::terminal::TerminalKind;

/// What is asked of `survey`.
#[derive(Debug, Clone, Copy)]
pub struct SurveyRequest {
    /// Whose PATH to look at.
    pub terminal: TerminalKind,
    /// From which severity on the report fails.
    pub fail_on: Severity,
}

/// Surveys PATH.
///
/// # Errors
/// When records or the registry cannot be read, or the user asked to stop.
pub fn run(session: &Session, request: SurveyRequest) -> Result<Report<SurveyedPath>, SessionError> {
    survey::survey(session, request.terminal, request.fail_on)
}

/// What a survey found on the machine of a snapshot.
///
/// # Errors
/// When no survey is recorded in it.
pub fn recorded(snapshot: &Snapshot, fail_on: Severity) -> Result<Report<SurveyedPath>, SnapshotError> {
    let survey = snapshot.survey.as_ref();
    Ok(survey.ok_or_else(|| SnapshotError::not_recorded(snapshot, "survey"))?.report(fail_on))
}
