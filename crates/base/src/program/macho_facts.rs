//! What a file of macOS says that it needs (Apple, `mach-o/loader.h` and `mach-o/fat.h`).

use object::endian::Endianness;
use object::read::macho::{FatArch as _, LoadCommandVariant, MachHeader, MachOFatFile32, MachOFatFile64};
use object::{FileKind, ReadRef, macho};

use super::identify::macho_arch;

/// A program or library: one slice for each processor it was built for.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MachoFacts {
    /// In the order of the file.
    pub slices: Vec<MachoSlice>,
}

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MachoSlice {
    pub arch: &'static str,
    /// The least version of macOS, where one is stated.
    pub least_macos: Option<[u16; 2]>,
    /// Whether it is signed, if only by the linker.
    pub is_signed: bool,
    /// The libraries that it can't start without, by the paths it names.
    pub libraries: Vec<String>,
}

impl MachoFacts {
    /// Reads them; `None` where it is no such file.
    pub fn of<'data, R: ReadRef<'data>>(data: R) -> Option<Self> {
        let slices = match FileKind::parse(data).ok()? {
            FileKind::MachO32 | FileKind::MachO64 => vec![slice(data, 0)?],
            FileKind::MachOFat32 => {
                let fat = MachOFatFile32::parse(data).ok()?;
                fat.arches().iter().filter_map(|arch| slice(data, arch.file_range().0)).collect()
            }
            FileKind::MachOFat64 => {
                let fat = MachOFatFile64::parse(data).ok()?;
                fat.arches().iter().filter_map(|arch| slice(data, arch.file_range().0)).collect()
            }
            _ => return None,
        };
        Some(Self { slices })
    }
}

fn slice<'data, R: ReadRef<'data>>(data: R, at: u64) -> Option<MachoSlice> {
    read::<macho::MachHeader64<Endianness>, R>(data, at)
        .or_else(|| read::<macho::MachHeader32<Endianness>, R>(data, at))
}

fn read<'data, H: MachHeader<Endian = Endianness>, R: ReadRef<'data>>(data: R, at: u64) -> Option<MachoSlice> {
    let header = H::parse(data, at).ok()?;
    let endian = header.endian().ok()?;
    let mut slice = MachoSlice { arch: macho_arch(header.cputype(endian)), ..MachoSlice::default() };
    let mut commands = header.load_commands(endian, data, at).ok()?;
    while let Ok(Some(command)) = commands.next() {
        match (command.cmd(), command.variant()) {
            (macho::LC_CODE_SIGNATURE, _) => slice.is_signed = true,
            (macho::LC_VERSION_MIN_MACOSX, Ok(LoadCommandVariant::VersionMin(least))) => {
                slice.least_macos = Some(version(least.version.get(endian)));
            }
            (_, Ok(LoadCommandVariant::BuildVersion(build, _)))
                if build.platform.get(endian) == macho::PLATFORM_MACOS =>
            {
                slice.least_macos = Some(version(build.minos.get(endian)));
            }
            // A weak one may be missing.
            (macho::LC_LOAD_DYLIB | macho::LC_REEXPORT_DYLIB, Ok(LoadCommandVariant::Dylib(library))) => {
                let name = command.string(endian, library.dylib.name).ok()?;
                slice.libraries.push(String::from_utf8_lossy(name).into_owned());
            }
            _ => {}
        }
    }
    Some(slice)
}

fn version(stated: macho::Version) -> [u16; 2] {
    [stated.major(), u16::from(stated.minor())]
}
