//! Only the safe unpacking: any archive, into a new folder, with nothing recorded or registered.

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::download::{self, Trust};
use super::{ReceiveError, Stage, Witness};
use crate::archive::{self, Compression, Container, Finish, LeftOut, Options, Source};
use crate::checksum::Published;
use crate::error::FileContext as _;
use crate::finding::{Code, Finding};
use crate::layout;
use crate::os;
use crate::progress::Stop;

/// What is wanted.
#[derive(Debug, Clone, Default)]
pub struct UnpackRequest {
    /// The archive.
    pub file: PathBuf,
    /// The folder that is to be made.
    pub into: PathBuf,
    /// Whether the packer's folder around everything stays.
    pub keep_wrapper: bool,
    /// What the publisher says of it.
    pub trust: Trust,
    /// How the archive is to be read.
    pub options: Options,
    /// Whether only the plan is wanted.
    pub dry_run: bool,
}

/// The report of `unpack`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct UnpackReport {
    /// The format number.
    pub format: u32,
    /// `unpack`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The archive.
    pub file: PathBuf,
    /// Its kind.
    pub container: Container,
    /// What is around it.
    pub compression: Compression,
    /// Its size in bytes.
    pub bytes: u64,
    /// Its SHA-256 in hex.
    pub sha256: String,
    /// The published checksums it was compared with.
    pub published: Vec<Published>,
    /// The folder.
    pub into: PathBuf,
    /// The wrapper that was removed; empty for none.
    pub wrapper: PathBuf,
    /// How many files it holds.
    pub files: usize,
    /// Their sizes together, in bytes.
    pub unpacked_bytes: u64,
    /// Entries that were left out because they could do harm.
    pub left_out: Vec<LeftOut>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// Unpacks an archive into a new folder; that is there whole, or not at all.
///
/// # Errors
/// When the folder is there already, the archive is refused, or the disk refuses.
pub fn unpack(request: &UnpackRequest, witness: &dyn Witness, stop: &Stop) -> Result<UnpackReport, ReceiveError> {
    let into = std::path::absolute(&request.into).at("make absolute", &request.into)?;
    if fs::symlink_metadata(&into).is_ok() {
        return Err(ReceiveError::FolderThere(into));
    }
    let source = Source::open(&request.file, &std::env::temp_dir(), stop)?;
    witness.stage(&Stage::Identified(&source.format));
    let published = download::published(&request.file, &request.trust)?;
    let (staging, mut listing, summed) = if request.dry_run {
        let list = |_: &_| Ok(archive::list(&source, request.options, stop)?);
        let (summed, listing) = download::while_summing(&source, published, stop, list)?;
        (None, listing, summed)
    } else {
        // Folders that are missing on the way are made only once there is something to put into them.
        let above = into.ancestors().skip(1).find(|folder| folder.is_dir()).unwrap_or(Path::new("."));
        let staging =
            tempfile::Builder::new().prefix(".wyard-unpack-").tempdir_in(above).at("make a folder in", above)?;
        os::set_folder_mode(staging.path(), 0o755).at("set the rights of", staging.path())?;
        witness.begin("unpack", None);
        let unpack = |other: &_| Ok(archive::unpack(&source, staging.path(), request.options, witness, stop, other)?);
        let done = download::while_summing(&source, published, stop, unpack);
        witness.end();
        let (summed, listing) = done?;
        (Some(staging), listing, summed)
    };
    witness.stage(&Stage::Summed(&summed));
    let wrapper = if request.keep_wrapper { PathBuf::new() } else { layout::wrapper(&listing) };
    if request.options.leave_out_hazards {
        listing.leave_out_links(&wrapper, staging.as_ref().map(tempfile::TempDir::path))?;
    }
    let finish = Finish::check(&listing, &wrapper)?;
    let mut left_out = listing.left_out.clone();
    let mut findings: Vec<Finding> = summed.finding().into_iter().collect();
    if let Some(staging) = staging {
        let finished = finish.apply(staging.path(), request.options)?;
        findings.extend(links_copied(finished.copied));
        left_out.extend(finished.left_out);
        let from = staging.path().join(&wrapper);
        let parent = into.parent().unwrap_or(Path::new("."));
        fs::create_dir_all(parent).at("make the folder", parent)?;
        fs::rename(&from, &into).at("move what was unpacked to", &into)?;
        if wrapper.as_os_str().is_empty() {
            // The folder itself has moved, and is not to be removed where it was.
            let _ = staging.keep();
        }
    }
    Ok(UnpackReport {
        format: 1,
        report: "unpack",
        dry_run: request.dry_run,
        file: request.file.clone(),
        container: source.format.container,
        compression: source.format.compression,
        bytes: source.format.bytes,
        sha256: summed.sha256.to_string(),
        published: summed.published,
        into,
        wrapper,
        files: listing.files(),
        unpacked_bytes: listing.unpacked_bytes(),
        left_out,
        findings,
    })
}

/// Tells that links became copies, where any did.
pub(super) fn links_copied(copied: usize) -> Option<Finding> {
    let seen = format!("{copied} links of the archive became copies, since links can't be made here");
    (copied > 0).then(|| Finding::new(Code::LinksCopied, seen))
}
