//! How long a check takes of 60 tools with 6 commands each, all of which answer at once.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use criterion::{Criterion, criterion_group};
use wagon_yard_core::change::{Change, Changeset};
use wagon_yard_core::check::check;
use wagon_yard_core::environment::Environment;
use wagon_yard_core::jobs::register::{self, RegisterRequest, Registering};
use wagon_yard_core::layout::{Command, Layout};
use wagon_yard_core::machine::Machine;
use wagon_yard_core::os;
use wagon_yard_core::program::ProgramKind;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::report::Verdict;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::session::Session;
use wagon_yard_core::yard::{Card, Source};

const TOOLS: usize = 60;
const COMMANDS: usize = 6;

/// A tool in the yard whose commands are scripts, or batch files, that print their version.
fn tool(session: &Session, number: usize) -> Card {
    let yard = &session.yard;
    let (name, version) = (format!("tool{number}"), "1.0.0");
    let windows = cfg!(windows);
    let file = |command: usize| format!("{name}-{command}{}", if windows { ".cmd" } else { "" });
    let command = |number: usize| Command {
        name: format!("{name}-{number}"),
        path: Path::new("bin").join(file(number)).into(),
        program: if windows { ProgramKind::Batch } else { ProgramKind::Script },
        os: None,
        arch: None,
    };
    let source = Source {
        file: String::new(),
        address: None,
        bytes: 0,
        sha256: String::new(),
        compared: false,
        with: Vec::new(),
    };
    let layout = Layout {
        wrapper: PathBuf::new(),
        command_folders: vec!["bin".into()],
        commands: (0..COMMANDS).map(command).collect(),
        completions: Vec::new(),
    };
    let received = format!("2026-01-01T00:00:{number:02}Z");
    let card = Card { received, ..Card::new(name.parse().unwrap(), version.parse().unwrap(), source, &layout) };
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
    session.lock().unwrap().carry_out(Change { does: "make a tool".to_owned(), undoes: None, changeset }).unwrap();
    card
}

fn benchmark(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().unwrap();
    let machine = Machine::new(Environment::of_process(), Some(folder.path()), None, Scope::User).unwrap();
    fs::create_dir_all(&machine.home).unwrap();
    let mut session = Session::new(machine, Stop::default());
    session.makes_seals = true;
    for number in 0..TOOLS {
        let tool = tool(&session, number).name.to_string();
        register::run(&session, &RegisterRequest { tool, does: Registering::Register(None), dry_run: false }).unwrap();
    }
    let mut group = criterion.benchmark_group("check");
    group.sample_size(10);
    group.bench_function("60 tools with 6 commands each", |bench| {
        bench.iter(|| {
            let cards: Vec<Card> = session.stock().unwrap().in_service().into_iter().cloned().collect();
            let report = check(&session, &cards, true).unwrap();
            assert!(report.verdict().is_some_and(Verdict::passes) && report.tools.len() == TOOLS);
        });
    });
    group.finish();
}

criterion_group!(benches, benchmark);
fn main() -> ExitCode {
    // The benchmark is the program that makes its seals.
    let mut words = std::env::args().skip(1);
    if words.next().is_some_and(|word| word == os::SEAL_ARGUMENT) {
        return ExitCode::from(os::serve_seal(words.next().unwrap().parse().unwrap()));
    }
    benches();
    Criterion::default().configure_from_args().final_summary();
    ExitCode::SUCCESS
}
