//! 7z, read in the order in which its blocks are packed (7-Zip's `7zFormat.txt`).

use std::io::{self, Read};
use std::path::Path;

use sevenz_rust2::{Archive, ArchiveEntry, BlockDecoder, Error, Password};

use super::ArchiveError;
use super::entries::{RawEntry, RawKind, Visit, Wanted, could_be_program, mode, read_target};
use super::segment::{Buffered, Segment};

/// Set in a file's attributes where the upper half holds its Unix mode.
const UNIX_MODE: u32 = 0x8000;

/// Goes through the entries. What is not wanted is decoded only where something wanted lies behind it in its block, and
/// then checked nonetheless.
pub(super) fn walk(file: &Path, segment: Segment, wanted: Wanted, visit: &mut Visit<'_>) -> Result<(), ArchiveError> {
    let failed = |error: Error| match error {
        Error::PasswordRequired | Error::MaybeBadPassword(_) => {
            ArchiveError::Encrypted(file.file_name().unwrap_or_default().to_string_lossy().into_owned())
        }
        Error::UnsupportedCompressionMethod(method) => ArchiveError::Method { entry: "a block".to_owned(), method },
        other => ArchiveError::Damaged { file: file.to_owned(), source: io::Error::other(other) },
    };
    let mut source = Buffered::new(segment);
    let password = Password::empty();
    let archive = Archive::read(&mut source, &password).map_err(failed)?;
    let executable = |entry: &ArchiveEntry| !entry.is_directory && bits(entry).is_some_and(|m| m & mode::EXECUTE != 0);
    let modeless = !archive.files.iter().any(executable);
    let is_wanted = |entry: &ArchiveEntry| {
        let is_link = bits(entry).is_some_and(|m| m & mode::TYPE == mode::LINK);
        wanted == Wanted::All || is_link || could_be_program(entry.name.as_bytes(), bits(entry), modeless)
    };
    for index in 0..archive.blocks.len() {
        let block = BlockDecoder::new(1, index, &archive, &password, &mut source);
        let count = block.entry_count();
        let needed = block.entries().iter().rposition(is_wanted).map_or(0, |last| last + 1);
        let mut seen = 0;
        let mut broke: Option<ArchiveError> = None;
        if needed > 0 {
            let each = &mut |entry: &ArchiveEntry, content: &mut dyn Read| {
                seen += 1;
                let visited = one(file, entry, modeless, content, visit);
                broke = visited.err();
                // The next entry begins where this one ends.
                io::copy(content, &mut io::sink())?;
                Ok(broke.is_none() && seen < needed)
            };
            let decoded = block.for_each_entries(each);
            if let Some(error) = broke {
                return Err(error);
            }
            decoded.map_err(failed)?;
        }
        let start = archive.stream_map.block_first_file_index[index];
        let rest = &archive.files[start + seen..start + count];
        rest.iter().try_for_each(|entry| one(file, entry, modeless, &mut io::empty(), visit))?;
    }
    let blocks = &archive.stream_map.file_block_index;
    let mut without_content = blocks.iter().zip(&archive.files).filter(|(block, _)| block.is_none());
    without_content.try_for_each(|(_, entry)| one(file, entry, modeless, &mut io::empty(), visit))
}

/// The bits of an entry's Unix mode.
fn bits(entry: &ArchiveEntry) -> Option<u32> {
    let attributes = if entry.has_windows_attributes { entry.windows_attributes } else { 0 };
    (attributes & UNIX_MODE != 0).then_some(attributes >> 16)
}

/// How much the files hold together, in bytes, as the directory says.
pub(super) fn content_bytes(segment: Segment) -> Option<u64> {
    let archive = Archive::read(&mut Buffered::new(segment), &Password::empty()).ok()?;
    Some(archive.files.iter().fold(0, |sum, entry| sum.saturating_add(entry.size)))
}

fn one(
    file: &Path,
    entry: &ArchiveEntry,
    modeless: bool,
    content: &mut dyn Read,
    visit: &mut Visit<'_>,
) -> Result<(), ArchiveError> {
    // An anti-item says what is to be deleted on the way; a new folder has nothing of it.
    if entry.is_anti_item {
        return Ok(());
    }
    let bits = bits(entry);
    let damaged = |source| ArchiveError::Damaged { file: file.to_owned(), source };
    let kind = match bits.map_or(0, |m| m & mode::TYPE) {
        _ if entry.is_directory => RawKind::Folder,
        0 | mode::FILE => RawKind::File,
        mode::FOLDER => RawKind::Folder,
        mode::LINK => RawKind::Link(read_target(content).map_err(damaged)?),
        _ => RawKind::Special,
    };
    let modified = entry.has_last_modified_date.then(|| std::time::SystemTime::from(entry.last_modified_date));
    let since = modified.and_then(|time| time.duration_since(std::time::UNIX_EPOCH).ok());
    let raw = RawEntry {
        name: entry.name.clone().into_bytes(),
        kind,
        mode: bits,
        modeless,
        bytes: Some(entry.size),
        modified: since.map(|since| since.as_secs()),
    };
    visit(raw, content)
}
