//! A program's file: what it is, what it needs before it can start, and whether this machine has that.

mod asks;
mod c_library;
mod download_mark;
mod elf_facts;
mod identify;
mod length;
mod libraries;
mod loading;
mod macho_facts;
mod macho_loading;
mod pe_facts;
mod pe_loading;
mod pe_resources;
mod runtime_packages;
mod script;
mod stated;

pub use asks::{Asks, MOST_READ, Runtime};
pub use c_library::{CLibrary, c_libraries};
pub use download_mark::{DownloadMark, MarkFate};
pub use elf_facts::ElfFacts;
pub use identify::{HEAD_BYTES, Program, ProgramKind};
pub(crate) use length::expected_length;
pub use libraries::{Needs, ThisMachine};
pub use loading::{Brought, Fit, Lack, could_be_library};
pub use pe_resources::PeResources;
pub use script::Interpreter;
pub use stated::stated_version;
