//! `stock`: what the yard holds, and settling what cards and folders disagree about.

mod list;
mod look;
mod mend;
mod recorded;
mod report;
mod run;

pub(super) use look::other_meanings;
pub use recorded::recorded;
pub use report::{ForeignCopy, MendedStock, NewTerminals, OtherMeaning, StockReport, StockTool, ToolStock};
pub use run::{StockRequest, run};
