use std::collections::BTreeMap;

use super::super::elf_facts::NeededVersion;
use super::*;

struct Made {
    files: BTreeMap<&'static str, ElfFacts>,
    folders: Vec<PathBuf>,
    library_path: Vec<PathBuf>,
    levels: u32,
}

impl LoaderView for Made {
    fn look(&self, path: &Path) -> SeenFile {
        // The rules are those of Linux, wherever they are tested.
        let path = path.to_str().unwrap().replace('\\', "/");
        match self.files.get(&*path) {
            Some(facts) => SeenFile::Elf(Rc::new(facts.clone())),
            None if path.starts_with("/locked/") => SeenFile::Unknown,
            None => SeenFile::Missing,
        }
    }

    fn folders(&self) -> &[PathBuf] {
        &self.folders
    }

    fn library_path(&self) -> &[PathBuf] {
        &self.library_path
    }

    fn processor_levels(&self) -> u32 {
        self.levels
    }

    fn kernel(&self) -> Option<[u32; 3]> {
        Some([6, 1, 0])
    }
}

fn elf(libraries: &[&str]) -> ElfFacts {
    let libraries = libraries.iter().map(ToString::to_string).collect();
    ElfFacts { is_64_bit: true, machine: 62, libraries, ..ElfFacts::default() }
}

fn program(libraries: &[&str]) -> ElfFacts {
    ElfFacts { loader: Some("/lib64/ld-linux-x86-64.so.2".into()), ..elf(libraries) }
}

fn with_needs(facts: ElfFacts, versions: &[(&str, &str)]) -> ElfFacts {
    let needed = |(library, version): &(&str, &str)| NeededVersion {
        library: (*library).to_owned(),
        version: (*version).to_owned(),
    };
    ElfFacts { needed_versions: versions.iter().map(needed).collect(), ..facts }
}

fn defining(facts: ElfFacts, versions: &[&str]) -> ElfFacts {
    ElfFacts { defined_versions: versions.iter().map(ToString::to_string).collect(), ..facts }
}

/// A machine with a C library, a library that needs another one, and libraries of 32 bits.
fn machine() -> Made {
    let narrow = |facts: ElfFacts| ElfFacts { is_64_bit: false, machine: 3, ..facts };
    let files = [
        ("/lib64/ld-linux-x86-64.so.2", elf(&[])),
        (
            "/lib/libc.so.6",
            defining(elf(&[]), &["libc.so.6", "GLIBC_2.2.5", "GLIBC_2.9", "GLIBC_2.33", "GLIBC_PRIVATE"]),
        ),
        ("/lib/libtide.so.1", elf(&["libebb.so.2", "libc.so.6"])),
        ("/lib/libbare.so.1", elf(&[])),
        ("/lib32/libshoal.so.1", narrow(elf(&[]))),
        ("/opt/own/libreef.so.1", elf(&[])),
        ("/lib/ld-musl-i386.so.1", narrow(elf(&[]))),
        ("/lib/ld-linux-narrow.so.2", narrow(elf(&[]))),
    ];
    Made {
        files: files.into(),
        folders: ["/lib", "/lib32"].map(PathBuf::from).to_vec(),
        library_path: Vec::new(),
        levels: 0b11,
    }
}

fn missing(program: &ElfFacts, origin: Option<&str>, brought: &Brought<'_>) -> Vec<String> {
    let fit = fit(program, origin.map(Path::new), brought, &machine());
    fit.missing.into_iter().map(|lack| lack.words).collect()
}

#[test]
fn what_is_surely_missing_is_named_with_who_asks_for_it() {
    let c = ("libc.so.6", "GLIBC_2.99");
    let musl = ElfFacts { loader: Some("/lib/ld-musl-x86_64.so.1".into()), ..elf(&["libc.so"]) };
    let wrong_loader = ElfFacts { loader: Some("/lib/ld-linux-narrow.so.2".into()), ..elf(&[]) };
    let with = |facts: ElfFacts, rpath: &[&str]| ElfFacts {
        runpath: rpath.iter().map(ToString::to_string).collect(),
        ..facts
    };
    let cases: Vec<(ElfFacts, &[&str])> = vec![
        (program(&["libc.so.6"]), &[]),
        (program(&["libgone.so.1"]), &["the library libgone.so.1"]),
        (program(&["libtide.so.1"]), &["the library libebb.so.2, for libtide.so.1"]),
        (program(&["libshoal.so.1"]), &["the library libshoal.so.1"]),
        (with(program(&["libreef.so.1"]), &["/opt/own"]), &[]),
        (program(&["libreef.so.1"]), &["the library libreef.so.1"]),
        (
            with_needs(program(&["libc.so.6"]), &[c, ("libc.so.6", "GLIBC_2.9")]),
            &["version GLIBC_2.99 of libc.so.6 (newest here: GLIBC_2.33)"],
        ),
        // Without versions a loader only warns.
        (with_needs(program(&["libbare.so.1"]), &[("libbare.so.1", "BARE_2")]), &[]),
        (musl, &["the loader /lib/ld-musl-x86_64.so.1 of the C library musl"]),
        (wrong_loader, &["the loader /lib/ld-linux-narrow.so.2 (the file there is for another machine)"]),
        (ElfFacts { processor_levels: 0b1001, ..program(&["libc.so.6"]) }, &["a processor of level x86-64-v4"]),
        (ElfFacts { processor_levels: 0b10, ..program(&["libc.so.6"]) }, &[]),
    ];
    for (program, expected) in cases {
        assert_eq!(missing(&program, None, &Brought::new()), expected, "{program:?}");
    }
}

#[test]
fn what_comes_with_a_program_counts_with_what_it_needs_itself() {
    let needs = with_needs(elf(&["libc.so.6", "libgone.so.1"]), &[("libc.so.6", "GLIBC_2.99")]);
    let program = program(&["libown.so.1"]);
    assert_eq!(missing(&program, None, &Brought::from([("libown.so.1".to_owned(), None)])), Vec::<String>::new());
    let brought = Brought::from([("libown.so.1".to_owned(), Some(&needs))]);
    assert_eq!(
        missing(&program, None, &brought),
        [
            "the library libgone.so.1, for libown.so.1",
            "version GLIBC_2.99 of libc.so.6 (newest here: GLIBC_2.33), for libown.so.1"
        ]
    );
}

#[test]
fn folders_of_the_programs_own_are_searched_as_the_loader_does() {
    let of = |rpath: &[&str], runpath: &[&str]| ElfFacts {
        rpath: rpath.iter().map(ToString::to_string).collect(),
        runpath: runpath.iter().map(ToString::to_string).collect(),
        ..program(&["libreef.so.1"])
    };
    for (program, origin, found) in [
        (of(&["$ORIGIN"], &[]), Some("/opt/own"), true),
        (of(&[], &["${ORIGIN}"]), Some("/opt/own"), true),
        (of(&["/opt/own"], &["/elsewhere"]), None, false),
        (of(&["$LIB/own"], &[]), None, false),
    ] {
        let missing = missing(&program, origin, &Brought::new());
        assert_eq!(missing.is_empty(), found, "{program:?}: {missing:?}");
    }
    let mut machine = machine();
    machine.library_path = vec!["/opt/own".into()];
    assert_eq!(fit(&program(&["libreef.so.1"]), None, &Brought::new(), &machine), Fit::default());
}

#[test]
fn what_nobody_can_say_is_unknown_and_not_missing() {
    let strange = ElfFacts { loader: Some("/store/ld.so".into()), ..elf(&["libgone.so.1"]) };
    let mut locked = machine();
    locked.folders.push("/locked".into());
    let mut here = machine();
    here.files.insert("/store/ld.so", elf(&[]));
    let new = ElfFacts { kernel: Some([99, 0, 0]), ..program(&["libc.so.6"]) };
    for (program, machine) in [(strange, &here), (program(&["libgone.so.1"]), &locked), (new, &here)] {
        let fit = fit(&program, None, &Brought::new(), machine);
        assert_eq!((fit.missing.len(), fit.unknown.len()), (0, 1), "{program:?}: {fit:?}");
    }
}
