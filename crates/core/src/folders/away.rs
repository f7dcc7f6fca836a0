//! Folders on drives that are not there at present.

use std::path::Path;

use crate::system::System;

/// The drive or share of a folder, where it is not there now: a drive of the network that is not connected, or was connected by a
/// session with other rights, whose drives an elevated one does not have ("Mapped drives are not available from an elevated
/// prompt"). Then nobody can say whether the folder is.
pub fn drive_away(folder: &Path, system: System) -> Option<String> {
    if system == System::Unix {
        return None;
    }
    root_of(&folder.to_string_lossy()).filter(|root| !Path::new(root).exists())
}

/// The root that a path of Windows begins with: `X:\` or `\\HOST\SHARE\`.
fn root_of(text: &str) -> Option<String> {
    let text = text.replace('/', "\\");
    if let Some(rest) = text.strip_prefix(r"\\") {
        let mut parts = rest.split('\\').filter(|part| !part.is_empty());
        return Some(format!(r"\\{}\{}\", parts.next()?, parts.next()?));
    }
    let mut chars = text.chars();
    let letter = chars.next().filter(char::is_ascii_alphabetic)?;
    (chars.next() == Some(':')).then(|| format!(r"{letter}:\"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn drives_and_shares_are_roots() {
        for (text, root) in [
            (r"Z:\tide\bin", Some(r"Z:\")),
            ("z:/tide", Some(r"z:\")),
            (r"\\host\share\tide", Some(r"\\host\share\")),
            (r"\\host", None),
            (r"\tide", None),
            ("tide", None),
        ] {
            assert_eq!(root_of(text).as_deref(), root, "{text}");
        }
        assert_eq!(drive_away(Path::new("/nothing/here"), System::Unix), None);
    }
}
