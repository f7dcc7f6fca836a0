//! The two keys, or their stand-ins in a sandbox.

use std::path::Path;

use sha2::{Digest as _, Sha256};

use super::environment::RegistryEnvironments;
use super::plan::RegistryError;
use super::value::RegistryKey;
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::yard::Scope;

/// The user's environment ("Environment Variables", `HKEY_CURRENT_USER\Environment`).
const USER: &str = "Environment";
/// The system's, under `HKEY_LOCAL_MACHINE`.
const SYSTEM: &str = r"SYSTEM\CurrentControlSet\Control\Session Manager\Environment";
/// Where sandboxes have theirs, under `HKEY_CURRENT_USER`.
const SANDBOXES: &str = r"Software\Wagon Yard";

/// Which keys to read and write.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keys {
    sandbox: Option<String>,
}

impl Keys {
    /// The real ones, or those of a sandbox folder.
    #[must_use]
    pub fn of(sandbox: Option<&Path>) -> Self {
        let name = |folder: &Path| {
            let digest = Sha256::digest(folder.as_os_str().as_encoded_bytes());
            digest.iter().take(8).map(|byte| format!("{byte:02x}")).collect::<String>()
        };
        Self { sandbox: sandbox.map(|folder| format!(r"{SANDBOXES}\{}", name(folder))) }
    }

    /// Whether the key is machine-wide, and its path.
    #[must_use]
    pub fn place(&self, scope: Scope) -> (bool, String) {
        match (&self.sandbox, scope) {
            (None, Scope::User) => (false, USER.to_owned()),
            (None, Scope::System) => (true, SYSTEM.to_owned()),
            (Some(sandbox), Scope::User) => (false, format!(r"{sandbox}\User")),
            (Some(sandbox), Scope::System) => (false, format!(r"{sandbox}\System")),
        }
    }

    /// The key in words, for messages.
    #[must_use]
    pub fn words(&self, scope: Scope) -> String {
        let (machine_wide, key) = self.place(scope);
        format!(r"{}\{key}", if machine_wide { "HKEY_LOCAL_MACHINE" } else { "HKEY_CURRENT_USER" })
    }

    /// Whether this process may write the key of a scope.
    ///
    /// # Errors
    /// When it may not.
    pub fn check_rights(&self, scope: Scope) -> Result<(), RegistryError> {
        let (machine_wide, place) = self.place(scope);
        if os::may_write_registry(machine_wide, &place) {
            return Ok(());
        }
        Err(RegistryError::NotElevated { key: self.words(scope) })
    }

    /// Removes a sandbox's keys, and the key above them when it was the last; the real ones are never removed.
    ///
    /// # Errors
    /// When the system refuses.
    pub fn remove_sandbox(&self) -> Result<(), FileError> {
        let Some(key) = &self.sandbox else { return Ok(()) };
        os::remove_registry_key(key).at("remove the registry key", Path::new(key))?;
        os::remove_registry_key_if_empty(SANDBOXES).at("remove the registry key", Path::new(SANDBOXES))
    }
}

/// Reads both keys.
///
/// # Errors
/// When one cannot be read.
pub fn read(keys: &Keys) -> Result<RegistryEnvironments, FileError> {
    let one = |scope| {
        let (machine_wide, key) = keys.place(scope);
        os::registry_values(machine_wide, &key)
            .at("read the registry key", Path::new(&keys.words(scope)))
            .map(RegistryKey)
    };
    Ok(RegistryEnvironments { system: one(Scope::System)?, user: one(Scope::User)? })
}
