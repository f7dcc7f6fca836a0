//! How callers look a command up: pure rules over a view of the file system.

mod builtins;
mod caller;
mod candidate;
mod context;
mod listed;
mod lookup;
mod unix;
mod view;
mod windows;

pub use builtins::{builtin, own_answer};
pub use caller::{Caller, Shell};
pub use candidate::{Candidate, Kind, Reason, Standing, winner};
pub use context::{LookupContext, USUAL_EXTENSIONS};
pub use listed::ListedDisk;
pub use lookup::candidates;
pub use view::{Disk, FileKind, FileView, same_file, same_place};
