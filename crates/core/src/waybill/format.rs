//! The format of a waybill, as serde reads and writes it.

use std::collections::BTreeMap;
use std::fmt;
use std::path::PathBuf;

use serde::{Deserialize, Serialize};

use crate::naming::{ToolName, Variable, Version};
use crate::prepare::{Launcher, PrepareStep};
use crate::scope::Scope;
use crate::yard::{CardProbe, Left, Trial, TrialStep};

pub(super) const FORMAT: u32 = 1;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Waybill {
    pub waybill: u32,
    #[serde(default, rename = "tool")]
    pub tools: Vec<WaybillTool>,
}

impl Waybill {
    pub fn of(tools: Vec<WaybillTool>) -> Self {
        Self { waybill: FORMAT, tools }
    }
}

/// A tool, and how it is set up.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WaybillTool {
    pub name: ToolName,
    pub version: Version,
    /// The variables that point to its home; the usual one where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub home_variables: Option<Vec<Variable>>,
    /// Whose PATH; the user's where nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scope: Option<Scope>,
    /// Its command folders, relative to its home, where they are not to be found.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub command_folders: Vec<PathBuf>,
    /// Commands that it must bring.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub commands: Vec<String>,
    /// How its commands are asked for their version.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub probe: Option<CardProbe>,
    /// What it needs besides itself.
    #[serde(default, skip_serializing_if = "WaybillRequires::is_empty")]
    pub requires: WaybillRequires,
    /// Where it comes from: the first that fits the machine counts.
    #[serde(default, rename = "source", skip_serializing_if = "Vec::is_empty")]
    pub sources: Vec<WaybillSource>,
    /// How it is prepared, step by step.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub prepare: Vec<PrepareStep>,
    #[serde(default, rename = "launcher", skip_serializing_if = "Vec::is_empty")]
    pub launchers: Vec<Launcher>,
    /// Whether it may come as an installer that is run.
    #[serde(default, skip_serializing_if = "is_false")]
    pub allow_installer: bool,
    #[serde(default, rename = "trial", skip_serializing_if = "Vec::is_empty")]
    pub trials: Vec<WaybillTrial>,
}

impl WaybillTool {
    /// With nothing said but its version.
    pub fn new(name: ToolName, version: Version) -> Self {
        Self {
            name,
            version,
            home_variables: None,
            scope: None,
            command_folders: Vec::new(),
            commands: Vec::new(),
            probe: None,
            requires: WaybillRequires::default(),
            sources: Vec::new(),
            prepare: Vec::new(),
            launchers: Vec::new(),
            allow_installer: false,
            trials: Vec::new(),
        }
    }
}

/// What a tool needs besides itself.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct WaybillRequires {
    /// Other tools of the waybill: they are delivered first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub tools: Vec<ToolName>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub commands: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub variables: Vec<Variable>,
}

impl WaybillRequires {
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}

/// Where a tool comes from on some machines.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct WaybillSource {
    /// The system it is for: `linux`, `macos` or `windows`; any where nothing is said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub os: Option<String>,
    /// The processor it is for, as `x86_64` or `aarch64`; any where nothing is said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub arch: Option<String>,
    /// A file, relative to the waybill.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub file: Option<PathBuf>,
    /// An address, http or https.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub url: Option<String>,
    /// A folder that is adopted where it is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub folder: Option<PathBuf>,
    /// The published SHA-256 of the file.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sha256: Option<String>,
    /// Further archives, unpacked over the same root.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub with: Vec<WaybillArchive>,
}

/// A further archive of a tool.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct WaybillArchive {
    /// A file, relative to the waybill.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub file: Option<PathBuf>,
    /// An address, http or https.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub url: Option<String>,
    /// Its published SHA-256.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sha256: Option<String>,
}

impl WaybillArchive {
    /// What it names; `None` where that is not exactly one thing.
    pub fn place(&self) -> Option<Place<'_>> {
        match (&self.file, &self.url) {
            (Some(file), None) => Some(Place::File(file)),
            (None, Some(url)) => Some(Place::Url(url)),
            _ => None,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place<'a> {
    File(&'a PathBuf),
    Url(&'a str),
    Folder(&'a PathBuf),
}

impl fmt::Display for Place<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::File(path) | Self::Folder(path) => write!(f, "{}", path.display()),
            Self::Url(url) => f.write_str(url),
        }
    }
}

impl WaybillSource {
    /// What it names; `None` where that is not exactly one thing.
    pub fn place(&self) -> Option<Place<'_>> {
        match (&self.file, &self.url, &self.folder) {
            (Some(file), None, None) => Some(Place::File(file)),
            (None, Some(url), None) => Some(Place::Url(url)),
            (None, None, Some(folder)) => Some(Place::Folder(folder)),
            _ => None,
        }
    }

    /// Whether it is for machines of this system and processor.
    pub fn fits(&self, os: &str, arch: &str) -> bool {
        self.os.as_deref().is_none_or(|wanted| wanted == os) && self.arch.as_deref().is_none_or(|wanted| wanted == arch)
    }
}

/// A trial, as a waybill has it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WaybillTrial {
    pub title: String,
    /// The files it begins with: their places in the trial's folder, and their text.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub files: BTreeMap<String, String>,
    /// The commands, in order.
    #[serde(default, rename = "step", skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<WaybillStep>,
    /// The only command, where there are no steps.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub run: Vec<String>,
    /// What its output must hold.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub prints: Option<String>,
    /// The files that must be there afterwards.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub leaves: Vec<Left>,
}

/// A command of a trial.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct WaybillStep {
    /// The command and its arguments.
    pub run: Vec<String>,
    #[serde(skip_serializing_if = "is_zero")]
    pub status: i32,
    /// What its output must hold.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prints: Option<String>,
    /// The regular expression that its output must match.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub matches: Option<String>,
    /// The files that must be there afterwards.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub leaves: Vec<Left>,
    /// How many seconds it may take.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seconds: Option<u64>,
}

// serde asks by reference.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_false(truth: &bool) -> bool {
    !*truth
}

#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_zero(status: &i32) -> bool {
    *status == 0
}

impl From<&WaybillTrial> for Trial {
    fn from(trial: &WaybillTrial) -> Self {
        let WaybillTrial { title, files, steps, run, prints, leaves } = trial.clone();
        let of_step = |step: WaybillStep| {
            let WaybillStep { run, status, prints, matches, leaves, seconds } = step;
            TrialStep { run, status, prints, matches, leaves, seconds }
        };
        let only = TrialStep { run, prints, leaves, ..TrialStep::default() };
        let mut steps = steps.into_iter().map(of_step);
        let first = steps.next().unwrap_or(only);
        Self { name: title, files, first, then: steps.collect() }
    }
}

impl From<&Trial> for WaybillTrial {
    fn from(trial: &Trial) -> Self {
        let of_step = |step: &TrialStep| {
            let TrialStep { run, status, prints, matches, leaves, seconds } = step.clone();
            WaybillStep { run, status, prints, matches, leaves, seconds }
        };
        let (title, files) = (trial.name.clone(), trial.files.clone());
        let is_simple = trial.then.is_empty()
            && (trial.first.status, &trial.first.matches, trial.first.seconds) == (0, &None, None);
        if is_simple {
            let TrialStep { run, prints, leaves, .. } = trial.first.clone();
            return Self { title, files, steps: Vec::new(), run, prints, leaves };
        }
        let steps = trial.steps().map(of_step).collect();
        Self { title, files, steps, run: Vec::new(), prints: None, leaves: Vec::new() }
    }
}
