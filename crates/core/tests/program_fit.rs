//! Whether programs can start here, as foretold, against what the system's own loader says: all programs of this machine as
//! they are, and copies of some that were broken.
#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::Command;

use wagon_yard_core::environment::Environment;
use wagon_yard_core::os;
use wagon_yard_core::program::{Brought, ElfFacts, Needs, Program, ThisMachine};

/// The compiled programs in the system's folders that its loader loads.
fn programs() -> Vec<PathBuf> {
    let mut found = Vec::new();
    for folder in ["/usr/bin", "/usr/sbin", "/usr/local/bin", "/usr/libexec"] {
        for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
            let path = entry.path();
            let is_program = entry.file_type().is_ok_and(|kind| kind.is_file())
                && fs::metadata(&path).is_ok_and(|seen| seen.permissions().mode() & 0o111 != 0);
            if is_program {
                found.push(path);
            }
        }
    }
    found.sort();
    found
}

fn needs(content: &[u8]) -> Option<ElfFacts> {
    let native = Program::identify("program", content).is_native(os::SYSTEM, os::processor());
    match Needs::of(content).filter(|_| native)? {
        Needs::Elf(facts) if facts.loader.is_some() => Some(facts),
        _ => None,
    }
}

/// What the program's own loader says when it only lists what it would load (ld.so(8), `--list`).
fn loads(program: &Path, loader: &Path) -> bool {
    let told = Command::new(loader).arg("--list").arg(program).output().unwrap();
    let said = [&told.stdout[..], &told.stderr].concat();
    told.status.success() && !String::from_utf8_lossy(&said).contains("not found")
}

#[test]
fn no_program_of_this_machine_is_said_not_to_start() {
    let machine = ThisMachine::new(&Environment::of_process());
    let (mut judged, mut wrong) = (0, Vec::new());
    for program in programs() {
        let Some(facts) = fs::read(&program).ok().and_then(|content| needs(&content)) else { continue };
        judged += 1;
        let fit = Needs::Elf(facts.clone()).fit(program.parent(), &Brought::new(), &machine);
        let loader = facts.loader.unwrap();
        if !fit.missing.is_empty() && loads(&program, &loader) {
            wrong.push((program, fit.missing));
        }
    }
    println!("{judged} programs");
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// The places of a text in a file.
fn places(content: &[u8], text: &[u8]) -> Vec<usize> {
    (0..content.len().saturating_sub(text.len())).filter(|at| content[*at..].starts_with(text)).collect()
}

fn patched(content: &[u8], from: &str, to: &str) -> Option<Vec<u8>> {
    let mut new = content.to_vec();
    let places = places(content, format!("{from}\0").as_bytes());
    places.iter().for_each(|at| new[*at..*at + to.len()].copy_from_slice(to.as_bytes()));
    (!places.is_empty() && from.len() == to.len()).then_some(new)
}

/// A text with its last letter or digit changed into one that no library has.
fn changed(text: &str, to: char) -> String {
    let at = text.rfind(|c: char| c.is_ascii_alphanumeric()).unwrap();
    format!("{}{to}{}", &text[..at], &text[at + 1..])
}

/// Copies of a program that were broken, by the way.
fn broken(content: &[u8], facts: &ElfFacts) -> BTreeMap<String, Vec<u8>> {
    let mut all = BTreeMap::new();
    let mut put = |way: String, content: Option<Vec<u8>>| drop(content.map(|content| all.insert(way, content)));
    for (at, library) in facts.libraries.iter().enumerate().take(4) {
        put(format!("library {at}"), patched(content, library, &changed(library, 'Z')));
    }
    let mut versions: Vec<&str> = facts.needed_versions.iter().map(|one| &*one.version).collect();
    versions.sort_unstable();
    versions.dedup();
    for (at, version) in versions.iter().enumerate().take(6) {
        put(format!("version {at}"), patched(content, version, &changed(version, 'Z')));
    }
    let loader = facts.loader.as_ref().unwrap().to_str().unwrap();
    put("loader".to_owned(), patched(content, loader, &changed(loader, 'Z')));
    put("all libraries".to_owned(), {
        facts.libraries.iter().try_fold(content.to_vec(), |content, one| patched(&content, one, &changed(one, 'Y')))
    });
    all
}

#[test]
fn no_broken_program_is_said_to_start() {
    let machine = ThisMachine::new(&Environment::of_process());
    let folder = tempfile::tempdir().unwrap();
    let (mut counts, mut wrong) = (BTreeMap::<String, usize>::new(), Vec::new());
    for program in programs() {
        let Ok(content) = fs::read(&program) else { continue };
        let Some(facts) = needs(&content).filter(|_| content.len() < 200_000) else { continue };
        if counts.values().sum::<usize>() >= 400 {
            break;
        }
        for (way, content) in broken(&content, &facts) {
            let file = folder.path().join("broken");
            fs::write(&file, &content).unwrap();
            fs::set_permissions(&file, fs::Permissions::from_mode(0o755)).unwrap();
            let Some(now) = needs(&content) else { continue };
            let loader = now.loader.clone().unwrap();
            let starts = loader.exists() && loads(&file, &loader);
            let fit = Needs::Elf(now).fit(Some(folder.path()), &Brought::new(), &machine);
            if starts {
                // What is optional may be missing.
                assert!(fit.missing.is_empty(), "{way} of {}: {fit:?}", program.display());
                continue;
            }
            *counts.entry(way.clone()).or_default() += 1;
            if fit.missing.is_empty() {
                wrong.push((program.clone(), way));
            }
        }
    }
    println!("broken: {counts:?}");
    assert!(wrong.is_empty(), "{wrong:#?}");
    assert!(counts.values().sum::<usize>() > 20, "too few were broken: {counts:?}");
}
