//! Where PATH lives for new terminals: on Unix, one small block in the startup files of the shells, which reads a file
//! generated from the cards of all registered tools.

mod block;
mod generated;
mod own;
mod plan;
pub mod quote;
pub mod registry;
mod startup;
mod store_plan;
mod system_files;

pub use block::BLOCK_BEGINS;
pub(crate) use block::{block_put, block_taken};
pub use generated::Registered;
pub use own::{OwnEntry, Place};
pub use plan::{Action, RegistrationPlan, StartupChange, StoreError};
pub use startup::{Dialect, StartupFile, StartupFolders, startup_files};
pub(crate) use startup::{files_of_others, possible_files};
pub use store_plan::{RegistryChange, StorePlan, StorePlanError};
pub use system_files::{macos_login_path, macos_path_lists, system_startup_files};
