//! Options of the commands that change what is on record of a tool.

use std::path::PathBuf;
use std::time::Duration;

use clap::Args as ClapArgs;

use super::complete;
use super::files::{ToolArgs, minutes};

/// The name of a tool.
#[derive(Debug, ClapArgs)]
pub struct NameArgs {
    /// The tool, as NAME or NAME@VERSION
    #[arg(add = complete::tools())]
    pub name: String,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// Options of `adopt`.
#[derive(Debug, ClapArgs)]
pub struct AdoptArgs {
    /// The tool's folder
    #[arg(required_unless_present = "search")]
    pub folder: Option<PathBuf>,
    /// Search the usual places and PATH for other installations
    #[arg(long, conflicts_with_all = ["folder", "move_in", "name", "version"])]
    pub search: bool,
    /// Move the folder into the yard
    #[arg(long = "move")]
    pub move_in: bool,
    /// With --scope system: accept a folder that another user can write to
    #[arg(long)]
    pub trust_folder: bool,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Name and layout
    #[command(flatten)]
    pub tool: ToolArgs,
}

/// Options of `retire`.
#[derive(Debug, ClapArgs)]
pub struct RetireArgs {
    /// The tool, as NAME or NAME@VERSION
    #[arg(required_unless_present = "empty", add = complete::tools())]
    pub name: Option<String>,
    /// Delete the folders of all retired tools
    #[arg(long, conflicts_with = "name")]
    pub empty: bool,
    /// Also run the tool's uninstaller, if an installer installed it
    #[arg(long, requires = "name")]
    pub uninstall: bool,
    /// Run it without asking first
    #[arg(long, requires = "uninstall")]
    pub yes: bool,
    /// Time limit for the uninstaller, in minutes; 30 by default
    #[arg(long, value_name = "MINUTES", requires = "uninstall", value_parser = minutes())]
    pub time_limit: Option<Duration>,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// Options of `switch`.
#[derive(Debug, ClapArgs)]
pub struct SwitchArgs {
    /// The tool
    #[arg(add = complete::tools())]
    pub name: String,
    /// The version, from 'wyard stock'
    #[arg(add = complete::versions())]
    pub version: String,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
}
