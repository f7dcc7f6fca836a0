//! What a file has beside its content.

use std::fs::{self, File};
use std::io;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::Path;

/// Gives a new file all that another one has beside its content: mode, owner, group, access lists and other attributes (xattr(7),
/// acl(5)). `false` where it cannot have all of that, or the other file has further names, which a new one would not have.
pub fn copy_all_but_content(like: &Path, target: &File) -> io::Result<bool> {
    let rights = fs::metadata(like)?;
    let now = target.metadata()?;
    let is_owned = (now.uid(), now.gid()) == (rights.uid(), rights.gid())
        || std::os::unix::fs::fchown(target, Some(rights.uid()), Some(rights.gid())).is_ok();
    // A change of the owner takes bits of the mode away (chown(2)).
    let has_mode = target.set_permissions(fs::Permissions::from_mode(rights.mode() & 0o7777)).is_ok();
    Ok(rights.nlink() == 1 && is_owned && has_mode && copy_attributes(like, target)?)
}

/// Gives a file the extended attributes of another; whether it has them all. What the system labels files with by itself it
/// gives a new one in the same folder as well.
fn copy_attributes(like: &Path, target: &File) -> io::Result<bool> {
    const MOST: usize = 64 << 10;
    let mut names = vec![0; MOST];
    let length = match rustix::fs::listxattr(like, &mut names) {
        Ok(length) => length,
        Err(rustix::io::Errno::OPNOTSUPP | rustix::io::Errno::NOSYS) => return Ok(true),
        Err(rustix::io::Errno::RANGE) => return Ok(false),
        Err(e) => return Err(e.into()),
    };
    let mut value = vec![0; MOST];
    for name in
        names[..length].split(|byte| *byte == 0).filter(|name| !name.is_empty() && !name.starts_with(b"security."))
    {
        let Ok(read) = rustix::fs::getxattr(like, name, &mut value) else { return Ok(false) };
        if rustix::fs::fsetxattr(target, name, &value[..read], rustix::fs::XattrFlags::empty()).is_err() {
            return Ok(false);
        }
    }
    Ok(true)
}
