//! `deliver`: bringing this machine to what a waybill says.

mod difference;
mod error;
mod prefetch;
mod report;
mod run;
mod steps;

pub use error::DeliverError;
pub use report::{DeliveredTool, Delivery, DeliveryState, DeliveryStep};
pub use run::{DeliverRequest, run};
