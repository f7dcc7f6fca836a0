//! Programs for Windows that install another one, told from plain programs without starting them.

use std::path::Path;

use super::facts::{Installer, InstallerKind};
use crate::program::PeResources;

/// Words in the description of an installer, in its version resource ("VS_VERSIONINFO").
const SAYING: [&str; 4] = ["setup", "installer", "install ", "installation"];

/// Reads a program; `None` where it is none that installs.
pub(super) fn read(file: &Path) -> Option<Installer> {
    let resources = PeResources::read(file)?;
    let described = resources.text("FileDescription").unwrap_or_default().to_lowercase();
    let manifest = resources.content.windows(20).any(|window| window == b"requireAdministrator");
    let name = file.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let named = ["setup", "install"].iter().any(|word| name.contains(word));
    let says = SAYING.iter().any(|word| described.contains(word));
    // What is to be installed stands behind the last section, or in it.
    let carries = resources.length > resources.end + (64 << 10);
    if !(says || carries && named) {
        return None;
    }
    Some(Installer {
        product: resources.text("ProductName"),
        version: resources.text("ProductVersion"),
        arch: Some(resources.arch.to_owned()),
        for_everybody: manifest.then_some(true),
        inside: carries.then(|| "data behind the program".to_owned()),
        inside_at: carries.then_some(resources.end),
        ..Installer::new(InstallerKind::WindowsProgram)
    })
}

#[cfg(test)]
pub(super) mod tests {
    use std::fs;

    use super::*;

    /// A program of one section, with a version resource's text in it, and `behind` after its last section.
    pub fn program(described: &str, behind: usize) -> Vec<u8> {
        let mut content = vec![0_u8; 0x400];
        content[..2].copy_from_slice(b"MZ");
        content[0x3c] = 0x80;
        content[0x80..0x88].copy_from_slice(b"PE\0\0\x64\x86\x01\0");
        content[0x94] = 0xf0;
        content[0x98..0x9a].copy_from_slice(&[0x0b, 0x02]);
        content[0x98 + 108] = 16;
        // The section's size and place in the file.
        let section = 0x98 + 0xf0;
        content[section..section + 5].copy_from_slice(b".rsrc");
        content[section + 16..section + 24].copy_from_slice(&[0, 4, 0, 0, 0, 4, 0, 0]);
        let text: Vec<u8> =
            "FileDescription\0".encode_utf16().chain(described.encode_utf16()).flat_map(u16::to_le_bytes).collect();
        content.extend(text);
        content.resize(0x800 + behind, 0);
        content
    }

    #[test]
    fn an_installer_is_told_from_a_program() {
        let folder = tempfile::tempdir().unwrap();
        for (name, described, behind, installs) in [
            ("buoyctl.exe", "Buoyctl Setup", 0, true),
            ("buoyctl-setup.exe", "", 100_000, true),
            ("buoyctl.exe", "", 100_000, false),
            ("buoyctl.exe", "Controls buoys", 0, false),
            ("setup-tides.exe", "", 0, false),
        ] {
            let file = folder.path().join(name);
            fs::write(&file, program(described, behind)).unwrap();
            assert_eq!(read(&file).is_some(), installs, "{name} {described} {behind}");
        }
    }
}
