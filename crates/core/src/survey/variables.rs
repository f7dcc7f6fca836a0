//! Home variables: what is wrong with them.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};

use crate::finding::{Code, Finding};
use crate::resolve::{self, Caller, Disk, LookupContext};
use crate::store::registry::RegistryEnvironments;
use crate::yard::Card;

/// What is wrong with a home variable; `own` is the tool of ours that it belongs to, with its home.
pub(super) fn home_variable(name: &str, value: Option<&OsStr>, own: Option<(&Card, PathBuf)>) -> Option<Finding> {
    let Some(value) = value else {
        let (card, home) = own?;
        let seen = format!("{name} is not set; expected {}", home.display());
        return Some(
            Finding::new(Code::HomeVariableDiffers, seen).remedy(format!("run 'wyard register {}'", card.name)),
        );
    };
    let shown = value.to_string_lossy();
    let folder = Path::new(value);
    if let Some((card, home)) = own.filter(|(_, home)| folder != home) {
        let seen = format!("{name} is {shown}; expected {}", home.display());
        let remedy = format!("check what sets it later, or run 'wyard register {}'", card.name);
        return Some(Finding::new(Code::HomeVariableDiffers, seen).remedy(remedy));
    }
    let remedy = "correct it where it is set";
    if shown.contains('"') {
        return Some(Finding::new(Code::HomeVariableQuoted, format!("{name} contains quotes: {shown}")).remedy(remedy));
    }
    if !folder.is_dir() {
        return Some(
            Finding::new(Code::HomeVariableNowhere, format!("{name} points to {shown}, which does not exist"))
                .remedy(remedy),
        );
    }
    if folder.file_name().is_some_and(|last| last.eq_ignore_ascii_case("bin")) {
        let seen = format!("{name} points to {shown}; tools expect the parent folder");
        return Some(Finding::new(Code::HomeVariableInBin, seen).remedy(remedy));
    }
    shown.ends_with(std::path::is_separator).then(|| {
        Finding::new(Code::HomeVariableSeparator, format!("{name} ends in a separator: {shown}")).remedy(remedy)
    })
}

/// Tells where the command that a home variable is named after comes from another copy than the one it points to.
pub(super) fn other_copy(name: &str, value: Option<&OsStr>, context: &LookupContext) -> Option<Finding> {
    let command = name.strip_suffix("_HOME")?.to_lowercase();
    let home = Path::new(value?).canonicalize().ok()?;
    let caller = Caller::plain_shell(context.system);
    let winner = resolve::winner(&resolve::candidates(caller, &command, context, &Disk))?.to_owned();
    let has_it =
        ["", "bin"].iter().any(|below| home.join(below).join(winner.file_name().unwrap_or_default()).is_file());
    let elsewhere = !winner.canonicalize().ok()?.starts_with(&home);
    (has_it && elsewhere).then(|| {
        let seen = format!("{name} points to {}, but {command} is {}", home.display(), winner.display());
        let remedy = "make both use the same copy: change the variable, or the order of PATH";
        Finding::new(Code::HomeVariableOther, seen).remedy(remedy)
    })
}

/// Tells the home variables that the two scopes of the registry disagree about.
pub(super) fn across_scopes(names: &[String], registry: &RegistryEnvironments) -> Vec<Finding> {
    let told = |name: &String| {
        let (user, system) = (registry.user.get(name)?.text, registry.system.get(name)?.text);
        let seen = format!("{name} is {user} for you, and {system} for the system");
        (user != system).then(|| Finding::new(Code::HomeVariableScopes, seen).remedy("remove the wrong one"))
    };
    names.iter().filter_map(told).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::environment::host_system;
    use crate::os;
    use crate::system::System;

    #[test]
    fn a_home_variable_is_told_for_what_it_is() {
        let work = tempfile::tempdir().unwrap();
        let (home, bin) = (work.path().join("tide"), work.path().join("tide").join("bin"));
        std::fs::create_dir_all(&bin).unwrap();
        let code = |value: &OsStr| home_variable("TIDE_HOME", Some(value), None).map(|finding| finding.code);
        assert_eq!(code(home.as_os_str()), None);
        assert_eq!(code(bin.as_os_str()), Some(Code::HomeVariableInBin));
        assert_eq!(code(work.path().join("none").as_os_str()), Some(Code::HomeVariableNowhere));
        assert_eq!(code(OsStr::new("\"/opt/tide\"")), Some(Code::HomeVariableQuoted));
        assert_eq!(home_variable("TIDE_HOME", None, None), None);
        let mut ending = home.clone().into_os_string();
        ending.push(std::path::MAIN_SEPARATOR_STR);
        assert_eq!(code(&ending), Some(Code::HomeVariableSeparator));
        let tide = if host_system() == System::Windows { "tide.exe" } else { "tide" };
        let other = work.path().join("other");
        std::fs::create_dir(&other).unwrap();
        for file in [bin.join(tide), other.join(tide)] {
            std::fs::write(&file, "").unwrap();
            os::set_folder_mode(&file, 0o755).unwrap();
        }
        let path_extensions = vec![".exe".to_owned()];
        let context = |path: &Path| LookupContext {
            path: path.into(),
            path_extensions: path_extensions.clone(),
            ..LookupContext::new(host_system())
        };
        let of = |path: &Path| other_copy("TIDE_HOME", Some(home.as_os_str()), &context(path)).map(|f| f.code);
        assert_eq!((of(&bin), of(&other)), (None, Some(Code::HomeVariableOther)));
    }
}
