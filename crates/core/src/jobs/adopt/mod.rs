//! `adopt`: bringing a folder that is already in place under the yard's records, and looking for such folders.

mod error;
mod folder;
mod report;
mod search;

pub use error::AdoptError;
pub use folder::run;
pub use report::{AdoptRequest, AdoptedFolder, FoundTool, FoundTools, Installed};
pub use search::search;
