//! A file's checksums compared with what its publisher says.

use std::path::{Path, PathBuf};

use super::algorithm::{Algorithm, Checksum, compute};
use super::published::{Published, PublishedError, beside, in_list};
use crate::error::classified;
use crate::finding::{Code, Finding};
use crate::progress::Stop;

#[derive(Debug, Clone, Default)]
pub struct Trust {
    pub checksums: Vec<Checksum>,
    pub list: Option<PathBuf>,
}

#[derive(Debug, thiserror::Error)]
pub enum TrustError {
    #[error(transparent)]
    Mismatch(Box<ChecksumMismatch>),
    #[error(transparent)]
    Published(#[from] PublishedError),
}

#[derive(Debug, thiserror::Error)]
#[error("{} is not the published file; it was not used\n  published {}  {} ({})\n  of this file       {computed}",
    file.display(), published.checksum.algorithm.name(), published.checksum, published.from)]
pub struct ChecksumMismatch {
    pub file: PathBuf,
    pub published: Published,
    pub computed: Checksum,
}

classified!(TrustError {
    Self::Mismatch(_) => Input, "do not use this file; download it again from its publisher";
} from Published);

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Summed {
    pub sha256: Checksum,
    /// The published ones, all equal to those of the file.
    pub published: Vec<Published>,
    /// What was odd about the file when it was read.
    pub oddities: Vec<Finding>,
}

impl Summed {
    /// Compares what was computed, SHA-256 among it, with what was published.
    pub fn compare(file: &Path, computed: Computed, published: Vec<Published>) -> Result<Self, TrustError> {
        let Computed { sha256, others } = computed;
        for one in &published {
            let same = std::iter::once(&sha256).chain(&others).find(|c| c.algorithm == one.checksum.algorithm);
            if let Some(seen) = same.filter(|seen| **seen != one.checksum) {
                let (file, published, computed) = (file.to_owned(), one.clone(), seen.clone());
                return Err(TrustError::Mismatch(Box::new(ChecksumMismatch { file, published, computed })));
            }
        }
        Ok(Self { sha256, published, oddities: Vec::new() })
    }

    pub fn findings(&self) -> Vec<Finding> {
        self.of_checksum().into_iter().chain(self.oddities.clone()).collect()
    }

    fn of_checksum(&self) -> Option<Finding> {
        if self.published.is_empty() {
            let remedy = "if the publisher lists a checksum, pass it with --sha256 or --checksums";
            return Some(Finding::new(Code::NotCompared, "no published checksum to compare with").remedy(remedy));
        }
        if self.published.iter().all(|p| p.checksum.algorithm.is_weak()) {
            let names: Vec<_> = self.published.iter().map(|p| p.checksum.algorithm.name()).collect();
            let seen = format!("{} is weak: it detects damage, but not manipulation", names.join(", "));
            return Some(Finding::new(Code::WeakChecksum, seen).remedy("check whether a SHA-256 is published too"));
        }
        None
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Computed {
    pub sha256: Checksum,
    pub others: Vec<Checksum>,
}

impl Computed {
    /// Computes them in one pass: SHA-256, and whatever kinds were published.
    ///
    /// # Errors
    /// When the content cannot be read; of kind `Interrupted` when the user asks to stop.
    pub fn of(content: impl std::io::Read, published: &[Published], stop: &Stop) -> std::io::Result<Self> {
        let mut algorithms = vec![Algorithm::Sha256];
        algorithms.extend(published.iter().map(|p| p.checksum.algorithm).filter(|a| *a != Algorithm::Sha256));
        algorithms.dedup();
        let mut computed = compute(&algorithms, content, stop)?.into_iter();
        match computed.next() {
            Some(sha256) => Ok(Self { sha256, others: computed.collect() }),
            None => Err(std::io::ErrorKind::Interrupted.into()),
        }
    }
}

impl Trust {
    /// The published checksums of a file: those given, and otherwise those in the usual files beside it.
    pub fn published(&self, file: &Path) -> Result<Vec<Published>, PublishedError> {
        let given = |checksum: &Checksum| {
            let option = checksum.algorithm.name().to_ascii_lowercase().replace('-', "");
            Published { checksum: checksum.clone(), from: format!("--{option}") }
        };
        let mut published: Vec<Published> = self.checksums.iter().map(given).collect();
        if let Some(list) = &self.list {
            let name = file.file_name().unwrap_or_default().to_string_lossy();
            published.push(in_list(list, &name)?);
        }
        Ok(if published.is_empty() { beside(file) } else { published })
    }
}
