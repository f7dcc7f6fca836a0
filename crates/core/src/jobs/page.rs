//! `page`: a machine, a snapshot or a comparison as one file that a browser shows.

use std::io::Read as _;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::error::{FileContext as _, classified};
use crate::given;
use crate::jobs::compare::{self, CompareRequest, Compared};
use crate::jobs::snapshot::{RecordRequest, record};
use crate::report::{Report, ReportPath, report_body};
use crate::session::{JobError, Session};
use crate::snapshot::{Snapshot, TrackMap, read, tracks};
use crate::whole_file;

#[derive(Debug, Clone)]
pub enum PageOf {
    /// This machine, recorded for it.
    Here(RecordRequest),
    Snapshot(PathBuf),
    /// Several machines, the first of which the others are compared with.
    Several(CompareRequest),
}

#[derive(Debug)]
pub struct PageContent {
    /// The machines that are drawn: one; or two that are compared; or the one that many are compared with.
    pub machines: Vec<PageMachine>,
    pub compared: Option<Compared>,
}

#[derive(Debug)]
pub struct PageMachine {
    pub name: String,
    pub snapshot: Snapshot,
    pub map: TrackMap,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct WrittenPage {
    pub file: ReportPath,
    pub bytes: usize,
    pub machines: Vec<String>,
    /// How many commands can be looked up on it.
    pub commands: usize,
}

report_body!(WrittenPage = "page");

#[derive(Debug, thiserror::Error)]
pub enum PageError {
    #[error("{} exists, and is not a page of wyard", .0.display())]
    InTheWay(PathBuf),
}

classified!(PageError {
    Self::InTheWay(_) => Call, "name another file";
});

/// What tells a page of this program from other files.
pub const MARK: &str = "<meta name=\"generator\" content=\"wyard page\">";

/// So much of a file is looked at for the mark, in bytes.
const BEGINNING: u64 = 2048;

pub fn content(session: &Session, of: &PageOf) -> Result<PageContent, JobError> {
    let machine =
        |name: String, snapshot: Snapshot| PageMachine { name, map: tracks(&snapshot, &session.stop), snapshot };
    let named = |snapshot: &Snapshot, other: &str| snapshot.name.clone().unwrap_or_else(|| other.to_owned());
    let content = match of {
        PageOf::Here(request) => {
            let snapshot = record(session, request)?.into_body();
            let name = named(&snapshot, "this machine");
            PageContent { machines: vec![machine(name, snapshot)], compared: None }
        }
        PageOf::Snapshot(file) => {
            let snapshot = read(file)?;
            let name = compare::name(snapshot.name.as_deref(), file);
            PageContent { machines: vec![machine(name, snapshot)], compared: None }
        }
        PageOf::Several(request) => {
            let files = compare::files(request)?;
            let compared = compare::run(session, request)?.into_body();
            let drawn = if matches!(compared, Compared::Two(_)) { 2 } else { 1 };
            let drawn = [&files.base].into_iter().chain(&files.others).take(drawn).map(|file| {
                let snapshot = read(file)?;
                Ok::<_, JobError>(machine(compare::name(snapshot.name.as_deref(), file), snapshot))
            });
            PageContent { machines: drawn.collect::<Result<_, _>>()?, compared: Some(compared) }
        }
    };
    session.bail_if_interrupted()?;
    Ok(content)
}

/// Writes a page. An earlier one is replaced, any other file is not.
pub fn write(file: &Path, content: &PageContent, text: &str) -> Result<Report<WrittenPage>, JobError> {
    if file.is_dir() || (file.exists() && !is_page(file)) {
        return Err(PageError::InTheWay(file.to_owned()).into());
    }
    let file = std::path::absolute(file).at("find", file)?;
    whole_file::replace(&file, text.as_bytes())?;
    Ok(Report::new(WrittenPage {
        file: file.into(),
        bytes: text.len(),
        machines: content.machines.iter().map(|machine| machine.name.clone()).collect(),
        commands: content.machines.iter().map(|machine| machine.map.names.len()).max().unwrap_or_default(),
    }))
}

fn is_page(file: &Path) -> bool {
    let mut beginning = Vec::new();
    let read = given::open(file).and_then(|open| open.take(BEGINNING).read_to_end(&mut beginning));
    read.is_ok() && String::from_utf8_lossy(&beginning).contains(MARK)
}
