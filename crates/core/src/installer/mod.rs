//! Installers: recognised by content, looked into before they run, and watched while they do.

mod blame;
mod clash;
mod error;
mod existing;
mod facts;
mod package;
mod pinned;
mod plan;
mod recognise;
mod records;
mod restore;
mod running;
mod script;
mod status;
mod tool_search;
mod watch;
mod windows_program;

pub use blame::Whose;
pub use error::InstallError;
pub use existing::look_first;
pub use facts::{AlreadyHere, Installer, InstallerKind, PlannedPlace, PlannedVariable};
pub use pinned::Pinned;
pub use plan::{InstallPlan, InstallRequest, PlannedInstaller, plan, uninstaller};
pub use recognise::{recognise, script_use};
pub use records::UninstallRecord;
pub use restore::restore;
pub use running::{Ended, USUAL_LIMIT, run};
pub use script::ScriptUse;
pub use tool_search::{LeftTool, find_tools, own_uninstaller, tool_name};
pub use watch::{AddedEntry, Differences, EntryPlace, StartupDifference, ValueDifference, Watch};
