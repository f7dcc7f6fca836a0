//! How the core tells its caller what it is doing, and how the caller tells it to stop.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Hears how far a long piece of work has come. Every method has an empty default.
pub trait Progress: Sync {
    /// A stage begins; `total` is its size in bytes where that is known.
    fn begin(&self, _stage: &'static str, _total: Option<u64>) {}
    /// `bytes` more have been dealt with.
    fn advance(&self, _bytes: u64) {}
    /// The stage has ended.
    fn end(&self) {}
}

/// Listens to nothing.
#[derive(Debug, Clone, Copy, Default)]
pub struct Silent;

impl Progress for Silent {}

/// A flag that asks long work to end early; clones share it.
#[derive(Debug, Clone, Default)]
pub struct Stop(Arc<AtomicBool>);

impl Stop {
    /// Asks for the end.
    pub fn request(&self) {
        self.0.store(true, Ordering::SeqCst);
    }

    /// Whether the end was asked for.
    #[must_use]
    pub fn requested(&self) -> bool {
        self.0.load(Ordering::SeqCst)
    }
}
