//! The work of Wagon Yard without an interface: this crate prints nothing and parses no arguments.
//!
//! A [`session::Session`] holds what every job needs; [`jobs`] has one job for each command. The main one is
//! [`jobs::receive`]: it opens an [`archive`], works out its [`layout`], unpacks it into the [`yard`], registers it in a
//! [`store`], and hands over to [`check`], which asks a new [`terminal`] what the commands resolve to. The rules by which
//! callers look a command up are in [`resolve`]. Modules stand in layers, which `docs/architecture.md` lists; the lower ones
//! are a crate of their own, `wagon-yard-base`, and found here by the same names.
#![deny(clippy::print_stdout, clippy::print_stderr, clippy::exit)]

pub use wagon_yard_base::{
    archive, checksum, clock, environment, error, finding, given, machine, naming, os, path_list, process, program,
    progress, quote, registry, report, scope, suggestion, system, visible, whole_file,
};

pub mod change;
pub mod check;
pub mod download;
pub mod facts;
pub mod folders;
pub mod installer;
pub mod jobs;
pub mod judges;
pub mod layout;
pub mod order;
pub mod prepare;
pub mod registration;
pub mod resolve;
pub mod session;
pub mod shells;
pub mod snapshot;
pub mod start_policy;
pub mod store;
pub mod survey;
pub mod terminal;
pub mod trace;
pub mod waybill;
pub mod yard;
