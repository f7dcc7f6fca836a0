//! Edits of the environments that Windows keeps in the registry: what a new process gets from them, what is wrong with them,
//! and a change of one of them. All plain data, and tested everywhere.

mod edit;
mod environment;
mod error;
mod findings;
mod plan;

pub use edit::{Tool, ValueChange};
pub use environment::{Background, Builder, RegistryEntry, RegistryEnvironments, predict};
pub use error::{RegistryError, check_rights};
pub use findings::findings;
pub use plan::RegistryPlan;
