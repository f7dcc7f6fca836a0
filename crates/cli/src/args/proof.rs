//! The arguments of commands that prove something.

use std::path::PathBuf;

use clap::{Args, Subcommand};
use wagon_yard_core::naming::Variable;
use wagon_yard_core::yard::Requires;

/// Options of `check`.
#[derive(Debug, Args)]
pub struct CheckArgs {
    /// Tools as NAME or NAME@VERSION; none means all in service
    pub names: Vec<String>,
    /// Start no command: only tell which file each name means
    #[arg(long)]
    pub no_run: bool,
    /// Check the commands in the other folders of PATH instead, less the system's own
    #[arg(long, conflicts_with = "names")]
    pub all_path: bool,
    /// Ask the tool's commands with these arguments from now on, in a shell's quotes; kept on its card
    #[arg(long, value_name = "ARGUMENTS", requires = "names", allow_hyphen_values = true)]
    pub probe: Option<String>,
    /// What the answer has to hold from now on, in place of the version; kept on its card
    #[arg(long, value_name = "TEXT", requires = "names")]
    pub expect: Option<String>,
    /// Ask again in the usual ways
    #[arg(long, requires = "names", conflicts_with_all = ["probe", "expect"])]
    pub usual_probe: bool,
    /// What it needs, in place of what its card says; kept there
    #[command(flatten)]
    pub requires: RequiresArgs,
    /// Forget what it needs
    #[arg(long, requires = "names", conflicts_with_all = ["requires_command", "requires_variable"])]
    pub requires_nothing: bool,
    /// Check by what would be kept, and write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// What a tool needs besides itself.
#[derive(Debug, Args)]
#[command(next_help_heading = "Tool")]
pub struct RequiresArgs {
    /// A command of another tool that it needs; repeatable
    #[arg(long, value_name = "COMMAND")]
    pub requires_command: Vec<String>,
    /// A variable that has to be set for it; repeatable
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
    #[arg(required = true)]
    pub name: Option<String>,
    /// Keep the folders the trials ran in
    #[arg(long)]
    pub keep: bool,
    /// Show what the programs write, while they run
    #[arg(long)]
    pub show_output: bool,
}

/// Changes of a tool's trials.
#[derive(Debug, Subcommand)]
pub enum TrialAction {
    /// Write a trial on a tool's card, in place of one of the same title
    Add(Box<TrialAddArgs>),
    /// Take a trial off a tool's card
    Drop {
        /// The tool, as NAME or NAME@VERSION
        name: String,
        /// The trial's title
        title: String,
        /// Show what the card would have, and write nothing
        #[arg(long)]
        dry_run: bool,
    },
}

/// Options of `trial add`.
#[derive(Debug, Args)]
pub struct TrialAddArgs {
    /// The tool, as NAME or NAME@VERSION
    pub name: String,
    /// What the trial is called
    #[arg(long, value_name = "TEXT")]
    pub title: String,
    /// A text file to begin with; its content is kept on the card; repeatable
    #[arg(long = "file", value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// A command to run, in a shell's quotes; repeatable, in order. What follows is about the last of them
    #[arg(long = "run", value_name = "COMMAND", required = true)]
    pub runs: Vec<String>,
    /// The exit status it must have
    #[arg(long, default_value_t = 0, allow_negative_numbers = true)]
    pub status: i32,
    /// Text that its output must hold
    #[arg(long, value_name = "TEXT")]
    pub prints: Option<String>,
    /// A regular expression that its output must match
    #[arg(long, value_name = "EXPRESSION")]
    pub matches: Option<String>,
    /// A file that must be there afterwards, with something in it; FILE=TEXT says what it must hold; repeatable
    #[arg(long, value_name = "FILE")]
    pub leaves: Vec<String>,
    /// A file that must be there afterwards and print this when it is run; repeatable
    #[arg(long, value_name = "FILE=TEXT")]
    pub leaves_program: Vec<String>,
    /// Show what the card would have, and write nothing
    #[arg(long)]
    pub dry_run: bool,
}
