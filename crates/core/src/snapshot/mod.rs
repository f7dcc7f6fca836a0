//! Snapshots: what a machine's terminals find, in one document; and what one says about a command name.

mod brief;
mod compare;
mod format;
mod lookup;
mod many;
mod private;
mod read;
mod record;
mod survey;
mod traced;
mod tracks;

pub use compare::{CommandDifference, CompareWhy, Difference, Meant, compare};
pub use format::{
    FORMAT, RecordedEntry, RecordedFile, RecordedFolder, RecordedOther, RecordedStore, RecordedTerminal, RecordedTool,
    Snapshot,
};
pub use lookup::{Lookup, Meaning};
pub use many::{Base, BriefSnapshot, DifferingCommand};
pub(crate) use private::Private;
pub use read::{SnapshotError, SnapshotText, keep, parse, read, write};
pub use record::{Recorder, entry_folders};
pub use survey::{RecordedEntrySurvey, RecordedFinding, RecordedSurvey};
pub use traced::traced;
pub use tracks::{Track, TrackMap, TrackStop, TrackTerminal, TrackedName, tracks};
