//! The demo: the Brackwater Tide Office sets up a workstation.

mod pack;
mod show;
mod world;

pub use show::Show;
pub use world::World;
