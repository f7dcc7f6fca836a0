//! The version that a program's file states, read without starting it.

use crate::given;
use std::io::Read as _;
use std::path::Path;

use super::pe_resources::PeResources;

/// So much of a script is read: versions stand at its beginning.
const BEGINNING: u64 = 16 << 10;

/// From the version resource of a program for Windows ("VERSIONINFO resource"), or the text of a script.
pub fn stated_version(file: &Path) -> Option<String> {
    if let Some(resources) = PeResources::read(file) {
        let version = ["ProductVersion", "FileVersion"].iter().find_map(|key| version_of(&resources.text(key)?))?;
        // Four numbers are the rule there, whatever a tool calls itself.
        let shorter = version.strip_suffix(".0").filter(|three| three.matches('.').count() == 2);
        return Some(shorter.unwrap_or(&version).to_owned());
    }
    let mut beginning = Vec::new();
    given::open(file).ok()?.take(BEGINNING).read_to_end(&mut beginning).ok()?;
    in_script(std::str::from_utf8(&beginning).ok().filter(|text| !text.contains('\0'))?)
}

/// A text that is a version from its beginning: four numbers may have commas between them.
fn version_of(text: &str) -> Option<String> {
    let text = text.replace(", ", ".");
    let bare = text.trim().trim_start_matches(['v', 'V']);
    let end = bare.find(|c: char| !c.is_ascii_alphanumeric() && !".+-_~".contains(c)).unwrap_or(bare.len());
    let version = bare[..end].trim_end_matches('.');
    version.starts_with(|c: char| c.is_ascii_digit()).then(|| version.to_owned())
}

/// The value of what is called `version`, in any language that sets it in a line of its own.
fn in_script(text: &str) -> Option<String> {
    text.lines().find_map(|line| {
        let line = line.trim();
        let name = line.to_ascii_lowercase().find("version")?;
        let before = line[..name].trim_end_matches('_');
        let is_word = before.is_empty() || before.ends_with([' ', '\t', '#', '$', ':', '"', '\'', '@']);
        let value = line[name + "version".len()..].trim_start_matches('_').trim_start_matches(['"', '\'']).trim_start();
        let value = value.strip_prefix(['=', ':'])?.trim_start().trim_start_matches(['"', '\'']);
        version_of(value).filter(|version| is_word && version.contains('.'))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn scripts_say_which_they_are() {
        for (text, expected) in [
            ("#!/bin/sh\nVERSION=4.2.1\n", Some("4.2.1")),
            ("#!/bin/sh\n# version: 4.2.1-rc1\n", Some("4.2.1-rc1")),
            ("__version__ = \"4.2.1\"\n", Some("4.2.1")),
            ("@echo off\r\nset VERSION=4.2.1\r\n", Some("4.2.1")),
            ("  \"version\": \"v4.2.1\",\n", Some("4.2.1")),
            ("readonly version='4.2.1'\n", Some("4.2.1")),
            ("min_version=3.1\n", None),
            ("if [ \"$1\" = --version ]; then echo tidelog 4.2.1; fi\n", None),
            ("version=$1\n", None),
            ("version=4\n", None),
            ("", None),
        ] {
            assert_eq!(in_script(text).as_deref(), expected, "{text}");
        }
        for (text, expected) in
            [("4, 2, 1, 0", Some("4.2.1.0")), ("4.2.1 (tide)", Some("4.2.1")), ("tide 4", None), ("", None)]
        {
            assert_eq!(version_of(text).as_deref(), expected, "{text}");
        }
    }
}
