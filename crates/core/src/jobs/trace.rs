//! `trace`: what a command name means to each caller. A name that nothing answers to makes the report fail.

use crate::report::Report;
use crate::session::{Session, SessionError};
pub use crate::trace::TraceRequest;
use crate::trace::{self, TracedCommands};

/// Traces the names.
///
/// # Errors
/// When the yard or its settings cannot be read, or the user asked to stop.
pub fn run(session: &Session, request: &TraceRequest) -> Result<Report<TracedCommands>, SessionError> {
    trace::trace(session, request)
}
