//! The hand that makes and takes back elementary changes. Nothing else in this crate writes to stores, startup files, or
//! the records of the yard.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use super::act::{Act, Acts, Content, StoredValue, read};
use super::record::{FORMAT, Ledger, Line};
use super::{LedgerError, fault};
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::path_list::windows;
use crate::store::registry::{Keys, PathBefore, ValueKind};
use crate::store::{block_put, block_taken};
use crate::whole_file;
use crate::yard::{Card, Scope, Yard, YardError};

/// How often a file that others keep changing is looked at again.
const TRIES: u32 = 5;

pub(super) struct Hand<'a> {
    keys: Keys,
    ledger: &'a Ledger,
    id: u64,
    values: bool,
}

impl<'a> Hand<'a> {
    pub fn new(yard: &Yard, ledger: &'a Ledger, id: u64) -> Self {
        Self { keys: yard.keys(), ledger, id, values: false }
    }

    /// Makes a change.
    pub fn make(&mut self, at: usize, act: &Act) -> Result<(), FileError> {
        match act {
            Act::Folder { path } => make_folder(path),
            Act::File { path, after, .. } => self.write(path, after.as_ref().map(Content::bytes).as_deref()),
            Act::Startup { path, line, before, after } => {
                let bytes = |content: &Option<Content>| content.as_ref().map(Content::bytes);
                self.startup(Some(at), path, &line.bytes(), bytes(before), bytes(after))
            }
            Act::Value { scope, name, after, .. } => self.set(*scope, name, after.as_ref()),
            Act::Move { from, to } => shift(from, to),
        }
    }

    /// Takes a change back, where it was made; what others have done since stays.
    pub fn take_back(&mut self, act: &Act) -> Result<(), FileError> {
        match act {
            Act::Folder { path } => {
                // One that holds something by now stays.
                match fs::remove_dir(path) {
                    Err(e) if e.kind() != io::ErrorKind::NotFound => {
                        tracing::debug!(folder = %path.display(), "stays");
                    }
                    _ => {}
                }
                Ok(())
            }
            Act::File { path, before, after, .. } => {
                let bytes = |content: &Option<Content>| content.as_ref().map(Content::bytes);
                match read(path)? == bytes(after) {
                    true => self.write(path, bytes(before).as_deref()),
                    false => Ok(()),
                }
            }
            Act::Startup { path, line, before, after } => {
                let bytes = |content: &Option<Content>| content.as_ref().map(Content::bytes);
                if read(path)? == bytes(before) {
                    return Ok(());
                }
                self.startup(None, path, &line.bytes(), bytes(after), bytes(before))
            }
            Act::Value { scope, name, before, after } => {
                let now = self.get(*scope, name)?;
                if now == *after {
                    return self.set(*scope, name, before.as_ref());
                }
                let is_list = name.eq_ignore_ascii_case("Path") && now != *before;
                match merged(now.as_ref(), after.as_ref(), before.as_ref()).filter(|_| is_list) {
                    Some(merged) => self.set(*scope, name, Some(&merged)),
                    None => Ok(()),
                }
            }
            Act::Move { from, to } if to.exists() && !from.exists() => shift(to, from),
            Act::Move { .. } => Ok(()),
        }
    }

    /// Whether a change has been made.
    pub fn is_made(&self, act: &Act) -> bool {
        let is = |path: &Path, after: &Option<Content>| {
            read(path).is_ok_and(|now| now == after.as_ref().map(Content::bytes))
        };
        match act {
            Act::Folder { path } => path.is_dir(),
            Act::File { path, after, .. } | Act::Startup { path, after, .. } => is(path, after),
            Act::Value { scope, name, after, .. } => self.get(*scope, name).is_ok_and(|now| now == *after),
            Act::Move { from, to } => to.exists() && !from.exists(),
        }
    }

    /// Removes what a write that was killed has left beside its target.
    pub fn clear_up(&self, acts: &[Act]) {
        for act in acts {
            let (Act::File { path, .. } | Act::Startup { path, .. }) = act else { continue };
            let target = whole_file::real_target(path).unwrap_or_else(|_| path.clone());
            let folder = target.parent().unwrap_or(Path::new("."));
            for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
                if entry.file_name().to_string_lossy().starts_with(&self.prefix()) {
                    // A leftover that stays is ugly and does no harm.
                    let _ = fs::remove_file(entry.path());
                }
            }
        }
    }

    /// Tells running programs of values that were changed.
    pub fn announce(&mut self) {
        if std::mem::take(&mut self.values) {
            os::announce_environment();
        }
    }

    fn prefix(&self) -> String {
        format!(".wyard-{}-", self.id)
    }

    fn write(&self, path: &Path, content: Option<&[u8]>) -> Result<(), FileError> {
        fault::step().at("write", path)?;
        match content {
            Some(content) => {
                let ready = || fault::step().map(|()| true);
                whole_file::replace_by(path, content, &self.prefix(), ready).map(|_| ())
            }
            None => remove(path),
        }
    }

    /// Writes a startup file that is as it was when this was planned; else what is there now gets or loses the block. The
    /// look and the writing lie next to each other, with nothing in between but the new name.
    fn startup(
        &self,
        at: Option<usize>,
        path: &Path,
        line: &[u8],
        mut from: Option<Vec<u8>>,
        mut into: Option<Vec<u8>>,
    ) -> Result<(), FileError> {
        for _ in 0..TRIES {
            fault::step().at("write", path)?;
            let now = read(path)?;
            if now == into {
                return Ok(());
            }
            if now != from {
                let wanted = has_block(into.as_deref(), line);
                into = match wanted {
                    true => Some(block_put(now.as_deref(), line)),
                    false => block_taken(now.as_deref(), line),
                };
                from = now;
                if let Some(act) = at {
                    let content = |bytes: &Option<Vec<u8>>| bytes.clone().map(Content::from);
                    let (before, after) = (content(&from), content(&into));
                    self.add(&Line::Amend { format: FORMAT, id: self.id, act, before, after })?;
                }
                continue;
            }
            let Some(content) = &into else {
                return remove(path);
            };
            let unchanged = || fault::step().and_then(|()| Ok(read(path).map_err(|e| e.source)? == from));
            if whole_file::replace_by(path, content, &self.prefix(), unchanged)? {
                return Ok(());
            }
        }
        Err(io::Error::new(io::ErrorKind::ResourceBusy, "another program keeps changing it")).at("write", path)
    }

    fn add(&self, line: &Line) -> Result<(), FileError> {
        match self.ledger.add(line) {
            Err(LedgerError::File(e)) => Err(e),
            _ => Ok(()),
        }
    }

    fn get(&self, scope: Scope, name: &str) -> Result<Option<StoredValue>, FileError> {
        stored(&self.keys, scope, name)
    }

    fn set(&mut self, scope: Scope, name: &str, value: Option<&StoredValue>) -> Result<(), FileError> {
        let (machine_wide, key) = self.keys.place(scope);
        let place = PathBuf::from(self.keys.words(scope));
        fault::step().at("write the registry key", &place)?;
        let value = value.map(|value| (value.kind, value.bytes()));
        tracing::info!(key, name, "write");
        let bytes = value.as_ref().map(|(kind, bytes)| (*kind, bytes.as_slice()));
        os::write_registry_value(machine_wide, &key, name, bytes).at("write the registry key", &place)?;
        self.values = true;
        fault::step().at("write the registry key", &place)
    }
}

fn make_folder(path: &Path) -> Result<(), FileError> {
    fault::step().at("make the folder", path)?;
    match fs::create_dir(path) {
        Err(e) if e.kind() == io::ErrorKind::AlreadyExists => Ok(()),
        other => other.at("make the folder", path),
    }
}

fn remove(path: &Path) -> Result<(), FileError> {
    let target = whole_file::real_target(path)?;
    match fs::remove_file(&target) {
        Err(e) if e.kind() != io::ErrorKind::NotFound => return Err(e).at("remove", path),
        _ => {}
    }
    fault::step().at("remove", path)
}

fn shift(from: &Path, to: &Path) -> Result<(), FileError> {
    fault::step().at("move", from)?;
    if let Some(folder) = to.parent() {
        fs::create_dir_all(folder).at("make the folder", folder)?;
    }
    fs::rename(from, to).at("move", from)?;
    for folder in [from.parent(), to.parent()].into_iter().flatten() {
        os::flush_folder(folder).at("flush the folder", folder)?;
    }
    fault::step().at("move", from)
}

fn has_block(content: Option<&[u8]>, line: &[u8]) -> bool {
    content.is_some_and(|content| block_taken(Some(content), line).as_deref() != Some(content))
}

impl Yard {
    /// What takes back the values of the registry that these acts have changed. `cards` are those there will be: with the
    /// last one of a scope `Path` is again of the kind that it was, or goes.
    ///
    /// # Errors
    /// When values or records cannot be read.
    pub fn values_back(&self, acts: &[Act], cards: &[Card]) -> Result<Acts, YardError> {
        let mut back = Acts::default();
        for act in acts.iter().rev() {
            let Act::Value { scope, name, before, after } = act else { continue };
            let now = stored(&self.keys(), *scope, name)?;
            let is_path = name.eq_ignore_ascii_case("Path");
            let mut wanted = if now == *after {
                before.clone()
            } else if is_path {
                merged(now.as_ref(), after.as_ref(), before.as_ref()).or_else(|| now.clone())
            } else {
                // Somebody else has set it since, and it is theirs.
                now.clone()
            };
            let used = cards.iter().any(|card| card.registration.as_ref().is_some_and(|r| r.scope == *scope));
            if is_path && !used && now != *after {
                let text = wanted.as_ref().and_then(|value| value.text.clone()).unwrap_or_default();
                match self.path_before(*scope)? {
                    Some(PathBefore::Missing) if text.is_empty() => wanted = None,
                    Some(PathBefore::Plain) if !text.contains('%') => {
                        wanted = wanted.map(|value| StoredValue { kind: ValueKind::Plain.number(), ..value });
                    }
                    _ => {}
                }
            }
            if wanted != now {
                back.push(Act::Value { scope: *scope, name: name.clone(), before: now, after: wanted });
            }
        }
        Ok(back)
    }
}

fn stored(keys: &Keys, scope: Scope, name: &str) -> Result<Option<StoredValue>, FileError> {
    let (machine_wide, key) = keys.place(scope);
    let values = os::registry_values(machine_wide, &key).at("read the registry key", Path::new(&key))?;
    Ok(values.iter().find(|value| value.name.to_uppercase() == name.to_uppercase()).map(StoredValue::from))
}

/// The value that is there now, with our part of a list of folders taken back: what we added goes, what we took away comes
/// back behind what it stood behind. `None` where the value is gone, or only the order was changed.
pub(super) fn merged(
    now: Option<&StoredValue>,
    after: Option<&StoredValue>,
    before: Option<&StoredValue>,
) -> Option<StoredValue> {
    let now = now?;
    fn text(value: Option<&StoredValue>) -> Option<&str> {
        value.map_or(Some(""), |value| value.text.as_deref())
    }
    let parts = |text: &str| -> Vec<String> {
        windows::parts(text).into_iter().filter(|part| !part.is_empty()).map(str::to_owned).collect()
    };
    let (old, new) = (parts(text(before)?), parts(text(after)?));
    let less = |some: &[String], others: &[String]| -> Vec<String> {
        let mut left = others.to_vec();
        let mut rest = some.to_vec();
        rest.retain(|part| match left.iter().position(|other| other == part) {
            Some(at) => {
                left.remove(at);
                false
            }
            None => true,
        });
        rest
    };
    let (added, taken) = (less(&new, &old), less(&old, &new));
    if added.is_empty() && taken.is_empty() {
        return None;
    }
    let mut all: Vec<String> = windows::parts(now.text.as_deref()?).into_iter().map(str::to_owned).collect();
    for part in &added {
        if let Some(at) = all.iter().position(|other| other == part) {
            all.remove(at);
        }
    }
    for part in &taken {
        let before_it = old.iter().position(|other| other == part).unwrap_or(0);
        let anchor = old[..before_it].iter().rev().find_map(|other| all.iter().position(|there| there == other));
        all.insert(anchor.map_or(0, |at| at + 1), part.clone());
    }
    let joined = all.join(";");
    let bytes: Vec<u8> = joined.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
    Some(StoredValue::new(now.kind, &bytes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_our_part_of_a_list_is_taken_back() {
        let value = |text: &str| {
            let bytes: Vec<u8> = text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
            StoredValue::new(2, &bytes)
        };
        for (before, after, now, expected) in [
            (r"C:\a;C:\b", r"C:\t;C:\a;C:\b", r"C:\x;C:\t;C:\a", Some(r"C:\x;C:\a")),
            (r"C:\a;C:\b", r"C:\a", r"C:\a;C:\x", Some(r"C:\a;C:\b;C:\x")),
            (r"C:\a;C:\b", r"C:\b;C:\a", r"C:\b;C:\a;C:\x", None),
            ("", r"C:\t", r"C:\x;C:\t", Some(r"C:\x")),
        ] {
            let merged = merged(Some(&value(now)), Some(&value(after)), Some(&value(before)));
            assert_eq!(merged.and_then(|value| value.text).as_deref(), expected, "{now}");
        }
    }
}
