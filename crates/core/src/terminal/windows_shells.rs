//! `cmd` and PowerShell, started in a new terminal's environment and asked.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

use super::answer::{Meaning, NoAnswer, Question, ScriptHost, ShellReply};
use super::installed::InstalledShell;
use crate::environment::Environment;
use crate::os;
use crate::path_list::is_spelled_alike;
use crate::process;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Kind, LookupContext, Shell};
use crate::shells::Watch;
use crate::system::System;

/// At most this many times longer PowerShell may take: its first start after the machine's reads hundreds of files.
const COLD_START: u32 = 3;

/// Names of the files of a question, in a folder of their own.
const QUESTION: &str = "ask.cmd";
const NAMES: &str = "names.cmd";
const SAID: &str = "said";
const MACROS: &str = "macros";

/// Under this name PowerShell tells whether it runs scripts.
const POLICY: &str = "WYARD_POLICY";

/// The variable that leads to what lists the macros of a console.
const MACRO_LISTER: &str = "WYARD_MACROS";

/// Asks `cmd` or PowerShell.
pub(super) fn ask(
    shell: &InstalledShell,
    marker: &str,
    base: &Environment,
    question: Question<'_>,
    home: &Path,
    limit: Duration,
    stop: &Stop,
) -> (Result<ShellReply, NoAnswer>, Duration) {
    let context = LookupContext::of(base, home);
    let files = file_names(&context, question);
    let not_started = |e: io::Error| (Err(NoAnswer::NotStarted(e.to_string())), Duration::ZERO);
    let scratch = match tempfile::Builder::new().prefix("wyard-ask-").tempdir() {
        Ok(scratch) => scratch,
        Err(e) => return not_started(e),
    };
    let mut command = match start(shell, scratch.path(), marker, &files, question) {
        Ok(command) => command,
        Err(e) => return not_started(e),
    };
    command.env_clear().envs(base).current_dir(if home.is_dir() { home } else { scratch.path() });
    // Names travel as variables: neither the code page nor the shell's own characters can spoil them.
    for (i, (_, file)) in files.iter().enumerate() {
        command.env(format!("WYARD_ASK_{i}"), file);
    }
    for (i, name) in question.commands.iter().enumerate() {
        command.env(format!("WYARD_NAME_{i}"), name);
    }
    command.env(MACRO_LISTER, shell.program.with_file_name("doskey.exe"));
    let limit = if shell.shell == Shell::Cmd { limit } else { limit * COLD_START };
    let outcome = process::run(command, limit, stop);
    let took = outcome.took;
    let read = |name: &str| fs::read(scratch.path().join(name)).unwrap_or_default();
    let said = match shell.shell {
        Shell::Cmd => {
            let macros = macro_names(&String::from_utf8_lossy(&read(MACROS)));
            Lines::of(&decode(&read(SAID)), marker).map(|lines| from_cmd(&lines, &files, &macros, question, home))
        }
        _ => Lines::of(&String::from_utf8_lossy(&outcome.stdout), marker)
            .map(|lines| from_powershell(&lines.plain(), &shell.program, question, home)),
    };
    let said = said.map(|said| {
        let mut environment = base.clone();
        environment.set("PATH", said.context.path.clone());
        ShellReply { environment, ..said }
    });
    let said = said.ok_or_else(|| NoAnswer::of_ending(&outcome));
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
        fs::write(scratch.join(NAMES), batch)?;
        // What is set to run at the start of every cmd runs here too, as in a new terminal. It may change the folder, print
        // what it likes in any code page, and define macros of its console, which come before any file.
        let ask = format!(
            "@echo off\r\n\"%{MACRO_LISTER}%\" /macros >\"%~dp0{MACROS}\" 2>nul\r\n\"%~dp0{NAMES}\" >\"%~dp0{SAID}\"\r\n"
        );
        let file = scratch.join(QUESTION);
        fs::write(&file, ask)?;
        // With `/s` the outer quotes go, and nothing else (cmd, "/?").
        command.args(["/u", "/s", "/c"]);
        os::add_as_written(&mut command, &format!("\"\"{}\"\"", file.display()));
    } else {
        // The function that makes the prompt is run before anything is typed (PowerShell, "about_Prompts"). No setting of
        // the console is changed, and nothing is called that a constrained session forbids ("about_Language_Modes"): what is
        // not ASCII comes as numbers.
        let script = format!(
            "try {{ $null = prompt }} catch {{ }}; \
             $say = {{ param($text) if ($text -match '[^ -~]') {{ '#' + -join ($text.ToCharArray() | \
             ForEach-Object {{ '{{0:x4}}' -f [int]$_ }}) }} else {{ '=' + $text }} }}; '{marker}'; \
             & $say ('{POLICY}=' + [string](Get-ExecutionPolicy)); \
             Get-ChildItem env: | ForEach-Object {{ & $say ($_.Name + '=' + $_.Value) }}; '{marker}'; \
             for ($i = 0; $i -lt {}; $i++) {{ $c = Get-Command -Name (Get-Item \"env:WYARD_NAME_$i\").Value \
             -ErrorAction SilentlyContinue | Select-Object -First 1; & $say ([string]$c.CommandType + '|' + $c.Path) }}; \
             '{marker}'",
            question.commands.len()
        );
        command.args(["-NoLogo", "-NonInteractive", "-Command", &script]);
    }
    Ok(command)
}

/// What a shell has said: its variables, then an answer to each name it was asked for.
#[derive(Debug, PartialEq, Eq)]
struct Lines {
    variables: Vec<String>,
    answers: Vec<String>,
}

impl Lines {
    fn of(text: &str, marker: &str) -> Option<Self> {
        let lines: Vec<&str> = text.lines().map(|l| l.trim_end_matches('\r')).collect();
        let marks: Vec<usize> = (0..lines.len()).filter(|i| lines[*i].trim_end() == marker).collect();
        let [begin, middle, end] = marks[..] else { return None };
        let between = |from: usize, to: usize| lines[from + 1..to].iter().map(ToString::to_string).collect();
        Some(Self { variables: between(begin, middle), answers: between(middle, end) })
    }

    /// Those of PowerShell: each as it is behind `=`, or as the numbers of its UTF-16 units behind `#`.
    fn plain(&self) -> Self {
        let one = |line: &String| {
            let Some(numbers) = line.strip_prefix('#') else { return line.strip_prefix('=').map(str::to_owned) };
            let bytes = hex::decode(numbers).ok()?;
            let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_be_bytes([pair[0], pair[1]])).collect();
            Some(String::from_utf16_lossy(&units))
        };
        let all = |lines: &[String]| lines.iter().filter_map(one).collect();
        Self { variables: all(&self.variables), answers: all(&self.answers) }
    }

    fn environment(&self) -> Environment {
        Environment::with(System::Windows, self.variables.iter().filter_map(|line| line.split_once('=')))
    }
}

fn said(
    environment: Environment,
    meanings: BTreeMap<String, Meaning>,
    question: Question<'_>,
    home: &Path,
) -> ShellReply {
    let variable = |name: &String| Some((name.clone(), environment.get(name)?.to_owned()));
    let variables = question.variables.iter().filter_map(variable).collect();
    let context = LookupContext::of(&environment, home);
    ShellReply {
        context,
        meanings,
        variables,
        environment,
        terminal: None,
        watch: Watch::default(),
        before_prompt: None,
        script_host: None,
    }
}

fn from_cmd(
    lines: &Lines,
    files: &[(usize, String)],
    macros: &[String],
    question: Question<'_>,
    home: &Path,
) -> ShellReply {
    let environment = lines.environment();
    let context = LookupContext::of(&environment, home);
    let answers: Vec<&str> = lines.answers.iter().filter_map(|line| line.strip_prefix('=')).collect();
    let meaning = |(index, name): (usize, &String)| {
        let asked = files.iter().zip(&answers).filter(|((i, _), _)| *i == index).map(|((_, f), a)| (f.as_str(), *a));
        let is_macro = macros.iter().any(|one| one.eq_ignore_ascii_case(name));
        let meaning =
            if is_macro { Meaning { kind: Kind::Alias, file: None } } else { meaning_in_cmd(name, &context, asked) };
        (name.clone(), meaning)
    };
    let meanings = question.commands.iter().enumerate().map(meaning).collect();
    said(environment, meanings, question, home)
}

fn from_powershell(lines: &Lines, program: &Path, question: Question<'_>, home: &Path) -> ShellReply {
    let meanings = question.commands.iter().zip(&lines.answers);
    let meanings = meanings.map(|(name, answer)| (name.clone(), meaning_in_powershell(answer))).collect();
    let policy =
        lines.environment().get(POLICY).map(|policy| policy.to_string_lossy().into_owned()).unwrap_or_default();
    let script_host = Some(ScriptHost { program: program.to_owned(), policy });
    ShellReply { script_host, ..said(lines.environment(), meanings, question, home) }
}

/// The names of a console's macros, each listed as `NAME=TEXT` (doskey, "/macros").
fn macro_names(listed: &str) -> Vec<String> {
    listed.lines().filter_map(|line| line.split_once('=')).map(|(name, _)| name.trim().to_owned()).collect()
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
fn meaning_in_cmd<'a>(name: &str, context: &LookupContext, asked: impl Iterator<Item = (&'a str, &'a str)>) -> Meaning {
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
fn meaning_in_powershell(answer: &str) -> Meaning {
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
        assert_eq!(meaning_in_powershell("Alias|"), Meaning { kind: Kind::Alias, file: None });
        let file = Some(PathBuf::from("C:\\a\\t.exe"));
        assert_eq!(meaning_in_powershell("Application|C:\\a\\t.exe"), Meaning { kind: Kind::File, file: file.clone() });
        assert_eq!(meaning_in_powershell("|"), Meaning { kind: Kind::None, file: None });
        let context = LookupContext::new(System::Windows);
        let asked = [("t.com", ""), ("t.exe", "C:\\a\\t.exe")];
        assert_eq!(meaning_in_cmd("t", &context, asked.into_iter()), Meaning { kind: Kind::File, file });
        assert_eq!(meaning_in_cmd("DIR", &context, asked.into_iter()).kind, Kind::Builtin);
        let lines = Lines::of("x\nM\n=a=1\n#006300e4003d00fc\nM\r\n=Alias|\nM \n", "M").unwrap().plain();
        let owned = |texts: &[&str]| texts.iter().map(ToString::to_string).collect::<Vec<_>>();
        assert_eq!(lines, Lines { variables: owned(&["a=1", "cä=ü"]), answers: owned(&["Alias|"]) });
        assert_eq!(Lines::of("M\nM\n", "M"), None);
        let told = Lines { variables: owned(&["WYARD_POLICY=Restricted", "A=1"]), answers: owned(&["|"]) };
        let (question, shell) = (Question { commands: &owned(&["t"]), variables: &[] }, Path::new("C:\\p.exe"));
        let host = from_powershell(&told, shell, question, Path::new("C:\\h")).script_host.unwrap();
        assert_eq!((&*host.program, host.policy.as_str()), (shell, "Restricted"));
        let (name, macros) = (owned(&["Tide"]), macro_names("ls=dir $*\r\ntide=echo a=b\r\n"));
        let question = Question { commands: &name, variables: &[] };
        let said = from_cmd(&Lines { variables: vec![], answers: vec![] }, &[], &macros, question, Path::new("C:\\h"));
        assert_eq!(said.meaning("Tide").kind, Kind::Alias);
        let wide: Vec<u8> = "a=ä\r\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
        assert_eq!((decode(&wide).as_str(), decode(b"plain").as_str()), ("a=ä\r\n", "plain"));
    }
}
