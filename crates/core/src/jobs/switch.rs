//! `switch`: putting another received version of a tool in service.

use serde::Serialize;

use super::register::{self, RegisteredTool, Registering};
use crate::check::{ToolCheck, check};
use crate::jobs::preparing::{self, Preparation, PreparedReport, ToPrepare, homes};
use crate::prepare::{Placeholders, PrepareError};
use crate::report::{Report, ReportBody, Verdict};
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::yard::{Card, Stock};

/// What is asked of `switch`.
#[derive(Debug, Clone)]
pub struct SwitchRequest {
    pub name: String,
    pub version: String,
    pub dry_run: bool,
}

/// What happened to the stores, and what new terminals make of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct SwitchedTool {
    /// What happens to the stores.
    #[serde(flatten)]
    pub registered: RegisteredTool,
    /// The version that was in service before; null where none was registered.
    pub was: Option<String>,
    pub prepared: Vec<PreparedReport>,
    /// The check in new terminals; null for a dry run.
    pub check: Option<ToolCheck>,
}

impl ReportBody for SwitchedTool {
    fn name(&self) -> &'static str {
        self.registered.name()
    }

    fn verdict(&self) -> Option<Verdict> {
        self.check.as_ref().map(|check| check.verdict)
    }
}

/// Puts a version in service in place of the one that is: in the same scope and with the same home variables, in one
/// change of each store; then checks it.
///
/// # Errors
/// When there is no such version, or something is in the way; nothing is changed then.
pub fn run(session: &Session, request: &SwitchRequest) -> Result<Report<SwitchedTool>, JobError> {
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
    let prepared = carried_over(session, &stock, &card, present)?;
    let registered = register::change(session, &stock, card, Registering::Switch, Some(&prepared), lock)?;
    let findings = registered.findings.clone();
    let prepared = prepared.report();
    let mut switched = SwitchedTool { registered: registered.into_body(), was, prepared, check: None };
    if request.dry_run {
        return Ok(Report::new(switched).with_findings(findings));
    }
    let checked = check(session, &[session.stock()?.find(&wanted)?.clone()], true)?;
    switched.check = checked.into_body().tools.into_iter().next();
    Ok(Report::new(switched).with_findings(findings))
}

/// What is written into a version's home when it takes the place of the one in use.
fn carried_over(session: &Session, stock: &Stock, card: &Card, present: &Card) -> Result<Preparation, PrepareError> {
    let home = session.yard.home_of(card);
    let is_same = card.version == present.version;
    if card.prepare.is_empty() || is_same || !home.is_dir() {
        return Ok(Preparation::as_it_is(card));
    }
    let homes = homes(&session.yard, stock);
    let tool = ToPrepare {
        folder: &home,
        placeholders: Placeholders { home: home.clone(), version: card.version.clone(), homes },
        steps: Some(&card.prepare),
        launchers: &card.launchers,
        written: Some(&card.prepared),
        system: session.system(),
    };
    preparing::plan(&tool, Some(present), &session.yard)
}
