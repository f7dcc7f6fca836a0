//! A folder that is written in by its handle.

use std::ffi::OsStr;
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

use rustix::fd::OwnedFd;
use rustix::fs::{AtFlags, CWD, Mode, OFlags};
use rustix::io::Errno;

/// A folder that stays the one it was, whatever is put in the place of its name. What is made in it is looked for from
/// there, and, where the kernel can promise that, never outside of it and never through a link (openat2(2),
/// `RESOLVE_BENEATH`, `RESOLVE_NO_SYMLINKS`).
#[derive(Debug)]
pub struct HeldFolder {
    folder: OwnedFd,
    place: PathBuf,
}

impl HeldFolder {
    /// Holds the folder at a place, which may not be a link to one (open(2), `O_NOFOLLOW`).
    pub fn open(folder: &Path) -> io::Result<Self> {
        let held = rustix::fs::openat(CWD, folder, FOLDER | OFlags::NOFOLLOW, Mode::empty())?;
        Ok(Self { folder: held, place: folder.to_owned() })
    }

    pub fn place(&self) -> &Path {
        &self.place
    }

    /// Moves what the folder holds under `name` to another place (renameat(2)).
    pub fn move_out(&self, name: &Path, to: &Path) -> io::Result<()> {
        Ok(rustix::fs::renameat(&self.folder, name, CWD, to)?)
    }

    /// Makes a new file with these permission bits, less those that the user's mask takes off (open(2), `O_EXCL`).
    pub fn create_new(&self, below: &Path, mode: u32) -> io::Result<File> {
        let flags = OFlags::WRONLY | OFlags::CREATE | OFlags::EXCL | OFlags::CLOEXEC;
        Ok(self.open_beneath(below, flags, Mode::from_raw_mode(mode as _))?.into())
    }

    pub fn open_file(&self, below: &Path) -> io::Result<File> {
        Ok(self.open_beneath(below, OFlags::RDONLY | OFlags::CLOEXEC, Mode::empty())?.into())
    }

    /// Makes a folder and those above it that are missing: for others to read at most, whatever the umask.
    pub fn make_folders(&self, below: &Path) -> io::Result<()> {
        let above = below.parent().filter(|above| !above.as_os_str().is_empty());
        match (self.make_folder(below), above) {
            (Err(e), Some(above)) if e.kind() == io::ErrorKind::NotFound => {
                self.make_folders(above)?;
                self.make_folder(below)
            }
            (made, _) => made,
        }
    }

    fn make_folder(&self, below: &Path) -> io::Result<()> {
        let (above, name) = self.parent_of(below)?;
        match rustix::fs::mkdirat(above, name, Mode::from_raw_mode(0o755)) {
            Err(Errno::EXIST) => Ok(()),
            made => Ok(made?),
        }
    }

    pub fn make_link(&self, target: &Path, below: &Path) -> io::Result<()> {
        let (above, name) = self.parent_of(below)?;
        Ok(rustix::fs::symlinkat(target, above, name)?)
    }

    pub fn make_hard_link(&self, file: &Path, below: &Path) -> io::Result<()> {
        let ((from, old), (above, new)) = (self.parent_of(file)?, self.parent_of(below)?);
        Ok(rustix::fs::linkat(from, old, above, new, AtFlags::empty())?)
    }

    pub fn remove_file(&self, below: &Path) -> io::Result<()> {
        let (above, name) = self.parent_of(below)?;
        Ok(rustix::fs::unlinkat(above, name, AtFlags::empty())?)
    }

    fn parent_of<'a>(&self, below: &'a Path) -> io::Result<(OwnedFd, &'a OsStr)> {
        let above = below.parent().filter(|above| !above.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let name = below.file_name().ok_or(io::ErrorKind::InvalidInput)?;
        Ok((self.open_beneath(above, FOLDER, Mode::empty())?, name))
    }

    #[cfg(target_os = "linux")]
    fn open_beneath(&self, below: &Path, flags: OFlags, mode: Mode) -> io::Result<OwnedFd> {
        use rustix::fs::{ResolveFlags, openat, openat2};
        match openat2(&self.folder, below, flags, mode, ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS) {
            // An old kernel, or a container that forbids what it does not know.
            Err(Errno::NOSYS | Errno::PERM) => Ok(openat(&self.folder, below, flags | OFlags::NOFOLLOW, mode)?),
            opened => Ok(opened?),
        }
    }

    #[cfg(not(target_os = "linux"))]
    fn open_beneath(&self, below: &Path, flags: OFlags, mode: Mode) -> io::Result<OwnedFd> {
        Ok(rustix::fs::openat(&self.folder, below, flags | OFlags::NOFOLLOW, mode)?)
    }
}

const FOLDER: OFlags = OFlags::DIRECTORY.union(OFlags::RDONLY).union(OFlags::CLOEXEC);

#[cfg(test)]
mod tests {
    use std::fs;
    use std::os::unix::fs::symlink;

    use super::*;

    #[test]
    fn nothing_is_made_outside_of_it() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        for name in ["held", "precious"] {
            fs::create_dir(at(name)).unwrap();
        }
        fs::write(at("precious/file"), "tide").unwrap();
        let held = HeldFolder::open(&at("held")).unwrap();
        // What somebody puts in the way of a long work.
        symlink(at("precious"), at("held/link")).unwrap();
        symlink("../precious", at("held/near")).unwrap();
        for way in ["link", "near", "../precious"].map(Path::new) {
            let new = way.join("new");
            assert!(held.create_new(&new, 0o644).is_err(), "{way:?}");
            assert!(held.make_folders(&new.join("deep")).is_err(), "{way:?}");
            assert!(held.make_link(Path::new("x"), &new).is_err(), "{way:?}");
            assert!(held.make_hard_link(&way.join("file"), Path::new("file")).is_err(), "{way:?}");
            assert!(held.remove_file(&way.join("file")).is_err(), "{way:?}");
            assert!(held.open_file(&way.join("file")).is_err(), "{way:?}");
        }
        assert_eq!(fs::read_dir(at("precious")).unwrap().count(), 1);
        // Another folder that takes its name gets nothing.
        fs::rename(at("held"), at("moved")).unwrap();
        fs::rename(at("precious"), at("held")).unwrap();
        held.make_folders(Path::new("a/b/c")).unwrap();
        drop(held.create_new(Path::new("a/b/file"), 0o644).unwrap());
        held.make_hard_link(Path::new("a/b/file"), Path::new("a/second")).unwrap();
        held.make_link(Path::new("b/file"), Path::new("a/link")).unwrap();
        assert!(["a/b/c", "a/second", "a/link"].iter().all(|name| at("moved").join(name).exists()));
        assert_eq!(fs::read_dir(at("held")).unwrap().count(), 1);
    }
}
