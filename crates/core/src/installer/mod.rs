//! Installers: recognised by content, looked into before they run, and run under watch.

mod blame;
mod clash;
mod here;
mod left;
mod package;
mod plan;
mod run;
mod script;
mod status;
mod uninstall;
mod watch;
mod windows_program;

use std::fs::File;
use std::io::Read as _;
use std::path::{Path, PathBuf};

pub use here::look_first;
pub use plan::{InstallPlan, plan};
pub use run::{Choose, InstallError, InstallReport, InstallRequest, install};
use serde::Serialize;
pub use uninstall::{UninstallReport, uninstall, uninstaller};
pub use watch::{EntrySeen, Seen, StartupSeen, UninstallRecord, ValueSeen};

use crate::error::{FileContext as _, FileError};
use crate::finding::Finding;
use crate::os;
use crate::system::System;

/// The kind of an installer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum InstallerKind {
    /// A package of Windows Installer.
    WindowsPackage,
    /// A program for Windows that installs another.
    WindowsProgram,
    /// A shell script that installs something, most often out of an archive behind its last line.
    SelfExtractor,
    /// A package of Debian's, handed to the system.
    DebianPackage,
    /// A package of macOS.
    MacosPackage,
}

impl InstallerKind {
    /// Whether it can run on this system.
    #[must_use]
    pub fn runs_here(self) -> bool {
        match self {
            Self::SelfExtractor | Self::DebianPackage => os::HERE == System::Unix,
            Self::WindowsPackage | Self::WindowsProgram => os::HERE == System::Windows,
            Self::MacosPackage => os::SYSTEM == "macos",
        }
    }

    /// It in words.
    #[must_use]
    pub fn words(self) -> &'static str {
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
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PlannedVariable {
    /// The variable.
    pub name: String,
    /// What is written, as the package has it.
    pub value: String,
    /// `user` or `system`.
    pub scope: &'static str,
    /// How it goes in: `first`, `last`, or `in-place` of what is there.
    pub place: &'static str,
}

/// A command of an installer that a new terminal finds already.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct AlreadyHere {
    /// The command.
    pub command: String,
    /// The file that runs.
    pub path: PathBuf,
    /// The version it states; null for none.
    pub version: Option<String>,
}

/// What is known of an installer before it runs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Installer {
    /// What it is.
    pub kind: InstallerKind,
    /// The product, where it says so.
    pub product: Option<String>,
    /// Its version, where it says so.
    pub version: Option<String>,
    /// The processor it is for, where it says so.
    pub arch: Option<String>,
    /// Whether it installs for everybody; null where it does not say.
    pub for_everybody: Option<bool>,
    /// The files it would make, where it says so, and the folder that stands for where they go.
    pub files: Vec<String>,
    /// The commands among them.
    pub commands: Vec<String>,
    /// The changes of the environment it would make.
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
    /// What of it would clash with what is here.
    pub findings: Vec<Finding>,
}

impl Installer {
    fn new(kind: InstallerKind) -> Self {
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

/// How much of a file is read to recognise it: the text of a self-extractor is far shorter.
const HEAD: u64 = 1 << 20;

/// The file a compound document begins with (MS-CFB 2.2), as packages of Windows Installer are.
const COMPOUND: &[u8] = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1";

/// Recognises an installer by its content; `None` for any other file.
///
/// # Errors
/// When the file cannot be read.
pub fn recognise(file: &Path) -> Result<Option<Installer>, FileError> {
    if !file.is_file() {
        return Ok(None);
    }
    let mut head = Vec::new();
    File::open(file).at("open", file)?.take(HEAD).read_to_end(&mut head).at("read", file)?;
    Ok(if head.starts_with(COMPOUND) {
        package::read(file)
    } else if head.starts_with(b"xar!") {
        Some(Installer::new(InstallerKind::MacosPackage))
    } else if head.starts_with(b"MZ") {
        windows_program::read(file)
    } else if head.starts_with(b"#!") {
        script::read(file, &head)
    } else {
        None
    })
}

#[cfg(test)]
mod tests {
    use std::fs;

    use msi::{Column, Insert, Package, PackageType, Value};
    use proptest::prelude::*;

    use super::*;

    /// A package that has one row in each of the tables that are read.
    fn a_package(file: &Path) -> Vec<u8> {
        let inner = File::options().read(true).write(true).create(true).truncate(true).open(file).unwrap();
        let mut package = Package::create(PackageType::Installer, inner).unwrap();
        for (table, columns, row) in [
            ("Property", &["Property", "Value"][..], &["ProductName", "Buoyctl"][..]),
            ("Directory", &["Directory", "Directory_Parent", "DefaultDir"], &["TARGETDIR", "TARGETDIR", "SourceDir"]),
            ("Component", &["Component", "Directory_"], &["Program", "TARGETDIR"]),
            ("File", &["File", "Component_", "FileName"], &["F1", "Program", "buoyctl.exe"]),
            ("Environment", &["Environment", "Name", "Value"], &["E1", "*=-PATH", "[~];[TARGETDIR]"]),
        ] {
            let columns = columns.iter().map(|name| Column::build(*name).primary_key().string(0)).collect();
            package.create_table(table, columns).unwrap();
            let row = row.iter().map(|text| Value::Str((*text).to_owned())).collect();
            package.insert_rows(Insert::into(table).rows(vec![row])).unwrap();
        }
        package.flush().unwrap();
        drop(package);
        fs::read(file).unwrap()
    }

    #[test]
    fn spoiled_installers_are_no_installers_or_others_and_end_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("buoyctl-setup-2.4.msi");
        let package = a_package(&file);
        assert_eq!(recognise(&file).unwrap().unwrap().commands, ["buoyctl"]);
        let script = b"#!/bin/sh\ncase $1 in --prefix=*) ;; esac\nexit\n\x1f\x8b\x08\0\0\0\xff\xfe rest".to_vec();
        let whole = [package, windows_program::tests::program("Buoyctl Setup", 70_000), script, b"xar!\0\x1c".to_vec()];
        let changes = prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6);
        proptest!(|(which in 0..whole.len(), changes in changes, cut in any::<Option<prop::sample::Index>>())| {
            let mut content = whole[which].clone();
            for (at, byte) in changes {
                let at = at.index(content.len());
                content[at] = byte;
            }
            if let Some(cut) = cut {
                content.truncate(cut.index(content.len()));
            }
            fs::write(&file, content).unwrap();
            let _ = recognise(&file).unwrap();
        });
    }
}
