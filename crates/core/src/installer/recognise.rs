//! Telling an installer by its content.

use std::io::Read as _;
use std::path::Path;

use super::facts::{Installer, InstallerKind};
use super::script::ScriptUse;
use super::{package, script, windows_program};
use crate::error::{FileContext as _, FileError};
use crate::given;

/// How much of a file is read to recognise it: the text of a self-extractor is far shorter.
const HEAD: u64 = 1 << 20;

/// The file a compound document begins with (MS-CFB 2.2), as packages of Windows Installer are.
const COMPOUND: &[u8] = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1";

/// Recognises an installer by its content; `None` for any other file.
pub fn recognise(file: &Path) -> Result<Option<Installer>, FileError> {
    let head = head(file)?;
    Ok(if head.starts_with(COMPOUND) {
        package::read(file)
    } else if head.starts_with(b"xar!") {
        Some(Installer::new(InstallerKind::MacosPackage))
    } else if head.starts_with(b"MZ") {
        windows_program::read(file)
    } else if head.starts_with(b"#!") {
        (script::judge(file, &head) == ScriptUse::Installer).then(|| script::read(&head))
    } else {
        None
    })
}

/// What a script is for; `None` for any other file.
pub fn script_use(file: &Path) -> Result<Option<ScriptUse>, FileError> {
    let head = head(file)?;
    Ok(head.starts_with(b"#!").then(|| script::judge(file, &head)))
}

/// A script as an installer, whatever it looks like; `None` for any other file.
pub(super) fn script_as_installer(file: &Path) -> Result<Option<Installer>, FileError> {
    let head = head(file)?;
    Ok(head.starts_with(b"#!").then(|| script::read(&head)))
}

fn head(file: &Path) -> Result<Vec<u8>, FileError> {
    let mut head = Vec::new();
    if file.is_file() && given::without_content(file).is_none() {
        given::open(file).at("open", file)?.take(HEAD).read_to_end(&mut head).at("read", file)?;
    }
    Ok(head)
}

#[cfg(test)]
mod tests {
    use std::fs;

    use msi::{Column, Insert, Package, PackageType, Value};
    use proptest::prelude::*;

    use super::*;

    /// A package that has one row in each of the tables that are read.
    fn a_package(file: &Path) -> Vec<u8> {
        let inner = fs::File::options().read(true).write(true).create(true).truncate(true).open(file).unwrap();
        let mut package = Package::create(PackageType::Installer, inner).unwrap();
        for (table, columns, row) in [
            ("Property", &["Property", "Value"][..], &["ProductName", "Buoyctl"][..]),
            ("Directory", &["Directory", "Directory_Parent", "DefaultDir"], &["TARGETDIR", "TARGETDIR", "SourceDir"]),
            ("Component", &["Component", "Directory_"], &["Program", "TARGETDIR"]),
            ("File", &["File", "Component_", "FileName"], &["F1", "Program", "buoyctl.exe"]),
            ("Environment", &["Environment", "Name", "Value"], &["E1", "*=-PATH", "[~];[TARGETDIR]"]),
        ] {
            let columns = columns.iter().map(|name| Column::build(*name).primary_key().string(0)).collect();
            package.create_table(table, columns).unwrap();
            let row = row.iter().map(|text| Value::Str((*text).to_owned())).collect();
            package.insert_rows(Insert::into(table).rows(vec![row])).unwrap();
        }
        package.flush().unwrap();
        drop(package);
        fs::read(file).unwrap()
    }

    #[test]
    fn spoiled_installers_are_no_installers_or_others_and_end_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("buoyctl-setup-2.4.msi");
        let package = a_package(&file);
        assert_eq!(recognise(&file).unwrap().unwrap().commands, ["buoyctl"]);
        let script = b"#!/bin/sh\ncase $1 in --prefix=*) ;; esac\nexit\n\x1f\x8b\x08\0\0\0\xff\xfe rest".to_vec();
        let whole = [package, windows_program::tests::program("Buoyctl Setup", 70_000), script, b"xar!\0\x1c".to_vec()];
        let changes = prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6);
        proptest!(|(which in 0..whole.len(), changes in changes, cut in any::<Option<prop::sample::Index>>())| {
            let mut content = whole[which].clone();
            for (at, byte) in changes {
                let at = at.index(content.len());
                content[at] = byte;
            }
            if let Some(cut) = cut {
                content.truncate(cut.index(content.len()));
            }
            fs::write(&file, content).unwrap();
            let _ = recognise(&file).unwrap();
        });
    }
}
