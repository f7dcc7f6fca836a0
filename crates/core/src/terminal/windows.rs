//! A new terminal on Windows: the environment the system would give it.

use std::path::PathBuf;

use crate::environment::Environment;
use crate::error::FileError;
use crate::machine::Machine;
use crate::os;
use crate::path_list::is_spelled_alike;
use crate::registry::RegistryKey;
use crate::resolve::{self, LookupContext};
use crate::store::registry::{Background, Builder, RegistryEnvironments};
use crate::system::System;

/// Variables that the system sets itself before it reads the registry ("Environment Variables"; "Recognized environment
/// variables").
const SET_BY_SYSTEM: [&str; 24] = [
    "ALLUSERSPROFILE",
    "APPDATA",
    "CommonProgramFiles",
    "CommonProgramFiles(x86)",
    "CommonProgramW6432",
    "COMPUTERNAME",
    "HOMEDRIVE",
    "HOMEPATH",
    "LOCALAPPDATA",
    "LOGONSERVER",
    "ProgramData",
    "ProgramFiles",
    "ProgramFiles(x86)",
    "ProgramW6432",
    "PUBLIC",
    "SESSIONNAME",
    "SystemDrive",
    "SystemRoot",
    "USERDOMAIN",
    "USERDOMAIN_ROAMINGPROFILE",
    "USERNAME",
    "USERPROFILE",
    "windir",
    "WINEPREFIX",
];

/// What the environment of a new terminal comes from. A sandbox's keys hold no system, so that the system's own folders
/// stand there as given; nothing but the prediction builds its terminals, by the rules of Windows.
pub fn background(machine: &Machine) -> Result<Background, FileError> {
    let registry = RegistryEnvironments::read(&machine.registry())?;
    let mut given = given(machine);
    if machine.sandbox.is_none() {
        return Ok(Background { given, registry, builder: Builder::here() });
    }
    let root = given.iter().find(|(name, _)| name == "SystemRoot").map_or("C:\\Windows", |(_, root)| root);
    let folders = format!("{root}\\system32;{root}");
    given.push(("Path".to_owned(), folders));
    given.push(("PATHEXT".to_owned(), resolve::USUAL_EXTENSIONS.to_owned()));
    Ok(Background { given, registry, builder: Builder::Windows })
}

/// The folders of the system's PATH on Windows, which come before the user's as a whole.
pub fn system_path(machine: &Machine) -> Result<Vec<PathBuf>, FileError> {
    if machine.system() == System::Unix {
        return Ok(Vec::new());
    }
    let mut background = background(machine)?;
    background.registry.user = RegistryKey::default();
    let alone = background.environment();
    Ok(LookupContext::of(&alone, &machine.home).folders())
}

pub(super) fn of_system(folders: &[PathBuf], machine: &Machine) -> usize {
    let system = system_path(machine).unwrap_or_default();
    let alike = |(one, other): &(&PathBuf, &PathBuf)| is_spelled_alike(one, other, System::Windows);
    folders.iter().zip(&system).take_while(alike).count()
}

/// The variables that the system sets itself, as this terminal has them.
fn given(machine: &Machine) -> Vec<(String, String)> {
    let one = |name: &&str| {
        let value = machine.environment.get(name)?;
        Some(((*name).to_owned(), value.to_string_lossy().into_owned()))
    };
    SET_BY_SYSTEM.iter().filter_map(one).collect()
}

/// The environment of a new terminal: from the system's own call, or, in a sandbox, predicted from the sandbox's keys.
pub(super) fn environment(machine: &Machine) -> Environment {
    let predicted = background(machine).map_or_else(|_| Environment::new(System::Windows), |b| b.environment());
    if machine.sandbox.is_some() {
        return predicted;
    }
    match os::fresh_environment() {
        // Wine's call leaves the user's Path out, which a terminal it really opens has.
        Ok(_) if os::is_wine() => predicted,
        Ok(fresh) => Environment::with(System::Windows, fresh),
        Err(_) => predicted,
    }
}
