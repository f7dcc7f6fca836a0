//! The check: in every new terminal each command resolves to ours, starts, and answers with the right version.

mod all_path;
mod by_terminal;
mod command;
mod complaint;
mod error;
mod evidence;
mod exit_words;
mod judge;
mod judge_starts;
mod judge_tool;
mod place;
mod predicted;
mod probe;
mod prober;
mod report;
mod round;
mod shown;
mod starting;
mod startup_lines;
mod tool;
mod tools;
mod trial;
mod typed;
mod version_text;
mod versions;

pub use all_path::check_path;
pub use error::CheckError;
pub use report::{CallerResult, CheckedTools, CommandCheck, Requirement, RequirementKind, ToolCheck};
pub use starting::last_words;
pub use startup_lines::StartupLines;
pub use tools::check;
pub use trial::{StepResult, TrialError, TrialObserver, TrialResult, Unmet, check as check_trial, trial};
pub use versions::versions;
