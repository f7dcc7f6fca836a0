//! Where PATH lives for new terminals: on Unix, one small block in the startup files of the shells, which reads a file
//! generated from the cards of all registered tools; on Windows the registry.

mod completions;
mod generated;
pub mod registry;
mod startup;
mod startup_plan;
mod store_plan;
mod system_files;
mod user_entries;

pub use startup::{all_startup_files, files_of_others, possible_files, startup_files};
pub use startup_plan::{Action, StartupChange, StartupPlan, StoreError};
pub use store_plan::{RegistryChange, StoreChanges, StorePlan, StorePlanError};
pub use system_files::{macos_login_path, macos_path_lists, system_startup_files};
