//! Windows: who may write to a file or folder.
#![allow(unsafe_code)]

use std::os::windows::ffi::OsStrExt as _;
use std::path::{Path, PathBuf};
use std::ptr;

use windows_sys::Win32::Foundation::{CloseHandle, HANDLE, LocalFree};
use windows_sys::Win32::Security::Authorization::{ConvertSidToStringSidW, GetNamedSecurityInfoW, SE_FILE_OBJECT};
use windows_sys::Win32::Security::{
    ACCESS_ALLOWED_ACE, ACL, DACL_SECURITY_INFORMATION, GetAce, GetTokenInformation, INHERIT_ONLY_ACE,
    OWNER_SECURITY_INFORMATION, PSID, TOKEN_QUERY, TOKEN_USER, TokenUser,
};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};

use super::access_list::{AccessList, Allowed, Part};
use super::windows::is_wine;

pub fn others_may_write(folder: &Path) -> bool {
    access_list(folder).is_some_and(|list| list.lets_every_user_write())
}

/// A folder on the way to a place, or the place itself, that others than administrators could put something else into. Under Wine
/// every user is an administrator, and what is made belongs to that user.
pub fn untrusted_for_everybody(place: &Path) -> Option<PathBuf> {
    let own: Vec<String> = is_wine().then(own_identity).flatten().into_iter().collect();
    let mut part = Part::Place;
    for on_way in place.ancestors() {
        // What cannot be looked at cannot be relied on; what is not there yet is made by us.
        let list = access_list(on_way);
        let is_there = std::fs::symlink_metadata(on_way).is_ok();
        if is_there && list.is_none_or(|list| list.lets_others_change(part, &own)) {
            return Some(on_way.to_owned());
        }
        if is_there {
            part = Part::OnWay;
        }
    }
    None
}

/// The owner and the list of a file or folder ("GetNamedSecurityInfoW function").
fn access_list(place: &Path) -> Option<AccessList> {
    let name: Vec<u16> = place.as_os_str().encode_wide().chain([0]).collect();
    let (mut owner, mut list, mut descriptor) = (ptr::null_mut(), ptr::null_mut(), ptr::null_mut());
    // SAFETY: `name` ends in a zero; of the results three are taken, and the first two point into `descriptor`.
    let failed = unsafe {
        GetNamedSecurityInfoW(
            name.as_ptr(),
            SE_FILE_OBJECT,
            OWNER_SECURITY_INFORMATION | DACL_SECURITY_INFORMATION,
            &raw mut owner,
            ptr::null_mut(),
            &raw mut list,
            ptr::null_mut(),
            &raw mut descriptor,
        )
    };
    if failed != 0 {
        return None;
    }
    // SAFETY: owner and list are the ones just given, which are there until their descriptor is freed.
    let read = unsafe {
        let allowed =
            (!list.is_null()).then(|| (0..u32::from((*list).AceCount)).filter_map(|at| allowed(list, at)).collect());
        text(owner).map(|owner| AccessList { owner, allowed })
    };
    // SAFETY: the descriptor was made by the call above, and nothing of it is used any more.
    unsafe { LocalFree(descriptor) };
    read
}

/// An entry of a list that allows something here.
///
/// # Safety
/// The list must be a whole one.
unsafe fn allowed(list: *const ACL, at: u32) -> Option<Allowed> {
    let mut entry = ptr::null_mut();
    // SAFETY: the caller vouches for the list; an entry that allows ends in an identity, which is only read.
    unsafe {
        if GetAce(list, at, &raw mut entry) == 0 {
            return None;
        }
        let allowed = entry.cast::<ACCESS_ALLOWED_ACE>();
        let header = (*allowed).Header;
        let counts = u32::from(header.AceType) == 0 && u32::from(header.AceFlags) & INHERIT_ONLY_ACE == 0;
        if !counts {
            return None;
        }
        Some(Allowed { identity: text((&raw mut (*allowed).SidStart).cast())?, rights: (*allowed).Mask })
    }
}

/// An identity as text ("ConvertSidToStringSidW function").
///
/// # Safety
/// It must be a whole one.
unsafe fn text(identity: PSID) -> Option<String> {
    let mut written = ptr::null_mut();
    // SAFETY: the caller vouches for the identity; the text ends in a zero, and is freed once copied.
    unsafe {
        if ConvertSidToStringSidW(identity, &raw mut written) == 0 {
            return None;
        }
        let length = (0..).take_while(|at| *written.add(*at) != 0).count();
        let copied = String::from_utf16_lossy(std::slice::from_raw_parts(written, length));
        LocalFree(written.cast());
        Some(copied)
    }
}

fn own_identity() -> Option<String> {
    let mut token: HANDLE = ptr::null_mut();
    // An identity has at most 68 bytes, behind which it stands.
    let mut user = [0usize; 32];
    let size = u32::try_from(size_of_val(&user)).unwrap_or_default();
    let mut length = 0;
    // SAFETY: the pseudo-handle of this process is always valid; the buffer is as long as is told and aligned as the structure.
    unsafe {
        if OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY, &raw mut token) == 0 {
            return None;
        }
        let known = GetTokenInformation(token, TokenUser, user.as_mut_ptr().cast(), size, &raw mut length);
        CloseHandle(token);
        if known == 0 { None } else { text((*user.as_ptr().cast::<TOKEN_USER>()).User.Sid) }
    }
}
