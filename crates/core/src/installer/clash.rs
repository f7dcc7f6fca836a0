//! What of an installer's plan would clash with what is here, told before it runs.

use std::path::{Path, PathBuf};

use super::facts::{AlreadyHere, Installer, PlannedPlace, PlannedVariable};
use super::records::UninstallRecord;
use crate::environment::Environment;
use crate::error::FileError;
use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::path_list::{is_spelled_alike, windows};
use crate::scope::Scope;
use crate::store::registry::RegistryEnvironments;
use crate::system::System;

/// The folders of the system by the names that packages have for them ("System Folder Properties"), and the variables
/// that hold them.
const FOLDERS: [(&str, &str); 5] = [
    ("[ProgramFiles64Folder]", "ProgramW6432"),
    ("[ProgramFilesFolder]", "ProgramFiles(x86)"),
    ("[LocalAppDataFolder]", "LOCALAPPDATA"),
    ("[AppDataFolder]", "APPDATA"),
    ("[CommonAppDataFolder]", "ProgramData"),
];

/// What would clash. `environment` is that of a new terminal.
pub(super) fn clashes(
    machine: &Machine,
    installer: &Installer,
    environment: &Environment,
) -> Result<Vec<Finding>, FileError> {
    let system_path = match machine.system() {
        System::Unix => String::new(),
        System::Windows => {
            let key = RegistryEnvironments::read(&machine.registry())?.system;
            key.get("Path").map(|value| value.text).unwrap_or_default()
        }
    };
    let mut findings = Vec::new();
    for planned in &installer.variables {
        if planned.name.eq_ignore_ascii_case("PATH") {
            findings.extend(of_path(planned, &installer.here, &system_path));
        } else if let Some(now) = environment.get(&planned.name).filter(|_| planned.place == PlannedPlace::InPlace) {
            let now = now.to_string_lossy();
            let seen = format!("{} is {now} and would become {}", planned.name, planned.value);
            findings.push(Finding::new(Code::VariableReplaced, seen).remedy("write it down if you need it"));
        }
    }
    let there: Vec<PathBuf> =
        installer.files.iter().filter_map(|file| place(machine, file)).filter(|path| path.exists()).collect();
    if let Some(first) = there.first() {
        let seen = format!("{} of its files exist already, for example {}", there.len(), first.display());
        findings.push(Finding::new(Code::FilesThere, seen));
    }
    let product = installer.product.as_deref().unwrap_or_default();
    for record in UninstallRecord::all() {
        if !product.is_empty() && record.name.eq_ignore_ascii_case(product) {
            let seen = format!("the system lists {} {} as installed", record.name, record.version);
            findings.push(Finding::new(Code::InstalledAlready, seen));
        }
    }
    Ok(findings)
}

/// What becomes of PATH. On Windows the system's entries come before the user's.
fn of_path(planned: &PlannedVariable, here: &[AlreadyHere], system_path: &str) -> Option<Finding> {
    if planned.place == PlannedPlace::InPlace {
        let seen =
            format!("it would replace PATH of the {} environment with {}", planned.scope.as_str(), planned.value);
        return Some(Finding::new(Code::PathReplaced, seen).remedy("use --or-undo, which restores PATH"));
    }
    let of_system = |copy: &&AlreadyHere| {
        let folder = copy.path.parent().unwrap_or(Path::new(""));
        let same = |entry: &str| is_spelled_alike(Path::new(entry), folder, System::Windows);
        windows::parts(system_path).into_iter().any(same)
    };
    let stays_first = |copy: &&AlreadyHere| match (planned.scope, planned.place) {
        (Scope::System, PlannedPlace::First) => false,
        (Scope::User, PlannedPlace::Last) => true,
        _ => of_system(copy),
    };
    let first = here.iter().find(stays_first)?;
    let seen = format!(
        "its folder would go {} into PATH of the {} environment, and {} would stay the one that runs",
        if planned.place == PlannedPlace::First { "first" } else { "last" },
        planned.scope.as_str(),
        first.path.display()
    );
    Some(Finding::new(Code::WouldBeShadowed, seen).remedy("afterwards: wyard path move FOLDER --before THE-OTHER"))
}

/// Where a file of a package would go, where that can be told here.
fn place(machine: &Machine, file: &str) -> Option<PathBuf> {
    if file.starts_with('/') {
        return Some(machine.root.join(file.trim_start_matches('/')));
    }
    let (name, variable) = FOLDERS.into_iter().find(|(name, _)| file.starts_with(name))?;
    Some(machine.environment.folder(variable)?.join(file[name.len()..].trim_start_matches('\\')))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_stays_first_in_path_is_known_before() {
        let here = |path: &str| AlreadyHere { command: "buoyctl".into(), path: path.into(), version: None };
        // The test runs everywhere, so the folders are written in the way that this system takes apart.
        let slash = std::path::MAIN_SEPARATOR;
        let (system, user) = (format!("C:{slash}sys"), format!("C:{slash}own"));
        let copy = |folder: &str| here(&format!("{folder}{slash}buoyctl.exe"));
        for (scope, place, folder, expected) in [
            (Scope::System, PlannedPlace::First, &system, None),
            (Scope::System, PlannedPlace::Last, &system, Some(Code::WouldBeShadowed)),
            (Scope::System, PlannedPlace::Last, &user, None),
            (Scope::User, PlannedPlace::First, &system, Some(Code::WouldBeShadowed)),
            (Scope::User, PlannedPlace::First, &user, None),
            (Scope::User, PlannedPlace::Last, &user, Some(Code::WouldBeShadowed)),
            (Scope::User, PlannedPlace::InPlace, &user, Some(Code::PathReplaced)),
        ] {
            let planned = PlannedVariable { name: "PATH".into(), value: "[BINDIR]".into(), scope, place };
            let finding = of_path(&planned, &[copy(folder)], &format!("C:{slash}other;{system}"));
            assert_eq!(finding.map(|finding| finding.code), expected, "{scope:?} {place:?} {folder}");
        }
    }
}
