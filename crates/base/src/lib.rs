//! The lower layers of Wagon Yard's core: the operating system, names, findings, reports, what a PATH value and a program's
//! file say, sealed runs, checksums, archives. `docs/architecture.md` lists the layers.
//!
//! A crate of its own: what differs between systems is checked for each of them by itself, and it compiles while others do.
#![deny(clippy::print_stdout, clippy::print_stderr, clippy::exit)]

pub mod archive;
pub mod checksum;
pub mod clock;
pub mod environment;
pub mod error;
pub mod finding;
pub mod given;
pub mod machine;
pub mod naming;
pub mod os;
pub mod path_list;
pub mod process;
pub mod program;
pub mod progress;
pub mod quote;
pub mod registry;
pub mod report;
mod schema;
pub mod scope;
pub mod suggestion;
pub mod system;
pub mod visible;
pub mod whole_file;
