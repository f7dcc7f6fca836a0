//! A folder of downloads, a line for each: which tool it is, whether it runs here, and how it compares with the yard.

use std::cmp::Ordering;
use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::commands::hindrance;
use super::run::lay_out;
use crate::archive::{self, ArchiveError, Options};
use crate::environment::Environment;
use crate::error::FileContext as _;
use crate::installer::{look_first, recognise};
use crate::jobs::fit::{Files, Unplaced};
use crate::jobs::opening::Opened;
use crate::jobs::tool_names::file_name;
use crate::layout::{self, Target};
use crate::naming::{self, compare_versions};
use crate::os;
use crate::report::{Report, ReportPath, report_body};
use crate::session::{JobError, Session};
use crate::yard::Stock;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InspectedFolder {
    pub folder: ReportPath,
    pub downloads: Vec<FolderDownload>,
    pub others: usize,
}

report_body!(InspectedFolder = "inspect-folder");

/// How a download compares with what the yard has of its tool.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Compared {
    /// The yard has none of it.
    New,
    Same,
    /// It is newer than all that the yard has.
    Newer,
    Older,
    /// Its name or version is not known.
    Unknown,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct FolderDownload {
    pub file: ReportPath,
    pub is_installer: bool,
    pub name: Option<String>,
    pub version: Option<String>,
    pub os: Option<String>,
    pub arch: Option<String>,
    /// Whether nothing of it can be used.
    pub is_damaged: bool,
    /// Why its first command would not run here, or why it would be refused; null where nothing speaks against it.
    pub hindrance: Option<String>,
    pub held: Vec<String>,
    pub compared: Compared,
}

/// Looks into all files of a folder, and starts nothing. What is no download is only counted.
pub fn folder(session: &Session, folder: &Path) -> Result<Report<InspectedFolder>, JobError> {
    let mut files: Vec<PathBuf> = fs::read_dir(folder)
        .at("list", folder)?
        .flatten()
        .map(|entry| entry.path())
        .filter(|path| path.is_file())
        .collect();
    files.sort();
    let stock = session.stock()?;
    let mut downloads = Vec::new();
    for file in &files {
        match download(session, file, &stock) {
            Ok(found) => downloads.extend(found),
            Err(error) if session.stop.requested() => return Err(error),
            // A file that cannot be read is told, and those beside it count.
            Err(error) => downloads.push(FolderDownload {
                hindrance: Some(error.to_string()),
                is_damaged: true,
                ..FolderDownload::named(file, &guess_of(file), &stock)
            }),
        }
    }
    let others = files.len() - downloads.len();
    Ok(Report::new(InspectedFolder { folder: folder.into(), downloads, others }))
}

/// The endings of what is downloaded: a file so called that is something else is worth telling.
const ENDINGS: [&str; 11] = ["zip", "7z", "tar", "gz", "tgz", "xz", "bz2", "zst", "deb", "msi", "exe"];

fn is_called_as_one(file: &Path) -> bool {
    let ending = file.extension().map(|ending| ending.to_string_lossy().to_ascii_lowercase());
    ending.is_some_and(|ending| ENDINGS.contains(&&*ending))
}

/// What one file is; `None` for one that cannot be received.
fn download(session: &Session, file: &Path, stock: &Stock) -> Result<Option<FolderDownload>, JobError> {
    if let Some(installer) = recognise(file)? {
        let installer = look_first(session, file, installer, false)?;
        let mut guess = guess_of(file);
        guess.version = installer.version.clone().or(guess.version);
        let of_file = FolderDownload::named(file, &guess, stock);
        return Ok(Some(FolderDownload {
            is_installer: true,
            arch: installer.arch.or(of_file.arch.clone()),
            ..of_file
        }));
    }
    let opened = match Opened::open(session, file, session.system()) {
        Ok(opened) => opened,
        Err(ArchiveError::NotAnArchive { .. }) if !is_called_as_one(file) => return Ok(None),
        Err(error) => return Err(error.into()),
    };
    let launchers = opened.launchers(session.system());
    let Opened { source, guess, .. } = opened;
    let options = Options { leave_out_hazards: true, ..Options::default() };
    let listing = archive::list(&source, options, &session.stop)?;
    let (laid_out, findings) = lay_out(&listing, Target::here(session.system(), true), &launchers)?;
    let guess = guess.or(naming::guess(&file_name(&laid_out.wrapper)));
    let files = Files::of(&listing);
    let tool = Unplaced { listing: &listing, files: &files, layout: &laid_out, root: None };
    let of_file = FolderDownload::named(file, &guess, stock);
    let hindrance = match findings.into_iter().next() {
        Some(finding) => Some(finding.seen),
        None => first_hindrance(&tool, &laid_out, &session.machine.environment),
    };
    // Where the names do not tell, the programs do.
    let of_programs =
        |part: fn(&layout::Command) -> &Option<String>| laid_out.commands.iter().find_map(|c| part(c).clone());
    let os = of_file.os.clone().or_else(|| of_programs(|command| &command.os));
    let arch = of_file.arch.clone().or_else(|| of_programs(|command| &command.arch));
    Ok(Some(FolderDownload { hindrance, os, arch, ..of_file }))
}

/// What keeps the first command from running here that does not.
fn first_hindrance(tool: &Unplaced<'_>, laid_out: &layout::Layout, environment: &Environment) -> Option<String> {
    let fits = tool.fits_by_files(environment);
    laid_out.commands.iter().zip(fits).find_map(|(command, fit)| {
        let entry = tool.files.at(&laid_out.wrapper.join(&command.path));
        entry
            .and_then(|entry| hindrance(entry.program.as_ref()?, os::SYSTEM, os::processor()))
            .or_else(|| fit?.hindrance())
    })
}

fn guess_of(file: &Path) -> naming::Guess {
    naming::guess(&file.file_stem().unwrap_or_default().to_string_lossy())
}

impl FolderDownload {
    /// What the names of a file say, and what the yard has of that.
    fn named(file: &Path, guess: &naming::Guess, stock: &Stock) -> Self {
        let of_tool = stock.iter().filter(|card| Some(card.name.as_str()) == guess.name.as_deref());
        let held: Vec<String> = of_tool.map(|card| card.version.to_string()).collect();
        let compared = match (&guess.name, &guess.version) {
            (Some(_), _) if held.is_empty() => Compared::New,
            (Some(_), Some(version)) => {
                let orders: Vec<Ordering> = held.iter().map(|held| compare_versions(version, held)).collect();
                if orders.contains(&Ordering::Equal) {
                    Compared::Same
                } else if orders.contains(&Ordering::Less) {
                    Compared::Older
                } else {
                    Compared::Newer
                }
            }
            _ => Compared::Unknown,
        };
        Self {
            file: file.into(),
            is_installer: false,
            name: guess.name.clone(),
            version: guess.version.clone(),
            os: guess.os.map(str::to_owned),
            arch: guess.arch.map(str::to_owned),
            is_damaged: false,
            hindrance: None,
            held,
            compared,
        }
    }
}
