//! `undo`: taking a change back. Our part of it goes, whatever others have done to the same things since.

mod error;
mod going_back;
mod run;

pub use error::UndoError;
pub use run::{InstalledFolder, UndoRequest, Undone, run};
