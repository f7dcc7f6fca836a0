//! `compare`: what commands mean on several machines.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::error::{Blame, Blamed, FileContext as _, FileError};
use crate::report::{Report, ReportBody};
use crate::snapshot::{self, Difference, Meant, Snapshot, SnapshotError, read};

/// What is asked of `compare`.
#[derive(Debug, Clone, Default)]
pub struct CompareRequest {
    /// The snapshot that others are compared with; none means the first of the files.
    pub base: Option<PathBuf>,
    /// The snapshots, or folders of them.
    pub files: Vec<PathBuf>,
}

/// What came of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum Compared {
    /// Two machines.
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
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Fleet {
    /// What the machine is called that all are compared with.
    pub base: String,
    /// How many others there are.
    pub machines: usize,
    /// How many of them differ in nothing that matters.
    pub agree: usize,
    /// The commands that differ somewhere in a way that matters.
    pub commands: Vec<FleetCommand>,
    /// The files that are no snapshots, with the reason.
    pub unread: Vec<String>,
}

/// A command that differs on some machines.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FleetCommand {
    /// The command.
    pub name: String,
    /// What it means on the machine that all are compared with; null for nothing.
    pub base: Option<Meant>,
    /// On how many machines it means the same.
    pub agree: usize,
    /// What else it means, the more common first.
    pub others: Vec<FleetMeaning>,
}

/// A meaning that some machines share.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FleetMeaning {
    /// What it means; null for nothing.
    pub means: Option<Meant>,
    /// The machines.
    pub machines: Vec<String>,
}

/// Why nothing was compared.
#[derive(Debug, thiserror::Error)]
pub enum CompareError {
    /// A snapshot.
    #[error(transparent)]
    Snapshot(#[from] SnapshotError),
    /// A folder.
    #[error(transparent)]
    File(#[from] FileError),
    /// There is nothing to compare.
    #[error("fewer than two snapshots to compare")]
    TooFew,
}

impl Blamed for CompareError {
    fn blame(&self) -> Blame {
        match self {
            Self::Snapshot(e) => e.blame(),
            Self::File(e) => e.blame(),
            Self::TooFew => Blame::Call,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::Snapshot(e) => e.hint(),
            Self::File(e) => e.hint(),
            Self::TooFew => Some("name two snapshots, or a folder of them with --base".to_owned()),
        }
    }
}

/// Compares snapshots. Something that matters makes the report fail.
///
/// # Errors
/// When there are fewer than two, or one that was named cannot be read.
pub fn run(request: &CompareRequest) -> Result<Report<Compared>, CompareError> {
    let (mut files, mut named) = (Vec::new(), 0);
    for file in &request.files {
        if file.is_dir() {
            files.extend(in_folder(file)?);
        } else {
            files.push(file.clone());
            named += 1;
        }
    }
    let base_file = match &request.base {
        Some(base) => base.clone(),
        None if files.is_empty() => return Err(CompareError::TooFew),
        None => files.remove(0),
    };
    files.retain(|file| *file != base_file);
    let base = read(&base_file)?;
    let base_name = name(&base, &base_file);
    match &files[..] {
        [] => Err(CompareError::TooFew),
        [only] if request.base.is_none() => {
            let other = read(only)?;
            let difference = snapshot::compare([(&base_name, &base), (&name(&other, only), &other)]);
            let matters = difference.commands.iter().any(|command| command.matters);
            Ok(Report::new(Compared::Two(difference)).failed_if(matters))
        }
        _ => {
            let fleet = fleet(&base_name, &base, &files, named == request.files.len())?;
            let matters = fleet.agree < fleet.machines || !fleet.unread.is_empty();
            Ok(Report::new(Compared::Many(fleet)).failed_if(matters))
        }
    }
}

/// Compares each with one. A file of a folder that is no snapshot is told; one that was named is an error.
fn fleet(base_name: &str, base: &Snapshot, files: &[PathBuf], are_named: bool) -> Result<Fleet, CompareError> {
    let mut fleet = Fleet { base: base_name.to_owned(), ..Fleet::default() };
    let mut commands: BTreeMap<String, (Option<Meant>, Vec<FleetMeaning>)> = BTreeMap::new();
    for file in files {
        let other = match read(file) {
            Ok(other) => other,
            Err(error) if are_named => return Err(error.into()),
            Err(error) => {
                fleet.unread.push(error.to_string());
                continue;
            }
        };
        let name = name(&other, file);
        fleet.machines += 1;
        let difference = snapshot::compare([(base_name, base), (&name, &other)]);
        let mut differs = false;
        for command in difference.commands.into_iter().filter(|command| command.matters) {
            differs = true;
            let [of_base, means] = <[_; 2]>::try_from(command.means).unwrap_or_default();
            let (_, others) = commands.entry(command.name).or_insert_with(|| (of_base, Vec::new()));
            match others.iter_mut().find(|known| known.means == means) {
                Some(known) => known.machines.push(name.clone()),
                None => others.push(FleetMeaning { means, machines: vec![name.clone()] }),
            }
        }
        fleet.agree += usize::from(!differs);
    }
    for (name, (base, mut others)) in commands {
        others.sort_by_key(|meaning| std::cmp::Reverse(meaning.machines.len()));
        let differing: usize = others.iter().map(|meaning| meaning.machines.len()).sum();
        fleet.commands.push(FleetCommand { name, base, agree: fleet.machines - differing, others });
    }
    Ok(fleet)
}

/// What a machine is called: as its user calls it, else like the file.
fn name(snapshot: &Snapshot, file: &Path) -> String {
    let stem = file.file_name().unwrap_or_default().to_string_lossy();
    let stem = stem.trim_end_matches(".gz").trim_end_matches(".json");
    snapshot.name.clone().unwrap_or_else(|| stem.to_owned())
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
