//! The lock that keeps two `wyard` processes from writing at once. The system lets go of it when its holder dies.

use std::fs::{self, File, TryLockError};
use std::io::Write as _;
use std::path::PathBuf;
use std::thread;
use std::time::{Duration, Instant};

use super::{Card, Yard, YardError, list};
use crate::error::{FileContext as _, FileError};
use crate::os;

/// How long to wait for another process.
const LIMIT: Duration = Duration::from_secs(20);

/// After so long somebody who waits is told.
const WORD_AFTER: Duration = Duration::from_secs(1);

/// Held while the yard is written to.
#[derive(Debug)]
#[must_use = "the yard is unlocked when this is dropped"]
pub struct YardLock {
    _file: File,
    yard: Yard,
}

impl Yard {
    /// Makes the yard where there is none, waits for the lock, and clears up behind a call that was broken off.
    ///
    /// # Errors
    /// When the yard cannot be made or put in order, or another process holds it for too long.
    pub fn lock(&self) -> Result<YardLock, YardError> {
        self.check_rights()?;
        fs::create_dir_all(self.root()).at("make the yard", self.root())?;
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
                        tracing::warn!("{} is changing the yard; waiting for it to end", self.holder());
                    }
                    thread::sleep(Duration::from_millis(50));
                }
                Err(TryLockError::WouldBlock) => {
                    let (yard, holder) = (self.root().to_owned(), self.holder());
                    return Err(YardError::Locked { yard, holder, seconds: LIMIT.as_secs() });
                }
                Err(TryLockError::Error(e)) => return Err(e).at("lock", &path).map_err(Into::into),
            }
        }
        // Who reads it only wants to know whom to wait for.
        let _ = fs::write(self.holder_file(), format!("process {}: {}", std::process::id(), self.command()));
        let lock = YardLock { _file: file, yard: self.clone() };
        for settled in lock.settle()? {
            tracing::warn!("{}", settled.words());
        }
        self.clear_staging()?;
        Ok(lock)
    }

    /// Whether this user is the one to write there; looked at before anything is written.
    ///
    /// # Errors
    /// When that is somebody else.
    pub fn check_rights(&self) -> Result<(), YardError> {
        if self.sandbox.is_some() {
            return Ok(());
        }
        if self.for_everybody {
            if !os::is_superuser() {
                return Err(YardError::NotSuperuser { command: self.command.clone() });
            }
            os::create_for_everybody();
        } else if os::is_superuser() && os::belongs_to_another(&self.home) {
            return Err(YardError::ForeignHome { home: self.home.clone() });
        }
        Ok(())
    }

    /// The lock of a yard that is there, where nobody holds it and the yard may be written to.
    #[must_use]
    pub fn lock_at_once(&self) -> Option<YardLock> {
        self.check_rights().ok()?;
        let file = File::options().write(true).open(self.lock_file()).ok()?;
        file.try_lock().ok()?;
        Some(YardLock { _file: file, yard: self.clone() })
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
        for left in list(&self.staging())? {
            let cleared = if left.is_dir() { fs::remove_dir_all(&left) } else { fs::remove_file(&left) };
            cleared.at("clear", &left)?;
        }
        Ok(())
    }
}

impl YardLock {
    /// The yard that is locked.
    pub(super) fn yard(&self) -> &Yard {
        &self.yard
    }

    /// Writes down on a card how its commands answered. That is learned and no change: the ledger has nothing to tell of
    /// it, and nothing to take back.
    ///
    /// # Errors
    /// When the card cannot be written.
    pub fn remember_answers(&self, card: &Card) -> Result<(), YardError> {
        let text = toml::to_string_pretty(card).map_err(YardError::Write)?;
        let (staging, target) = (self.yard.staging(), self.yard.card_file(&card.name, &card.version));
        fs::create_dir_all(&staging).at("make the folder", &staging)?;
        // Whoever is killed in between leaves it where the next one clears up.
        let mut temporary = tempfile::NamedTempFile::new_in(&staging).at("make a file in", &staging)?;
        temporary.write_all(text.as_bytes()).at("write a file in", &staging)?;
        os::set_mode(temporary.as_file(), 0o644).at("set the rights of", &target)?;
        temporary.as_file().sync_all().at("flush", &target)?;
        temporary.persist(&target).map_err(|e| e.error).at("replace", &target)?;
        Ok(())
    }
}
