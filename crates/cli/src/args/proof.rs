//! The arguments of commands that prove something.

use std::path::PathBuf;

use clap::{Args, Subcommand};
use wagon_yard_core::naming::Variable;
use wagon_yard_core::yard::Requires;

use super::complete;

/// Options of `check`.
#[derive(Debug, Args)]
pub struct CheckArgs {
    /// Tools as NAME or NAME@VERSION; default: all in use
    #[arg(add = complete::tools())]
    pub names: Vec<String>,
    /// Do not run the commands
    #[arg(long)]
    pub no_run: bool,
    /// Show how each terminal was asked, and its raw answer with its environment (Unix)
    #[arg(long, conflicts_with = "all_path")]
    pub evidence: bool,
    /// Check the commands in all other PATH folders, except the system's
    #[arg(long, conflicts_with = "names")]
    pub all_path: bool,
    /// Arguments that make the commands print their version, quoted as in a shell; saved on the card
    #[arg(long, value_name = "ARGUMENTS", requires = "names", allow_hyphen_values = true)]
    pub probe: Option<String>,
    /// Text the output must contain instead of the version; saved on the card
    #[arg(long, value_name = "TEXT", requires = "names")]
    pub expect: Option<String>,
    /// Exit status of the commands when all is well; saved on the card
    #[arg(long, value_name = "NUMBER", requires = "names", value_parser = exit_status)]
    pub status: Option<i32>,
    /// Use the default version arguments again
    #[arg(long, requires = "names", conflicts_with_all = ["probe", "expect", "status"])]
    pub usual_probe: bool,
    /// Requirements, replacing those on the card
    #[command(flatten)]
    pub requires: RequiresArgs,
    /// Forget what it needs
    #[arg(long, requires = "names", conflicts_with_all = ["requires_command", "requires_variable"])]
    pub requires_nothing: bool,
    /// Check with the new settings without saving them
    #[arg(long)]
    pub dry_run: bool,
}

/// What a tool needs besides itself.
#[derive(Debug, Args)]
#[command(next_help_heading = "Tool")]
pub struct RequiresArgs {
    /// Command of another tool that it requires; repeatable
    #[arg(long, value_name = "COMMAND")]
    pub requires_command: Vec<String>,
    /// Variable that must be set; repeatable
    #[arg(long, value_name = "X")]
    pub requires_variable: Vec<Variable>,
}

impl From<RequiresArgs> for Requires {
    fn from(args: RequiresArgs) -> Self {
        Self { commands: args.requires_command, variables: args.requires_variable }
    }
}

/// Options of `trial`.
#[derive(Debug, Args)]
#[command(args_conflicts_with_subcommands = true)]
pub struct TrialArgs {
    /// What to do instead of running trials
    #[command(subcommand)]
    pub action: Option<TrialAction>,
    /// The tool, as NAME or NAME@VERSION
    #[arg(required = true, add = complete::tools())]
    pub name: Option<String>,
    /// Keep the folders the trials ran in
    #[arg(long)]
    pub keep: bool,
    /// Show the programs' output while they run
    #[arg(long)]
    pub show_output: bool,
}

/// Changes of a tool's trials.
#[derive(Debug, Subcommand)]
pub enum TrialAction {
    /// Add a trial to a tool's card, or replace the one with the same title
    Add(Box<TrialAddArgs>),
    /// Remove a trial from a tool's card
    Drop {
        /// The tool, as NAME or NAME@VERSION
        #[arg(add = complete::tools())]
        name: String,
        /// The trial's title
        title: String,
        /// Show the new card; write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

/// Options of `trial add`.
#[derive(Debug, Args)]
pub struct TrialAddArgs {
    /// The tool, as NAME or NAME@VERSION
    #[arg(add = complete::tools())]
    pub name: String,
    /// Title of the trial
    #[arg(long, value_name = "TEXT")]
    pub title: String,
    /// Text file to start with; saved on the card; repeatable
    #[arg(long = "file", value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Command to run, quoted as in a shell; repeatable. The options that follow it apply to it
    #[arg(long = "run", value_name = "COMMAND", required = true)]
    pub runs: Vec<String>,
    /// Expected exit status
    #[arg(long, default_value_t = 0, allow_negative_numbers = true, value_parser = exit_status)]
    pub status: i32,
    /// Text that its output must contain
    #[arg(long, value_name = "TEXT")]
    pub prints: Option<String>,
    /// A regular expression that its output must match
    #[arg(long, value_name = "EXPRESSION")]
    pub matches: Option<String>,
    /// File that must exist afterwards and not be empty; FILE=TEXT: must contain TEXT; repeatable
    #[arg(long, value_name = "FILE")]
    pub leaves: Vec<String>,
    /// File that must exist afterwards and print this text when run; repeatable
    #[arg(long, value_name = "FILE=TEXT")]
    pub leaves_program: Vec<String>,
    /// Show the new card; write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// An exit status, which on Windows may have any 32 bits.
pub fn exit_status(text: &str) -> Result<i32, &'static str> {
    text.parse().map_err(|_| "an exit status is a whole number, such as 0 or 1")
}
