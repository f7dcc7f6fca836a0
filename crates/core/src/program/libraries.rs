//! What a compiled program needs before it can start: a loader, and shared libraries.

use std::cell::RefCell;
use std::collections::HashMap;
use std::env;
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;

use object::endian::LittleEndian as LE;
use object::read::pe::{ImageNtHeaders, PeFile};
use object::{FileKind, ReadCache, pe};

use super::elf_facts::ElfFacts;
use super::loading::{self, Brought, Fit, LoaderView, SeenFile};
use crate::environment::Environment;
use crate::os;
use crate::system::System;

/// What a compiled program needs from elsewhere.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Needs {
    /// Of ELF.
    Elf(ElfFacts),
    /// The libraries that a program for Windows imports.
    Pe(Vec<String>),
}

impl Needs {
    /// Reads them from the whole content of a program; `None` where it is of a kind that does not tell here.
    ///
    /// Sources: System V ABI, "Dynamic Linking"; Microsoft PE format, "Import Directory Table".
    #[must_use]
    pub fn of(content: &[u8]) -> Option<Self> {
        match FileKind::parse(content).ok()? {
            FileKind::Elf32 | FileKind::Elf64 => ElfFacts::of(content).map(Self::Elf),
            FileKind::Pe32 => of_pe::<pe::ImageNtHeaders32>(content),
            FileKind::Pe64 => of_pe::<pe::ImageNtHeaders64>(content),
            _ => None,
        }
    }

    /// The libraries it names.
    #[must_use]
    pub fn libraries(&self) -> &[String] {
        match self {
            Self::Elf(facts) => &facts.libraries,
            Self::Pe(libraries) => libraries,
        }
    }

    /// What it says as ELF.
    #[must_use]
    pub fn elf(&self) -> Option<&ElfFacts> {
        match self {
            Self::Elf(facts) => Some(facts),
            Self::Pe(_) => None,
        }
    }

    /// Compares it with this machine. `brought` are the files that come with it, `origin` the folder it lies in, where it is
    /// in place. Of what is for Windows a library counts as here wherever it might be found.
    #[must_use]
    pub fn fit(&self, origin: Option<&Path>, brought: &Brought<'_>, machine: &ThisMachine) -> Fit {
        match self {
            Self::Elf(facts) => loading::fit(facts, origin, brought, machine),
            Self::Pe(libraries) => {
                let is_brought = |name: &str| brought.contains_key(&name.to_lowercase());
                let is_here = |name: &str| machine.folders.iter().any(|folder| folder.join(name).exists());
                let missing = libraries.iter().filter(|name| !is_brought(name) && !is_api_set(name) && !is_here(name));
                Fit { missing: missing.map(|name| format!("the library {name}")).collect(), unknown: Vec::new() }
            }
        }
    }
}

/// This machine as its loader sees it; each file is looked into once.
#[derive(Debug)]
pub struct ThisMachine {
    folders: Vec<PathBuf>,
    library_path: Vec<PathBuf>,
    seen: RefCell<HashMap<PathBuf, SeenFile>>,
}

impl ThisMachine {
    /// What a program finds that is started in an environment.
    #[must_use]
    pub fn new(environment: &Environment) -> Self {
        let list = |name: &str| environment.get(name).map(|list| env::split_paths(list).collect::<Vec<_>>());
        let list = |name: &str| list(name).unwrap_or_default();
        let mut folders = Vec::new();
        let mut library_path = Vec::new();
        if environment.system() == System::Windows {
            // Microsoft, "Dynamic-link library search order": the system's folders, then PATH.
            let windows = environment.get("SystemRoot").map_or_else(|| PathBuf::from(r"C:\Windows"), PathBuf::from);
            folders.extend(["System32", "SysWOW64", "System", ""].map(|folder| windows.join(folder)));
            folders.extend(list("PATH"));
        } else {
            library_path = list("LD_LIBRARY_PATH");
            folders.extend(configured(Path::new("/etc/ld.so.conf"), 0));
            folders.extend(
                ["/lib", "/usr/lib", "/lib64", "/usr/lib64", "/usr/local/lib", "/lib32", "/usr/lib32"]
                    .map(PathBuf::from),
            );
            // The loaders of Debian's descendants have one more folder for each machine built in.
            for folder in ["/lib", "/usr/lib"] {
                let inside = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
                folders.extend(inside.filter(|path| path.to_string_lossy().contains("-linux-")));
            }
        }
        Self { folders, library_path, seen: RefCell::default() }
    }
}

impl LoaderView for ThisMachine {
    fn look(&self, path: &Path) -> SeenFile {
        if let Some(seen) = self.seen.borrow().get(path) {
            return seen.clone();
        }
        let seen = match File::open(path) {
            Ok(file) => match ElfFacts::of(&ReadCache::new(file)) {
                Some(facts) => SeenFile::Elf(Rc::new(facts)),
                None => SeenFile::Unknown,
            },
            Err(e) if e.kind() == io::ErrorKind::NotFound => SeenFile::Missing,
            Err(e) if e.kind() == io::ErrorKind::NotADirectory => SeenFile::Missing,
            Err(_) => SeenFile::Unknown,
        };
        self.seen.borrow_mut().insert(path.to_owned(), seen.clone());
        seen
    }

    fn folders(&self) -> &[PathBuf] {
        &self.folders
    }

    fn library_path(&self) -> &[PathBuf] {
        &self.library_path
    }

    fn processor_levels(&self) -> u32 {
        os::processor_levels()
    }

    fn kernel(&self) -> Option<[u32; 3]> {
        os::kernel_version()
    }
}

/// The folders that ld.so.conf(5) lists, those of the files it includes among them.
fn configured(file: &Path, depth: u8) -> Vec<PathBuf> {
    const DEEPEST: u8 = 4;
    let text = if depth < DEEPEST { fs::read_to_string(file).unwrap_or_default() } else { String::new() };
    let mut folders = Vec::new();
    for line in text.lines().map(|line| line.split('#').next().unwrap_or_default().trim()) {
        let Some(pattern) = line.strip_prefix("include ") else {
            folders.extend(line.starts_with('/').then(|| PathBuf::from(line)));
            continue;
        };
        // Only the last part of the pattern may hold a `*`, as everybody writes it.
        let (folder, name) = pattern.trim().rsplit_once('/').unwrap_or((".", pattern.trim()));
        let (begin, end) = name.split_once('*').unwrap_or((name, ""));
        for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with(begin) && name.ends_with(end) {
                folders.extend(configured(&entry.path(), depth + 1));
            }
        }
    }
    folders
}

/// Names that the loader of Windows maps to libraries itself (Microsoft, "Windows API sets").
fn is_api_set(name: &str) -> bool {
    let lower = name.to_ascii_lowercase();
    lower.starts_with("api-ms-win-") || lower.starts_with("ext-ms-")
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

fn of_pe<H: ImageNtHeaders>(content: &[u8]) -> Option<Needs> {
    let file = PeFile::<H>::parse(content).ok()?;
    let mut libraries = Vec::new();
    if let Some(table) = file.import_table().ok()? {
        let mut descriptors = table.descriptors().ok()?;
        while let Ok(Some(descriptor)) = descriptors.next() {
            libraries.push(text(table.name(descriptor.name.get(LE)).ok()?));
        }
    }
    Some(Needs::Pe(libraries))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_real_program_misses_nothing_and_a_changed_one_what_was_changed() {
        let mut own = fs::read(env::current_exe().unwrap()).unwrap();
        let machine = ThisMachine::new(&Environment::of_process());
        let (nothing, origin) = (Brought::new(), env::current_exe().unwrap());
        let fit = |content: &[u8], brought: &Brought<'_>| {
            Needs::of(content).unwrap().fit(origin.parent(), brought, &machine).missing
        };
        // A program for musl or macOS may need no library by name.
        let Some(library) = Needs::of(&own).unwrap().libraries().first().cloned() else { return };
        assert_eq!(fit(&own, &nothing), Vec::<String>::new());
        let wrong = "x".repeat(library.len());
        let places: Vec<usize> =
            (0..own.len() - library.len()).filter(|at| own[*at..].starts_with(library.as_bytes())).collect();
        for at in places {
            own[at..at + wrong.len()].copy_from_slice(wrong.as_bytes());
        }
        assert_eq!(fit(&own, &nothing), [format!("the library {wrong}")]);
        assert_eq!(fit(&own, &Brought::from([(wrong, None)])), Vec::<String>::new());
        assert_eq!(Needs::of(b"#!/bin/sh\n"), None);
    }

    #[test]
    fn configured_folders_are_read_through_includes() {
        let folder = tempfile::tempdir().unwrap();
        let place = |name: &str| folder.path().join(name);
        fs::create_dir(place("more")).unwrap();
        fs::write(place("more/tide.conf"), "/opt/tide/lib # ours\n").unwrap();
        fs::write(place("more/other.txt"), "/no\n").unwrap();
        let include = place("more/*.conf").display().to_string().replace('\\', "/");
        fs::write(place("main.conf"), format!("/usr/local/lib\ninclude {include}\nrelative\n")).unwrap();
        assert_eq!(configured(&place("main.conf"), 0), ["/usr/local/lib", "/opt/tide/lib"].map(PathBuf::from));
    }
}
