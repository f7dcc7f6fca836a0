//! The trace: what a command name means to each caller, in this terminal and in a new one, and what else it could mean.

mod answers;
mod elevated;
mod names;
mod nearest;
mod origins;
mod report;

pub use names::{TraceRequest, trace};
pub use report::{CallerTrace, CandidateTrace, CommandTrace, TracedCommands};
