//! The machine a call works on: the environment it was started with, the home folder, the yard. Handed in, never
//! looked up, so that a sandbox is the same code with other places.

use std::collections::BTreeMap;
use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

use crate::error::{Blame, Blamed};
use crate::os;
use crate::system::System;
use crate::yard::Scope;

/// Environment variables by name.
pub type Environment = BTreeMap<OsString, OsString>;

/// Where a user's folders lie below the home, for each variable that says so on Windows ("KNOWNFOLDERID").
const WINDOWS_PLACES: [(&str, &[&str]); 3] =
    [("USERPROFILE", &[]), ("LOCALAPPDATA", &["AppData", "Local"]), ("APPDATA", &["AppData", "Roaming"])];

/// Variables that say where a program finds its files; in a sandbox they count only when they point into it.
const PLACES: [&str; 4] = ["XDG_DATA_HOME", "XDG_CONFIG_HOME", "ZDOTDIR", "ENV"];

/// Why the machine could not be described.
#[derive(Debug, thiserror::Error)]
pub enum MachineError {
    /// No home folder is known.
    #[error("the home folder is not known: {} is not set to an absolute folder", home_variable())]
    NoHome,
    /// A folder given on the command line cannot be made absolute.
    #[error("the folder {} cannot be made absolute", .0.display())]
    NotAbsolute(PathBuf, #[source] std::io::Error),
}

impl Blamed for MachineError {
    fn blame(&self) -> Blame {
        Blame::Call
    }

    fn hint(&self) -> Option<String> {
        matches!(self, Self::NoHome).then(|| format!("set {}, or rehearse with --sandbox DIR", home_variable()))
    }
}

/// The variable of this name; on Windows case does not matter ("Environment Variables").
#[must_use]
pub fn variable<'a>(environment: &'a Environment, name: &str) -> Option<&'a OsStr> {
    let same = |key: &&OsString| os::HERE == System::Windows && key.eq_ignore_ascii_case(name);
    let exact = environment.get(OsStr::new(name));
    exact.or_else(|| environment.keys().find(same).and_then(|key| environment.get(key))).map(OsString::as_os_str)
}

/// Where things are on this machine.
#[derive(Debug, Clone)]
pub struct Machine {
    /// The environment of this terminal.
    pub environment: Environment,
    /// The user's home folder, or the one inside the sandbox.
    pub home: PathBuf,
    /// The folder under which everything is read and written instead of the real places.
    pub sandbox: Option<PathBuf>,
    /// The yard.
    pub yard: PathBuf,
    /// Whose terminals are changed. On Unix that of the system has a yard of its own, since its tools must lie where
    /// everybody may read them.
    pub scope: Scope,
    /// Where the system's own files are found: the root, or a folder of the sandbox.
    pub root: PathBuf,
    /// The command line of this call, for the records.
    pub command_line: String,
}

impl Machine {
    /// Works out the places from the environment and the two options.
    ///
    /// The yard lies in the user's data folder: `$XDG_DATA_HOME`, or `~/.local/share` (XDG Base Directory
    /// Specification 0.8), on Windows `%LOCALAPPDATA%`; unless `WYARD_YARD` or `yard` names another place.
    ///
    /// # Errors
    /// When no home folder is known or a folder cannot be made absolute.
    pub fn new(
        mut environment: Environment,
        sandbox: Option<&Path>,
        yard: Option<&Path>,
        scope: Scope,
    ) -> Result<Self, MachineError> {
        let sandbox = sandbox.map(absolute).transpose()?;
        if let Some(sandbox) = &sandbox {
            let home = sandbox.join("home");
            environment.insert("HOME".into(), home.clone().into());
            if os::HERE == System::Windows {
                for (name, below) in WINDOWS_PLACES {
                    environment.retain(|key, _| !key.eq_ignore_ascii_case(name));
                    environment.insert(name.into(), below.iter().fold(home.clone(), |p, part| p.join(part)).into());
                }
            }
            for name in PLACES {
                let inside = environment.get(OsStr::new(name)).is_some_and(|v| Path::new(v).starts_with(sandbox));
                if !inside {
                    environment.remove(OsStr::new(name));
                }
            }
            environment.remove(OsStr::new("WYARD_YARD"));
        }
        let root = sandbox.as_ref().map_or_else(|| PathBuf::from("/"), |sandbox| sandbox.join("system"));
        let for_everybody = os::HERE == System::Unix && scope == Scope::System;
        if for_everybody && os::is_superuser() && sandbox.is_none() {
            // An elevation tool may hand on the home of the user who called it, where nothing is the superuser's to touch.
            environment.retain(|name, _| !PLACES.iter().any(|place| name == place));
            environment.insert("HOME".into(), os::superuser_home().into());
        }
        let home = absolute_in(&environment, home_variable()).ok_or(MachineError::NoHome)?;
        let yard = match (yard, environment.get(OsStr::new("WYARD_YARD")).filter(|v| !v.is_empty())) {
            (Some(given), _) => absolute(given)?,
            (None, Some(given)) => absolute(Path::new(given))?,
            // The place for add-on packages (Filesystem Hierarchy Standard 3.0, 3.13).
            (None, None) if for_everybody => root.join("opt").join("wagon-yard"),
            (None, None) if os::HERE == System::Windows => absolute_in(&environment, "LOCALAPPDATA")
                .unwrap_or_else(|| home.join("AppData").join("Local"))
                .join("Wagon Yard"),
            (None, None) => absolute_in(&environment, "XDG_DATA_HOME")
                .unwrap_or_else(|| home.join(".local").join("share"))
                .join("wagon-yard"),
        };
        Ok(Self { environment, home, sandbox, yard, scope, root, command_line: String::new() })
    }

    /// Whether it is the system's files that are changed, and a yard for everybody.
    #[must_use]
    pub fn is_for_everybody(&self) -> bool {
        os::HERE == System::Unix && self.scope == Scope::System
    }

    /// A variable of this terminal that holds an absolute path.
    #[must_use]
    pub fn folder_variable(&self, name: &str) -> Option<PathBuf> {
        absolute_in(&self.environment, name)
    }

    /// This terminal's PATH, empty where it is not set.
    #[must_use]
    pub fn path_value(&self) -> OsString {
        variable(&self.environment, "PATH").unwrap_or_default().to_owned()
    }
}

fn absolute(path: &Path) -> Result<PathBuf, MachineError> {
    std::path::absolute(path).map_err(|e| MachineError::NotAbsolute(path.to_owned(), e))
}

fn absolute_in(environment: &Environment, name: &str) -> Option<PathBuf> {
    variable(environment, name).map(PathBuf::from).filter(|p| p.is_absolute())
}

/// The variable that names the user's home folder.
#[must_use]
pub fn home_variable() -> &'static str {
    match os::HERE {
        System::Unix => "HOME",
        System::Windows => "USERPROFILE",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn environment(pairs: &[(&str, &str)]) -> Environment {
        pairs.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect()
    }

    #[test]
    #[cfg_attr(windows, ignore = "the places are those of Unix")]
    fn the_yard_lies_where_the_nearest_setting_says() {
        type Case<'a> = (&'a [(&'a str, &'a str)], Option<&'a str>, Option<&'a str>, &'a str);
        let cases: [Case; 6] = [
            (&[("HOME", "/h")], None, None, "/h/.local/share/wagon-yard"),
            (&[("HOME", "/h"), ("XDG_DATA_HOME", "/d")], None, None, "/d/wagon-yard"),
            (&[("HOME", "/h"), ("XDG_DATA_HOME", "relative")], None, None, "/h/.local/share/wagon-yard"),
            (&[("HOME", "/h"), ("WYARD_YARD", "/y")], None, None, "/y"),
            (&[("HOME", "/h"), ("WYARD_YARD", "/y")], None, Some("/z"), "/z"),
            (&[("HOME", "/h"), ("WYARD_YARD", "/y")], Some("/s"), None, "/s/home/.local/share/wagon-yard"),
        ];
        for (pairs, sandbox, yard, expected) in cases {
            let machine =
                Machine::new(environment(pairs), sandbox.map(Path::new), yard.map(Path::new), Scope::User).unwrap();
            assert_eq!(machine.yard, Path::new(expected), "{pairs:?} {sandbox:?} {yard:?}");
        }
        assert!(Machine::new(environment(&[("HOME", "")]), None, None, Scope::User).is_err());
    }

    #[test]
    #[cfg_attr(windows, ignore = "the places are those of Unix")]
    fn a_sandbox_does_not_follow_variables_that_lead_out_of_it() {
        let pairs = [("HOME", "/h"), ("ZDOTDIR", "/h/zsh"), ("XDG_CONFIG_HOME", "/s/home/conf")];
        let machine = Machine::new(environment(&pairs), Some(Path::new("/s")), None, Scope::User).unwrap();
        assert_eq!(machine.folder_variable("ZDOTDIR"), None);
        assert_eq!(machine.folder_variable("XDG_CONFIG_HOME"), Some("/s/home/conf".into()));
        assert_eq!(machine.home, Path::new("/s/home"));
    }
}
