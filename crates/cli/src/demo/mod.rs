//! The demo: the Brackwater Tide Office sets up a workstation.

mod pack;
mod server;
mod show;
mod world;

pub use show::Show;
#[cfg(test)]
pub use show::Shown;
pub use world::World;

use crate::failure::{Failure, exit};

pub fn not_built(error: std::io::Error) -> Failure {
    let message = format!("the demo's sandbox could not be built: {error}");
    Failure::new(exit::MACHINE, message, Some("name another place with --keep DIR"))
}
