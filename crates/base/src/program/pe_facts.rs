//! What a file of Windows says that it needs and offers (Microsoft PE format, "Import Directory Table", "Export Directory Table",
//! "Optional Header Windows-Specific Fields").

use object::endian::LittleEndian as LE;
use object::read::pe::{ImageNtHeaders, ImageOptionalHeader as _, Import, PeFile};
use object::{FileKind, ReadRef, pe};

/// A library that is loaded with it, and what is used of it by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PeImport {
    pub library: String,
    pub functions: Vec<String>,
}

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PeFacts {
    pub machine: u16,
    /// The least version of Windows that loads it (`MajorSubsystemVersion`, `MinorSubsystemVersion`).
    pub least_windows: [u16; 2],
    pub imports: Vec<PeImport>,
    /// The libraries that are loaded once something of them is used ("Delay-Load Import Tables").
    pub delayed: Vec<String>,
    pub exports: Vec<String>,
}

impl PeFacts {
    /// Reads them; `None` where it is no such file.
    pub fn of<'data, R: ReadRef<'data>>(data: R) -> Option<Self> {
        match FileKind::parse(data).ok()? {
            FileKind::Pe32 => read::<pe::ImageNtHeaders32, R>(data),
            FileKind::Pe64 => read::<pe::ImageNtHeaders64, R>(data),
            _ => None,
        }
    }
}

fn read<'data, H: ImageNtHeaders, R: ReadRef<'data>>(data: R) -> Option<PeFacts> {
    let file = PeFile::<H, R>::parse(data).ok()?;
    let headers = file.nt_headers();
    let optional = headers.optional_header();
    let mut facts = PeFacts {
        machine: headers.file_header().machine.get(LE).0,
        least_windows: [optional.major_subsystem_version(), optional.minor_subsystem_version()],
        ..PeFacts::default()
    };
    if let Ok(Some(table)) = file.import_table()
        && let Ok(mut descriptors) = table.descriptors()
    {
        while let Ok(Some(descriptor)) = descriptors.next() {
            let Ok(library) = table.name(descriptor.name.get(LE)) else { continue };
            let mut import = PeImport { library: text(library), functions: Vec::new() };
            // What is bound beforehand has the names in a table of their own.
            let names = [descriptor.original_first_thunk.get(LE), descriptor.first_thunk.get(LE)];
            let names = names.into_iter().find(|address| *address != 0);
            if let Some(Ok(mut thunks)) = names.map(|address| table.thunks(address)) {
                while let Ok(Some(thunk)) = thunks.next::<H>() {
                    if let Ok(Import::Name(_, name)) = table.import::<H>(thunk) {
                        import.functions.push(text(name));
                    }
                }
            }
            facts.imports.push(import);
        }
    }
    if let Ok(Some(table)) = file.delay_load_import_table()
        && let Ok(mut descriptors) = table.descriptors()
    {
        while let Ok(Some(descriptor)) = descriptors.next() {
            facts.delayed.extend(table.name(descriptor.dll_name_rva.get(LE)).map(text));
        }
    }
    if let Ok(Some(table)) = file.export_table() {
        let names = table.name_iter().filter_map(|(pointer, _)| table.name_from_pointer(pointer).ok());
        facts.exports = names.map(text).collect();
    }
    Some(facts)
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}
