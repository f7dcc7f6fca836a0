//! Why the registry's environment cannot be changed.

use crate::error::{FileError, classified};
use crate::machine::Machine;
use crate::scope::Scope;

/// The most characters a variable can hold ("Environment Variables", limits).
pub(super) const MOST: usize = 32_767;
#[derive(Debug, thiserror::Error)]
pub enum RegistryError {
    #[error(transparent)]
    Key(#[from] FileError),
    /// A value is no text, so that an edit could lose something.
    #[error("the value {name} in {key} cannot be edited without loss; nothing was changed")]
    NotText { key: String, name: String },
    #[error("Path in {key} would have {length} characters; the system allows {MOST}; nothing was changed")]
    TooLong { key: String, length: usize },
    #[error("{folder} cannot be a PATH entry: it contains a \";\", a quote, or a \"%\" that would be expanded")]
    Folder { folder: String },
    /// The scope needs rights that this process does not have.
    #[error("{key} requires administrator rights; nothing was changed")]
    NotElevated { key: String, command: String },
}

classified!(RegistryError {
    Self::TooLong { .. } => Machine, "remove entries that you no longer need";
    Self::Folder { .. } => Call, "choose another folder with --yard DIR";
    Self::NotElevated { command, .. } => Machine, format!("in an elevated terminal, run: {command}");
    _ => Machine;
});

/// Whether this call may write the environment of a scope.
pub fn check_rights(machine: &Machine, scope: Scope) -> Result<(), RegistryError> {
    let place = machine.registry().of_scope(scope);
    if place.may_write() {
        return Ok(());
    }
    Err(RegistryError::NotElevated { key: place.to_string(), command: machine.elevated_command_line.clone() })
}
