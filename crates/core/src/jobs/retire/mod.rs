//! `retire`: taking a tool out of the stock, perhaps by way of its own uninstaller, and removing what was retired.

mod error;
mod removed;
mod report;
mod retired;
mod run;
mod uninstall;

pub use error::RetireError;
pub(super) use removed::remove_old;
pub use report::{Retired, RetiredTool, UninstallPlan, UninstalledTool};
pub(super) use retired::retire;
pub use run::{RetireRequest, UninstallOptions, run};
