//! `register` and `unregister`: putting a tool's command folders and home variables into the stores, and taking them out.

use serde::Serialize;

use crate::change::Change;
use crate::error::classified;
use crate::jobs::preparing::Preparation;
use crate::naming::NameError;
use crate::registration::registration;
use crate::report::{Report, ReportBody};
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::store::StoreChanges;
use crate::yard::{Card, Stock, YardLock};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Registering {
    /// It is registered: in this scope, else in the one it is in, else in the user's.
    Register(Option<Scope>),
    /// It is taken out; it stays in the yard.
    Unregister,
    Switch,
}

impl Registering {
    fn name(self) -> &'static str {
        match self {
            Self::Register(_) => "register",
            Self::Unregister => "unregister",
            Self::Switch => "switch",
        }
    }
}

/// What is asked of `register` and `unregister`.
#[derive(Debug, Clone)]
pub struct RegisterRequest {
    pub tool: String,
    pub does: Registering,
    pub dry_run: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct RegisteredTool {
    #[serde(skip)]
    pub does: Registering,
    pub dry_run: bool,
    pub name: String,
    pub version: String,
    pub changed: bool,
    pub scope: Scope,
    #[serde(flatten)]
    pub stores: StoreChanges,
}

impl ReportBody for RegisteredTool {
    fn name(&self) -> &'static str {
        self.does.name()
    }
}

#[derive(Debug, thiserror::Error)]
pub enum RegisterError {
    #[error("no variable can be set to the tool's root")]
    HomeVariable(#[source] NameError),
}

classified!(RegisterError {
    Self::HomeVariable(_) => Call, "receive the tool again with --home-variable X or --no-home-variable";
});

/// Registers a tool that is in the yard, or takes it out of the stores again.
///
/// # Errors
/// When there is no such tool, or something is in the way; nothing is changed then.
pub fn run(session: &Session, request: &RegisterRequest) -> Result<Report<RegisteredTool>, JobError> {
    // Looked for before the lock, so that a wrong name makes no yard.
    session.stock()?.find(&request.tool)?;
    if !request.dry_run && request.does != Registering::Unregister {
        let scope = if let Registering::Register(Some(scope)) = request.does { scope } else { Scope::User };
        session.check_scope(scope)?;
    }
    let lock = session.lock_unless(request.dry_run)?;
    let stock = session.cards()?;
    let card = stock.find(&request.tool)?.clone();
    change(session, &stock, card, request.does, None, lock)
}

/// Changes the stores for a card of the stock, and what is prepared in its home; without a lock only what would be done is worked out.
pub(super) fn change(
    session: &Session,
    stock: &Stock,
    mut card: Card,
    does: Registering,
    prepared: Option<&Preparation>,
    lock: Option<YardLock>,
) -> Result<Report<RegisteredTool>, JobError> {
    let dry_run = lock.is_none();
    if let Some(prepared) = prepared {
        card.prepare.clone_from(&prepared.steps);
        card.prepared.clone_from(&prepared.written);
    }
    let was_registered = card.registration.is_some();
    let was_in = card.registration.as_ref().map(|r| r.scope);
    card.registration = match does {
        Registering::Unregister => None,
        Registering::Register(scope) => Some(anew(session, stock, &card, scope)?),
        Registering::Switch => Some(anew(session, stock, &card, None)?),
    };
    let adding = card.registration.is_some();
    // An unregistered version must not take out the one of the same name that is in service.
    let nothing_to_do = !adding && !was_registered;
    let registrar = session.registrar(stock)?;
    let (put, taken) = if adding { (Some(&card), None) } else { (None, Some(&card)) };
    let plan = registrar.plan(put, taken)?;
    let stores = if nothing_to_do { StoreChanges::default() } else { plan.changes() };
    if let Some(lock) = lock.filter(|_| !nothing_to_do) {
        let mut changeset = registrar.changeset(&plan, put, taken)?;
        if let Some(prepared) = prepared {
            prepared.changes(&mut changeset, &session.yard.home_of(&card));
        }
        let does = format!("{} {} {}", does.name(), card.name, card.version);
        lock.carry_out(Change { does, undoes: None, changeset })?;
    }
    let report = RegisteredTool {
        does,
        dry_run,
        name: card.name.to_string(),
        version: card.version.to_string(),
        changed: !stores.is_empty() || was_registered != adding,
        scope: card.registration.as_ref().map(|r| r.scope).or(was_in).unwrap_or(Scope::User),
        stores,
    };
    Ok(Report::new(report).with_findings(plan.findings()))
}

/// A registration of a tool: where it is not registered, with the home variables of its version in service, or the usual
/// one.
fn anew(
    session: &Session,
    stock: &Stock,
    card: &Card,
    scope: Option<Scope>,
) -> Result<crate::yard::Registration, JobError> {
    let in_service = || stock.find(card.name.as_str()).ok()?.registration.clone();
    let (was_in, variables) = match card.registration.clone().or_else(in_service) {
        Some(registration) => (registration.scope, registration.home_variables),
        None => (session.machine.scope, vec![card.name.home_variable().map_err(RegisterError::HomeVariable)?]),
    };
    Ok(registration(scope.unwrap_or(was_in), variables))
}
