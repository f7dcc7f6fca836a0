//! What commands mean under one PATH and under another.

use std::collections::{BTreeMap, HashMap};
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::folders::commands_in;
use crate::resolve::same_file;
use crate::system::System;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct MeaningChange {
    pub name: String,
    /// The file before; null where there was none.
    pub before: Option<PathBuf>,
    /// The file after; null where there is none.
    pub after: Option<PathBuf>,
}

/// The commands of folders, each looked into once.
#[derive(Debug)]
pub struct Commands {
    system: System,
    known: HashMap<PathBuf, Vec<String>>,
}

impl Commands {
    /// None looked into yet, under the rules of a system.
    pub fn new(system: System) -> Self {
        Self { system, known: HashMap::new() }
    }

    /// Every command of a PATH, with the file it means.
    fn all(&mut self, folders: &[PathBuf]) -> BTreeMap<String, PathBuf> {
        let mut meanings = BTreeMap::new();
        for folder in folders {
            for name in self.of(folder) {
                meanings.entry(name.clone()).or_insert_with(|| folder.join(name));
            }
        }
        meanings
    }

    fn of(&mut self, folder: &Path) -> &[String] {
        self.known.entry(folder.to_owned()).or_insert_with(|| commands_in(folder, self.system))
    }

    /// The commands that mean another file under the second PATH. The same file by another way is no change.
    pub fn changes(&mut self, before: &[PathBuf], after: &[PathBuf]) -> Vec<MeaningChange> {
        let (before, mut after) = (self.all(before), self.all(after));
        let mut changes = Vec::new();
        for (name, file) in before {
            let now = after.remove(&name);
            if !now.as_ref().is_some_and(|now| same_file(&file, now)) {
                changes.push(MeaningChange { name, before: Some(file), after: now });
            }
        }
        changes.extend(after.into_iter().map(|(name, file)| MeaningChange { name, before: None, after: Some(file) }));
        changes.sort_by(|a, b| a.name.cmp(&b.name));
        changes
    }
}
