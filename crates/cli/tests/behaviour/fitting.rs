//! Programs that this machine can't start: told before they are unpacked, and never called good. They are made of a program of
//! the system by changing a few bytes.

use std::fs;

use wagon_yard_core::program::{ElfFacts, Needs};

use crate::archives::zip;
use crate::home::Home;

/// A program of the system that needs its C library, and what it says of itself.
fn whole() -> Option<(Vec<u8>, ElfFacts)> {
    let content = fs::read("/bin/true").ok()?;
    match Needs::of(&content)? {
        Needs::Elf(facts) if facts.loader.is_some() && !facts.needed_versions.is_empty() => Some((content, facts)),
        _ => None,
    }
}

/// The content with a text replaced wherever it stands by itself.
fn with(content: &[u8], from: &str, to: &str) -> Vec<u8> {
    assert_eq!(from.len(), to.len());
    let wanted = format!("{from}\0");
    let mut new = content.to_vec();
    for at in 0..content.len() - wanted.len() {
        if content[at..].starts_with(wanted.as_bytes()) {
            new[at..at + to.len()].copy_from_slice(to.as_bytes());
        }
    }
    assert_ne!(new, content, "{from} is in it");
    new
}

#[test]
fn what_can_never_start_is_refused_with_what_is_missing() {
    let Some((content, facts)) = whole() else {
        eprintln!("skipped: /bin/true needs nothing here");
        return;
    };
    let library = facts.libraries.first().unwrap();
    let version = &facts.needed_versions.iter().max_by_key(|one| one.version.len()).unwrap().version;
    let later = format!("{}Z", &version[..version.len() - 1]);
    let gone = format!("{}Z", &library[..library.len() - 1]);
    let loader = facts.loader.as_ref().unwrap().to_str().unwrap();
    let elsewhere = format!("{}Z", &loader[..loader.len() - 1]);
    let cases = [
        (with(&content, version, &later), format!("it needs version {later} of"), "a build for an older system"),
        (with(&content, library, &gone), format!("it needs the library {gone}"), "install the package that provides"),
        (with(&content, loader, &elsewhere), format!("it needs the loader {elsewhere}"), "a static one"),
    ];
    for (program, missing, remedy) in &cases {
        let home = Home::new();
        let files = [("tidelog-4.2.1/bin/tidelog", &program[..], 0o755)];
        let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
        let file = archive.to_str().unwrap();
        home.wyard(&["inspect", file, "--json"]).says(missing);
        for dry_run in [&["--dry-run"][..], &[]] {
            home.wyard(&[&["receive", file][..], dry_run].concat()).ends(3).says(missing).says(remedy);
            assert!(!home.yard().join("stock").exists() && !home.yard().join("cards/tidelog").exists());
        }
        let ran = home.wyard(&["receive", file, "--foreign"]).ends(1).says("does-not-start");
        assert!(!ran.out.contains("started-with-error"), "{}", ran.out);
        home.wyard(&["check", "tidelog", "--json"]).ends(1).says("library-missing");
    }
}

#[test]
fn a_script_without_its_interpreter_is_refused_unless_it_comes_along() {
    let own = "#!/bin/sh\nshift\necho tidelog 4.2.1\n";
    for (line, brought, code, says) in [
        ("#!/no/such/interpreter", false, 3, "it needs the interpreter /no/such/interpreter"),
        ("#!/usr/bin/env tiderun", false, 3, "install the package that provides tiderun"),
        ("#!/usr/bin/env tiderun", true, 0, "good"),
        ("#!/bin/sh", false, 0, "good"),
    ] {
        let home = Home::new();
        let script = format!("{line}\necho tidelog 4.2.1\n");
        let mut files = vec![("tidelog-4.2.1/bin/tidelog", &*script, 0o755)];
        files.extend(brought.then_some(("tidelog-4.2.1/bin/tiderun", own, 0o755)));
        let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
        let file = archive.to_str().unwrap();
        let told = home.wyard(&["inspect", file, "--json"]).ends(0).json();
        let hindrance =
            &told["commands"].as_array().unwrap().iter().find(|one| one["name"] == "tidelog").unwrap()["hindrance"];
        assert_eq!(hindrance.is_null(), code == 0, "{line}: {hindrance}");
        home.wyard(&["receive", file]).ends(code).says(says);
    }
}

#[test]
fn a_companion_that_can_not_start_is_told_and_the_tool_is_received() {
    let Some((content, facts)) = whole() else { return };
    let library = facts.libraries.first().unwrap();
    let broken = with(&content, library, &format!("{}Z", &library[..library.len() - 1]));
    let home = Home::new();
    let script = crate::archives::script("4.2.1");
    let files = [
        ("tidelog-4.2.1/bin/tidelog", script.as_bytes(), 0o755),
        ("tidelog-4.2.1/bin/tidegraph", &content[..], 0o755),
        ("tidelog-4.2.1/bin/tideview", &broken[..], 0o755),
    ];
    let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
    home.wyard(&["receive", archive.to_str().unwrap(), "--no-run"]).says("tideview cannot run here");
}

#[test]
fn libraries_that_come_with_a_program_count() {
    let Some((content, facts)) = whole() else { return };
    let library = facts.libraries.first().unwrap();
    let own = format!("{}Z", &library[..library.len() - 1]);
    let home = Home::new();
    let program = with(&content, library, &own);
    let named = format!("tidelog-4.2.1/lib/{own}");
    let files = [("tidelog-4.2.1/bin/tidelog", &program[..], 0o755), (&*named, &b"not looked into"[..], 0o644)];
    let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
    let told = home.wyard(&["inspect", archive.to_str().unwrap(), "--json"]).ends(0).json();
    assert_eq!(told["commands"][0]["hindrance"], serde_json::Value::Null);
}

/// An archive of one class for a version of Java.
fn classes(java: u8) -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    let class = [0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, 44 + java];
    fs::read(zip(&folder.path().join("c.jar"), &[("tide/Main.class", &class[..], 0o644)])).unwrap()
}

#[test]
#[cfg_attr(windows, ignore = "the runtimes that are here are shell scripts")]
fn a_runtime_that_is_too_old_is_told_with_who_asks_for_it() {
    let (java_21, java_17) = (classes(21), classes(17));
    let starts_java = b"#!/bin/sh\nexec \"${JAVA_HOME:-/usr}/bin/java\" -jar \"${0%/*}/../lib/tide.jar\"\n";
    let net = br#"{"runtimeOptions": {"framework": {"name": "Tide.App", "version": "8.0.1"}}}"#;
    let python = b"#!/usr/bin/env python3\nprint('tidelog 4.2.1')\n";
    let node = b"#!/usr/bin/env node\n";
    let plain = b"#!/bin/sh\necho tidelog 4.2.1\n";
    for (script, beside, content, lacks) in [
        (&b"#!/bin/sh\nif [ -n \"$X\" ]; then java -jar \"$X\"; fi\necho tidelog 4.2.1\n"[..], "read", &b"x"[..], None),
        (&starts_java[..], "lib/tide.jar", &java_17[..], None),
        (starts_java, "lib/tide.jar", &java_21, Some("Java 21 or later (here: 17.0.2)")),
        (python, "pyproject.toml", b"[project]\nrequires-python = '>=3.9'\n", None),
        (
            python,
            "pyproject.toml",
            b"[project]\nrequires-python = '>=3.12'\n",
            Some("(here: 3.9.1), as pyproject.toml says"),
        ),
        (
            node,
            "package.json",
            br#"{"engines": {"node": ">=20"}}"#,
            Some("Node.js 20 or later (here: 16.2.0), as package.json says"),
        ),
        (plain, "bin/tidelog.runtimeconfig.json", net, Some("Tide.App 8, 8.0.1 or later (here: 6.0.9)")),
    ] {
        let home = Home::new();
        home.write("home/jdk/release", "JAVA_VERSION=\"17.0.2\"\n");
        home.write("home/net/shared/Tide.App/6.0.9/x", "");
        for (name, answer) in
            [("jdk/bin/java", "openjdk 17.0.2"), ("run/python3", "Python 3.9.1"), ("run/node", "v16.2.0")]
        {
            let program = home.write(&format!("home/{name}"), format!("#!/bin/sh\necho {answer}\n"));
            wagon_yard_core::os::set_folder_mode(&program, 0o755).unwrap();
        }
        home.write("home/.profile", "export JAVA_HOME=~/jdk DOTNET_ROOT=~/net\nPATH=~/run:$PATH\n");
        home.write("home/.bashrc", ". ~/.profile\n");
        let files =
            [("tidelog-4.2.1/bin/tidelog", script, 0o755), (&*format!("tidelog-4.2.1/{beside}"), content, 0o644)];
        let archive = zip(&home.path("tidelog-4.2.1.zip"), &files);
        let file = archive.to_str().unwrap();
        let told = home.wyard(&["inspect", file, "--versions", "--json"]).ends(0).json();
        let hindrance = told["commands"][0]["hindrance"].as_str().unwrap_or_default().to_owned();
        assert_eq!(hindrance.is_empty(), lacks.is_none(), "{beside}: {hindrance}");
        if let Some(lacks) = lacks {
            assert!(hindrance.contains(lacks), "{hindrance}");
            home.wyard(&["receive", file]).ends(3).says(lacks).says("install");
        }
    }
}
