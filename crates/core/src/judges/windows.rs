//! `cmd`, PowerShell and CreateProcess, asked what a name runs.

use std::ffi::OsString;
use std::fs;
use std::path::Path;
use std::process::Command;
use std::time::Duration;

use super::answer::{Answer, ONE, ending};
use super::machines::MadeMachine;
use crate::os;
use crate::process::{self, Ending};
use crate::progress::Stop;
use crate::resolve::Shell;
use crate::terminal::InstalledShell;

/// With this variable set, the program says which file it is and does nothing else.
const ACT_VARIABLE: &str = "WYARD_JUDGE";

/// With this as its first argument it starts what the second one names, as programs do.
const START_ARGUMENT: &str = "start-for-judge";

/// Stands before each answer: no path has it.
const BEGINS: &str = "[";

/// The folder of a machine from which a program starts another.
pub(super) const STARTER_FOLDER: &str = "prog";

/// CreateProcess takes a process for each question: so many questions have one.
const STARTED: usize = 3;

/// What PATHEXT is for every caller.
pub(super) const EXTENSIONS: &str = ".COM;.EXE;.BAT;.CMD";

/// Plays the part that a judge has for this program, if it has one: what is to be printed then.
pub fn act() -> Option<OsString> {
    std::env::var_os(ACT_VARIABLE)?;
    let mut words = std::env::args_os().skip(1);
    match (words.next(), words.next()) {
        (Some(first), Some(name)) if first == START_ARGUMENT => {
            os::start_by_name(&name).err().map(|_| OsString::from("nothing"))
        }
        _ => std::env::current_exe().ok().map(Into::into),
    }
}

pub(super) fn ask(
    shell: &InstalledShell,
    home: &Path,
    machines: &[MadeMachine],
    limit: Duration,
    stop: &Stop,
) -> Result<Vec<Option<Answer>>, String> {
    let mut command = Command::new(&shell.program);
    let text = |line: &dyn Fn(&MadeMachine) -> String| machines.iter().map(line).collect::<String>();
    let (name, script) = if shell.shell == Shell::Cmd {
        let line = |machine: &MadeMachine| {
            let folder = machine.current.display();
            let run = format!("\"%COMSPEC%\" /c {} 2>nul", machine.name);
            format!("cd /d \"{folder}\"\r\nset PATH={}\r\necho {BEGINS}\r\n{run}\r\n", machine.path)
        };
        ("questions.cmd", format!("@echo off\r\n{}", text(&line)))
    } else {
        let quoted = |text: &str| format!("'{}'", text.replace('\'', "''"));
        let line = |machine: &MadeMachine| {
            let (folder, path) = (quoted(&machine.current.to_string_lossy()), quoted(&machine.path));
            let run = format!("try {{ & {} 2>$null }} catch {{ }}", quoted(&machine.name));
            format!("Set-Location -LiteralPath {folder}\r\n$env:PATH = {path}\r\n'{BEGINS}'\r\n{run}\r\n")
        };
        // The mark tells the older PowerShell that this is UTF-8.
        ("questions.ps1", format!("\u{feff}$ErrorActionPreference = 'SilentlyContinue'\r\n{}", text(&line)))
    };
    let file = home.join(name);
    fs::write(&file, script).map_err(|e| e.to_string())?;
    if shell.shell == Shell::Cmd {
        command.arg("/d").arg("/c").arg(&file);
    } else {
        command.args(["-NoLogo", "-NoProfile", "-NonInteractive", "-ExecutionPolicy", "Bypass", "-File"]).arg(&file);
    }
    command.env("PATHEXT", EXTENSIONS).env(ACT_VARIABLE, "1").current_dir(home);
    let outcome = process::run(command, limit, stop);
    let said = String::from_utf8_lossy(&outcome.stdout);
    let answers: Vec<&str> = said.split(BEGINS).skip(1).collect();
    if answers.len() != machines.len() {
        return Err(format!("{} answers to {} questions ({})", answers.len(), machines.len(), ending(&outcome)));
    }
    Ok(answers.into_iter().map(|said| Some(answer(said))).collect())
}

/// What a program that ran has said: its path, and nothing else.
fn answer(said: &str) -> Answer {
    let said = said.trim();
    let is_path = said.contains(":\\") && !said.contains('\n');
    Answer { ran: if is_path { said.to_owned() } else { String::new() }, listed: None }
}

pub(super) fn create_process(machines: &[MadeMachine], program: &Path, stop: &Stop) -> Vec<Option<Answer>> {
    let run = |(at, machine): (usize, &MadeMachine)| {
        // Wine hands a batch file on to cmd by its bare name, which looks it up again.
        if at % STARTED != 0 || os::is_wine() && machine.name.ends_with(".cmd") {
            return None;
        }
        let starter = machine.root.join(STARTER_FOLDER).join("start.exe");
        fs::hard_link(program, &starter).or_else(|_| fs::copy(program, &starter).map(drop)).ok()?;
        let mut command = Command::new(starter);
        command.args([START_ARGUMENT, &machine.name]).current_dir(&machine.current);
        command.env("PATH", &machine.path).env("PATHEXT", EXTENSIONS).env(ACT_VARIABLE, "1");
        let outcome = process::run(command, ONE, stop);
        let said = String::from_utf8_lossy(&outcome.stdout).into_owned();
        matches!(outcome.ending, Ending::Exited(_)).then(|| answer(&said))
    };
    machines.iter().enumerate().map(run).collect()
}
