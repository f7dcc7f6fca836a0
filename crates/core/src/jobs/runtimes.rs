//! The runtimes that a new terminal has, with their versions as far as files tell them.

use std::cell::RefCell;
use std::collections::HashMap;
use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use crate::environment::Environment;
use crate::naming::compare_versions;
use crate::program::Runtime;
use crate::resolve::{self, Caller, Disk, LookupContext};
use crate::system::System;

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Found {
    Nothing,
    /// Its versions; several of .NET lie side by side.
    Versions(Vec<String>),
    Program(PathBuf),
}

/// The runtimes of an environment; each is looked for once.
#[derive(Debug)]
pub struct Runtimes<'a> {
    environment: &'a Environment,
    /// What programs were known to answer.
    answers: HashMap<PathBuf, String>,
    found: RefCell<HashMap<(Runtime, Option<PathBuf>), Found>>,
}

impl<'a> Runtimes<'a> {
    /// Those of an environment. `answers` are versions that programs are known to state.
    pub fn new(environment: &'a Environment, answers: HashMap<PathBuf, String>) -> Self {
        Self { environment, answers, found: RefCell::default() }
    }

    /// Java as a new terminal has it; by `JAVA_HOME` first where a script looks there.
    pub fn java(&self, by_home: bool) -> Found {
        let suffix = if self.environment.system() == System::Windows { ".exe" } else { "" };
        let home = self.environment.get("JAVA_HOME").filter(|home| by_home && !home.is_empty()).map(PathBuf::from);
        let program = home.map(|home| home.join(format!("bin/java{suffix}"))).or_else(|| self.in_path("java"));
        match program.filter(|program| program.exists()) {
            Some(program) => self.of_program(&Runtime::Java, &program),
            None => Found::Nothing,
        }
    }

    pub fn of_program(&self, runtime: &Runtime, program: &Path) -> Found {
        let look = || {
            let file = fs::canonicalize(program).unwrap_or_else(|_| program.to_owned());
            let told = match runtime {
                Runtime::Java => version_of_java(&file),
                Runtime::Python => version_of_python(&file),
                Runtime::Node => version_of_node(&file),
                Runtime::DotNet(_) => None,
            };
            let version = told.or_else(|| self.answers.get(program).cloned());
            version.map_or_else(|| Found::Program(program.to_owned()), |version| Found::Versions(vec![version]))
        };
        self.once(runtime, Some(program), look)
    }

    /// The versions of a framework of .NET (Microsoft, ".NET environment variables": `DOTNET_ROOT`; "Install location").
    pub fn dotnet(&self, framework: &str) -> Found {
        self.once(&Runtime::DotNet(framework.to_owned()), None, || self.look_for_framework(framework))
    }

    pub fn were_asked(&self) -> bool {
        !self.found.borrow().is_empty()
    }

    pub fn unanswered(&self) -> Vec<(String, PathBuf)> {
        let found = self.found.borrow();
        let named = found.iter().filter_map(|((runtime, _), found)| match found {
            Found::Program(file) => Some((runtime.describe().to_lowercase(), file.clone())),
            _ => None,
        });
        named.collect()
    }

    pub fn in_path(&self, name: &str) -> Option<PathBuf> {
        let context = LookupContext::of(self.environment, Path::new("/"));
        let found = resolve::candidates(Caller::Exec, name, &context, &Disk);
        resolve::winner(&found).map(Path::to_owned)
    }

    fn once(&self, runtime: &Runtime, program: Option<&Path>, look: impl FnOnce() -> Found) -> Found {
        let key = (runtime.clone(), program.map(Path::to_owned));
        if let Some(found) = self.found.borrow().get(&key) {
            return found.clone();
        }
        let found = look();
        self.found.borrow_mut().insert(key, found.clone());
        found
    }

    fn look_for_framework(&self, framework: &str) -> Found {
        let set = self.environment.get("DOTNET_ROOT").filter(|root| !root.is_empty()).map(PathBuf::from);
        let registered = || fs::read_to_string("/etc/dotnet/install_location").ok();
        let roots: Vec<PathBuf> = match set {
            Some(root) => vec![root],
            None if self.environment.system() == System::Windows => {
                let folder =
                    self.environment.get("ProgramFiles").map_or_else(|| r"C:\Program Files".into(), PathBuf::from);
                vec![folder.join("dotnet")]
            }
            None => {
                let registered = registered().map(|text| PathBuf::from(text.trim()));
                let usual = ["/usr/share/dotnet", "/usr/lib/dotnet", "/usr/local/share/dotnet"].map(PathBuf::from);
                registered.into_iter().chain(usual).collect()
            }
        };
        let folders = roots.iter().filter_map(|root| fs::read_dir(root.join("shared").join(framework)).ok());
        let names = folders.flat_map(|folder| folder.flatten().map(|entry| entry.file_name()));
        let mut versions: Vec<String> = names.map(|name| name.to_string_lossy().into_owned()).collect();
        versions.retain(|name| name.starts_with(|c: char| c.is_ascii_digit()));
        versions.sort_by(|one, other| compare_versions(one, other));
        if versions.is_empty() { Found::Nothing } else { Found::Versions(versions) }
    }
}

/// What the file `release` beside the program's folder says.
fn version_of_java(program: &Path) -> Option<String> {
    let text = fs::read_to_string(program.parent()?.parent()?.join("release")).ok()?;
    let version = text.lines().find_map(|line| line.strip_prefix("JAVA_VERSION="))?.trim().trim_matches('"').to_owned();
    // Up to Java 8 it stood behind a one.
    Some(version.strip_prefix("1.").map(str::to_owned).unwrap_or(version))
}

/// What its file is called, or a library beside it (`python311.dll`).
fn version_of_python(program: &Path) -> Option<String> {
    let stem = |name: &str| name.strip_suffix(env::consts::EXE_SUFFIX).unwrap_or(name).to_owned();
    let name = stem(&program.file_name()?.to_string_lossy());
    let numbered = name.strip_prefix("python").filter(|version| version.contains('.'));
    if let Some(version) = numbered.filter(|version| version.split('.').all(|part| part.parse::<u32>().is_ok())) {
        return Some(version.to_owned());
    }
    let names = fs::read_dir(program.parent()?).ok()?.flatten().map(|entry| entry.file_name());
    names
        .filter_map(|name| {
            let name = name.to_string_lossy().to_lowercase();
            let digits = name.strip_prefix("python")?.strip_suffix(".dll")?.to_owned();
            (digits.len() > 1 && digits.parse::<u32>().is_ok()).then(|| format!("{}.{}", &digits[..1], &digits[1..]))
        })
        .next()
}

/// What the headers say that come with it.
fn version_of_node(program: &Path) -> Option<String> {
    let header = program.parent()?.parent()?.join("include/node/node_version.h");
    let text = fs::read_to_string(header).ok()?;
    let number = |name: &str| {
        let line = text.lines().find_map(|line| line.strip_prefix(&format!("#define NODE_{name}_VERSION ")))?;
        line.trim().parse::<u32>().ok()
    };
    Some(format!("{}.{}.{}", number("MAJOR")?, number("MINOR")?, number("PATCH")?))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn write(root: &Path, file: &str, text: &str) {
        let file = root.join(file);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(file, text).unwrap();
    }

    #[test]
    fn files_tell_versions_without_a_start() {
        let root = tempfile::tempdir().unwrap();
        let at = |file: &str| root.path().join(file);
        write(root.path(), "j17/release", "IMPLEMENTOR=\"Tide\"\nJAVA_VERSION=\"17.0.2\"\n");
        write(root.path(), "j8/release", "JAVA_VERSION=\"1.8.0_392\"\n");
        assert_eq!(version_of_java(&at("j17/bin/java")).as_deref(), Some("17.0.2"));
        assert_eq!(version_of_java(&at("j8/bin/java")).as_deref(), Some("8.0_392"));
        assert_eq!(version_of_java(&at("j9/bin/java")), None);
        assert_eq!(version_of_python(&at("bin/python3.11")).as_deref(), Some("3.11"));
        assert_eq!(version_of_python(&at("j17/python3")), None);
        write(root.path(), "py/python3.dll", "");
        write(root.path(), "py/python312.dll", "");
        assert_eq!(version_of_python(&at("py/python.exe")).as_deref(), Some("3.12"));
        let header = "#define NODE_MAJOR_VERSION 18\n#define NODE_MINOR_VERSION 2\n#define NODE_PATCH_VERSION 1\n";
        write(root.path(), "node/include/node/node_version.h", header);
        assert_eq!(version_of_node(&at("node/bin/node")).as_deref(), Some("18.2.1"));
    }

    #[test]
    fn frameworks_lie_in_the_folder_that_the_environment_names() {
        let root = tempfile::tempdir().unwrap();
        for version in ["8.0.2", "6.0.1", "8.0.11", "tide"] {
            fs::create_dir_all(root.path().join("shared/Tide.App").join(version)).unwrap();
        }
        let environment = Environment::with(System::Unix, [("DOTNET_ROOT", root.path())]);
        let runtimes = Runtimes::new(&environment, HashMap::new());
        let framework = |name: &str| runtimes.dotnet(name);
        let versions = ["6.0.1", "8.0.2", "8.0.11"].map(str::to_owned).to_vec();
        assert_eq!(framework("Tide.App"), Found::Versions(versions));
        assert_eq!(framework("Ebb.App"), Found::Nothing);
    }
}
