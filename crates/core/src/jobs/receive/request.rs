//! What is asked of `receive`.

use std::collections::HashMap;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::time::Duration;

use crate::archive::{Limits, Options};
use crate::checksum::Trust;
use crate::download::Address;
use crate::layout::HomeVariables;
use crate::naming::{ToolName, Version};
use crate::prepare::{Launcher, PrepareStep};
use crate::scope::Scope;
use crate::yard::{CardProbe, Requires, Trial};

#[derive(Debug, Clone, Default)]
pub struct ReceiveRequest {
    /// The downloaded file; where an address is given, it is fetched from there.
    pub file: PathBuf,
    pub address: Option<Address>,
    /// Where a list of published checksums is.
    pub list_address: Option<Address>,
    /// Whether a file that was fetched stays in the yard's folder of downloads.
    pub keep_download: bool,
    pub trust: Trust,
    /// How the archive is to be read.
    pub options: Options,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found.
    pub command_folders: Vec<PathBuf>,
    pub home_variables: HomeVariables,
    pub scope: Scope,
    /// What it needs besides itself.
    pub requires: Requires,
    /// Whether the user knows where the file comes from, so that a mark on the download is not passed on.
    pub trusted: bool,
    /// Whether programs for other machines are taken.
    pub foreign: bool,
    /// Whether a version that is there already is replaced.
    pub replace: bool,
    /// Whether a version that is in service stays so.
    pub stay: bool,
    /// Whether everything is taken back when the check is not good.
    pub or_undo: bool,
    pub dry_run: bool,
    /// Whether the check at the end starts no command.
    pub no_run: bool,
    /// How the tool's commands are asked from now on.
    pub probe: Option<CardProbe>,
    /// Further archives that are unpacked over the same root.
    pub with: Vec<FurtherArchive>,
    /// How the tool is prepared; `None` means: as the version in use, as far as its samples are the same.
    pub prepare: Option<Vec<PrepareStep>>,
    pub launchers: Vec<Launcher>,
    /// The homes of other tools that its texts may name, beside those in use.
    pub homes: HashMap<String, PathBuf>,
    pub trials: Vec<Trial>,
    /// Whether nothing is checked at the end: somebody else does.
    pub unchecked: bool,
    /// What the file is, where it does not say so itself.
    pub kind: Option<FileUse>,
    pub installer: InstallerOptions,
}

#[derive(Debug, Clone, Default)]
pub struct FurtherArchive {
    /// The file; where an address is given, it is fetched from there.
    pub file: PathBuf,
    pub address: Option<Address>,
    pub trust: Trust,
}

/// What a downloaded file is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileUse {
    /// It is, or holds, programs to be typed.
    Program,
    Installer,
}

#[derive(Debug, Clone, Default)]
pub struct InstallerOptions {
    /// Whether it is run without asking.
    pub agreed: bool,
    pub folder: Option<PathBuf>,
    /// Whether a Debian package is handed to the system.
    pub system_install: bool,
    /// More places to be watched.
    pub watch: Vec<PathBuf>,
    /// How long it may take, if not as long as is usual.
    pub limit: Option<Duration>,
    pub arguments: Vec<OsString>,
}

impl InstallerOptions {
    /// What of it was asked for, as options.
    pub(super) fn given(&self) -> Vec<&'static str> {
        let all = [
            (self.agreed, "--yes"),
            (self.folder.is_some(), "--installer-folder"),
            (self.system_install, "--system-install"),
            (!self.watch.is_empty(), "--watch"),
            (self.limit.is_some(), "--time-limit"),
            (!self.arguments.is_empty(), "the arguments after --"),
        ];
        all.into_iter().filter_map(|(is_given, name)| is_given.then_some(name)).collect()
    }
}

impl ReceiveRequest {
    /// What was asked for that has a meaning only for archives and programs, as options.
    pub(super) fn given_for_archives(&self) -> Vec<&'static str> {
        let all = [
            (self.stay, "--stay"),
            (self.replace, "--replace"),
            (self.trusted, "--trusted"),
            (self.foreign, "--foreign"),
            (self.probe.as_ref().is_some_and(|probe| probe.arguments.is_some()), "--probe"),
            (self.probe.as_ref().is_some_and(|probe| probe.status.is_some()), "--status"),
            (self.no_run, "--no-run"),
            (self.options.leave_out_hazards, "--leave-out-hazards"),
            (self.options.limits != Limits::default(), "--limit"),
            (!self.with.is_empty(), "--with"),
            (!self.requires.commands.is_empty(), "--requires-command"),
            (!self.requires.variables.is_empty(), "--requires-variable"),
        ];
        all.into_iter().filter_map(|(is_given, name)| is_given.then_some(name)).collect()
    }
}

/// A file as a card has it: only its name where it was fetched, since the download does not stay.
pub(super) fn source_file(file: &Path, address: Option<&Address>) -> String {
    let name = file.file_name().filter(|_| address.is_some());
    name.unwrap_or(file.as_os_str()).to_string_lossy().into_owned()
}
