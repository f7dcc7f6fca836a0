//! The yard's folder, and what lies where in it.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use super::card::Card;
use super::error::YardError;
use super::settings::Settings;
use crate::change::{Changeset, Ledger, Role};
use crate::error::{FileContext as _, FileError};
use crate::naming::{ToolName, Version};

#[derive(Debug, Clone)]
pub struct Yard {
    root: PathBuf,
    ledger: Ledger,
    /// The cards that were read, with their texts: a delivery reads all of them for each of its tools.
    pub(super) read: Arc<Mutex<HashMap<PathBuf, (String, Card)>>>,
}

impl Yard {
    pub fn at(root: &Path) -> Self {
        Self { root: root.to_owned(), ledger: Ledger::at(root), read: Arc::default() }
    }

    pub fn root(&self) -> &Path {
        &self.root
    }

    pub fn home(&self, name: &ToolName, version: &Version) -> PathBuf {
        self.stock_folder().join(name.as_str()).join(version.as_str())
    }

    /// The home of a card's tool: in the stock, or where it was adopted.
    pub fn home_of(&self, card: &Card) -> PathBuf {
        card.folder.clone().unwrap_or_else(|| self.home(&card.name, &card.version))
    }

    /// The folder for what is not finished yet.
    pub fn staging(&self) -> PathBuf {
        self.root.join("staging")
    }

    pub fn terminal(&self) -> PathBuf {
        self.root.join("terminal")
    }

    pub fn logs(&self) -> PathBuf {
        self.root.join("logs")
    }

    /// The folder for files that were fetched, until they are received.
    pub fn downloads(&self) -> PathBuf {
        self.root.join("downloads")
    }

    pub fn last_snapshot(&self) -> PathBuf {
        self.root.join("last-snapshot.json.gz")
    }

    /// The folder for tools that were taken out of the stock.
    pub fn retired(&self) -> PathBuf {
        self.root.join("retired")
    }

    /// Where a tool goes that the change of this number takes out of the stock.
    pub fn retired_home(&self, name: &ToolName, version: &Version, change: u64) -> PathBuf {
        self.retired().join(format!("{name}@{version}.{change}"))
    }

    /// The folder for startup files as they were before their first change.
    pub fn startup_before(&self) -> PathBuf {
        self.root.join("startup-before")
    }

    pub fn settings_file(&self) -> PathBuf {
        self.root.join("settings.toml")
    }

    pub fn settings(&self) -> Result<Settings, YardError> {
        Ok(read_record(&self.settings_file())?.unwrap_or_default())
    }

    pub fn ledger(&self) -> Ledger {
        self.ledger.clone()
    }

    pub(super) fn stock_folder(&self) -> PathBuf {
        self.root.join("stock")
    }

    pub(super) fn cards_folder(&self) -> PathBuf {
        self.root.join("cards")
    }

    pub fn card_file(&self, name: &ToolName, version: &Version) -> PathBuf {
        // Not `with_extension`: a version has dots of its own.
        self.cards_folder().join(name.as_str()).join(format!("{version}.toml"))
    }

    pub fn put_card(&self, changeset: &mut Changeset, card: &Card) -> Result<(), YardError> {
        let text = toml::to_string_pretty(card).map_err(YardError::Write)?;
        Ok(changeset.file(&self.card_file(&card.name, &card.version), Role::Card, Some(text.into_bytes()))?)
    }

    pub fn remove_card(&self, changeset: &mut Changeset, card: &Card) -> Result<(), YardError> {
        Ok(changeset.file(&self.card_file(&card.name, &card.version), Role::Card, None)?)
    }
}

/// Reads a record in TOML; `None` where there is none.
pub(super) fn read_record<T: serde::de::DeserializeOwned>(file: &Path) -> Result<Option<T>, YardError> {
    match fs::read_to_string(file) {
        Ok(text) => {
            toml::from_str(&text).map(Some).map_err(|source| YardError::Record { file: file.to_owned(), source })
        }
        Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(e).at("read", file).map_err(Into::into),
    }
}

/// What lies in a folder, by name; nothing where there is no such folder.
/// Whether a folder of the yard is there, and is one: what is cleared or removed in it must not lie elsewhere.
pub(super) fn own_folder(folder: &Path) -> Result<bool, FileError> {
    match fs::symlink_metadata(folder) {
        Ok(seen) if seen.is_dir() => Ok(true),
        Ok(_) => {
            let error = io::Error::new(
                io::ErrorKind::NotADirectory,
                "not a folder of the yard: a link or a file is in its place",
            );
            Err(error).at("use", folder)
        }
        Err(_) => Ok(false),
    }
}

/// What is in a folder of the yard that is cleared or removed.
pub fn list_own(folder: &Path) -> Result<Vec<PathBuf>, FileError> {
    if own_folder(folder)? { list(folder) } else { Ok(Vec::new()) }
}

pub(super) fn list(folder: &Path) -> Result<Vec<PathBuf>, FileError> {
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(e) if e.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(e).at("list the folder", folder),
    };
    let mut paths = Vec::new();
    for entry in entries {
        paths.push(entry.at("list the folder", folder)?.path());
    }
    paths.sort();
    Ok(paths)
}
