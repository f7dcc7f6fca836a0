//! `snapshot`: this machine in one file.

use std::fs;
use std::path::PathBuf;

use serde::Serialize;

use super::recording::{RecordRequest, record};
use crate::error::FileContext as _;
use crate::report::{Report, ReportPath, report_body};
use crate::resolve::FileKind;
use crate::session::{JobError, Session};
use crate::snapshot::{keep, write};

/// What is asked of `snapshot`.
#[derive(Debug, Clone, Default)]
pub struct SnapshotRequest {
    /// The file that it is written into, packed where its name ends in `.gz`; `None` keeps it in the yard.
    pub into: Option<PathBuf>,
    pub record: RecordRequest,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct WrittenSnapshot {
    pub file: ReportPath,
    pub is_kept: bool,
    pub bytes: u64,
    pub terminals: usize,
    pub folders: usize,
    pub programs: usize,
    pub tools: usize,
}

report_body!(WrittenSnapshot = "snapshot-written");

/// Records this machine into a file, or keeps the record in the yard.
pub fn run(session: &Session, request: &SnapshotRequest) -> Result<Report<WrittenSnapshot>, JobError> {
    let recorded = record(session, &request.record)?;
    let file = match &request.into {
        Some(file) => {
            write(file, &recorded)?;
            file.clone()
        }
        None => keep(&session.lock()?, &recorded)?,
    };
    let bytes = fs::metadata(&file).at("read", &file)?.len();
    let files = recorded.folders.iter().flat_map(|folder| &folder.files);
    let written = WrittenSnapshot {
        is_kept: request.into.is_none(),
        file: file.into(),
        bytes,
        terminals: recorded.terminals.iter().filter(|terminal| terminal.answered).count(),
        folders: recorded.folders.len(),
        programs: files.filter(|file| file.kind == FileKind::Program).count(),
        tools: recorded.tools.len(),
    };
    Ok(Report::new(written).with_findings(recorded.findings.clone()))
}
