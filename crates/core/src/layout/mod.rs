//! What an unpacked tool looks like: the wrapper folder around it, the folders that belong in PATH, and the commands in
//! them.

mod analyse;
mod command_folders;
mod completions;
mod error;
mod home_variables;
mod in_place;
mod on_disk;
mod programs;
mod wrapper;

pub use analyse::{Command, Layout, Target, analyse, wrapper};
pub use completions::{CompletionShell, completes};
pub use error::LayoutError;
pub use home_variables::HomeVariables;
pub use in_place::{InPlaceError, tool_in_place};
pub use on_disk::{list_files, list_folder};
