//! Folders of a machine: what a folder holds that can be typed, which folders are the system's, where programs are put, and
//! whether a line of text names a folder.

mod away;
mod commands;
mod mention;
mod places;
mod system_folders;

pub use away::drive_away;
pub use commands::{Typed, commands, commands_in, files_in};
pub use mention::{Below, mention};
pub use places::{cleaned_place, tool_places, watched_places};
pub use system_folders::SystemFolders;
