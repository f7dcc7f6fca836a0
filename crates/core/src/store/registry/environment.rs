//! The environment that Windows builds from the registry for a new process of the user.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;

use crate::environment::Environment;
use crate::error::FileError;
use crate::folders::SystemFolders;
use crate::os;
use crate::path_list::windows;
use crate::registry::{RegistryKey, RegistryPlaces, RegistryValue, ValueKind, same_name};
use crate::scope::Scope;
use crate::system::System;

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RegistryEnvironments {
    pub system: RegistryKey,
    pub user: RegistryKey,
}

impl RegistryEnvironments {
    pub fn read(places: &RegistryPlaces) -> Result<Self, FileError> {
        Ok(Self { system: places.of_scope(Scope::System).read()?, user: places.of_scope(Scope::User).read()? })
    }

    pub fn of(&self, scope: Scope) -> &RegistryKey {
        match scope {
            Scope::User => &self.user,
            Scope::System => &self.system,
        }
    }

    /// The names, in capital letters, of all values that a scope has here or there.
    pub fn names_beside(&self, other: &Self, scope: Scope) -> BTreeSet<String> {
        let all = self.of(scope).0.iter().chain(&other.of(scope).0);
        all.map(|raw| raw.name.to_uppercase()).collect()
    }
}

#[derive(Debug, Clone)]
pub struct Background {
    /// What the system sets itself.
    pub given: Vec<(String, String)>,
    pub registry: RegistryEnvironments,
    pub builder: Builder,
}

impl Background {
    /// The variables of a new process, by name.
    pub fn variables(&self) -> Vec<(String, String)> {
        predict(&self.given, &self.registry, self.builder)
    }

    /// The folder that a part of a scope's `Path` means in a new process. In a plain string no reference is expanded
    /// ("Registry Value Types", `REG_EXPAND_SZ`).
    pub fn folder(&self, scope: Scope, part: &str) -> PathBuf {
        if self.registry.of(scope).get("Path").is_some_and(|path| path.kind == ValueKind::Plain) {
            return windows::folder(part).into();
        }
        let variables = self.variables();
        let value_of =
            |name: &str| variables.iter().find(|(key, _)| same_name(key, name)).map(|(_, value)| value.clone());
        windows::folder(&windows::expand(part, &value_of)).into()
    }

    /// The place in a scope's `Path` at which a new first entry goes. What is for everybody goes behind the system's own
    /// folders: nothing there may take the place of the system's programs.
    pub fn first_place(&self, scope: Scope, text: &str) -> usize {
        if scope == Scope::User {
            return 0;
        }
        let variables = self.variables();
        let named = variables.iter().map(|(name, value)| (name.as_str(), value.as_str()));
        let system_folders = SystemFolders::of(&Environment::with(System::Windows, named));
        let is_systems = |part: &&str| system_folders.hold(&self.folder(scope, part));
        windows::parts(text).iter().rposition(is_systems).map_or(0, |last| last + 1)
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Builder {
    /// Windows: of each key all plain strings, then the expandable ones, each in the key's order: a reference finds
    /// every plain variable, and of the expandable ones those before it.
    Windows,
    /// Wine 8, where a process is started from outside: both keys in their order (by name), whatever the kind, and then
    /// all of it once more; an empty value takes a variable away, and leaves PATH as it is. Found by asking it.
    Wine,
}

impl Builder {
    pub fn here() -> Self {
        if os::is_wine() { Self::Wine } else { Self::Windows }
    }

    fn passes(self) -> usize {
        match self {
            Self::Windows => 1,
            Self::Wine => 2,
        }
    }

    /// The values of a key in the order in which they become variables.
    fn ordered(self, key: &RegistryKey) -> Vec<(&str, RegistryValue)> {
        let strings = key.0.iter().filter_map(|raw| Some((raw.name.as_str(), RegistryValue::from_raw(raw)?)));
        match self {
            Self::Windows => {
                let (mut plain, expandable): (Vec<_>, Vec<_>) =
                    strings.partition(|(_, value)| value.kind == ValueKind::Plain);
                plain.extend(expandable);
                plain
            }
            Self::Wine => strings.collect(),
        }
    }

    fn expand(self, text: &str, value_of: &dyn Fn(&str) -> Option<String>) -> String {
        match self {
            Self::Windows => windows::expand(text, value_of),
            Self::Wine => windows::expand_whole(text, value_of),
        }
    }
}

/// Variables by upper-case name, each with its name as written and its value.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Variables(BTreeMap<String, (String, String)>);

impl Variables {
    fn get(&self, name: &str) -> Option<String> {
        self.0.get(&name.to_uppercase()).map(|(_, value)| value.clone())
    }

    fn set(&mut self, name: &str, value: String) {
        let written = self.0.get(&name.to_uppercase()).map_or_else(|| name.to_owned(), |(written, _)| written.clone());
        self.0.insert(name.to_uppercase(), (written, value));
    }
}

/// Predicts the variables of a new process: what the system sets itself (`given`), the system's values, the user's; the
/// user's `Path` goes behind the system's with a `;` between, every other one replaces it ("CreateEnvironmentBlock
/// function"; "Environment Variables": the user's PATH is appended to the system's). Each expandable value is expanded
/// with the variables that are set by then.
pub fn predict(given: &[(String, String)], registry: &RegistryEnvironments, builder: Builder) -> Vec<(String, String)> {
    let mut variables = Variables::default();
    for (name, value) in given {
        variables.set(name, value.clone());
    }
    for _ in 0..builder.passes() {
        for (key, is_user) in [(&registry.system, false), (&registry.user, true)] {
            for (name, value) in builder.ordered(key) {
                let appended = is_user && same_name(name, "Path");
                if builder == Builder::Wine && value.text.is_empty() {
                    if !appended {
                        variables.0.remove(&name.to_uppercase());
                    }
                    continue;
                }
                let text = match value.kind {
                    ValueKind::Plain => value.text,
                    ValueKind::Expandable => builder.expand(&value.text, &|name| variables.get(name)),
                };
                let text = match variables.get(name).filter(|_| appended) {
                    Some(before) if !before.is_empty() => format!("{before};{text}"),
                    _ => text,
                };
                variables.set(name, text);
            }
        }
    }
    variables.0.into_values().collect()
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use crate::os::RawValue;

    /// A key from lines: `NAME=text` is plain, `NAME:=text` expandable.
    pub(in crate::store::registry) fn key(lines: &[&str]) -> RegistryKey {
        let value = |line: &&str| {
            let (name, text) = line.split_once('=').unwrap();
            let (name, kind) = name.strip_suffix(':').map_or((name, ValueKind::Plain), |n| (n, ValueKind::Expandable));
            RawValue { name: name.to_owned(), kind: kind.number(), bytes: RegistryValue::new(kind, text).bytes() }
        };
        RegistryKey(lines.iter().map(value).collect())
    }

    #[test]
    fn the_environment_is_built_as_the_system_builds_it() {
        use Builder::{Windows, Wine};
        type Case<'a> = (&'a [&'a str], &'a [&'a str], Builder, &'a str, Option<&'a str>);
        let cases: [Case; 13] = [
            (&["Path=S"], &["PATH=U"], Windows, "path", Some("S;U")),
            (&[], &["Path=U"], Windows, "Path", Some("U")),
            (&["Path="], &["Path=U"], Windows, "Path", Some("U")),
            (&["Path=S"], &[], Windows, "Path", Some("S")),
            (&["A=s"], &["a=u"], Windows, "A", Some("u")),
            (&["Path:=%W%\\x"], &[], Windows, "Path", Some("C:\\W\\x")),
            (&["Path=%W%\\x"], &[], Windows, "Path", Some("%W%\\x")),
            // The user's variables are not there yet when the system's values are expanded.
            (&["Path:=%HOME_OF_USER%\\x"], &["HOME_OF_USER=h"], Windows, "Path", Some("%HOME_OF_USER%\\x")),
            (&[], &["Path:=%Z%\\bin", "Z=h"], Windows, "Path", Some("h\\bin")),
            (&[], &["Path:=%Z%\\bin", "Z=h"], Wine, "Z", Some("h")),
            (&[], &["A:=%B%", "B:=x"], Windows, "A", Some("%B%")),
            (&[], &["B:=x", "A:=%B%"], Windows, "A", Some("x")),
            (&[], &["A=x"], Windows, "B", None),
        ];
        for (system, user, builder, name, expected) in cases {
            let registry = RegistryEnvironments { system: key(system), user: key(user) };
            let given = [("W".to_owned(), "C:\\W".to_owned())];
            let built = predict(&given, &registry, builder);
            let found = built.iter().find(|(n, _)| same_name(n, name)).map(|(_, value)| value.as_str());
            assert_eq!(found, expected, "{system:?} {user:?} {name}");
        }
    }
}
