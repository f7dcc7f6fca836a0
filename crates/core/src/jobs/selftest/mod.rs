//! `selftest`: whether what was tried elsewhere holds on this machine.

mod rehearsal;
mod report;
mod run;
mod steps;

pub use report::{SelfTest, SelfTestStep};
pub use run::{SelfTestError, SelfTestRequest, StageObserver, run};
