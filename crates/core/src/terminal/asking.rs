//! Starting shells and asking them.

use std::path::PathBuf;
use std::process::Command;
use std::time::Duration;

use super::answer::{Answer, NoAnswer, Question, last_line};
use super::base::base_environments;
use super::on_terminal::{self, AskedAt};
use super::quoting::marker;
use super::shells::InstalledShell;
use super::start_mode::StartMode;
use super::{at_prompt, question, windows};
use crate::environment::Environment;
use crate::machine::Machine;
use crate::os;
use crate::process::{self, Ending, Outcome};
use crate::progress::Stop;
use crate::resolve::Shell;
use crate::system::System;

/// Settings of the asking.
#[derive(Debug, Clone)]
pub struct Asking<'a> {
    /// The machine.
    pub machine: &'a Machine,
    /// The shells to start.
    pub shells: &'a [InstalledShell],
    /// How long one start may take.
    pub limit: Duration,
    /// The user's wish to end.
    pub stop: &'a Stop,
}

/// How many shells are started at a time: they wait more than they work.
const AT_A_TIME: usize = 6;

impl Asking<'_> {
    /// Starts every shell in every way, in every environment a new terminal may have, and asks.
    #[must_use]
    pub fn everywhere(&self, question: Question<'_>) -> Vec<Answer> {
        let bases = base_environments(self.machine);
        let mut starts = Vec::new();
        for shell in self.shells {
            for &mode in StartMode::of(shell.shell) {
                starts.extend(bases.iter().map(|base| (shell, mode, base)));
            }
        }
        process::side_by_side(&starts, AT_A_TIME, |(shell, mode, base)| self.one(shell, *mode, base, question))
    }

    /// Starts one shell in one way and asks.
    #[must_use]
    pub fn one(&self, shell: &InstalledShell, mode: StartMode, base: &Environment, question: Question<'_>) -> Answer {
        let marker = marker();
        if shell.shell.system() == System::Windows {
            let (said, took) = windows::ask(shell, &marker, base, question, &self.machine.home, self.limit, self.stop);
            return Answer { shell: shell.shell, mode, base: base.clone(), said, taken: false, took };
        }
        let asked = question::text(shell.shell, mode, &marker, question);
        let text = if mode == StartMode::LoginCommand {
            asked.clone()
        } else {
            // Of several names any: what a hook does with the line is seldom more than to show it.
            let line = question.commands.first().map_or("", String::as_str);
            at_prompt::text(shell.shell, &marker, line) + &asked
        };
        let parse =
            |outcome: &Outcome| question::parse(shell.shell, &marker, &outcome.stdout, question, &self.machine.home);
        let outcome = process::run(self.shell_command(shell, mode, base, &text), self.limit, self.stop);
        let (mut said, mut taken) = (parse(&outcome), false);
        if mode != StartMode::LoginCommand
            && let Some(place) = on_terminal::wanted(shell.shell, base, &self.machine.home)
        {
            let again = match place {
                AskedAt::Terminal => {
                    let command = on_terminal::prepared(self.shell_command(shell, mode, base, &text));
                    process::run_on_terminal(command, self.limit, self.stop)
                }
                AskedAt::Prompt => {
                    let command = self.in_terminal(on_terminal::reading(shell, mode), base);
                    process::run_fed(command, &on_terminal::fed(&asked), self.limit, self.stop)
                }
            };
            let mut there = parse(&again);
            if let (Some(there), Some(here)) = (&mut there, &said)
                && there.context.path == here.context.path
            {
                there.before_prompt = here.before_prompt.clone();
            }
            let ran = matches!(again.ending, Ending::Exited(_) | Ending::TimedOut);
            taken = there.is_none() && said.is_some() && ran;
            said = there.or(said);
        }
        let said = said.ok_or_else(|| match outcome.ending {
            Ending::TimedOut => NoAnswer::TimedOut,
            Ending::Interrupted => NoAnswer::Interrupted,
            Ending::NotStarted(e) => NoAnswer::NotStarted(e.to_string()),
            Ending::Exited(_) => NoAnswer::Ended(last_line(&outcome.stderr)),
        });
        Answer { shell: shell.shell, mode, base: base.clone(), said, taken, took: outcome.took }
    }

    /// The command that starts a shell of Unix in one way, to do what the text says.
    pub(super) fn shell_command(
        &self,
        shell: &InstalledShell,
        mode: StartMode,
        base: &Environment,
        text: &str,
    ) -> Command {
        let mut command = Command::new(&shell.program);
        match (shell.shell, mode) {
            // A shell told to be a login shell by the dash before its name: older plain shells have no `-l`.
            (Shell::Sh, StartMode::Login) => command_name(&mut command, &["-i", "-c"]),
            (Shell::Sh, StartMode::LoginCommand) => command_name(&mut command, &["-c"]),
            // The C shell takes its `-l` only where it is the only flag.
            (Shell::Tcsh, StartMode::Login) => command_name(&mut command, &["-i", "-c"]),
            (Shell::Tcsh, StartMode::LoginCommand) => command_name(&mut command, &["-c"]),
            // The plain shell reads nothing of the user's when it is interactive but no login shell, unless ENV names
            // a file (dash(1), "Invocation"): it has what the login shell above it left in the environment.
            (Shell::Sh, StartMode::Interactive) => {
                command_name(&mut command, &["-c", "exec \"$0\" -i -c \"$1\""]);
                command.arg(&shell.program)
            }
            (_, StartMode::Login) => command.args(["-l", "-i", "-c"]),
            (_, StartMode::Interactive) => command.args(["-i", "-c"]),
            (_, StartMode::LoginCommand) => command.args(["-l", "-c"]),
        };
        command.arg(text);
        let mut command = self.in_terminal(command, base);
        if shell.shell == Shell::Ksh {
            // An interactive one notes what it is asked (ksh(1), "Command re-entry").
            command.env("HISTFILE", "/dev/null");
        }
        command
    }

    /// The command in what a new terminal begins with.
    pub(super) fn in_terminal(&self, mut command: Command, base: &Environment) -> Command {
        command.env_clear().envs(base).current_dir(self.start_folder());
        command
    }

    /// A terminal opens in the home folder.
    pub(super) fn start_folder(&self) -> PathBuf {
        if self.machine.home.is_dir() { self.machine.home.clone() } else { std::env::temp_dir() }
    }
}

fn command_name<'a>(command: &'a mut Command, arguments: &[&str]) -> &'a mut Command {
    os::set_called_name(command, "-sh");
    command.args(arguments)
}
