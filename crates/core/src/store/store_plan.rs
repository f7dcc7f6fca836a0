//! A change of this system's stores, whichever kind they are.

use std::path::Path;

use serde::Serialize;

use super::registry::{RegistryError, RegistryPlan, ValueChange};
use super::startup_plan::{Action, StartupChange, StartupPlan, StoreError};
use crate::change::Changeset;
use crate::error::classified;
use crate::finding::Finding;
use crate::scope::Scope;

/// A planned change; [`StorePlan::changeset`] says how it is made.
#[derive(Debug)]
#[must_use = "a plan changes nothing until it is carried out"]
pub enum StorePlan {
    Startup(StartupPlan),
    /// Of the registry's keys, each for itself.
    Registry(Vec<RegistryPlan>),
}

#[derive(Debug, thiserror::Error)]
pub enum StorePlanError {
    #[error(transparent)]
    Startup(#[from] StoreError),
    #[error(transparent)]
    Registry(#[from] RegistryError),
}

classified!(StorePlanError {} from Startup, Registry);

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct RegistryChange {
    pub name: String,
    /// Its raw text before; null where it was not there.
    pub before: Option<String>,
    /// Its raw text after; null where it goes.
    pub after: Option<String>,
}

/// What happens to the stores of this system.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct StoreChanges {
    pub startup_files: Vec<StartupChange>,
    pub registry_values: Vec<RegistryChange>,
}

impl StoreChanges {
    pub fn is_empty(&self) -> bool {
        self.startup_files.iter().all(|change| change.action == Action::Keep) && self.registry_values.is_empty()
    }
}

impl From<&ValueChange> for RegistryChange {
    fn from(change: &ValueChange) -> Self {
        let text = |value: &Option<crate::registry::RegistryValue>| value.as_ref().map(|v| v.text.clone());
        Self { name: change.name.clone(), before: text(&change.before), after: text(&change.after) }
    }
}

impl StorePlan {
    pub fn changes(&self) -> StoreChanges {
        match self {
            Self::Startup(plan) => StoreChanges { startup_files: plan.changes.clone(), ..StoreChanges::default() },
            Self::Registry(plans) => {
                let values = plans.iter().flat_map(|plan| &plan.changes).map(RegistryChange::from);
                StoreChanges { registry_values: values.collect(), ..StoreChanges::default() }
            }
        }
    }

    pub fn findings(&self) -> Vec<Finding> {
        match self {
            Self::Startup(_) => Vec::new(),
            Self::Registry(plans) => plans.iter().flat_map(|p| p.findings.clone()).collect(),
        }
    }

    pub fn of_registry(&self, scope: Scope) -> Option<&RegistryPlan> {
        match self {
            Self::Startup(_) => None,
            Self::Registry(plans) => plans.iter().find(|plan| plan.scope == scope),
        }
    }

    /// The change as operations; startup files are kept in `kept` before their first one.
    pub fn changeset(&self, kept: &Path) -> Result<Changeset, StorePlanError> {
        match self {
            Self::Startup(plan) => Ok(plan.changeset(kept)?),
            Self::Registry(plans) => {
                let mut changeset = Changeset::default();
                for plan in plans {
                    changeset.extend(plan.changeset());
                }
                Ok(changeset)
            }
        }
    }
}
