//! Why PATH could not be looked at or changed.

use std::path::PathBuf;

use crate::error::classified;
use crate::path_list::EntryError;
use crate::suggestion::suggested;
use crate::system::System;

#[derive(Debug, thiserror::Error)]
pub enum PathError {
    #[error("{}: no such folder", .0.display())]
    NoFolder(PathBuf),
    #[error("{} is not in the PATH of a new terminal", .0.display())]
    NotInPath(PathBuf),
    #[error("{} cannot be in PATH", folder.display())]
    Entry {
        folder: PathBuf,
        #[source]
        source: EntryError,
    },
    #[error("{} is a command folder of {tool}", folder.display())]
    OfTool { folder: PathBuf, tool: String },
    #[error("cannot move a folder before itself")]
    Same,
    #[error("{} is in the user's PATH, {} in the system's, which always comes first", folder.display(), before.display())]
    AcrossScopes { folder: PathBuf, before: PathBuf },
}

classified!(PathError {
    Self::NoFolder(_) => Call, "use a folder with programs";
    Self::NotInPath(_) => Call, "to list the entries: wyard path show; to add one: wyard path add DIR";
    Self::OfTool { tool, .. } => Call, format!("to remove the tool from PATH: wyard unregister {tool}");
    Self::AcrossScopes { folder, .. } => Call, {
        let to_add = suggested(System::Windows, "path add {} --scope system", &[folder]);
        Some(format!("run {to_add} in an elevated terminal"))
    };
    Self::Entry { .. } | Self::Same => Call;
});
