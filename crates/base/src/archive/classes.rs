//! The least Java that an archive of classes asks for.

use std::io::{self, BufReader, Cursor, Read, Seek};
use std::path::Path;

use super::guard;
use crate::given;
use crate::program::Asks;

/// At most this many classes are looked at; the others were most likely compiled with them.
const MOST_CLASSES: usize = 200;
/// A manifest beyond this is not read.
const LONGEST_MANIFEST: u64 = 64 << 10;

/// Whether a file is called as archives of classes are.
pub fn could_hold_classes(name: &str) -> bool {
    name.len() > 4 && name.as_bytes()[name.len() - 4..].eq_ignore_ascii_case(b".jar")
}

/// Reads it from the content of such an archive; `None` where that is spoiled, or holds no classes.
pub fn asked_by_classes(content: &[u8]) -> Option<Asks> {
    guard::run(|| read(content)).ok().flatten()
}

fn read(content: &[u8]) -> io::Result<Option<Asks>> {
    let mut archive = zip::ZipArchive::new(Cursor::new(content))?;
    let first = first_class(&mut archive);
    let mut names: Vec<String> =
        archive.file_names().filter_map(|name| Some(name.ok()?.into_owned())).filter(|name| is_class(name)).collect();
    names.truncate(MOST_CLASSES);
    names.extend(first.clone());
    let mut seen = Vec::new();
    for name in &names {
        let mut head = [0; 8];
        let Ok(mut class) = archive.by_name(name) else { continue };
        // The Java Virtual Machine Specification, 4.1: magic number, minor version, major version.
        if class.read_exact(&mut head).is_ok() && head.starts_with(&[0xca, 0xfe, 0xba, 0xbe]) {
            let java = u16::from_be_bytes([head[6], head[7]]).saturating_sub(44);
            seen.push((Some(name) == first.as_ref(), java));
        }
    }
    let of_first = seen.iter().find(|(is_first, _)| *is_first).map(|(_, java)| *java);
    let all = || seen.iter().map(|(_, java)| *java);
    let (Some(least), Some(most)) = (of_first.or_else(|| all().min()), all().max()) else { return Ok(None) };
    Ok(Some(Asks::Classes { least, most: most.max(least) }))
}

/// Those of later versions of Java, and what only later versions read, do not count ("JAR File Specification", "Multi-release
/// JAR files").
fn is_class(name: &str) -> bool {
    name.ends_with(".class") && !name.starts_with("META-INF/") && !name.ends_with("module-info.class")
}

/// The class that is called first, as the manifest says ("JAR File Specification", `Main-Class`).
fn first_class<R: Read + Seek>(archive: &mut zip::ZipArchive<R>) -> Option<String> {
    Some(format!("{}.class", in_manifest(archive, "Main-Class")?.replace('.', "/")))
}

fn in_manifest<R: Read + Seek>(archive: &mut zip::ZipArchive<R>, name: &str) -> Option<String> {
    let mut text = String::new();
    archive.by_name("META-INF/MANIFEST.MF").ok()?.take(LONGEST_MANIFEST).read_to_string(&mut text).ok()?;
    // A line that begins with a blank goes on with the one before.
    let text = text.replace("\r\n", "\n").replace("\n ", "");
    let value = text.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'))?;
    Some(value.trim().to_owned())
}

/// The version that an archive of classes states in its manifest ("JAR File Specification", `Implementation-Version`).
pub fn version_of_classes(file: &Path) -> Option<String> {
    let open = given::open(file).ok()?;
    let read = || Ok(in_manifest(&mut zip::ZipArchive::new(BufReader::new(open))?, "Implementation-Version"));
    guard::run(read).ok().flatten().filter(|version| version.starts_with(|c: char| c.is_ascii_digit()))
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::*;

    fn made(entries: &[(&str, &[u8])]) -> Vec<u8> {
        let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
        for (name, content) in entries {
            writer.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
            writer.write_all(content).unwrap();
        }
        writer.finish().unwrap().into_inner()
    }

    #[test]
    fn the_first_class_counts_and_those_for_later_versions_do_not() {
        let class = |major: u8| [0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, major, 1, 2];
        let (eight, seventeen, twenty_one) = (class(52), class(61), class(65));
        let manifest: &[u8] = b"Manifest-Version: 1.0\r\nMain-Class: tide.lo\r\n g.Main\r\n";
        for (entries, expected) in [
            (vec![("a/B.class", &eight[..]), ("a/C.class", &seventeen)], Some((8, 17))),
            (
                vec![("META-INF/MANIFEST.MF", manifest), ("tide/log/Main.class", &seventeen), ("a/B.class", &eight)],
                Some((17, 17)),
            ),
            (
                vec![
                    ("a/B.class", &eight),
                    ("META-INF/versions/21/a/B.class", &twenty_one),
                    ("module-info.class", &twenty_one),
                ],
                Some((8, 8)),
            ),
            (vec![("a/B.class", &b"no class"[..])], None),
            (vec![("a.txt", &b"x"[..])], None),
        ] {
            let expected = expected.map(|(least, most)| Asks::Classes { least, most });
            assert_eq!(asked_by_classes(&made(&entries)), expected);
        }
        let file = tempfile::NamedTempFile::new().unwrap();
        let stated = b"Manifest-Version: 1.0\r\nImplementation-Version: 4.2.\r\n 1\r\n";
        for (manifest, expected) in [(&stated[..], Some("4.2.1")), (manifest, None)] {
            std::fs::write(file.path(), made(&[("META-INF/MANIFEST.MF", manifest)])).unwrap();
            assert_eq!(version_of_classes(file.path()).as_deref(), expected);
        }
        assert_eq!(asked_by_classes(b"PK\x03\x04 spoiled"), None);
    }
}
