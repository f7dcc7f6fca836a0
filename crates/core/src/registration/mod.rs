//! Bringing the stores to what the cards say: plans of the change of startup files or the registry, for a tool that is put
//! first or taken out.

mod error;
mod registrar;

pub use error::{RegistrationError, check_scope};
pub use registrar::{Registrar, registration};
