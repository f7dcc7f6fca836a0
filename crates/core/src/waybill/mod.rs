//! Waybills: which tools a machine is to have, where they come from, and how each is set up.

mod error;
mod format;
mod order;
mod read;

pub use error::WaybillError;
pub use format::{
    Place, Waybill, WaybillArchive, WaybillRequires, WaybillSource, WaybillStep, WaybillTool, WaybillTrial,
};
pub use order::in_order;
pub use read::read;
