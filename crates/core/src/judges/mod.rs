//! Shells and programs as judges of the lookup rules: on made machines, what really runs is compared with what is predicted.

mod answer;
mod compared;
mod judge;
mod machines;
mod unix;
mod windows;

pub(crate) use answer::ending;
pub use compared::{Disagreement, JudgedCaller};
pub use judge::{Judging, judge};
pub use machines::{MadeMachine, make};
pub use windows::act;
