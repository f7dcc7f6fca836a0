//! The two keys that hold environments, or their stand-ins in a sandbox.

use std::fmt;
use std::path::{Path, PathBuf};

use sha2::{Digest as _, Sha256};

use super::value::RegistryKey;
use crate::error::{FileContext as _, FileError};
use crate::os::{self, RawValue};
use crate::scope::Scope;

pub use crate::os::Hive;

/// The user's environment ("Environment Variables", `HKEY_CURRENT_USER\Environment`).
const USER: &str = "Environment";
/// The system's, under `HKEY_LOCAL_MACHINE`.
const SYSTEM: &str = r"SYSTEM\CurrentControlSet\Control\Session Manager\Environment";
/// Where sandboxes have theirs, under `HKEY_CURRENT_USER`.
const SANDBOXES: &str = r"Software\Wagon Yard";

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegistryPlace {
    pub hive: Hive,
    pub key: String,
}

impl fmt::Display for RegistryPlace {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, r"{}\{}", self.hive.name(), self.key)
    }
}

impl RegistryPlace {
    /// The values of the key in the system's order, raw; none where there is no such key.
    pub fn read(&self) -> Result<RegistryKey, FileError> {
        os::registry_values(self.hive, &self.key).at("read the registry key", &self.as_path()).map(RegistryKey)
    }

    /// Writes a value whole, or removes it, where it is still as expected; says whether it was.
    pub fn exchange(
        &self,
        name: &str,
        expected: Option<(u32, &[u8])>,
        value: Option<(u32, &[u8])>,
    ) -> Result<bool, FileError> {
        os::exchange_registry_value(self.hive, &self.key, name, expected, value)
            .at("write the registry key", &self.as_path())
    }

    pub fn may_write(&self) -> bool {
        os::may_write_registry(self.hive, &self.key)
    }

    pub fn as_path(&self) -> PathBuf {
        PathBuf::from(self.to_string())
    }
}

/// Which keys to read and write: the real ones, or those of a sandbox.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegistryPlaces {
    sandbox: Option<String>,
}

impl RegistryPlaces {
    /// The real ones, or those of a sandbox folder.
    pub fn of(sandbox: Option<&Path>) -> Self {
        let name = |folder: &Path| hex::encode(&Sha256::digest(folder.as_os_str().as_encoded_bytes())[..8]);
        Self { sandbox: sandbox.map(|folder| format!(r"{SANDBOXES}\{}", name(folder))) }
    }

    pub fn of_scope(&self, scope: Scope) -> RegistryPlace {
        let (hive, key) = match (&self.sandbox, scope) {
            (None, Scope::User) => (Hive::CurrentUser, USER.to_owned()),
            (None, Scope::System) => (Hive::LocalMachine, SYSTEM.to_owned()),
            (Some(sandbox), Scope::User) => (Hive::CurrentUser, format!(r"{sandbox}\User")),
            (Some(sandbox), Scope::System) => (Hive::CurrentUser, format!(r"{sandbox}\System")),
        };
        RegistryPlace { hive, key }
    }

    /// The value of this name in a scope's key; case does not matter.
    pub fn value(&self, scope: Scope, name: &str) -> Result<Option<RawValue>, FileError> {
        Ok(self.of_scope(scope).read()?.raw(name).cloned())
    }

    /// Removes a sandbox's keys, and the key above them when it was the last; the real ones are never removed.
    pub fn remove_sandbox(&self) -> Result<(), FileError> {
        let Some(key) = &self.sandbox else { return Ok(()) };
        os::remove_registry_key(key).at("remove the registry key", Path::new(key))?;
        os::remove_registry_key_if_empty(SANDBOXES).at("remove the registry key", Path::new(SANDBOXES))
    }
}
