//! Name, version, system and processor, as far as a file's or a folder's name tells them.

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Guess {
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

/// Words in the place of a version that name none: what they mean changes from day to day.
const VAGUE: [&str; 9] = ["latest", "nightly", "main", "master", "trunk", "develop", "stable", "current", "head"];

/// Words that continue a version: `1.2.3-rc.1`.
const PRE_RELEASE: [&str; 8] = ["alpha", "beta", "rc", "pre", "preview", "dev", "snapshot", "nightly"];

/// Reads what a file's or folder's name tells. Archive endings and a browser's ` (1)` are dropped first; words are
/// separated by `-`, `_`, space, and a `+` that no digit precedes.
pub fn guess(file_name: &str) -> Guess {
    let stem = without_ending(file_name);
    // The one processor word with a separator inside.
    let stem = stem.replace("x86_64", "x86\u{1}64").replace("X86_64", "x86\u{1}64");
    let mut guess = Guess::default();
    let mut name = Vec::new();
    let mut version: Option<String> = None;
    let mut in_version = false;
    // What a word such as `win64` says of the processor counts only where no other word does.
    let mut by_system = None;
    for word in stem.split(['-', '_', ' ']).filter(|w| !w.is_empty()) {
        let word = word.replace('\u{1}', "_");
        let lower = word.to_ascii_lowercase();
        if let Some((_, arch)) = PROCESSORS.iter().find(|(w, _)| *w == lower) {
            guess.arch = guess.arch.or(Some(arch));
            in_version = false;
        } else if guess.os.is_some() && matches!(&*lower, "64" | "32") {
            guess.arch = guess.arch.or(Some(if lower == "64" { "x86_64" } else { "x86" }));
        } else if let Some(meant) = system(&lower).filter(|_| !name.is_empty()) {
            guess.os = guess.os.or(meant);
            by_system = by_system.or(match &lower {
                word if word.ends_with("64") => Some("x86_64"),
                word if word.ends_with("32") => Some("x86"),
                _ => None,
            });
            in_version = false;
        } else if version.is_none() && !name.is_empty() && VAGUE.contains(&&*lower) {
            in_version = false;
        } else if let Some(version) = version.as_mut().filter(|_| in_version) {
            if is_pre_release(&lower) || continues_date(version, &lower) {
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
    guess.arch = guess.arch.or(by_system);
    guess.name = (!name.is_empty()).then(|| name.join("-").to_ascii_lowercase());
    guess
}

/// What a word says of the system: `Some(None)` for one that only accompanies such a word. A release may follow it
/// without a separator (`macos11`).
fn system(word: &str) -> Option<Option<&'static str>> {
    let bare = word.trim_end_matches(|c: char| c.is_ascii_digit() || c == '.');
    let known = |word: &str| SYSTEMS.iter().find(|(w, _)| *w == word).map(|(_, os)| *os);
    known(word).or_else(|| known(bare).filter(Option::is_some))
}

/// Whether a word goes on with a date: month or day after `2026` or `2026-03`.
fn continues_date(version: &str, word: &str) -> bool {
    let digits = |text: &str, count: usize| text.len() == count && text.bytes().all(|b| b.is_ascii_digit());
    let (year, month) = version.split_once('-').unwrap_or((version, "01"));
    digits(year, 4) && (year.starts_with("19") || year.starts_with("20")) && digits(month, 2) && digits(word, 2)
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

/// Whether a file is called as an archive or a package, and not as a program by itself, packed or not.
pub fn is_called_as_archive(file_name: &str) -> bool {
    const OF_MANY: [&str; 10] = [".tar", ".zip", ".7z", ".deb", ".msi", ".pkg", ".tgz", ".txz", ".tbz", ".tbz2"];
    let lower = file_name.to_ascii_lowercase();
    lower.contains(".tar.") || lower.ends_with(".tzst") || OF_MANY.iter().any(|ending| lower.ends_with(ending))
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
    use crate::naming::guess::*;

    /// File name, name, version, system, processor; `-` for what the name does not tell.
    const NAMES: &str = "
        tidelog-4.2.1-linux-x64.tar.gz | tidelog 4.2.1 linux x86_64
        shoal_v2.0.3_darwin_arm64.zip | shoal 2.0.3 macos aarch64
        coastkit-1.8.0.zip | coastkit 1.8.0 - -
        driftc-x86_64-unknown-linux-musl-1.4.tgz | driftc 1.4 linux x86_64
        tide-log-tools-2.0-rc.1-win64.zip | tide-log-tools 2.0-rc.1 windows x86_64
        tidelog-4.2.1 (1).tar.gz | tidelog 4.2.1 - -
        tidelog-4.2.1 | tidelog 4.2.1 - -
        TideLog_4.2.1_Windows_i386.ZIP | tidelog 4.2.1 windows x86
        tidelog-20260311.zip | tidelog 20260311 - -
        tidelog-v4.zip | tidelog 4 - -
        tidelog-linux-64.zip | tidelog - linux x86_64
        tide2log-1.0.tar | tide2log 1.0 - -
        tide-3d-1.0.zip | tide-3d 1.0 - -
        tidelog-1.2.3rc1.zip | tidelog 1.2.3rc1 - -
        tidelog-1.2.3+build5.zip | tidelog 1.2.3+build5 - -
        tidelog-2.0b3-beta2.zip | tidelog 2.0b3-beta2 - -
        tidelog.zip | tidelog - - -
        download.zip | download - - -
        4.2.1.zip | 4.2.1 - - -
        win-gauge-1.0.zip | win-gauge 1.0 - -
        tidelog-4.2.1-full-linux.zip | tidelog 4.2.1 linux -
        tidelog-windows.zip | tidelog - windows -
        tidelog-4.2.1-linux-amd64.tar.xz | tidelog 4.2.1 linux x86_64
        tidelog-4.2.1-linux-aarch64.tar.zst | tidelog 4.2.1 linux aarch64
        tidelog-4.2.1-linux-armv7l.tar.bz2 | tidelog 4.2.1 linux arm
        tidelog-4.2.1-linux-armhf.tbz2 | tidelog 4.2.1 linux arm
        tidelog-4.2.1-linux-riscv64.txz | tidelog 4.2.1 linux riscv64
        tidelog-4.2.1-linux-i686.tar.lzma | tidelog 4.2.1 linux x86
        tidelog-4.2.1-linux32.7z | tidelog 4.2.1 linux x86
        tidelog-4.2.1-linux64.7z | tidelog 4.2.1 linux x86_64
        tidelog_4.2.1_amd64.deb | tidelog 4.2.1 - x86_64
        tidelog_4.2.1-1_arm64.deb | tidelog 4.2.1 - aarch64
        tidelog-4.2.1-macos-universal.zip | tidelog 4.2.1 macos several
        tidelog-4.2.1-macos11-arm64.zip | tidelog 4.2.1 macos aarch64
        tidelog-4.2.1-osx-x64.zip | tidelog 4.2.1 macos x86_64
        tidelog-4.2.1-apple-darwin-aarch64.tar.gz | tidelog 4.2.1 macos aarch64
        tidelog-aarch64-apple-darwin.tar.gz | tidelog - macos aarch64
        tidelog-x86_64-pc-windows-msvc.zip | tidelog - windows x86_64
        tidelog-x86_64-pc-windows-gnu-4.2.1.zip | tidelog 4.2.1 windows x86_64
        tidelog-v4.2.1-x86_64-unknown-linux-gnu.tar.gz | tidelog 4.2.1 linux x86_64
        tidelog-4.2.1-win32.zip | tidelog 4.2.1 windows x86
        tidelog-4.2.1-win32-x64.zip | tidelog 4.2.1 windows x86_64
        tidelog-4.2.1-win-x64.exe | tidelog 4.2.1 windows x86_64
        tidelog-4.2.1-windows-arm64.exe | tidelog 4.2.1 windows aarch64
        tidelog-4.2.1-Windows-x86_64.msi | tidelog 4.2.1 windows x86_64
        tidelog4.2.1.zip | tidelog4.2.1 - - -
        tidelog-2026.03.zip | tidelog 2026.03 - -
        tidelog-2026-03-11.zip | tidelog 2026-03-11 - -
        tidelog-r1234.zip | tidelog-r1234 - - -
        tidelog-4.2.1-SNAPSHOT.zip | tidelog 4.2.1-SNAPSHOT - -
        tidelog-4.2.1-rc2-linux.zip | tidelog 4.2.1-rc2 linux -
        tidelog-4.2.1-beta.3.zip | tidelog 4.2.1-beta.3 - -
        tidelog-4.2.1_alpha1.zip | tidelog 4.2.1-alpha1 - -
        tidelog-4.2.1~rc1.zip | tidelog 4.2.1~rc1 - -
        tidelog-nightly-linux.zip | tidelog - linux -
        tidelog-latest.zip | tidelog - - -
        tidelog-17.0.2+8.zip | tidelog 17.0.2+8 - -
        tidelog-17.0.2_linux-x64_bin.tar.gz | tidelog 17.0.2 linux x86_64
        tide_log_4.2.1_linux_amd64.tar.gz | tide-log 4.2.1 linux x86_64
        tide log 4.2.1.zip | tide-log 4.2.1 - -
        Tide.Log-4.2.1.zip | tide.log 4.2.1 - -
        tidelog-4.2.1-freebsd-amd64.tar.gz | tidelog 4.2.1 freebsd x86_64
        tidelog-4.2.1-linux-386.tar.gz | tidelog 4.2.1 linux x86
        tidelog-4.2.1-linux-64bit.tar.gz | tidelog 4.2.1 linux x86_64
        tidelog-4.2.1-64bit.tar.gz | tidelog 4.2.1 - x86_64
        tidelog-4.2.1-static-linux-x64.tar.gz | tidelog 4.2.1 linux x86_64
        tidelog-linux-amd64-v4.2.1.tar.gz | tidelog 4.2.1 linux x86_64
        tidelog-linux-amd64-4.2.1.tar.gz | tidelog 4.2.1 linux x86_64
        tidelog-linux | tidelog - linux -
        tidelog-linux-x64 | tidelog - linux x86_64
        tidelog.exe | tidelog - - -
        7tide-1.0.zip | 7tide 1.0 - -
        tide7-1.0.zip | tide7 1.0 - -
        tidelog-main.zip | tidelog - - -
        tidelog-master.zip | tidelog - - -
        tidelog-1.zip | tidelog 1 - -
        tidelog-01.02.zip | tidelog 01.02 - -
        tidelog-4.2.1-1.zip | tidelog 4.2.1 - -
        tidelog-4.2.1-src.tar.gz | tidelog 4.2.1 - -
        tidelog-tools-linux-x64-4.2.1.zip | tidelog-tools 4.2.1 linux x86_64
        gauge-win-1.0.zip | gauge 1.0 windows -
        macro-gauge-1.0.zip | macro-gauge 1.0 - -
        linux-gauge-1.0.zip | linux-gauge 1.0 - -
        tidelog-V4.2.1.zip | tidelog 4.2.1 - -
        tidelog-4.2.1-x64-linux.zip | tidelog 4.2.1 linux x86_64";

    #[test]
    fn names_as_download_pages_write_them() {
        let cases: Vec<&str> = NAMES.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
        assert!(cases.len() >= 80, "{}", cases.len());
        let mut wrong = Vec::new();
        for case in cases {
            let (file, expected) = case.split_once(" | ").unwrap();
            let seen = guess(file);
            let or = |text: Option<&str>| text.unwrap_or("-").to_owned();
            let seen = [or(seen.name.as_deref()), or(seen.version.as_deref()), or(seen.os), or(seen.arch)].join(" ");
            if seen != expected {
                wrong.push(format!("{file}: {seen}, not {expected}"));
            }
        }
        assert!(wrong.is_empty(), "{}", wrong.join("\n"));
        assert_eq!(guess(""), Guess::default());
        assert_eq!(guess(".zip"), Guess::default());
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
