//! Putting a tool's command folders and home variables into the stores, and taking them out.

use serde::Serialize;

use super::ReceiveError;
use crate::layout::Variable;
use crate::machine::Machine;
use crate::progress::Stop;
use crate::store::{Action, RegistrationPlan, StartupChange, StoreError};
use crate::terminal::{self, Asking, InstalledShell};
use crate::yard::{Card, Registration, Scope, Settings, Yard};

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
}

/// The moment, in RFC 3339 with microseconds.
#[must_use]
pub fn now() -> String {
    jiff::Timestamp::now().round(jiff::Unit::Microsecond).unwrap_or_else(|_| jiff::Timestamp::now()).to_string()
}

pub(super) fn registration(home_variables: Vec<Variable>) -> Registration {
    Registration { scope: Scope::User, since: now(), home_variables }
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
        Self { machine, yard, settings, shells: terminal::installed(&settings.shells), stop }
    }

    /// Plans the stores with one tool put first (in place of its other versions), or one taken out.
    ///
    /// # Errors
    /// When a card or a startup file is in the way; nothing is changed then.
    pub fn plan(&self, put: Option<&Card>, taken: Option<&Card>) -> Result<RegistrationPlan, ReceiveError> {
        let same = |a: &Card, b: Option<&Card>| b.is_some_and(|b| a.name == b.name);
        let mut cards = self.yard.cards()?;
        cards.retain(|c| c.registration.is_some() && !same(c, put) && !same(c, taken));
        cards.sort_by(|a, b| since(b).cmp(since(a)));
        let tools: Vec<_> = put.into_iter().chain(&cards).filter_map(|c| self.yard.registered(c)).collect();
        let asking =
            Asking { machine: self.machine, shells: &self.shells, limit: self.settings.shell_limit(), stop: self.stop };
        let shells: Vec<_> = self.shells.iter().map(|s| s.shell).collect();
        let folders = asking.startup_folders();
        let terminal = self.yard.terminal();
        Ok(RegistrationPlan::make(&terminal, &tools, &shells, &folders).map_err(|e: StoreError| e)?)
    }

    /// Makes the change. The cards come first: what they say can be put into the stores again at any time.
    ///
    /// # Errors
    /// When a card or a startup file cannot be written.
    pub fn apply(&self, plan: RegistrationPlan, put: Option<&Card>) -> Result<(), ReceiveError> {
        if let Some(put) = put {
            let others = self.yard.cards()?;
            for mut other in others.into_iter().filter(|c| c.name == put.name && c.version != put.version) {
                if other.registration.take().is_some() {
                    self.yard.write_card(&other)?;
                }
            }
            self.yard.write_card(put)?;
        }
        Ok(plan.apply()?)
    }
}

fn since(card: &Card) -> &str {
    card.registration.as_ref().map_or("", |r| r.since.as_str())
}

/// Registers a tool that is in the yard.
///
/// # Errors
/// When there is no such tool, or something is in the way.
pub fn register(machine: &Machine, wanted: &str, dry_run: bool, stop: &Stop) -> Result<RegisterReport, ReceiveError> {
    change(machine, wanted, dry_run, stop, "register", |card| {
        let variables = match card.registration.take() {
            Some(registration) => registration.home_variables,
            None => vec![card.name.home_variable().map_err(ReceiveError::HomeVariable)?],
        };
        card.registration = Some(registration(variables));
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
    let yard = Yard::at(&machine.yard);
    let settings = yard.settings()?;
    // Looked for before the lock, so that a wrong name makes no yard.
    yard.find(wanted)?;
    let _lock = if dry_run { None } else { Some(yard.lock()?) };
    let mut card = yard.find(wanted)?;
    let was_registered = card.registration.is_some();
    edit(&mut card)?;
    let registrar = Registrar::new(machine, &yard, &settings, stop);
    let adding = card.registration.is_some();
    // An unregistered version must not take out the one of the same name that is in service.
    let nothing_to_do = !adding && !was_registered;
    let plan = if adding { registrar.plan(Some(&card), None)? } else { registrar.plan(None, Some(&card))? };
    let startup_files: Vec<StartupChange> = if nothing_to_do { Vec::new() } else { plan.changes.clone() };
    let touched = startup_files.iter().any(|c| c.action != Action::Keep);
    if !dry_run && !nothing_to_do {
        registrar.apply(plan, adding.then_some(&card))?;
        if !adding {
            yard.write_card(&card)?;
        }
    }
    Ok(RegisterReport {
        format: 1,
        report,
        dry_run,
        name: card.name.to_string(),
        version: card.version.to_string(),
        changed: touched || was_registered != adding,
        scope: Scope::User,
        startup_files,
    })
}
