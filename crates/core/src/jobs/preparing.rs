//! What preparing a tool does to its files: planned in memory, then written into staging or into the ledger's change.

use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;
use similar::TextDiff;

use crate::change::{Changeset, Role};
use crate::checksum::{Algorithm, Checksum};
use crate::error::{FileContext as _, FileError};
use crate::given;
use crate::layout::Command;
use crate::os;
use crate::prepare::{
    Carried, Earlier, LAUNCHERS, Launcher, Origin, Placeholders, PrepareError, PrepareStep, PreparedFile, Preparing,
    carry, inherited,
};
use crate::report::ReportPath;
use crate::system::System;
use crate::yard::{Card, Stock, WrittenFile, Yard};

#[derive(Debug)]
pub(super) struct ToPrepare<'a> {
    /// Where its files lie now.
    pub folder: &'a Path,
    pub placeholders: Placeholders,
    /// Its steps; `None` means: those of the version in use, as far as their samples are the same.
    pub steps: Option<&'a [PrepareStep]>,
    pub launchers: &'a [Launcher],
    /// Its files as they were written last; `None` where it has just been unpacked.
    pub written: Option<&'a [WrittenFile]>,
    pub system: System,
}

#[derive(Debug, Clone, Default)]
pub struct Preparation {
    pub steps: Vec<PrepareStep>,
    pub files: Vec<PreparedFile>,
    /// What became of the settings of the version in use.
    carried: Vec<Carried>,
    /// All files as they will have been written last, for the card.
    pub written: Vec<WrittenFile>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PreparedReport {
    /// The file, relative to the tool's home.
    pub file: ReportPath,
    pub outcome: PreparedOutcome,
    /// The lines that change, as a unified diff; null where nothing does, or it is no text.
    pub diff: Option<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PreparedOutcome {
    Made,
    Changed,
    Carried,
    /// The edited settings of the version in use stay there: the sample is another one now.
    SampleChanged,
    /// The edited settings of the version in use stay there: the file of this version was edited too.
    BothEdited,
}

/// Plans it. `earlier` is the version in use, if that is another one or is replaced.
pub(super) fn plan(tool: &ToPrepare<'_>, earlier: Option<&Card>, yard: &Yard) -> Result<Preparation, PrepareError> {
    let earlier = earlier.map(|card| (card, yard.home_of(card)));
    let earlier_steps = |(card, home): &'_ (&'_ Card, PathBuf)| (card.prepare.clone(), home.clone());
    let steps = match (tool.steps, earlier.as_ref().map(earlier_steps)) {
        (Some(steps), _) => steps.to_vec(),
        (None, Some((steps, home))) => inherited(Earlier { home: &home, steps: &steps }, tool.folder)?,
        (None, None) => Vec::new(),
    };
    let may_replace = |file: &Path, content: &[u8]| match tool.written {
        None => true,
        Some(written) => is_as_written(written, file, content) == Some(true),
    };
    let mut preparing = Preparing::new(tool.folder, &tool.placeholders);
    let mut carried = Vec::new();
    if let Some((card, home)) = &earlier {
        let is_edited = |file: &Path, content: &[u8]| is_as_written(&card.prepared, file, content) == Some(false);
        let earlier = Earlier { home, steps: &card.prepare };
        carried = carry(&mut preparing, earlier, &steps, &is_edited, &may_replace)?;
    }
    for step in &steps {
        preparing.apply(step, &may_replace)?;
    }
    let mut files = preparing.finish();
    for launcher in tool.launchers {
        let is_there = |file: &Path| tool.folder.join(file).exists() || files.iter().any(|made| made.file == file);
        if let Some(missing) = launcher.files().find(|file| !is_there(file)) {
            let why = format!("{{home}}/{} does not exist in the tool", missing.display());
            return Err(PrepareError::Launcher { command: launcher.command.clone(), why });
        }
        let made = of_launcher(tool, launcher)?;
        files.extend(made);
    }
    let before = tool.written.unwrap_or_default();
    // What the user has edited stays that, whatever is set in it, here or in the next version.
    let is_edited = |file: &PreparedFile| {
        let here = file.before.as_ref().and_then(|content| is_as_written(before, &file.file, content));
        here == Some(false) || carried.contains(&Carried::Taken(file.file.clone()))
    };
    let sum = |file: &PreparedFile| Checksum::of(Algorithm::Sha256, &file.after).value;
    let new = files.iter().map(|file| WrittenFile {
        file: file.file.clone(),
        sha256: if is_edited(file) { String::new() } else { sum(file) },
    });
    let mut written = before.to_vec();
    written.retain(|known| files.iter().all(|file| file.file != known.file));
    written.extend(new);
    Ok(Preparation { steps, files, carried, written })
}

/// Whether a file is as it was written last; `None` where it was not written.
fn is_as_written(written: &[WrittenFile], file: &Path, content: &[u8]) -> Option<bool> {
    let known = written.iter().find(|known| known.file == file)?;
    Some(known.sha256 == Checksum::of(Algorithm::Sha256, content).value)
}

/// A launcher's file, where it is not there as it should be.
fn of_launcher(tool: &ToPrepare<'_>, launcher: &Launcher) -> Result<Option<PreparedFile>, PrepareError> {
    let file = launcher.file(tool.system);
    let after = launcher.text(tool.system, &tool.placeholders)?;
    let path = tool.folder.join(&file);
    let before = match given::content(&path) {
        Ok(before) => Some(before),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => None,
        Err(error) => return Err(error).at("read", &path).map_err(Into::into),
    };
    if tool.written.is_none() && before.is_some() {
        let why = format!("the tool has a file {} already", file.display());
        return Err(PrepareError::Launcher { command: launcher.command.clone(), why });
    }
    let is_changed = before.as_ref() != Some(&after);
    Ok(is_changed.then_some(PreparedFile { file, before, after, origin: Origin::Made, like: None }))
}

/// Adds launchers to a layout: their folder comes first.
pub(super) fn add_launchers(
    command_folders: &mut Vec<PathBuf>,
    commands: &mut Vec<Command>,
    launchers: &[Launcher],
    system: System,
) {
    let folder = Path::new(LAUNCHERS);
    command_folders.retain(|other| other != folder);
    commands.retain(|command| command.path.parent() != Some(folder));
    if launchers.is_empty() {
        return;
    }
    command_folders.insert(0, folder.to_owned());
    for launcher in launchers {
        commands.retain(|command| command.name != launcher.command);
        commands.push(launcher.as_command(system));
    }
    commands.sort_by(|a, b| a.name.cmp(&b.name));
}

/// The homes of all tools in use, for texts.
pub(super) fn homes(yard: &Yard, stock: &Stock) -> HashMap<String, PathBuf> {
    stock.in_service().into_iter().map(|card| (card.name.to_string(), yard.home_of(card))).collect()
}

impl Preparation {
    pub(super) fn as_it_is(card: &Card) -> Self {
        let (steps, written) = (card.prepare.clone(), card.prepared.clone());
        Self { steps, written, ..Self::default() }
    }

    /// Writes the files into a tool that is still in staging.
    pub(super) fn write_into(&self, folder: &Path) -> Result<(), FileError> {
        for file in &self.files {
            let path = folder.join(&file.file);
            let path = fs::canonicalize(&path).unwrap_or(path);
            let above = path.parent().unwrap_or(folder);
            os::make_folders(above).at("make the folder", above)?;
            let like = if file.before.is_some() {
                Some(path.clone())
            } else {
                file.like.as_ref().map(|like| folder.join(like))
            };
            let rights = like.and_then(|like| fs::metadata(like).ok()).map(|seen| seen.permissions());
            if file.before.is_some() {
                fs::remove_file(&path).at("replace", &path)?;
            }
            fs::write(&path, &file.after).at("write", &path)?;
            match rights {
                Some(rights) => fs::set_permissions(&path, rights).at("set the rights of", &path)?,
                None if is_launcher(file) => os::set_folder_mode(&path, 0o755).at("set the rights of", &path)?,
                None => {}
            }
        }
        Ok(())
    }

    /// Adds the files of a tool in this home to a change.
    pub(super) fn changes(&self, changeset: &mut Changeset, home: &Path) {
        for file in &self.files {
            let path = home.join(&file.file);
            let role = if is_launcher(file) { Role::Launcher } else { Role::Prepared };
            changeset.prepared(&path, role, file.before.clone(), file.after.clone());
        }
    }

    pub(super) fn report(&self) -> Vec<PreparedReport> {
        let of_file = |file: &PreparedFile| PreparedReport {
            file: file.file.clone().into(),
            outcome: match (file.origin, &file.before) {
                (Origin::Carried, _) => PreparedOutcome::Carried,
                (_, None) => PreparedOutcome::Made,
                (_, Some(_)) => PreparedOutcome::Changed,
            },
            diff: diff(file),
        };
        let of_carried = |carried: &Carried| {
            let (file, outcome) = match carried {
                Carried::Taken(file) if self.files.iter().any(|other| other.file == *file) => return None,
                Carried::Taken(file) => (file, PreparedOutcome::Carried),
                Carried::NewSample(file) => (file, PreparedOutcome::SampleChanged),
                Carried::BothEdited(file) => (file, PreparedOutcome::BothEdited),
            };
            Some(PreparedReport { file: file.clone().into(), outcome, diff: None })
        };
        self.files.iter().map(of_file).chain(self.carried.iter().filter_map(of_carried)).collect()
    }
}

fn is_launcher(file: &PreparedFile) -> bool {
    file.file.starts_with(LAUNCHERS)
}

/// The lines that change; `None` where that is no text.
fn diff(file: &PreparedFile) -> Option<String> {
    let before = str::from_utf8(file.before.as_deref().unwrap_or_default()).ok()?;
    let after = str::from_utf8(&file.after).ok()?;
    Some(TextDiff::from_lines(before, after).unified_diff().context_radius(1).to_string())
}
