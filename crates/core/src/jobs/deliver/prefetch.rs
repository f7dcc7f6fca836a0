//! Downloads of a delivery, several at a time, before its tools are received one after the other.

use std::collections::{HashMap, VecDeque};
use std::sync::{Mutex, PoisonError};
use std::thread;

use crate::download::{Address, DownloadError, Downloads, Transport};
use crate::progress::Progress;
use crate::session::{JobError, Session};
use crate::yard::check_rights;

/// At most this many servers are asked at a time.
const AT_A_TIME: usize = 4;

/// Hears how many bytes came, of all downloads together.
struct SharedProgress<'a>(&'a dyn Progress);

impl Progress for SharedProgress<'_> {
    fn advance(&self, bytes: u64) {
        self.0.advance(bytes);
    }
}

/// Fetches files into the yard's downloads, where `receive` finds them. What does not come is given with its reason.
pub(super) fn prefetch(
    session: &Session,
    addresses: Vec<Address>,
    progress: &dyn Progress,
) -> Result<HashMap<String, DownloadError>, JobError> {
    let certificates = session.settings()?.certificates.clone();
    let transport = Transport::new(&session.machine.environment, certificates.as_deref())?;
    check_rights(&session.machine)?;
    let downloads = Downloads::at(session.yard.downloads());
    let waiting = Mutex::new(VecDeque::from(addresses));
    let failed = Mutex::new(HashMap::new());
    let next = || waiting.lock().unwrap_or_else(PoisonError::into_inner).pop_front();
    progress.begin("download", None);
    thread::scope(|scope| {
        for _ in 0..AT_A_TIME {
            scope.spawn(|| {
                while let Some(address) = next() {
                    if let Err(error) = downloads.get(&address, &transport, &SharedProgress(progress), &session.stop) {
                        failed.lock().unwrap_or_else(PoisonError::into_inner).insert(address.to_string(), error);
                    }
                }
            });
        }
    });
    progress.end();
    Ok(failed.into_inner().unwrap_or_else(PoisonError::into_inner))
}
