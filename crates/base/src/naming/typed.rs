//! What a person types to run a file.

use std::path::Path;

use crate::system::System;

/// The place of a file's extension among those that `cmd` can start by itself, in the order of PATHEXT.
pub fn extension_rank(name: &str) -> Option<usize> {
    let extension = Path::new(name).extension()?;
    ["com", "exe", "bat", "cmd"].iter().position(|listed| extension.eq_ignore_ascii_case(listed))
}

/// What a person types to run a file.
pub fn typed(file: &Path, system: System) -> String {
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    match system {
        System::Windows if extension_rank(&name).is_some() => {
            file.file_stem().unwrap_or_default().to_string_lossy().into_owned()
        }
        _ => name,
    }
}
