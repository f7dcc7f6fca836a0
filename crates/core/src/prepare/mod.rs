//! Preparing a tool beyond its archive: settings copied from samples and edited, texts replaced, small files written, and
//! launchers for tools that need an interpreter. Everything is declared; nothing is run.

mod apply;
mod carry;
mod error;
mod format;
mod launcher;
mod lone;
mod placeholders;
mod settings;
mod settings_toml;

pub use apply::{Origin, PreparedFile, Preparing};
pub use carry::{Carried, Earlier, carry, inherited};
pub use error::PrepareError;
pub use format::{Edit, Launcher, PrepareStep, SetKey, SettingValue, Step};
pub use launcher::LAUNCHERS;
pub use lone::{SingleFileTool, lone};
pub use placeholders::{Placeholders, tools_named};
