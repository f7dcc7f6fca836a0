//! What is known of an installer before it runs.

use serde::Serialize;

use crate::finding::Finding;
use crate::os;
use crate::report::ReportPath;
use crate::scope::Scope;
use crate::system::System;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum InstallerKind {
    WindowsPackage,
    WindowsProgram,
    /// A shell script that installs something, most often out of an archive behind its last line.
    SelfExtractor,
    /// A package of Debian's, handed to the system.
    DebianPackage,
    MacosPackage,
}

impl InstallerKind {
    pub fn runs_on(self, system: System) -> bool {
        match self {
            Self::SelfExtractor | Self::DebianPackage => system == System::Unix,
            Self::WindowsPackage | Self::WindowsProgram => system == System::Windows,
            Self::MacosPackage => os::SYSTEM == "macos",
        }
    }

    pub fn describe(self) -> &'static str {
        match self {
            Self::WindowsPackage => "Windows installer package",
            Self::WindowsProgram => "Windows installer program",
            Self::SelfExtractor => "shell self-extractor",
            Self::DebianPackage => "Debian package, for the system to install",
            Self::MacosPackage => "macOS installer package",
        }
    }
}

/// A change of the environment that an installer says it makes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct PlannedVariable {
    pub name: String,
    /// What is written, as the package has it.
    pub value: String,
    pub scope: Scope,
    pub place: PlannedPlace,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PlannedPlace {
    /// In front of what is there.
    First,
    Last,
    InPlace,
}

/// A command of an installer that a new terminal finds already.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct AlreadyHere {
    pub command: String,
    pub path: ReportPath,
    /// The version it states; null for none.
    pub version: Option<String>,
}

/// What is known of an installer before it runs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Installer {
    pub kind: InstallerKind,
    pub product: Option<String>,
    pub version: Option<String>,
    pub arch: Option<String>,
    /// Whether it installs for everybody; null where it does not say.
    pub for_everybody: Option<bool>,
    /// The files it would make, where it says so, and the folder that stands for where they go.
    pub files: Vec<String>,
    pub commands: Vec<String>,
    pub variables: Vec<PlannedVariable>,
    /// The parts that are off unless somebody selects them.
    pub off_by_default: Vec<String>,
    /// The archive inside, in words.
    pub inside: Option<String>,
    /// Where in the file that begins, in bytes.
    pub inside_at: Option<u64>,
    /// Which of its commands are here already, and in which version.
    pub here: Vec<AlreadyHere>,
    /// The option that names the folder to install into; ends in `=` where the folder is written right behind it.
    pub folder_option: Option<String>,
    pub findings: Vec<Finding>,
}

impl Installer {
    /// Of this kind, with nothing else known yet.
    pub fn new(kind: InstallerKind) -> Self {
        Self {
            kind,
            product: None,
            version: None,
            arch: None,
            for_everybody: None,
            files: Vec::new(),
            commands: Vec::new(),
            variables: Vec::new(),
            off_by_default: Vec::new(),
            inside: None,
            inside_at: None,
            here: Vec::new(),
            folder_option: None,
            findings: Vec::new(),
        }
    }
}
