//! Why the registry's environment cannot be changed.

use crate::error::{Blame, Blamed, FileError};
use crate::machine::Machine;
use crate::scope::Scope;

/// The most characters a variable can hold ("Environment Variables", limits).
pub(super) const MOST: usize = 32_767;
/// Why the registry cannot be changed.
#[derive(Debug, thiserror::Error)]
pub enum RegistryError {
    /// The key cannot be read or written.
    #[error(transparent)]
    Key(#[from] FileError),
    /// A value is no text, so that an edit could lose something.
    #[error("the value {name} in {key} is no text that could be edited without loss; nothing was changed")]
    NotText {
        /// The key.
        key: String,
        /// The value.
        name: String,
    },
    /// The value would be too long.
    #[error("Path in {key} would have {length} characters; the system allows {MOST}, and nothing was cut or changed")]
    TooLong {
        /// The key.
        key: String,
        /// The length it would have.
        length: usize,
    },
    /// No entry of PATH can mean this folder.
    #[error("no entry of PATH can mean {folder}: it holds a \";\", a quote, or a \"%\" that would be expanded")]
    Folder {
        /// The folder.
        folder: String,
    },
    /// The scope needs rights that this process does not have.
    #[error("{key} may not be written without more rights; nothing was changed")]
    NotElevated {
        /// The key.
        key: String,
        /// The call to repeat.
        command: String,
    },
}

impl Blamed for RegistryError {
    fn blame(&self) -> Blame {
        match self {
            Self::Folder { .. } => Blame::Call,
            _ => Blame::Machine,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::TooLong { .. } => Some("take entries out of Path that nobody needs any more".to_owned()),
            Self::Folder { .. } => Some("choose another folder with --yard DIR".to_owned()),
            Self::NotElevated { command, .. } => Some(format!("open an elevated terminal and repeat there: {command}")),
            Self::Key(_) | Self::NotText { .. } => None,
        }
    }
}

/// Whether this call may write the environment of a scope.
///
/// # Errors
/// When it may not.
pub fn check_rights(machine: &Machine, scope: Scope) -> Result<(), RegistryError> {
    let place = machine.registry().of_scope(scope);
    if place.may_write() {
        return Ok(());
    }
    Err(RegistryError::NotElevated { key: place.to_string(), command: machine.elevated_command_line.clone() })
}
