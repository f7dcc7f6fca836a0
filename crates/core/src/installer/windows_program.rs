//! Programs for Windows that install another one, told from plain programs without starting them.

use std::fs::File;
use std::io::{Read as _, Seek as _, SeekFrom};
use std::path::Path;

use object::LittleEndian as LE;
use object::read::pe::{ImageNtHeaders, PeFile};
use object::{FileKind, pe};

use super::facts::{Installer, InstallerKind};

/// The headers of a program lie in its first bytes ("PE Format").
const HEADERS: u64 = 1 << 16;

/// No more of the resources is read.
const MOST: u64 = 16 << 20;

/// Words in the description of an installer, in its version resource ("VS_VERSIONINFO").
const SAYING: [&str; 4] = ["setup", "installer", "install ", "installation"];

struct Headers {
    /// Where the last section ends.
    end: u64,
    arch: &'static str,
    /// Where the resources begin, and how many bytes they are.
    resources: (u64, u64),
}

/// Reads a program; `None` where it is none that installs.
pub(super) fn read(file: &Path) -> Option<Installer> {
    let mut open = File::open(file).ok()?;
    let length = open.metadata().ok()?.len();
    let mut head = Vec::new();
    open.by_ref().take(HEADERS).read_to_end(&mut head).ok()?;
    let Headers { end, arch, resources: (at, size) } = match FileKind::parse(&*head).ok()? {
        FileKind::Pe32 => headers::<pe::ImageNtHeaders32>(&head, length)?,
        FileKind::Pe64 => headers::<pe::ImageNtHeaders64>(&head, length)?,
        _ => return None,
    };
    let mut resources = Vec::new();
    open.seek(SeekFrom::Start(at)).ok()?;
    open.take(size.min(MOST)).read_to_end(&mut resources).ok()?;
    let described = resource_text(&resources, "FileDescription").unwrap_or_default().to_lowercase();
    let manifest = resources.windows(20).any(|window| window == b"requireAdministrator");
    let name = file.file_name().unwrap_or_default().to_string_lossy().to_lowercase();
    let named = ["setup", "install"].iter().any(|word| name.contains(word));
    let says = SAYING.iter().any(|word| described.contains(word));
    // What is to be installed stands behind the last section, or in it.
    let carries = length > end + (64 << 10);
    if !(says || carries && named) {
        return None;
    }
    Some(Installer {
        product: resource_text(&resources, "ProductName"),
        version: resource_text(&resources, "ProductVersion"),
        arch: Some(arch.to_owned()),
        for_everybody: manifest.then_some(true),
        inside: carries.then(|| "data behind the program".to_owned()),
        inside_at: carries.then_some(end),
        ..Installer::new(InstallerKind::WindowsProgram)
    })
}

fn headers<P: ImageNtHeaders>(head: &[u8], length: u64) -> Option<Headers> {
    let file = PeFile::<P>::parse(head).ok()?;
    let place = |section: &pe::ImageSectionHeader| {
        (u64::from(section.pointer_to_raw_data.get(LE)), u64::from(section.size_of_raw_data.get(LE)))
    };
    let arch = match file.nt_headers().file_header().machine.get(LE) {
        pe::IMAGE_FILE_MACHINE_AMD64 => "x86_64",
        pe::IMAGE_FILE_MACHINE_ARM64 => "aarch64",
        _ => "x86",
    };
    let sections = file.section_table();
    let resources = sections.iter().find(|section| section.raw_name() == b".rsrc").map(place).unwrap_or_default();
    // Compilers put names for debuggers behind the last section ("COFF Symbol Table").
    let end = match file.nt_headers().file_header().pointer_to_symbol_table.get(LE) {
        0 => sections.iter().map(place).map(|(at, size)| at + size).max()?,
        _ => length,
    };
    Some(Headers { end, arch, resources })
}

/// A text of the version resource: its key, a zero and padding to four bytes, then the value, all in UTF-16
/// ("String structure").
fn resource_text(content: &[u8], key: &str) -> Option<String> {
    let wide: Vec<u8> = key.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
    let at = content.windows(wide.len()).position(|window| window == wide)? + wide.len();
    let units = content.get(at..)?.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]]));
    let value: Vec<u16> = units.skip_while(|unit| *unit == 0).take(200).take_while(|unit| *unit != 0).collect();
    String::from_utf16(&value).ok().map(|text| text.trim().to_owned()).filter(|text| !text.is_empty())
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
