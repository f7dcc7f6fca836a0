//! The thin layer over the operating system: the only place where code differs by system.

mod unix;

pub use unix::*;
