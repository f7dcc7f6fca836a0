//! `unpack`: only the safe unpacking: any archive, into a new folder, with nothing recorded or registered.

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::archive::{self, Compression, Container, Finish, Format, LeftOut, Options, Source};
use crate::checksum::{Published, Summed, Trust, TrustError};
use crate::error::{FileContext as _, FileError, classified};
use crate::finding::Finding;
use crate::jobs::marking::pass_mark_on;
use crate::jobs::summing::while_summing;
use crate::layout;
use crate::os;
use crate::progress::{Processor, Progress};
use crate::report::{Report, ReportPath, report_body};
use crate::session::{JobError, Session};

#[derive(Debug, Clone, Default)]
pub struct UnpackRequest {
    pub file: PathBuf,
    pub into: PathBuf,
    /// Whether the packer's folder around everything stays.
    pub keep_wrapper: bool,
    pub trust: Trust,
    pub options: Options,
    /// Whether it may lie where another user could change what is being unpacked.
    pub trusts: bool,
    pub dry_run: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Unpacked {
    pub dry_run: bool,
    pub file: ReportPath,
    pub container: Container,
    pub compression: Compression,
    pub bytes: u64,
    pub sha256: String,
    pub published: Vec<Published>,
    pub into: ReportPath,
    /// The wrapper that was removed; empty for none.
    pub wrapper: ReportPath,
    pub files: usize,
    pub unpacked_bytes: u64,
    pub left_out: Vec<LeftOut>,
}

report_body!(Unpacked = "unpack");

#[derive(Debug, thiserror::Error)]
pub enum UnpackError {
    #[error("{} already exists; nothing was unpacked", .0.display())]
    FolderThere(PathBuf),
    /// Another user could put something else in the place of what is unpacked.
    #[error("{} is owned or writable by another user", .0.display())]
    Untrusted(PathBuf),
}

classified!(UnpackError {
    Self::FolderThere(_) => Call, "choose a folder that does not exist";
    Self::Untrusted(_) => Machine, "choose one of your own folders, or use --trust-folder";
});

/// What is unpacked lies in the folder that is made for it under this name.
const TREE: &str = "unpacked";

/// Where an archive is unpacked before it is moved to its place: a folder that is held, so that nothing else is moved if
/// somebody exchanges it meanwhile.
struct Staging {
    held: os::HeldFolder,
    tree: PathBuf,
    /// Removed with all in it at the end.
    _folder: tempfile::TempDir,
}

impl Staging {
    fn new(folder: tempfile::TempDir) -> Result<Self, FileError> {
        let held = os::HeldFolder::open(folder.path()).at("open the folder", folder.path())?;
        let tree = folder.path().join(TREE);
        fs::create_dir(&tree).at("make the folder", &tree)?;
        os::set_folder_mode(&tree, 0o755).at("set the rights of", &tree)?;
        Ok(Self { held, tree, _folder: folder })
    }
}

/// Unpacks an archive into a new folder; that is there whole, or not at all.
pub fn run(
    session: &Session,
    request: &UnpackRequest,
    observer: &dyn UnpackObserver,
) -> Result<Report<Unpacked>, JobError> {
    let stop = &session.stop;
    let into = std::path::absolute(&request.into).at("make absolute", &request.into)?;
    if fs::symlink_metadata(&into).is_ok() {
        return Err(UnpackError::FolderThere(into).into());
    }
    let above = into.parent().unwrap_or(&into);
    if let Some(untrusted) = os::untrusted_on_way(above).filter(|_| !request.trusts) {
        return Err(UnpackError::Untrusted(untrusted).into());
    }
    let source = Source::open(&request.file, &std::env::temp_dir(), stop)?;
    observer.identified(&source.format);
    let published = request.trust.published(&request.file).map_err(TrustError::from)?;
    let (staging, mut listing, summed) = if request.dry_run {
        let list = |_: &Processor| Ok::<_, JobError>(archive::list(&source, request.options, stop)?);
        let (summed, listing) = while_summing(&source, published, stop, list)?;
        (None, listing, summed)
    } else {
        // Folders that are missing on the way are made only once there is something to put into them.
        let above = into.ancestors().skip(1).find(|folder| folder.is_dir()).unwrap_or(Path::new("."));
        let staging =
            tempfile::Builder::new().prefix(".wyard-unpack-").tempdir_in(above).at("make a folder in", above)?;
        let staging = Staging::new(staging)?;
        observer.begin("unpack", None);
        let unpack = |other: &Processor| {
            let progress: &dyn Progress = observer;
            Ok::<_, JobError>(archive::unpack(&source, &staging.tree, request.options, progress, stop, other)?)
        };
        let done = while_summing(&source, published, stop, unpack);
        observer.end();
        let (summed, listing) = done?;
        (Some(staging), listing, summed)
    };
    observer.summed(&summed);
    let wrapper = if request.keep_wrapper { PathBuf::new() } else { layout::wrapper(&listing) };
    if request.options.leave_out_hazards {
        listing.leave_out_links(&wrapper, staging.as_ref().map(|staging| staging.tree.as_path()))?;
    }
    let finish = Finish::check(&listing, &wrapper)?;
    let mut left_out = listing.left_out.clone();
    let mut findings: Vec<Finding> = summed.findings();
    if let Some(staging) = staging {
        let finished = finish.apply(&staging.tree, request.options)?;
        findings.extend(finished.finding());
        left_out.extend(finished.left_out);
        findings.extend(pass_mark_on(&request.file, false, &summed, &listing, Some(&staging.tree)));
        let parent = into.parent().unwrap_or(Path::new("."));
        os::make_folders(parent).at("make the folder", parent)?;
        let tree = Path::new(TREE).join(&wrapper);
        let tree = tree.components().as_path();
        staging.held.move_out(tree, &into).at("move what was unpacked to", &into)?;
    }
    let unpacked = Unpacked {
        dry_run: request.dry_run,
        file: request.file.clone().into(),
        container: source.format.container,
        compression: source.format.compression,
        bytes: source.format.bytes,
        sha256: summed.sha256.to_string(),
        published: summed.published,
        into: into.into(),
        wrapper: wrapper.into(),
        files: listing.files(),
        unpacked_bytes: listing.unpacked_bytes(),
        left_out,
    };
    Ok(Report::new(unpacked).with_findings(findings))
}

/// Hears of the stages of `unpack` and of progress within them.
pub trait UnpackObserver: Progress {
    fn identified(&self, _format: &Format) {}

    /// Its checksum is known, and what it was compared with.
    fn summed(&self, _summed: &Summed) {}
}
