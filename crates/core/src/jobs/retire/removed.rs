//! Retired folders that are removed for good.

use std::fs;
use std::path::PathBuf;
use std::time::{Duration, SystemTime};

use crate::change::{Change, Changeset};
use crate::clock;
use crate::error::{FileContext as _, FileError};
use crate::session::SessionError;
use crate::yard::{Yard, YardLock, list_own};

/// How long a retired folder is kept.
const KEPT: Duration = Duration::from_secs(30 * 24 * 60 * 60);

/// Removes what has been kept for long enough.
pub(crate) fn remove_old(yard: &Yard, lock: &YardLock) -> Result<Vec<PathBuf>, SessionError> {
    remove(yard, lock, |age| age > KEPT)
}

pub(super) fn kept_folders(yard: &Yard) -> Result<Vec<PathBuf>, FileError> {
    list_own(&yard.retired())
}

/// Removes retired folders of an age for good: into staging first, by way of the ledger, and then from the disk.
pub(super) fn remove(
    yard: &Yard,
    lock: &YardLock,
    goes: impl Fn(Duration) -> bool,
) -> Result<Vec<PathBuf>, SessionError> {
    let kept = kept_folders(yard)?;
    // The number of the change that brought it there is the end of its name.
    let id = |folder: &PathBuf| -> Option<u64> { folder.extension()?.to_str()?.parse().ok() };
    let told = yard.ledger().read_back_to(kept.iter().filter_map(id).min().unwrap_or(u64::MAX))?;
    let now = SystemTime::now();
    let age = |folder: &PathBuf| {
        let id = id(folder)?;
        let time = clock::parse(&told.records.iter().find(|record| record.id == id)?.time)?;
        now.duration_since(time).ok()
    };
    // Of what nobody knows anything the age is none: it goes only where all do.
    let gone: Vec<PathBuf> = kept.into_iter().filter(|folder| goes(age(folder).unwrap_or_default())).collect();
    let mut changeset = Changeset::default();
    for folder in &gone {
        changeset.shift(folder, &yard.staging().join(folder.file_name().unwrap_or_default()));
    }
    lock.carry_out(Change { does: "remove retired tools for good".to_owned(), undoes: None, changeset })?;
    for folder in &gone {
        let place = yard.staging().join(folder.file_name().unwrap_or_default());
        fs::remove_dir_all(&place).at("remove", &place)?;
    }
    Ok(gone)
}
