//! Whether the commands of a tool can start on this machine: what each needs, compared with what is here.

use std::cell::LazyCell;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use super::runtimes::{Found, Runtimes};
use crate::archive::{Entry, EntryKind, Listing, could_hold_classes, needs_at};
use crate::check;
use crate::environment::Environment;
use crate::layout::{Command, Layout};
use crate::naming::compare_versions;
use crate::program::{Asks, Brought, Fit, Interpreter, Lack, Needs, Runtime, ThisMachine, could_be_library};
use crate::session::Session;
use crate::system::System;
use crate::yard::YardError;

/// At most this many libraries of an archive are looked into; of the others it counts that they are there.
const MOST_LIBRARIES: usize = 500;

/// The files of a listing by their places, each link with the file at its end.
pub struct Files<'a>(HashMap<&'a Path, &'a Entry>);

impl<'a> Files<'a> {
    pub fn of(listing: &'a Listing) -> Self {
        let mut files = listing.link_ends();
        let entries = listing.entries.iter().filter(|entry| !matches!(entry.kind, EntryKind::Link(_)));
        files.extend(entries.map(|entry| (entry.path.as_path(), entry)));
        Self(files)
    }

    /// The file at a place, or at the end of the link there.
    pub fn at(&self, place: &Path) -> Option<&'a Entry> {
        self.0.get(place).copied()
    }
}

/// A tool that is not in place yet.
pub struct Unplaced<'a> {
    pub listing: &'a Listing,
    pub files: &'a Files<'a>,
    pub layout: &'a Layout,
    pub root: Option<&'a Path>,
}

struct Fits {
    /// In the order of the commands; `None` of what says nothing.
    commands: Vec<Option<Fit>>,
    /// Programs that would have to be started to know more, with their names.
    unanswered: Vec<(String, PathBuf)>,
    asks_for_runtimes: bool,
}

impl Unplaced<'_> {
    /// Compares all commands with what an environment has, and starts runtimes where files don't tell their versions.
    pub fn fits_by_answers(&self, session: &Session, environment: &Environment) -> Result<Vec<Option<Fit>>, YardError> {
        let fits = self.fits(environment, HashMap::new());
        if fits.unanswered.is_empty() {
            return Ok(fits.commands);
        }
        let answers = check::versions(session, &fits.unanswered, environment)?;
        Ok(self.fits(environment, answers).commands)
    }

    /// Compares all commands with what an environment has, and starts nothing.
    pub fn fits_by_files(&self, environment: &Environment) -> Vec<Option<Fit>> {
        self.fits(environment, HashMap::new()).commands
    }

    /// Whether all commands surely fit, whatever a new terminal has: nothing is missing, and none asks for a runtime.
    pub fn fits_anywhere(&self, environment: &Environment) -> bool {
        let fits = self.fits(environment, HashMap::new());
        !fits.asks_for_runtimes && fits.commands.iter().flatten().all(|fit| fit.missing.is_empty())
    }

    fn fits(&self, environment: &Environment, answers: HashMap<PathBuf, String>) -> Fits {
        let read: LazyCell<Vec<(String, Option<Needs>)>, _> = LazyCell::new(|| self.libraries());
        // Only programs that need something ask for these.
        let brought: LazyCell<Brought<'_>, _> = LazyCell::new(|| match self.root {
            Some(_) => read.iter().map(|(name, needs)| (name.clone(), needs.as_ref().and_then(Needs::elf))).collect(),
            None => {
                let seen = self.named_as_libraries();
                seen.map(|(name, entry)| (name, entry.needs.as_deref().and_then(Needs::elf))).collect()
            }
        });
        let machine = LazyCell::new(|| ThisMachine::new(environment));
        let runtimes = Runtimes::new(environment, answers);
        let one = |command: &Command| {
            let entry = self.files.at(&self.layout.wrapper.join(&command.path))?;
            let line = entry.program.as_ref().and_then(|program| program.interpreter.as_deref());
            let needs = self.needs(entry);
            if line.is_none() && needs.is_none() {
                return None;
            }
            let asks = needs.as_ref().map(Needs::asks).unwrap_or_default();
            let mut fit = match &needs {
                Some(needs) if line.is_none() => needs.fit(None, &brought, &machine),
                _ => Fit::default(),
            };
            if let Some(line) = line.filter(|_| environment.system() == System::Unix) {
                fit.add(self.of_script(line, entry, asks, &runtimes));
            }
            for asked in asks {
                if let Asks::StartsJava { archives, by_home } = asked {
                    fit.add(self.of_java(archives, *by_home, &runtimes));
                }
            }
            fit.add(self.of_dotnet(entry, &runtimes));
            Some(fit)
        };
        let commands = self.layout.commands.iter().map(one).collect();
        Fits { commands, unanswered: runtimes.unanswered(), asks_for_runtimes: runtimes.were_asked() }
    }

    fn entries(&self) -> impl Iterator<Item = &Entry> {
        self.listing.entries.iter().filter(|entry| entry.kind != EntryKind::Folder)
    }

    /// The files that are called as libraries are, by their names in lower case.
    fn named_as_libraries(&self) -> impl Iterator<Item = (String, &Entry)> {
        let named = self.entries().filter(|entry| could_be_library(&entry.path.file_name()));
        named.map(|entry| (entry.path.file_name().to_lowercase(), self.files.at(entry.path.as_path()).unwrap_or(entry)))
    }

    fn libraries(&self) -> Vec<(String, Option<Needs>)> {
        let looked_into = |at: usize, entry| if at < MOST_LIBRARIES { self.needs(entry) } else { None };
        self.named_as_libraries().enumerate().map(|(at, (name, entry))| (name, looked_into(at, entry))).collect()
    }

    /// What a file needs: as it lies in staging, or as it was seen while it was listed.
    fn needs(&self, entry: &Entry) -> Option<Needs> {
        match self.root {
            Some(root) => needs_at(&entry.path.under(root)),
            None => entry.needs.as_deref().cloned(),
        }
    }

    /// The interpreter of a script, and the version that the script or a file beside it asks for.
    fn of_script(&self, line: &str, script: &Entry, asks: &[Asks], runtimes: &Runtimes<'_>) -> Fit {
        let mut fit = Fit::default();
        let Some(interpreter) = Interpreter::of(line) else { return fit };
        let program = match &interpreter {
            Interpreter::File(file) => file.exists().then(|| file.clone()),
            Interpreter::Named(name) => {
                if self.layout.commands.iter().any(|command| command.name == *name) {
                    return fit;
                }
                runtimes.in_path(name)
            }
        };
        let Some(program) = program else {
            let remedy = format!("install the package that provides {}", interpreter.name());
            fit.missing.push(Lack::new(interpreter.describe()).remedy(remedy));
            return fit;
        };
        let (runtime, beside) = match interpreter.name() {
            name if name.starts_with("python") => (Runtime::Python, "pyproject.toml"),
            name if name.starts_with("node") => (Runtime::Node, "package.json"),
            _ => return fit,
        };
        let own = asks.iter().map(|asked| (asked.clone(), None));
        let folders = script.path.as_path().ancestors().skip(1);
        let nearest = folders.filter_map(|folder| self.files.at(&folder.join(beside))).next();
        let beside = nearest.and_then(|file| self.needs(file)).map(|needs| needs.asks().to_vec()).unwrap_or_default();
        for (asked, by) in own.chain(beside.into_iter().map(|asked| (asked, Some(beside_name(&runtime))))) {
            if let Asks::Version { runtime: asked, least, .. } = &asked
                && *asked == runtime
            {
                compare(&mut fit, &runtime, least, false, by, &runtimes.of_program(&runtime, &program));
            }
        }
        fit
    }

    /// Java, for the classes that a launcher starts.
    fn of_java(&self, archives: &[String], by_home: bool, runtimes: &Runtimes<'_>) -> Fit {
        let mut fit = Fit::default();
        let brings_java = |entry: &Entry| {
            let path = entry.path.as_path();
            let in_bin = path.parent().is_some_and(|folder| folder.ends_with("bin"));
            in_bin && matches!(&*entry.path.file_name(), "java" | "java.exe")
        };
        if self.entries().any(brings_java) {
            return fit;
        }
        let is_named = |entry: &&Entry| archives.is_empty() || archives.contains(&entry.path.file_name());
        let holding = self.entries().filter(|entry| could_hold_classes(&entry.path.file_name())).filter(is_named);
        let asked = holding.take(MOST_LIBRARIES).filter_map(|entry| match self.needs(entry)?.asks() {
            [Asks::Classes { least, most }] => Some((*least, *most)),
            _ => None,
        });
        let asked: Vec<(u16, u16)> = asked.collect();
        let least = asked.iter().map(|(least, _)| *least).min();
        let most = asked.iter().map(|(_, most)| *most).max();
        let found = runtimes.java(by_home);
        let Some(least) = least else {
            // A script that speaks of Java, and comes without classes, may do without.
            if found == Found::Nothing {
                fit.unknown.push("it may need Java (none here)".to_owned());
            }
            return fit;
        };
        compare(&mut fit, &Runtime::Java, &least.to_string(), false, None, &found);
        if let Some(most) = most.filter(|most| *most > least && fit.missing.is_empty()) {
            let mut of_all = Fit::default();
            compare(&mut of_all, &Runtime::Java, &most.to_string(), false, None, &found);
            fit.unknown.extend(of_all.missing.into_iter().map(|lack| format!("it may need {}", lack.words)));
        }
        fit
    }

    /// The frameworks of .NET that the file beside a program names.
    fn of_dotnet(&self, program: &Entry, runtimes: &Runtimes<'_>) -> Fit {
        let mut fit = Fit::default();
        let name = program.path.file_name();
        let stem = name.strip_suffix(".exe").unwrap_or(&name);
        let beside = program.path.as_path().with_file_name(format!("{stem}.runtimeconfig.json"));
        let Some(needs) = self.files.at(&beside).and_then(|file| self.needs(file)) else { return fit };
        for asked in needs.asks() {
            if let Asks::Version { runtime: runtime @ Runtime::DotNet(framework), least, same_major } = asked {
                compare(&mut fit, runtime, least, *same_major, None, &runtimes.dotnet(framework));
            }
        }
        fit
    }
}

fn beside_name(runtime: &Runtime) -> &'static str {
    if *runtime == Runtime::Python { "pyproject.toml" } else { "package.json" }
}

/// Whether one of the versions that are here will do; `by` is the file that asks for one.
fn compare(fit: &mut Fit, runtime: &Runtime, least: &str, same_major: bool, by: Option<&str>, found: &Found) {
    let major = |version: &str| version.split('.').next().unwrap_or_default().to_owned();
    let wanted = match same_major {
        true => format!("{} {}, {least} or later", runtime.describe(), major(least)),
        false => format!("{} {least} or later", runtime.describe()),
    };
    let by = by.map(|file| format!(", as {file} says")).unwrap_or_default();
    let here = match found {
        Found::Nothing => "none here".to_owned(),
        // `3.11` may be any of its releases.
        Found::Versions(versions) if versions.iter().any(|version| least.starts_with(&format!("{version}."))) => {
            fit.unknown.push(format!("it needs {wanted}{by}; here: {}", versions.join(", ")));
            return;
        }
        Found::Versions(versions) => {
            let is_enough = |version: &&String| {
                compare_versions(version, least).is_ge() && (!same_major || major(version) == major(least))
            };
            if versions.iter().any(|version| is_enough(&version)) {
                return;
            }
            format!("here: {}", versions.join(", "))
        }
        Found::Program(file) => {
            fit.unknown.push(format!("it needs {wanted}{by}; the version of {} is unknown", file.display()));
            return;
        }
    };
    fit.missing.push(Lack::new(format!("{wanted} ({here}){by}")).remedy(format!("install {wanted}")));
}
