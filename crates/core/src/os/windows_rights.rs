//! Windows: who may write to a folder.
#![allow(unsafe_code)]

use std::os::windows::ffi::OsStrExt as _;
use std::path::Path;
use std::ptr;

use windows_sys::Win32::Foundation::{GENERIC_ALL, GENERIC_WRITE, LocalFree};
use windows_sys::Win32::Security::Authorization::{GetNamedSecurityInfoW, SE_FILE_OBJECT};
use windows_sys::Win32::Security::{
    ACCESS_ALLOWED_ACE, ACL, DACL_SECURITY_INFORMATION, GetAce, INHERIT_ONLY_ACE, IsWellKnownSid, PSID,
    WinAuthenticatedUserSid, WinBuiltinUsersSid, WinWorldSid,
};
use windows_sys::Win32::Storage::FileSystem::{FILE_ADD_FILE, WRITE_DAC, WRITE_OWNER};

/// Whether everybody, every user, or whoever is logged on may make files in a folder, by its list of rights ("Access
/// Control Lists", "Well-known SIDs"). What is only handed on to folders below does not count, and an entry that denies is
/// not weighed against one that allows.
#[must_use]
pub fn others_may_write(folder: &Path) -> bool {
    let name: Vec<u16> = folder.as_os_str().encode_wide().chain([0]).collect();
    let (mut list, mut descriptor) = (ptr::null_mut(), ptr::null_mut());
    // SAFETY: `name` ends in a zero; of the results two are taken, and `list` points into `descriptor`.
    let failed = unsafe {
        GetNamedSecurityInfoW(
            name.as_ptr(),
            SE_FILE_OBJECT,
            DACL_SECURITY_INFORMATION,
            ptr::null_mut(),
            ptr::null_mut(),
            &raw mut list,
            ptr::null_mut(),
            &raw mut descriptor,
        )
    };
    if failed != 0 {
        return false;
    }
    // SAFETY: the list is the one just given, which is there until its descriptor is freed; no list allows all to all.
    let may = unsafe { list.is_null() || (0..u32::from((*list).AceCount)).any(|at| lets_others_write(list, at)) };
    // SAFETY: the descriptor was made by the call above, and nothing of it is used any more.
    unsafe { LocalFree(descriptor) };
    may
}

/// Whether an entry of a list of rights gives such a right to others.
///
/// # Safety
/// The list must be a whole one.
unsafe fn lets_others_write(list: *const ACL, at: u32) -> bool {
    const WRITES: u32 = FILE_ADD_FILE | WRITE_DAC | WRITE_OWNER | GENERIC_WRITE | GENERIC_ALL;
    let mut entry = ptr::null_mut();
    // SAFETY: the caller vouches for the list; an entry that allows ends in an identity, which is only read.
    unsafe {
        if GetAce(list, at, &raw mut entry) == 0 {
            return false;
        }
        let allowed = entry.cast::<ACCESS_ALLOWED_ACE>();
        let header = (*allowed).Header;
        let counts = u32::from(header.AceType) == 0 && u32::from(header.AceFlags) & INHERIT_ONLY_ACE == 0;
        let identity: PSID = (&raw mut (*allowed).SidStart).cast();
        let others = [WinWorldSid, WinAuthenticatedUserSid, WinBuiltinUsersSid];
        counts && (*allowed).Mask & WRITES != 0 && others.iter().any(|one| IsWellKnownSid(identity, *one) != 0)
    }
}
