//! The demo: the Brackwater Tide Office sets up a workstation.

mod pack;
mod server;
mod show;
mod world;

pub use show::Show;
#[cfg(test)]
pub use show::Shown;
pub use world::{World, not_built};
