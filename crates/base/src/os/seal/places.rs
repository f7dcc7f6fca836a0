//! Places of a seal: opened before they are covered, and made like others.

use std::fs::{self, File, Permissions};
use std::io;
use std::os::fd::{AsRawFd as _, OwnedFd};
use std::os::unix::fs::{FileTypeExt as _, MetadataExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};

use rustix::fs::{CWD, FileType, Mode, OFlags};

/// Opens a place by name only, so that it is still found when something is mounted over it.
pub(super) fn open(place: &Path) -> rustix::io::Result<OwnedFd> {
    rustix::fs::open(place, OFlags::PATH | OFlags::CLOEXEC, Mode::empty())
}

/// What an open place is called now.
pub(super) fn by_descriptor(fd: &OwnedFd) -> PathBuf {
    PathBuf::from(format!("/proc/self/fd/{}", fd.as_raw_fd()))
}

/// A pipe, or a socket that nobody listens at; devices are left out.
pub(super) fn special(kind: fs::FileType, at: &Path) -> io::Result<()> {
    let kind = match (kind.is_fifo(), kind.is_socket()) {
        (true, _) => FileType::Fifo,
        (_, true) => FileType::Socket,
        _ => return Ok(()),
    };
    Ok(rustix::fs::mknodat(CWD, at, kind, Mode::from_raw_mode(0o600), 0)?)
}

/// Gives a file or folder the mode, the times and, where that is allowed, the owner of another.
pub(super) fn copy_looks(like: &Path, place: &Path) -> io::Result<()> {
    let seen = fs::metadata(like)?;
    let _ = std::os::unix::fs::chown(place, Some(seen.uid()), Some(seen.gid()));
    fs::set_permissions(place, Permissions::from_mode(seen.mode() & 0o7777))?;
    let times = fs::FileTimes::new().set_accessed(seen.accessed()?).set_modified(seen.modified()?);
    let _ = File::open(place).and_then(|file| file.set_times(times));
    Ok(())
}

pub(super) fn stand_in(file: &Path, content: &[u8]) -> io::Result<()> {
    fs::remove_file(file)?;
    fs::write(file, content)?;
    fs::set_permissions(file, Permissions::from_mode(0o755))
}
