//! The lock that keeps two `wyard` processes from writing at once. The system lets go of it when its holder dies.

use std::fs::{self, File, TryLockError};
use std::path::{Path, PathBuf};
use std::thread;
use std::time::{Duration, Instant, SystemTime};

use super::error::YardError;
use super::leftovers;
use super::place::{Yard, list_own, own_folder};
use crate::change::{Change, LedgerError, Settled};
use crate::error::{FileContext as _, FileError};
use crate::machine::Machine;
use crate::os;
use crate::registry::RegistryPlaces;
use crate::system::System;

const LIMIT: Duration = Duration::from_secs(20);

const WORD_AFTER: Duration = Duration::from_secs(1);

/// Held while the yard is written to. All changes of records, startup files and registry values are made through it.
#[derive(Debug)]
#[must_use = "the yard is unlocked when this is dropped"]
pub struct YardLock {
    _file: File,
    yard: Yard,
    places: RegistryPlaces,
    command: String,
    part_of: Option<u64>,
}

impl Yard {
    /// Makes the yard where there is none, waits for the lock, and clears up behind a call that was broken off, with
    /// `startup_files` for all that could be ones of this user.
    pub fn lock(&self, machine: &Machine, startup_files: &dyn Fn() -> Vec<PathBuf>) -> Result<YardLock, YardError> {
        check_rights(machine)?;
        os::make_folders(self.root()).at("make the yard", self.root())?;
        if !machine.is_for_everybody() {
            self.keep_private()?;
        }
        let path = self.lock_file();
        let file = File::options().create(true).truncate(false).write(true).open(&path).at("open", &path)?;
        let start = Instant::now();
        let mut told = false;
        loop {
            match file.try_lock() {
                Ok(()) => break,
                Err(TryLockError::WouldBlock) if start.elapsed() < LIMIT => {
                    if !told && start.elapsed() > WORD_AFTER {
                        told = true;
                        tracing::warn!("{} is changing the yard; waiting", self.holder());
                    }
                    thread::sleep(Duration::from_millis(50));
                }
                Err(TryLockError::WouldBlock) => {
                    let (yard, holder) = (self.root().to_owned(), self.holder());
                    return Err(YardError::Locked { yard, holder, seconds: LIMIT.as_secs() });
                }
                Err(TryLockError::Error(e)) => return Err(e).at("lock", &path).map_err(YardError::CannotLock),
            }
        }
        // Informational only, so a failure is ignored.
        let _ = fs::write(self.holder_file(), format!("process {}: {}", std::process::id(), machine.command_line));
        let lock = YardLock::new(file, self, machine);
        self.check_place()?;
        for settled in lock.settle(startup_files)? {
            tracing::warn!("{}", settled.describe());
        }
        self.clear_staging()?;
        leftovers::clear(&std::env::temp_dir(), SystemTime::now());
        Ok(lock)
    }

    /// The lock of a yard that is there, where nobody holds it and the yard may be written to.
    pub fn lock_at_once(&self, machine: &Machine) -> Option<YardLock> {
        check_rights(machine).ok()?;
        let file = File::options().write(true).open(self.lock_file()).ok()?;
        file.try_lock().ok()?;
        Some(YardLock::new(file, self, machine))
    }

    /// Whether somebody is writing. What cannot be locked is not being written to by others either.
    pub fn is_locked(&self) -> bool {
        let file = File::options().read(true).open(self.lock_file());
        file.is_ok_and(|file| matches!(file.try_lock(), Err(TryLockError::WouldBlock)))
    }

    fn lock_file(&self) -> PathBuf {
        self.root().join("lock")
    }

    fn holder_file(&self) -> PathBuf {
        self.root().join("lock.holder")
    }

    fn holder(&self) -> String {
        let text = fs::read_to_string(self.holder_file()).unwrap_or_default();
        if text.is_empty() { "another wyard".to_owned() } else { format!("another wyard ({text})") }
    }

    fn clear_staging(&self) -> Result<(), FileError> {
        list_own(&self.staging())?.iter().for_each(|left| clear_or_leave(left));
        Ok(())
    }

    /// Keeps records from other users: they hold what stands in startup files. The stock stays as it is.
    fn keep_private(&self) -> Result<(), FileError> {
        for folder in [self.cards_folder(), self.startup_before(), self.logs(), self.ledger().contents()] {
            own_folder(&folder)?;
            os::make_folders(&folder).at("make the folder", &folder)?;
            os::set_folder_mode(&folder, 0o700).at("set the rights of", &folder)?;
        }
        for file in [self.ledger().file().to_owned(), self.lock_file(), self.holder_file()] {
            let open = File::options().create(true).append(true).open(&file).at("open", &file)?;
            os::set_mode(&open, 0o600).at("set the rights of", &file)?;
        }
        Ok(())
    }
}

/// Removes what lies in staging. What cannot be removed now, as a file that is open on Windows, is told, and left to the next
/// who locks the yard.
pub fn clear_or_leave(left: &Path) {
    let is_folder = fs::symlink_metadata(left).is_ok_and(|seen| seen.is_dir());
    let cleared = if is_folder { fs::remove_dir_all(left) } else { fs::remove_file(left) };
    if let Err(why) = cleared {
        tracing::warn!("could not remove {}; the next run will retry: {why}", left.display());
    }
}

/// Whether this user is the one to write to a machine's yard; looked at before anything is written.
pub fn check_rights(machine: &Machine) -> Result<(), YardError> {
    if machine.sandbox.is_some() {
        return Ok(());
    }
    if machine.is_for_everybody() {
        if !os::is_superuser() {
            let command = match machine.system() {
                System::Unix => machine.command_line.clone(),
                System::Windows => machine.elevated_command_line.clone(),
            };
            return Err(YardError::NotSuperuser { command });
        }
        os::create_for_everybody();
    } else if os::is_superuser() && os::belongs_to_another(&machine.home) {
        return Err(YardError::ForeignHome { home: machine.home.clone() });
    }
    let untrusted = match machine.is_for_everybody() {
        true => os::untrusted_for_everybody(&machine.yard),
        false => os::untrusted_on_way(&machine.yard),
    };
    untrusted.map_or(Ok(()), |folder| Err(YardError::Untrusted { folder }))
}

impl YardLock {
    fn new(file: File, yard: &Yard, machine: &Machine) -> Self {
        let (places, command) = (machine.registry(), machine.command_line.clone());
        Self { _file: file, yard: yard.clone(), places, command, part_of: None }
    }

    pub fn yard(&self) -> &Yard {
        &self.yard
    }

    /// Makes a change, all of it or none. `None` where there was nothing to do.
    ///
    /// # Errors
    /// When it could not be made; then it says whether everything is as it was.
    pub fn carry_out(&self, change: Change) -> Result<Option<u64>, LedgerError> {
        self.yard.ledger().carry_out(&self.places, &self.command, self.part_of, change)
    }

    /// The lock, for changes that are parts of this one.
    pub fn part_of(self, group: Option<u64>) -> Self {
        Self { part_of: group, ..self }
    }

    /// Begins a change that others are parts of, such as a delivery. Its number.
    pub fn begin_group(&self, does: String) -> Result<u64, LedgerError> {
        self.yard.ledger().begin_group(&self.command, does)
    }

    /// Settles what an earlier call has left open: forward where all of it was done but the last word, else back.
    ///
    /// # Errors
    /// When that cannot be done; the record stays open.
    pub fn settle(&self, startup_files: &dyn Fn() -> Vec<PathBuf>) -> Result<Vec<Settled>, LedgerError> {
        self.yard.ledger().settle(&self.places, startup_files)
    }
}
