//! `cmd` and CreateProcess as judges of the lookup rules of Windows.
#![cfg(windows)]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use fastrand::Rng;
use wagon_yard_core::os;
use wagon_yard_core::process;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::resolve::{self, Caller, Disk, LookupContext, Shell};
use wagon_yard_core::system::System;

use crate::programs_on_windows::test_program;

/// The folders that programs are put into.
const FOLDERS: [&str; 5] = ["now", "prog", "a", "b c", "d;e"];

/// A folder with these below it, and the program that starts another one.
struct Made {
    folder: PathBuf,
    itself: PathBuf,
}

impl Drop for Made {
    fn drop(&mut self) {
        let _ = fs::remove_dir_all(&self.folder);
    }
}

impl Made {
    fn new() -> Option<Self> {
        let (itself, start) = (test_program("self.exe")?, test_program("start.exe")?);
        let folder = fs::canonicalize(tempfile::tempdir().unwrap().keep()).unwrap();
        let folder = PathBuf::from(folder.to_str().unwrap().trim_start_matches(r"\\?\"));
        for below in FOLDERS {
            fs::create_dir_all(folder.join(below)).unwrap();
        }
        fs::copy(start, folder.join("prog").join("start.exe")).unwrap();
        Some(Self { folder, itself })
    }

    /// Puts a program there that says where it lies.
    fn put(&self, file: &str) {
        let file = self.folder.join(file);
        match file.extension().and_then(|e| e.to_str()) {
            Some("cmd" | "bat") => fs::write(file, "@echo %~f0\r\n").unwrap(),
            _ => drop(fs::copy(&self.itself, file).unwrap()),
        }
    }

    /// What the rules say that runs.
    fn predicted(&self, caller: Caller, name: &str, path: &str, forbids: bool) -> Option<String> {
        let context = LookupContext {
            system: System::Windows,
            home: None,
            path: path.into(),
            path_extensions: [".com", ".exe", ".bat", ".cmd"].map(str::to_owned).to_vec(),
            current_folder: self.folder.join("now"),
            program_folder: Some(self.folder.join("prog")),
            system_root: std::env::var_os("SystemRoot").map(PathBuf::from),
            registered: None,
            of_system: 0,
            forbids_current_folder: forbids,
        };
        let candidates = resolve::candidates(caller, name, &context, &Disk);
        resolve::winner(&candidates).map(|winner| {
            let whole = self.folder.join("now").join(winner);
            std::path::absolute(whole).unwrap().to_string_lossy().to_lowercase()
        })
    }
}

/// What `cmd`, or a program that starts another, runs by a name, as it says itself.
fn really_runs(caller: Caller, name: &str, folder: &Path, path: &str, forbids: bool) -> Option<String> {
    let mut command = match caller {
        Caller::Shell(Shell::Cmd) => {
            let mut command = Command::new("cmd");
            command.args(["/c", name]);
            command
        }
        _ => {
            let mut command = Command::new(folder.join("prog").join("start.exe"));
            command.arg(name);
            command
        }
    };
    command.env("PATH", path).env("PATHEXT", ".COM;.EXE;.BAT;.CMD").current_dir(folder.join("now"));
    if forbids {
        command.env("NoDefaultCurrentDirectoryInExePath", "1");
    }
    let output = process::run(command, Duration::from_secs(20), &Stop::default());
    let text = String::from_utf8_lossy(&output.stdout).trim().to_lowercase();
    (text.contains(":\\") && !text.contains('\n')).then_some(text)
}

#[test]
fn cmd_and_programs_run_what_the_lookup_rules_say() {
    let Some(made) = Made::new() else { return };
    for file in [
        "a/one.exe",
        "b c/one.exe",
        "now/one.cmd",
        "prog/one.exe",
        "a/two.cmd",
        "a/two.exe",
        "b c/two.com",
        "b c/three.bat",
        "a/three",
        "d;e/four.exe",
        "now/five.exe",
        "a/six.x.exe",
        "a/seven.cmd",
        "prog/eight.exe",
        "b c/nine.com",
    ] {
        made.put(file);
    }
    let f = made.folder.to_str().unwrap();
    let system = format!("{0}\\system32;{0}", std::env::var("SystemRoot").unwrap());
    let paths = [
        format!("{f}\\a;{f}\\b c;{system}"),
        format!("{f}\\b c;{f}\\a;{system}"),
        format!("\"{f}\\b c\";{f}\\a\\;{system}"),
        format!(";;{f}\\b c\\;;{system}"),
        format!("\"{f}\\d;e\";{f}\\missing;{f}\\a;{system}"),
        format!("{system};..\\a"),
    ];
    let names = [
        "one", "ONE", "two", "two.exe", "two.cmd", "three", "four", "five", "six.x", "seven", "eight", "nine", "nobody",
    ];
    let mut wrong = Vec::new();
    let mut asked = 0;
    for caller in [Caller::Shell(Shell::Cmd), Caller::CreateProcess] {
        for path in &paths {
            for forbids in [false, true] {
                // The variable is read by cmd's search only, and Wine's does not; it also gives up at an empty entry.
                let odd = os::is_wine() && (forbids || path.contains(";;"));
                if if caller == Caller::Shell(Shell::Cmd) { odd } else { forbids } {
                    continue;
                }
                for name in names {
                    // Wine also takes a file without any extension.
                    if caller == Caller::CreateProcess && name == "three" && os::is_wine() {
                        continue;
                    }
                    let predicted = made.predicted(caller, name, path, forbids);
                    let seen = really_runs(caller, name, &made.folder, path, forbids);
                    asked += 1;
                    if predicted != seen {
                        wrong
                            .push(format!("{caller:?} {name} {forbids} {path}: predicted {predicted:?}, ran {seen:?}"));
                    }
                }
            }
        }
    }
    assert!(asked > 120 && wrong.is_empty(), "{} of {asked} wrong:\n{}", wrong.len(), wrong.join("\n"));
}

/// Made machines, from a fixed seed and from a random one that is printed. None has a folder of a program's name: Wine ends
/// its search there, which says nothing of Windows.
#[test]
fn random_machines_are_looked_up_as_they_are() {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap();
    let random = u64::from(now.subsec_nanos());
    println!("seed {random}");
    let mut wrong = Vec::new();
    for seed in [3_907, random] {
        let mut chance = Rng::with_seed(seed);
        for _ in 0..MACHINES {
            let Some(made) = Made::new() else { return };
            for folder in FOLDERS {
                for name in ["t", "u"] {
                    for ending in [".com", ".exe", ".bat", ".cmd"].into_iter().filter(|_| chance.u8(..5) == 0) {
                        made.put(&format!("{folder}/{name}{ending}"));
                    }
                }
            }
            let questions: Vec<(String, String)> = (0..QUESTIONS).map(|_| question(&made, &mut chance)).collect();
            let ran = cmd_runs(&made, &questions);
            for (at, (path, name)) in questions.iter().enumerate() {
                let mut told = |caller: Caller, seen: &Option<String>| {
                    let predicted = made.predicted(caller, name, path, false);
                    if predicted != *seen {
                        wrong.push(format!(
                            "seed {seed} {caller:?} {name} {path}: predicted {predicted:?}, ran {seen:?}"
                        ));
                    }
                };
                told(Caller::Shell(Shell::Cmd), &ran[at]);
                // A process for each question: some of them are enough.
                // Wine hands a batch file on to cmd by its bare name, which looks it up again.
                if at < STARTED && !name.ends_with(".cmd") {
                    told(Caller::CreateProcess, &really_runs(Caller::CreateProcess, name, &made.folder, path, false));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
}

/// How many machines a seed makes, how many questions each of them answers, and how many of those to CreateProcess.
const MACHINES: usize = 40;
const QUESTIONS: usize = 10;
const STARTED: usize = 4;

/// A PATH and a name.
fn question(made: &Made, chance: &mut Rng) -> (String, String) {
    let f = made.folder.to_str().unwrap();
    let entry = |chance: &mut Rng| match chance.u8(..9) {
        0 => format!("\"{f}\\b c\""),
        1 => format!("{f}\\a\\"),
        2 => format!("{f}\\missing"),
        3 => "..\\a".to_owned(),
        4 => format!("\"{f}\\d;e\""),
        _ => format!("{f}\\{}", chance.choice(["a", "b c", "prog"]).unwrap()),
    };
    let path: Vec<String> = (0..chance.usize(1..5)).map(|_| entry(chance)).collect();
    let name = *chance.choice(&["t", "u", "T", "t.exe", "t.cmd", "u.com", "..\\a\\t", "v"]).unwrap();
    (path.join(";"), name.to_owned())
}

/// What `cmd` runs, one batch file for all questions.
fn cmd_runs(made: &Made, questions: &[(String, String)]) -> Vec<Option<String>> {
    let mut batch = "@echo off\r\n".to_owned();
    for (path, name) in questions {
        batch.push_str(&format!("set PATH={path}\r\necho [\r\n%COMSPEC% /c {name} 2>nul\r\n"));
    }
    let file = made.folder.join("questions.bat");
    fs::write(&file, batch).unwrap();
    let mut command = Command::new("cmd");
    command.arg("/c").arg(&file).env("PATHEXT", ".COM;.EXE;.BAT;.CMD").current_dir(made.folder.join("now"));
    let output = process::run(command, Duration::from_secs(120), &Stop::default());
    let text = String::from_utf8_lossy(&output.stdout).to_lowercase();
    let answers: Vec<Option<String>> = text
        .split('[')
        .skip(1)
        .map(|answer| Some(answer.trim().to_owned()).filter(|said| said.contains(":\\") && !said.contains('\n')))
        .collect();
    assert_eq!(answers.len(), questions.len(), "{text}");
    answers
}
