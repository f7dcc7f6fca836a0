//! Snapshots: what a machine's terminals find, in one document; and what one says about a command name.

mod compare;
mod format;
mod lookup;
mod private;
mod read;
mod record;
mod traced;

pub use compare::{CommandDifference, CompareWhy, Difference, Meant, compare};
pub use format::{RecordedEntry, RecordedFile, RecordedFolder, RecordedTerminal, RecordedTool, Snapshot};
pub use lookup::{Lookup, Meaning};
pub use read::{SnapshotError, read, write};
pub use record::{RecordRequest, Recorder, record};
pub use traced::traced;
