//! The work of Wagon Yard without an interface: this crate prints nothing and parses no arguments.
//!
//! A [`session::Session`] holds what every job needs; [`jobs`] has one job for each command. The main one is
//! [`jobs::receive`]: it opens an [`archive`], works out its [`layout`], unpacks it into the [`yard`], registers it in a
//! [`store`], and hands over to [`check`], which asks a new [`terminal`] what the commands resolve to. The rules by which
//! callers look a command up are in [`resolve`]. Modules stand in layers, which `docs/architecture.md` lists.
#![deny(clippy::print_stdout, clippy::print_stderr, clippy::exit)]

pub mod archive;
pub mod change;
pub mod check;
pub mod checksum;
pub mod clock;
pub mod environment;
pub mod error;
pub mod finding;
pub mod folders;
pub mod installer;
pub mod jobs;
pub mod layout;
pub mod machine;
pub mod naming;
pub mod order;
pub mod os;
pub mod path_list;
pub mod process;
pub mod program;
pub mod progress;
pub mod registration;
pub mod registry;
pub mod report;
pub mod resolve;
pub mod scope;
pub mod session;
pub mod store;
pub mod suggestion;
pub mod survey;
pub mod system;
pub mod terminal;
pub mod trace;
pub mod visible;
pub mod whole_file;
pub mod yard;
