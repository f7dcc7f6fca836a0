//! A downloaded file whose checksum is computed and compared while something else is done with it.

use std::thread;

use crate::archive::{ArchiveError, Source};
use crate::checksum::{Computed, Published, Summed};
use crate::error::FileContext as _;
use crate::progress::{Processor, Stop};
use crate::session::JobError;

/// Does some work on the file while its checksums are computed by another thread, then compares them. A wrong checksum
/// is told before any failure of the work, which may well come from it.
pub(super) fn while_summing<T>(
    source: &Source,
    published: Vec<Published>,
    stop: &Stop,
    work: impl FnOnce(&Processor) -> Result<T, JobError>,
) -> Result<(Summed, T), JobError> {
    source.check_end(!published.is_empty())?;
    let processor = Processor::default();
    let (computed, worked) = thread::scope(|scope| {
        let busy = processor.in_use();
        let summing = scope.spawn(|| {
            let _busy = busy;
            Computed::of(source.whole(), &published, stop)
        });
        let worked = work(&processor);
        // A panic of the other thread goes on here.
        let computed = summing.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic));
        (computed, worked)
    });
    if stop.requested() {
        worked?;
        return Err(ArchiveError::Interrupted.into());
    }
    let mut summed = Summed::compare(&source.path, computed.at("read", &source.path)?, published)?;
    let worked = worked?;
    summed.oddities = source.findings();
    Ok((summed, worked))
}
