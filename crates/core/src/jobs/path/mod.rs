//! `path`: PATH itself, shown with where each entry comes from, and changed: entries added, dropped, moved, and tidied.
//!
//! In the registry every edit is made. On Unix only what the yard's generated files do is changed; lines that others have
//! written are never rewritten, but the change is proposed.

mod added;
mod change;
mod dropped;
mod error;
mod lines;
mod moved;
mod outcome;
mod proposal;
mod recorded;
mod registry;
mod report;
mod request;
mod run;
mod tidy;

pub use error::PathError;
pub use lines::{PathLine, PathScope};
pub use proposal::Proposal;
pub use recorded::recorded;
pub use report::{PathAction, PathState, Step, StepKind};
pub use request::{PathEdit, PathRequest};
pub use run::run;
