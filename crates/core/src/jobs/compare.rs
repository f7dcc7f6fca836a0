//! `compare`: what commands mean on several machines.

use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::Serialize;

use crate::clock;
use crate::error::{FileContext as _, FileError, classified};
use crate::jobs::snapshot::{RecordRequest, record};
use crate::report::{Report, ReportBody};
use crate::session::{JobError, Session};
use crate::snapshot::{
    self, Base, BriefSnapshot, CompareWhy, Difference, DifferingCommand, Meant, Snapshot, SnapshotError, SnapshotText,
    parse, read,
};

/// What is asked of `compare`.
#[derive(Debug, Clone, Default)]
pub struct CompareRequest {
    /// The snapshot that others are compared with; none means the first of the files.
    pub base: Option<PathBuf>,
    pub files: Vec<PathBuf>,
    /// Whether this machine is compared with the last snapshot that is kept in the yard, and nothing else.
    pub then: bool,
    pub made_by: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum Compared {
    Two(Difference),
    /// Many machines, each with one.
    Many(Fleet),
}

impl ReportBody for Compared {
    fn name(&self) -> &'static str {
        match self {
            Self::Two(difference) => difference.name(),
            Self::Many(_) => "compare-many",
        }
    }
}

/// Many machines, each compared with one.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Fleet {
    /// What the machine is called that all are compared with.
    pub base: String,
    pub machines: usize,
    /// How many of them differ in nothing that matters.
    pub agree: usize,
    pub commands: Vec<FleetCommand>,
    pub unread: Vec<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct FleetCommand {
    pub name: String,
    /// What it means on the machine that all are compared with; null for nothing.
    pub base: Option<Meant>,
    pub agree: usize,
    /// What else it means, the more common first.
    pub others: Vec<FleetMeaning>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct FleetMeaning {
    /// What it means; null for nothing.
    pub means: Option<Meant>,
    pub why: CompareWhy,
    pub machines: Vec<Arc<str>>,
}

#[derive(Debug, thiserror::Error)]
pub enum CompareError {
    #[error("fewer than two snapshots to compare")]
    TooFew,
}

classified!(CompareError {
    Self::TooFew => Call, "name two snapshots, or a folder of them with --base";
});

pub fn run(session: &Session, request: &CompareRequest) -> Result<Report<Compared>, JobError> {
    if request.then {
        return since_then(session, request);
    }
    let ToCompare { base, others, are_named } = files(request)?;
    match &others[..] {
        [only] if request.base.is_none() => {
            let (one, other) = (read(&base)?, read(only)?);
            let names = [name(one.name.as_deref(), &base), name(other.name.as_deref(), only)];
            Ok(two([(&names[0], &one), (&names[1], &other)]))
        }
        _ => {
            let fleet = fleet(session, &base, &others, are_named)?;
            let matters = fleet.agree < fleet.machines || !fleet.unread.is_empty();
            Ok(Report::new(Compared::Many(fleet)).failed_if(matters))
        }
    }
}

pub(super) struct ToCompare {
    pub base: PathBuf,
    /// The others, at least one.
    pub others: Vec<PathBuf>,
    /// Whether each was named by itself.
    are_named: bool,
}

pub(super) fn files(request: &CompareRequest) -> Result<ToCompare, JobError> {
    let (mut others, mut named) = (Vec::new(), 0);
    for file in &request.files {
        if file.is_dir() {
            others.extend(in_folder(file)?);
        } else {
            others.push(file.clone());
            named += 1;
        }
    }
    let base = match &request.base {
        Some(base) => base.clone(),
        None if others.is_empty() => return Err(CompareError::TooFew.into()),
        None => others.remove(0),
    };
    others.retain(|file| *file != base);
    if others.is_empty() {
        return Err(CompareError::TooFew.into());
    }
    Ok(ToCompare { base, others, are_named: named == request.files.len() })
}

fn two(machines: [(&str, &Snapshot); 2]) -> Report<Compared> {
    let difference = snapshot::compare(machines);
    let matters = difference.commands.iter().any(|command| command.matters);
    Report::new(Compared::Two(difference)).failed_if(matters)
}

/// Compares this machine with the last snapshot that is kept in the yard.
fn since_then(session: &Session, request: &CompareRequest) -> Result<Report<Compared>, JobError> {
    let then = match read(&session.yard.last_snapshot()) {
        Err(SnapshotError::NoFile(_)) => return Err(SnapshotError::NoneKept.into()),
        then => then?,
    };
    let now = record(session, &RecordRequest { made_by: request.made_by.clone(), ..RecordRequest::default() })?;
    Ok(two([(&clock::to_the_minute(&then.taken), &then), ("this machine", &now)]))
}

/// Compares each with one. A file of a folder that is no snapshot is told; one that was named is an error.
fn fleet(session: &Session, base_file: &Path, files: &[PathBuf], are_named: bool) -> Result<Fleet, JobError> {
    let (mut base_text, mut text) = (SnapshotText::default(), SnapshotText::default());
    let base_text = base_text.read(base_file)?;
    let base = parse(base_file, base_text)?;
    let not_one = || SnapshotError::NotOne { file: base_file.to_owned(), why: "incomplete".to_owned() };
    let brief = BriefSnapshot::of(base_text).ok_or_else(not_one)?;
    let mut fleet = Fleet { base: name(base.name.as_deref(), base_file), ..Fleet::default() };
    let mut base = Base::new(&base, &brief);
    let mut commands: HashMap<String, Vec<FleetMeaning>> = HashMap::new();
    for file in files {
        session.bail_if_interrupted()?;
        match differing(&mut base, &mut text, file) {
            Ok((machine, differing)) => {
                fleet.machines += 1;
                fleet.agree += usize::from(differing.is_empty());
                for command in differing {
                    let others = match commands.get_mut(&command.name) {
                        Some(others) => others,
                        None => commands.entry(command.name).or_default(),
                    };
                    match others.iter_mut().find(|known| (known.why, &known.means) == (command.why, &command.means)) {
                        Some(known) => known.machines.push(Arc::clone(&machine)),
                        None => {
                            let machines = vec![Arc::clone(&machine)];
                            others.push(FleetMeaning { means: command.means, why: command.why, machines });
                        }
                    }
                }
            }
            Err(error) if are_named => return Err(error.into()),
            Err(error) => fleet.unread.push(error.to_string()),
        }
    }
    for (name, mut others) in commands {
        others.sort_by_key(|meaning| std::cmp::Reverse(meaning.machines.len()));
        let differing: usize = others.iter().map(|meaning| meaning.machines.len()).sum();
        let (base, agree) = (base.meaning(&name), fleet.machines - differing);
        fleet.commands.push(FleetCommand { name, base, agree, others });
    }
    fleet.commands.sort_by(|a, b| a.name.cmp(&b.name));
    Ok(fleet)
}

/// What a machine is called, and the commands that mean something else there.
fn differing(
    base: &mut Base<'_>,
    text: &mut SnapshotText,
    file: &Path,
) -> Result<(Arc<str>, Vec<DifferingCommand>), SnapshotError> {
    let text = text.read(file)?;
    let Some(brief) = BriefSnapshot::of(text) else {
        // What is wrong with it, this says.
        parse(file, text)?;
        return Err(SnapshotError::NotOne { file: file.to_owned(), why: "incomplete".to_owned() });
    };
    let differing = base.differing(&brief, || parse(file, text))?;
    Ok((name(brief.name(), file).into(), differing))
}

/// What a machine is called: as its user calls it, else like the file.
pub(super) fn name(own: Option<&str>, file: &Path) -> String {
    let stem = file.file_name().unwrap_or_default().to_string_lossy();
    let stem = stem.trim_end_matches(".gz").trim_end_matches(".json");
    own.unwrap_or(stem).to_owned()
}

/// The files of a folder that are called like snapshots, by name.
fn in_folder(folder: &Path) -> Result<Vec<PathBuf>, FileError> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder).at("list", folder)? {
        let path = entry.at("list", folder)?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if name.ends_with(".json") || name.ends_with(".json.gz") {
            files.push(path);
        }
    }
    files.sort();
    Ok(files)
}
