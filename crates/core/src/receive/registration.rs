//! Putting a tool's command folders and home variables into the stores, and taking them out.

use serde::Serialize;

use super::ReceiveError;
use crate::finding::Finding;
use crate::layout::Variable;
use crate::machine::Machine;
use crate::os;
use crate::progress::Stop;
use crate::store::registry::{Keys, RegistryPlan, Replaced, Tool};
use crate::store::{
    Action, OwnEntry, Registered, RegistrationPlan, RegistryChange, StartupChange, StorePlan, StorePlanError,
};
use crate::system::System;
use crate::terminal::{self, Asking, InstalledShell};
use crate::yard::{Acts, Card, Change, Registration, Scope, Settings, Yard};

/// The report of `register` and `unregister`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct RegisterReport {
    /// The format number.
    pub format: u32,
    /// `register` or `unregister`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Whether anything had to be changed.
    pub changed: bool,
    /// Whose PATH.
    pub scope: Scope,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// The moment, in RFC 3339 with microseconds.
#[must_use]
pub fn now() -> String {
    jiff::Timestamp::now().round(jiff::Unit::Microsecond).unwrap_or_else(|_| jiff::Timestamp::now()).to_string()
}

pub(super) fn registration(scope: Scope, home_variables: Vec<Variable>) -> Registration {
    Registration { scope, since: now(), home_variables, replaced: Vec::new() }
}

/// Whether PATH of this scope can be changed with these rights; looked at before anything is written.
///
/// # Errors
/// When it cannot.
pub(super) fn check_scope(machine: &Machine, scope: Scope) -> Result<(), ReceiveError> {
    match os::HERE {
        System::Unix => Ok(Yard::of(machine).check_rights()?),
        System::Windows => {
            Ok(Keys::of(machine.sandbox.as_deref()).check_rights(scope).map_err(StorePlanError::from)?)
        }
    }
}

/// Plans and makes changes of the stores from the cards.
#[derive(Debug)]
pub struct Registrar<'a> {
    machine: &'a Machine,
    yard: &'a Yard,
    settings: &'a Settings,
    shells: Vec<InstalledShell>,
    stop: &'a Stop,
}

impl<'a> Registrar<'a> {
    /// For this machine and yard.
    #[must_use]
    pub fn new(machine: &'a Machine, yard: &'a Yard, settings: &'a Settings, stop: &'a Stop) -> Self {
        Self { machine, yard, settings, shells: terminal::installed(machine, &settings.shells), stop }
    }

    /// Plans the stores with one tool put first (in place of its other versions), or one taken out.
    ///
    /// # Errors
    /// When a card or a store is in the way; nothing is changed then.
    pub fn plan(&self, put: Option<&Card>, taken: Option<&Card>) -> Result<StorePlan, ReceiveError> {
        let same = |a: &Card, b: Option<&Card>| b.is_some_and(|b| a.name == b.name);
        let mut staying = self.yard.cards()?;
        staying.retain(|c| c.registration.is_some());
        let leaving: Vec<Card> = staying.extract_if(.., |c| same(c, put) || same(c, taken)).collect();
        staying.sort_by(|a, b| since(b).cmp(since(a)));
        Ok(match os::HERE {
            System::Unix => StorePlan::Startup(self.plan_startup(put, &staying, &self.yard.own_entries()?)?),
            System::Windows => StorePlan::Registry(self.plan_registry(put, &leaving, &staying)?),
        })
    }

    /// Plans the startup files with the registered tools as they are and other entries of the user's own.
    ///
    /// # Errors
    /// When a card or a file is in the way; nothing is changed then.
    pub fn plan_own(&self, own: &[OwnEntry]) -> Result<StorePlan, ReceiveError> {
        let mut cards = self.yard.cards()?;
        cards.retain(|card| card.registration.is_some());
        Ok(StorePlan::Startup(self.plan_cards(cards, own)?))
    }

    /// Plans the startup files for these registered tools.
    pub(super) fn plan_cards(&self, mut cards: Vec<Card>, own: &[OwnEntry]) -> Result<RegistrationPlan, ReceiveError> {
        cards.sort_by(|a, b| since(b).cmp(since(a)));
        self.plan_startup(None, &cards, own)
    }

    fn plan_startup(
        &self,
        put: Option<&Card>,
        staying: &[Card],
        own: &[OwnEntry],
    ) -> Result<RegistrationPlan, ReceiveError> {
        let tools: Vec<_> = put.into_iter().chain(staying).filter_map(|c| self.yard.registered(c)).collect();
        let asking =
            Asking { machine: self.machine, shells: &self.shells, limit: self.settings.shell_limit(), stop: self.stop };
        let shells: Vec<_> = self.shells.iter().map(|s| s.shell).collect();
        let plan = RegistrationPlan::make(&self.yard.terminal(), &tools, own, &shells, &asking.startup_folders());
        Ok(plan.map_err(StorePlanError::from)?)
    }

    /// One plan for each scope that is touched. None is made unless all can be.
    fn plan_registry(
        &self,
        put: Option<&Card>,
        leaving: &[Card],
        staying: &[Card],
    ) -> Result<Vec<RegistryPlan>, ReceiveError> {
        let keys = Keys::of(self.machine.sandbox.as_deref());
        let background = terminal::background(self.machine)?;
        let mut plans = Vec::new();
        for scope in Scope::ALL {
            let here = |card: &&Card| card.registration.as_ref().is_some_and(|r| r.scope == scope);
            let tool = |card: &Card| Some((self.yard.registered(card)?, card.registration.as_ref()?.replaced.clone()));
            let leaving: Vec<_> = leaving.iter().filter(here).filter_map(tool).collect();
            let put = put.filter(here).and_then(tool);
            if leaving.is_empty() && put.is_none() {
                continue;
            }
            let last = put.is_none() && !staying.iter().any(|card| here(&card));
            let restore = if last { self.yard.path_before(scope)? } else { None };
            let taken: Vec<Tool<'_>> = leaving.iter().map(as_tool).collect();
            let plan = RegistryPlan::make(&keys, scope, &background, &taken, put.as_ref().map(as_tool), restore);
            plans.push(plan.map_err(StorePlanError::from)?);
        }
        Ok(plans)
    }

    /// The change as acts, the cards first: what they say can be put into the stores again at any time. `put` is the card
    /// of the tool that is put first, `taken` that of one that is taken out.
    ///
    /// # Errors
    /// When a record or a file cannot be read.
    pub fn acts(&self, plan: &StorePlan, put: Option<&Card>, taken: Option<&Card>) -> Result<Acts, ReceiveError> {
        let mut acts = Acts::default();
        let mut cards = self.yard.cards()?;
        let mut written: Vec<Card> = Vec::new();
        let mut now_is = Vec::new();
        if let Some(put) = put {
            for other in cards.iter().filter(|c| c.name == put.name && c.version != put.version) {
                if other.registration.is_some() {
                    written.push(Card { registration: None, ..other.clone() });
                }
            }
            let mut put = put.clone();
            if let Some(registration) = &mut put.registration
                && let Some((replaced, path_is)) = plan.to_be_kept(registration.scope)
            {
                registration.replaced = replaced;
                now_is.push((registration.scope, path_is));
            }
            written.push(put);
        }
        written.extend(taken.map(|taken| Card { registration: None, ..taken.clone() }));
        for card in &written {
            self.yard.put_card(&mut acts, card)?;
        }
        cards.retain(|card| !written.iter().any(|w| (&w.name, &w.version) == (&card.name, &card.version)));
        cards.extend(written);
        self.yard.put_path_before(&mut acts, &now_is, &cards)?;
        acts.extend(plan.acts(&self.yard.startup_before())?);
        Ok(acts)
    }
}

fn as_tool((registered, replaced): &(Registered, Vec<Replaced>)) -> Tool<'_> {
    Tool { registered, replaced }
}

fn since(card: &Card) -> &str {
    card.registration.as_ref().map_or("", |r| r.since.as_str())
}

/// Registers a tool that is in the yard: in the scope given, else in the one it is in, else in the user's.
///
/// # Errors
/// When there is no such tool, or something is in the way.
pub fn register(
    machine: &Machine,
    wanted: &str,
    scope: Option<Scope>,
    dry_run: bool,
    stop: &Stop,
) -> Result<RegisterReport, ReceiveError> {
    put(machine, wanted, scope, dry_run, stop, "register")
}

/// Registers a tool: where it is not, with the home variables of its version in service, or the usual one.
pub(super) fn put(
    machine: &Machine,
    wanted: &str,
    scope: Option<Scope>,
    dry_run: bool,
    stop: &Stop,
    report: &'static str,
) -> Result<RegisterReport, ReceiveError> {
    if !dry_run {
        check_scope(machine, scope.unwrap_or(Scope::User))?;
    }
    change(machine, wanted, dry_run, stop, report, |card| {
        let in_service = || Yard::of(machine).find(&card.name.to_string()).ok()?.registration;
        let (was_in, variables) = match card.registration.take().or_else(in_service) {
            Some(registration) => (registration.scope, registration.home_variables),
            None => (machine.scope, vec![card.name.home_variable().map_err(ReceiveError::HomeVariable)?]),
        };
        card.registration = Some(registration(scope.unwrap_or(was_in), variables));
        Ok(())
    })
}

/// Takes a tool out of the stores again; it stays in the yard.
///
/// # Errors
/// When there is no such tool, or something is in the way.
pub fn unregister(machine: &Machine, wanted: &str, dry_run: bool, stop: &Stop) -> Result<RegisterReport, ReceiveError> {
    change(machine, wanted, dry_run, stop, "unregister", |card| {
        card.registration = None;
        Ok(())
    })
}

fn change(
    machine: &Machine,
    wanted: &str,
    dry_run: bool,
    stop: &Stop,
    report: &'static str,
    edit: impl Fn(&mut Card) -> Result<(), ReceiveError>,
) -> Result<RegisterReport, ReceiveError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    // Looked for before the lock, so that a wrong name makes no yard.
    yard.find(wanted)?;
    let lock = if dry_run { None } else { Some(yard.lock()?) };
    let mut card = yard.find(wanted)?;
    let was_registered = card.registration.is_some();
    let was_in = card.registration.as_ref().map(|r| r.scope);
    edit(&mut card)?;
    let registrar = Registrar::new(machine, &yard, &settings, stop);
    let adding = card.registration.is_some();
    // An unregistered version must not take out the one of the same name that is in service.
    let nothing_to_do = !adding && !was_registered;
    let plan = if adding { registrar.plan(Some(&card), None)? } else { registrar.plan(None, Some(&card))? };
    let (startup_files, registry_values) =
        if nothing_to_do { (Vec::new(), Vec::new()) } else { (plan.startup_files(), plan.registry_values()) };
    let touched = startup_files.iter().any(|c| c.action != Action::Keep) || !registry_values.is_empty();
    let findings = plan.findings();
    if let Some(lock) = lock.filter(|_| !nothing_to_do) {
        let acts = match adding {
            true => registrar.acts(&plan, Some(&card), None)?,
            false => registrar.acts(&plan, None, Some(&card))?,
        };
        let does = format!("{report} {} {}", card.name, card.version);
        lock.carry_out(Change { does, undoes: None, acts })?;
    }
    Ok(RegisterReport {
        format: 1,
        report,
        dry_run,
        name: card.name.to_string(),
        version: card.version.to_string(),
        changed: touched || was_registered != adding,
        scope: card.registration.as_ref().map(|r| r.scope).or(was_in).unwrap_or(Scope::User),
        startup_files,
        registry_values,
        findings,
    })
}
