//! Operations carried out, and taken back. Nothing else in this crate writes to stores, startup files, or
//! the records of the yard.

use std::fs;
use std::io;
use std::path::Path;

use super::block::{block_put, block_taken};
use super::content::Content;
use super::error::FORMAT;
use super::fault;
use super::ledger::Ledger;
use super::moving::{bring_back, move_whole};
use super::operation::{Operation, Role, StoredValue, read};
use super::records::Line;
use super::undo::{list_value_back, list_value_forth};
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::registry::RegistryPlaces;
use crate::scope::Scope;
use crate::whole_file;

/// How often a file that others keep changing is looked at again.
const TRIES: u32 = 5;

pub(super) struct Executor<'a> {
    places: &'a RegistryPlaces,
    ledger: &'a Ledger,
    id: u64,
    values: bool,
}

/// So often a value is read again that others change at the same time.
const VALUE_TRIES: usize = 50;

impl<'a> Executor<'a> {
    pub fn new(places: &'a RegistryPlaces, ledger: &'a Ledger, id: u64) -> Self {
        Self { places, ledger, id, values: false }
    }

    pub fn make(&mut self, at: usize, operation: &Operation) -> Result<(), FileError> {
        match operation {
            Operation::Folder { path } => make_folder(path),
            Operation::File { path, role: Role::Restored | Role::Prepared, before, after } => {
                let is_as_planned = read(path)? == before.as_ref().map(Content::bytes);
                if !is_as_planned {
                    tracing::warn!("{} was changed by another program; left as it is", path.display());
                    return Ok(());
                }
                self.write(path, after.as_ref().map(Content::bytes).as_deref())
            }
            Operation::File { path, role: Role::Launcher, after: Some(after), .. } => {
                self.write(path, Some(&after.bytes()))?;
                os::set_folder_mode(path, 0o755).at("set the rights of", path)
            }
            Operation::File { path, after, .. } => self.write(path, after.as_ref().map(Content::bytes).as_deref()),
            Operation::Startup { path, line, before, after } => {
                let bytes = |content: &Option<Content>| content.as_ref().map(Content::bytes);
                self.startup(Some(at), path, &line.bytes(), bytes(before), bytes(after))
            }
            Operation::Value { scope, name, before, after } => {
                let busy = || {
                    let why = io::Error::new(io::ErrorKind::ResourceBusy, "another program has just changed it");
                    Err(why).at("write the registry value", Path::new(name))
                };
                let is_list = name.eq_ignore_ascii_case("Path");
                for _ in 0..VALUE_TRIES {
                    let now = self.get(*scope, name)?;
                    // Another program may have written there since. In a list our part is put in or taken out all the same.
                    let forth = || list_value_forth(now.as_ref(), before.as_ref(), after.as_ref());
                    let wanted = match now == *before {
                        true => after.clone(),
                        false => match forth().filter(|_| is_list) {
                            Some(wanted) => Some(wanted),
                            None => return busy(),
                        },
                    };
                    if self.exchange(*scope, name, now.as_ref(), wanted.as_ref())? {
                        return Ok(());
                    }
                }
                busy()
            }
            Operation::Move { from, to } => shift(from, to),
        }
    }

    /// Takes a change back, where it was made; what others have done since stays.
    pub fn take_back(&mut self, operation: &Operation) -> Result<(), FileError> {
        match operation {
            Operation::Folder { path } => {
                // One that holds something by now stays.
                match fs::remove_dir(path) {
                    Err(e) if e.kind() != io::ErrorKind::NotFound => {
                        tracing::debug!(folder = %path.display(), "stays");
                    }
                    _ => {}
                }
                Ok(())
            }
            Operation::File { path, before, after, .. } => {
                let bytes = |content: &Option<Content>| content.as_ref().map(Content::bytes);
                match read(path)? == bytes(after) {
                    true => self.write(path, bytes(before).as_deref()),
                    false => Ok(()),
                }
            }
            Operation::Startup { path, line, before, after } => {
                let bytes = |content: &Option<Content>| content.as_ref().map(Content::bytes);
                if read(path)? == bytes(before) {
                    return Ok(());
                }
                self.startup(None, path, &line.bytes(), bytes(after), bytes(before))
            }
            Operation::Value { scope, name, before, after } => {
                for _ in 0..VALUE_TRIES {
                    let now = self.get(*scope, name)?;
                    let is_list = name.eq_ignore_ascii_case("Path") && now != *before;
                    let back = || list_value_back(now.as_ref(), after.as_ref(), before.as_ref());
                    let wanted = match now == *after {
                        true => before.clone(),
                        false => match back().filter(|_| is_list) {
                            Some(wanted) => Some(wanted),
                            None => return Ok(()),
                        },
                    };
                    if self.exchange(*scope, name, now.as_ref(), wanted.as_ref())? {
                        return Ok(());
                    }
                }
                let why = io::Error::new(io::ErrorKind::ResourceBusy, "other programs keep changing it");
                Err(why).at("write the registry value", Path::new(name))
            }
            Operation::Move { from, to } => {
                let was_cut_short = bring_back(from, to).at("bring back", from)?;
                if was_cut_short || !to.exists() || from.exists() { Ok(()) } else { shift(to, from) }
            }
        }
    }

    pub fn is_made(&self, operation: &Operation) -> bool {
        let is = |path: &Path, after: &Option<Content>| {
            read(path).is_ok_and(|now| now == after.as_ref().map(Content::bytes))
        };
        match operation {
            Operation::Folder { path } => path.is_dir(),
            Operation::File { path, after, .. } | Operation::Startup { path, after, .. } => is(path, after),
            Operation::Value { scope, name, after, .. } => self.get(*scope, name).is_ok_and(|now| now == *after),
            Operation::Move { from, to } => to.exists() && !from.exists(),
        }
    }

    /// Removes what a write that was killed has left beside its target.
    pub fn clear_up(&self, operations: &[Operation]) {
        for operation in operations {
            let (Operation::File { path, .. } | Operation::Startup { path, .. }) = operation else { continue };
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
                if let Some(operation) = at {
                    let mut copies = self.ledger.copies();
                    let mut recorded = |bytes: &Option<Vec<u8>>| {
                        bytes.clone().map(|bytes| copies.record(path, &bytes.into())).transpose()
                    };
                    let (before, after) = (recorded(&from)?, recorded(&into)?);
                    self.ledger.add(&Line::Amend { format: FORMAT, id: self.id, operation, before, after })?;
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

    fn get(&self, scope: Scope, name: &str) -> Result<Option<StoredValue>, FileError> {
        Ok(self.places.value(scope, name)?.as_ref().map(StoredValue::from))
    }

    /// Writes a value that is still as it was seen; says whether it was.
    fn exchange(
        &mut self,
        scope: Scope,
        name: &str,
        seen: Option<&StoredValue>,
        value: Option<&StoredValue>,
    ) -> Result<bool, FileError> {
        let place = self.places.of_scope(scope);
        fault::step().at("write the registry key", &place.as_path())?;
        let [seen, value] = [seen, value].map(|value| value.map(|value| (value.kind, value.bytes())));
        tracing::info!(%place, name, "write");
        let done = place.exchange(
            name,
            seen.as_ref().map(|(kind, bytes)| (*kind, bytes.as_slice())),
            value.as_ref().map(|(kind, bytes)| (*kind, bytes.as_slice())),
        )?;
        self.values |= done;
        fault::step().at("write the registry key", &place.as_path())?;
        Ok(done)
    }
}

fn make_folder(path: &Path) -> Result<(), FileError> {
    fault::step().at("make the folder", path)?;
    os::make_folders(path).at("make the folder", path)
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
        os::make_folders(folder).at("make the folder", folder)?;
    }
    move_whole(from, to).at("move", from)?;
    for folder in [from.parent(), to.parent()].into_iter().flatten() {
        os::flush_folder(folder).at("flush the folder", folder)?;
    }
    fault::step().at("move", from)
}

fn has_block(content: Option<&[u8]>, line: &[u8]) -> bool {
    content.is_some_and(|content| block_taken(Some(content), line).as_deref() != Some(content))
}
