//! `machine`: what this machine is and has, as far as programs ask for it.

use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;

use crate::check;
use crate::environment::Environment;
use crate::error::{Blame, Blamed};
use crate::os;
use crate::program::{CLibrary, ThisMachine, c_libraries};
use crate::registry::{Hive, RegistryPlace, RegistryValue};
use crate::report::{Report, ReportBody, ReportPath};
use crate::resolve::Kind;
use crate::session::{Session, SessionError, meets_session};
use crate::system::System;
use crate::terminal::Question;
use crate::yard::YardError;

/// Interpreters that scripts of downloads ask for.
const INTERPRETERS: [&str; 9] = ["java", "lua", "node", "perl", "php", "python", "python3", "ruby", "tclsh"];

/// What a machine is and has.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MachineFacts {
    /// The system, as archives write it: `linux`, `macos`, `windows`.
    pub system: &'static str,
    /// What it calls itself, with its version; null where it does not say.
    pub system_name: Option<String>,
    /// The kernel's version; Linux only.
    pub kernel: Option<String>,
    /// The processor, as archives write it.
    pub processor: &'static str,
    /// The level of an x86-64 processor, from 1 to 4; null on others.
    pub processor_level: Option<u32>,
    /// The C libraries; Linux only.
    pub c_libraries: Vec<CLibrary>,
    /// The other machines whose programs run here.
    pub emulates: Vec<String>,
    /// The shells that count.
    pub shells: Vec<FoundProgram>,
    /// The interpreters that a new terminal finds.
    pub interpreters: Vec<FoundProgram>,
}

/// A program, with the version it states.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FoundProgram {
    /// Its name.
    pub name: String,
    /// The file.
    pub file: ReportPath,
    /// The version; null where it states none.
    pub version: Option<String>,
}

impl ReportBody for MachineFacts {
    fn name(&self) -> &'static str {
        "machine"
    }
}

/// Why nothing can be told.
#[derive(Debug, thiserror::Error)]
pub enum MachineFactsError {
    /// What any job can meet.
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(MachineFactsError: YardError);

impl Blamed for MachineFactsError {
    fn blame(&self) -> Blame {
        let Self::Session(e) = self;
        e.blame()
    }

    fn hint(&self) -> Option<String> {
        let Self::Session(e) = self;
        e.hint()
    }
}

/// Looks at this machine.
///
/// # Errors
/// When the settings cannot be read, or the user asked to stop.
pub fn run(session: &Session) -> Result<Report<MachineFacts>, MachineFactsError> {
    let names = INTERPRETERS.map(str::to_owned);
    let asking = session.asking()?;
    let answers = asking.everywhere(Question { commands: &names, variables: &[] });
    session.go_on()?;
    let said = answers.iter().find_map(|answer| answer.said.as_ref().ok());
    let environment: Environment =
        said.map_or_else(|| session.machine.environment.clone(), |said| said.environment.clone());
    let interpreters: Vec<(String, PathBuf)> = names
        .iter()
        .filter_map(|name| {
            let meaning = said?.meaning(name);
            Some((name.clone(), meaning.file.clone().filter(|_| meaning.kind == Kind::File)?))
        })
        .collect();
    let shells: Vec<(String, PathBuf)> =
        session.shells()?.iter().map(|found| (found.shell.name().to_owned(), found.program.clone())).collect();
    let all: Vec<_> = interpreters.iter().chain(&shells).cloned().collect();
    let versions = check::versions(session, &all, &environment)?;
    session.go_on()?;
    let found = |(name, file): (String, PathBuf)| {
        let version = versions.get(&file).cloned();
        FoundProgram { name, file: file.into(), version }
    };
    let kernel = os::kernel_version().map(|numbers| numbers.map(|number| number.to_string()).join("."));
    let levels = os::processor_levels();
    let on_linux = os::SYSTEM == "linux";
    Ok(Report::new(MachineFacts {
        system: os::SYSTEM,
        system_name: system_name(session.system()),
        kernel,
        processor: os::processor(),
        processor_level: (levels > 0).then(|| 32 - levels.leading_zeros()),
        c_libraries: if on_linux { c_libraries(&ThisMachine::new(&environment)) } else { Vec::new() },
        emulates: emulates(),
        shells: shells.into_iter().map(found).collect(),
        interpreters: interpreters.into_iter().map(found).collect(),
    }))
}

/// What the system calls itself: os-release(5), the version file of macOS, or the registry of Windows.
fn system_name(system: System) -> Option<String> {
    if system == System::Windows {
        let key = r"SOFTWARE\Microsoft\Windows NT\CurrentVersion".to_owned();
        let values = RegistryPlace { hive: Hive::LocalMachine, key }.read().ok()?;
        let text = |name: &str| RegistryValue::from_raw(values.raw(name)?).map(|value| value.text);
        let build = text("CurrentBuild").map(|build| format!(", build {build}")).unwrap_or_default();
        return Some(format!("{}{build}", text("ProductName")?));
    }
    if os::SYSTEM == "macos" {
        return Some(format!("{} {}", os::macos_setting("ProductName")?, os::macos_setting("ProductVersion")?));
    }
    let told = ["/etc/os-release", "/usr/lib/os-release"].iter().find_map(|file| fs::read_to_string(file).ok())?;
    of_os_release(&told, "PRETTY_NAME")
}

/// A setting of os-release(5).
fn of_os_release(text: &str, name: &str) -> Option<String> {
    let mut settings = text.lines().filter_map(|line| line.split_once('='));
    let (_, value) = settings.find(|(key, _)| key.trim() == name)?;
    let value = value.trim().trim_matches(['"', '\'']);
    (!value.is_empty()).then(|| value.to_owned())
}

/// The machines whose programs something translates here: what the kernel hands to other programs (binfmt_misc), the
/// translator of macOS, and the subsystems of Windows ("x64 emulation on Arm64", "WOW64").
fn emulates() -> Vec<String> {
    match (os::SYSTEM, os::processor()) {
        ("windows", "aarch64") => ["x86_64", "x86"].map(str::to_owned).to_vec(),
        ("windows", "x86_64") => vec!["x86".to_owned()],
        ("macos", "aarch64") if os::translates_intel() => vec!["x86_64".to_owned()],
        ("linux", _) => {
            let entries = fs::read_dir("/proc/sys/fs/binfmt_misc").into_iter().flatten().flatten();
            let is_on = |path: &Path| fs::read_to_string(path).is_ok_and(|text| text.starts_with("enabled\n"));
            let on = entries.filter(|entry| is_on(&entry.path()) && entry.file_name() != "status");
            let mut names: Vec<String> = on.map(|entry| entry.file_name().to_string_lossy().into_owned()).collect();
            names.sort();
            names
        }
        _ => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_systems_say_of_themselves_is_read() {
        let text = "NAME=Tide\nPRETTY_NAME=\"Tide 12 (low water)\"\nVERSION_ID=''\n";
        assert_eq!(of_os_release(text, "PRETTY_NAME").as_deref(), Some("Tide 12 (low water)"));
        assert_eq!(of_os_release(text, "VERSION_ID"), None);
    }
}
