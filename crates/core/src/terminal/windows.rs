//! A new terminal on Windows: the environment the system would give it, and `cmd` and PowerShell started in it.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use super::answer::{Meaning, NoAnswer, Question, Said};
use super::shells::InstalledShell;
use crate::environment::Environment;
use crate::error::FileError;
use crate::machine::Machine;
use crate::os;
use crate::path_list::is_spelled_alike;
use crate::process::{self, Outcome};
use crate::progress::Stop;
use crate::registry::RegistryKey;
use crate::resolve::{self, Caller, Disk, Kind, LookupContext, Shell};
use crate::store::registry::{Background, Builder, RegistryEnvironments};
use crate::system::System;

/// Variables that the system sets itself before it reads the registry ("Environment Variables"; "Recognized environment
/// variables").
const SET_BY_SYSTEM: [&str; 24] = [
    "ALLUSERSPROFILE",
    "APPDATA",
    "CommonProgramFiles",
    "CommonProgramFiles(x86)",
    "CommonProgramW6432",
    "COMPUTERNAME",
    "HOMEDRIVE",
    "HOMEPATH",
    "LOCALAPPDATA",
    "LOGONSERVER",
    "ProgramData",
    "ProgramFiles",
    "ProgramFiles(x86)",
    "ProgramW6432",
    "PUBLIC",
    "SESSIONNAME",
    "SystemDrive",
    "SystemRoot",
    "USERDOMAIN",
    "USERDOMAIN_ROAMINGPROFILE",
    "USERNAME",
    "USERPROFILE",
    "windir",
    "WINEPREFIX",
];

/// What the environment of a new terminal comes from. A sandbox's keys hold no system, so that the system's own folders
/// stand there as given; nothing but the prediction builds its terminals, by the rules of Windows.
///
/// # Errors
/// When the registry cannot be read.
pub fn background(machine: &Machine) -> Result<Background, FileError> {
    let registry = RegistryEnvironments::read(&machine.registry())?;
    let mut given = given(machine);
    if machine.sandbox.is_none() {
        return Ok(Background { given, registry, builder: Builder::here() });
    }
    let root = given.iter().find(|(name, _)| name == "SystemRoot").map_or("C:\\Windows", |(_, root)| root);
    let folders = format!("{root}\\system32;{root}");
    given.push(("Path".to_owned(), folders));
    given.push(("PATHEXT".to_owned(), resolve::USUAL_EXTENSIONS.to_owned()));
    Ok(Background { given, registry, builder: Builder::Windows })
}

/// The folders of the system's PATH on Windows, which come before the user's as a whole.
///
/// # Errors
/// When the registry cannot be read.
pub fn system_path(machine: &Machine) -> Result<Vec<PathBuf>, FileError> {
    if machine.system() == System::Unix {
        return Ok(Vec::new());
    }
    let mut background = background(machine)?;
    background.registry.user = RegistryKey::default();
    let alone = Environment::with(System::Windows, background.variables());
    Ok(LookupContext::of(&alone, &machine.home).folders())
}

/// How many of the first folders are the system's.
pub(super) fn of_system(folders: &[PathBuf], machine: &Machine) -> usize {
    let system = system_path(machine).unwrap_or_default();
    let alike = |(one, other): &(&PathBuf, &PathBuf)| is_spelled_alike(one, other, System::Windows);
    folders.iter().zip(&system).take_while(alike).count()
}

/// The variables that the system sets itself, as this terminal has them.
fn given(machine: &Machine) -> Vec<(String, String)> {
    let one = |name: &&str| {
        let value = machine.environment.get(name)?;
        Some(((*name).to_owned(), value.to_string_lossy().into_owned()))
    };
    SET_BY_SYSTEM.iter().filter_map(one).collect()
}

/// The environment of a new terminal: from the system's own call, or, in a sandbox, predicted from the sandbox's keys.
pub(super) fn environment(machine: &Machine) -> Environment {
    let predicted = background(machine).map(|b| b.variables()).unwrap_or_default();
    let predicted = Environment::with(System::Windows, predicted);
    if machine.sandbox.is_some() {
        return predicted;
    }
    match os::fresh_environment() {
        // Wine's call leaves the user's Path out, which a terminal it really opens has.
        Ok(_) if os::is_wine() => predicted,
        Ok(fresh) => Environment::with(System::Windows, fresh),
        Err(_) => predicted,
    }
}

/// Asks `cmd` or PowerShell.
pub(super) fn ask(
    shell: &InstalledShell,
    marker: &str,
    base: &Environment,
    question: Question<'_>,
    home: &Path,
    limit: Duration,
    stop: &Stop,
) -> (Result<Said, NoAnswer>, Duration) {
    let context = LookupContext::of(base, home);
    let files = file_names(&context, question);
    let scratch = match tempfile::Builder::new().prefix("wyard-ask-").tempdir() {
        Ok(scratch) => scratch,
        Err(e) => return (Err(NoAnswer::NotStarted(e.to_string())), Duration::ZERO),
    };
    let command = match start(shell, scratch.path(), marker, &files, question) {
        Ok(command) => command,
        Err(e) => return (Err(NoAnswer::NotStarted(e.to_string())), Duration::ZERO),
    };
    let mut command = command;
    command.env_clear().envs(base).current_dir(if home.is_dir() { home } else { scratch.path() });
    // Names travel as variables: neither the code page nor the shell's own characters can spoil them.
    for (i, (_, file)) in files.iter().enumerate() {
        command.env(format!("WYARD_ASK_{i}"), file);
    }
    for (i, name) in question.commands.iter().enumerate() {
        command.env(format!("WYARD_NAME_{i}"), name);
    }
    let outcome = process::run(command, limit, stop);
    let took = outcome.took;
    let said = parse(shell.shell, marker, &outcome, &files, question, home);
    let said = said.map(|said| {
        let mut environment = base.clone();
        environment.set("PATH", said.context.path.clone());
        Said { environment, ..said }
    });
    let said = said.ok_or_else(|| NoAnswer::of(outcome));
    (said, took)
}

/// For each command, by its place, the file names that `cmd` would try.
fn file_names(context: &LookupContext, question: Question<'_>) -> Vec<(usize, String)> {
    let mut files = Vec::new();
    for (index, name) in question.commands.iter().enumerate() {
        if name.contains('.') {
            files.push((index, name.clone()));
        }
        files.extend(context.path_extensions.iter().map(|extension| (index, format!("{name}{extension}"))));
    }
    files
}

fn start(
    shell: &InstalledShell,
    scratch: &Path,
    marker: &str,
    files: &[(usize, String)],
    question: Question<'_>,
) -> io::Result<Command> {
    let mut command = Command::new(&shell.program);
    if shell.shell == Shell::Cmd {
        let mut batch = format!("@echo off\r\necho {marker}\r\nset\r\necho {marker}\r\n");
        for i in 0..files.len() {
            batch.push_str(&format!("for %%I in (\"%WYARD_ASK_{i}%\") do echo =%%~$PATH:I\r\n"));
        }
        batch.push_str(&format!("echo {marker}\r\n"));
        let file = scratch.join("ask.cmd");
        fs::write(&file, batch)?;
        // What is set to run at the start of every cmd runs here too, as in a new terminal, and may change the folder. With
        // `/s` the outer quotes go, and nothing else (cmd, "/?").
        command.args(["/u", "/s", "/c"]);
        os::add_as_written(&mut command, &format!("\"\"{}\"\"", file.display()));
    } else {
        // The function that makes the prompt is run before anything is typed (PowerShell, "about_Prompts").
        let each = "$c = Get-Command -Name (Get-Item \"env:WYARD_NAME_$i\").Value -ErrorAction SilentlyContinue | \
                    Select-Object -First 1; '=' + $c.CommandType + '|' + $c.Path";
        let script = format!(
            "[Console]::OutputEncoding = [Text.Encoding]::UTF8; try {{ $null = prompt }} catch {{ }}; '{marker}'; \
             Get-ChildItem env: | ForEach-Object {{ $_.Name + '=' + $_.Value }}; '{marker}'; \
             for ($i = 0; $i -lt {}; $i++) {{ {each} }}; '{marker}'",
            question.commands.len()
        );
        command.args(["-NoLogo", "-NonInteractive", "-Command", &script]);
    }
    Ok(command)
}

fn parse(
    shell: Shell,
    marker: &str,
    outcome: &Outcome,
    files: &[(usize, String)],
    question: Question<'_>,
    home: &Path,
) -> Option<Said> {
    let text = decode(&outcome.stdout);
    let lines: Vec<&str> = text.lines().map(|l| l.trim_end_matches('\r')).collect();
    let marks: Vec<usize> = (0..lines.len()).filter(|i| lines[*i].trim_end() == marker).collect();
    let [begin, middle, end] = marks[..] else { return None };
    let set = lines[begin + 1..middle].iter().filter_map(|line| line.split_once('='));
    let environment = Environment::with(System::Windows, set);
    let context = LookupContext::of(&environment, home);
    let answers: Vec<&str> = lines[middle + 1..end].iter().filter_map(|line| line.strip_prefix('=')).collect();
    let mut meanings = BTreeMap::new();
    for (index, name) in question.commands.iter().enumerate() {
        let meaning = if shell == Shell::Cmd {
            let asked =
                files.iter().zip(&answers).filter(|((i, _), _)| *i == index).map(|((_, f), a)| (f.as_str(), *a));
            from_cmd(name, &context, asked)
        } else {
            from_powershell(answers.get(index)?)
        };
        meanings.insert(name.clone(), meaning);
    }
    let variable = |name: &String| Some((name.clone(), environment.get(name)?.to_owned()));
    let variables = question.variables.iter().filter_map(variable).collect();
    Some(Said { context, meanings, variables, environment, before_prompt: None })
}

/// `cmd /u` writes UTF-16; where it does not, its text is taken as UTF-8.
fn decode(bytes: &[u8]) -> String {
    let wide = bytes.len() >= 2 && bytes.iter().skip(1).step_by(2).take(16).any(|byte| *byte == 0);
    if wide {
        let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        return String::from_utf16_lossy(&units);
    }
    String::from_utf8_lossy(bytes).into_owned()
}

/// What a name means to `cmd`: for each file name it said which file its own search through PATH finds. The rule says
/// which of the names counts; where the two disagree, `cmd` has the last word.
fn from_cmd<'a>(name: &str, context: &LookupContext, asked: impl Iterator<Item = (&'a str, &'a str)>) -> Meaning {
    if resolve::builtin(Caller::Shell(Shell::Cmd), name) {
        return Meaning { kind: Kind::Builtin, file: None };
    }
    let found: Vec<(&str, &str)> = asked.filter(|(_, answer)| !answer.is_empty()).collect();
    let candidates = resolve::candidates(Caller::Shell(Shell::Cmd), name, context, &Disk);
    let predicted = candidates.iter().find(|c| c.standing == resolve::Standing::Winner);
    let said = match predicted {
        // The current folder is no part of that search.
        Some(candidate) if candidate.entry.is_none() => None,
        Some(candidate) => {
            let last = candidate.path.file_name().unwrap_or_default();
            found.iter().find(|(asked, _)| last.eq_ignore_ascii_case(asked)).or(found.first())
        }
        None => found.first(),
    };
    let file = match (said, predicted) {
        // The same file, whatever the case `cmd` writes it in.
        (Some((_, answer)), Some(candidate))
            if is_spelled_alike(&candidate.path, Path::new(answer), System::Windows) =>
        {
            Some(candidate.path.clone())
        }
        (Some((_, answer)), _) => Some(PathBuf::from(answer)),
        (None, predicted) => predicted.map(|candidate| candidate.path.clone()),
    };
    Meaning { kind: if file.is_some() { Kind::File } else { Kind::None }, file }
}

/// What a name means to PowerShell: `KIND|PATH` of `Get-Command` ("CommandTypes enum").
fn from_powershell(answer: &str) -> Meaning {
    let (kind, path) = answer.split_once('|').unwrap_or((answer, ""));
    let file = (!path.is_empty()).then(|| PathBuf::from(path));
    let kind = match kind {
        "Application" | "ExternalScript" => Kind::File,
        "Alias" => Kind::Alias,
        "Function" | "Filter" => Kind::Function,
        "Cmdlet" => Kind::Builtin,
        _ => Kind::None,
    };
    Meaning { kind, file: file.filter(|_| kind == Kind::File) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_of_both_kinds_are_read() {
        assert_eq!(from_powershell("Alias|"), Meaning { kind: Kind::Alias, file: None });
        let file = Some(PathBuf::from("C:\\a\\t.exe"));
        assert_eq!(from_powershell("Application|C:\\a\\t.exe"), Meaning { kind: Kind::File, file: file.clone() });
        assert_eq!(from_powershell("|"), Meaning { kind: Kind::None, file: None });
        let context = LookupContext::new(System::Windows);
        let asked = [("t.com", ""), ("t.exe", "C:\\a\\t.exe")];
        assert_eq!(from_cmd("t", &context, asked.into_iter()), Meaning { kind: Kind::File, file });
        assert_eq!(from_cmd("DIR", &context, asked.into_iter()).kind, Kind::Builtin);
        let wide: Vec<u8> = "a=ä\r\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
        assert_eq!((decode(&wide).as_str(), decode(b"plain").as_str()), ("a=ä\r\n", "plain"));
    }
}
