//! What would be run of an installer: recognised, compared with what was published, and its command line.

use std::ffi::{OsStr, OsString};
use std::fs;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::time::Duration;

use serde::Serialize;

use super::error::InstallError;
use super::existing::look_first;
use super::facts::{Installer, InstallerKind};
use super::pinned::Pinned;
use super::recognise::{recognise, script_as_installer};
use crate::archive::{self, Container, Entry, EntryKind, Options};
use crate::checksum::{Summed, Trust};
use crate::clock;
use crate::download::Address;
use crate::error::FileContext as _;
use crate::layout::{self, HomeVariables, Target};
use crate::naming::{self, ToolName, Version};
use crate::os;
use crate::process::command_line;
use crate::progress::Stop;
use crate::report::{ReportPath, report_body};
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::Card;

/// No `#!` line that a system takes is longer (execve(2), "Interpreter scripts", has 255 bytes).
const LONGEST_LINE: u64 = 4096;

#[derive(Debug, Clone, Default)]
pub struct InstallRequest {
    pub file: PathBuf,
    pub address: Option<Address>,
    pub trust: Trust,
    pub arguments: Vec<OsString>,
    pub folder: Option<PathBuf>,
    /// Whether a Debian package is handed to the system.
    pub system_install: bool,
    pub watch: Vec<PathBuf>,
    pub limit: Duration,
    /// Whether it is run without asking.
    pub agreed: bool,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found; absolute, or relative to its root.
    pub command_folders: Vec<PathBuf>,
    pub home_variables: HomeVariables,
    pub scope: Scope,
    /// Whether the stores are brought back when it fails or what it leaves is not good.
    pub or_undo: bool,
    pub dry_run: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct InstallPlan {
    pub file: ReportPath,
    pub installer: Installer,
    pub bytes: u64,
    pub sha256: String,
    pub compared: bool,
    pub command: Vec<ReportPath>,
    pub log: ReportPath,
}

report_body!(InstallPlan = "install-plan");

/// What would be run, and the file that stays as it is until then.
#[derive(Debug)]
pub struct PlannedInstaller {
    pub plan: InstallPlan,
    pub pinned: Pinned,
}

pub fn plan(session: &Session, request: &InstallRequest) -> Result<PlannedInstaller, JobError> {
    let machine = &session.machine;
    let file = std::path::absolute(&request.file).at("find", &request.file)?;
    let installer = match request.system_install {
        true => debian_package(&file, session.system())?,
        false => match recognise(&file)? {
            Some(installer) => installer,
            None => script_as_installer(&file)?.ok_or_else(|| InstallError::None(file.clone()))?,
        },
    };
    let installer = look_first(session, &file, installer, true)?;
    if !installer.kind.runs_on(session.system()) {
        return Err(InstallError::OtherSystem { file, kind: installer.kind }.into());
    }
    if session.system() == System::Windows && machine.sandbox.is_some() {
        return Err(InstallError::Sandbox(file).into());
    }
    // installer(8) of macOS writes to a disk's root only for the superuser.
    let for_everybody = installer.for_everybody == Some(true) || installer.kind == InstallerKind::MacosPackage;
    if for_everybody && !os::is_superuser() {
        return Err(InstallError::NotElevated { file, command: machine.command_line.clone() }.into());
    }
    let published = request.trust.published(&file)?;
    let pin = if request.dry_run { Pinned::only_summed } else { Pinned::to_run };
    let pinned = pin(&file, &published, &session.stop)?;
    let Summed { sha256, published, .. } = Summed::compare(&file, pinned.computed.clone(), published)?;
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let log = session.yard.logs().join(format!("{name}-{}.log", clock::now().replace(':', "-")));
    let command = command(&pinned.path, &installer, request, &log)?;
    let plan = InstallPlan {
        bytes: fs::metadata(&pinned.path).map_or(0, |seen| seen.len()),
        file: file.into(),
        installer,
        sha256: sha256.to_string(),
        compared: !published.is_empty(),
        command,
        log: log.into(),
    };
    Ok(PlannedInstaller { plan, pinned })
}

fn debian_package(file: &Path, system: System) -> Result<Installer, JobError> {
    let stop = Stop::default();
    let source = archive::Source::open(file, &std::env::temp_dir(), &stop)?;
    if source.format.container != Container::Deb {
        return Err(InstallError::None(file.to_owned()).into());
    }
    let listing = archive::list(&source, Options::default(), &stop)?;
    let layout = layout::analyse(&listing, &[], Target::here(system, true)).ok();
    let commands = layout.map(|layout| layout.commands.into_iter().map(|c| c.name).collect()).unwrap_or_default();
    let guess = naming::guess(&file.file_name().unwrap_or_default().to_string_lossy());
    let is_file = |entry: &&Entry| entry.kind == EntryKind::File;
    let files = listing.entries.iter().filter(is_file).map(|entry| format!("/{}", entry.path.display())).collect();
    Ok(Installer {
        product: guess.name,
        version: guess.version,
        for_everybody: Some(true),
        commands,
        files,
        ..Installer::new(InstallerKind::DebianPackage)
    })
}

/// The command line: quiet where the format defines that, the folder in the way of the installer, then what the user adds.
fn command(
    file: &Path,
    installer: &Installer,
    request: &InstallRequest,
    log: &Path,
) -> Result<Vec<ReportPath>, JobError> {
    let words = |words: &[&OsStr]| words.iter().map(ReportPath::from).collect::<Vec<_>>();
    let word = OsStr::new;
    let mut words: Vec<ReportPath> = match installer.kind {
        // "Command-Line Options" of Windows Installer: install, no dialog, no restart, everything into the log.
        InstallerKind::WindowsPackage => {
            let log = log.with_extension("package.log");
            let [install, quiet, stays, all] = ["/i", "/qn", "/norestart", "/l*v"].map(word);
            words(&[word("msiexec"), install, file.as_os_str(), quiet, stays, all, log.as_os_str()])
        }
        // dpkg(1), "--install".
        InstallerKind::DebianPackage => words(&[word("dpkg"), word("--install"), file.as_os_str()]),
        // installer(8) of macOS: the package, and the disk it goes to.
        InstallerKind::MacosPackage => {
            words(&[word("/usr/sbin/installer"), word("-pkg"), file.as_os_str(), word("-target"), word("/")])
        }
        InstallerKind::WindowsProgram => words(&[file.as_os_str()]),
        InstallerKind::SelfExtractor => {
            let mut head = Vec::new();
            fs::File::open(file).at("open", file)?.take(LONGEST_LINE).read_to_end(&mut head).at("read", file)?;
            let line = head.split(|byte| *byte == b'\n').next().unwrap_or_default();
            interpreter(line).into_iter().chain([file.as_os_str().to_owned()]).map(ReportPath::from).collect()
        }
    };
    if let Some(folder) = &request.folder {
        let folder = std::path::absolute(folder).at("find", folder)?.into_os_string();
        match installer.folder_option.as_deref() {
            Some(option) if option.ends_with('=') => {
                let mut joined = OsString::from(option);
                joined.push(&folder);
                words.push(joined.into());
            }
            Some(option) => words.extend([OsString::from(option), folder].map(ReportPath::from)),
            None => return Err(InstallError::NoFolderOption(file.to_owned()).into()),
        }
    }
    words.extend(request.arguments.iter().map(ReportPath::from));
    Ok(words)
}

/// The words of a `#!` line: the interpreter, and all that stands behind it as one word, as most systems hand it on
/// (execve(2), "Interpreter scripts").
fn interpreter(line: &[u8]) -> Vec<OsString> {
    let line = line.strip_prefix(b"#!").unwrap_or(line).trim_ascii();
    let end = line.iter().position(u8::is_ascii_whitespace).unwrap_or(line.len());
    let words = [&line[..end], line[end..].trim_ascii()];
    words.into_iter().filter(|word| !word.is_empty()).map(|word| os::name_from_bytes(word.to_vec())).collect()
}

/// The command that removes a tool, as words; `None` where none is known. One that the system's record has as a line is
/// split as the system would, and Windows Installer is told to remove, quietly ("Command-Line Options").
pub fn uninstaller(card: &Card, system: System) -> Option<Vec<ReportPath>> {
    let command = card.uninstaller.clone()?;
    let [line] = &command[..] else { return Some(command) };
    if system == System::Unix || line.exists() {
        return Some(command);
    }
    let mut words = command_line::split(&line.text(), system, &|path| path.is_file())?;
    let program = words.first().map(|program| program.to_lowercase()).unwrap_or_default();
    if program.trim_end_matches(".exe").ends_with("msiexec") {
        for word in &mut words {
            if word.get(..2).is_some_and(|begin| begin.eq_ignore_ascii_case("/i")) {
                *word = format!("/x{}", &word[2..]);
            }
        }
        words.extend(["/qn".to_owned(), "/norestart".to_owned()]);
    }
    Some(words.into_iter().map(ReportPath::from).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_command_line_is_the_formats_own() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("buoyctl 2.4");
        fs::write(&file, "#! /bin/sh -e\n").unwrap();
        let (text, into) = (file.to_str().unwrap(), std::path::absolute("tools").unwrap());
        let (into, log) = (into.to_str().unwrap(), Path::new("l.log"));
        let joined = format!("--prefix={into}");
        // The kind, its option for the folder, whether a folder is asked for; the words, none where that can't be said.
        let cases: [(InstallerKind, Option<&str>, bool, &[&str]); 9] = [
            (InstallerKind::SelfExtractor, None, false, &["/bin/sh", "-e", text]),
            (InstallerKind::SelfExtractor, Some("--prefix="), true, &["/bin/sh", "-e", text, &joined]),
            (InstallerKind::SelfExtractor, Some("--into"), true, &["/bin/sh", "-e", text, "--into", into]),
            (InstallerKind::SelfExtractor, None, true, &[]),
            (InstallerKind::WindowsProgram, None, false, &[text]),
            (InstallerKind::WindowsProgram, None, true, &[]),
            (InstallerKind::DebianPackage, None, false, &["dpkg", "--install", text]),
            (InstallerKind::MacosPackage, None, false, &["/usr/sbin/installer", "-pkg", text, "-target", "/"]),
            (
                InstallerKind::WindowsPackage,
                None,
                false,
                &["msiexec", "/i", text, "/qn", "/norestart", "/l*v", "l.package.log"],
            ),
        ];
        for (kind, option, asks, expected) in cases {
            let installer = Installer { folder_option: option.map(str::to_owned), ..Installer::new(kind) };
            let request = InstallRequest {
                folder: asks.then(|| "tools".into()),
                arguments: vec!["--accept terms".into()],
                ..InstallRequest::default()
            };
            match command(&file, &installer, &request, log) {
                Ok(words) => {
                    let words: Vec<_> = words.iter().map(|word| word.text().into_owned()).collect();
                    assert_eq!(words, [expected, &["--accept terms"]].concat());
                }
                Err(error) => {
                    assert!(
                        expected.is_empty() && matches!(error.of(), Some(InstallError::NoFolderOption(_))),
                        "{error}"
                    );
                }
            }
        }
    }

    #[test]
    fn the_interpreter_gets_its_arguments_as_one_word() {
        let words =
            |line: &[u8]| interpreter(line).into_iter().map(|word| word.into_string().unwrap()).collect::<Vec<_>>();
        assert_eq!(words(b"#! /bin/sh -e"), ["/bin/sh", "-e"]);
        assert_eq!(words(b"#!/usr/bin/env -S sh -e"), ["/usr/bin/env", "-S sh -e"]);
        assert_eq!(words(b"#!/bin/sh"), ["/bin/sh"]);
    }
}
