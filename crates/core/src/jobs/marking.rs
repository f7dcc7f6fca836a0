//! The mark of a download, passed on to what is unpacked from it.

use std::path::Path;

use crate::archive::{EntryKind, Listing};
use crate::checksum::Summed;
use crate::finding::Finding;
use crate::program::{DownloadMark, MarkFate};

/// Marks the unpacked programs as the download is marked, unless it is known to be what it should be; `root` is where they lie,
/// where anything was unpacked.
pub fn pass_mark_on(
    file: &Path,
    trusted: bool,
    summed: &Summed,
    listing: &Listing,
    root: Option<&Path>,
) -> Option<Finding> {
    let mark = DownloadMark::of(file)?;
    if trusted {
        return Some(mark.finding(MarkFate::Trusted));
    }
    if !summed.published.is_empty() {
        return Some(mark.finding(MarkFate::Published));
    }
    let files = listing.entries.iter().filter(|entry| entry.kind == EntryKind::File);
    let programs: Vec<_> = files.filter(|entry| mark.counts_for(entry.path.as_path())).collect();
    if let Some(root) = root {
        programs.iter().for_each(|program| mark.put_on(&program.path.under(root)));
    }
    Some(mark.finding(MarkFate::PassedOn(programs.len())))
}
