//! What `inspect` saw.

use serde::Serialize;

use crate::archive::{Compression, Container, LeftOut};
use crate::checksum::Published;
use crate::installer::Installer;
use crate::program::ProgramKind;
use crate::report::{ReportBody, ReportPath};

/// A file that was looked into.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(untagged)]
pub enum Inspected {
    /// An archive, or a bare program.
    File(Box<InspectedFile>),
    /// An installer.
    Installer {
        /// What is known of it.
        installer: Box<Installer>,
    },
}

impl ReportBody for Inspected {
    fn name(&self) -> &'static str {
        "inspect"
    }
}

/// What the file's names suggest.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Suggested {
    /// The tool.
    pub name: Option<String>,
    /// Its version.
    pub version: Option<String>,
    /// The system it is for.
    pub os: Option<&'static str>,
    /// The processor it is for.
    pub arch: Option<&'static str>,
    /// The variable that would point to its home.
    pub home_variable: Option<String>,
}

/// A command the file would bring.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InspectedCommand {
    /// What a person types.
    pub name: String,
    /// Its file, relative to the home.
    pub path: ReportPath,
    /// The kind of program.
    pub program: ProgramKind,
    /// The system it was built for.
    pub os: Option<String>,
    /// The processor it was built for.
    pub arch: Option<String>,
    /// Why it would not run here; null where it would.
    pub hindrance: Option<String>,
    /// What nobody can say of that before it is started; null where all is known.
    pub unknown: Option<String>,
    /// Whether it is for another processor, and the system translates it.
    pub is_translated: bool,
    /// The files of that name in this terminal's PATH, the one that runs first.
    pub here: Vec<ReportPath>,
    /// The version that the first of them states.
    pub here_version: Option<String>,
    /// Whether one of those would still run once the tool is registered.
    pub stays_hidden: bool,
}

/// An archive or a bare program, looked into.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InspectedFile {
    /// The file.
    pub file: ReportPath,
    /// The kind of archive.
    pub container: Container,
    /// What is around it.
    pub compression: Compression,
    /// The archive inside, where the file holds just that.
    pub inner: Option<String>,
    /// The file's size in bytes.
    pub bytes: u64,
    /// Its SHA-256 in hex; null for a large file of which only a part was read.
    pub sha256: Option<String>,
    /// The published checksums it was compared with.
    pub published: Vec<Published>,
    /// Files, folders and links.
    pub entries: usize,
    /// Files.
    pub files: usize,
    /// Their sizes together, in bytes.
    pub unpacked_bytes: u64,
    /// The wrapper folder; empty for none.
    pub wrapper: ReportPath,
    /// What lies in the home and one level below, folders ending in `/` with the number of files in them.
    pub tree: Vec<(String, usize)>,
    /// The command folders, relative to the home.
    pub command_folders: Vec<ReportPath>,
    /// The commands.
    pub commands: Vec<InspectedCommand>,
    /// What the names suggest.
    pub suggested: Suggested,
    /// The versions of the tool that the yard holds.
    pub held: Vec<String>,
    /// Sample settings, to be copied and edited.
    pub sample_settings: Vec<ReportPath>,
    /// Texts that tell how to set the tool up.
    pub documents: Vec<ReportPath>,
    /// Installers that lie in the archive.
    pub installers: Vec<ReportPath>,
    /// Entries that could do harm: `receive` refuses the archive for them.
    pub hazards: Vec<LeftOut>,
}
