//! An installer that stays what it was when its checksum was computed, whatever happens to its name meanwhile: between
//! that and its start a user is asked, and others may write where downloads lie.

use std::fs::File;
use std::io::{self, BufReader, Read, Write};
use std::path::{Path, PathBuf};

use crate::checksum::{Computed, Published};
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::progress::Stop;

#[derive(Debug)]
pub struct Pinned {
    /// What is to be run: the file itself where nobody else may write to it for now, else a private copy.
    pub path: PathBuf,
    pub computed: Computed,
    _held: Held,
}

#[derive(Debug)]
enum Held {
    /// Open in a way that lets nobody write to it, or put another in its place.
    Open { _file: File },
    /// A copy in a folder that only this user may look into, which goes away with this.
    Copy { _folder: tempfile::TempDir },
    /// Nothing: it is not to be run.
    Nothing,
}

impl Pinned {
    /// Computes the checksums of a file that is to be run afterwards.
    pub fn to_run(file: &Path, published: &[Published], stop: &Stop) -> Result<Self, FileError> {
        if let Some(open) = os::open_unchanging(file).at("open", file)? {
            let computed = Computed::of(BufReader::new(&open), published, stop).at("read", file)?;
            return Ok(Self { path: file.to_owned(), computed, _held: Held::Open { _file: open } });
        }
        let place = std::env::temp_dir();
        let folder = tempfile::Builder::new().prefix("wyard-installer-").tempdir().at("make a folder in", &place)?;
        let path = folder.path().join(file.file_name().unwrap_or_default());
        let copy = os::create_new(&path, 0o700).at("make", &path)?;
        let original = File::open(file).at("open", file)?;
        let mut tee = Tee { from: original, into: &copy };
        let computed = Computed::of(&mut tee, published, stop).at("copy", file)?;
        Ok(Self { path, computed, _held: Held::Copy { _folder: folder } })
    }

    /// Computes the checksums of a file that is not to be run.
    pub fn only_summed(file: &Path, published: &[Published], stop: &Stop) -> Result<Self, FileError> {
        let content = File::open(file).at("open", file)?;
        let computed = Computed::of(BufReader::new(content), published, stop).at("read", file)?;
        Ok(Self { path: file.to_owned(), computed, _held: Held::Nothing })
    }
}

struct Tee<'a> {
    from: File,
    into: &'a File,
}

impl Read for Tee<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.from.read(buffer)?;
        self.into.write_all(&buffer[..read])?;
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_hashed_is_what_is_run() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("buoyctl 2.4.run");
        std::fs::write(&file, "#!/bin/sh\necho buoy\n").unwrap();
        let pinned = Pinned::to_run(&file, &[], &Stop::default()).unwrap();
        // Where the file is held open, writing to it fails; else the copy is untouched.
        let _ = std::fs::write(&file, "#!/bin/sh\necho something else\n");
        let content = std::fs::read(&pinned.path).unwrap();
        let again = Computed::of(&content[..], &[], &Stop::default()).unwrap();
        assert_eq!((again, pinned.path.file_name()), (pinned.computed.clone(), file.file_name()));
        let copied = pinned.path != file;
        let path = pinned.path.clone();
        drop(pinned);
        assert_eq!(path.exists(), !copied);
    }
}
