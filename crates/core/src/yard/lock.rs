//! The lock that keeps two `wyard` processes from writing at once. The system lets go of it when its holder dies.

use std::fs::{self, File, TryLockError};
use std::thread;
use std::time::{Duration, Instant};

use super::{Yard, YardError, list};
use crate::error::FileContext;

/// How long to wait for another process.
const LIMIT: Duration = Duration::from_secs(20);

/// Held while the yard is written to.
#[derive(Debug)]
#[must_use = "the yard is unlocked when this is dropped"]
pub struct YardLock {
    _file: File,
}

impl Yard {
    /// Makes the yard where there is none, waits for the lock, and clears what a broken-off process left in staging.
    ///
    /// # Errors
    /// When the yard cannot be made, or another process holds it for too long.
    pub fn lock(&self) -> Result<YardLock, YardError> {
        fs::create_dir_all(self.root()).at("make the yard", self.root())?;
        let path = self.root().join("lock");
        let file = File::options().create(true).truncate(false).write(true).open(&path).at("open", &path)?;
        let start = Instant::now();
        loop {
            match file.try_lock() {
                Ok(()) => break,
                Err(TryLockError::WouldBlock) if start.elapsed() < LIMIT => thread::sleep(Duration::from_millis(50)),
                Err(TryLockError::WouldBlock) => {
                    return Err(YardError::Locked { yard: self.root().to_owned(), seconds: LIMIT.as_secs() });
                }
                Err(TryLockError::Error(e)) => return Err(e).at("lock", &path).map_err(Into::into),
            }
        }
        self.clear_staging()?;
        Ok(YardLock { _file: file })
    }

    /// The lock of a yard that is there, where nobody holds it and the yard may be written to: for what can wait for
    /// another time.
    #[must_use]
    pub fn lock_at_once(&self) -> Option<YardLock> {
        let file = File::options().write(true).open(self.root().join("lock")).ok()?;
        file.try_lock().ok()?;
        Some(YardLock { _file: file })
    }

    fn clear_staging(&self) -> Result<(), YardError> {
        for left in list(&self.staging())? {
            fs::remove_dir_all(&left).at("clear", &left)?;
        }
        Ok(())
    }
}
