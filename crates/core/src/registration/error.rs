//! Why the stores could not be brought to what the cards say.

use crate::error::{FileError, classified};
use crate::machine::Machine;
use crate::scope::Scope;
use crate::store::registry::{self, RegistryError};
use crate::store::{StoreError, StorePlanError};
use crate::system::System;
use crate::yard::{self, YardError};

#[derive(Debug, thiserror::Error)]
pub enum RegistrationError {
    #[error(transparent)]
    Yard(#[from] YardError),
    #[error(transparent)]
    Store(#[from] StorePlanError),
    #[error(transparent)]
    File(#[from] FileError),
}

classified!(RegistrationError {} from Yard, Store, File);

impl From<StoreError> for RegistrationError {
    fn from(error: StoreError) -> Self {
        Self::Store(error.into())
    }
}

impl From<RegistryError> for RegistrationError {
    fn from(error: RegistryError) -> Self {
        Self::Store(error.into())
    }
}

/// Whether PATH of this scope can be changed with these rights; looked at before anything is written.
pub fn check_scope(machine: &Machine, scope: Scope) -> Result<(), RegistrationError> {
    match machine.system() {
        System::Unix => Ok(yard::check_rights(machine)?),
        System::Windows => Ok(registry::check_rights(machine, scope)?),
    }
}
