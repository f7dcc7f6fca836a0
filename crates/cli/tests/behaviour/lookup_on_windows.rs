//! `cmd` and CreateProcess as judges of the lookup rules of Windows.
#![cfg(windows)]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use wagon_yard_core::environment::Environment;
use wagon_yard_core::judges::{JudgedCaller, Judging, judge};
use wagon_yard_core::machine::Machine;
use wagon_yard_core::os;
use wagon_yard_core::process;
use wagon_yard_core::progress::Stop;
use wagon_yard_core::resolve::{self, Caller, Disk, LookupContext, Shell};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::system::System;
use wagon_yard_core::terminal;

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

/// Made machines, from a fixed seed and from a random one that is printed.
#[test]
fn random_machines_are_looked_up_as_they_are() {
    let random = fastrand::u64(..);
    println!("seed {random}");
    for seed in [3_907, random] {
        let work = tempfile::tempdir().unwrap();
        let machine = Machine::new(Environment::of_process(), Some(work.path()), None, Scope::User).unwrap();
        let judging = Judging {
            work: work.path(),
            shells: &terminal::installed(&machine, &Shell::ALL),
            program: Path::new(env!("CARGO_BIN_EXE_wyard")),
            seed,
            machines: MACHINES,
            until: None,
            stop: &Stop::default(),
        };
        let judged = judge(&judging, System::Windows).unwrap();
        assert!(judged.iter().all(JudgedCaller::held), "{judged:#?}");
        assert!(judged.iter().any(|one| one.compared == MACHINES) && judged.len() > 1);
    }
}

/// How many machines a seed makes.
const MACHINES: usize = 200;
