//! `switch`: putting another received version of a tool in service.

use serde::Serialize;

use super::register::{self, RegisterError, RegisteredTool, Registering};
use crate::check::{CheckError, ToolCheck, check};
use crate::error::{Blame, Blamed};
use crate::registration::RegistrationError;
use crate::report::{Report, ReportBody};
use crate::scope::Scope;
use crate::session::{Session, SessionError, meets_session};
use crate::yard::YardError;

/// What is asked of `switch`.
#[derive(Debug, Clone)]
pub struct SwitchRequest {
    /// The tool.
    pub name: String,
    /// The version.
    pub version: String,
    /// Whether only the plan is wanted.
    pub dry_run: bool,
}

/// What happened to the stores, and what new terminals make of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SwitchedTool {
    /// What happens to the stores.
    #[serde(flatten)]
    pub registered: RegisteredTool,
    /// The version that was in service before; null where none was registered.
    pub was: Option<String>,
    /// The check in new terminals; null for a dry run.
    pub check: Option<ToolCheck>,
}

impl ReportBody for SwitchedTool {
    fn name(&self) -> &'static str {
        self.registered.name()
    }
}

/// Why a version could not be put in service.
#[derive(Debug, thiserror::Error)]
pub enum SwitchError {
    /// The stores.
    #[error(transparent)]
    Register(#[from] RegisterError),
    /// The check.
    #[error(transparent)]
    Check(#[from] CheckError),
    /// What any job can meet.
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(SwitchError: YardError, RegistrationError);

impl Blamed for SwitchError {
    fn blame(&self) -> Blame {
        match self {
            Self::Register(e) => e.blame(),
            Self::Check(e) => e.blame(),
            Self::Session(e) => e.blame(),
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Register(e) => e.hint(),
            Self::Check(e) => e.hint(),
            Self::Session(e) => e.hint(),
        }
    }
}

/// Puts a version in service in place of the one that is: in the same scope and with the same home variables, in one
/// change of each store; then checks it.
///
/// # Errors
/// When there is no such version, or something is in the way; nothing is changed then.
pub fn run(session: &Session, request: &SwitchRequest) -> Result<Report<SwitchedTool>, SwitchError> {
    let wanted = format!("{}@{}", request.name, request.version);
    // Looked for before the lock, so that a wrong name makes no yard.
    session.stock()?.find(&wanted)?;
    if !request.dry_run {
        session.check_scope(Scope::User)?;
    }
    let lock = session.lock_unless(request.dry_run)?;
    let stock = session.cards()?;
    let card = stock.find(&wanted)?.clone();
    let present = stock.find(&request.name)?;
    let was = present.registration.is_some().then(|| present.version.to_string());
    let registered = register::change(session, &stock, card.clone(), Registering::Switch, lock)?;
    let findings = registered.findings.clone();
    let mut switched = SwitchedTool { registered: registered.into_body(), was, check: None };
    if request.dry_run {
        return Ok(Report::new(switched).with_findings(findings));
    }
    let checked = check(session, &[session.stock()?.find(&wanted)?.clone()], true)?;
    let verdict = checked.verdict;
    switched.check = checked.into_body().tools.into_iter().next();
    Ok(Report::new(switched).with_verdict(verdict).with_findings(findings))
}
