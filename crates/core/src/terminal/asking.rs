//! Starting shells and asking them.

use std::ffi::OsString;
use std::io;
use std::path::PathBuf;
use std::sync::Mutex;
use std::time::Duration;

use super::answer::{Again, Answer, Later, NoAnswer, Question, ShellReply, last_line};
use super::base::base_environments;
use super::evidence::Evidence;
use super::installed::InstalledShell;
use super::marker::marker;
use super::startup_texts::{StartupText, startup_texts};
use super::typed::Typed;
use super::{at_prompt, hidden, idle, multiplexers, question, windows, windows_shells};
use crate::environment::Environment;
use crate::folders::files_in;
use crate::machine::Machine;
use crate::process::{self, Line, Outcome, SealLevel, SealOptions, Sealer, Typing};
use crate::progress::Stop;
use crate::resolve::Shell;
use crate::shells::{StartMode, StartupFolders, UnixRules, unix_rules};
use crate::system::System;
use crate::whole_file;
use crate::yard::Yard;

/// What a name adds to the limit: a shell looks through all of PATH for it, on a busy machine.
const FOR_EACH_NAME: Duration = Duration::from_millis(50);

#[derive(Debug, Clone)]
pub struct Asking<'a> {
    pub machine: &'a Machine,
    pub shells: &'a [InstalledShell],
    pub limit: Duration,
    pub stop: &'a Stop,
    pub sealer: &'a Sealer,
    /// Whether the user wants shells asked that leave traces here.
    pub unsealed: bool,
    /// Whether the questions and raw answers are kept.
    pub keeps_evidence: bool,
    /// This program, for shells to start: it says in which context.
    pub own: Option<PathBuf>,
    /// Where startup files are, once these shells were asked.
    pub startup: Option<&'a Mutex<Option<StartupFolders>>>,
}

/// What shells start with, and the startup files that they may read then.
pub(super) struct Base {
    environment: Environment,
    texts: Vec<StartupText>,
    pub options: SealOptions,
}

/// How many shells are started at a time: they wait more than they work.
const AT_A_TIME: usize = 12;

impl Asking<'_> {
    /// Starts every shell in every way, in every environment a new terminal may have, and asks.
    pub fn everywhere(&self, question: Question<'_>) -> Vec<Answer> {
        let bases: Vec<_> = base_environments(self.machine).into_iter().map(|base| self.base(base)).collect();
        let mut starts = Vec::new();
        for shell in self.shells {
            for &mode in StartMode::of(shell.shell) {
                starts.extend(bases.iter().map(|base| (shell, mode, base)));
            }
        }
        // What takes longest begins first; the answers come in the order of the shells.
        let mut order: Vec<usize> = (0..starts.len()).collect();
        order.sort_by_key(|at| (starts[*at].0.shell != Shell::Fish, starts[*at].1 == StartMode::LoginCommand));
        let asked = self.ready(question);
        let mut answers = process::side_by_side(&order, AT_A_TIME, |at| {
            let (shell, mode, base) = starts[*at];
            (*at, self.ask(shell, mode, base, question, &asked))
        });
        answers.sort_by_key(|(at, _)| *at);
        answers.into_iter().map(|(_, answer)| answer).collect()
    }

    pub fn one(&self, shell: &InstalledShell, mode: StartMode, base: &Environment, question: Question<'_>) -> Answer {
        self.ask(shell, mode, &self.base(base.clone()), question, &self.ready(question))
    }

    /// Reads the startup files that shells read which begin with these variables.
    pub(super) fn base(&self, environment: Environment) -> Base {
        let mut options = SealOptions::of_terminal();
        if self.machine.system() == System::Windows {
            return Base { environment, texts: Vec::new(), options };
        }
        let texts = startup_texts(&self.machine.home, &environment);
        for text in &texts {
            options.name_places_of(&text.text);
        }
        for file in files_in(&Yard::at(&self.machine.yard).terminal()) {
            options.name_places_of(&String::from_utf8_lossy(&whole_file::read(&file).unwrap_or_default()));
        }
        Base { environment, texts, options }
    }

    /// Writes a question down for the first time that it is typed in a terminal, and for the second.
    fn ready(&self, question: Question<'_>) -> io::Result<[Typed; 2]> {
        let write = || Typed::write(marker(), question, self.own.as_deref());
        Ok([write()?, write()?])
    }

    fn ask(
        &self,
        shell: &InstalledShell,
        mode: StartMode,
        base: &Base,
        question: Question<'_>,
        asked: &io::Result<[Typed; 2]>,
    ) -> Answer {
        let level = self.sealer.level();
        let Base { environment, texts, .. } = base;
        let mut answer = Answer {
            shell: shell.shell,
            mode,
            base: environment.clone(),
            said: Err(NoAnswer::NotAsked(level)),
            later: Vec::new(),
            taken: false,
            seal: level,
            doubt: None,
            took: Duration::ZERO,
            evidence: None,
        };
        let outcome = match unix_rules(shell.shell) {
            None => {
                (answer.said, answer.took) = self.on_windows(shell, environment, question);
                return answer;
            }
            Some(rules) if level == SealLevel::None && !self.unsealed && !rules.harmless.contains(&mode) => {
                return answer;
            }
            Some(rules) if mode == StartMode::LoginCommand => {
                let (said, outcome);
                (said, outcome, answer.evidence) = self.by_argument((shell, rules), mode, base, question);
                answer.said = said.ok_or(NoAnswer::Interrupted);
                outcome
            }
            Some(rules) => {
                let shared = multiplexers::shared(environment, texts);
                let outcome = match asked {
                    Ok(asked) => self.by_typing(&mut answer, (shell, rules), (base, &shared), question, asked),
                    Err(e) => Outcome::not_started(io::Error::new(e.kind(), e.to_string()), Duration::ZERO),
                };
                let ran = matches!(outcome.ending, process::Ending::Exited(_) | process::Ending::TimedOut);
                if answer.said.is_err() && ran {
                    answer.said = self.by_argument((shell, rules), mode, base, question).0.ok_or(NoAnswer::Interrupted);
                    answer.taken = answer.said.is_ok();
                }
                if let Ok(said) = &mut answer.said
                    && texts.iter().any(|text| at_prompt::mentions_hook(&text.text))
                {
                    let before = self.before_prompt((shell, rules), mode, base);
                    said.before_prompt = before.filter(|path| *path != said.context.path);
                }
                outcome
            }
        };
        answer.took = outcome.took;
        if answer.seal == SealLevel::NoWrites {
            answer.doubt = doubt(shell.shell, &outcome);
        }
        let knows_context = answer.said.as_ref().is_ok_and(|said| said.terminal.is_some());
        if answer.said.is_ok() && self.own.is_some() && !knows_context {
            answer.doubt = Some(format!(
                "wyard itself cannot start in {}; check the limits set there (ulimit)",
                shell.shell.name()
            ));
        }
        let is_hidden = || hidden::condition(texts, level, question.commands);
        answer.doubt = answer.doubt.or_else(|| too_large(&outcome)).or_else(is_hidden);
        if answer.said.is_err() {
            answer.said = Err(NoAnswer::of_ending(&outcome));
        }
        answer
    }

    fn on_windows(
        &self,
        shell: &InstalledShell,
        environment: &Environment,
        question: Question<'_>,
    ) -> (Result<ShellReply, NoAnswer>, Duration) {
        let (marker, home, limit) = (marker(), &self.machine.home, self.limit(question));
        let (mut said, took) = windows_shells::ask(shell, &marker, environment, question, home, limit, self.stop);
        if let Ok(said) = &mut said {
            said.context.of_system = windows::of_system(&said.context.folders(), self.machine);
        }
        (said, took)
    }

    /// How long a start may take, with the answer.
    fn limit(&self, question: Question<'_>) -> Duration {
        let names = u32::try_from(question.commands.len()).unwrap_or(u32::MAX);
        self.limit + FOR_EACH_NAME * names
    }

    /// Has the shell do what the question says.
    fn by_argument(
        &self,
        (shell, rules): (&InstalledShell, &UnixRules),
        mode: StartMode,
        base: &Base,
        question: Question<'_>,
    ) -> (Option<ShellReply>, Outcome, Option<Box<Evidence>>) {
        let marker = marker();
        let text = question::text(rules, mode, &marker, question, self.own.as_deref());
        let start = self.for_text(shell, mode, &base.environment, &text);
        let outcome = self.sealer.run(&start, base.options.clone(), self.limit(question), self.stop);
        let of = (shell, mode, self.sealer.level());
        let evidence = self.keeps_evidence.then(|| Box::new(Evidence::argument(of, &start, text, &outcome)));
        (question::parse(rules, &marker, &outcome.stdout, question, &self.machine.home), outcome, evidence)
    }

    /// PATH at a terminal, of a shell that comes to no prompt there.
    fn before_prompt(
        &self,
        (shell, rules): (&InstalledShell, &UnixRules),
        mode: StartMode,
        base: &Base,
    ) -> Option<OsString> {
        let (marker, question) = (marker(), Question::default());
        let text = question::text(rules, mode, &marker, question, self.own.as_deref());
        let start = self.for_text(shell, mode, &base.environment, &text);
        let parse = |output: &[u8]| question::parse(rules, &marker, output, question, &self.machine.home);
        // Whatever reads gets an empty line.
        let is_answered = |output: &[u8], _| parse(output).is_some();
        let next = |answered, _: &[u8]| (answered == 0).then(|| Line::from(String::new()));
        let typing = Typing { next: &next, is_answered: &is_answered, is_begun: &|_, _| false, ahead: true };
        let outcome = self.sealer.run_typed(&start, typing, base.options.clone(), self.limit, self.stop);
        parse(&outcome.stdout).map(|said| said.context.path)
    }

    /// Types the question at its prompt; once more where something may have changed since, and in a second terminal where the
    /// first has left something behind.
    fn by_typing(
        &self,
        answer: &mut Answer,
        (shell, rules): (&InstalledShell, &UnixRules),
        (base, environment): (&Base, &Environment),
        question: Question<'_>,
        asked: &[Typed; 2],
    ) -> Outcome {
        let texts = &base.texts;
        let start = self.at_terminal(shell, answer.mode, environment);
        let parse = |at: usize, output: &[u8]| asked[at].parse(rules, output, question, &self.machine.home);
        let has_hooks = texts.iter().any(|text| at_prompt::mentions_hook(&text.text));
        let line = |at: usize, after| Line { text: asked[at].line(rules), after };
        let next = |answered: usize, output: &[u8]| match answered {
            0 => Some(line(0, Duration::ZERO)),
            1 => {
                let defers = parse(0, output).is_some_and(|said| said.watch.defers);
                let idle = if defers { idle::idle(texts)? } else { Duration::ZERO };
                (defers || has_hooks).then(|| line(1, idle))
            }
            _ => None,
        };
        let typing = Typing {
            next: &next,
            is_answered: &|output, count| asked[count - 1].is_answered(rules, output),
            is_begun: &|output, count| asked[count - 1].is_begun(rules, output),
            ahead: rules.typed_ahead,
        };
        let limit = self.limit(question) + idle::idle(texts).unwrap_or_default();
        let outcome = self.sealer.run_typed(&start, typing, base.options.clone(), limit, self.stop);
        if self.keeps_evidence {
            let of = (shell, answer.mode, self.sealer.level());
            let typed = (&*asked[0].line(rules), asked[0].text(rules));
            answer.evidence = Some(Box::new(Evidence::typed(of, &start, typed, &outcome)));
        }
        answer.said = parse(0, &outcome.stdout).ok_or(NoAnswer::Interrupted);
        let Ok(said) = &answer.said else { return outcome };
        if next(1, &outcome.stdout).is_some() {
            let said = parse(1, &outcome.stdout).ok_or_else(|| NoAnswer::of_ending(&outcome));
            answer.later.push(Later { when: Again::NextPrompt, said });
        } else if said.watch.defers {
            let seen = "a startup file schedules work long after the first prompt";
            answer.doubt = Some(seen.to_owned());
        } else if said.watch.resizes {
            answer.doubt =
                Some("a startup file changes commands when the window is resized (a trap on WINCH)".to_owned());
        }
        if let Some(second) = &outcome.second {
            let said = parse(0, second).ok_or_else(|| NoAnswer::Ended(last_line(second)));
            answer.later.push(Later { when: Again::SecondTerminal, said });
        }
        outcome
    }
}

/// Why an answer is uncertain where something could not be written in a layer (overlayfs.rst, `EOVERFLOW`): to a shell outside
/// of a seal it would have been.
fn too_large(outcome: &Outcome) -> Option<String> {
    const FAILURE: &str = "Value too large for defined data type";
    let said = String::from_utf8_lossy(&outcome.stdout).into_owned();
    said.contains(FAILURE).then(|| "a startup file could not write in a folder that belongs to others".to_owned())
}

/// Why an answer given where nothing could be written may be wrong: the plain shell, ksh and fish take other ways then, and
/// startup files may write what they read again.
fn doubt(shell: Shell, outcome: &Outcome) -> Option<String> {
    const FAILURES: [&str; 5] =
        ["Permission denied", "Read-only file system", "Operation not permitted", "could not create", "cannot create"];
    if unix_rules(shell).is_some_and(|rules| rules.needs_to_write) {
        return Some(format!("{} may answer differently without write access", shell.name()));
    }
    let said = [&outcome.stdout[..], b"\n", &outcome.stderr].concat();
    let said = String::from_utf8_lossy(&said);
    let line = said.lines().find(|line| FAILURES.iter().any(|failure| line.contains(failure)))?;
    let line: String = line.chars().filter(|c| !c.is_control()).take(120).collect();
    Some(format!("a startup file could not write: {}", line.trim()))
}
