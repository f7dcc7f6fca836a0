//! What `inspect` saw.

use serde::Serialize;

use crate::archive::{Compression, Container, LeftOut};
use crate::checksum::Published;
use crate::installer::Installer;
use crate::program::ProgramKind;
use crate::report::{ReportPath, report_body};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(untagged)]
pub enum Inspected {
    File(Box<InspectedFile>),
    Installer { installer: Box<Installer> },
}

report_body!(Inspected = "inspect");

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Suggested {
    pub name: Option<String>,
    pub version: Option<String>,
    pub os: Option<&'static str>,
    pub arch: Option<&'static str>,
    pub home_variable: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InspectedCommand {
    pub name: String,
    /// Its file, relative to the home.
    pub path: ReportPath,
    pub program: ProgramKind,
    pub os: Option<String>,
    pub arch: Option<String>,
    /// Why it would not run here; null where it would.
    pub hindrance: Option<String>,
    /// What nobody can say of that before it is started; null where all is known.
    pub unknown: Option<String>,
    /// Whether it is for another processor, and the system translates it.
    pub is_translated: bool,
    /// The files of that name in this terminal's PATH, the one that runs first.
    pub here: Vec<ReportPath>,
    pub here_version: Option<String>,
    /// Whether one of those would still run once the tool is registered.
    pub stays_hidden: bool,
}

/// An archive or a bare program, looked into.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InspectedFile {
    pub file: ReportPath,
    pub container: Container,
    pub compression: Compression,
    /// The archive inside, where the file holds just that.
    pub inner: Option<String>,
    pub bytes: u64,
    /// Its SHA-256 in hex; null for a large file of which only a part was read.
    pub sha256: Option<String>,
    pub published: Vec<Published>,
    /// Files, folders and links.
    pub entries: usize,
    pub files: usize,
    pub unpacked_bytes: u64,
    /// The wrapper folder; empty for none.
    pub wrapper: ReportPath,
    /// What lies in the home and one level below, folders ending in `/` with the number of files in them.
    pub tree: Vec<(String, usize)>,
    /// The command folders, relative to the home.
    pub command_folders: Vec<ReportPath>,
    pub commands: Vec<InspectedCommand>,
    pub suggested: Suggested,
    pub held: Vec<String>,
    pub sample_settings: Vec<ReportPath>,
    pub documents: Vec<ReportPath>,
    pub installers: Vec<ReportPath>,
    /// Entries that could do harm: `receive` refuses the archive for them.
    pub hazards: Vec<LeftOut>,
}
