//! The job: what is retired, and how.

use std::time::Duration;

use super::error::RetireError;
use super::report::{Retired, UninstallPlan};
use super::retired::{empty_retired, retire};
use super::uninstall::uninstall;
use crate::installer::{self, uninstaller};
use crate::jobs::consent::Consent;
use crate::report::{Report, ReportPath};
use crate::session::{JobError, Session};

/// What is asked of `retire`.
#[derive(Debug, Clone)]
pub enum RetireRequest {
    Tool {
        tool: String,
        /// Whether its own uninstaller is run, and how; `None` where its folder is only set aside.
        uninstall: Option<UninstallOptions>,
        dry_run: bool,
    },
    /// Delete the folders of all retired tools.
    Empty { dry_run: bool },
}

#[derive(Debug, Clone, Copy)]
pub struct UninstallOptions {
    pub agreed: bool,
    /// How long it may take, if not as long as is usual.
    pub limit: Option<Duration>,
}

/// Retires a tool, or removes what was retired. `consents` is asked whether an uninstaller may be run, given its command.
///
/// # Errors
/// When there is no such tool, it has no uninstaller, or something is in the way; nothing is changed then.
pub fn run(
    session: &Session,
    request: &RetireRequest,
    consents: &dyn Fn(&[ReportPath]) -> Consent,
) -> Result<Report<Retired>, JobError> {
    match request {
        RetireRequest::Empty { dry_run } => Ok(Report::new(Retired::Tool(Box::new(empty_retired(session, *dry_run)?)))),
        RetireRequest::Tool { tool, uninstall: None, dry_run } => {
            Ok(Report::new(Retired::Tool(Box::new(retire(session, tool, *dry_run)?))))
        }
        RetireRequest::Tool { tool, uninstall: Some(options), dry_run } => {
            let stock = session.stock()?;
            let command = uninstaller(stock.find(tool)?, session.system());
            let command = command.ok_or_else(|| RetireError::NoUninstaller(tool.clone()))?;
            if *dry_run {
                return Ok(Report::new(Retired::Plan(UninstallPlan { tool: tool.clone(), command })));
            }
            if !options.agreed {
                match consents(&command) {
                    Consent::Given => {}
                    Consent::Refused => return Err(RetireError::NotAgreed.into()),
                    Consent::NobodyToAsk => return Err(RetireError::NobodyToAsk.into()),
                }
            }
            Ok(uninstall(session, tool, command, options.limit.unwrap_or(installer::USUAL_LIMIT))?
                .map(|done| Retired::Uninstalled(Box::new(done))))
        }
    }
}
