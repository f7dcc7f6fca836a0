//! A seal: a program started so that nothing it writes lasts and no process of it stays.
//!
//! The asking process starts its own executable with [`SEAL_ARGUMENT`], which makes the seal and starts the program in
//! it. A new process does it because a new user namespace needs one with a single thread (unshare(2), `EINVAL`).

mod level;
mod report;
mod request;

#[cfg(target_os = "linux")]
mod calls;
#[cfg(target_os = "linux")]
mod capabilities;
#[cfg(target_os = "linux")]
mod channel;
#[cfg(target_os = "linux")]
mod cover;
#[cfg(target_os = "linux")]
mod devices;
#[cfg(target_os = "linux")]
mod leftovers;
#[cfg(target_os = "linux")]
mod mount_table;
#[cfg(target_os = "linux")]
mod places;
#[cfg(target_os = "linux")]
mod reach;
#[cfg(target_os = "linux")]
mod refused;
#[cfg(target_os = "linux")]
mod serve;

#[cfg(target_os = "linux")]
pub use channel::{SealChannel, own_program};
#[cfg(target_os = "linux")]
pub(super) use mount_table::remote_places;
#[cfg(target_os = "linux")]
pub use serve::serve_seal;

#[cfg(target_os = "linux")]
pub(super) fn mounted_places() -> Vec<std::path::PathBuf> {
    mount_table::mount_points().unwrap_or_default()
}

#[cfg(not(target_os = "linux"))]
mod elsewhere;
#[cfg(not(target_os = "linux"))]
pub use elsewhere::{SealChannel, own_program, serve_seal};
#[cfg(all(unix, not(target_os = "linux")))]
pub(super) use elsewhere::{mounted_places, remote_places};

pub use level::SealLevel;
pub use report::SealReport;
pub use request::{Network, SealRequest};

/// The first argument of a call that makes a seal; the number of the channel's descriptor follows it.
pub const SEAL_ARGUMENT: &str = "sealed-start";

/// What a sealed program has for a variable, so that this program knows when it is itself in a seal: the level's name.
pub const SEALED_VARIABLE: &str = "WYARD_SEALED";
