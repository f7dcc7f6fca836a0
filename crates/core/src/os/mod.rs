//! The thin layer over the operating system: the only place, with `process`, where code differs by system.
//! Both files have the same functions with the same signatures.

#[cfg(unix)]
mod unix;
#[cfg(unix)]
pub use unix::*;

#[cfg(windows)]
mod windows;
#[cfg(windows)]
pub use windows::*;
