//! How the core tells its caller what it is doing, and how the caller tells it to stop.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, PoisonError};

/// Hears how far a long piece of work has come. Every method has an empty default.
pub trait Progress: Sync {
    /// A stage begins; `total` is its size in bytes where that is known.
    fn begin(&self, _stage: &'static str, _total: Option<u64>) {}
    /// `bytes` more have been dealt with.
    fn advance(&self, _bytes: u64) {}
    fn end(&self) {}
}

#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Progress for Silent {}

/// A flag that asks long work to end early; clones share it.
#[derive(Debug, Clone, Default)]
pub struct Stop(Arc<AtomicBool>);

impl Stop {
    pub fn request(&self) {
        self.0.store(true, Ordering::SeqCst);
    }

    pub fn requested(&self) -> bool {
        self.0.load(Ordering::SeqCst)
    }
}

/// A processor that is busy with something else, for one thread to wait for.
#[derive(Debug, Default)]
pub struct Processor {
    free: Mutex<bool>,
    freed: Condvar,
}

impl Processor {
    pub fn free() -> Self {
        Self { free: Mutex::new(true), freed: Condvar::new() }
    }

    /// Keeps it busy until what is returned is dropped.
    pub fn in_use(&self) -> impl Drop + use<'_> {
        struct InUse<'a>(&'a Processor);
        impl Drop for InUse<'_> {
            fn drop(&mut self) {
                *self.0.free.lock().unwrap_or_else(PoisonError::into_inner) = true;
                self.0.freed.notify_all();
            }
        }
        InUse(self)
    }

    /// Waits until it is free, or one that was in use beside it is.
    pub fn wait(&self) {
        let free = self.free.lock().unwrap_or_else(PoisonError::into_inner);
        drop(self.freed.wait_while(free, |free| !*free).unwrap_or_else(PoisonError::into_inner));
    }
}
