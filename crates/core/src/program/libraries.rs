//! What a compiled program needs before it can start: a loader, and shared libraries.

use std::collections::HashSet;
use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use object::endian::{Endianness, LittleEndian as LE};
use object::read::elf::{ElfFile, FileHeader, ProgramHeader as _};
use object::read::pe::{ImageNtHeaders, PeFile};
use object::{FileKind, elf, pe};

use crate::environment::Environment;
use crate::system::System;

/// What a program needs from elsewhere.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Needs {
    /// The loader that its header names (`PT_INTERP` of ELF).
    pub loader: Option<PathBuf>,
    /// The names of the libraries that have to be loaded with it.
    pub libraries: Vec<String>,
    /// Folders that it says itself are to be searched (`DT_RPATH`, `DT_RUNPATH`), less those that lie beside it.
    pub folders: Vec<PathBuf>,
}

impl Needs {
    /// Reads them from the whole content of a program; `None` where it is of a kind that does not tell here.
    ///
    /// Sources: System V ABI, "Dynamic Linking"; Microsoft PE format, "Import Directory Table".
    #[must_use]
    pub fn of(content: &[u8]) -> Option<Self> {
        match FileKind::parse(content).ok()? {
            FileKind::Elf32 => of_elf::<elf::FileHeader32<Endianness>>(content),
            FileKind::Elf64 => of_elf::<elf::FileHeader64<Endianness>>(content),
            FileKind::Pe32 => of_pe::<pe::ImageNtHeaders32>(content),
            FileKind::Pe64 => of_pe::<pe::ImageNtHeaders64>(content),
            _ => None,
        }
    }

    /// What of it is neither on this machine nor among `brought`, the names in lower case of the files that come with
    /// the program, in the words of "it needs …". Only ever fewer than are missing: a library counts as here wherever
    /// it might be found.
    #[must_use]
    pub fn missing(&self, brought: &HashSet<String>, environment: &Environment) -> Vec<String> {
        let is_brought = |name: &str| brought.contains(&name.to_lowercase());
        let loader = self.loader.iter().filter(|loader| !loader.exists());
        let mut missing: Vec<String> = loader.map(|loader| format!("the loader {}", loader.display())).collect();
        let places = self.places(environment);
        let is_here = |name: &str| Path::new(name).is_absolute() || places.iter().any(|p| p.join(name).exists());
        let libraries = self.libraries.iter().filter(|name| !is_brought(name) && !is_api_set(name) && !is_here(name));
        missing.extend(libraries.map(|name| format!("the library {name}")));
        missing
    }

    /// Where this machine looks for libraries.
    fn places(&self, environment: &Environment) -> Vec<PathBuf> {
        let list = |name: &str| environment.get(name).map(|list| env::split_paths(list).collect::<Vec<_>>());
        let mut places: Vec<PathBuf> = self.folders.clone();
        if environment.system() == System::Windows {
            // Microsoft, "Dynamic-link library search order": the system's folders, then PATH.
            let windows = environment.get("SystemRoot").map_or_else(|| PathBuf::from(r"C:\Windows"), PathBuf::from);
            places.extend(["System32", "SysWOW64", "System", ""].map(|folder| windows.join(folder)));
            places.extend(list("PATH").unwrap_or_default());
            return places;
        }
        places.extend(list("LD_LIBRARY_PATH").unwrap_or_default());
        places.extend(configured(Path::new("/etc/ld.so.conf"), 0));
        places.extend(
            ["/lib", "/usr/lib", "/lib64", "/usr/lib64", "/usr/local/lib", "/lib32", "/usr/lib32"].map(PathBuf::from),
        );
        // The loaders of Debian's descendants have one more folder for each machine built in.
        for folder in ["/lib", "/usr/lib"] {
            let inside = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
            places.extend(inside.filter(|path| path.to_string_lossy().contains("-linux-")));
        }
        places
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

fn of_elf<H: FileHeader<Endian = Endianness>>(content: &[u8]) -> Option<Needs> {
    let file = ElfFile::<H>::parse(content).ok()?;
    let endian = file.endian();
    let loader = file.elf_program_headers().iter().find_map(|header| header.interpreter(endian, content).ok()?);
    let mut needs = Needs { loader: loader.map(|path| PathBuf::from(text(path))), ..Needs::default() };
    let table = file.elf_dynamic_table().ok()?;
    for entry in &table {
        let Ok(value) = table.string(entry) else { continue };
        match entry.tag {
            elf::DT_NEEDED => needs.libraries.push(text(value)),
            elf::DT_RPATH | elf::DT_RUNPATH => {
                let folders = text(value);
                // `$ORIGIN` is the program's own folder, where what it brings lies.
                needs.folders.extend(folders.split(':').filter(|folder| folder.starts_with('/')).map(PathBuf::from));
            }
            _ => {}
        }
    }
    Some(needs)
}

fn of_pe<H: ImageNtHeaders>(content: &[u8]) -> Option<Needs> {
    let file = PeFile::<H>::parse(content).ok()?;
    let mut needs = Needs::default();
    if let Some(table) = file.import_table().ok()? {
        let mut descriptors = table.descriptors().ok()?;
        while let Ok(Some(descriptor)) = descriptors.next() {
            needs.libraries.push(text(table.name(descriptor.name.get(LE)).ok()?));
        }
    }
    Some(needs)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_real_program_misses_nothing_and_a_changed_one_what_was_changed() {
        let mut own = fs::read(env::current_exe().unwrap()).unwrap();
        let environment = Environment::of_process();
        let nothing = HashSet::new();
        let needs = Needs::of(&own).unwrap();
        // A program for musl or macOS may need no library by name.
        let Some(library) = needs.libraries.first().cloned() else { return };
        assert_eq!(needs.missing(&nothing, &environment), Vec::<String>::new());
        let wrong = "x".repeat(library.len());
        let places: Vec<usize> =
            (0..own.len() - library.len()).filter(|at| own[*at..].starts_with(library.as_bytes())).collect();
        for at in places {
            own[at..at + wrong.len()].copy_from_slice(wrong.as_bytes());
        }
        let needs = Needs::of(&own).unwrap();
        assert_eq!(needs.missing(&nothing, &environment), [format!("the library {wrong}")]);
        assert_eq!(needs.missing(&HashSet::from([wrong]), &environment), Vec::<String>::new());
        let needs = Needs { loader: Some("/no/such/loader".into()), ..Needs::default() };
        assert_eq!(needs.missing(&nothing, &environment), ["the loader /no/such/loader"]);
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
