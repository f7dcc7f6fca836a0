//! Work on several things at a time.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};
use std::thread;

/// Does the same to each item with at most `most` at a time; results in the order of the items.
pub fn side_by_side<'a, T: Sync, R: Send>(items: &'a [T], most: usize, work: impl Fn(&'a T) -> R + Sync) -> Vec<R> {
    let next = AtomicUsize::new(0);
    let results: Mutex<Vec<Option<R>>> = Mutex::new(items.iter().map(|_| None).collect());
    thread::scope(|scope| {
        for _ in 0..most.min(items.len()) {
            scope.spawn(|| {
                while let Some((index, item)) = {
                    let index = next.fetch_add(1, Ordering::Relaxed);
                    items.get(index).map(|item| (index, item))
                } {
                    let result = work(item);
                    results.lock().unwrap_or_else(PoisonError::into_inner)[index] = Some(result);
                }
            });
        }
    });
    results.into_inner().unwrap_or_else(PoisonError::into_inner).into_iter().flatten().collect()
}
