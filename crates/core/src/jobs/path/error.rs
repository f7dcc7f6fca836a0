//! Why PATH could not be looked at or changed.

use std::path::PathBuf;

use crate::error::classified;
use crate::path_list::EntryError;
use crate::scope::Scope;
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
    OfTool { folder: PathBuf, tool: String, scope: Scope },
    #[error("cannot move a folder before itself")]
    Same,
    #[error("{} is in the {} PATH", entry.display(), if *asked == Scope::User { "system's" } else { "user's" })]
    OtherScope { entry: PathBuf, asked: Scope },
    #[error("Windows needs {} in PATH, and no other entry leads there", folder.display())]
    OfSystem { folder: PathBuf },
    #[error("{} is one of several folders of the entry {entry}", folder.display())]
    OneOfSeveral { folder: PathBuf, entry: String },
    #[error("this would change more of PATH than you asked for, starting with {}", folder.display())]
    Unexplained { folder: PathBuf },
    #[error("the {}'s Path is a plain string, in which {entry} would not be expanded", scope.as_str())]
    PlainPath { entry: String, scope: Scope },
    #[error("{} is in the user's PATH, {} in the system's, which always comes first", folder.display(), before.display())]
    AcrossScopes { folder: PathBuf, before: PathBuf },
}

classified!(PathError {
    Self::NoFolder(_) => Call, "use a folder with programs";
    Self::NotInPath(_) => Call, "to list the entries: wyard path show; to add one: wyard path add DIR";
    Self::OfTool { tool, scope, .. } => Call, {
        let whose = if *scope == Scope::System { " --scope system" } else { "" };
        Some(format!("to remove the tool from PATH: wyard unregister {tool}{whose}"))
    };
    Self::OtherScope { asked: Scope::User, .. } => Call, "add --scope system, in an elevated terminal";
    Self::OtherScope { .. } => Call, "leave out --scope system";
    Self::OfSystem { .. } => Call, "without it, new terminals would not find the programs of Windows itself";
    Self::OneOfSeveral { entry, .. } => Call, {
        let whole = suggested(System::Windows, "path drop {}", &[entry]);
        Some(format!("change the variable that holds it, or remove the whole entry: {whole}"))
    };
    Self::Unexplained { .. } => Call, "close the open quote in PATH first; to list the entries: wyard path show";
    Self::PlainPath { .. } => Call, "add the folder itself";
    Self::AcrossScopes { folder, .. } => Call, {
        let to_add = suggested(System::Windows, "path add {} --scope system", &[folder]);
        Some(format!("run {to_add} in an elevated terminal"))
    };
    Self::Entry { .. } | Self::Same => Call;
});
