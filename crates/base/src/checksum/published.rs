//! Where a published checksum comes from: the command line, a list, or the usual files beside the download.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::algorithm::{Algorithm, Checksum};
use crate::error::{FileContext as _, FileError, classified};
use crate::given;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Published {
    #[serde(flatten)]
    pub checksum: Checksum,
    pub from: String,
}

#[derive(Debug, thiserror::Error)]
pub enum PublishedError {
    #[error(transparent)]
    File(#[from] FileError),
    #[error("{} has no checksum of {file}", list.display())]
    NoLine { list: PathBuf, file: String },
}

classified!(PublishedError {
    Self::NoLine { .. } => Input, "the file must have its published name";
} from File);

/// No list of checksums is longer, in bytes.
const LONGEST_LIST: u64 = 4 << 20;

/// Endings that a checksum file adds to the name of its file.
const ENDINGS: [(&str, Option<Algorithm>); 10] = [
    (".sha256", Some(Algorithm::Sha256)),
    (".sha256sum", Some(Algorithm::Sha256)),
    (".sha256.txt", Some(Algorithm::Sha256)),
    (".sha512", Some(Algorithm::Sha512)),
    (".sha512sum", Some(Algorithm::Sha512)),
    (".sha1", Some(Algorithm::Sha1)),
    (".sha1sum", Some(Algorithm::Sha1)),
    (".md5", Some(Algorithm::Md5)),
    (".md5sum", Some(Algorithm::Md5)),
    (".checksum", None),
];

/// Names of lists for many files, in lower case.
const LISTS: [&str; 4] = ["sha256sums", "sha512sums", "sha1sums", "md5sums"];

/// The checksum of the file named `name` in a list.
pub fn in_list(list: &Path, name: &str) -> Result<Published, PublishedError> {
    let text = read(list).at("read", list)?;
    let none = || PublishedError::NoLine { list: list.to_owned(), file: name.to_owned() };
    find(&text, name, None).map(|checksum| Published { checksum, from: shown(list) }).ok_or_else(none)
}

/// The checksums in the usual files beside a download, the stronger first. A file that cannot be read is none.
pub fn beside(file: &Path) -> Vec<Published> {
    let Some(name) = file.file_name().map(|name| name.to_string_lossy().into_owned()) else { return Vec::new() };
    let folder = file.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut found: Vec<Published> = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let other = entry.file_name().to_string_lossy().into_owned();
        let own = other.strip_prefix(&name).map(str::to_ascii_lowercase);
        let ending = own.and_then(|rest| ENDINGS.iter().find(|(ending, _)| rest == *ending));
        let lower = other.to_ascii_lowercase();
        let stem = lower.strip_suffix(".txt").or(lower.strip_suffix(".asc")).unwrap_or(&lower);
        let is_list = LISTS.contains(&stem) || stem.ends_with("checksums") || stem == "checksum";
        // Nobody has named it: a pipe is not waited for.
        if ending.is_none() && !is_list || given::without_content(&entry.path()).is_some() {
            continue;
        }
        let Ok(text) = read(&entry.path()) else { continue };
        let bare = ending.map(|(_, algorithm)| *algorithm);
        found.extend(find(&text, &name, bare).map(|checksum| Published { checksum, from: other }));
    }
    found.sort_by(|a, b| (a.checksum.algorithm, &a.from).cmp(&(b.checksum.algorithm, &b.from)));
    found
}

fn shown(file: &Path) -> String {
    file.file_name().unwrap_or(file.as_os_str()).to_string_lossy().into_owned()
}

fn read(file: &Path) -> io::Result<String> {
    let bytes = given::read(file, LONGEST_LIST)?;
    // Some tools of Windows write their lists in UTF-16.
    if let Some(wide) = bytes.strip_prefix(&[0xff, 0xfe]) {
        let units: Vec<u16> = wide.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        return Ok(String::from_utf16_lossy(&units));
    }
    Ok(String::from_utf8_lossy(&bytes).trim_start_matches('\u{feff}').to_owned())
}

/// The checksum of a file in the text of a list; the strongest where there are several. `bare` is given for a list of
/// that one file, in which the digits may stand alone.
fn find(text: &str, name: &str, bare: Option<Option<Algorithm>>) -> Option<Checksum> {
    let lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
    let of_line = lines.clone().filter_map(|line| bsd(line).or_else(|| gnu(line)).or_else(|| table(line)));
    let of_pair = lines.clone().zip(lines.clone().skip(1)).filter_map(|(line, next)| pair(line, next, name));
    let of_file = of_line.filter(|(_, named)| is_name(named, name)).map(|(checksum, _)| checksum).chain(of_pair);
    let found = of_file.min_by_key(|c| c.algorithm);
    found.or_else(|| {
        let wanted = bare?;
        let alone = |line: &str| by_digits(line).filter(|c| wanted.is_none_or(|algorithm| algorithm == c.algorithm));
        lines.clone().find_map(alone)
    })
}

/// `DIGITS  NAME`, `DIGITS *NAME` (sha256sum(1)); a backslash in front says that the name is escaped.
fn gnu(line: &str) -> Option<(Checksum, String)> {
    let (escaped, line) = line.strip_prefix('\\').map_or((false, line), |rest| (true, rest));
    let (digits, name) = line.split_once([' ', '\t'])?;
    let name = name.trim_start().trim_start_matches('*');
    let name = if escaped { name.replace("\\\\", "\\") } else { name.to_owned() };
    Some((by_digits(digits)?, name))
}

/// `SHA256 (NAME) = DIGITS` (sha256(1) of the BSDs; sha256sum(1), `--tag`).
fn bsd(line: &str) -> Option<(Checksum, String)> {
    let (tag, rest) = line.split_once('(')?;
    let (name, digits) = rest.rsplit_once(')')?;
    let checksum = by_digits(digits.trim().strip_prefix('=')?.trim())?;
    let tag: String = tag.trim().to_ascii_uppercase().replace(['-', '_'], "");
    let named = match checksum.algorithm {
        Algorithm::Sha256 => matches!(&*tag, "SHA256" | "SHA2256"),
        Algorithm::Sha512 => matches!(&*tag, "SHA512" | "SHA2512"),
        Algorithm::Sha1 => tag == "SHA1",
        Algorithm::Md5 => tag == "MD5",
    };
    named.then(|| (checksum, name.to_owned()))
}

/// `ALGORITHM DIGITS PATH`, a row of what PowerShell prints ("Get-FileHash").
fn table(line: &str) -> Option<(Checksum, String)> {
    let (algorithm, rest) = line.split_once([' ', '\t'])?;
    let (digits, path) = rest.trim_start().split_once([' ', '\t'])?;
    let checksum = by_digits(digits)?;
    let is_its_own = algorithm.eq_ignore_ascii_case(&checksum.algorithm.name().replace('-', ""));
    is_its_own.then(|| (checksum, path.trim_start().to_owned()))
}

/// Two lines that tell of the file together: `… NAME:` and the digits, as `certutil -hashfile` prints them in any language, with
/// blanks between bytes in older versions; or `Hash : DIGITS` and `Path : PATH`, PowerShell's other form.
fn pair(line: &str, next: &str, name: &str) -> Option<Checksum> {
    let value = |line: &str, key: &str| -> Option<String> {
        let (found, value) = line.split_once(':')?;
        (found.trim() == key).then(|| value.trim().to_owned())
    };
    if let Some((digits, path)) = value(line, "Hash").zip(value(next, "Path")) {
        return by_digits(&digits).filter(|_| is_name(&path, name));
    }
    let before = line.strip_suffix(':')?.strip_suffix(name)?;
    by_digits(&next.replace(' ', "")).filter(|_| before.ends_with([' ', '\\', '/']))
}

fn by_digits(text: &str) -> Option<Checksum> {
    let algorithm = Algorithm::ALL.into_iter().find(|a| a.digits() == text.len())?;
    Checksum::parse(algorithm, text).ok()
}

fn is_name(named: &str, name: &str) -> bool {
    named.rsplit(['/', '\\']).next().is_some_and(|last| last == name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_of_every_form_are_read_and_only_those_of_the_file() {
        let (a, b) = ("a1".repeat(32), "b2".repeat(32));
        let long = "c3".repeat(64);
        let md5 = "d4".repeat(16);
        let name = "tidelog-4.2.1.zip";
        for (text, expected) in [
            (format!("{b}  other.zip\n{a}  {name}\n"), Some(&a)),
            (format!("{a} *{name}\r\n"), Some(&a)),
            (format!("{}  ./dist/{name}\n", a.to_uppercase()), Some(&a)),
            (format!("SHA256 ({name}) = {a}\n"), Some(&a)),
            (format!("SHA2-256({name})= {a}\n"), Some(&a)),
            (format!("MD5 ({name}) = {md5}\nSHA512 ({name}) = {long}\n"), Some(&long)),
            (format!("\\{a}  {name}\n"), Some(&a)),
            (format!("{a}\t{name}\n"), Some(&a)),
            (format!("-----BEGIN SIGNED MESSAGE-----\n\n{a}  {name}\n"), Some(&a)),
            (format!("SHA256 hash of {name}:\r\n{a}\r\nCertUtil: done.\r\n"), Some(&a)),
            (format!("SHA256-Hash von C:\\T\\{name}:\n{}\n", "a1 ".repeat(32)), Some(&a)),
            (format!("SHA256 hash of x{name}:\n{a}\n"), None),
            (format!("Algorithm  Hash  Path\n-----\nSHA256  {}  C:\\My T\\{name}\n", a.to_uppercase()), Some(&a)),
            (format!("MD5  {a}  C:\\T\\{name}\n"), None),
            (format!("Algorithm : SHA256\nHash      : {a}\nPath      : C:\\T\\{name}\n"), Some(&a)),
            (format!("{a}  {name}.sig\n"), None),
            (format!("{a}  x{name}\n"), None),
            (format!("SHA512 ({name}) = {a}\n"), None),
            (format!("{a}\n"), None),
        ] {
            assert_eq!(find(&text, name, None).map(|c| c.value).as_ref(), expected, "{text}");
        }
        assert_eq!(find(&a, name, Some(Some(Algorithm::Sha256))).map(|c| c.value), Some(a.clone()));
        assert_eq!(find(&a, name, Some(Some(Algorithm::Sha512))), None);
    }

    proptest::proptest! {
        #[test]
        fn a_checksum_is_one_of_the_list_whatever_that_is(parts in proptest::collection::vec(0..14usize, 0..30), bytes in ".{0,20}") {
            let (a, b, c) = ("a1".repeat(32), "b2".repeat(32), "c3".repeat(64));
            let known = [&a, &b, &c, "neap.zip", "x.zip", "\n", "  ", " *", "\\", "SHA256 (", ") = ", "../", "\u{feff}\0", &bytes];
            let text: String = parts.iter().map(|part| known[*part]).collect();
            if let Some(found) = find(&text, "neap.zip", None) {
                proptest::prop_assert!([&a, &b, &c].contains(&&found.value), "{text}");
                proptest::prop_assert!(text.contains("neap.zip"), "{text}");
            }
        }
    }

    #[test]
    fn the_usual_files_beside_a_download_are_found() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("tidelog.zip");
        let write = |name: &str, text: String| fs::write(folder.path().join(name), text).unwrap();
        assert_eq!(beside(&file), []);
        write("tidelog.zip.md5", "d4".repeat(16));
        write("SHA512SUMS", format!("{}  tidelog.zip", "c3".repeat(64)));
        write("tidelog_4.2.1_checksums.txt", format!("{}  tidelog.zip", "a1".repeat(32)));
        write("notes.txt", format!("{}  tidelog.zip", "ee".repeat(32)));
        write("tidelog.zip.sha1", "not a checksum".to_owned());
        let found: Vec<String> = beside(&file).into_iter().map(|p| p.from).collect();
        assert_eq!(found, ["tidelog_4.2.1_checksums.txt", "SHA512SUMS", "tidelog.zip.md5"]);
        assert!(in_list(&folder.path().join("SHA512SUMS"), "other.zip").is_err());
    }
}
