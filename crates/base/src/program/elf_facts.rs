//! What an ELF file says that it needs and offers (System V ABI, "Dynamic Linking"; Linux Standard Base, "Symbol Versioning").

use std::path::PathBuf;

use object::endian::Endianness;
use object::read::elf::{ElfFile, FileHeader, ProgramHeader as _};
use object::{FileKind, ReadRef, elf};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NeededVersion {
    pub library: String,
    /// The version, such as `GLIBC_2.34`.
    pub version: String,
}

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ElfFacts {
    pub is_64_bit: bool,
    /// The machine's number (`e_machine`).
    pub machine: u16,
    /// The loader that its header names (`PT_INTERP`).
    pub loader: Option<PathBuf>,
    /// The libraries that are loaded with it (`DT_NEEDED`), in order.
    pub libraries: Vec<String>,
    /// Folders to search, as written (`DT_RPATH`).
    pub rpath: Vec<String>,
    /// The same, for its own libraries alone (`DT_RUNPATH`).
    pub runpath: Vec<String>,
    /// The versions it needs, but for those that may be missing (`VER_FLG_WEAK`).
    pub needed_versions: Vec<NeededVersion>,
    /// The versions it defines; none where its symbols have no versions.
    pub defined_versions: Vec<String>,
    /// The levels of x86-64 that it needs, a bit for each (`GNU_PROPERTY_X86_ISA_1_NEEDED`).
    pub processor_levels: u32,
    /// The least version of Linux that it was built for (`NT_GNU_ABI_TAG`).
    pub kernel: Option<[u32; 3]>,
}

impl ElfFacts {
    /// Reads them; `None` where it is no ELF file, or one without what a loader reads.
    pub fn of<'data, R: ReadRef<'data>>(data: R) -> Option<Self> {
        match FileKind::parse(data).ok()? {
            FileKind::Elf32 => read::<elf::FileHeader32<Endianness>, R>(data, false),
            FileKind::Elf64 => read::<elf::FileHeader64<Endianness>, R>(data, true),
            _ => None,
        }
    }

    /// Whether a loader takes another file for one of the same machine.
    pub fn fits(&self, other: &Self) -> bool {
        (self.is_64_bit, self.machine) == (other.is_64_bit, other.machine)
    }

    /// Whether its C library is musl, as its loader's name says.
    pub fn is_for_musl(&self) -> bool {
        self.loader.as_ref().is_some_and(|loader| loader.to_string_lossy().contains("ld-musl"))
    }
}

fn read<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(data: R, is_64_bit: bool) -> Option<ElfFacts> {
    let file = ElfFile::<H, R>::parse(data).ok()?;
    let endian = file.endian();
    let loader = file.elf_program_headers().iter().find_map(|header| header.interpreter(endian, data).ok()?);
    let machine = file.elf_header().e_machine(endian);
    let mut facts = ElfFacts {
        is_64_bit,
        machine: machine.0,
        loader: loader.map(|path| PathBuf::from(text(path))),
        ..ElfFacts::default()
    };
    let table = file.elf_dynamic_table().ok()?;
    for entry in &table {
        let Ok(value) = table.string(entry) else { continue };
        let folders =
            || text(value).split(':').filter(|folder| !folder.is_empty()).map(str::to_owned).collect::<Vec<_>>();
        match entry.tag {
            elf::DT_NEEDED => facts.libraries.push(text(value)),
            elf::DT_RPATH => facts.rpath.extend(folders()),
            elf::DT_RUNPATH => facts.runpath.extend(folders()),
            _ => {}
        }
    }
    read_versions(&file, data, &mut facts);
    read_notes(&file, data, &mut facts);
    Some(facts)
}

fn read_versions<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    file: &ElfFile<'data, H, R>,
    data: R,
    facts: &mut ElfFacts,
) {
    let (endian, sections) = (file.endian(), file.elf_section_table());
    if let Ok(Some((needs, link))) = sections.gnu_verneed(endian, data)
        && let Ok(strings) = sections.strings(endian, data, link)
    {
        for (library, versions) in needs.flatten() {
            let Ok(name) = library.file(endian, strings) else { continue };
            for version in versions.flatten() {
                let is_weak = version.vna_flags.get(endian).0 & elf::VER_FLG_WEAK.0 != 0;
                if let Ok(version) = version.name(endian, strings)
                    && !is_weak
                {
                    facts.needed_versions.push(NeededVersion { library: text(name), version: text(version) });
                }
            }
        }
    }
    if let Ok(Some((defines, link))) = sections.gnu_verdef(endian, data)
        && let Ok(strings) = sections.strings(endian, data, link)
    {
        for (_, mut names) in defines.flatten() {
            // The first is the version, those behind it are its predecessors.
            if let Ok(Some(name)) = names.next()
                && let Ok(name) = name.name(endian, strings)
            {
                facts.defined_versions.push(text(name));
            }
        }
    }
}

fn read_notes<'data, H: FileHeader<Endian = Endianness>, R: ReadRef<'data>>(
    file: &ElfFile<'data, H, R>,
    data: R,
    facts: &mut ElfFacts,
) {
    let endian = file.endian();
    for header in file.elf_program_headers() {
        let Ok(Some(notes)) = header.notes(endian, data) else { continue };
        for note in notes.flatten().filter(|note| note.name() == b"GNU") {
            if note.n_type(endian) == elf::NT_GNU_ABI_TAG {
                let words: Vec<u32> =
                    note.desc().chunks_exact(4).map(|word| u32_of(word, endian == Endianness::Little)).collect();
                if let [0, major, minor, patch] = words[..] {
                    facts.kernel = Some([major, minor, patch]);
                }
            }
            for property in note.gnu_properties(endian).into_iter().flatten().flatten() {
                if property.pr_type() == elf::GNU_PROPERTY_X86_ISA_1_NEEDED {
                    facts.processor_levels |= property.data_u32(endian).unwrap_or_default();
                }
            }
        }
    }
}

fn u32_of(word: &[u8], is_little: bool) -> u32 {
    let word = [word[0], word[1], word[2], word[3]];
    if is_little { u32::from_le_bytes(word) } else { u32::from_be_bytes(word) }
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}
