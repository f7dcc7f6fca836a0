//! `survey`: the health of the whole PATH.

use crate::finding::Severity;
use crate::report::Report;
use crate::session::{Session, SessionError};
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
