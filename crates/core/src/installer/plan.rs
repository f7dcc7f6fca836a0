//! What would be run of an installer: recognised, compared with what was published, and its command line.

use std::fs;
use std::io::Read as _;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::run::{InstallError, InstallRequest};
use super::{Installer, InstallerKind, look_first, recognise};
use crate::archive::{self, Container, Entry, EntryKind, Options};
use crate::checksum::{self, Algorithm};
use crate::error::FileContext as _;
use crate::layout::{self, Target};
use crate::machine::Machine;
use crate::os;
use crate::progress::Stop;
use crate::receive::{ReceiveError, Summed, compare, now, published as published_of};
use crate::system::System;

/// No `#!` line that a system takes is longer (execve(2), "Interpreter scripts", has 255 bytes).
const LONGEST_LINE: u64 = 4096;

/// What would be run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct InstallPlan {
    /// The format number.
    pub format: u32,
    /// `install-plan`.
    pub report: &'static str,
    /// The installer.
    pub file: PathBuf,
    /// What is known of it.
    pub installer: Installer,
    /// The SHA-256 in hex.
    pub sha256: String,
    /// Whether that was compared with a published one.
    pub compared: bool,
    /// The command and its arguments.
    pub command: Vec<String>,
    /// Where its output goes.
    pub log: PathBuf,
}

/// Works out what would be run, and compares the checksum.
///
/// # Errors
/// When it is no installer, can't run here, or is not what was published.
pub fn plan(machine: &Machine, request: &InstallRequest, stop: &Stop) -> Result<InstallPlan, InstallError> {
    let file = std::path::absolute(&request.file).at("find", &request.file)?;
    let installer = match request.system_install {
        true => debian_package(&file)?,
        false => recognise(&file)?.ok_or_else(|| InstallError::None(file.clone()))?,
    };
    let installer = look_first(machine, &file, installer, true, stop)?;
    if !installer.kind.runs_here() {
        return Err(InstallError::OtherSystem { file, kind: installer.kind.words() });
    }
    if os::HERE == System::Windows && machine.sandbox.is_some() {
        return Err(InstallError::Sandbox(file));
    }
    // installer(8) of macOS writes to a disk's root only for the superuser.
    let for_everybody = installer.for_everybody == Some(true) || installer.kind == InstallerKind::MacosPackage;
    if for_everybody && !os::is_superuser() {
        return Err(InstallError::NotElevated { file, command: machine.command_line.clone() });
    }
    let mut algorithms = vec![Algorithm::Sha256];
    let Summed { sha256, published } = {
        let published = published_of(&file, &request.trust)?;
        algorithms.extend(published.iter().map(|p| p.checksum.algorithm).filter(|a| *a != Algorithm::Sha256));
        algorithms.dedup();
        let content = fs::File::open(&file).at("open", &file)?;
        let computed = checksum::compute(&algorithms, std::io::BufReader::new(content), stop).at("read", &file)?;
        compare(&file, computed, published)?
    };
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let log = machine.yard.join("logs").join(format!("{name}-{}.log", now().replace(':', "-")));
    let command = command(&file, &installer, request, &log)?;
    let compared = !published.is_empty();
    Ok(InstallPlan {
        format: 1,
        report: "install-plan",
        file,
        installer,
        sha256: sha256.to_string(),
        compared,
        command,
        log,
    })
}

fn debian_package(file: &Path) -> Result<Installer, InstallError> {
    let stop = Stop::default();
    let source = archive::Source::open(file, &std::env::temp_dir(), &stop).map_err(ReceiveError::from)?;
    if source.format.container != Container::Deb {
        return Err(InstallError::None(file.to_owned()));
    }
    let listing = archive::list(&source, Options::default(), &stop).map_err(ReceiveError::from)?;
    let layout = layout::analyse(&listing, &[], Target::here(true)).ok();
    let commands = layout.map(|layout| layout.commands.into_iter().map(|c| c.name).collect()).unwrap_or_default();
    let guess = layout::guess(&file.file_name().unwrap_or_default().to_string_lossy());
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
) -> Result<Vec<String>, InstallError> {
    let text = |path: &Path| path.to_string_lossy().into_owned();
    let mut words = match installer.kind {
        // "Command-Line Options" of Windows Installer: install, no dialog, no restart, everything into the log.
        InstallerKind::WindowsPackage => {
            let log = log.with_extension("package.log");
            ["msiexec", "/i", &text(file), "/qn", "/norestart", "/l*v", &text(&log)].map(str::to_owned).to_vec()
        }
        // dpkg(1), "--install".
        InstallerKind::DebianPackage => ["dpkg", "--install", &text(file)].map(str::to_owned).to_vec(),
        // installer(8) of macOS: the package, and the disk it goes to.
        InstallerKind::MacosPackage => {
            ["/usr/sbin/installer", "-pkg", &text(file), "-target", "/"].map(str::to_owned).to_vec()
        }
        InstallerKind::WindowsProgram => vec![text(file)],
        InstallerKind::SelfExtractor => {
            let mut head = Vec::new();
            fs::File::open(file).at("open", file)?.take(LONGEST_LINE).read_to_end(&mut head).at("read", file)?;
            let line = head.split(|byte| *byte == b'\n').next().unwrap_or_default();
            let line = String::from_utf8_lossy(line.strip_prefix(b"#!").unwrap_or(line)).trim().to_owned();
            let mut words: Vec<String> = line.split_whitespace().map(str::to_owned).collect();
            words.push(text(file));
            words
        }
    };
    if let Some(folder) = &request.folder {
        let folder = text(&std::path::absolute(folder).at("find", folder)?);
        match installer.folder_option.as_deref() {
            Some(option) if option.ends_with('=') => words.push(format!("{option}{folder}")),
            Some(option) => words.extend([option.to_owned(), folder]),
            None => return Err(InstallError::NoFolderOption(file.to_owned())),
        }
    }
    words.extend(request.arguments.iter().cloned());
    Ok(words)
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
                arguments: vec!["--accept terms".to_owned()],
                ..InstallRequest::default()
            };
            match command(&file, &installer, &request, log) {
                Ok(words) => {
                    let (last, words) = words.split_last().unwrap();
                    assert_eq!(
                        (words, last.as_str()),
                        (&*expected.iter().map(|w| (*w).to_owned()).collect::<Vec<_>>(), "--accept terms")
                    );
                }
                Err(error) => {
                    assert!(expected.is_empty() && matches!(error, InstallError::NoFolderOption(_)), "{error}");
                }
            }
        }
    }
}
