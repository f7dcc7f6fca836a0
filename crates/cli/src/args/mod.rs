//! The command line.

pub mod complete;
mod files;
mod help;
mod looks;
mod machines;
#[cfg(test)]
mod manual_tests;
mod proof;
mod tools;

use std::ffi::OsString;
use std::io::{self, Write as _};
use std::path::PathBuf;

use clap::{Args as ClapArgs, CommandFactory as _, FromArgMatches as _, Parser, Subcommand, ValueEnum};
pub use files::{InspectArgs, ReceiveArgs, UnpackArgs};
pub use looks::{CatchUpArgs, ExplainArgs, SurveyArgs, TraceArgs};
pub use machines::{CompareArgs, FromArgs, PageArgs, SelfTestArgs, SnapshotArgs};
pub use proof::{CheckArgs, TrialAction, TrialAddArgs, TrialArgs};
pub use tools::{AdoptArgs, NameArgs, RetireArgs, SwitchArgs};
use wagon_yard_core::resolve::Shell;
use wagon_yard_core::scope::Scope;

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
    let read = |words: Vec<OsString>| {
        let matches = help::with_help(Args::command()).try_get_matches_from(words)?;
        Args::from_arg_matches(&matches)
    };
    let error = match read(std::env::args_os().collect()) {
        Ok(args) => return args,
        Err(error) => error,
    };
    let words = std::env::args_os().map(|word| escape(&word.to_string_lossy()).into());
    match read(words.collect()) {
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
    /// Print one JSON document on standard output
    #[arg(long, global = true)]
    pub json: bool,
    /// Use the yard in this folder
    #[arg(long, global = true, value_name = "DIR")]
    pub yard: Option<PathBuf>,
    /// Use this folder as home, with its startup files and yard; for rehearsals
    #[arg(long, global = true, value_name = "DIR")]
    pub sandbox: Option<PathBuf>,
    /// For your user, or for all users (separate yard)
    #[arg(long, global = true, value_name = "WHOSE")]
    pub scope: Option<ScopeWhich>,
    /// When to use colour
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: ColorWhen,
    /// Shells to use instead of yours, comma-separated: sh, bash, zsh, fish, ksh, tcsh
    #[arg(long, global = true, value_name = "LIST", value_delimiter = ',', add = complete::known_shells())]
    pub shells: Vec<Shell>,
    /// Run shells and programs even if they cannot be sealed; their side effects are kept
    #[arg(long, global = true)]
    pub unsealed: bool,
    /// Print one fact per line, without columns; for screen readers
    #[arg(long, global = true)]
    pub plain: bool,
    /// Hide progress and stage lines
    #[arg(long, short, global = true)]
    pub quiet: bool,
    /// Log details to standard error; repeat for more
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
    /// Install a downloaded tool: check, unpack, register and verify it
    Receive(Box<ReceiveArgs>),
    /// Record an existing installation, register its commands, and verify them
    Adopt(Box<AdoptArgs>),
    /// Show what a download contains and what receiving it would do
    Inspect(Box<InspectArgs>),
    /// Unpack an archive safely into a new folder, without registering anything
    Unpack(Box<UnpackArgs>),
    /// Verify that received tools work in every new terminal
    Check(CheckArgs),
    /// Run a tool's trials: small tests in a scratch folder
    Trial(TrialArgs),
    /// Show which file a command runs, and all other candidates
    Trace(TraceArgs),
    /// Find problems in PATH and the yard, worst first
    Survey(SurveyArgs),
    /// Show or change PATH
    #[command(subcommand)]
    Path(PathCommand),
    /// Print the lines that update this terminal's PATH
    CatchUp(CatchUpArgs),
    /// Show what this machine is and has: system, processor, C library, shells, interpreters
    Machine(FromArgs),
    /// Explain a finding: meaning, cause and remedy
    Explain(ExplainArgs),
    /// List received tools and what new terminals run
    Stock {
        /// Run nothing; show records only
        #[arg(long)]
        no_run: bool,
        /// Repair cards without a folder and folders without a card
        #[arg(long, group = "stock_change")]
        mend: bool,
        /// This yard was copied or moved here: start a new history
        #[arg(long, group = "stock_change")]
        moved: bool,
        /// With --mend or --moved: show what would change; write nothing
        #[arg(long, requires = "stock_change")]
        dry_run: bool,
        /// Show the tools of this snapshot's machine
        #[arg(long, value_name = "FILE", conflicts_with_all = ["no_run", "stock_change"])]
        from: Option<PathBuf>,
    },
    /// Add a received tool to PATH, in startup files or the registry
    Register(NameArgs),
    /// Remove a tool from PATH; it stays in the yard
    Unregister(NameArgs),
    /// Use another received version of a tool, and verify it
    Switch(SwitchArgs),
    /// Uninstall a tool; its folder is kept for 30 days
    Retire(RetireArgs),
    /// List changes, newest first, or show one in full
    History {
        /// The change
        #[arg(add = complete::changes())]
        id: Option<u64>,
        /// Include archived changes
        #[arg(long, conflicts_with = "id")]
        all: bool,
    },
    /// Undo a change: the last one, or the given one
    Undo {
        /// Number of the change, from 'wyard history'
        #[arg(add = complete::changes())]
        id: Option<u64>,
        /// Show what would change; write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Set up the tools that a waybill lists
    Deliver(DeliverArgs),
    /// Print a waybill of the tools in use, or of the downloads in a folder
    Draft {
        /// A folder with downloads, for any system
        folder: Option<PathBuf>,
    },
    /// Record what this machine's terminals find, in one file
    Snapshot(SnapshotArgs),
    /// Show where commands differ between recorded machines
    Compare(CompareArgs),
    /// Write a page for a browser: a map of PATH, findings, tools, differences
    Page(PageArgs),
    /// Run the full example on made-up data in a sandbox
    Demo(DemoArgs),
    /// Test this program on this machine, in a throw-away folder, and report what did not hold
    Selftest(SelfTestArgs),
    /// Show this program's version, and the packages it is made of with their licences
    About,
    /// Print a completion script for a shell
    Completions {
        /// The shell
        #[arg(value_parser = clap::builder::PossibleValuesParser::new(complete::shells()))]
        shell: String,
    },
}

/// Options of `deliver`.
#[derive(Debug, ClapArgs)]
pub struct DeliverArgs {
    /// The waybill, a TOML file
    pub waybill: PathBuf,
    /// Only this tool, and what it requires; repeatable
    #[arg(long, value_name = "NAME")]
    pub only: Vec<String>,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Change nothing; exit 1 unless the machine is as the waybill says and all works
    #[arg(long, conflicts_with = "dry_run")]
    pub verify: bool,
    /// Retire the tools that the waybill does not list
    #[arg(long, conflicts_with = "only")]
    pub retire_others: bool,
    /// Show the plan for an empty machine running this system
    #[arg(long = "for", value_name = "SYSTEM", requires = "dry_run", value_parser = ["linux", "macos", "windows"])]
    pub system: Option<String>,
    /// Run the installers that the waybill allows
    #[arg(long)]
    pub yes: bool,
}

/// What to do with PATH.
#[derive(Debug, Subcommand)]
pub enum PathCommand {
    /// Show the PATH of a new terminal and where each entry comes from
    Show(FromArgs),
    /// Add a folder at the front of PATH
    Add {
        /// The folder
        folder: PathBuf,
        /// Add it at the end
        #[arg(long)]
        last: bool,
        /// With --scope system: accept a folder that another user can write to
        #[arg(long)]
        trust_folder: bool,
        /// Show what would change; write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Remove a folder from PATH
    Drop {
        /// The folder
        folder: PathBuf,
        /// Show what would change; write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Move a PATH entry directly before another one, and show which commands change
    Move {
        /// The folder
        folder: PathBuf,
        /// The entry to place it before
        #[arg(long, value_name = "DIR")]
        before: PathBuf,
        /// Show what would change; write nothing
        #[arg(long)]
        dry_run: bool,
    },
    /// Remove entries that no command needs; list those that would change a command
    Tidy {
        /// Show what would change; write nothing
        #[arg(long)]
        dry_run: bool,
        /// Also make the listed changes
        #[arg(long, conflicts_with = "dry_run")]
        yes: bool,
    },
}

/// Whose PATH.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ScopeWhich {
    /// The user's
    User,
    /// All users; requires administrator rights
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

/// Options of `demo`.
#[derive(Debug, ClapArgs)]
pub struct DemoArgs {
    /// Keep the sandbox in this new folder
    #[arg(long, value_name = "DIR")]
    pub keep: Option<PathBuf>,
}
