//! The work of Wagon Yard without an interface: this crate prints nothing and parses no arguments.
//!
//! The main job is [`receive`]: it opens an [`archive`], works out its [`layout`], unpacks it into the [`yard`],
//! registers it in a [`store`], and hands over to [`check`], which asks a new [`terminal`] what the commands resolve
//! to. The rules by which callers look a command up are in [`resolve`].
#![deny(clippy::print_stdout, clippy::print_stderr, clippy::exit)]

pub mod archive;
pub mod check;
pub mod checksum;
pub mod error;
pub mod finding;
pub mod installer;
pub mod layout;
pub mod machine;
pub mod os;
pub mod path;
pub mod path_list;
pub mod process;
pub mod program;
pub mod progress;
pub mod receive;
pub mod resolve;
pub mod store;
pub mod survey;
pub mod system;
pub mod terminal;
pub mod trace;
pub mod whole_file;
pub mod yard;
