//! Why no layout could be found.

use std::path::PathBuf;

use crate::error::{Blame, Blamed};
use crate::path_list::EntryError;

/// Why no layout could be found.
#[derive(Debug, thiserror::Error)]
pub enum LayoutError {
    /// Nothing in the archive can be run here as a command.
    #[error("the archive contains no commands")]
    NoCommands,
    #[error("this is source code ({0}), without any programs")]
    Source(String),
    #[error("it contains {0}, but no program that cmd can start")]
    PowerShell(String),
    #[error("its programs cannot run here: {0}")]
    Foreign(String),
    /// The folder given with `--command-folder` has no program.
    #[error("the folder \"{}\" of the archive contains no programs", .0.display())]
    FolderWithoutCommands(PathBuf),
    #[error("the folder \"{}\" cannot be a command folder", folder.display())]
    Folder {
        folder: PathBuf,
        #[source]
        source: EntryError,
    },
}

impl Blamed for LayoutError {
    fn blame(&self) -> Blame {
        match self {
            Self::FolderWithoutCommands(_) => Blame::Call,
            Self::NoCommands | Self::Source(_) | Self::PowerShell(_) | Self::Foreign(_) | Self::Folder { .. } => {
                Blame::Input
            }
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::NoCommands => Some(
                "if you know the folder that holds its programs, name it with --command-folder DIR; a package of \
                 sources or libraries has none"
                    .to_owned(),
            ),
            Self::Source(_) => Some("download a build for this system".to_owned()),
            Self::PowerShell(_) => Some(
                "unpack it with 'wyard unpack FILE --into DIR': a module into a folder of $env:PSModulePath, scripts into \
                 one that 'wyard path add DIR' puts into PATH"
                    .to_owned(),
            ),
            Self::Foreign(_) => {
                Some("download the one for this machine, or use --foreign".to_owned())
            }
            Self::FolderWithoutCommands(_) => {
                Some("--command-folder is relative to the tool's root, below any wrapper folder".to_owned())
            }
            Self::Folder { .. } => Some("choose another folder with --command-folder DIR".to_owned()),
        }
    }
}
