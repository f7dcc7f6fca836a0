//! Findings: things worth telling, each with a stable code.

mod seen;
mod table;
mod verdict;

pub use seen::Finding;
pub use table::{Code, Severity, Texts};
pub use verdict::Verdict;
