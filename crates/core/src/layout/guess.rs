//! Name, version, system and processor, as far as a file's or a folder's name tells them.

/// What a name told; each part may be missing.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Guess {
    /// The tool's name.
    pub name: Option<String>,
    /// Its version, without a leading `v`.
    pub version: Option<String>,
    /// The system: `linux`, `macos`, `windows`, `freebsd`.
    pub os: Option<&'static str>,
    /// The processor: `x86_64`, `aarch64`, `x86`, `arm`, `riscv64`.
    pub arch: Option<&'static str>,
}

impl Guess {
    /// Fills what is missing from a second guess. A second name that came with a version replaces a first one that
    /// came without: `download.zip` says less than `tidelog-4.2.1` inside it.
    #[must_use]
    pub fn or(self, other: Self) -> Self {
        let prefer_other = self.version.is_none() && other.version.is_some() && other.name.is_some();
        Self {
            name: if prefer_other { other.name } else { self.name.or(other.name) },
            version: self.version.or(other.version),
            os: self.os.or(other.os),
            arch: self.arch.or(other.arch),
        }
    }
}

/// Endings of the names of archives and programs, the longer ones first.
const ENDINGS: [&str; 24] = [
    ".tar.lzma",
    ".tar.bz2",
    ".tar.zst",
    ".tar.gz",
    ".tar.xz",
    ".lzma",
    ".tbz2",
    ".tzst",
    ".tgz",
    ".txz",
    ".tbz",
    ".zip",
    ".tar",
    ".bz2",
    ".zst",
    ".deb",
    ".exe",
    ".msi",
    ".pkg",
    ".run",
    ".gz",
    ".xz",
    ".7z",
    ".sh",
];

/// Words for systems; the last column is `None` for words that only accompany one.
const SYSTEMS: [(&str, Option<&str>); 23] = [
    ("linux", Some("linux")),
    ("linux64", Some("linux")),
    ("linux32", Some("linux")),
    ("darwin", Some("macos")),
    ("macos", Some("macos")),
    ("macosx", Some("macos")),
    ("mac", Some("macos")),
    ("osx", Some("macos")),
    ("apple", Some("macos")),
    ("windows", Some("windows")),
    ("win", Some("windows")),
    ("win64", Some("windows")),
    ("win32", Some("windows")),
    ("freebsd", Some("freebsd")),
    ("unknown", None),
    ("pc", None),
    ("gnu", None),
    ("musl", None),
    ("msvc", None),
    ("static", None),
    ("gnueabihf", None),
    ("musleabihf", None),
    ("glibc", None),
];

const PROCESSORS: [(&str, &str); 18] = [
    ("x86_64", "x86_64"),
    ("amd64", "x86_64"),
    ("x64", "x86_64"),
    ("64bit", "x86_64"),
    ("aarch64", "aarch64"),
    ("arm64", "aarch64"),
    ("armv8", "aarch64"),
    ("armv7", "arm"),
    ("armv7l", "arm"),
    ("armhf", "arm"),
    ("arm", "arm"),
    ("i386", "x86"),
    ("i686", "x86"),
    ("386", "x86"),
    ("x86", "x86"),
    ("32bit", "x86"),
    ("riscv64", "riscv64"),
    ("universal", "several"),
];

/// Words that continue a version: `1.2.3-rc.1`.
const PRE_RELEASE: [&str; 8] = ["alpha", "beta", "rc", "pre", "preview", "dev", "snapshot", "nightly"];

/// Reads what a file's or folder's name tells. Archive endings and a browser's ` (1)` are dropped first; words are
/// separated by `-`, `_`, space, and a `+` that no digit precedes.
#[must_use]
pub fn guess(file_name: &str) -> Guess {
    let stem = without_ending(file_name);
    // The one processor word with a separator inside.
    let stem = stem.replace("x86_64", "x86\u{1}64").replace("X86_64", "x86\u{1}64");
    let mut guess = Guess::default();
    let mut name = Vec::new();
    let mut version: Option<String> = None;
    let mut in_version = false;
    for word in stem.split(['-', '_', ' ']).filter(|w| !w.is_empty()) {
        let word = word.replace('\u{1}', "_");
        let lower = word.to_ascii_lowercase();
        if let Some((_, arch)) = PROCESSORS.iter().find(|(w, _)| *w == lower) {
            guess.arch = guess.arch.or(Some(arch));
            in_version = false;
        } else if guess.os.is_some() && matches!(&*lower, "64" | "32") {
            guess.arch = guess.arch.or(Some(if lower == "64" { "x86_64" } else { "x86" }));
        } else if !name.is_empty() && SYSTEMS.iter().any(|(w, _)| *w == lower) {
            let meant = SYSTEMS.iter().find(|(w, _)| *w == lower).and_then(|(_, os)| *os);
            guess.os = guess.os.or(meant);
            if lower.ends_with("64") {
                guess.arch = guess.arch.or(Some("x86_64"));
            }
            in_version = false;
        } else if let Some(version) = version.as_mut().filter(|_| in_version) {
            if is_pre_release(&lower) {
                version.push('-');
                version.push_str(&word);
            } else {
                in_version = false;
            }
        } else if version.is_none() && !name.is_empty() && is_version(&lower) {
            version = Some(lower.strip_prefix('v').unwrap_or(&lower).to_owned());
            in_version = true;
        } else if version.is_none() && guess.os.is_none() && guess.arch.is_none() {
            name.push(word);
        }
    }
    guess.version = version;
    guess.name = (!name.is_empty()).then(|| name.join("-").to_ascii_lowercase());
    guess
}

fn without_ending(file_name: &str) -> String {
    let lower = file_name.to_ascii_lowercase();
    let ending = ENDINGS.iter().find(|e| lower.ends_with(**e));
    let stem = &file_name[..file_name.len() - ending.map_or(0, |e| e.len())];
    // A browser's second download: "name (1)".
    match stem.rsplit_once(" (") {
        Some((before, digits)) if digits.strip_suffix(')').is_some_and(|d| d.bytes().all(|b| b.is_ascii_digit())) => {
            before.to_owned()
        }
        _ => stem.to_owned(),
    }
}

/// `v1`, `1.2`, `20260311`, `1.2.3rc1`, `2.0b3`, `1.2+build5`: an optional `v`, then a digit, then parts.
fn is_version(word: &str) -> bool {
    let bare = word.strip_prefix('v').unwrap_or(word);
    let (core, _) = bare.split_once('+').unwrap_or((bare, ""));
    let digits = core.bytes().take_while(u8::is_ascii_digit).count();
    digits > 0 && core.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'.' || b == b'~') && {
        // "3d" and "7zip" are words; "2.0b3" and "17ea" with a dot or pure digits are versions.
        core.len() == digits || core.as_bytes()[digits] == b'.' || is_pre_release(&core[digits..])
    }
}

fn is_pre_release(word: &str) -> bool {
    PRE_RELEASE
        .iter()
        .any(|p| word.strip_prefix(p).is_some_and(|rest| rest.bytes().all(|b| b.is_ascii_digit() || b == b'.')))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_as_download_pages_write_them() {
        type Case<'a> = (&'a str, Option<&'a str>, Option<&'a str>, Option<&'a str>, Option<&'a str>);
        let cases: [Case; 24] = [
            ("tidelog-4.2.1-linux-x64.tar.gz", Some("tidelog"), Some("4.2.1"), Some("linux"), Some("x86_64")),
            ("shoal_v2.0.3_darwin_arm64.zip", Some("shoal"), Some("2.0.3"), Some("macos"), Some("aarch64")),
            ("coastkit-1.8.0.zip", Some("coastkit"), Some("1.8.0"), None, None),
            ("driftc-x86_64-unknown-linux-musl-1.4.tgz", Some("driftc"), Some("1.4"), Some("linux"), Some("x86_64")),
            (
                "tide-log-tools-2.0-rc.1-win64.zip",
                Some("tide-log-tools"),
                Some("2.0-rc.1"),
                Some("windows"),
                Some("x86_64"),
            ),
            ("tidelog-4.2.1 (1).tar.gz", Some("tidelog"), Some("4.2.1"), None, None),
            ("tidelog-4.2.1", Some("tidelog"), Some("4.2.1"), None, None),
            ("TideLog_4.2.1_Windows_i386.ZIP", Some("tidelog"), Some("4.2.1"), Some("windows"), Some("x86")),
            ("tidelog-20260311.zip", Some("tidelog"), Some("20260311"), None, None),
            ("tidelog-v4.zip", Some("tidelog"), Some("4"), None, None),
            ("tidelog-linux-64.zip", Some("tidelog"), None, Some("linux"), Some("x86_64")),
            ("tide2log-1.0.tar", Some("tide2log"), Some("1.0"), None, None),
            ("tide-3d-1.0.zip", Some("tide-3d"), Some("1.0"), None, None),
            ("tidelog-1.2.3rc1.zip", Some("tidelog"), Some("1.2.3rc1"), None, None),
            ("tidelog-1.2.3+build5.zip", Some("tidelog"), Some("1.2.3+build5"), None, None),
            ("tidelog-2.0b3-beta2.zip", Some("tidelog"), Some("2.0b3-beta2"), None, None),
            ("tidelog.zip", Some("tidelog"), None, None, None),
            ("download.zip", Some("download"), None, None, None),
            ("4.2.1.zip", Some("4.2.1"), None, None, None),
            ("win-gauge-1.0.zip", Some("win-gauge"), Some("1.0"), None, None),
            ("tidelog-4.2.1-full-linux.zip", Some("tidelog"), Some("4.2.1"), Some("linux"), None),
            ("tidelog-windows.zip", Some("tidelog"), None, Some("windows"), None),
            ("", None, None, None, None),
            (".zip", None, None, None, None),
        ];
        for (file, name, version, os, arch) in cases {
            let seen = guess(file);
            let expected = Guess { name: name.map(str::to_owned), version: version.map(str::to_owned), os, arch };
            assert_eq!(seen, expected, "{file}");
        }
    }

    #[test]
    fn the_wrapper_fills_what_the_file_name_lacks() {
        let both = |file, wrapper| {
            let seen = guess(file).or(guess(wrapper));
            (seen.name.unwrap_or_default(), seen.version.unwrap_or_default())
        };
        assert_eq!(both("download.zip", "tidelog-4.2.1"), ("tidelog".into(), "4.2.1".into()));
        assert_eq!(both("tidelog-4.2.1.zip", "tl"), ("tidelog".into(), "4.2.1".into()));
        assert_eq!(both("tidelog.zip", "package"), ("tidelog".into(), String::new()));
    }
}
