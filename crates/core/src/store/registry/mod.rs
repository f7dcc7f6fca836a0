//! Where PATH lives on Windows: the values of two registry keys, read and written raw. Everything here but the reading
//! and writing itself is plain data, and tested everywhere.

mod edit;
mod environment;
mod findings;
mod keys;
mod plan;
mod value;

pub use environment::{Background, Builder, RegistryEnvironments, predict};
pub use findings::findings;
pub use keys::{Keys, read};
pub use plan::{PathBefore, RegistryError, RegistryPlan, Replaced, Tool, ValueChange};
pub use value::{RegistryKey, RegistryValue, ValueKind};
