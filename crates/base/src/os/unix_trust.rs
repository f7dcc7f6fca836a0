//! Who else could change what lies in a place.

use std::fs;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};

/// The right to write, in a mode's last digit and in an entry of an access list.
const WRITE: u16 = 2;

/// A folder on the way to a place, or the place itself, that somebody other than this user and the superuser owns or may
/// write to: they could put something else there. In a folder with the sticky bit only what lies in it counts (chmod(2)).
/// Access lists count as modes do (acl(5)).
pub fn untrusted_on_way(place: &Path) -> Option<PathBuf> {
    let there = place.ancestors().find(|part| fs::symlink_metadata(part).is_ok())?;
    let real = fs::canonicalize(there).unwrap_or_else(|_| there.to_owned());
    let mut on_way: Vec<&Path> = there.ancestors().chain(real.ancestors()).collect();
    on_way.sort();
    let untrusted = |part: &&&Path| fs::symlink_metadata(part).is_ok_and(|seen| !is_trusted(part, &seen));
    on_way.iter().find(untrusted).map(|part| (*part).to_owned())
}

/// The same of a place that is for everybody: whoever works on it is the superuser.
pub fn untrusted_for_everybody(place: &Path) -> Option<PathBuf> {
    untrusted_on_way(place)
}

fn is_trusted(place: &Path, seen: &fs::Metadata) -> bool {
    if !is_own(seen.uid()) {
        return false;
    }
    let is_sticky = seen.is_dir() && seen.mode() & 0o1000 != 0;
    if seen.is_symlink() || is_sticky {
        return true;
    }
    if seen.mode() & 0o002 != 0 {
        return false;
    }
    // Where there is an access list, the group's right in the mode is the most that the list grants.
    let may_group_write = seen.mode() & 0o020 != 0;
    !may_group_write
        || match access_list(place) {
            Some(list) => list_trusts(&list, seen.gid()),
            None => is_own_group(seen.gid()),
        }
}

fn is_own(user: u32) -> bool {
    user == 0 || user == rustix::process::geteuid().as_raw()
}

/// A group that is the user's own, by the same number, is no other (useradd(8), "USERGROUPS_ENAB"), nor is one of those that
/// the system gives to administrators (Debian Policy 9.2.2: numbers below 100).
fn is_own_group(group: u32) -> bool {
    let own = rustix::process::getegid().as_raw();
    group < 100 || group == own && own == rustix::process::geteuid().as_raw()
}

/// The access list of a place that has one, as the system keeps it.
fn access_list(place: &Path) -> Option<Vec<u8>> {
    let mut list = vec![0; 4096];
    let length = rustix::fs::getxattr(place, "system.posix_acl_access", &mut list[..]).ok()?;
    list.truncate(length);
    Some(list)
}

/// Whether nobody else may write by an access list: a number for its version, then entries of kind, rights and user or group
/// (acl(5); `linux/posix_acl_xattr.h`).
fn list_trusts(list: &[u8], owning_group: u32) -> bool {
    const USER: u16 = 0x02;
    const OWNING_GROUP: u16 = 0x04;
    const GROUP: u16 = 0x08;
    const MASK: u16 = 0x10;
    let entries = || {
        list.get(4..).unwrap_or_default().chunks_exact(8).map(|entry| {
            let short = |at: usize| u16::from_le_bytes([entry[at], entry[at + 1]]);
            (short(0), short(2), u32::from_le_bytes([entry[4], entry[5], entry[6], entry[7]]))
        })
    };
    let mask = entries().find(|(kind, ..)| *kind == MASK).map_or(WRITE, |(_, rights, _)| rights);
    entries().filter(|(_, rights, _)| rights & mask & WRITE != 0).all(|(kind, _, who)| match kind {
        USER => is_own(who),
        OWNING_GROUP => is_own_group(owning_group),
        GROUP => is_own_group(who),
        _ => true,
    })
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt as _;

    use super::*;

    fn list(entries: &[(u16, u16, u32)]) -> Vec<u8> {
        let entry = |(kind, rights, who): &(u16, u16, u32)| {
            [&kind.to_le_bytes()[..], &rights.to_le_bytes(), &who.to_le_bytes()].concat()
        };
        [2u32.to_le_bytes().to_vec(), entries.iter().flat_map(entry).collect()].concat()
    }

    #[test]
    fn an_access_list_grants_what_it_says() {
        const NOBODY: u32 = u32::MAX;
        let own = [(0x01, 7, NOBODY), (0x20, 5, NOBODY)];
        for (more, trusts) in [
            (&[(0x04, 7, NOBODY)][..], true),
            (&[(0x04, 5, NOBODY), (0x02, 7, 0), (0x10, 7, NOBODY)], true),
            (&[(0x04, 5, NOBODY), (0x02, 7, 4321), (0x10, 7, NOBODY)], false),
            (&[(0x04, 5, NOBODY), (0x02, 7, 4321), (0x10, 5, NOBODY)], true),
            (&[(0x04, 5, NOBODY), (0x02, 5, 4321), (0x08, 7, 4321), (0x10, 7, NOBODY)], false),
            (&[(0x04, 5, NOBODY), (0x08, 7, 27), (0x10, 7, NOBODY)], true),
        ] {
            assert_eq!(list_trusts(&list(&[&own[..], more].concat()), 0), trusts, "{more:?}");
        }
        assert!(!list_trusts(&list(&[(0x04, 7, NOBODY)]), 4321), "the group that owns it");
    }

    #[test]
    fn a_place_that_a_list_opens_to_others_is_not_trusted() {
        let folder = tempfile::tempdir().unwrap();
        let place = folder.path().join("bin");
        fs::create_dir(&place).unwrap();
        assert_eq!(untrusted_on_way(&place), None);
        let entries =
            [(0x01, 7, u32::MAX), (0x02, 7, 4321), (0x04, 5, u32::MAX), (0x10, 7, u32::MAX), (0x20, 5, u32::MAX)];
        let flags = rustix::fs::XattrFlags::empty();
        if rustix::fs::setxattr(&place, "system.posix_acl_access", &list(&entries), flags).is_ok() {
            assert_eq!(untrusted_on_way(&place.join("below")), Some(place.clone()));
        }
        fs::set_permissions(&place, fs::Permissions::from_mode(0o757)).unwrap();
        assert_eq!(untrusted_on_way(&place), Some(place));
    }
}
