//! How long a check takes of 60 tools with 6 commands each, all of which answer at once.
#![allow(missing_docs, clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use criterion::{Criterion, criterion_group, criterion_main};
use wagon_yard_core::change::{Change, Changeset};
use wagon_yard_core::check::check;
use wagon_yard_core::layout::Command;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::os;
use wagon_yard_core::program::ProgramKind;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::receive::register;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::yard::{Card, CardLayout, Requires, Settings, Source, Yard};

const TOOLS: usize = 60;
const COMMANDS: usize = 6;

/// A tool in the yard whose commands are scripts, or batch files, that print their version.
fn tool(yard: &Yard, number: usize) -> Card {
    let (name, version) = (format!("tool{number}"), "1.0.0");
    let windows = cfg!(windows);
    let file = |command: usize| format!("{name}-{command}{}", if windows { ".cmd" } else { "" });
    let command = |number: usize| Command {
        name: format!("{name}-{number}"),
        path: Path::new("bin").join(file(number)),
        program: if windows { ProgramKind::Batch } else { ProgramKind::Script },
        os: None,
        arch: None,
    };
    let card = Card {
        card: 1,
        name: name.parse().unwrap(),
        version: version.parse().unwrap(),
        received: format!("2026-01-01T00:00:{number:02}Z"),
        source: Source { file: String::new(), bytes: 0, sha256: String::new(), compared: false },
        layout: CardLayout { wrapper: PathBuf::new(), command_folders: vec!["bin".into()] },
        commands: (0..COMMANDS).map(command).collect(),
        folder: None,
        uninstaller: None,
        added: Vec::new(),
        probe: None,
        answers: BTreeMap::new(),
        requires: Requires::default(),
        trials: Vec::new(),
        registration: None,
    };
    let bin = yard.home(&card.name, &card.version).join("bin");
    fs::create_dir_all(&bin).unwrap();
    for number in 0..COMMANDS {
        let path = bin.join(file(number));
        let text = if windows { "@echo 1.0.0\r\n" } else { "#!/bin/sh\necho 1.0.0\n" };
        fs::write(&path, text).unwrap();
        os::set_mode(&fs::File::open(&path).unwrap(), 0o755).unwrap();
    }
    let mut changeset = Changeset::default();
    yard.put_card(&mut changeset, &card).unwrap();
    yard.lock().unwrap().carry_out(Change { does: "make a tool".to_owned(), undoes: None, changeset }).unwrap();
    card
}

fn benchmark(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let machine = Machine::new(std::env::vars_os().collect(), Some(folder.path()), None, Scope::User).unwrap();
    fs::create_dir_all(&machine.home).unwrap();
    let yard = Yard::of(&machine);
    let stop = Stop::default();
    for number in 0..TOOLS {
        let card = tool(&yard, number);
        register(&machine, card.name.as_str(), None, false, &stop).unwrap();
    }
    let settings = Settings::default();
    let mut group = criterion.benchmark_group("check");
    group.sample_size(10);
    group.bench_function("60 tools with 6 commands each", |bench| {
        bench.iter(|| {
            let report = check(&machine, &yard, &settings, &yard.in_service().unwrap(), true, &stop).unwrap();
            assert!(report.verdict.passes() && report.tools.len() == TOOLS);
        });
    });
    group.finish();
}

criterion_group!(benches, benchmark);
criterion_main!(benches);
