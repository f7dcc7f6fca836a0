//! Environment variables, under the rules of their system.

use std::collections::BTreeMap;
use std::collections::btree_map::Iter;
use std::ffi::{OsStr, OsString};
use std::path::PathBuf;

use crate::os;
use crate::system::System;

/// The system this program runs on. This is the one place that asks for it: whatever follows a system's rules takes the
/// system from its environment, or is given it.
pub fn host_system() -> System {
    os::HERE
}

/// Environment variables by name. On Windows case makes no difference ("Environment Variables").
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Environment {
    system: System,
    variables: BTreeMap<OsString, OsString>,
}

impl Environment {
    pub fn new(system: System) -> Self {
        Self { system, variables: BTreeMap::new() }
    }

    pub fn of_process() -> Self {
        Self::with(host_system(), std::env::vars_os())
    }

    pub fn with<N: Into<OsString>, V: Into<OsString>>(
        system: System,
        variables: impl IntoIterator<Item = (N, V)>,
    ) -> Self {
        let mut environment = Self::new(system);
        for (name, value) in variables {
            environment.set(name, value);
        }
        environment
    }

    pub fn system(&self) -> System {
        self.system
    }

    pub fn get(&self, name: impl AsRef<OsStr>) -> Option<&OsStr> {
        self.written(name.as_ref()).and_then(|name| self.variables.get(name)).map(OsString::as_os_str)
    }

    pub fn folder(&self, name: &str) -> Option<PathBuf> {
        self.get(name).map(PathBuf::from).filter(|path| path.is_absolute())
    }

    /// Sets a variable; one of this name keeps the spelling that it has.
    pub fn set(&mut self, name: impl Into<OsString>, value: impl Into<OsString>) {
        let name = name.into();
        let written = self.written(&name).cloned().unwrap_or(name);
        self.variables.insert(written, value.into());
    }

    pub fn remove(&mut self, name: impl AsRef<OsStr>) {
        if let Some(written) = self.written(name.as_ref()).cloned() {
            self.variables.remove(&written);
        }
    }

    /// Keeps the variables of which `keeps` says so.
    pub fn retain(&mut self, mut keeps: impl FnMut(&OsStr, &OsStr) -> bool) {
        self.variables.retain(|name, value| keeps(name, value));
    }

    pub fn iter(&self) -> Iter<'_, OsString, OsString> {
        self.variables.iter()
    }

    fn written(&self, name: &OsStr) -> Option<&OsString> {
        match self.variables.get_key_value(name) {
            Some((written, _)) => Some(written),
            None if self.system == System::Unix => None,
            None => self.variables.keys().find(|written| written.eq_ignore_ascii_case(name)),
        }
    }
}

impl<'a> IntoIterator for &'a Environment {
    type Item = (&'a OsString, &'a OsString);
    type IntoIter = Iter<'a, OsString, OsString>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_fold_case_on_windows_only() {
        for (system, found, count) in [(System::Unix, None, 2), (System::Windows, Some(OsStr::new("a")), 1)] {
            let mut environment = Environment::with(system, [("Path", "a")]);
            assert_eq!(environment.get("PATH"), found, "{system:?}");
            environment.set("PATH", "b");
            assert_eq!(environment.iter().count(), count, "{system:?}");
            assert_eq!(environment.get("PATH"), Some(OsStr::new("b")), "{system:?}");
            environment.remove("PATH");
            assert_eq!(environment.get("PATH"), None, "{system:?}");
        }
    }
}
