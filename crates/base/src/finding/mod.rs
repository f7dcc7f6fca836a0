//! Findings: things worth telling, each with a stable code.

mod seen;
mod table;

pub use seen::Finding;
pub use table::{Code, Severity, Texts};
