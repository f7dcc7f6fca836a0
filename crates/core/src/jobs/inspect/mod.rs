//! `inspect`: looking into a downloaded file without unpacking or running it, and at what receiving it would bring here.

mod commands;
mod contents;
mod error;
mod folder;
mod recorded;
mod report;
mod run;

pub use error::InspectError;
pub use folder::{Compared, FolderDownload, InspectedFolder, folder};
pub use report::{Inspected, InspectedCommand, InspectedFile, Suggested};
pub use run::{InspectRequest, run};
