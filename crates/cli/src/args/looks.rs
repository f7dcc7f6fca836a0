//! Options of the commands that look at terminals, and explain what they found.

use std::path::PathBuf;

use clap::{Args as ClapArgs, ValueEnum};
use wagon_yard_core::finding::Severity;
use wagon_yard_core::resolve::{Caller, Shell};
use wagon_yard_core::shells::TerminalKind;

use super::complete;

/// Options of `survey`.
#[derive(Debug, ClapArgs)]
pub struct SurveyArgs {
    /// Whose PATH to look at [default: new]
    #[arg(long, value_name = "WHICH")]
    pub terminal: Option<TerminalWhich>,
    /// List every finding and every name, however many
    #[arg(long)]
    pub all: bool,
    /// Exit 1 at or above this severity
    #[arg(long, value_name = "SEVERITY", default_value = "problem")]
    pub fail_on: SeverityWhich,
    /// Show what was found on the machine of this snapshot
    #[arg(long, value_name = "FILE", conflicts_with = "terminal")]
    pub from: Option<PathBuf>,
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

/// Options of `catch-up`.
#[derive(Debug, ClapArgs)]
pub struct CatchUpArgs {
    /// The shell you are in: sh, bash, zsh, fish, ksh, tcsh; on Windows cmd, powershell
    #[arg(add = complete::known_shells())]
    pub shell: Shell,
}

/// Options of `explain`.
#[derive(Debug, ClapArgs)]
pub struct ExplainArgs {
    /// The finding's code, as shown in square brackets
    #[arg(add = complete::findings())]
    pub code: String,
}

/// Options of `trace`.
#[derive(Debug, ClapArgs)]
pub struct TraceArgs {
    /// The command names
    #[arg(required = true, value_name = "COMMAND", add = complete::commands())]
    pub commands: Vec<String>,
    /// Only this terminal, or only new ones
    #[arg(long, value_name = "WHICH")]
    pub terminal: Option<TerminalWhich>,
    /// Only this caller: exec, sh, bash, zsh, fish, ksh, tcsh, elevated; on Windows cmd, powershell, createprocess
    #[arg(long = "as", value_name = "CALLER", add = complete::callers())]
    pub caller: Option<Caller>,
    /// Show how each terminal was asked, and its raw answer with its environment (Unix)
    #[arg(long)]
    pub evidence: bool,
    /// Show the version of every candidate
    #[arg(long)]
    pub versions: bool,
    /// Trace on the machine of this snapshot
    #[arg(long, value_name = "FILE", conflicts_with_all = ["terminal", "evidence", "versions"])]
    pub from: Option<PathBuf>,
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
