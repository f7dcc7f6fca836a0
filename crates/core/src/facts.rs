//! What a machine is and has, as far as programs ask for it.

use std::borrow::Cow;
use std::fs;
use std::path::Path;

use serde::{Deserialize, Serialize};

use crate::environment::Environment;
use crate::os;
use crate::program::{CLibrary, ThisMachine, c_libraries};
use crate::registry::{Hive, RegistryPlace, RegistryValue};
use crate::report::{ReportPath, report_body};
use crate::system::System;

pub const INTERPRETERS: [&str; 9] = ["java", "lua", "node", "perl", "php", "python", "python3", "ruby", "tclsh"];

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct MachineFacts {
    /// The system, as archives write it: `linux`, `macos`, `windows`.
    pub system: Cow<'static, str>,
    /// What it calls itself, with its version; null where it does not say.
    pub system_name: Option<String>,
    /// The kernel's version; Linux only.
    pub kernel: Option<String>,
    /// The processor, as archives write it.
    pub processor: Cow<'static, str>,
    /// The level of an x86-64 processor, from 1 to 4; null on others.
    pub processor_level: Option<u32>,
    /// The C libraries; Linux only.
    pub c_libraries: Vec<CLibrary>,
    pub emulates: Vec<String>,
    pub shells: Vec<FoundProgram>,
    pub interpreters: Vec<FoundProgram>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct FoundProgram {
    pub name: String,
    pub file: ReportPath,
    /// The version; null where it states none.
    pub version: Option<String>,
}

report_body!(MachineFacts = "machine");

impl MachineFacts {
    pub fn new(system: Cow<'static, str>, processor: Cow<'static, str>) -> Self {
        Self {
            system,
            system_name: None,
            kernel: None,
            processor,
            processor_level: None,
            c_libraries: Vec::new(),
            emulates: Vec::new(),
            shells: Vec::new(),
            interpreters: Vec::new(),
        }
    }

    /// Those of this machine; `environment` is a new terminal's. Shells and interpreters are for the caller to add.
    pub fn here(environment: &Environment) -> Self {
        let kernel = os::kernel_version().map(|numbers| numbers.map(|number| number.to_string()).join("."));
        let levels = os::processor_levels();
        let on_linux = os::SYSTEM == "linux";
        Self {
            system_name: system_name(environment.system()),
            kernel,
            processor_level: (levels > 0).then(|| 32 - levels.leading_zeros()),
            c_libraries: if on_linux { c_libraries(&ThisMachine::new(environment)) } else { Vec::new() },
            emulates: emulates(),
            ..Self::new(os::SYSTEM.into(), os::processor().into())
        }
    }
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
