//! What an executable file is: kind, system and processor, read from its first bytes.

use object::endian::Endianness;
use object::read::macho::{FatArch as _, MachHeader as _};
use object::{FileKind, elf, macho, pe};
use serde::{Deserialize, Serialize};

/// How many bytes of a file's beginning [`Program::identify`] needs to see.
pub const HEAD_BYTES: usize = 4096;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum ProgramKind {
    /// System V ELF, as Linux and the BSDs run it.
    Elf,
    /// Portable Executable, as Windows runs it.
    Pe,
    /// Mach-O, thin or fat, as macOS runs it.
    Macho,
    /// A text that begins with `#!`.
    Script,
    /// A batch file of `cmd`.
    Batch,
    Other,
}

/// What the first bytes of a file say about it as a program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Program {
    pub kind: ProgramKind,
    /// The system it was built for, where the header says so (`linux`, `macos`, `windows`).
    pub os: Option<&'static str>,
    /// The processor it was built for (`x86_64`, `aarch64`, …; `several` for a fat Mach-O).
    pub arch: Option<&'static str>,
    /// For a script, the line after `#!`.
    pub interpreter: Option<String>,
    /// Whether its header says that it is made to open windows.
    pub opens_windows: bool,
    /// Whether the bytes look like text.
    pub is_text: bool,
    /// For a script or batch file, a path in it that only its maker's machine can be expected to have.
    pub fixed_path: Option<String>,
}

impl Program {
    /// Reads a program's kind from its name and at most [`HEAD_BYTES`] first bytes.
    ///
    /// Sources: System V ABI (ELF header), Microsoft PE format, Apple `mach-o/loader.h`, execve(2) for `#!`.
    pub fn identify(file_name: &str, head: &[u8]) -> Self {
        let is_text = !head.is_empty() && !head.contains(&0);
        let mut program = Self {
            kind: ProgramKind::Other,
            os: None,
            arch: None,
            interpreter: None,
            opens_windows: false,
            is_text,
            fixed_path: None,
        };
        if let Some(rest) = head.strip_prefix(b"#!") {
            let line = rest.split(|b| *b == b'\n').next().unwrap_or_default();
            program.kind = ProgramKind::Script;
            program.interpreter = Some(String::from_utf8_lossy(line).trim().to_owned());
            program.fixed_path = fixed_path(&rest[line.len()..]);
            return program;
        }
        let lower = file_name.to_ascii_lowercase();
        match FileKind::parse(head) {
            Ok(FileKind::Elf32) => program.set_elf(elf_machine::<elf::FileHeader32<Endianness>>(head)),
            Ok(FileKind::Elf64) => program.set_elf(elf_machine::<elf::FileHeader64<Endianness>>(head)),
            Ok(FileKind::Pe32 | FileKind::Pe64) => {
                program.kind = ProgramKind::Pe;
                program.os = Some("windows");
                program.arch = pe_machine(head).map(pe_arch);
                program.opens_windows =
                    pe_subsystem(head).is_some_and(|subsystem| subsystem == pe::IMAGE_SUBSYSTEM_WINDOWS_GUI.0);
            }
            Ok(FileKind::MachO32 | FileKind::MachO64) => {
                program.kind = ProgramKind::Macho;
                program.os = Some("macos");
                program.arch = macho_cpu(head).map(macho_arch);
            }
            Ok(FileKind::MachOFat32 | FileKind::MachOFat64) => {
                program.kind = ProgramKind::Macho;
                program.os = Some("macos");
                program.arch = Some(fat_arch(head));
            }
            _ if is_text && (lower.ends_with(".bat") || lower.ends_with(".cmd")) => {
                program.kind = ProgramKind::Batch;
                program.os = Some("windows");
                program.fixed_path = fixed_path(head);
            }
            _ => {}
        }
        program
    }

    /// Whether this system and processor can run it: a script or text always may, a compiled program when it was built
    /// for them or for an older form of them that they still run.
    pub fn is_native(&self, system: &str, processor: &str) -> bool {
        let built_for = match self.kind {
            ProgramKind::Script => return true,
            ProgramKind::Other => return self.is_text,
            ProgramKind::Batch => return system == "windows",
            ProgramKind::Elf => self.os.is_none_or(|os| os == system),
            ProgramKind::Pe => system == "windows",
            ProgramKind::Macho => system == "macos",
        };
        let older = match processor {
            "x86_64" => self.kind != ProgramKind::Macho && self.arch == Some("x86"),
            "aarch64" if self.kind == ProgramKind::Elf => self.arch == Some("arm"),
            // macOS and Windows on ARM translate programs for the other processor ("How x86 emulation works on Arm").
            "aarch64" if self.kind == ProgramKind::Pe => matches!(self.arch, Some("x86" | "x86_64")),
            "aarch64" => self.arch == Some("x86_64"),
            _ => false,
        };
        built_for && (older || self.arch.is_none_or(|arch| arch == processor || arch == "several"))
    }

    fn set_elf(&mut self, header: Option<(elf::OsAbi, elf::Machine)>) {
        self.kind = ProgramKind::Elf;
        if let Some((os_abi, machine)) = header {
            // 0 is "System V", which is what compilers for Linux write.
            self.os = match os_abi {
                elf::ELFOSABI_NONE | elf::ELFOSABI_GNU => Some("linux"),
                elf::ELFOSABI_FREEBSD => Some("freebsd"),
                elf::ELFOSABI_OPENBSD => Some("openbsd"),
                elf::ELFOSABI_NETBSD => Some("netbsd"),
                _ => None,
            };
            self.arch = elf_arch(machine);
        }
    }
}

fn elf_machine<H: object::read::elf::FileHeader<Endian = Endianness>>(
    head: &[u8],
) -> Option<(elf::OsAbi, elf::Machine)> {
    let header = H::parse(head).ok()?;
    let endian = header.endian().ok()?;
    Some((header.e_ident().os_abi, header.e_machine(endian)))
}

fn elf_arch(machine: elf::Machine) -> Option<&'static str> {
    Some(match machine {
        elf::EM_X86_64 => "x86_64",
        elf::EM_386 => "x86",
        elf::EM_AARCH64 => "aarch64",
        elf::EM_ARM => "arm",
        elf::EM_RISCV => "riscv64",
        elf::EM_PPC64 => "powerpc64",
        elf::EM_S390 => "s390x",
        _ => return None,
    })
}

fn pe_machine(head: &[u8]) -> Option<pe::Machine> {
    let dos = pe::ImageDosHeader::parse(head).ok()?;
    let at = usize::try_from(dos.nt_headers_offset()).ok()?;
    // The machine field follows the four bytes of the "PE\0\0" signature.
    let field = head.get(at.checked_add(4)?..at.checked_add(6)?)?;
    Some(pe::Machine(u16::from_le_bytes([field[0], field[1]])))
}

/// The subsystem stands at the same place in both kinds of optional header, behind the signature and the file header ("PE
/// Format", "Optional Header Windows-Specific Fields").
fn pe_subsystem(head: &[u8]) -> Option<u16> {
    const BEHIND_SIGNATURE: usize = 4 + 20 + 68;
    let dos = pe::ImageDosHeader::parse(head).ok()?;
    let at = usize::try_from(dos.nt_headers_offset()).ok()?.checked_add(BEHIND_SIGNATURE)?;
    let field = head.get(at..at.checked_add(2)?)?;
    Some(u16::from_le_bytes([field[0], field[1]]))
}

fn pe_arch(machine: pe::Machine) -> &'static str {
    match machine {
        pe::IMAGE_FILE_MACHINE_AMD64 => "x86_64",
        pe::IMAGE_FILE_MACHINE_I386 => "x86",
        pe::IMAGE_FILE_MACHINE_ARM64 => "aarch64",
        _ => "unknown",
    }
}

/// The first path in a launcher that points into a home, or to where one machine's tools were put.
fn fixed_path(text: &[u8]) -> Option<String> {
    let text = String::from_utf8_lossy(text);
    let is_part = |c: char| c.is_alphanumeric() || "/\\:._+-".contains(c);
    let words = text.lines().map(str::trim_start).filter(|line| {
        let lower = line.to_ascii_lowercase();
        !["#", "::", "rem "].iter().any(|mark| lower.starts_with(mark))
    });
    let pointing = |word: &&str| {
        let unix = ["/home/", "/Users/", "/opt/", "/root/"].iter().any(|begin| word.starts_with(begin));
        let drive = word.as_bytes().get(1..3) == Some(b":\\") && word.as_bytes()[0].is_ascii_alphabetic();
        (unix || drive) && word.len() > 6
    };
    words.flat_map(|line| line.split(|c| !is_part(c))).find(pointing).map(str::to_owned)
}

fn macho_cpu(head: &[u8]) -> Option<macho::CpuType> {
    if let Ok(header) = macho::MachHeader64::<Endianness>::parse(head, 0) {
        return Some(header.cputype(header.endian().ok()?));
    }
    let header = macho::MachHeader32::<Endianness>::parse(head, 0).ok()?;
    Some(header.cputype(header.endian().ok()?))
}

pub(super) fn macho_arch(cpu: macho::CpuType) -> &'static str {
    match cpu {
        macho::CPU_TYPE_X86_64 => "x86_64",
        macho::CPU_TYPE_X86 => "x86",
        macho::CPU_TYPE_ARM64 => "aarch64",
        _ => "unknown",
    }
}

fn fat_arch(head: &[u8]) -> &'static str {
    match object::read::macho::MachOFatFile32::parse(head).map(|fat| fat.arches().to_vec()) {
        Ok(arches) if arches.len() == 1 => macho_arch(arches[0].cputype()),
        _ => "several",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The first 64 bytes of an ELF file with the given class, byte order, OS byte and machine.
    fn elf_head(class: u8, order: u8, os: u8, machine: u16) -> Vec<u8> {
        let mut head = vec![0u8; 64];
        head[..8].copy_from_slice(&[0x7f, b'E', b'L', b'F', class, order, 1, os]);
        let at = if order == 1 { machine.to_le_bytes() } else { machine.to_be_bytes() };
        head[18..20].copy_from_slice(&at);
        head
    }

    fn pe_head(machine: u16) -> Vec<u8> {
        let mut head = vec![0u8; 512];
        head[..2].copy_from_slice(b"MZ");
        head[0x3c] = 0x80;
        head[0x80..0x84].copy_from_slice(b"PE\0\0");
        head[0x84..0x86].copy_from_slice(&machine.to_le_bytes());
        head[0x98..0x9a].copy_from_slice(&[0x0b, 0x02]);
        head
    }

    #[test]
    fn the_header_says_whether_a_program_opens_windows() {
        for (subsystem, opens) in [(2, true), (3, false)] {
            let mut head = pe_head(0x8664);
            head[0x80 + 92] = subsystem;
            assert_eq!(Program::identify("a.exe", &head).opens_windows, opens);
        }
        assert!(!Program::identify("a", &elf_head(2, 1, 0, 62)).opens_windows);
    }

    fn macho_head(cpu: u32) -> Vec<u8> {
        let mut head = vec![0u8; 64];
        head[..4].copy_from_slice(&0xfeed_facf_u32.to_le_bytes());
        head[4..8].copy_from_slice(&cpu.to_le_bytes());
        head
    }

    #[test]
    fn headers_tell_kind_system_and_processor() {
        use ProgramKind::{Batch, Elf, Macho, Other, Pe, Script};
        type Case<'a> = (&'a str, Vec<u8>, ProgramKind, Option<&'a str>, Option<&'a str>);
        let cases: Vec<Case> = vec![
            ("a", elf_head(2, 1, 0, 62), Elf, Some("linux"), Some("x86_64")),
            ("a", elf_head(2, 1, 3, 183), Elf, Some("linux"), Some("aarch64")),
            ("a", elf_head(1, 2, 9, 3), Elf, Some("freebsd"), Some("x86")),
            ("a.exe", pe_head(0x8664), Pe, Some("windows"), Some("x86_64")),
            ("a", macho_head(0x0100_000c), Macho, Some("macos"), Some("aarch64")),
            ("a", b"#!/bin/sh\necho\n".to_vec(), Script, None, None),
            ("a.CMD", b"@echo off\r\n".to_vec(), Batch, Some("windows"), None),
            ("a", b"plain\n".to_vec(), Other, None, None),
            ("a", Vec::new(), Other, None, None),
            ("a", b"\x7fELF".to_vec(), Other, None, None),
        ];
        for (name, head, kind, os, arch) in cases {
            let seen = Program::identify(name, &head);
            assert_eq!((seen.kind, seen.os, seen.arch), (kind, os, arch), "{name} {head:?}");
        }
    }

    #[test]
    fn what_runs_where() {
        for (head, system, processor, native) in [
            (elf_head(2, 1, 0, 62), "linux", "x86_64", true),
            (elf_head(1, 1, 0, 3), "linux", "x86_64", true),
            (elf_head(2, 1, 0, 183), "linux", "x86_64", false),
            (elf_head(2, 1, 9, 62), "linux", "x86_64", false),
            (pe_head(0x8664), "linux", "x86_64", false),
            (pe_head(0x8664), "windows", "aarch64", true),
            (pe_head(0x014c), "windows", "aarch64", true),
            (pe_head(0xaa64), "windows", "x86_64", false),
            (macho_head(0x0100_0007), "macos", "aarch64", true),
            (macho_head(0x0100_000c), "macos", "x86_64", false),
            (b"#!/bin/sh".to_vec(), "linux", "riscv64", true),
            (b"\0\x01\x02".to_vec(), "linux", "x86_64", false),
        ] {
            assert_eq!(
                Program::identify("a", &head).is_native(system, processor),
                native,
                "{head:?} {system} {processor}"
            );
        }
    }

    #[test]
    fn a_script_names_its_interpreter() {
        let seen = Program::identify("a", b"#! /usr/bin/env sh\r\nbody");
        assert_eq!(seen.interpreter.as_deref(), Some("/usr/bin/env sh"));
    }

    #[test]
    fn a_path_of_the_makers_machine_is_seen() {
        for (text, expected) in [
            ("#!/bin/sh\nexec \"$here/lib/t\"\n", None),
            ("#!/bin/sh\n# made in /home/skipper\nexec /usr/bin/env t\n", None),
            ("#!/bin/sh\nHOME_DIR=/opt/tide/lib\n", Some("/opt/tide/lib")),
            ("#!/opt/tide/run\n", None),
        ] {
            assert_eq!(Program::identify("t", text.as_bytes()).fixed_path.as_deref(), expected, "{text}");
        }
        let batch = b"@rem C:\\old\r\n@set T=D:\\tide\\lib\r\n";
        assert_eq!(Program::identify("t.cmd", batch).fixed_path.as_deref(), Some("D:\\tide\\lib"));
    }
}
