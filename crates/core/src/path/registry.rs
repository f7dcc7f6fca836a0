//! PATH in the registry: the entries of both scopes, and edits of one scope's value part by part.

use std::path::{Path, PathBuf};

use super::PathError;
use super::lines::is_same;
use crate::machine::Machine;
use crate::path_list::windows;
use crate::store::registry::{Background, Keys, RegistryPlan};
use crate::terminal::{self, Found, Origin};
use crate::yard::{Scope, Yard};

/// The raw parts of a scope's value.
pub(super) struct Parts {
    pub keys: Keys,
    pub background: Background,
}

impl Parts {
    pub fn read(machine: &Machine) -> Result<Self, PathError> {
        let background = terminal::background(machine)?;
        Ok(Self { keys: Keys::of(machine.sandbox.as_deref()), background })
    }

    /// As written, in order; empty ones are among them.
    pub fn of(&self, scope: Scope) -> Vec<String> {
        let registry = &self.background.registry;
        let key = if scope == Scope::System { &registry.system } else { &registry.user };
        let text = key.get("Path").map(|value| value.text).unwrap_or_default();
        windows::parts(&text).into_iter().map(str::to_owned).collect()
    }

    /// The folder that a part means in a new process.
    pub fn folder(&self, part: &str) -> PathBuf {
        let variables = self.background.variables();
        let same = |name: &str, key: &str| key.eq_ignore_ascii_case(name);
        let value_of = |name: &str| variables.iter().find(|(key, _)| same(name, key)).map(|(_, value)| value.clone());
        windows::folder(&windows::expand(part, &value_of)).into()
    }

    /// The first part of a scope that leads to a folder.
    pub fn find(&self, scope: Scope, folder: &Path) -> Option<usize> {
        self.of(scope).iter().position(|part| !part.is_empty() && is_same(&self.folder(part), folder))
    }

    /// Plans the value of these parts.
    pub fn plan(&self, yard: &Yard, scope: Scope, parts: &[String]) -> Result<RegistryPlan, PathError> {
        let was = yard.path_before(scope)?;
        Ok(RegistryPlan::with_path(&self.keys, scope, &self.background, parts.join(";"), was)?)
    }
}

/// For each part of a new terminal's PATH the value of the registry that it comes from.
pub(crate) fn registry_origins(machine: &Machine, path: &str) -> Vec<Option<Origin>> {
    let mut left = entries(machine).unwrap_or_default();
    let one = |part: &str| {
        let folder = PathBuf::from(windows::folder(part));
        let at = left.iter().position(|(_, _, known, _)| known.as_os_str().eq_ignore_ascii_case(&folder))?;
        Some(left.remove(at).3)
    };
    windows::parts(path).into_iter().map(one).collect()
}

/// The entries of both scopes, in the order of PATH.
pub(super) fn entries(machine: &Machine) -> Result<Vec<(Scope, String, PathBuf, Origin)>, PathError> {
    let parts = Parts::read(machine)?;
    let mut entries = Vec::new();
    for scope in [Scope::System, Scope::User] {
        let place = format!("{}, Path", parts.keys.words(scope));
        for part in parts.of(scope).into_iter().filter(|part| !part.is_empty()) {
            let origin = Origin { place: place.clone(), line: None, found: Found::Registry };
            entries.push((scope, part.clone(), parts.folder(&part), origin));
        }
    }
    Ok(entries)
}
