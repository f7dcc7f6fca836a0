//! Why a folder could not be adopted.

use std::path::PathBuf;

use crate::error::classified;
use crate::naming::{NameError, ToolName, Version};
use crate::path_list::EntryError;

#[derive(Debug, thiserror::Error)]
pub enum AdoptError {
    #[error("no variable can be set to the tool's root")]
    HomeVariable(#[source] NameError),
    #[error("{} is already in the yard", .0.display())]
    InYard(PathBuf),
    #[error("{} cannot be in PATH", folder.display())]
    Entry {
        folder: PathBuf,
        #[source]
        source: EntryError,
    },
    #[error("{} is already recorded as {name}@{version}", folder.display())]
    OnRecord { folder: PathBuf, name: ToolName, version: Version },
    #[error("{name}@{version} is already recorded from {}", home.display())]
    OnRecordElsewhere { name: ToolName, version: Version, home: PathBuf },
}

classified!(AdoptError {
    Self::HomeVariable(_) => Call, "use --home-variable X or --no-home-variable";
    Self::InYard(_) => Call, "to list the tools: wyard stock";
    Self::Entry { .. } => Call, "move the folder to another place first, or use --move";
    Self::OnRecord { name, .. } => Call, format!("to check it: wyard check {name}");
    Self::OnRecordElsewhere { name, version, .. } =>
        Call, format!("retire that one first: wyard retire {name}@{version}; or use another --version");
});
