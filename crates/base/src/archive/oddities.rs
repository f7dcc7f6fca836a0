//! What is odd about a file that can be read all the same.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use crate::finding::{Code, Finding};

/// What is noted while a file is read, by whoever reads it.
#[derive(Debug, Clone, Default)]
pub(super) struct ReadWarnings(Arc<Warnings>);

#[derive(Debug, Default)]
struct Warnings {
    behind: AtomicU64,
    lacks_end: AtomicBool,
}

impl ReadWarnings {
    /// So many bytes stand behind the compressed stream, and are none of it.
    pub fn bytes_behind(&self, bytes: u64) {
        self.0.behind.store(bytes, Ordering::Relaxed);
    }

    /// Whether anything stands behind the compressed stream.
    pub fn has_bytes_behind(&self) -> bool {
        self.0.behind.load(Ordering::Relaxed) > 0
    }

    pub fn lacks_end(&self) {
        self.0.lacks_end.store(true, Ordering::Relaxed);
    }

    pub fn findings(&self) -> Vec<Finding> {
        let behind = self.0.behind.load(Ordering::Relaxed);
        let mut findings = Vec::new();
        if behind > 0 {
            let seen = format!("{behind} extra bytes after the compressed data were ignored");
            findings.push(Finding::new(Code::DataBehind, seen).remedy("compare the file with a published checksum"));
        }
        if self.0.lacks_end.load(Ordering::Relaxed) {
            let seen = "the end-of-archive marker is missing; the checksum shows that the archive is complete";
            findings.push(Finding::new(Code::TarEndMissing, seen));
        }
        findings
    }
}
