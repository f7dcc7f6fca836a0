//! The trace: what a command name means to each caller, in this terminal and in a new one, and what else it could mean.

mod nearest;
mod report;

use std::cell::OnceCell;
use std::ffi::OsString;
use std::path::{Path, PathBuf};

pub use report::{CallerTrace, CandidateTrace, CommandTrace, TerminalKind, TraceReport};

use crate::check;
use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::os;
use crate::path;
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Kind, Shell, Standing, Surroundings, same_file};
use crate::store::StartupFolders;
use crate::system::System;
use crate::terminal::{self, Answer, Asking, ElevatedPath, Origin, Question, Said, Way};
use crate::yard::{Settings, Yard};

/// What to trace.
#[derive(Debug, Clone, Default)]
pub struct TraceRequest {
    /// The names.
    pub names: Vec<String>,
    /// Only this caller.
    pub caller: Option<Caller>,
    /// Only this terminal.
    pub terminal: Option<TerminalKind>,
    /// Whether to ask each candidate for its version.
    pub versions: bool,
}

/// Traces the names. Shells that give no answer in a new terminal are told in a finding.
#[must_use]
pub fn trace(machine: &Machine, settings: &Settings, request: &TraceRequest, stop: &Stop) -> TraceReport {
    let wanted = |caller: Caller| request.caller.is_none_or(|only| only == caller);
    let mut shells = terminal::installed(machine, &settings.shells);
    let callers: Vec<Caller> = Caller::ALL
        .into_iter()
        .filter(|c| {
            let is_here = c.shell().is_none_or(|s| shells.iter().any(|i| i.shell == s));
            wanted(*c) && c.system() == os::HERE && is_here && *c != Caller::Elevated
        })
        .collect();
    let this = request.terminal != Some(TerminalKind::New);
    let new = request.terminal != Some(TerminalKind::This);
    // What a program started in a new terminal finds is predicted from the PATH of a login shell.
    if !wanted(Caller::program(os::HERE)) && !wanted(Caller::Elevated) {
        shells.retain(|s| wanted(Caller::from(s.shell)));
    }
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let answers =
        if new { asking.everywhere(Question { commands: &request.names, variables: &[] }) } else { Vec::new() };
    let here = Surroundings::of(&machine.environment, &std::env::current_dir().unwrap_or_default());
    let mut origins = Origins { asking: &asking, folders: OnceCell::new(), known: Vec::new() };
    let mut commands = Vec::new();
    for (index, name) in request.names.iter().enumerate() {
        let mut traced: Vec<CallerTrace> = Vec::new();
        let ours = own_files(machine, name);
        if new {
            let of_shells = answers.iter().filter(|a| wanted(Caller::from(a.shell)));
            of_shells.for_each(|answer| add_answer(&mut traced, answer, (name, index), &ours, &mut origins));
            if let Some(answer) = login_answer(&answers) {
                traced.extend(programs(machine, name, answer, &wanted, &mut origins));
            }
        }
        if this {
            traced.extend(callers.iter().map(|c| predicted(*c, name, &here, TerminalKind::This)));
        }
        tell_stale(&mut traced, name);
        traced.sort_by_key(|t| (std::cmp::Reverse(t.terminal), t.caller));
        let mut command = CommandTrace { name: name.clone(), callers: traced, nearest: Vec::new() };
        if !command.is_answered() {
            let paths = answers.iter().filter_map(|a| a.said.as_ref().ok()).map(|said| &said.around);
            command.nearest = nearest::nearest(name, paths.chain([&here]));
        }
        commands.push(command);
    }
    if request.versions {
        ask_versions(machine, &mut commands, stop);
    }
    TraceReport { format: 1, report: "trace", commands }
}

/// The answer that stands for what is started in a new terminal: that of a login shell, where there is one.
fn login_answer(answers: &[Answer]) -> Option<&Answer> {
    answers.iter().filter(|a| a.way == Way::LoginCommand).chain(answers).find(|a| a.said.is_ok())
}

/// Adds what a shell said, with other ways of starting it where they give the same.
fn add_answer(
    traced: &mut Vec<CallerTrace>,
    answer: &Answer,
    (name, index): (&str, usize),
    ours: &[PathBuf],
    origins: &mut Origins<'_>,
) {
    let mut one = match &answer.said {
        Ok(said) => {
            let mut one = proved(Caller::from(answer.shell), name, index, said);
            tell_losing(ours, &mut one, name, answer.shell, said);
            one
        }
        Err(_) => unproved(Caller::from(answer.shell), answer.way),
    };
    let bare = |t: &CallerTrace| -> Vec<_> { t.candidates.iter().map(|c| (c.path.clone(), c.standing)).collect() };
    let like = |t: &&mut CallerTrace| {
        t.terminal == TerminalKind::New
            && (t.caller, t.kind, &t.winner) == (one.caller, one.kind, &one.winner)
            && (bare(t), &t.findings) == (bare(&one), &one.findings)
    };
    match traced.iter_mut().find(like) {
        Some(earlier) if earlier.ways.contains(&answer.way) => {}
        Some(earlier) => earlier.ways.push(answer.way),
        None => {
            one.ways = vec![answer.way];
            if let Ok(said) = &answer.said {
                origins.put_in(&mut one, answer, said);
            }
            traced.push(one);
        }
    }
}

/// What programs find that are started in a new terminal, also with an administrator's rights.
fn programs(
    machine: &Machine,
    name: &str,
    answer: &Answer,
    wanted: &dyn Fn(Caller) -> bool,
    origins: &mut Origins<'_>,
) -> Vec<CallerTrace> {
    let mut traced = Vec::new();
    let Ok(said) = &answer.said else { return traced };
    let program = Caller::program(os::HERE);
    let asked_for = !wanted(program);
    if wanted(program) {
        let mut one = predicted(program, name, &said.around, TerminalKind::New);
        origins.put_in(&mut one, answer, said);
        traced.push(one);
    }
    if os::HERE == System::Windows || !wanted(Caller::Elevated) {
        return traced;
    }
    let around = match terminal::elevated_path(machine.sandbox.as_deref().unwrap_or(Path::new("/"))) {
        Some(ElevatedPath::Own(path)) => Surroundings { path, ..said.around.clone() },
        Some(ElevatedPath::Kept) => said.around.clone(),
        Some(ElevatedPath::Unknown) => {
            let mut unknown = unanswered(Caller::Elevated, Vec::new());
            let seen =
                "which folders a command run with an administrator's rights searches, only an administrator may read";
            unknown.findings.push(Finding::new(Code::ElevatedUnknown, seen));
            traced.push(unknown);
            return traced;
        }
        None if asked_for => {
            let mut unknown = unanswered(Caller::Elevated, Vec::new());
            let seen = "no rules are here that say which folders are searched with an administrator's rights";
            unknown.findings.push(Finding::new(Code::ElevatedUnknown, seen));
            traced.push(unknown);
            return traced;
        }
        None => return traced,
    };
    let mut one = predicted(Caller::Elevated, name, &around, TerminalKind::New);
    let usual = resolve::candidates(program, name, &said.around, &Disk);
    if let (Some(theirs), Some(usual)) = (&one.winner, resolve::winner(&usual))
        && !same_file(theirs, usual)
    {
        let seen =
            format!("with an administrator's rights {name} is {}, and not {}", theirs.display(), usual.display());
        let remedy = format!("name the file with its folder where that matters: {}", usual.display());
        one.findings.push(Finding::new(Code::ElevatedDiffers, seen).remedy(remedy));
    } else if let (None, Some(usual)) = (&one.winner, resolve::winner(&usual)) {
        let seen = format!("with an administrator's rights {name} is not found: its own list of folders is searched");
        let remedy = format!("name the file with its folder: {}", usual.display());
        one.findings.push(Finding::new(Code::ElevatedDiffers, seen).remedy(remedy));
    }
    traced.push(one);
    traced
}

/// What put the entries of PATH there, found out once for each shell and PATH.
struct Origins<'a> {
    asking: &'a Asking<'a>,
    folders: OnceCell<StartupFolders>,
    known: Vec<(Shell, OsString, Vec<Option<Origin>>)>,
}

impl Origins<'_> {
    fn put_in(&mut self, traced: &mut CallerTrace, answer: &Answer, said: &Said) {
        if traced.candidates.is_empty() {
            return;
        }
        let value = &said.around.path;
        let at = self.known.iter().position(|(shell, known, _)| (*shell, known) == (answer.shell, value));
        let at = at.unwrap_or_else(|| {
            if os::HERE == System::Windows {
                let origins = path::registry_origins(self.asking.machine, &value.to_string_lossy());
                self.known.push((answer.shell, value.clone(), origins));
                return self.known.len() - 1;
            }
            let shell = self.asking.shells.iter().find(|shell| shell.shell == answer.shell);
            let origins =
                shell.map(|shell| self.asking.origins(shell, (answer.way, &answer.base), value, &self.folders));
            self.known.push((answer.shell, value.clone(), origins.unwrap_or_default()));
            self.known.len() - 1
        });
        let origins = &self.known[at].2;
        for candidate in &mut traced.candidates {
            candidate.origin = candidate.entry_index.and_then(|index| origins.get(index)?.clone());
        }
    }
}

/// Tells of a command of ours that another copy comes before, and of the smallest change that mends it.
fn tell_losing(ours: &[PathBuf], one: &mut CallerTrace, name: &str, shell: Shell, said: &Said) {
    let is_ours = |path: &Path| ours.iter().any(|ours| same_file(path, ours));
    let Some(winner) = one.winner.clone().filter(|winner| !ours.is_empty() && !is_ours(winner)) else { return };
    if let Some(undone) = ours.iter().find_map(|ours| said.undone_at_prompt(shell, name, ours, Some(&winner))) {
        one.findings.push(undone);
        return;
    }
    let finding = Finding::new(Code::Shadowed, format!("{name} is {}, before the one in the yard", winner.display()));
    one.findings.push(match ours.iter().find_map(|ours| path::mend(name, ours, &said.around)) {
        Some(remedy) => finding.remedy(remedy),
        None => finding,
    });
}

/// The files in the yard that a name means when its tools are in service and registered.
fn own_files(machine: &Machine, name: &str) -> Vec<PathBuf> {
    let yard = Yard::of(machine);
    let mut cards = yard.in_service().unwrap_or_default();
    cards.retain(|card| card.registration.is_some());
    let files = cards.iter().flat_map(|card| {
        let home = yard.home_of(card);
        card.commands.iter().filter(|c| c.name == name).map(move |c| home.join(&c.path))
    });
    files.collect()
}

/// Asks each candidate that could run for its version, once for each file.
fn ask_versions(machine: &Machine, commands: &mut [CommandTrace], stop: &Stop) {
    let runs = |c: &CandidateTrace| c.standing != Standing::Skipped;
    let mut programs: Vec<(String, PathBuf)> = Vec::new();
    for command in &*commands {
        for candidate in command.callers.iter().flat_map(|t| &t.candidates).filter(|c| runs(c)) {
            let one = (command.name.clone(), PathBuf::from(&candidate.path));
            if !programs.iter().any(|(_, path)| *path == one.1) {
                programs.push(one);
            }
        }
    }
    let versions = check::versions(&programs, &machine.environment, stop);
    for candidate in commands.iter_mut().flat_map(|c| &mut c.callers).flat_map(|t| &mut t.candidates) {
        let at = programs.iter().position(|(_, path)| *path == Path::new(&candidate.path));
        candidate.version = at.filter(|_| runs(candidate)).and_then(|at| versions[at].clone());
    }
}

fn predicted(caller: Caller, name: &str, around: &Surroundings, terminal: TerminalKind) -> CallerTrace {
    let candidates = resolve::candidates(caller, name, around, &Disk);
    let winner = resolve::winner(&candidates).map(Path::to_owned);
    let alias = candidates.iter().find(|c| c.standing == Standing::Winner && c.app_alias);
    let findings = alias.map(|alias| app_alias(name, &alias.path)).into_iter().collect();
    let found = if winner.is_some() { Kind::File } else { Kind::None };
    let kind = resolve::own_answer(caller, name).unwrap_or(found);
    let winner = winner.filter(|_| kind == Kind::File);
    let candidates = CandidateTrace::list(&candidates);
    CallerTrace { caller, terminal, ways: Vec::new(), proved: false, winner, kind, candidates, findings }
}

fn proved(caller: Caller, name: &str, index: usize, said: &Said) -> CallerTrace {
    let meaning = &said.meanings[index];
    let mut traced = predicted(caller, name, &said.around, TerminalKind::New);
    traced.proved = true;
    traced.kind = meaning.kind;
    // A name with a folder in it is no question of PATH, and some shells search it all the same when they are asked.
    if name.contains('/') && os::HERE == System::Unix {
        return traced;
    }
    // The shell has the last word on which file it runs.
    let theirs = meaning.file.clone().filter(|_| meaning.kind == Kind::File);
    if let Some(theirs) =
        theirs.as_ref().filter(|file| traced.winner.as_ref().is_some_and(|ours| !same_file(ours, file)))
    {
        let seen = format!("{} remembers {} for {name}, which PATH would not lead to", caller.name(), theirs.display());
        let remedy = "look in its startup files for a line with 'hash' that names the command";
        traced.findings.push(Finding::new(Code::RememberedPlace, seen).remedy(remedy));
    }
    traced.winner = theirs;
    traced
}

/// Tells what an app-execution alias is.
fn app_alias(name: &str, alias: &Path) -> Finding {
    let seen =
        format!("{name} is an app-execution alias, which starts an installed app or the store: {}", alias.display());
    Finding::new(Code::AppAlias, seen).remedy("switch it off in the system's settings, under app execution aliases")
}

fn unproved(caller: Caller, way: Way) -> CallerTrace {
    let seen = format!("a new {} terminal of {} gave no answer", way.name(), caller.name());
    let mut traced = unanswered(caller, vec![way]);
    traced.findings.push(Finding::new(Code::NoTerminalAnswer, seen));
    traced
}

fn unanswered(caller: Caller, ways: Vec<Way>) -> CallerTrace {
    CallerTrace {
        caller,
        terminal: TerminalKind::New,
        ways,
        proved: false,
        winner: None,
        kind: Kind::None,
        candidates: Vec::new(),
        findings: Vec::new(),
    }
}

/// Marks this terminal's answers that a new one would not give.
fn tell_stale(traced: &mut [CallerTrace], name: &str) {
    let fresh: Vec<(Caller, Kind, Option<PathBuf>)> = traced
        .iter()
        .filter(|t| t.terminal == TerminalKind::New && t.findings.iter().all(|f| f.code != Code::NoTerminalAnswer))
        .map(|t| (t.caller, t.kind, t.winner.clone()))
        .collect();
    for here in traced.iter_mut().filter(|t| t.terminal == TerminalKind::This) {
        let mut of_caller = fresh.iter().filter(|(caller, ..)| *caller == here.caller).peekable();
        // What aliases and functions this terminal has, only its own shell could tell.
        let differs = |(_, kind, winner): &(Caller, Kind, Option<PathBuf>)| {
            !matches!(kind, Kind::Alias | Kind::Function) && (*kind, winner) != (here.kind, &here.winner)
        };
        if of_caller.peek().is_some() && of_caller.all(differs) {
            let finding =
                Finding::new(Code::StaleTerminal, format!("this terminal and a new one disagree about {name}"))
                    .remedy("open a new terminal, or bring this one up to date: wyard catch-up SHELL");
            here.findings.push(finding);
        }
    }
}
