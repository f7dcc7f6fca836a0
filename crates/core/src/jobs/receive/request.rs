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
    pub source: ReceiveSource,
    pub reading: Reading,
    pub placement: Placement,
    pub finish: Finish,
    pub installer: InstallerOptions,
}

/// What is received, and why it is trusted.
#[derive(Debug, Clone, Default)]
pub struct ReceiveSource {
    /// The downloaded file; where an address is given, it is fetched from there.
    pub file: PathBuf,
    pub address: Option<Address>,
    /// Where a list of published checksums is.
    pub list_address: Option<Address>,
    /// Whether a file that was fetched stays in the yard's folder of downloads.
    pub keep_download: bool,
    pub trust: Trust,
    /// Whether the user knows where the file comes from, so that a mark on the download is not passed on.
    pub trusted: bool,
    /// What the file is, where it does not say so itself.
    pub kind: Option<FileUse>,
    pub with: Vec<FurtherArchive>,
}

/// How its content is read; names and folders are guessed where none are given.
#[derive(Debug, Clone, Default)]
pub struct Reading {
    pub options: Options,
    pub name: Option<ToolName>,
    pub version: Option<Version>,
    pub command_folders: Vec<PathBuf>,
    /// Whether programs for other machines are taken as well.
    pub foreign: bool,
}

/// What becomes of it in the yard and in the stores.
#[derive(Debug, Clone, Default)]
pub struct Placement {
    pub home_variables: HomeVariables,
    pub scope: Scope,
    pub same_version: SameVersion,
    pub service: Service,
    pub requires: Requires,
    pub probe: Option<CardProbe>,
    /// How the tool is prepared; `None` means: as the version in use, as far as its samples are the same.
    pub prepare: Option<Vec<PrepareStep>>,
    pub launchers: Vec<Launcher>,
    /// The homes of other tools that its texts may name, beside those in use.
    pub homes: HashMap<String, PathBuf>,
    pub trials: Vec<Trial>,
}

/// What is done where this version is in the yard already.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum SameVersion {
    #[default]
    Refuse,
    Replace,
}

/// Whether new terminals get this version where they have another one.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Service {
    #[default]
    Take,
    LeaveToOther,
}

#[derive(Debug, Clone, Copy, Default)]
pub struct Finish {
    pub effect: Effect,
    pub check: FinalCheck,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Effect {
    #[default]
    Keep,
    /// Everything is taken back when the check is not good.
    KeepIfGood,
    /// It is only told what would be done.
    Rehearse,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum FinalCheck {
    #[default]
    Whole,
    /// No command is started.
    WithoutStarting,
    /// Somebody else checks later.
    None,
}

#[derive(Debug, Clone, Default)]
pub struct FurtherArchive {
    /// The file; where an address is given, it is fetched from there.
    pub file: PathBuf,
    pub address: Option<Address>,
    pub trust: Trust,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileUse {
    /// It is, or holds, programs to be typed.
    Program,
    Installer,
}

#[derive(Debug, Clone, Default)]
pub struct InstallerOptions {
    pub agreed: bool,
    pub folder: Option<PathBuf>,
    pub system_install: bool,
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
    pub fn rehearses(&self) -> bool {
        self.finish.effect == Effect::Rehearse
    }

    /// What was asked for that has a meaning only for archives and programs, as options.
    pub(super) fn given_for_archives(&self) -> Vec<&'static str> {
        let Self { source, reading, placement, .. } = self;
        let all = [
            (placement.service == Service::LeaveToOther, "--stay"),
            (placement.same_version == SameVersion::Replace, "--replace"),
            (source.trusted, "--trusted"),
            (reading.foreign, "--foreign"),
            (placement.probe.as_ref().is_some_and(|probe| probe.arguments.is_some()), "--probe"),
            (placement.probe.as_ref().is_some_and(|probe| probe.status.is_some()), "--status"),
            (self.finish.check == FinalCheck::WithoutStarting, "--no-run"),
            (reading.options.leave_out_hazards, "--leave-out-hazards"),
            (reading.options.limits != Limits::default(), "--limit"),
            (!source.with.is_empty(), "--with"),
            (!placement.requires.commands.is_empty(), "--requires-command"),
            (!placement.requires.variables.is_empty(), "--requires-variable"),
        ];
        all.into_iter().filter_map(|(is_given, name)| is_given.then_some(name)).collect()
    }
}

/// A file as a card has it: only its name where it was fetched, since the download does not stay.
pub(super) fn source_file(file: &Path, address: Option<&Address>) -> String {
    let name = file.file_name().filter(|_| address.is_some());
    name.unwrap_or(file.as_os_str()).to_string_lossy().into_owned()
}
