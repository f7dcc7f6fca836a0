//! Whether a loader could start a program here: the rules of ld.so(8) over a view of a machine.

use std::collections::{HashMap, HashSet, VecDeque};
use std::path::{Path, PathBuf};
use std::rc::Rc;

use super::elf_facts::ElfFacts;
use super::runtime_packages::runtime_package;

#[derive(Debug, Clone)]
pub enum SeenFile {
    Missing,
    /// Something that can't be read as a library.
    Unknown,
    Elf(Rc<ElfFacts>),
}

pub trait LoaderView {
    fn look(&self, path: &Path) -> SeenFile;
    /// The folders that the loader searches for every program, in order.
    fn folders(&self) -> &[PathBuf];
    /// Those that this terminal adds (`LD_LIBRARY_PATH`).
    fn library_path(&self) -> &[PathBuf];
    /// The levels of x86-64 that the processor has, a bit for each.
    fn processor_levels(&self) -> u32;
    fn kernel(&self) -> Option<[u32; 3]>;
}

/// The files that come with a program, by their names in lower case: those that could be looked into with what they say.
pub type Brought<'a> = HashMap<String, Option<&'a ElfFacts>>;

pub fn could_be_library(name: &str) -> bool {
    let ends = |end: &str| {
        name.len() >= end.len() && name.as_bytes()[name.len() - end.len()..].eq_ignore_ascii_case(end.as_bytes())
    };
    name.contains(".so") || ends(".dll") || ends(".dylib")
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Lack {
    /// What it is, as in "it needs …", with what is here instead and which file asks for it.
    pub words: String,
    remedy: Option<String>,
}

impl Lack {
    /// Something that only another build does without.
    pub fn new(words: impl Into<String>) -> Self {
        Self { words: words.into(), remedy: None }
    }

    pub fn library(name: &str, asked: &str) -> Self {
        let remedy = match runtime_package(name) {
            Some(package) => format!("install {package}"),
            None => format!("install the package that provides {name}"),
        };
        Self::new(format!("the library {name}{asked}")).remedy(remedy)
    }

    pub fn remedy(self, remedy: impl Into<String>) -> Self {
        Self { remedy: Some(remedy.into()), ..self }
    }
}

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Fit {
    pub missing: Vec<Lack>,
    /// What nobody can say before it is started, and why.
    pub unknown: Vec<String>,
    /// Whether it is for another processor, and the system translates it.
    pub is_translated: bool,
}

impl Fit {
    /// Why the program can't start here; `None` where nothing is surely missing.
    pub fn hindrance(&self) -> Option<String> {
        let first = &self.missing.first()?.words;
        let more = match self.missing.len() - 1 {
            0 => String::new(),
            count => format!(", and {count} more"),
        };
        Some(format!("it needs {first}{more}"))
    }

    /// What to look for instead, or to install.
    pub fn remedy(&self) -> Option<String> {
        let build = || "look for a build for an older system or processor, or a static one".to_owned();
        Some(self.missing.first()?.remedy.clone().unwrap_or_else(build))
    }

    pub fn add(&mut self, other: Self) {
        self.missing.extend(other.missing);
        self.unknown.extend(other.unknown);
        self.is_translated |= other.is_translated;
    }
}

/// The loader of the C library that checks a processor's level before a program runs (GNU C Library 2.33, "NEWS").
const CHECKS_LEVELS: &str = "GLIBC_2.33";

struct Loaded {
    facts: Rc<ElfFacts>,
    name: Option<String>,
    /// The folder it lies in, where that is known (`$ORIGIN`).
    origin: Option<PathBuf>,
}

/// Compares a program with a machine. `origin` is the folder it lies in, where it is in place.
pub fn fit(program: &ElfFacts, origin: Option<&Path>, brought: &Brought<'_>, view: &dyn LoaderView) -> Fit {
    let mut fit = Fit::default();
    if let Some(loader) = &program.loader {
        match view.look(loader) {
            SeenFile::Missing => {
                let musl = if program.is_for_musl() { " of the C library musl" } else { "" };
                fit.missing.push(Lack::new(format!("the loader {}{musl}", loader.display())));
                return fit;
            }
            SeenFile::Elf(facts) if !facts.fits(program) => {
                fit.missing.push(Lack::new(format!(
                    "the loader {} (the file there is for another machine)",
                    loader.display()
                )));
                return fit;
            }
            SeenFile::Elf(_) | SeenFile::Unknown => {}
        }
    }
    if let (Some(wanted), Some(here)) = (program.kernel, view.kernel())
        && wanted > here
    {
        fit.unknown.push(format!("it was built for Linux {} or later", wanted.map(|part| part.to_string()).join(".")));
    }
    Loading { program, brought, view, loaded: HashMap::new(), fit }.run(origin)
}

struct Loading<'a> {
    program: &'a ElfFacts,
    brought: &'a Brought<'a>,
    view: &'a dyn LoaderView,
    /// By name; `None` where it comes with the program and nobody has looked into it.
    loaded: HashMap<String, Option<Rc<ElfFacts>>>,
    fit: Fit,
}

impl Loading<'_> {
    fn run(mut self, origin: Option<&Path>) -> Fit {
        let program = Loaded { facts: Rc::new(self.program.clone()), name: None, origin: origin.map(Path::to_owned) };
        let mut waiting = VecDeque::from([program]);
        let mut all = Vec::new();
        while let Some(one) = waiting.pop_front() {
            for name in &one.facts.libraries {
                if !self.loaded.contains_key(name) {
                    waiting.extend(self.load(name, &one));
                }
            }
            all.push(one);
        }
        for one in &all {
            self.judge_versions(one);
        }
        self.judge_level(&all);
        self.fit
    }

    /// Finds a library, and notes where it is not; gives it where its own needs are to be looked at.
    fn load(&mut self, name: &str, by: &Loaded) -> Option<Loaded> {
        if let Some(brought) = self.brought.get(&name.to_lowercase()) {
            let facts = brought.map(|facts| Rc::new(facts.clone()));
            self.loaded.insert(name.to_owned(), facts.clone());
            return facts.map(|facts| Loaded { facts, name: Some(name.to_owned()), origin: None });
        }
        let is_path = name.contains('/');
        let places: Vec<PathBuf> = if is_path {
            vec![PathBuf::from(name)]
        } else {
            self.places(by).iter().map(|folder| folder.join(name)).collect()
        };
        let mut is_there = false;
        for place in places {
            match self.view.look(&place) {
                SeenFile::Elf(facts) if facts.fits(self.program) => {
                    self.loaded.insert(name.to_owned(), Some(Rc::clone(&facts)));
                    let origin = place.parent().map(Path::to_owned);
                    return Some(Loaded { facts, name: Some(name.to_owned()), origin });
                }
                SeenFile::Unknown => is_there = true,
                SeenFile::Elf(_) | SeenFile::Missing => {}
            }
        }
        self.loaded.insert(name.to_owned(), None);
        // A loader of another kind has folders of its own.
        let is_usual = self
            .program
            .loader
            .as_ref()
            .is_none_or(|loader| loader.starts_with("/lib") || loader.starts_with("/lib64"));
        let is_relative = is_path && !name.starts_with('/');
        if is_there || is_relative || self.program.is_for_musl() || !is_usual {
            self.fit.unknown.push(format!("its loader may not find {name}"));
        } else {
            self.fit.missing.push(Lack::library(name, &asked(by)));
        }
        None
    }

    /// The folders that are searched for a library, in order (ld.so(8)): `DT_RPATH` only where there is no `DT_RUNPATH`.
    fn places(&self, by: &Loaded) -> Vec<PathBuf> {
        let mut places = Vec::new();
        if by.facts.runpath.is_empty() {
            places.extend(by.facts.rpath.iter().filter_map(|folder| expanded(folder, by.origin.as_deref())));
            // Those of the program hold for what its libraries need in turn.
            if by.name.is_some() && self.program.runpath.is_empty() {
                places.extend(self.program.rpath.iter().filter_map(|folder| expanded(folder, None)));
            }
        }
        places.extend(self.view.library_path().iter().cloned());
        places.extend(by.facts.runpath.iter().filter_map(|folder| expanded(folder, by.origin.as_deref())));
        places.extend(self.view.folders().iter().cloned());
        places
    }

    /// The versions that a library does not define, of those that has any.
    fn judge_versions(&mut self, by: &Loaded) {
        let mut told = HashSet::new();
        for needed in &by.facts.needed_versions {
            let Some(Some(library)) = self.loaded.get(&needed.library) else { continue };
            let defined = &library.defined_versions;
            if defined.is_empty() || defined.contains(&needed.version) || !told.insert(&needed.version) {
                continue;
            }
            let newest = newest_like(&needed.version, defined);
            let here = newest.map(|newest| format!(" (newest here: {newest})")).unwrap_or_default();
            self.fit.missing.push(Lack::new(format!(
                "version {} of {}{here}{}",
                needed.version,
                needed.library,
                asked(by)
            )));
        }
    }

    fn judge_level(&mut self, all: &[Loaded]) {
        let here = self.view.processor_levels();
        let Some(one) = all.iter().find(|one| one.facts.processor_levels & !here != 0) else { return };
        // The highest bit that is asked for; the first is what every such processor has.
        let level = 32 - (one.facts.processor_levels & !here).leading_zeros();
        let words = format!("a processor of level x86-64-v{level}{}", asked(one));
        let checks = all.iter().any(|one| one.facts.defined_versions.iter().any(|version| version == CHECKS_LEVELS));
        if checks {
            self.fit.missing.push(Lack::new(words));
        } else {
            self.fit.unknown.push(format!("it may need {words}"));
        }
    }
}

fn asked(by: &Loaded) -> String {
    by.name.as_ref().map(|name| format!(", for {name}")).unwrap_or_default()
}

/// A folder with `$ORIGIN` filled in; `None` where that is not known, or it depends on the folder one is in.
fn expanded(folder: &str, origin: Option<&Path>) -> Option<PathBuf> {
    for token in ["$ORIGIN", "${ORIGIN}"] {
        if let Some(rest) = folder.strip_prefix(token) {
            return Some(origin?.join(rest.trim_start_matches('/')));
        }
    }
    (folder.starts_with('/') && !folder.contains('$')).then(|| PathBuf::from(folder))
}

/// The newest version of the same family, as `GLIBC_2.36` beside `GLIBC_2.99`.
pub(super) fn newest_like<'a>(version: &str, defined: &'a [String]) -> Option<&'a String> {
    let (family, _) = version.rsplit_once('_')?;
    let numbers = |text: &str| text.split('.').map(|part| part.parse().unwrap_or(0)).collect::<Vec<u32>>();
    let of_family = defined.iter().filter_map(|one| {
        let (its, number) = one.rsplit_once('_')?;
        let is_number = number.starts_with(|c: char| c.is_ascii_digit());
        (its == family && is_number).then(|| (numbers(number), one))
    });
    of_family.max().map(|(_, one)| one)
}

#[cfg(test)]
#[path = "loading_tests.rs"]
mod tests;
