//! An edit of one key's values, in memory.

use std::path::{Path, PathBuf};

use super::environment::Background;
use super::error::RegistryError;
use crate::path_list::{is_spelled_alike, windows};
use crate::registry::{PathBefore, RegistryKey, RegistryValue, Replaced, ValueKind, same_name};
use crate::scope::Scope;
use crate::system::System;
use crate::yard::Registered;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueChange {
    pub name: String,
    /// Before; `None` where it is not there.
    pub before: Option<RegistryValue>,
    /// After; `None` where it goes.
    pub after: Option<RegistryValue>,
}

#[derive(Debug, Clone, Copy)]
pub struct Tool<'a> {
    /// Where its folders and variables are.
    pub registered: &'a Registered,
    /// What its variables replaced when it was put in.
    pub replaced: &'a [Replaced],
    /// Which of its folders were in `Path` before that, each as often as it was there.
    pub were_there: &'a [PathBuf],
}

/// The entry that stands for a command folder: by the home variable where there is one, so that changing the variable
/// switches the version.
fn entry(tool: &Registered, folder: &Path) -> String {
    let literal = backslashed(&folder.to_string_lossy());
    match (tool.home_variables.first(), folder.strip_prefix(&tool.home)) {
        (Some(variable), Ok(below)) if below.as_os_str().is_empty() => format!("%{variable}%"),
        (Some(variable), Ok(below)) => format!("%{variable}%\\{}", backslashed(&below.to_string_lossy())),
        _ => literal,
    }
}

/// The places of the parts of a `Path` that stand for a command folder, written out or by the home variable.
fn standing_for(text: &str, tool: &Registered, folder: &Path) -> Vec<usize> {
    let ways = [entry(tool, folder), folder.to_string_lossy().into_owned()];
    let stands = |part: &str| ways.iter().any(|way| same_spelling(part, way));
    windows::parts(text).into_iter().enumerate().filter(|(_, part)| stands(part)).map(|(at, _)| at).collect()
}

/// The first part with a quote that is not closed: behind it everything belongs to it.
fn unclosed(parts: &[&str]) -> usize {
    parts.iter().position(|part| part.matches('"').count() % 2 == 1).unwrap_or(parts.len())
}

fn same_spelling(one: &str, other: &str) -> bool {
    is_spelled_alike(Path::new(one), Path::new(other), System::Windows)
}

fn backslashed(path: &str) -> String {
    path.replace('/', "\\")
}

pub(super) struct Edit<'a> {
    key: &'a RegistryKey,
    name_of_key: String,
    background: &'a Background,
    scope: Scope,
    values: Vec<(String, Option<RegistryValue>)>,
}

impl<'a> Edit<'a> {
    pub fn new(background: &'a Background, scope: Scope, name_of_key: String) -> Self {
        let key = match scope {
            Scope::User => &background.registry.user,
            Scope::System => &background.registry.system,
        };
        Self { key, name_of_key, background, scope, values: Vec::new() }
    }

    /// The name of `Path`, as it is written there.
    pub fn path_name(&self) -> String {
        self.key.raw("Path").map_or("Path", |raw| raw.name.as_str()).to_owned()
    }

    pub fn get(&self, name: &str) -> Result<Option<RegistryValue>, RegistryError> {
        if let Some((_, value)) = self.values.iter().find(|(n, _)| same_name(n, name)) {
            return Ok(value.clone());
        }
        match self.key.raw(name) {
            None => Ok(None),
            Some(raw) => RegistryValue::from_raw(raw)
                .map(Some)
                .ok_or_else(|| RegistryError::NotText { key: self.name_of_key.clone(), name: raw.name.clone() }),
        }
    }

    pub fn set(&mut self, name: &str, value: Option<RegistryValue>) {
        match self.values.iter_mut().find(|(n, _)| same_name(n, name)) {
            Some((_, earlier)) => *earlier = value,
            None => {
                let written = self.key.raw(name).map_or(name, |raw| raw.name.as_str()).to_owned();
                self.values.push((written, value));
            }
        }
    }

    /// Takes a tool's entries and variables out; what a variable replaced comes back.
    pub fn take_out(&mut self, path_name: &str, tool: Tool<'_>) -> Result<(), RegistryError> {
        if let Some(path) = self.get(path_name)? {
            let mut text = path.text.clone();
            for folder in &tool.registered.command_folders {
                let parts = standing_for(&text, tool.registered, folder);
                let were_there = tool.were_there.iter().filter(|there| *there == folder).count();
                let is_ours = parts.len() > were_there;
                // Ours was put in front of the user's own, or directly behind the system's folders.
                let place = self.background.first_place(self.scope, &text);
                let ours = parts.iter().find(|at| **at >= place).or(parts.first());
                if let Some(at) = ours.filter(|_| is_ours) {
                    text = windows::take_out(&text, *at);
                }
            }
            if text != path.text {
                self.set(path_name, Some(path.with_text(text)));
            }
        }
        let home = tool.registered.home.to_string_lossy();
        for variable in &tool.registered.home_variables {
            // A value that somebody has changed since is theirs.
            if self.get(variable)?.is_some_and(|value| same_spelling(&value.text, &home)) {
                let before = tool.replaced.iter().find(|r| same_name(&r.name, variable));
                self.set(variable, before.map(Replaced::value));
            }
        }
        Ok(())
    }

    /// Sets a tool's home variables, and gives what they replace.
    pub fn put_variables(&mut self, tool: &Registered) -> Result<Vec<Replaced>, RegistryError> {
        let home = tool.home.to_string_lossy().into_owned();
        let mut replaced = Vec::new();
        for variable in &tool.home_variables {
            let before = self.get(variable)?;
            let is_right = before.as_ref().is_some_and(|value| value.text == home && value.kind == ValueKind::Plain);
            replaced.extend(before.iter().map(|before| Replaced::of(variable, before)));
            if is_right {
                continue;
            }
            self.set(variable, Some(RegistryValue::new(ValueKind::Plain, home.clone())));
        }
        Ok(replaced)
    }

    /// Which of a tool's command folders `Path` has already, each as often as it has it.
    pub fn there(&self, path_name: &str, tool: &Registered) -> Result<Vec<PathBuf>, RegistryError> {
        let text = self.get(path_name)?.map(|path| path.text).unwrap_or_default();
        let times = |folder: &PathBuf| standing_for(&text, tool, folder).into_iter().map(|_| folder.clone()).collect();
        Ok(tool.command_folders.iter().flat_map(|folder| -> Vec<PathBuf> { times(folder) }).collect())
    }

    /// Puts a tool's command folders first in `Path`. What the user has there stays.
    pub fn put_entries(&mut self, path_name: &str, tool: &Registered) -> Result<(), RegistryError> {
        let there = self.get(path_name)?;
        let path = there.clone().unwrap_or_else(|| RegistryValue::new(ValueKind::Expandable, ""));
        // Making a plain value expandable must not change what any other part means.
        let may_refer = path.kind == ValueKind::Expandable || self.refers_to_nothing(&path.text);
        let mut new = path.clone();
        for folder in tool.command_folders.iter().rev() {
            let literal = backslashed(&folder.to_string_lossy());
            let refers = entry(tool, folder);
            let text = if may_refer && self.leads(path_name, &refers, &literal) { refers } else { literal.clone() };
            let means_it = !literal.contains([';', '"'])
                && (text != literal || new.kind == ValueKind::Plain || self.refers_to_nothing(&text));
            if !means_it {
                return Err(RegistryError::Folder { folder: literal });
            }
            if text != literal {
                new.kind = ValueKind::Expandable;
            }
            let parts = windows::parts(&new.text);
            let place = self.background.first_place(self.scope, &new.text).min(unclosed(&parts));
            let wins_already = |part: &&str| same_spelling(part, &text) || same_spelling(part, &literal);
            let ahead = if self.scope == Scope::User { parts.get(..1) } else { parts.get(..=place) };
            if !ahead.unwrap_or(&parts).iter().any(wins_already) {
                new.text = windows::put_in(&new.text, place, &text);
            }
        }
        if new != path || there.is_none() {
            self.set(path_name, Some(new));
        }
        Ok(())
    }

    /// Whether a new process would have `folder` in its PATH by this entry: a reference may come to be expanded before
    /// the variable is there.
    fn leads(&self, path_name: &str, entry: &str, folder: &str) -> bool {
        let value = RegistryValue::new(ValueKind::Expandable, entry);
        let built = self.after(Some((path_name, value))).variables();
        let path = built.iter().find(|(name, _)| same_name(name, "Path"));
        path.is_some_and(|(_, path)| windows::parts(path).last().is_some_and(|part| backslashed(part) == folder))
    }

    /// Whether no part of a text means another folder in an expandable value than as it is written.
    fn refers_to_nothing(&self, text: &str) -> bool {
        let expandable = self.after(Some(("Path", RegistryValue::new(ValueKind::Expandable, text))));
        let built = expandable.entries_of(self.scope, text);
        built
            .iter()
            .all(|entry| matches!(&entry.folders[..], [one] if one.as_os_str() == &*windows::folder(&entry.raw)))
    }

    /// Gives `Path` back the kind it had, or takes it away if it was not there and is empty again.
    pub fn restore(&mut self, path_name: &str, before: PathBefore) -> Result<(), RegistryError> {
        let Some(path) = self.get(path_name)? else { return Ok(()) };
        if before == PathBefore::Missing && path.text.is_empty() {
            self.set(path_name, None);
        } else if before == PathBefore::Plain && self.refers_to_nothing(&path.text) {
            self.set(path_name, Some(path.with_kind(ValueKind::Plain)));
        }
        Ok(())
    }

    pub fn background_after(&self) -> Background {
        self.after(None)
    }

    /// The background as it will be, with one more value set last. A value that is there keeps its place.
    fn after(&self, also: Option<(&str, RegistryValue)>) -> Background {
        let mut after = self.background.clone();
        let key = after.registry.of_mut(self.scope);
        let also = also.map(|(name, value)| (name.to_owned(), Some(value)));
        let written = self.values.iter().filter(|(name, _)| also.as_ref().is_none_or(|(n, _)| !same_name(n, name)));
        for (name, value) in written.cloned().chain(also.clone()) {
            key.set(name, value.as_ref());
        }
        after
    }

    pub fn changes(self) -> Vec<ValueChange> {
        let key = self.key;
        let change = |(name, after): (String, Option<RegistryValue>)| {
            let before = key.get(&name);
            (before != after).then_some(ValueChange { name, before, after })
        };
        let mut changes: Vec<ValueChange> = self.values.into_iter().filter_map(change).collect();
        // The variables are there before anything refers to them.
        changes.sort_by_key(|change| same_name(&change.name, "Path"));
        changes
    }
}

#[cfg(test)]
mod tests {
    use super::super::environment::tests::key;
    use super::super::environment::{Builder, RegistryEnvironments};
    use super::*;
    use proptest::prelude::*;

    fn tool(folders: &[&str], variables: &[&str]) -> Registered {
        let home = "/y/t/1";
        Registered {
            completions: Vec::new(),
            home: home.into(),
            home_variables: variables.iter().map(|v| (*v).to_owned()).collect(),
            command_folders: folders.iter().map(|f| format!("{home}{f}").into()).collect(),
        }
    }

    fn background(user: &[&str], builder: Builder) -> Background {
        let registry = RegistryEnvironments { system: RegistryKey::default(), user: key(user) };
        Background { given: Vec::new(), registry, builder }
    }

    /// The same values as the system's, on a machine whose Windows folder is `C:\a`.
    fn of_system(user: &Background) -> Background {
        let registry = RegistryEnvironments { system: user.registry.user.clone(), user: RegistryKey::default() };
        let given = vec![("SystemRoot".to_owned(), "C:\\a".to_owned())];
        Background { given, registry, builder: user.builder }
    }

    #[test]
    fn what_is_for_everybody_goes_behind_the_systems_own_folders() {
        for (path, expected) in [
            ("C:\\a\\System32;c:\\A;C:\\b", Some("C:\\a\\System32;c:\\A;%T_HOME%\\bin;C:\\b")),
            ("C:\\b;%SystemRoot%", Some("C:\\b;%SystemRoot%;%T_HOME%\\bin")),
            ("C:\\b", Some("%T_HOME%\\bin;C:\\b")),
            ("C:\\a;\"C:\\b", Some("C:\\a;%T_HOME%\\bin;\"C:\\b")),
            // The user has it further in front.
            ("/Y/t/1/BIN/;C:\\a", None),
        ] {
            let machine = of_system(&background(&[&format!("Path:={path}")], Builder::Windows));
            let mut edit = Edit::new(&machine, Scope::System, "K".to_owned());
            edit.put_variables(&tool(&["/bin"], &["T_HOME"])).unwrap();
            edit.put_entries("Path", &tool(&["/bin"], &["T_HOME"])).unwrap();
            let path = edit.changes().into_iter().find(|change| change.name == "Path").and_then(|change| change.after);
            assert_eq!(path.map(|path| path.text).as_deref(), expected);
        }
    }

    fn edited(background: &Background, put: &Registered) -> (Vec<String>, Vec<Replaced>) {
        let mut edit = Edit::new(background, Scope::User, "K".to_owned());
        let replaced = edit.put_variables(put).unwrap();
        edit.put_entries(&edit.path_name(), put).unwrap();
        let show = |c: ValueChange| {
            let after = c.after.unwrap();
            format!("{}{}={}", c.name, if after.kind == ValueKind::Expandable { ":" } else { "" }, after.text)
        };
        (edit.changes().into_iter().map(show).collect(), replaced)
    }

    #[test]
    fn a_tool_is_put_first_and_nothing_else_changes_its_meaning() {
        type Case<'a> = (&'a [&'a str], &'a [&'a str], Builder, &'a [&'a str]);
        let var = &["T_HOME"][..];
        let windows = Builder::Windows;
        let cases: [Case; 11] = [
            (&[], var, windows, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin"]),
            (&["PATH:=C:\\a;;"], var, windows, &["T_HOME=/y/t/1", r"PATH:=%T_HOME%\bin;C:\a;;"]),
            // A plain value without references may become expandable.
            (&["Path=C:\\a"], var, windows, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin;C:\a"]),
            // One whose parts would change their meaning stays plain, and our entry is written out.
            (&["Path=%X%;C:\\a", "X=1"], var, windows, &["T_HOME=/y/t/1", r"Path=\y\t\1\bin;%X%;C:\a"]),
            (&["Path=100%;50%"], var, windows, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin;100%;50%"]),
            (&["Path:=\"C:\\a;b\""], var, windows, &["T_HOME=/y/t/1", "Path:=%T_HOME%\\bin;\"C:\\a;b\""]),
            (&["Path:=C:\\a"], &[], windows, &[r"Path:=\y\t\1\bin;C:\a"]),
            (&["Path=C:\\a"], &[], windows, &[r"Path=\y\t\1\bin;C:\a"]),
            // What the user has there stays where it is.
            (&["Path:=C:\\a;%T_HOME%\\bin", "T_HOME=/y/t/1"], var, windows, &[r"Path:=%T_HOME%\bin;C:\a;%T_HOME%\bin"]),
            (&["Path:=%T_HOME%\\bin;C:\\a", "T_HOME=/y/t/1"], var, windows, &[]),
            // Where the system's own variable of that name is what the reference finds, the folder is written out.
            (&["T_HOME:=C:\\old;%X%", "Path:=C:\\a"], var, windows, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin;C:\a"]),
        ];
        for (user, variables, builder, expected) in cases {
            let (changes, _) = edited(&background(user, builder), &tool(&["/bin"], variables));
            assert_eq!(changes, expected, "{user:?}");
        }
        let old = background(&["t_home:=C:\\old"], windows);
        let (changes, replaced) = edited(&old, &tool(&["", "/sbin"], &["T_HOME"]));
        assert_eq!(changes, ["t_home=/y/t/1", r"Path:=%T_HOME%;%T_HOME%\sbin"]);
        assert_eq!(replaced[0].text, "C:\\old");
    }

    /// Puts a tool in and takes it out again; what is still different then.
    fn there_and_back(background: &Background, scope: Scope, variables: &[&str]) -> Vec<ValueChange> {
        let put = tool(&["/bin", ""], variables);
        let mut edit = Edit::new(background, scope, "K".to_owned());
        let path_name = edit.path_name();
        let path_is = PathBefore::of(edit.get(&path_name).unwrap().as_ref());
        let replaced = edit.put_variables(&put).unwrap();
        let were_there = edit.there(&path_name, &put).unwrap();
        edit.put_entries(&path_name, &put).unwrap();
        edit.take_out(&path_name, Tool { registered: &put, replaced: &replaced, were_there: &were_there }).unwrap();
        edit.restore(&path_name, path_is).unwrap();
        edit.changes()
    }

    #[test]
    fn a_path_that_was_not_there_goes_again() {
        assert_eq!(there_and_back(&background(&[], Builder::Windows), Scope::User, &["T_HOME"]), []);
    }

    proptest! {
        #[test]
        fn taking_out_brings_back_every_value_and_its_kind(
            path in "([a-cX:;\\\\%\" .äß-]{0,40}|(\\\\[yY]\\\\t\\\\1(\\\\bin)?\\\\?;|%T_HOME%(\\\\bin)?;|C:\\\\a;){0,5})",
            name in "Path|PATH|path",
            kinds in proptest::array::uniform3(any::<bool>()),
            home in proptest::option::of("[a-c%X;]{0,6}|/y/t/1"),
            variables in proptest::bool::ANY,
            wine in proptest::bool::ANY,
        ) {
            let line = |name: &str, expandable: bool, text: &str| {
                format!("{name}{}={text}", if expandable { ":" } else { "" })
            };
            let mut lines = vec![line(&name, kinds[0], &path), line("X", kinds[1], "1")];
            lines.extend(home.map(|text| line("t_Home", kinds[2], &text)));
            let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
            let background = background(&lines, if wine { Builder::Wine } else { Builder::Windows });
            let variables: &[&str] = if variables { &["T_HOME"] } else { &[] };
            prop_assert_eq!(there_and_back(&background, Scope::User, variables), []);
            prop_assert_eq!(there_and_back(&of_system(&background), Scope::System, variables), []);
        }
    }
}
