//! Starting other programs with a time limit, closed input, capped output, and nothing left running afterwards; sealed
//! where they are only asked.

mod collected;
pub mod command_line;
mod run;
mod sealer;
mod side_by_side;
mod start;
mod streams;
mod typist;

pub use crate::os::{Descriptor, Network, SealLevel, TerminalContext};
pub use run::{Ending, Outcome, run, run_all, run_observed};
pub use sealer::{SealOptions, Sealer};
pub use side_by_side::side_by_side;
pub use start::Start;
pub use streams::OutputObserver;
pub use typist::{Line, Typing};
