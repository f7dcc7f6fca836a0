//! `receive`: from a downloaded file to a proven command.

mod downloading;
mod error;
mod fitting;
mod further;
mod installer;
mod observer;
mod report;
mod request;
mod run;
mod stages;

pub use error::ReceiveError;
pub use observer::{Observer, Stage};
pub use report::{InstalledTool, LeftUndone, Received, ReceivedTool};
pub use request::{
    Effect, FileUse, FinalCheck, Finish, FurtherArchive, InstallerOptions, Placement, Reading, ReceiveRequest,
    ReceiveSource, SameVersion, Service,
};
pub use run::run;
pub use stages::{Checked, Identified, LaidOut, Placed, Registered};
