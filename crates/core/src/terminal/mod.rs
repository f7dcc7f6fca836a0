//! A new terminal, proved: each installed shell is really started, in each of the ways people start it, with a clean
//! environment, and asked what a command means to it.

mod at_prompt;
mod base;
mod catch_up;
mod elevated;
mod environment;
mod on_terminal;
mod origin;
mod question;
mod shells;
mod windows;

use std::ffi::OsString;
use std::path::PathBuf;
use std::process::Command;
use std::time::Duration;

pub use base::base_environments;
pub use catch_up::{CatchUpError, CatchUpReport, Difference, catch_up};
pub use elevated::{ElevatedPath, elevated_path};
pub(crate) use origin::files_in;
pub use origin::{Found, Origin};
use serde::{Deserialize, Serialize};
pub use shells::{InstalledShell, installed, unknown_login_shell};
pub use windows::background;

use crate::machine::{Environment, Machine};
use crate::process::{self, Ending, Outcome};
use crate::progress::Stop;
use crate::resolve::{Kind, Shell, Surroundings};
use crate::store::StartupFolders;
use crate::system::System;
use on_terminal::Place;

/// A way in which a shell is started, which decides the startup files it reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// An interactive login shell: a text console, a remote session, a terminal on macOS.
    Login,
    /// An interactive shell that is no login shell: a terminal window on most desktops.
    Interactive,
    /// `SHELL -lc COMMAND`: how editors, schedulers and remote commands run things.
    LoginCommand,
}

impl Way {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Login, Self::Interactive, Self::LoginCommand];

    /// The ways in which people start this shell: on Windows there is one.
    #[must_use]
    pub fn of(shell: Shell) -> &'static [Self] {
        match shell.system() {
            System::Unix => &Self::ALL,
            System::Windows => &[Self::Interactive],
        }
    }

    /// The stable name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Login => "login",
            Self::Interactive => "interactive",
            Self::LoginCommand => "login-command",
        }
    }
}

/// What a shell said a name means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meaning {
    /// What answers.
    pub kind: Kind,
    /// The file that a search through PATH finds, whatever answers first.
    pub file: Option<PathBuf>,
}

/// What a shell said of itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// What its lookups depend on, PATH above all, after its startup files.
    pub around: Surroundings,
    /// What each name asked about means, in the order asked.
    pub meanings: Vec<Meaning>,
    /// The values of the variables asked about; `None` where not set.
    pub variables: Vec<Option<OsString>>,
    /// PATH until the shell did what it does before a prompt, where that changed it.
    pub before_prompt: Option<OsString>,
}

/// Why a shell said nothing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NoAnswer {
    /// Its startup files took longer than the limit.
    TimedOut,
    /// It ended before it answered; the last line it wrote to standard error.
    Ended(String),
    /// It could not be started.
    NotStarted(String),
    /// The user asked to stop.
    Interrupted,
}

/// A shell started in one way, and what came of it.
#[derive(Debug, Clone)]
pub struct Answer {
    /// The shell.
    pub shell: Shell,
    /// How it was started.
    pub way: Way,
    /// The environment it was started in.
    pub base: Environment,
    /// What it said.
    pub said: Result<Said, NoAnswer>,
    /// Whether something else took its place at a terminal, so that what it said is what it says elsewhere.
    pub taken: bool,
    /// How long its start took.
    pub took: Duration,
}

/// What to ask.
#[derive(Debug, Clone, Copy, Default)]
pub struct Question<'a> {
    /// Command names.
    pub commands: &'a [String],
    /// Variable names.
    pub variables: &'a [String],
}

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
            for &way in Way::of(shell.shell) {
                starts.extend(bases.iter().map(|base| (shell, way, base)));
            }
        }
        process::side_by_side(&starts, AT_A_TIME, |(shell, way, base)| self.one(shell, *way, base, question))
    }

    /// Starts one shell in one way and asks.
    #[must_use]
    pub fn one(&self, shell: &InstalledShell, way: Way, base: &Environment, question: Question<'_>) -> Answer {
        let marker = question::marker();
        if shell.shell.system() == System::Windows {
            let (said, took) = windows::ask(self, shell, &marker, base, question);
            return Answer { shell: shell.shell, way, base: base.clone(), said, taken: false, took };
        }
        let asked = question::text(shell.shell, way, &marker, question);
        let text = if way == Way::LoginCommand {
            asked.clone()
        } else {
            // Of several names any: what a hook does with the line is seldom more than to show it.
            let line = question.commands.first().map_or("", String::as_str);
            at_prompt::text(shell.shell, &marker, line) + &asked
        };
        let parse =
            |outcome: &Outcome| question::parse(shell.shell, &marker, &outcome.stdout, question, &self.machine.home);
        let outcome = process::run(self.shell_command(shell, way, base, &text), self.limit, self.stop);
        let (mut said, mut taken) = (parse(&outcome), false);
        if way != Way::LoginCommand
            && let Some(place) = on_terminal::wanted(shell.shell, base, &self.machine.home)
        {
            let again = match place {
                Place::Terminal => {
                    let command = on_terminal::prepared(self.shell_command(shell, way, base, &text));
                    process::run_on_terminal(command, self.limit, self.stop)
                }
                Place::Prompt => {
                    let command = self.in_terminal(on_terminal::reading(shell, way), base);
                    process::run_fed(command, &on_terminal::fed(&asked), self.limit, self.stop)
                }
            };
            let mut there = parse(&again);
            if let (Some(there), Some(here)) = (&mut there, &said)
                && there.around.path == here.around.path
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
        Answer { shell: shell.shell, way, base: base.clone(), said, taken, took: outcome.took }
    }

    /// The command that starts a shell of Unix in one way, to do what the text says.
    fn shell_command(&self, shell: &InstalledShell, way: Way, base: &Environment, text: &str) -> Command {
        let mut command = Command::new(&shell.program);
        match (shell.shell, way) {
            // A shell told to be a login shell by the dash before its name: older plain shells have no `-l`.
            (Shell::Sh, Way::Login) => command_name(&mut command, &["-i", "-c"]),
            (Shell::Sh, Way::LoginCommand) => command_name(&mut command, &["-c"]),
            // The C shell takes its `-l` only where it is the only flag.
            (Shell::Tcsh, Way::Login) => command_name(&mut command, &["-i", "-c"]),
            (Shell::Tcsh, Way::LoginCommand) => command_name(&mut command, &["-c"]),
            // The plain shell reads nothing of the user's when it is interactive but no login shell, unless ENV names
            // a file (dash(1), "Invocation"): it has what the login shell above it left in the environment.
            (Shell::Sh, Way::Interactive) => {
                command_name(&mut command, &["-c", "exec \"$0\" -i -c \"$1\""]);
                command.arg(&shell.program)
            }
            (_, Way::Login) => command.args(["-l", "-i", "-c"]),
            (_, Way::Interactive) => command.args(["-i", "-c"]),
            (_, Way::LoginCommand) => command.args(["-l", "-c"]),
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
    fn in_terminal(&self, mut command: Command, base: &Environment) -> Command {
        command.env_clear().envs(base).current_dir(self.start_folder());
        command
    }

    /// A terminal opens in the home folder.
    fn start_folder(&self) -> PathBuf {
        if self.machine.home.is_dir() { self.machine.home.clone() } else { std::env::temp_dir() }
    }
}

fn command_name<'a>(command: &'a mut Command, arguments: &[&str]) -> &'a mut Command {
    crate::os::set_called_name(command, "-sh");
    command.args(arguments)
}

fn last_line(stderr: &[u8]) -> String {
    let text = String::from_utf8_lossy(stderr);
    text.lines().map(str::trim).rfind(|l| !l.is_empty()).unwrap_or_default().chars().take(200).collect()
}

impl Asking<'_> {
    /// The folders in which this user's shells look for startup files, as the shells themselves say: `ZDOTDIR` is most
    /// often set in a startup file, and so is `ENV`.
    #[must_use]
    pub fn startup_folders(&self) -> StartupFolders {
        let mut folders = StartupFolders { home: self.machine.home.clone(), ..StartupFolders::default() };
        if self.machine.is_for_everybody() {
            return StartupFolders { system: Some(self.machine.root.clone()), ..folders };
        }
        let push = |list: &mut Vec<PathBuf>, folder: PathBuf| {
            if !list.contains(&folder) {
                list.push(folder);
            }
        };
        for base in base_environments(self.machine) {
            let set = |name: &str| crate::machine::variable(&base, name).map(PathBuf::from).filter(|p| p.is_absolute());
            let zsh = self.ask_folder(Shell::Zsh, "ZDOTDIR", &base).or_else(|| set("ZDOTDIR"));
            push(&mut folders.zsh, zsh.unwrap_or_else(|| self.machine.home.clone()));
            let config = set("XDG_CONFIG_HOME").unwrap_or_else(|| self.machine.home.join(".config"));
            push(&mut folders.fish, config.join("fish"));
            folders.sh_env = folders.sh_env.or_else(|| self.ask_folder(Shell::Sh, "ENV", &base));
        }
        folders
    }

    fn ask_folder(&self, shell: Shell, variable: &str, base: &Environment) -> Option<PathBuf> {
        let shell = self.shells.iter().find(|s| s.shell == shell)?;
        let variables = [variable.to_owned()];
        let answer = self.one(shell, Way::LoginCommand, base, Question { commands: &[], variables: &variables });
        let value = answer.said.ok()?.variables.into_iter().next()??;
        Some(PathBuf::from(value)).filter(|p| p.is_absolute())
    }
}
