//! Shell scripts that install something: the archive behind their last line, and the option for the folder.

use std::path::Path;

use super::facts::{Installer, InstallerKind};
use crate::archive::Compression;

/// Words in the name of a script that only installs.
const INSTALLING: [&str; 3] = ["install", "setup", ".run"];

/// Words in an option that names the folder to install into.
const FOLDER_WORDS: [&str; 6] = ["prefix", "target", "install-dir", "installdir", "destination", "directory"];

/// Reads a script; `None` where it is a program to be used and not an installer.
pub(super) fn read(file: &Path, head: &[u8]) -> Option<Installer> {
    let payload = payload(head);
    let name = file.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let installs = INSTALLING.iter().any(|word| name.contains(word));
    if payload.is_none() && !installs {
        return None;
    }
    let text = String::from_utf8_lossy(&head[..payload.unwrap_or(head.len())]);
    let inside = payload.map(|at| words(&head[at..]));
    Some(Installer {
        inside,
        inside_at: payload.and_then(|at| u64::try_from(at).ok()),
        folder_option: folder_option(&text),
        ..Installer::new(InstallerKind::SelfExtractor)
    })
}

/// Where the text ends and something else begins, at the beginning of a line.
fn payload(head: &[u8]) -> Option<usize> {
    let is_text = |byte: u8| byte >= b' ' && byte != 0x7f || matches!(byte, b'\t' | b'\r' | 0x0c | 0x1b);
    let mut start = 0;
    for line in head.split_inclusive(|byte| *byte == b'\n') {
        let content = line.strip_suffix(b"\n").unwrap_or(line);
        // Letters beyond ASCII are text where they are UTF-8; a cut-off one at the end of what was read is no payload.
        let broken = std::str::from_utf8(content).is_err_and(|e| e.error_len().is_some());
        if broken || !content.iter().all(|byte| is_text(*byte)) {
            return Some(start);
        }
        start += line.len();
    }
    None
}

fn words(payload: &[u8]) -> String {
    let compression = Compression::of(payload);
    if compression != Compression::None {
        return format!("data compressed with {}", compression.name());
    }
    if payload.starts_with(b"PK\x03\x04") { "a zip archive".to_owned() } else { "data of an unknown kind".to_owned() }
}

/// The option of the script that names the folder, as its own text has it.
fn folder_option(text: &str) -> Option<String> {
    let is_option = |c: char| c.is_ascii_alphanumeric() || c == '-';
    let found = text.match_indices("--").filter_map(|(at, _)| {
        let rest = &text[at..];
        let end = rest.find(|c: char| !is_option(c)).unwrap_or(rest.len());
        let (option, behind) = rest.split_at(end);
        FOLDER_WORDS.iter().any(|word| option.contains(word)).then_some((option, behind))
    });
    let mut separate = None;
    for (option, behind) in found {
        if behind.starts_with('=') {
            return Some(format!("{option}="));
        }
        separate = separate.or(Some(option.to_owned()));
    }
    separate
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_installer_is_told_from_a_program() {
        let script = "#!/bin/sh\n# ü\ncase $1 in --prefix=*) to=${1#*=};; esac\ntail -n +5 \"$0\" | tar xz\nexit\n";
        let mut whole = script.as_bytes().to_vec();
        let plain = read(Path::new("tidelog"), &whole);
        assert_eq!(plain, None);
        assert!(read(Path::new("tidelog-install.sh"), &whole).unwrap().inside.is_none());
        whole.extend_from_slice(b"\x1f\x8b\x08\0\0\0");
        let seen = read(Path::new("tidelog"), &whole).unwrap();
        assert_eq!(seen.inside_at, Some(script.len() as u64));
        assert_eq!(seen.folder_option.as_deref(), Some("--prefix="));
        assert!(seen.inside.unwrap().contains("gzip"));
        for (text, expected) in [
            ("--install-dir) to=$2;;", Some("--install-dir")),
            ("usage: x [--target DIR]", Some("--target")),
            ("nothing of the kind --quiet", None),
        ] {
            assert_eq!(folder_option(text).as_deref(), expected, "{text}");
        }
    }
}
