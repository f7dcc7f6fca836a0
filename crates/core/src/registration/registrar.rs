//! Plans of the stores, and what carries them out.

use super::error::RegistrationError;
use crate::change::Changeset;
use crate::clock;
use crate::naming::Variable;
use crate::scope::Scope;
use crate::store::registry::{self, RegistryPlan, Tool};
use crate::store::{StartupPlan, StorePlan};
use crate::system::System;
use crate::terminal::{self, Asking};
use crate::yard::{Card, OwnEntry, Registered, Registration, Stock, Yard};

pub fn registration(scope: Scope, home_variables: Vec<Variable>) -> Registration {
    Registration { scope, since: clock::now(), home_variables, replaced: Vec::new(), were_there: Vec::new() }
}

/// Plans the stores from the cards, and says what carries a plan out.
#[derive(Debug)]
pub struct Registrar<'a> {
    pub yard: &'a Yard,
    /// The stock as it is; every card of it has to be read.
    pub stock: &'a Stock,
    /// The shells that are asked where their startup files are.
    pub asking: Asking<'a>,
}

impl Registrar<'_> {
    /// Plans the stores with one tool put first (in place of its other versions), or one taken out.
    ///
    /// # Errors
    /// When a card or a store is in the way; nothing is changed then.
    pub fn plan(&self, put: Option<&Card>, taken: Option<&Card>) -> Result<StorePlan, RegistrationError> {
        let same = |a: &Card, b: Option<&Card>| b.is_some_and(|b| a.name == b.name);
        let registered = self.stock.registered();
        let (leaving, staying): (Vec<&Card>, Vec<&Card>) =
            registered.into_iter().partition(|card| same(card, put) || same(card, taken));
        Ok(match self.asking.machine.system() {
            System::Unix => {
                let tools: Vec<&Card> = put.into_iter().chain(staying).collect();
                StorePlan::Startup(self.plan_startup(&tools, &self.yard.own_entries()?)?)
            }
            System::Windows => StorePlan::Registry(self.plan_registry(put, &leaving, &staying)?),
        })
    }

    /// Plans the startup files for the registered tools of the stock and these entries of the user's own.
    ///
    /// # Errors
    /// When a card or a file is in the way; nothing is changed then.
    pub fn plan_startup_files(&self, own: &[OwnEntry]) -> Result<StartupPlan, RegistrationError> {
        self.plan_startup(&self.stock.registered(), own)
    }

    fn plan_startup(&self, tools: &[&Card], own: &[OwnEntry]) -> Result<StartupPlan, RegistrationError> {
        let tools: Vec<_> = tools.iter().filter_map(|card| self.yard.registered(card)).collect();
        let shells: Vec<_> = self.asking.shells.iter().map(|s| s.shell).collect();
        let folders = self.asking.startup_folders();
        Ok(StartupPlan::make(&self.yard.terminal(), &tools, own, &shells, &folders)?)
    }

    /// One plan for each scope that is touched. None is made unless all can be.
    fn plan_registry(
        &self,
        put: Option<&Card>,
        leaving: &[&Card],
        staying: &[&Card],
    ) -> Result<Vec<RegistryPlan>, RegistrationError> {
        let machine = self.asking.machine;
        let places = machine.registry();
        let background = terminal::background(machine)?;
        let mut plans = Vec::new();
        for scope in Scope::ALL {
            let here = |card: &&Card| card.registration.as_ref().is_some_and(|r| r.scope == scope);
            let tool = |card: &Card| Some((self.yard.registered(card)?, card.registration.clone()?));
            let leaving: Vec<_> = leaving.iter().copied().filter(here).filter_map(tool).collect();
            let put = put.filter(here).and_then(tool);
            if leaving.is_empty() && put.is_none() {
                continue;
            }
            let last = put.is_none() && !staying.iter().any(here);
            let restore = if last { self.yard.path_before(scope)? } else { None };
            let taken: Vec<Tool<'_>> = leaving.iter().map(as_tool).collect();
            let plan = RegistryPlan::make(&places, scope, &background, &taken, put.as_ref().map(as_tool), restore)?;
            if !plan.changes.is_empty() {
                registry::check_rights(machine, scope)?;
            }
            plans.push(plan);
        }
        Ok(plans)
    }

    /// What carries a plan out, the cards first: what they say can be put into the stores again at any time. `put` is the
    /// card of the tool that is put first, `taken` that of one that is taken out.
    pub fn changeset(
        &self,
        plan: &StorePlan,
        put: Option<&Card>,
        taken: Option<&Card>,
    ) -> Result<Changeset, RegistrationError> {
        let mut changeset = Changeset::default();
        let mut written: Vec<Card> = Vec::new();
        let mut now_is = Vec::new();
        if let Some(put) = put {
            for other in self.stock.iter().filter(|c| c.name == put.name && c.version != put.version) {
                if other.registration.is_some() {
                    written.push(Card { registration: None, ..other.clone() });
                }
            }
            let mut put = put.clone();
            if let Some(registration) = &mut put.registration
                && let Some(plan) = plan.of_registry(registration.scope)
            {
                registration.replaced.clone_from(&plan.replaced);
                registration.were_there.clone_from(&plan.were_there);
                now_is.push((registration.scope, plan.path_is));
            }
            written.push(put);
        }
        written.extend(taken.map(|taken| Card { registration: None, ..taken.clone() }));
        for card in &written {
            self.yard.put_card(&mut changeset, card)?;
        }
        self.yard.put_path_before(&mut changeset, &now_is, &self.stock.clone().with(written))?;
        changeset.extend(plan.changeset(&self.yard.startup_before())?);
        Ok(changeset)
    }
}

fn as_tool((registered, registration): &(Registered, Registration)) -> Tool<'_> {
    Tool { registered, replaced: &registration.replaced, were_there: &registration.were_there }
}
