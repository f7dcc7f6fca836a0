//! The command line.

mod files;
mod proof;

use std::io::{self, Write as _};
use std::path::PathBuf;
use std::time::Duration;

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
pub use files::{InspectArgs, ReceiveArgs, ToolArgs, UnpackArgs, minutes};
pub use proof::{CheckArgs, RequiresArgs, TrialAction, TrialAddArgs, TrialArgs};
use wagon_yard_core::finding::Severity;
use wagon_yard_core::resolve::{Caller, Shell};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::terminal::TerminalKind;

use crate::view::escape;

/// Receives a downloaded command-line tool, registers it in PATH, and proves that it works in every new terminal
#[derive(Debug, Parser)]
#[command(name = "wyard", version, disable_help_subcommand = true, max_term_width = 100)]
pub struct Args {
    /// What holds for every command.
    #[command(flatten)]
    pub global: Global,
    /// The command; none prints a short page.
    #[command(subcommand)]
    pub command: Option<Command>,
}

/// Reads the command line. Ends the program where it is wrong, or asks for help; what is repeated of it is safe to print.
pub fn parse() -> Args {
    let error = match Args::try_parse() {
        Ok(args) => return args,
        Err(error) => error,
    };
    let words = std::env::args_os().map(|word| escape(&word.to_string_lossy()));
    match Args::try_parse_from(words) {
        Err(shown) if shown.kind() == error.kind() => shown.exit(),
        _ => {
            let text = error.to_string();
            let lines: Vec<String> = text.lines().map(escape).collect();
            // Nobody is left to be told when this write fails.
            let _ = writeln!(io::stderr(), "{}", lines.join("\n"));
            std::process::exit(error.exit_code())
        }
    }
}

/// Options of every command.
#[derive(Debug, Clone, ClapArgs)]
#[command(next_help_heading = "Everywhere")]
pub struct Global {
    /// Print one JSON document on standard output, and nothing else there
    #[arg(long, global = true)]
    pub json: bool,
    /// Use the yard in this folder
    #[arg(long, global = true, value_name = "DIR")]
    pub yard: Option<PathBuf>,
    /// Read and write home, startup files and yard under this folder: for rehearsals
    #[arg(long, global = true, value_name = "DIR")]
    pub sandbox: Option<PathBuf>,
    /// Whose terminals: yours, or those of every user, which have a yard of their own
    #[arg(long, global = true, value_name = "WHOSE")]
    pub scope: Option<ScopeWhich>,
    /// When to use colour
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: ColorWhen,
    /// Shells to use instead of yours, comma-separated: sh, bash, zsh, fish, ksh, tcsh
    #[arg(long, global = true, value_name = "LIST", value_delimiter = ',')]
    pub shells: Vec<Shell>,
    /// Run shells and programs even if they cannot be sealed; their side effects are kept
    #[arg(long, global = true)]
    pub unsealed: bool,
    /// Print no progress and no stage lines
    #[arg(long, short, global = true)]
    pub quiet: bool,
    /// Tell on standard error what is done inside; twice for more
    #[arg(short, long, global = true, action = clap::ArgAction::Count)]
    pub verbose: u8,
}

/// When to use colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ColorWhen {
    /// On a terminal, unless NO_COLOR is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Check a downloaded archive or installer, unpack or run it, register its commands, and prove that they work
    Receive(Box<ReceiveArgs>),
    /// Bring a folder that is in place already under the yard's records: register what is not, and prove it
    Adopt(Box<AdoptArgs>),
    /// Look into a downloaded file, and tell what receiving it would bring
    Inspect(Box<InspectArgs>),
    /// Unpack any archive into a new folder, safely; nothing is recorded or registered
    Unpack(Box<UnpackArgs>),
    /// Prove that received tools work in every new terminal
    Check(CheckArgs),
    /// Run a tool's trials: small real work in a scratch folder, in what a new terminal has
    Trial(TrialArgs),
    /// Show every file that a command name could mean, and which one runs
    Trace(TraceArgs),
    /// Look at the whole PATH and at what is received, and tell what is wrong, worst first
    Survey(SurveyArgs),
    /// Show PATH with where each entry comes from, or change it
    #[command(subcommand)]
    Path(PathCommand),
    /// Print the lines that bring this terminal to what a new one has
    CatchUp(CatchUpArgs),
    /// Show what this machine is and has: system, processor, C library, shells, interpreters
    Machine,
    /// Explain a finding: what it means, how it comes about, how to settle it
    Explain(ExplainArgs),
    /// List the received tools, and what new terminals run of them
    Stock {
        /// Start nothing: only tell what the records say
        #[arg(long)]
        no_run: bool,
        /// Settle cards without a folder and folders without a card
        #[arg(long, group = "stock_change")]
        mend: bool,
        /// This yard was copied or moved here: start a new history
        #[arg(long, group = "stock_change")]
        moved: bool,
        /// With --mend or --moved: show what would be done, and write nothing
        #[arg(long, requires = "stock_change")]
        dry_run: bool,
    },
    /// Put a received tool's command folders and home variables into PATH's stores: startup files, or the registry
    Register(NameArgs),
    /// Take exactly those out again; the tool stays in the yard
    Unregister(NameArgs),
    /// Put another received version of a tool in service, and prove it in every new terminal
    Switch(SwitchArgs),
    /// Take a tool out of the stock and out of PATH; its folder is kept for 30 days
    Retire(RetireArgs),
    /// List what was changed, newest first, or show one change in full
    History {
        /// The change
        id: Option<u64>,
        /// Include archived changes
        #[arg(long, conflicts_with = "id")]
        all: bool,
    },
    /// Take a change back: the last one that stands, or the one named
    Undo {
        /// The change, as 'wyard history' lists it
        id: Option<u64>,
        /// Show what would be done, and write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Run the full example on made-up data in a sandbox
    Demo(DemoArgs),
    /// Print a completion script for a shell
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
}

/// Options of `survey`.
#[derive(Debug, ClapArgs)]
pub struct SurveyArgs {
    /// Whose PATH to look at [default: new]
    #[arg(long, value_name = "WHICH")]
    pub terminal: Option<TerminalWhich>,
    /// From which severity on the exit code is 1
    #[arg(long, value_name = "SEVERITY", default_value = "problem")]
    pub fail_on: SeverityWhich,
}

/// How bad a finding is.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub enum SeverityWhich {
    /// Something does not work
    Problem,
    /// Something may surprise
    Caution,
}

impl From<SeverityWhich> for Severity {
    fn from(which: SeverityWhich) -> Self {
        match which {
            SeverityWhich::Problem => Self::Problem,
            SeverityWhich::Caution => Self::Caution,
        }
    }
}

/// What to do with PATH.
#[derive(Debug, Subcommand)]
pub enum PathCommand {
    /// Show the entries of a new terminal's PATH, and what put them there
    Show,
    /// Put a folder into PATH, in front
    Add {
        /// The folder
        folder: PathBuf,
        /// Put it at the end
        #[arg(long)]
        last: bool,
        /// With --scope system: accept a folder that another user can write to
        #[arg(long)]
        trust_folder: bool,
        /// Show what would be done, and write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Take a folder out of PATH
    Drop {
        /// The folder
        folder: PathBuf,
        /// Show what would be done, and write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Put a folder of PATH directly before another one, and tell which commands change by it
    Move {
        /// The folder
        folder: PathBuf,
        /// The one it is to stand before
        #[arg(long, value_name = "DIR")]
        before: PathBuf,
        /// Show what would be done, and write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Take out entries that no command needs; what would change a command is only offered
    Tidy {
        /// Show what would be done, and write nothing
        #[arg(long)]
        dry_run: bool,
        /// Make the offered changes as well
        #[arg(long, conflicts_with = "dry_run")]
        yes: bool,
    },
}

/// Options of `catch-up`.
#[derive(Debug, ClapArgs)]
pub struct CatchUpArgs {
    /// The shell you are in: sh, bash, zsh, fish, ksh, tcsh; on Windows cmd, powershell
    pub shell: Shell,
}

/// Options of `explain`.
#[derive(Debug, ClapArgs)]
pub struct ExplainArgs {
    /// The finding, as it stands in square brackets
    pub code: String,
}

/// The name of a tool.
#[derive(Debug, ClapArgs)]
pub struct NameArgs {
    /// The tool, as NAME or NAME@VERSION
    pub name: String,
    /// Show what would be done, and write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// Options of `adopt`.
#[derive(Debug, ClapArgs)]
pub struct AdoptArgs {
    /// The tool's folder
    #[arg(required_unless_present = "search")]
    pub folder: Option<PathBuf>,
    /// Look through the usual places and PATH for tools that are not on record
    #[arg(long, conflicts_with_all = ["folder", "move_in", "name", "version"])]
    pub search: bool,
    /// Move the folder into the yard
    #[arg(long = "move")]
    pub move_in: bool,
    /// With --scope system: accept a folder that another user can write to
    #[arg(long)]
    pub trust_folder: bool,
    /// Show what would be done, and write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// What it is, and where things are in it
    #[command(flatten)]
    pub tool: ToolArgs,
}

/// Options of `retire`.
#[derive(Debug, ClapArgs)]
pub struct RetireArgs {
    /// The tool, as NAME or NAME@VERSION
    #[arg(required_unless_present = "empty")]
    pub name: Option<String>,
    /// Remove the folders of all retired tools for good
    #[arg(long, conflicts_with = "name")]
    pub empty: bool,
    /// Run the tool's uninstaller as well, where an installer has brought it
    #[arg(long, requires = "name")]
    pub uninstall: bool,
    /// Run it without asking first
    #[arg(long, requires = "uninstall")]
    pub yes: bool,
    /// Time limit for the uninstaller, in minutes; 30 by default
    #[arg(long, value_name = "MINUTES", requires = "uninstall", value_parser = minutes())]
    pub time_limit: Option<Duration>,
    /// Show what would be done, and write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// Options of `switch`.
#[derive(Debug, ClapArgs)]
pub struct SwitchArgs {
    /// The tool
    pub name: String,
    /// The version, as 'wyard stock' lists it
    pub version: String,
    /// Show what would be done, and write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// Whose PATH.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ScopeWhich {
    /// The user's
    User,
    /// Everybody's; needs an administrator's rights
    System,
}

impl From<ScopeWhich> for Scope {
    fn from(which: ScopeWhich) -> Self {
        match which {
            ScopeWhich::User => Self::User,
            ScopeWhich::System => Self::System,
        }
    }
}

/// Options of `trace`.
#[derive(Debug, ClapArgs)]
pub struct TraceArgs {
    /// The command names
    #[arg(required = true, value_name = "COMMAND")]
    pub commands: Vec<String>,
    /// Only this terminal's answer, or only a new one's
    #[arg(long, value_name = "WHICH")]
    pub terminal: Option<TerminalWhich>,
    /// Only this caller: exec, sh, bash, zsh, fish, ksh, tcsh, elevated; on Windows cmd, powershell, createprocess
    #[arg(long = "as", value_name = "CALLER")]
    pub caller: Option<Caller>,
    /// Ask every candidate for its version
    #[arg(long)]
    pub versions: bool,
}

/// Which terminal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum TerminalWhich {
    /// The one wyard was started in
    This,
    /// One opened now
    New,
}

impl From<TerminalWhich> for TerminalKind {
    fn from(which: TerminalWhich) -> Self {
        match which {
            TerminalWhich::This => Self::This,
            TerminalWhich::New => Self::New,
        }
    }
}

/// Options of `demo`.
#[derive(Debug, ClapArgs)]
pub struct DemoArgs {
    /// Leave the sandbox in this new folder, to play with
    #[arg(long, value_name = "DIR")]
    pub keep: Option<PathBuf>,
}
