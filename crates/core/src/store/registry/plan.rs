//! A change of the registry's environment: planned whole from what is there, checked, then written value by value.

use std::path::Path;

use serde::{Deserialize, Serialize};

use super::environment::{Order, RegistryEnvironments, predict};
use super::keys::Keys;
use super::value::{RegistryKey, RegistryValue, ValueKind, same_name};
use crate::error::{Blame, Blamed, FileContext as _, FileError};
use crate::finding::{Code, Finding};
use crate::os;
use crate::path_list::windows;
use crate::store::Registered;
use crate::yard::Scope;

/// The most characters a variable can hold ("Environment Variables", limits).
const MOST: usize = 32_767;
/// The longest command line, and so the longest variable, that `cmd` works with ("Command prompt line string
/// limitation").
const MOST_FOR_CMD: usize = 8_191;
/// What older dialogs of the system cut a value to when somebody edits it there.
const MOST_FOR_DIALOGS: usize = 2_047;

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
    #[error("the system's environment can only be changed by an elevated program; nothing was changed")]
    NotElevated,
    /// A value could not be written half way.
    #[error("the change of {key} broke off; done so far: {done}")]
    BrokeOff {
        /// The key.
        key: String,
        /// The values that were written.
        done: String,
        /// What stood in the way.
        #[source]
        source: FileError,
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
            Self::NotElevated => Some(format!("open an elevated terminal and repeat there: {}", repeated())),
            Self::BrokeOff { .. } => Some("run the same command again: nothing is done twice".to_owned()),
            Self::Key(_) | Self::NotText { .. } => None,
        }
    }
}

/// The command line of this process, quoted for `cmd`.
fn repeated() -> String {
    let quoted = |word: String| if word.contains([' ', '&', '(', ')', '^']) { format!("\"{word}\"") } else { word };
    std::env::args_os().map(|word| quoted(word.to_string_lossy().into_owned())).collect::<Vec<_>>().join(" ")
}

/// What a user's value was before a home variable of ours took its name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Replaced {
    /// The variable.
    pub name: String,
    /// Its kind.
    pub kind: ValueKind,
    /// Its text, raw.
    pub text: String,
}

/// What `Path` was before our first entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum PathBefore {
    /// It was not there.
    Missing,
    /// A plain string.
    Plain,
    /// An expandable one.
    Expandable,
}

/// A change of one value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueChange {
    /// The value's name, in the spelling that is there.
    pub name: String,
    /// Before; `None` where it is not there.
    pub before: Option<RegistryValue>,
    /// After; `None` where it goes.
    pub after: Option<RegistryValue>,
}

/// A planned change of one key.
#[derive(Debug)]
#[must_use = "a plan changes nothing until it is applied"]
pub struct RegistryPlan {
    keys: Keys,
    scope: Scope,
    /// The changes, home variables before `Path`.
    pub changes: Vec<ValueChange>,
    /// What is worth telling before it is done.
    pub findings: Vec<Finding>,
    /// What home variables of ours will replace.
    pub replaced: Vec<Replaced>,
    /// What `Path` is now.
    pub path_is: PathBefore,
}

/// A tool to be put in or taken out.
#[derive(Debug, Clone, Copy)]
pub struct Tool<'a> {
    /// Where its folders and variables are.
    pub registered: &'a Registered,
    /// What its variables replaced when it was put in.
    pub replaced: &'a [Replaced],
}

impl RegistryPlan {
    /// Plans to take tools out and to put one in first. `restore` is what `Path` was before our first entry, given when
    /// nothing of ours is left afterwards.
    ///
    /// # Errors
    /// When that cannot be done without loss, within the limits, or with these rights.
    pub fn make(
        keys: &Keys,
        scope: Scope,
        registry: &RegistryEnvironments,
        given: &[(String, String)],
        taken: &[Tool<'_>],
        put: Option<Tool<'_>>,
        restore: Option<PathBefore>,
    ) -> Result<Self, RegistryError> {
        let key = match scope {
            Scope::User => &registry.user,
            Scope::System => &registry.system,
        };
        let mut edit = Edit { key, name_of_key: keys.words(scope), values: Vec::new() };
        let path_name = key.raw("Path").map_or("Path", |raw| raw.name.as_str()).to_owned();
        let path_is = match edit.get(&path_name)? {
            None => PathBefore::Missing,
            Some(RegistryValue { kind: ValueKind::Plain, .. }) => PathBefore::Plain,
            Some(_) => PathBefore::Expandable,
        };
        for tool in taken {
            edit.take_out(&path_name, *tool)?;
        }
        let mut replaced = Vec::new();
        if let Some(tool) = put {
            replaced = edit.put_variables(tool.registered)?;
            edit.put_entries(&path_name, tool.registered, given, registry, scope)?;
        }
        if let Some(before) = restore {
            edit.restore(&path_name, before, given, registry)?;
        }
        let changes = edit.changes();
        let findings = lengths(&path_name, &changes, &keys.words(scope))?;
        let (machine_wide, place) = keys.place(scope);
        if !changes.is_empty() && !os::may_write_registry(machine_wide, &place) {
            return Err(RegistryError::NotElevated);
        }
        Ok(Self { keys: keys.clone(), scope, changes, findings, replaced, path_is })
    }

    /// Writes the values and tells running programs.
    ///
    /// # Errors
    /// When a value cannot be written; the message says which ones were.
    pub fn apply(self) -> Result<(), RegistryError> {
        let (machine_wide, place) = self.keys.place(self.scope);
        let key = self.keys.words(self.scope);
        let mut done: Vec<String> = Vec::new();
        for change in &self.changes {
            let bytes = change.after.as_ref().map(|value| (value.kind.number(), value.bytes()));
            let value = bytes.as_ref().map(|(kind, bytes)| (*kind, bytes.as_slice()));
            tracing::info!(key, name = change.name, "write");
            os::write_registry_value(machine_wide, &place, &change.name, value)
                .at("write the registry key", Path::new(&key))
                .map_err(|source| RegistryError::BrokeOff { key: key.clone(), done: done.join(", "), source })?;
            done.push(change.name.clone());
        }
        if !self.changes.is_empty() {
            os::announce_environment();
        }
        Ok(())
    }
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

/// A path with the separator that the system itself writes.
fn backslashed(path: &str) -> String {
    path.replace('/', "\\")
}

/// A key being edited.
struct Edit<'a> {
    key: &'a RegistryKey,
    name_of_key: String,
    values: Vec<(String, Option<RegistryValue>)>,
}

impl Edit<'_> {
    fn get(&self, name: &str) -> Result<Option<RegistryValue>, RegistryError> {
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

    fn set(&mut self, name: &str, value: Option<RegistryValue>) {
        match self.values.iter_mut().find(|(n, _)| same_name(n, name)) {
            Some((_, earlier)) => *earlier = value,
            None => {
                let written = self.key.raw(name).map_or(name, |raw| raw.name.as_str()).to_owned();
                self.values.push((written, value));
            }
        }
    }

    fn take_out(&mut self, path_name: &str, tool: Tool<'_>) -> Result<(), RegistryError> {
        if let Some(path) = self.get(path_name)? {
            let mut text = path.text.clone();
            for folder in &tool.registered.command_folders {
                let literal = backslashed(&folder.to_string_lossy());
                for entry in [entry(tool.registered, folder), literal] {
                    text = windows::take_out(&text, &entry).unwrap_or(text);
                }
            }
            if text != path.text {
                self.set(path_name, Some(path.with_text(text)));
            }
        }
        let home = tool.registered.home.to_string_lossy();
        for variable in &tool.registered.home_variables {
            // A value that somebody has changed since is theirs.
            if self.get(variable)?.is_some_and(|value| value.text == home) {
                let before = tool.replaced.iter().find(|r| same_name(&r.name, variable));
                self.set(variable, before.map(|r| RegistryValue::new(r.kind, r.text.clone())));
            }
        }
        Ok(())
    }

    fn put_variables(&mut self, tool: &Registered) -> Result<Vec<Replaced>, RegistryError> {
        let home = tool.home.to_string_lossy().into_owned();
        let mut replaced = Vec::new();
        for variable in &tool.home_variables {
            let before = self.get(variable)?;
            if before.as_ref().is_some_and(|value| value.text == home && value.kind == ValueKind::Plain) {
                continue;
            }
            if let Some(RegistryValue { kind, text, .. }) = before {
                replaced.push(Replaced { name: variable.clone(), kind, text });
            }
            self.set(variable, Some(RegistryValue::new(ValueKind::Plain, home.clone())));
        }
        Ok(replaced)
    }

    fn put_entries(
        &mut self,
        path_name: &str,
        tool: &Registered,
        given: &[(String, String)],
        registry: &RegistryEnvironments,
        scope: Scope,
    ) -> Result<(), RegistryError> {
        let path = self.get(path_name)?;
        let after = |edit: &Self| edit.registry(registry, scope);
        let value_of = |registry: &RegistryEnvironments| {
            let built = predict(given, registry, Order::PlainFirst);
            move |name: &str| built.iter().find(|(n, _)| same_name(n, name)).map(|(_, value)| value.clone())
        };
        let expand = value_of(&after(self));
        let path = path.unwrap_or_else(|| RegistryValue::new(ValueKind::Expandable, ""));
        // Making a plain value expandable must not change what any other part means.
        let may_refer = path.kind == ValueKind::Expandable || windows::expand(&path.text, &expand) == path.text;
        let mut new = path.clone();
        for folder in tool.command_folders.iter().rev() {
            let literal = backslashed(&folder.to_string_lossy());
            let refers = entry(tool, folder);
            let refers_right = backslashed(&windows::expand(&refers, &expand)) == literal;
            let text = if may_refer && refers_right { refers } else { literal.clone() };
            let means_it = !literal.contains([';', '"'])
                && (text != literal || new.kind == ValueKind::Plain || windows::expand(&text, &expand) == literal);
            if !means_it {
                return Err(RegistryError::Folder { folder: literal });
            }
            if text != literal {
                new.kind = ValueKind::Expandable;
            }
            let without = windows::take_out(&new.text, &text).unwrap_or_else(|| new.text.clone());
            new.text = windows::put_first(&without, &text);
        }
        if new != path || self.get(path_name)?.is_none() {
            self.set(path_name, Some(new));
        }
        Ok(())
    }

    /// Gives `Path` back the kind it had, or takes it away if it was not there and is empty again.
    fn restore(
        &mut self,
        path_name: &str,
        before: PathBefore,
        given: &[(String, String)],
        registry: &RegistryEnvironments,
    ) -> Result<(), RegistryError> {
        let Some(path) = self.get(path_name)? else { return Ok(()) };
        if before == PathBefore::Missing && path.text.is_empty() {
            self.set(path_name, None);
        } else if before == PathBefore::Plain {
            let built = predict(given, registry, Order::PlainFirst);
            let value_of = |name: &str| built.iter().find(|(n, _)| same_name(n, name)).map(|(_, value)| value.clone());
            if windows::expand(&path.text, &value_of) == path.text {
                self.set(path_name, Some(path.with_kind(ValueKind::Plain)));
            }
        }
        Ok(())
    }

    /// Both keys as they will be.
    fn registry(&self, registry: &RegistryEnvironments, scope: Scope) -> RegistryEnvironments {
        let mut after = registry.clone();
        let key = match scope {
            Scope::User => &mut after.user,
            Scope::System => &mut after.system,
        };
        for (name, value) in &self.values {
            key.0.retain(|raw| !same_name(&raw.name, name));
            if let Some(value) = value {
                key.0.push(os::RawValue { name: name.clone(), kind: value.kind.number(), bytes: value.bytes() });
            }
        }
        after
    }

    fn changes(self) -> Vec<ValueChange> {
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

/// Looks at the length that `Path` will have, in characters of UTF-16 as the system counts them.
fn lengths(path_name: &str, changes: &[ValueChange], key: &str) -> Result<Vec<Finding>, RegistryError> {
    let after = changes.iter().find(|c| same_name(&c.name, path_name)).and_then(|c| c.after.as_ref());
    let length = after.map_or(0, |value| value.text.encode_utf16().count());
    if length > MOST {
        return Err(RegistryError::TooLong { key: key.to_owned(), length });
    }
    let remedy = "take entries out of Path that nobody needs any more";
    Ok(if length > MOST_FOR_CMD {
        let seen = format!("Path in {key} has {length} characters, and cmd can use {MOST_FOR_CMD}");
        vec![Finding::new(Code::PathTooLongForCmd, seen).remedy(remedy)]
    } else if length > MOST_FOR_DIALOGS {
        let seen = format!(
            "Path in {key} has {length} characters; older dialogs cut it to {MOST_FOR_DIALOGS} when it is edited there"
        );
        vec![Finding::new(Code::PathTooLongForDialogs, seen)]
    } else {
        Vec::new()
    })
}

#[cfg(test)]
mod tests {
    use super::super::environment::tests::key;
    use super::*;

    fn tool(folders: &[&str], variables: &[&str]) -> Registered {
        let home = "/y/t/1";
        Registered {
            home: home.into(),
            home_variables: variables.iter().map(|v| (*v).to_owned()).collect(),
            command_folders: folders.iter().map(|f| format!("{home}{f}").into()).collect(),
        }
    }

    /// Plans on an edit alone, so that the rights of this process do not matter.
    fn edited(user: &[&str], put: &Registered) -> (Vec<String>, Vec<Replaced>) {
        let key = key(user);
        let registry = RegistryEnvironments { system: RegistryKey::default(), user: key.clone() };
        let mut edit = Edit { key: &key, name_of_key: "K".to_owned(), values: Vec::new() };
        let replaced = edit.put_variables(put).unwrap();
        let name = key.raw("Path").map_or("Path", |raw| raw.name.as_str()).to_owned();
        edit.put_entries(&name, put, &[], &registry, Scope::User).unwrap();
        let show = |c: ValueChange| {
            let after = c.after.unwrap();
            format!("{}{}={}", c.name, if after.kind == ValueKind::Expandable { ":" } else { "" }, after.text)
        };
        (edit.changes().into_iter().map(show).collect(), replaced)
    }

    #[test]
    fn a_tool_is_put_first_and_nothing_else_changes_its_meaning() {
        type Case<'a> = (&'a [&'a str], &'a [&'a str], &'a [&'a str], &'a [&'a str]);
        let one = &["/bin"][..];
        let var = &["T_HOME"][..];
        let cases: [Case; 10] = [
            (&[], one, var, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin"]),
            (&["PATH:=C:\\a;;"], one, var, &["T_HOME=/y/t/1", r"PATH:=%T_HOME%\bin;C:\a;;"]),
            // A plain value without references may become expandable.
            (&["Path=C:\\a"], one, var, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin;C:\a"]),
            // One whose parts would change their meaning stays plain, and our entry is written out.
            (&["Path=%X%;C:\\a", "X=1"], one, var, &["T_HOME=/y/t/1", r"Path=\y\t\1\bin;%X%;C:\a"]),
            (&["Path=100%;50%"], one, var, &["T_HOME=/y/t/1", r"Path:=%T_HOME%\bin;100%;50%"]),
            (&["Path:=\"C:\\a;b\""], one, var, &["T_HOME=/y/t/1", "Path:=%T_HOME%\\bin;\"C:\\a;b\""]),
            (&["Path:=C:\\a"], one, &[], &[r"Path:=\y\t\1\bin;C:\a"]),
            (&["Path=C:\\a"], one, &[], &[r"Path=\y\t\1\bin;C:\a"]),
            (&["Path:=C:\\a;%T_HOME%\\bin", "T_HOME=/y/t/1"], one, var, &[r"Path:=%T_HOME%\bin;C:\a"]),
            (&["Path:=%T_HOME%\\bin;C:\\a", "T_HOME=/y/t/1"], one, var, &[]),
        ];
        for (user, folders, variables, expected) in cases {
            let (changes, _) = edited(user, &tool(folders, variables));
            assert_eq!(changes, expected, "{user:?}");
        }
        let (changes, replaced) = edited(&["t_home:=C:\\old"], &tool(&["", "/sbin"], &["T_HOME"]));
        assert_eq!(changes, ["t_home=/y/t/1", r"Path:=%T_HOME%;%T_HOME%\sbin"]);
        assert_eq!(replaced[0].text, "C:\\old");
    }

    #[test]
    fn taking_out_brings_back_every_value_and_its_kind() {
        for user in [
            &[][..],
            &["Path=C:\\a"],
            &["PATH:=%X%;\"C:\\a;b\";;", "X=1"],
            &["Path=%X%", "X=1", "T_HOME:=C:\\old"],
            &["path=", "T_HOME=C:\\old"],
        ] {
            let before = key(user);
            let registry = RegistryEnvironments { system: RegistryKey::default(), user: before.clone() };
            let put = tool(&["/bin", ""], &["T_HOME"]);
            let path_name = before.raw("Path").map_or("Path", |raw| raw.name.as_str()).to_owned();
            let mut edit = Edit { key: &before, name_of_key: "K".to_owned(), values: Vec::new() };
            let path_is = match before.get("Path").map(|v| v.kind) {
                None => PathBefore::Missing,
                Some(ValueKind::Plain) => PathBefore::Plain,
                Some(ValueKind::Expandable) => PathBefore::Expandable,
            };
            let replaced = edit.put_variables(&put).unwrap();
            edit.put_entries(&path_name, &put, &[], &registry, Scope::User).unwrap();
            edit.take_out(&path_name, Tool { registered: &put, replaced: &replaced }).unwrap();
            edit.restore(&path_name, path_is, &[], &registry).unwrap();
            assert_eq!(edit.changes(), [], "{user:?}");
        }
    }

    #[test]
    fn what_cannot_be_edited_without_loss_is_refused() {
        let mut bad = key(&["Path:=x"]);
        bad.0[0].bytes = vec![0x00, 0xd8, 0, 0];
        let edit = Edit { key: &bad, name_of_key: "K".to_owned(), values: Vec::new() };
        assert!(matches!(edit.get("PATH"), Err(RegistryError::NotText { .. })));
        for (length, fine, findings) in [(100, true, 0), (3000, true, 1), (9000, true, 1), (32_768, false, 0)] {
            let after = Some(RegistryValue::new(ValueKind::Plain, "x".repeat(length)));
            let seen = lengths("Path", &[ValueChange { name: "Path".to_owned(), before: None, after }], "K");
            assert_eq!(seen.is_ok(), fine, "{length}");
            assert_eq!(seen.map_or(0, |f| f.len()), findings, "{length}");
        }
    }
}
