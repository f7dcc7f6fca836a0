//! The machine a call works on: the environment it was started with, the home folder, the yard. The user's places are
//! handed in, so that a sandbox is the same code with other places; what the system says to everybody, as which shells there
//! are, is asked of the real one.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use crate::environment::Environment;
use crate::error::classified;
use crate::os;
use crate::registry::RegistryPlaces;
use crate::scope::Scope;
use crate::system::System;

/// Where a user's folders lie below the home, for each variable that says so on Windows ("KNOWNFOLDERID").
const WINDOWS_PLACES: [(&str, &[&str]); 3] =
    [("USERPROFILE", &[]), ("LOCALAPPDATA", &["AppData", "Local"]), ("APPDATA", &["AppData", "Roaming"])];

/// Variables that say where a program finds its files; in a sandbox they count only when they point into it.
const PLACES: [&str; 4] = ["XDG_DATA_HOME", "XDG_CONFIG_HOME", "ZDOTDIR", "ENV"];

#[derive(Debug, thiserror::Error)]
pub enum MachineError {
    #[error("unknown home folder: {0} is not an absolute path")]
    NoHome(&'static str),
    /// A folder given on the command line cannot be made absolute.
    #[error("the folder {} cannot be made absolute", .0.display())]
    NotAbsolute(PathBuf, #[source] std::io::Error),
}

classified!(MachineError {
    Self::NoHome(variable) => Call, format!("set {variable}, or rehearse with --sandbox DIR");
    _ => Call;
});

#[derive(Debug, Clone)]
pub struct Machine {
    pub environment: Environment,
    /// The user's home folder, or the one inside the sandbox.
    pub home: PathBuf,
    /// The folder under which everything is read and written instead of the real places.
    pub sandbox: Option<PathBuf>,
    pub yard: PathBuf,
    /// Whose terminals are changed. The system has a yard of its own, since its tools must lie where everybody may read them
    /// and only an administrator may change them.
    pub scope: Scope,
    /// Where the system's own files are found: the root, or a folder of the sandbox.
    pub root: PathBuf,
    pub current_folder: PathBuf,
    /// The command line of this call, for the records.
    pub command_line: String,
    /// The same for a terminal that opens in another folder: every path is written out.
    pub elevated_command_line: String,
}

impl Machine {
    /// Works out the places from the environment and the two options.
    ///
    /// The yard lies in the user's data folder: `$XDG_DATA_HOME`, or `~/.local/share` (XDG Base Directory
    /// Specification 0.8), on Windows `%LOCALAPPDATA%`; that of the system in `/opt` or `%ProgramFiles%`; unless `WYARD_YARD` or `yard` names another place.
    pub fn new(
        mut environment: Environment,
        sandbox: Option<&Path>,
        yard: Option<&Path>,
        scope: Scope,
    ) -> Result<Self, MachineError> {
        let system = environment.system();
        let sandbox = sandbox.map(absolute).transpose()?;
        if let Some(sandbox) = &sandbox {
            let home = sandbox.join("home");
            environment.set("HOME", home.clone());
            if system == System::Windows {
                for (name, below) in WINDOWS_PLACES {
                    environment.set(name, below.iter().fold(home.clone(), |path, part| path.join(part)));
                }
            }
            for name in PLACES {
                if !environment.get(name).is_some_and(|value| Path::new(value).starts_with(sandbox)) {
                    environment.remove(name);
                }
            }
            environment.remove("WYARD_YARD");
        }
        let root = sandbox.as_ref().map_or_else(|| PathBuf::from("/"), |sandbox| sandbox.join("system"));
        let for_everybody = scope == Scope::System;
        if for_everybody && system == System::Unix && os::is_superuser() && sandbox.is_none() {
            // An elevation tool may hand on the home of the user who called it, where nothing is the superuser's to touch.
            environment.retain(|name, _| !PLACES.iter().any(|place| name == *place));
            environment.set("HOME", os::superuser_home());
        }
        let home_variable = home_variable(system);
        let home = environment.folder(home_variable).ok_or(MachineError::NoHome(home_variable))?;
        let yard = match (yard, environment.get("WYARD_YARD").filter(|v| !v.is_empty())) {
            (Some(given), _) => absolute(given)?,
            (None, Some(given)) => absolute(Path::new(given))?,
            // The place for add-on packages (Filesystem Hierarchy Standard 3.0, 3.13).
            (None, None) if for_everybody && system == System::Unix => root.join("opt").join("wagon-yard"),
            (None, None) if for_everybody => {
                programs_folder(&environment, sandbox.as_deref(), &root).join("Wagon Yard")
            }
            (None, None) if system == System::Windows => environment
                .folder("LOCALAPPDATA")
                .unwrap_or_else(|| home.join("AppData").join("Local"))
                .join("Wagon Yard"),
            (None, None) => environment
                .folder("XDG_DATA_HOME")
                .unwrap_or_else(|| home.join(".local").join("share"))
                .join("wagon-yard"),
        };
        Ok(Self {
            environment,
            home,
            sandbox,
            yard,
            scope,
            root,
            current_folder: std::env::current_dir().unwrap_or_default(),
            command_line: String::new(),
            elevated_command_line: String::new(),
        })
    }

    pub fn system(&self) -> System {
        self.environment.system()
    }

    pub fn registry(&self) -> RegistryPlaces {
        RegistryPlaces::of(self.sandbox.as_deref())
    }

    /// Whether it is the system's files that are changed, and a yard for everybody.
    pub fn is_for_everybody(&self) -> bool {
        self.scope == Scope::System
    }

    /// This terminal's PATH, empty where it is not set.
    pub fn path_value(&self) -> OsString {
        self.environment.get("PATH").unwrap_or_default().to_owned()
    }
}

/// The folder for programs that are for every user on Windows ("KNOWNFOLDERID", `FOLDERID_ProgramFilesX64`). The variables may
/// be the user's own, so that the rights of the folder are looked at before it is used.
fn programs_folder(environment: &Environment, sandbox: Option<&Path>, root: &Path) -> PathBuf {
    let set = ["ProgramW6432", "ProgramFiles"].into_iter().filter(|_| sandbox.is_none());
    let usual = sandbox.map_or_else(|| PathBuf::from(r"C:\Program Files"), |_| root.join("Program Files"));
    set.filter_map(|name| environment.folder(name)).next().unwrap_or(usual)
}

fn absolute(path: &Path) -> Result<PathBuf, MachineError> {
    // Without a separator at its end: a sandbox is one however it is written.
    let whole = std::path::absolute(path).map_err(|e| MachineError::NotAbsolute(path.to_owned(), e))?;
    Ok(whole.components().collect())
}

pub fn home_variable(system: System) -> &'static str {
    match system {
        System::Unix => "HOME",
        System::Windows => "USERPROFILE",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn environment(pairs: &[(&str, &str)]) -> Environment {
        Environment::with(System::Unix, pairs.iter().copied())
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
        assert_eq!(machine.environment.folder("ZDOTDIR"), None);
        assert_eq!(machine.environment.folder("XDG_CONFIG_HOME"), Some("/s/home/conf".into()));
        assert_eq!(machine.home, Path::new("/s/home"));
    }
}
