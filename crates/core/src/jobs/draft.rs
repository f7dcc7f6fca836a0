//! `draft`: a waybill of the yard as it is, or of a folder of downloads.

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::checksum::Computed;
use crate::error::{FileContext as _, classified};
use crate::given;
use crate::jobs::inspect::{self, FolderDownload};
use crate::naming::{ToolName, Version, compare_versions};
use crate::os;
use crate::prepare::{PrepareStep, tools_named};
use crate::report::{Report, report_body};
use crate::scope::Scope;
use crate::session::{JobError, Session, SessionError};
use crate::waybill::{Waybill, WaybillArchive, WaybillRequires, WaybillSource, WaybillTool};
use crate::yard::{Card, OtherSource};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Draft {
    pub text: String,
    pub tools: usize,
}

report_body!(Draft = "draft");

#[derive(Debug, thiserror::Error)]
pub enum DraftError {
    #[error("the yard has no tools")]
    Empty,
    /// The folder has no downloads whose tool and version are known.
    #[error("no downloads in {}", .0.display())]
    NoDownloads(PathBuf),
    #[error("{}: no such folder", .0.display())]
    NoFolder(PathBuf),
    #[error("the waybill could not be written as text")]
    Text(#[source] toml::ser::Error),
}

classified!(DraftError {
    Self::Empty => Call, "to add one: wyard receive FILE";
    Self::NoDownloads(_) => Call, "to see what is in it: wyard inspect FOLDER";
    Self::NoFolder(_) => Call;
    Self::Text(_) => Machine;
});

pub fn run(session: &Session) -> Result<Report<Draft>, JobError> {
    let stock = session.cards()?;
    let tools: Vec<WaybillTool> = stock.in_service().into_iter().map(of_card).collect();
    if tools.is_empty() {
        return Err(DraftError::Empty.into());
    }
    let count = tools.len();
    let gone: Vec<PathBuf> = tools.iter().flat_map(|tool| &tool.sources).flat_map(gone).collect();
    let text = with_comments(&toml::to_string_pretty(&Waybill::of(tools)).map_err(DraftError::Text)?, &gone);
    Ok(Report::new(Draft { text, tools: count }))
}

/// The files and folders of a source that are not there any more.
fn gone(source: &WaybillSource) -> Vec<PathBuf> {
    let further = source.with.iter().filter_map(|archive| archive.file.clone());
    let all = source.file.clone().into_iter().chain(source.folder.clone()).chain(further);
    all.filter(|path| !path.exists()).collect()
}

/// The text with a comment above each line that names something that is gone.
fn with_comments(text: &str, gone: &[PathBuf]) -> String {
    let named: Vec<String> = gone.iter().map(|path| toml::Value::from(&*path.to_string_lossy()).to_string()).collect();
    let is_gone = |line: &str| {
        let value = ["file = ", "folder = "].iter().find_map(|key| line.strip_prefix(key));
        value.is_some_and(|value| named.iter().any(|name| name == value))
    };
    let mut commented = String::new();
    for line in text.lines() {
        if is_gone(line) {
            commented.push_str("# Not found when this was drafted; correct it, or use url.\n");
        }
        commented.push_str(line);
        commented.push('\n');
    }
    commented
}

/// Drafts a waybill of a folder of downloads: of each tool the newest version, with its downloads for all systems.
pub fn of_folder(session: &Session, folder: &Path) -> Result<Report<Draft>, JobError> {
    if !folder.is_dir() {
        return Err(DraftError::NoFolder(folder.to_owned()).into());
    }
    let inspected = inspect::folder(session, folder)?.into_body();
    let mut tools: BTreeMap<ToolName, (Version, Vec<FolderDownload>)> = BTreeMap::new();
    for download in inspected.downloads.into_iter().filter(|download| !download.is_installer && !download.is_damaged) {
        let (Some(name), Some(version)) = (&download.name, &download.version) else { continue };
        let (Ok(name), Ok(version)) = (name.parse::<ToolName>(), version.parse::<Version>()) else { continue };
        let of_tool = tools.entry(name).or_insert_with(|| (version.clone(), Vec::new()));
        match compare_versions(version.as_str(), of_tool.0.as_str()) {
            Ordering::Less => {}
            Ordering::Equal => of_tool.1.push(download),
            Ordering::Greater => *of_tool = (version, vec![download]),
        }
    }
    if tools.is_empty() {
        return Err(DraftError::NoDownloads(folder.to_owned()).into());
    }
    let of_tool = |(name, (version, downloads)): (ToolName, (Version, Vec<FolderDownload>))| {
        let sources = downloads.iter().map(|download| of_download(session, download)).collect::<Result<_, _>>()?;
        Ok(WaybillTool { sources, ..WaybillTool::new(name, version) })
    };
    let tools: Vec<WaybillTool> = tools.into_iter().map(of_tool).collect::<Result<_, JobError>>()?;
    let count = tools.len();
    let text = toml::to_string_pretty(&Waybill::of(tools)).map_err(DraftError::Text)?;
    Ok(Report::new(Draft { text, tools: count }))
}

fn of_download(session: &Session, download: &FolderDownload) -> Result<WaybillSource, JobError> {
    let file = &*download.file;
    let content = given::open(file).at("read", file)?;
    let sum = match Computed::of(content, &[], &session.stop) {
        Err(_) if session.stop.requested() => return Err(SessionError::Interrupted.into()),
        computed => computed.at("read", file)?.sha256,
    };
    Ok(WaybillSource {
        os: download.os.clone(),
        arch: download.arch.clone(),
        file: Some(file.to_owned()),
        sha256: Some(sum.value),
        ..WaybillSource::default()
    })
}

fn of_card(card: &Card) -> WaybillTool {
    let registration = card.registration.as_ref();
    let usual = card.name.home_variable().ok().map(|usual| vec![usual]);
    let home_variables = registration.map(|registration| registration.home_variables.clone());
    let command_folders = &card.layout.command_folders;
    WaybillTool {
        home_variables: home_variables.filter(|variables| Some(variables) != usual.as_ref()),
        scope: registration.map(|registration| registration.scope).filter(|scope| *scope != Scope::User),
        command_folders: if card.folder.is_some() { command_folders.clone() } else { Vec::new() },
        probe: card.probe.clone(),
        requires: WaybillRequires {
            tools: tools_of_texts(card),
            commands: card.requires.commands.clone(),
            variables: card.requires.variables.clone(),
        },
        sources: vec![source(card)],
        prepare: card.prepare.clone(),
        launchers: if is_lone(card) { Vec::new() } else { card.launchers.clone() },
        trials: card.trials.iter().map(Into::into).collect(),
        ..WaybillTool::new(card.name.clone(), card.version.clone())
    }
}

fn tools_of_texts(card: &Card) -> Vec<ToolName> {
    let texts = card.prepare.iter().flat_map(PrepareStep::texts);
    let texts = texts.chain(card.launchers.iter().flat_map(|launcher| launcher.runs.clone()));
    let mut named: Vec<ToolName> = texts
        .flat_map(|text| tools_named(&text).filter_map(|name| name.parse().ok()).collect::<Vec<_>>())
        .filter(|name| *name != card.name)
        .collect();
    named.sort();
    named.dedup();
    named
}

/// Whether its only launcher is the one that `receive` makes by itself.
fn is_lone(card: &Card) -> bool {
    let file = PathBuf::from(&card.source.file);
    let home = format!("{{home}}/{}", file.file_name().unwrap_or_default().to_string_lossy());
    matches!(&card.launchers[..], [only] if only.runs.last() == Some(&home) && card.commands.len() == 1)
}

fn further(source: &OtherSource) -> WaybillArchive {
    let sha256 = Some(source.sha256.clone());
    match &source.address {
        Some(address) => WaybillArchive { url: Some(address.clone()), sha256, file: None },
        None => WaybillArchive { file: Some(PathBuf::from(&source.file)), sha256, url: None },
    }
}

/// Where a tool came from; what is known of that holds for this system and processor only.
fn source(card: &Card) -> WaybillSource {
    let here = WaybillSource {
        os: Some(os::SYSTEM.to_owned()),
        arch: Some(std::env::consts::ARCH.to_owned()),
        with: card.source.with.iter().map(further).collect(),
        ..WaybillSource::default()
    };
    if let Some(folder) = &card.folder {
        return WaybillSource { folder: Some(folder.clone()), ..here };
    }
    let sha256 = Some(card.source.sha256.clone()).filter(|sum| !sum.is_empty());
    match &card.source.address {
        Some(address) => WaybillSource { url: Some(address.clone()), sha256, ..here },
        None => WaybillSource { file: Some(PathBuf::from(&card.source.file)), sha256, ..here },
    }
}
