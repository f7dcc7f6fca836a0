//! Shell scripts that install something: the archive behind their last line, and the option for the folder.

use std::path::Path;

use super::facts::{Installer, InstallerKind};
use crate::archive::Compression;

/// Words in the name of a script that only installs.
const INSTALLING: [&str; 3] = ["install", "setup", ".run"];

/// Words in an option that names the folder to install into.
const FOLDER_WORDS: [&str; 6] = ["prefix", "target", "install-dir", "installdir", "destination", "directory"];

/// Endings of scripts that are run once rather than typed as a command.
const RUN_ONCE: [&str; 3] = [".sh", ".bash", ".bin"];

/// What installers do, at the beginning of a command: they make folders, copy, fetch and unpack.
const DEEDS: [&str; 12] =
    ["mkdir ", "cp ", "mv ", "install ", "tar ", "unzip ", "curl ", "wget ", "ln ", "chmod ", "sudo ", "dpkg "];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ScriptUse {
    Installer,
    Program,
    /// That is not to be seen from it.
    Unclear,
}

/// What a script is for: an installer has an archive behind its text, or says so in its name; a program states its version
/// when it is asked, or at least does nothing that installs and has no ending that commands do not have.
pub(super) fn judge(file: &Path, head: &[u8]) -> ScriptUse {
    let payload = payload(head);
    let name = file.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    if payload.is_some() || INSTALLING.iter().any(|word| name.contains(word)) {
        return ScriptUse::Installer;
    }
    let text = String::from_utf8_lossy(head);
    let states_version = text.contains("--version") || text.contains("-V)");
    let pieces =
        text.lines().filter(|line| !line.trim_start().starts_with('#')).flat_map(|line| line.split([';', '&', '|']));
    let installs = pieces.map(str::trim_start).any(|piece| DEEDS.iter().any(|deed| piece.starts_with(deed)));
    match (installs, states_version) {
        (false, true) => ScriptUse::Program,
        (false, false) if !RUN_ONCE.iter().any(|ending| name.ends_with(ending)) => ScriptUse::Program,
        _ => ScriptUse::Unclear,
    }
}

pub(super) fn read(head: &[u8]) -> Installer {
    let payload = payload(head);
    let text = String::from_utf8_lossy(&head[..payload.unwrap_or(head.len())]);
    let inside = payload.map(|at| words(&head[at..]));
    Installer {
        inside,
        inside_at: payload.and_then(|at| u64::try_from(at).ok()),
        folder_option: folder_option(&text),
        ..Installer::new(InstallerKind::SelfExtractor)
    }
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
    if payload.starts_with(b"PK\x03\x04") { "a zip archive".to_owned() } else { "unknown data".to_owned() }
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
        assert!(read(&whole).inside.is_none());
        for (name, text, expected) in [
            ("tidelog", script, ScriptUse::Unclear),
            ("tidelog-install.sh", script, ScriptUse::Installer),
            ("tidelog", "#!/bin/sh\necho hello\n", ScriptUse::Program),
            ("tidelog-1.0.sh", "#!/bin/sh\necho hello; exit 7\n", ScriptUse::Unclear),
            ("tidelog-1.0.sh", "#!/bin/sh\n[ \"$1\" = --version ] && echo 1.0\n", ScriptUse::Program),
            ("tidelog-1.0.sh", "#!/bin/sh\nmkdir -p \"$HOME/bin\"; cp x \"$HOME/bin\"\n", ScriptUse::Unclear),
            ("tidelog", "#!/bin/sh\n# tar xz\n[ \"$1\" = --version ] && echo 1.0\n", ScriptUse::Program),
        ] {
            assert_eq!(judge(Path::new(name), text.as_bytes()), expected, "{name}: {text}");
        }
        whole.extend_from_slice(b"\x1f\x8b\x08\0\0\0");
        assert_eq!(judge(Path::new("tidelog"), &whole), ScriptUse::Installer);
        let seen = read(&whole);
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
