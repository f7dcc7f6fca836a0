//! What a program needs before it can start, and this machine as loaders see it.

use std::cell::RefCell;
use std::collections::HashMap;
use std::env;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::rc::Rc;

use object::{FileKind, ReadCache, ReadRef};

use super::asks::Asks;
use super::elf_facts::ElfFacts;
use super::loading::{self, Brought, Fit, LoaderView, SeenFile};
use super::macho_facts::MachoFacts;
use super::macho_loading::{self, MacView};
use super::pe_facts::PeFacts;
use super::pe_loading::{self, DllView};
use crate::environment::Environment;
use crate::given;
use crate::os;
use crate::registry::{Hive, RegistryPlace, RegistryValue};
use crate::system::System;

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Needs {
    Elf(ElfFacts),
    Pe(PeFacts),
    Macho(MachoFacts),
    Asks(Vec<Asks>),
}

impl Needs {
    /// Reads them from the whole content of a program; `None` where it is of a kind that does not tell here.
    pub fn of(content: &[u8]) -> Option<Self> {
        Self::read(content)
    }

    /// Reads them from a file, and no more of that than they take.
    pub fn at(file: &Path) -> Option<Self> {
        Self::read(&ReadCache::new(given::open(file).ok()?))
    }

    fn read<'data, R: ReadRef<'data>>(data: R) -> Option<Self> {
        match FileKind::parse(data).ok()? {
            FileKind::Elf32 | FileKind::Elf64 => ElfFacts::of(data).map(Self::Elf),
            FileKind::Pe32 | FileKind::Pe64 => PeFacts::of(data).map(Self::Pe),
            _ => MachoFacts::of(data).map(Self::Macho),
        }
    }

    pub fn libraries(&self) -> Vec<&str> {
        match self {
            Self::Elf(facts) => facts.libraries.iter().map(String::as_str).collect(),
            Self::Pe(facts) => facts.imports.iter().map(|import| &*import.library).collect(),
            Self::Macho(facts) => facts.slices.iter().flat_map(|slice| &slice.libraries).map(String::as_str).collect(),
            Self::Asks(_) => Vec::new(),
        }
    }

    pub fn elf(&self) -> Option<&ElfFacts> {
        match self {
            Self::Elf(facts) => Some(facts),
            _ => None,
        }
    }

    pub fn asks(&self) -> &[Asks] {
        match self {
            Self::Asks(asks) => asks,
            _ => &[],
        }
    }

    /// Compares a compiled program with this machine. `brought` are the files that come with it, `origin` the folder it lies in, where it is
    /// in place.
    pub fn fit(&self, origin: Option<&Path>, brought: &Brought<'_>, machine: &ThisMachine) -> Fit {
        match self {
            Self::Elf(facts) => loading::fit(facts, origin, brought, machine),
            Self::Pe(facts) => pe_loading::fit_pe(facts, origin, brought, machine),
            Self::Macho(facts) => macho_loading::fit_macho(facts, brought, machine),
            Self::Asks(_) => Fit::default(),
        }
    }
}

/// This machine as its loader sees it; each file is looked into once.
#[derive(Debug)]
pub struct ThisMachine {
    folders: Vec<PathBuf>,
    library_path: Vec<PathBuf>,
    windows: Option<WindowsVersion>,
    seen: RefCell<HashMap<PathBuf, SeenFile>>,
    seen_dlls: RefCell<HashMap<PathBuf, Option<Option<Rc<PeFacts>>>>>,
}

impl ThisMachine {
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
        let windows = windows_version(environment.system());
        Self { folders, library_path, windows, seen: RefCell::default(), seen_dlls: RefCell::default() }
    }
}

impl LoaderView for ThisMachine {
    fn look(&self, path: &Path) -> SeenFile {
        if let Some(seen) = self.seen.borrow().get(path) {
            return seen.clone();
        }
        let seen = match given::open(path) {
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

impl DllView for ThisMachine {
    fn look_at_dll(&self, path: &Path) -> Option<Option<Rc<PeFacts>>> {
        if let Some(seen) = self.seen_dlls.borrow().get(path) {
            return seen.clone();
        }
        let seen = match given::open(path) {
            Ok(file) => Some(PeFacts::of(&ReadCache::new(file)).map(Rc::new)),
            Err(e) if e.kind() == io::ErrorKind::NotFound => None,
            Err(_) => Some(None),
        };
        self.seen_dlls.borrow_mut().insert(path.to_owned(), seen.clone());
        seen
    }

    fn dll_folders(&self) -> &[PathBuf] {
        &self.folders
    }

    fn windows(&self) -> Option<[u16; 2]> {
        self.windows.map(|version| version.numbers)
    }

    fn windows_build(&self) -> Option<u32> {
        self.windows?.build
    }

    fn processor(&self) -> &str {
        os::processor()
    }
}

impl MacView for ThisMachine {
    fn processor(&self) -> &str {
        os::processor()
    }

    fn macos(&self) -> Option<[u16; 2]> {
        macos_version(&os::macos_setting("ProductVersion")?)
    }

    fn translates_intel(&self) -> bool {
        os::translates_intel()
    }

    fn exists(&self, path: &Path) -> bool {
        path.exists()
    }
}

fn macos_version(text: &str) -> Option<[u16; 2]> {
    let mut numbers = text.split('.').map(|number| number.trim().parse().ok());
    Some([numbers.next()??, numbers.next().flatten().unwrap_or(0)])
}

#[derive(Debug, Clone, Copy)]
struct WindowsVersion {
    numbers: [u16; 2],
    build: Option<u32>,
}

/// The version of Windows, as the system keeps it for programs that ask; from Windows 10 on, which is what this program runs on.
fn windows_version(system: System) -> Option<WindowsVersion> {
    let key = r"SOFTWARE\Microsoft\Windows NT\CurrentVersion".to_owned();
    let place = RegistryPlace { hive: Hive::LocalMachine, key };
    let values = (system == System::Windows).then(|| place.read().ok()).flatten()?;
    let number = |name: &str| {
        let bytes: [u8; 4] = values.raw(name)?.bytes.get(..4)?.try_into().ok()?;
        u16::try_from(u32::from_le_bytes(bytes)).ok()
    };
    let build = RegistryValue::from_raw(values.raw("CurrentBuild")?).and_then(|build| build.text.trim().parse().ok());
    Some(WindowsVersion {
        numbers: [number("CurrentMajorVersionNumber")?, number("CurrentMinorVersionNumber")?],
        build,
    })
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_real_program_misses_nothing_and_a_changed_one_what_was_changed() {
        let mut own = fs::read(env::current_exe().unwrap()).unwrap();
        let machine = ThisMachine::new(&Environment::of_process());
        let (nothing, origin) = (Brought::new(), env::current_exe().unwrap());
        let fit = |content: &[u8], brought: &Brought<'_>| {
            let fit = Needs::of(content).unwrap().fit(origin.parent(), brought, &machine);
            fit.missing.into_iter().map(|lack| lack.words).collect::<Vec<_>>()
        };
        // A program for musl or macOS may need no library by name.
        let Some(library) = Needs::of(&own).unwrap().libraries().first().map(ToString::to_string) else { return };
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
