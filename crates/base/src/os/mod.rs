//! The thin layer over the operating system: the only place where code differs by system. Both files have the same
//! functions with the same signatures.

#[cfg(any(windows, test))]
mod access_list;
mod byte_names;
mod mac_facts;
mod processor_levels;
mod raw_registry;
mod seal;
mod temporary;
mod terminal_context;
#[cfg(unix)]
mod unix;
#[cfg(unix)]
mod unix_attributes;
#[cfg(unix)]
mod unix_context;
#[cfg(unix)]
mod unix_facts;
#[cfg(unix)]
mod unix_held;
#[cfg(unix)]
mod unix_places;
#[cfg(unix)]
mod unix_terminal;
#[cfg(unix)]
mod unix_trust;
#[cfg(unix)]
pub use unix::*;
#[cfg(unix)]
pub use unix_attributes::copy_all_but_content;
#[cfg(unix)]
pub use unix_context::{own_place, print_context, set_context};
#[cfg(unix)]
pub use unix_facts::*;
#[cfg(unix)]
pub use unix_held::HeldFolder;
#[cfg(unix)]
pub use unix_places::writable_places;
#[cfg(unix)]
pub use unix_terminal::{OwnedFd, descriptor_number, open_second_terminal, open_terminal, reads_by_character};
#[cfg(unix)]
pub use unix_trust::{untrusted_for_everybody, untrusted_on_way};

#[cfg(windows)]
mod windows;
#[cfg(windows)]
mod windows_console;
#[cfg(windows)]
mod windows_held;
#[cfg(windows)]
mod windows_process;
#[cfg(windows)]
mod windows_registry;
#[cfg(windows)]
mod windows_rights;
#[cfg(windows)]
pub use windows::*;
#[cfg(windows)]
pub use windows_console::{in_console_code_page, output_is_file};
#[cfg(windows)]
pub use windows_held::HeldFolder;
#[cfg(windows)]
pub use windows_process::*;
#[cfg(windows)]
pub use windows_registry::*;
#[cfg(windows)]
pub use windows_rights::{others_may_write, untrusted_for_everybody};

pub use byte_names::name_from_bytes;
pub use mac_facts::{macos_setting, translates_intel};
pub use processor_levels::processor_levels;
pub use raw_registry::{Hive, RawValue};
pub use seal::{
    Network, SEAL_ARGUMENT, SEALED_VARIABLE, SealChannel, SealLevel, SealReport, SealRequest, own_program, serve_seal,
};
pub use temporary::temporary_name;
pub use terminal_context::{CONTEXT_ARGUMENT, Descriptor, TerminalContext};
