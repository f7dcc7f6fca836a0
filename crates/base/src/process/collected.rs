//! What a program writes, read by threads of their own, which wake whoever waits for it.

use std::io::Read;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::Duration;

/// Wakes who waits for something to happen.
#[derive(Clone, Default)]
pub(super) struct Bell(Arc<(Mutex<bool>, Condvar)>);

impl Bell {
    fn ring(&self) {
        *self.0.0.lock().unwrap_or_else(PoisonError::into_inner) = true;
        self.0.1.notify_all();
    }

    /// Waits until it has rung since it was last waited for, or for so long.
    pub fn wait(&self, limit: Duration) {
        let rung = self.0.0.lock().unwrap_or_else(PoisonError::into_inner);
        let waited = self.0.1.wait_timeout_while(rung, limit, |rung| !*rung);
        *waited.unwrap_or_else(PoisonError::into_inner).0 = false;
    }
}

#[derive(Clone)]
pub(super) struct Collected(Arc<Mutex<(Vec<u8>, bool)>>);

impl Collected {
    /// Keeps so many bytes of a stream; what comes after them is read and thrown away.
    pub fn from(stream: Option<impl Read + Send + 'static>, most: usize, bell: &Bell) -> Self {
        let collected = Self(Arc::new(Mutex::new((Vec::new(), stream.is_none()))));
        if let Some(mut stream) = stream {
            let (into, bell) = (collected.clone(), bell.clone());
            thread::spawn(move || {
                let mut buffer = vec![0; 1 << 14];
                while let Ok(read @ 1..) = stream.read(&mut buffer) {
                    let mut kept = into.lock();
                    let room = most - kept.0.len();
                    kept.0.extend_from_slice(&buffer[..read.min(room)]);
                    drop(kept);
                    bell.ring();
                }
                into.lock().1 = true;
                bell.ring();
            });
        }
        collected
    }

    fn lock(&self) -> MutexGuard<'_, (Vec<u8>, bool)> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What has come since it was last asked for.
    pub fn since(&self, heard: &mut usize) -> Vec<u8> {
        let kept = self.lock();
        let new = kept.0[*heard..].to_vec();
        *heard = kept.0.len();
        new
    }

    pub fn with<R>(&self, look: impl FnOnce(&[u8]) -> R) -> R {
        look(&self.lock().0)
    }

    pub fn ended(&self) -> bool {
        self.lock().1
    }

    pub fn take(&self) -> Vec<u8> {
        std::mem::take(&mut self.lock().0)
    }
}
