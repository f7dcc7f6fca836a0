//! Why no layout could be found.

use std::path::PathBuf;

use crate::error::classified;
use crate::path_list::EntryError;

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

classified!(LayoutError {
    Self::NoCommands =>
        Input, "if you know the folder that holds its programs, name it with --command-folder DIR; a package of \
        sources or libraries has none";
    Self::Source(_) => Input, "download a build for this system";
    Self::PowerShell(_) =>
        Input, "unpack it with 'wyard unpack FILE --into DIR': a module into a folder of $env:PSModulePath, scripts into \
        one that 'wyard path add DIR' puts into PATH";
    Self::Foreign(_) => Input, "download the one for this machine, or use --foreign";
    Self::FolderWithoutCommands(_) => Call, "--command-folder is relative to the tool's root, below any wrapper folder";
    Self::Folder { .. } => Input, "choose another folder with --command-folder DIR";
});
