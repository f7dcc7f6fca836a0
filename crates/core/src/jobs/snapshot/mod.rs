//! `snapshot`: this machine in one file.

mod recording;
mod run;

pub use recording::{RecordRequest, record};
pub use run::{SnapshotRequest, WrittenSnapshot, run};
