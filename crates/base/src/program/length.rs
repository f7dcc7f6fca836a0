//! How long a program file has to be, by what its headers say lies in it.

use std::io::{Read, Seek};

use object::endian::Endianness;
use object::read::elf::ProgramHeader as _;
use object::read::macho::{FatArch as _, MachOFatFile32};
use object::read::pe::ImageNtHeaders;
use object::read::{ReadCache, ReadRef};
use object::{FileKind, elf, macho, pe};

/// The least length of a program in bytes; `None` where the file is none, or its headers don't tell.
///
/// Sources: System V ABI (section and program headers), Microsoft PE format (section table), Apple `mach-o/loader.h`.
pub fn expected_length(content: impl Read + Seek) -> Option<u64> {
    let cache = ReadCache::new(content);
    match FileKind::parse(&cache).ok()? {
        FileKind::Elf32 => elf_length::<elf::FileHeader32<Endianness>, _>(&cache),
        FileKind::Elf64 => elf_length::<elf::FileHeader64<Endianness>, _>(&cache),
        FileKind::Pe32 => pe_length::<pe::ImageNtHeaders32, _>(&cache),
        FileKind::Pe64 => pe_length::<pe::ImageNtHeaders64, _>(&cache),
        FileKind::MachO32 => macho_length::<macho::MachHeader32<Endianness>, _>(&cache),
        FileKind::MachO64 => macho_length::<macho::MachHeader64<Endianness>, _>(&cache),
        FileKind::MachOFat32 => {
            let fat = MachOFatFile32::parse(&cache).ok()?;
            fat.arches().iter().map(|arch| u64::from(arch.offset()) + u64::from(arch.size())).max()
        }
        _ => None,
    }
}

fn elf_length<'a, H: object::read::elf::FileHeader<Endian = Endianness>, R: ReadRef<'a>>(data: R) -> Option<u64> {
    let header = H::parse(data).ok()?;
    let endian = header.endian().ok()?;
    let table = u64::from(header.e_shnum(endian)) * u64::from(header.e_shentsize(endian));
    let sections = header.e_shoff(endian).into().saturating_add(table);
    let segments = header.program_headers(endian, data).unwrap_or_default().iter().map(|segment| {
        let (offset, size): (u64, u64) = (segment.p_offset(endian).into(), segment.p_filesz(endian).into());
        offset.saturating_add(size)
    });
    segments.chain([sections]).max()
}

fn pe_length<'a, H: ImageNtHeaders, R: ReadRef<'a>>(data: R) -> Option<u64> {
    let dos = pe::ImageDosHeader::parse(data).ok()?;
    let mut offset = dos.nt_headers_offset().into();
    let (headers, _) = H::parse(data, &mut offset).ok()?;
    let sections = headers.sections(data, offset).ok()?;
    let end = |section: &pe::ImageSectionHeader| {
        let (start, size) = section.pe_file_range();
        u64::from(start) + u64::from(size)
    };
    sections.iter().map(end).max()
}

fn macho_length<'a, H: object::read::macho::MachHeader<Endian = Endianness>, R: ReadRef<'a>>(data: R) -> Option<u64> {
    let header = H::parse(data, 0).ok()?;
    let endian = header.endian().ok()?;
    let mut commands = header.load_commands(endian, data, 0).ok()?;
    let mut longest = None;
    while let Ok(Some(command)) = commands.next() {
        let end = match (command.segment_64(), command.segment_32()) {
            (Ok(Some((segment, _))), _) => segment.fileoff.get(endian).saturating_add(segment.filesize.get(endian)),
            (_, Ok(Some((segment, _)))) => {
                u64::from(segment.fileoff.get(endian)) + u64::from(segment.filesize.get(endian))
            }
            _ => continue,
        };
        longest = longest.max(Some(end));
    }
    longest
}

#[cfg(test)]
mod tests {
    use std::fs;
    use std::io::Cursor;

    use super::*;

    #[test]
    fn a_real_program_is_as_long_as_it_says_and_one_cut_off_is_not() {
        let own = fs::read(std::env::current_exe().unwrap()).unwrap();
        let expected = expected_length(Cursor::new(&own)).unwrap();
        assert!(expected <= own.len() as u64 && expected > own.len() as u64 / 2, "{expected} of {}", own.len());
        assert_eq!(expected_length(Cursor::new(&own[..own.len() / 2])), Some(expected));
        for none in [&b""[..], b"#!/bin/sh\n", b"\x7fELF", &[0; 300]] {
            assert_eq!(expected_length(Cursor::new(none)), None);
        }
    }

    #[test]
    fn the_segments_of_a_macho_file_count() {
        let mut bytes = [0xfeed_facf_u32, 0x0100_000c, 0, 2, 1, 72, 0, 0].map(u32::to_le_bytes).concat();
        bytes.extend([0x19_u32, 72].map(u32::to_le_bytes).concat());
        bytes.extend([0; 16]);
        // Address, size in memory, offset, size in the file.
        bytes.extend([0_u64, 0, 4096, 512].map(u64::to_le_bytes).concat());
        bytes.extend([0; 16]);
        assert_eq!(expected_length(Cursor::new(&bytes)), Some(4608));
    }
}
