//! A downloaded file: opened, and its checksum computed and compared while something else is done with it.

use std::path::{Path, PathBuf};
use std::thread;

use super::ReceiveError;
use crate::archive::{ArchiveError, Source};
use crate::checksum::{self, Algorithm, Checksum, Published};
use crate::error::FileContext as _;
use crate::finding::{Code, Finding};
use crate::progress::{Processor, Stop};

/// The checksums that the user has from the publisher.
#[derive(Debug, Clone, Default)]
pub struct Trust {
    /// Given one by one.
    pub checksums: Vec<Checksum>,
    /// A list that has to hold the file.
    pub list: Option<PathBuf>,
}

/// A file that is not what was published.
#[derive(Debug, thiserror::Error)]
#[error("{} is not the file that was published; it was not used\n  published {}  {} ({})\n  of this file       {computed}",
    file.display(), published.checksum.algorithm.name(), published.checksum, published.from)]
pub struct ChecksumError {
    /// The file.
    pub file: PathBuf,
    /// What was published.
    pub published: Published,
    /// What was computed.
    pub computed: Checksum,
}

/// What is known of a file's checksum.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Summed {
    /// Its SHA-256.
    pub sha256: Checksum,
    /// The published ones, all equal to those of the file.
    pub published: Vec<Published>,
}

impl Summed {
    /// What is worth telling.
    #[must_use]
    pub fn finding(&self) -> Option<Finding> {
        if self.published.is_empty() {
            let remedy = "if a checksum is published for the file, give it with --sha256, or its list with --checksums";
            return Some(Finding::new(Code::NotCompared, "the checksum was compared with nothing").remedy(remedy));
        }
        if self.published.iter().all(|p| p.checksum.algorithm.is_weak()) {
            let names: Vec<_> = self.published.iter().map(|p| p.checksum.algorithm.name()).collect();
            let seen =
                format!("{} is weak: it tells a damaged file, but not one that was made to have it", names.join(", "));
            return Some(Finding::new(Code::WeakChecksum, seen).remedy("look whether a SHA-256 is published as well"));
        }
        None
    }
}

/// The published checksums: those given, and otherwise those in the usual files beside the download.
pub(crate) fn published(file: &Path, trust: &Trust) -> Result<Vec<Published>, ReceiveError> {
    let given = |checksum: &Checksum| {
        let option = checksum.algorithm.name().to_ascii_lowercase().replace('-', "");
        Published { checksum: checksum.clone(), from: format!("--{option}") }
    };
    let mut published: Vec<Published> = trust.checksums.iter().map(given).collect();
    if let Some(list) = &trust.list {
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        published.push(checksum::in_list(list, &name)?);
    }
    Ok(if published.is_empty() { checksum::beside(file) } else { published })
}

/// Does some work on the file while its checksums are computed by another thread, then compares them. A wrong checksum
/// is told before any failure of the work, which may well come from it.
pub(super) fn while_summing<T>(
    source: &Source,
    published: Vec<Published>,
    stop: &Stop,
    work: impl FnOnce(&Processor) -> Result<T, ReceiveError>,
) -> Result<(Summed, T), ReceiveError> {
    let mut algorithms = vec![Algorithm::Sha256];
    algorithms.extend(published.iter().map(|p| p.checksum.algorithm).filter(|a| *a != Algorithm::Sha256));
    algorithms.dedup();
    let processor = Processor::default();
    let (computed, worked) = thread::scope(|scope| {
        let busy = processor.in_use();
        let summing = scope.spawn(|| {
            let _busy = busy;
            checksum::compute(&algorithms, source.whole(), stop)
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
    let summed = compare(&source.path, computed.at("read", &source.path)?, published)?;
    Ok((summed, worked?))
}

/// Compares what was computed, SHA-256 first, with what was published.
pub(crate) fn compare(file: &Path, computed: Vec<Checksum>, published: Vec<Published>) -> Result<Summed, ReceiveError> {
    for one in &published {
        let same = computed.iter().find(|c| c.algorithm == one.checksum.algorithm);
        if let Some(seen) = same.filter(|seen| **seen != one.checksum) {
            let (file, published, computed) = (file.to_owned(), one.clone(), seen.clone());
            return Err(ReceiveError::Checksum(Box::new(ChecksumError { file, published, computed })));
        }
    }
    let sha256 = computed.into_iter().next().ok_or(ArchiveError::Interrupted)?;
    Ok(Summed { sha256, published })
}
