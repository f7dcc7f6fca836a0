//! Whether two spellings name the same place, by their text alone. On Windows they may differ in case, in separators and in
//! the prefix of long paths.

use std::path::Path;

use crate::system::System;

/// Whether two paths are spelled alike, as the system's own lookups take them.
pub fn is_spelled_alike(one: &Path, other: &Path, system: System) -> bool {
    match system {
        System::Unix => one == other,
        System::Windows => on_windows(&one.to_string_lossy()) == on_windows(&other.to_string_lossy()),
    }
}

/// Whether a path is a folder or lies below it, by their spellings.
pub fn lies_in(path: &Path, folder: &Path, system: System) -> bool {
    match system {
        System::Unix => path.starts_with(folder),
        System::Windows => {
            let (path, folder) = (on_windows(&path.to_string_lossy()), on_windows(&folder.to_string_lossy()));
            path.strip_prefix(&folder).is_some_and(|rest| rest.is_empty() || rest.starts_with('\\'))
        }
    }
}

/// A spelling in one form: `\` between the parts, none doubled and none at the end; no `.` among them; no spaces and dots at
/// the end of a part; without the prefix `\\?\`; in capitals, letter by letter ("Naming Files, Paths, and Namespaces").
fn on_windows(text: &str) -> String {
    let text = text.replace('/', "\\");
    let (is_share, rest) = match (text.strip_prefix(r"\\?\UNC\"), text.strip_prefix(r"\\?\")) {
        (Some(share), _) => (true, share),
        (None, Some(rest)) => (false, rest),
        (None, None) => (text.starts_with(r"\\"), text.as_str()),
    };
    let begin = if is_share {
        r"\\"
    } else if rest.starts_with('\\') {
        "\\"
    } else {
        ""
    };
    let part = |part: &str| match part {
        ".." => part.to_owned(),
        _ => part.trim_end_matches([' ', '.']).to_owned(),
    };
    let parts: Vec<String> = rest.split('\\').map(part).filter(|part| !part.is_empty()).collect();
    let capital = |c: char| {
        let mut capitals = c.to_uppercase();
        match (capitals.next(), capitals.next()) {
            (Some(one), None) => one,
            _ => c,
        }
    };
    format!("{begin}{}", parts.join("\\")).chars().map(capital).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn windows_takes_these_spellings_for_one() {
        for (one, other, alike) in [
            (r"C:\Yd\Yard", "c:/yd/yard/", true),
            (r"C:\a\\b\.\c", r"\\?\C:\A\B\C\", true),
            (r"\\?\UNC\host\share\x", r"\\HOST\share\x\", true),
            (r"C:\a. ", r"C:\A", true),
            ("C:\\Größe", "c:\\GRÖSSE", false),
            ("C:\\größe", "c:\\GRÖßE", true),
            (r"C:\a", r"C:\ab", false),
            (r"\a", r"\\a", false),
            (r"C:\a\..", r"C:\a", false),
        ] {
            assert_eq!(is_spelled_alike(Path::new(one), Path::new(other), System::Windows), alike, "{one} {other}");
        }
        assert!(!is_spelled_alike(Path::new("/a"), Path::new("/A"), System::Unix));
        assert!(is_spelled_alike(Path::new("/a//b/"), Path::new("/a/b"), System::Unix));
    }

    #[test]
    fn what_only_begins_like_a_folder_does_not_lie_in_it() {
        let windows = |path, folder| lies_in(Path::new(path), Path::new(folder), System::Windows);
        assert!(windows(r"c:\windows\SYSTEM32\", r"C:\Windows"));
        assert!(windows(r"C:/Windows", r"C:\Windows\"));
        assert!(!windows(r"C:\WindowsApps", r"C:\Windows"));
    }
}
