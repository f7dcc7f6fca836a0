//! What lies in a download beside its programs, by the names of the files.

use std::collections::BTreeMap;
use std::path::Path;

/// The first two levels, folders with the number of files in them.
pub(super) fn tree(files: &[&Path]) -> Vec<(String, usize)> {
    let mut tree: BTreeMap<String, usize> = BTreeMap::new();
    for file in files {
        let mut file = file.to_string_lossy();
        if std::path::MAIN_SEPARATOR != '/' {
            file = file.replace(std::path::MAIN_SEPARATOR, "/").into();
        }
        let folders = file.match_indices('/').map(|(at, _)| at + 1);
        for end in folders.chain([file.len()]).take(2) {
            // Most lie in a folder that was met before.
            match tree.get_mut(&file[..end]) {
                Some(count) => *count += 1,
                None => _ = tree.insert(file[..end].to_owned(), 1),
            }
        }
    }
    tree.into_iter().collect()
}

/// Whether a file shows how settings are written, by its name in small letters.
pub(super) fn is_sample(name: &str) -> bool {
    const MARKS: [&str; 6] = ["sample", "example", "dist", "template", "development", "default"];
    let ending = |mark: &&str| name.strip_suffix(mark).is_some_and(|rest| rest.ends_with(['.', '-', '_']));
    // A part between two dots, or behind a hyphen and before a dot.
    let (mut before_dot, mut first) = (name.rsplit_once('.').map(|(before, _)| before.split('.')), true);
    let inside = |part: &str| {
        let is_first = std::mem::take(&mut first);
        let is = |mark: &&str| {
            part.strip_suffix(mark).is_some_and(|rest| rest.ends_with('-') || rest.is_empty() && !is_first)
        };
        MARKS[..3].iter().any(is)
    };
    MARKS.iter().any(ending) || before_dot.as_mut().is_some_and(|parts| parts.any(inside))
}

/// Whether a file tells how the tool is set up and used.
pub(super) fn is_document(name: &str) -> bool {
    ["readme", "install", "getting-started", "quickstart", "usage"].iter().any(|begin| {
        let rest = name.strip_prefix(begin);
        rest.is_some_and(|rest| rest.is_empty() || [".md", ".txt", ".rst", ".adoc", ".html", ".pdf"].contains(&rest))
    })
}

pub(super) fn is_installer(name: &str) -> bool {
    let (stem, ending) = name.rsplit_once('.').unwrap_or((name, ""));
    matches!(ending, "msi" | "pkg" | "run")
        || (matches!(ending, "exe" | "sh" | "bat" | "cmd") && (stem.contains("setup") || stem.contains("install")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_told_by_their_names() {
        for (name, sample, document, installer) in [
            ("tidelog.ini.sample", true, false, false),
            ("settings-development", true, false, false),
            ("tide.example.toml", true, false, false),
            ("tide-sample.toml", true, false, false),
            ("sample.toml", false, false, false),
            ("examples.txt", false, false, false),
            ("readme.md", false, true, false),
            ("install.txt", false, true, false),
            ("install.sh", false, false, true),
            ("tidelog-setup.exe", false, false, true),
            ("tidelog.msi", false, false, true),
            ("tidelog.exe", false, false, false),
        ] {
            assert_eq!(
                (is_sample(name), is_document(name), is_installer(name)),
                (sample, document, installer),
                "{name}"
            );
        }
        let files = ["bin/t", "bin/u", "lib/a/x", "lib/a/y", "read"].map(Path::new);
        let expected = [("bin/", 2), ("bin/t", 1), ("bin/u", 1), ("lib/", 2), ("lib/a/", 2), ("read", 1)];
        assert_eq!(tree(&files), expected.map(|(name, count)| (name.to_owned(), count)));
    }
}
