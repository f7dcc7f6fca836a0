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

    pub fn of_mut(&mut self, scope: Scope) -> &mut RegistryKey {
        match scope {
            Scope::User => &mut self.user,
            Scope::System => &mut self.system,
        }
    }

    /// The names, in capital letters, of all values that a scope has here or there.
    pub fn names_beside(&self, other: &Self, scope: Scope) -> BTreeSet<String> {
        let all = self.of(scope).0.iter().chain(&other.of(scope).0);
        all.map(|raw| raw.name.to_uppercase()).collect()
    }
}

/// A part of a scope's `Path`, and what a new process gets by it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RegistryEntry {
    /// As written; empty where two `;` follow each other.
    pub raw: String,
    /// Several where a variable holds several, and at least one.
    pub folders: Vec<PathBuf>,
    /// Whether each of them begins and ends in this part.
    pub stands_alone: bool,
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

    /// The parts of a scope's `Path`.
    pub fn entries(&self, scope: Scope) -> Vec<RegistryEntry> {
        let text = self.registry.of(scope).get("Path").map(|value| value.text).unwrap_or_default();
        self.entries_of(scope, &text)
    }

    /// The parts of a text, were it a scope's `Path`: its references are expanded with what is set by then. In a plain string none
    /// is ("Registry Value Types", `REG_EXPAND_SZ`).
    pub fn entries_of(&self, scope: Scope, text: &str) -> Vec<RegistryEntry> {
        let is_plain = self.registry.of(scope).get("Path").is_some_and(|path| path.kind == ValueKind::Plain);
        let built = build(&self.given, &self.registry, self.builder);
        let known = if is_plain { &Variables::default() } else { built.at_path(scope) };
        let entry = |part: windows::ExpandedPart<'_>| RegistryEntry {
            raw: part.raw.to_owned(),
            folders: part.folders.into_iter().map(PathBuf::from).collect(),
            stands_alone: part.stands_alone,
        };
        windows::expand_parts(text, &|name| known.get(name), self.builder.unknown()).into_iter().map(entry).collect()
    }

    /// PATH of a new process, folder by folder, empty ones left out, and those that no value of the registry gives.
    pub fn folders(&self) -> Vec<PathBuf> {
        let folders = |path: &str| -> Vec<PathBuf> {
            let folders = windows::parts(path).into_iter().map(|part| PathBuf::from(windows::folder(part)));
            folders.filter(|folder| !folder.as_os_str().is_empty()).collect()
        };
        let given = self.given.iter().find(|(name, _)| same_name(name, "Path"));
        let given = given.filter(|_| self.registry.system.get("Path").is_none());
        let before = given.map_or(0, |(_, path)| folders(path).len());
        let path = build(&self.given, &self.registry, self.builder).variables.get("Path").unwrap_or_default();
        folders(&path).into_iter().skip(before).collect()
    }

    /// The same with another text in a scope's `Path`.
    pub fn with_path(&self, scope: Scope, text: &str) -> Self {
        let mut with = self.clone();
        let key = with.registry.of_mut(scope);
        let value =
            key.get("Path").unwrap_or_else(|| RegistryValue::new(ValueKind::Expandable, "")).with_text(text.to_owned());
        key.set("Path".to_owned(), Some(&value));
        with
    }

    /// The place in a scope's `Path` at which a new first entry goes. What is for everybody goes behind the system's own
    /// folders: nothing there may take the place of the system's programs.
    pub fn first_place(&self, scope: Scope, text: &str) -> usize {
        if scope == Scope::User {
            return 0;
        }
        let system_folders = SystemFolders::of(&self.environment());
        let is_systems = |entry: &RegistryEntry| entry.folders.iter().any(|folder| system_folders.hold(folder));
        self.entries_of(scope, text).iter().rposition(is_systems).map_or(0, |last| last + 1)
    }

    /// The environment of a new process.
    pub fn environment(&self) -> Environment {
        Environment::with(System::Windows, self.variables())
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

    /// What a name that nobody defines is taken for.
    fn unknown(self) -> windows::Unknown {
        match self {
            Self::Windows => windows::Unknown::MayOpenNext,
            Self::Wine => windows::Unknown::Whole,
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

/// The variables of a new process: what the system sets itself (`given`), the system's values, the user's.
pub fn predict(given: &[(String, String)], registry: &RegistryEnvironments, builder: Builder) -> Vec<(String, String)> {
    build(given, registry, builder).variables.0.into_values().collect()
}

/// The variables of a new process, and those that were there when each scope's `Path` was expanded.
struct Built {
    variables: Variables,
    at_path: [Variables; 2],
}

impl Built {
    fn at_path(&self, scope: Scope) -> &Variables {
        &self.at_path[usize::from(scope == Scope::User)]
    }
}

/// Builds the variables of a new process as the system does: the user's `Path` goes behind the system's with a `;` between, every
/// other value of the user replaces the system's ("CreateEnvironmentBlock function"; "Environment Variables": the user's PATH is
/// appended to the system's). Each expandable value is expanded with the variables that are set by then: in the system's `Path` a
/// reference never means what the user's variable of that name says.
fn build(given: &[(String, String)], registry: &RegistryEnvironments, builder: Builder) -> Built {
    let mut variables = Variables::default();
    for (name, value) in given {
        variables.set(name, value.clone());
    }
    let mut at_path = <[Variables; 2]>::default();
    for _ in 0..builder.passes() {
        for (key, is_user) in [(&registry.system, false), (&registry.user, true)] {
            let mut by_then = None;
            for (name, value) in builder.ordered(key) {
                let is_path = same_name(name, "Path");
                let appended = is_user && is_path;
                if is_path {
                    by_then = Some(variables.clone());
                }
                if builder == Builder::Wine && value.text.is_empty() {
                    if !appended {
                        variables.0.remove(&name.to_uppercase());
                    }
                    continue;
                }
                let text = match value.kind {
                    ValueKind::Plain => value.text,
                    ValueKind::Expandable => {
                        windows::expand(&value.text, &|name| variables.get(name), builder.unknown())
                    }
                };
                let text = match variables.get(name).filter(|_| appended) {
                    Some(before) if !before.is_empty() => format!("{before};{text}"),
                    _ => text,
                };
                variables.set(name, text);
            }
            // One that is not there yet would come last.
            at_path[usize::from(is_user)] = by_then.unwrap_or_else(|| variables.clone());
        }
    }
    Built { variables, at_path }
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
