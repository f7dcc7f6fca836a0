//! Real shells, and really executing the name, as judges of the lookup rules: on random machines the predicted winner must
//! be what runs, and the predicted candidates what the shell lists.
#![cfg(unix)]
#![allow(clippy::unwrap_used, clippy::cast_possible_truncation)]

mod made_machines;

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use fastrand::Rng;
use made_machines::{MadeMachine, make, program};
use wagon_yard_core::quote;
use wagon_yard_core::resolve::{self, Caller, Disk, FileKind, FileView as _, LookupContext, Shell, Standing};
use wagon_yard_core::system::System;

/// Machines made from the fixed seed, and as many again from a random one, unless `WYARD_JUDGED_MACHINES` says otherwise.
const MACHINES: usize = 2_000;
/// Machines that one process of a shell is asked about.
const BATCH: usize = 100;

/// What a caller makes of a machine: the program that ran, and the files it lists, where it can list them.
type Answer = (String, Option<Vec<String>>);

/// The lines that ask a shell about one machine: it lists what the name could mean, then runs it, each ended by a
/// zero byte. A name that has run is remembered, and bash lists no other then.
fn question(shell: &str, machine: &MadeMachine) -> String {
    let text = |word: &str| {
        let quoted = match shell {
            "fish" => quote::fish(word.as_bytes()),
            "tcsh" => quote::csh(word.as_bytes()),
            _ => quote::posix(word.as_bytes()),
        };
        String::from_utf8(quoted).unwrap()
    };
    let (folder, path, name) = (text(machine.current.to_str().unwrap()), text(&machine.path), text(&machine.name));
    let (set, list) = match shell {
        "bash" => (format!("PATH={path}"), format!("\"$(type -aP -- {name})\"")),
        "zsh" => (format!("PATH={path}"), format!("\"$(whence -pa -- {name})\"")),
        "ksh" => (format!("PATH={path}"), format!("\"$(whence -ap -- {name})\"")),
        "fish" => {
            let list: Vec<String> = machine.path.split(':').map(text).collect();
            let list = if machine.path.is_empty() { String::new() } else { list.join(" ") };
            return format!(
                "cd {folder}; set PATH {list}\ncommand -as -- {name}; printf '\\0'\n{name}; printf '\\0'\n"
            );
        }
        "tcsh" => {
            let print = "/usr/bin/printf '\\0'";
            return format!("cd {folder}; setenv PATH {path}\nwhere {name}\n{print}\n{name}\n{print}\n");
        }
        _ => (format!("PATH={path}"), "''".to_owned()),
    };
    format!("cd {folder}; {set}\nprintf '%s\\0' {list}\n{name}; printf '\\0'\n")
}

fn ask(shell: &str, home: &Path, machines: &[MadeMachine]) -> Vec<Answer> {
    let script = home.join(format!("{shell}.script"));
    fs::write(&script, machines.iter().map(|machine| question(shell, machine)).collect::<String>()).unwrap();
    let mut command = Command::new(format!("/bin/{shell}"));
    match shell {
        "bash" => command.args(["--norc", "--noprofile"]),
        "zsh" | "tcsh" => command.arg("-f"),
        "fish" => command.arg("--no-config"),
        _ => &mut command,
    };
    command.arg(&script).env_clear().env("HOME", home).env("LANG", "C.UTF-8").env("PATH", "/usr/bin:/bin");
    let output = command.stdin(Stdio::null()).stderr(Stdio::null()).output().unwrap();
    let fields: Vec<String> = String::from_utf8(output.stdout).unwrap().split('\0').map(str::to_owned).collect();
    assert_eq!(fields.len(), machines.len() * 2 + 1, "{shell} answers each question");
    let answer = |(pair, machine): (&[String], &MadeMachine)| {
        // dash lists nothing; tcsh refuses to list a name with a folder in it, zsh searches PATH for it all the same,
        // which it does not when it runs it; ksh quotes what it lists.
        let lists = match shell {
            "dash" => false,
            "zsh" => !machine.name.contains('/') && !machine.path.is_empty(),
            // They leave out some files behind relative entries, and tcsh reads `~`, only when they list.
            "bash" => machine.path.split(':').all(|entry| entry.starts_with('/')),
            "tcsh" => !machine.name.contains('/') && machine.path.split(':').all(|entry| entry.starts_with('/')),
            "ksh" => !pair[0].contains('\''),
            _ => true,
        };
        (pair[1].clone(), lists.then(|| pair[0].lines().map(str::to_owned).collect()))
    };
    fields.chunks_exact(2).zip(machines).map(answer).collect()
}

/// A program that starts another through execvp(3).
fn execute(home: &Path, machines: &[MadeMachine]) -> Vec<Answer> {
    let run = |machine: &MadeMachine| {
        // `env` sets the variable and then searches it, with what the C library has for that.
        let mut command = Command::new("/usr/bin/env");
        command.arg(format!("PATH={}", machine.path)).arg(&machine.name).current_dir(&machine.current);
        command.env_clear().env("HOME", home).stdin(Stdio::null()).stderr(Stdio::null());
        (String::from_utf8(command.output().unwrap().stdout).unwrap(), None)
    };
    machines.iter().map(run).collect()
}

/// The files without repetitions: some shells list a file that two entries lead to once.
fn once_each(files: impl Iterator<Item = PathBuf>) -> Vec<PathBuf> {
    let mut seen = Vec::new();
    files.for_each(|file| {
        if !seen.contains(&file) {
            seen.push(file);
        }
    });
    seen
}

fn compare(seed: u64) {
    let callers = [
        (Caller::Exec, ""),
        (Caller::Shell(Shell::Sh), "dash"),
        (Caller::Shell(Shell::Bash), "bash"),
        (Caller::Shell(Shell::Zsh), "zsh"),
        (Caller::Shell(Shell::Ksh), "ksh"),
        (Caller::Shell(Shell::Fish), "fish"),
        (Caller::Shell(Shell::Tcsh), "tcsh"),
    ];
    let callers: Vec<_> = callers
        .into_iter()
        .filter(|(_, shell)| {
            let there = shell.is_empty() || Path::new("/bin").join(shell).exists();
            assert!(there || std::env::var_os("CI").is_none(), "{shell} is missing, and CI may skip nothing");
            there
        })
        .collect();
    let mut disagreements: BTreeMap<String, (usize, String)> = BTreeMap::new();
    let mut chance = Rng::with_seed(seed);
    let told = std::env::var("WYARD_JUDGED_MACHINES").ok().and_then(|number| number.parse().ok());
    for batch in 0..told.unwrap_or(MACHINES) / BATCH {
        let work = tempfile::tempdir().unwrap();
        let home = work.path().join("home");
        fs::create_dir(&home).unwrap();
        fs::create_dir(home.join("d5")).unwrap();
        program(&home.join("d5/t"));
        program(&home.join("t"));
        let machines: Vec<MadeMachine> =
            (0..BATCH).map(|at| make(&work.path().join(at.to_string()), &mut chance)).collect();
        for (caller, shell) in &callers {
            let answers = if shell.is_empty() { execute(&home, &machines) } else { ask(shell, &home, &machines) };
            for (machine, (ran, listed)) in machines.iter().zip(answers) {
                let context = LookupContext {
                    path: machine.path.clone().into(),
                    current_folder: machine.current.clone(),
                    home: Some(home.clone()),
                    ..LookupContext::new(System::Unix)
                };
                let candidates = resolve::candidates(*caller, &machine.name, &context, &Disk);
                let real = |path: &Path| path.canonicalize().unwrap_or_default();
                let predicted = resolve::winner(&candidates).map(real).unwrap_or_default();
                let told = |what: &str, theirs: &str, ours: &str| {
                    format!(
                        "{}: {what}\n  seed {seed:#x}, batch {batch}\n  PATH={}\n  name {}\n  in {}\n  theirs {theirs}\n  ours   {ours}",
                        caller.name(),
                        machine.path,
                        machine.name,
                        machine.current.display()
                    )
                };
                if predicted != Path::new(&ran) {
                    let one = disagreements.entry(format!("{} runs", caller.name()));
                    one.or_insert_with(|| (0, told("runs", &ran, &predicted.display().to_string()))).0 += 1;
                }
                let Some(listed) = listed else { continue };
                // bash lists a file that may not be executed where there is no other.
                let theirs = listed.iter().map(|path| real(&machine.current.join(path)));
                let theirs = once_each(theirs.filter(|file| Disk.look(file) == FileKind::Program));
                let run = candidates.iter().filter(|c| c.standing != Standing::Skipped);
                let ours = once_each(run.map(|c| real(&c.path)));
                if theirs != ours {
                    let one = disagreements.entry(format!("{} lists", caller.name()));
                    one.or_insert_with(|| (0, told("lists", &format!("{listed:?}"), &format!("{ours:?}")))).0 += 1;
                }
            }
        }
    }
    let told: Vec<String> = disagreements.values().map(|(count, one)| format!("{count} times, {one}")).collect();
    assert!(told.is_empty(), "{}", told.join("\n"));
}

#[test]
fn the_same_machines_every_time() {
    compare(0x7a6f_6e65);
}

#[test]
fn other_machines_every_time() {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap();
    let seed = now.as_nanos() as u64 ^ u64::from(std::process::id());
    println!("seed {seed:#x}");
    compare(seed);
}
