//! What a program for Windows carries beside its code: its resources, and what lies behind it (Microsoft PE format).

use crate::given;
use std::io::{Read as _, Seek as _, SeekFrom};
use std::path::Path;

use object::LittleEndian as LE;
use object::read::pe::{ImageNtHeaders, PeFile};
use object::{FileKind, pe};

/// The headers of a program lie in its first bytes.
const HEADERS: u64 = 1 << 16;

/// No more of the resources is read.
const MOST: u64 = 16 << 20;

pub struct PeResources {
    pub arch: &'static str,
    /// The length of the file.
    pub length: u64,
    /// Where its last section ends.
    pub end: u64,
    pub content: Vec<u8>,
}

impl PeResources {
    /// Reads them; `None` where it is no such program.
    pub fn read(file: &Path) -> Option<Self> {
        let mut open = given::open(file).ok()?;
        let length = open.metadata().ok()?.len();
        let mut head = Vec::new();
        open.by_ref().take(HEADERS).read_to_end(&mut head).ok()?;
        let Headers { end, arch, resources: (at, size) } = match FileKind::parse(&*head).ok()? {
            FileKind::Pe32 => headers::<pe::ImageNtHeaders32>(&head, length)?,
            FileKind::Pe64 => headers::<pe::ImageNtHeaders64>(&head, length)?,
            _ => return None,
        };
        let mut content = Vec::new();
        open.seek(SeekFrom::Start(at)).ok()?;
        open.take(size.min(MOST)).read_to_end(&mut content).ok()?;
        Some(Self { arch, length, end, content })
    }

    /// A text of the version resource: its key, a zero and padding to four bytes, then the value, all in UTF-16
    /// ("String structure").
    pub fn text(&self, key: &str) -> Option<String> {
        let wide: Vec<u8> = key.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
        let at = self.content.windows(wide.len()).position(|window| window == wide)? + wide.len();
        let units = self.content.get(at..)?.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]]));
        let value: Vec<u16> = units.skip_while(|unit| *unit == 0).take(200).take_while(|unit| *unit != 0).collect();
        String::from_utf16(&value).ok().map(|text| text.trim().to_owned()).filter(|text| !text.is_empty())
    }
}

struct Headers {
    end: u64,
    arch: &'static str,
    /// Where the resources begin, and how many bytes they are.
    resources: (u64, u64),
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
