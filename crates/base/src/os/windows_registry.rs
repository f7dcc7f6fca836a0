//! Windows: the registry, and the environment that follows from it.
#![allow(unsafe_code)]

use std::ffi::OsString;
use std::io;
use std::os::windows::ffi::{OsStrExt as _, OsStringExt as _};
use std::ptr;

use windows_sys::Win32::Foundation::{
    CloseHandle, ERROR_FILE_NOT_FOUND, ERROR_MORE_DATA, ERROR_NO_MORE_ITEMS, ERROR_SUCCESS, HANDLE, LPARAM,
};
use windows_sys::Win32::Security::TOKEN_QUERY;
use windows_sys::Win32::System::Environment::{CreateEnvironmentBlock, DestroyEnvironmentBlock};
use windows_sys::Win32::System::Registry::{RegDeleteValueW, RegEnumValueW, RegQueryValueExW, RegSetValueExW};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};
use windows_sys::Win32::UI::WindowsAndMessaging::{
    HWND_BROADCAST, SMTO_ABORTIFHUNG, SendMessageTimeoutW, WM_SETTINGCHANGE,
};
use winreg::RegKey;
use winreg::enums::{HKEY_CURRENT_USER, HKEY_LOCAL_MACHINE, KEY_READ, KEY_WRITE};

use super::raw_registry::{Hive, RawValue};

fn root_of(hive: Hive) -> RegKey {
    RegKey::predef(match hive {
        Hive::CurrentUser => HKEY_CURRENT_USER,
        Hive::LocalMachine => HKEY_LOCAL_MACHINE,
    })
}

fn open(hive: Hive, key: &str, write: bool) -> io::Result<RegKey> {
    let root = root_of(hive);
    if write {
        root.create_subkey_with_flags(key, KEY_READ | KEY_WRITE).map(|(key, _)| key)
    } else {
        root.open_subkey_with_flags(key, KEY_READ)
    }
}

/// The longest name of a value, in characters, and the zero behind it ("Registry Element Size Limits").
const LONGEST_NAME: usize = 16_383 + 1;

/// The values of a registry key in the system's order, raw, of whatever type. A key that does not exist has none.
pub fn registry_values(hive: Hive, key: &str) -> io::Result<Vec<RawValue>> {
    let key = match open(hive, key, false) {
        Ok(key) => key,
        Err(e) if e.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(e),
    };
    let mut values = Vec::new();
    let mut name = vec![0u16; LONGEST_NAME];
    let mut bytes = vec![0u8; 4096];
    loop {
        let at = u32::try_from(values.len()).map_err(io::Error::other)?;
        let mut name_length = u32::try_from(name.len()).map_err(io::Error::other)?;
        let mut length = u32::try_from(bytes.len()).map_err(io::Error::other)?;
        let mut kind = 0;
        // SAFETY: the key is open, and both buffers are as long as is told ("RegEnumValueW function").
        let failed = unsafe {
            RegEnumValueW(
                key.raw_handle() as _,
                at,
                name.as_mut_ptr(),
                &raw mut name_length,
                ptr::null(),
                &raw mut kind,
                bytes.as_mut_ptr(),
                &raw mut length,
            )
        };
        match failed {
            ERROR_SUCCESS => {
                let name = &name[..usize::try_from(name_length).map_err(io::Error::other)?];
                let bytes = bytes[..usize::try_from(length).map_err(io::Error::other)?].to_vec();
                values.push(RawValue { name: String::from_utf16_lossy(name), kind, bytes });
            }
            ERROR_NO_MORE_ITEMS => return Ok(values),
            // It may have grown once more until it is asked for again.
            ERROR_MORE_DATA => {
                let wanted = usize::try_from(length).map_err(io::Error::other)?;
                bytes.resize(wanted.max(bytes.len() * 2), 0);
            }
            other => return Err(io::Error::from_raw_os_error(other.cast_signed())),
        }
    }
}

/// Writes a value whole, of whatever type, or removes it.
pub fn write_registry_value(hive: Hive, key: &str, name: &str, value: Option<(u32, &[u8])>) -> io::Result<()> {
    let key = open(hive, key, true)?;
    let Some((kind, bytes)) = value else { return key.delete_value(name) };
    let name: Vec<u16> = name.encode_utf16().chain([0]).collect();
    let length = u32::try_from(bytes.len()).map_err(io::Error::other)?;
    let bytes = marked(bytes);
    // SAFETY: the key is open, `name` ends in a zero, and there are more bytes than is told ("RegSetValueExW function").
    match unsafe { RegSetValueExW(key.raw_handle() as _, name.as_ptr(), 0, kind, bytes.as_ptr(), length) } {
        ERROR_SUCCESS => Ok(()),
        failed => Err(io::Error::from_raw_os_error(failed.cast_signed())),
    }
}

/// Writes a value whole, or removes it, where it is still as expected; says whether it was. Nothing but one call of the system
/// lies between the last look and the writing.
pub fn exchange_registry_value(
    hive: Hive,
    key: &str,
    name: &str,
    expected: Option<(u32, &[u8])>,
    value: Option<(u32, &[u8])>,
) -> io::Result<bool> {
    let key = open(hive, key, true)?;
    let key = key.raw_handle();
    let name: Vec<u16> = name.encode_utf16().chain([0]).collect();
    // One byte more than is expected, so that what is longer is told as longer.
    let mut seen = vec![0u8; expected.map_or(0, |(_, bytes)| bytes.len()) + 1];
    let new_length = u32::try_from(value.map_or(0, |(_, bytes)| bytes.len())).map_err(io::Error::other)?;
    let mut length = u32::try_from(seen.len()).map_err(io::Error::other)?;
    let mut kind = 0;
    let value = value.map(|(kind, bytes)| (kind, marked(bytes)));
    // SAFETY: the key is open, `name` ends in a zero, and each buffer is as long as is told ("RegQueryValueExW function",
    // "RegSetValueExW function", "RegDeleteValueW function").
    let failed = unsafe {
        let asked =
            RegQueryValueExW(key as _, name.as_ptr(), ptr::null(), &raw mut kind, seen.as_mut_ptr(), &raw mut length);
        let is_as_expected = match (asked, expected) {
            (ERROR_SUCCESS, Some((wanted, bytes))) => {
                kind == wanted && seen.get(..usize::try_from(length).unwrap_or(usize::MAX)) == Some(bytes)
            }
            (ERROR_FILE_NOT_FOUND, None) => true,
            (ERROR_SUCCESS | ERROR_MORE_DATA | ERROR_FILE_NOT_FOUND, _) => false,
            (failed, _) => return Err(io::Error::from_raw_os_error(failed.cast_signed())),
        };
        match &value {
            _ if !is_as_expected => return Ok(false),
            Some((kind, bytes)) => RegSetValueExW(key as _, name.as_ptr(), 0, *kind, bytes.as_ptr(), new_length),
            None if expected.is_none() => ERROR_SUCCESS,
            None => RegDeleteValueW(key as _, name.as_ptr()),
        }
    };
    match failed {
        ERROR_SUCCESS => Ok(true),
        failed => Err(io::Error::from_raw_os_error(failed.cast_signed())),
    }
}

/// Removes a key of the current user with everything below it; one that is not there is no fault.
pub fn remove_registry_key(key: &str) -> io::Result<()> {
    match RegKey::predef(HKEY_CURRENT_USER).delete_subkey_all(key) {
        Err(e) if e.kind() != io::ErrorKind::NotFound => Err(e),
        _ => Ok(()),
    }
}

pub fn may_write_registry(hive: Hive, key: &str) -> bool {
    let root = root_of(hive);
    match root.open_subkey_with_flags(key, KEY_READ | KEY_WRITE) {
        Ok(_) => true,
        Err(e) => e.kind() == io::ErrorKind::NotFound && hive == Hive::CurrentUser,
    }
}

/// The most that is waited for running programs to hear of a change.
const HEARD_WITHIN: std::time::Duration = std::time::Duration::from_secs(5);

/// Tells running programs that the environment changed ("WM_SETTINGCHANGE message", `lParam` "Environment"). Those that hang
/// keep it up for two seconds each, and all together for five: the rest hear of it as long as this process lives.
pub fn announce_environment() {
    let (done, heard) = std::sync::mpsc::channel();
    let telling = std::thread::Builder::new().spawn(move || {
        broadcast_environment();
        let _ = done.send(());
    });
    if telling.is_ok() {
        let _ = heard.recv_timeout(HEARD_WITHIN);
    }
}

fn broadcast_environment() {
    let what: Vec<u16> = "Environment\0".encode_utf16().collect();
    let mut result = 0;
    // SAFETY: `what` is a string that ends in a zero and outlives the call; the call waits for all receivers.
    unsafe {
        SendMessageTimeoutW(
            HWND_BROADCAST,
            WM_SETTINGCHANGE,
            0,
            what.as_ptr() as LPARAM,
            SMTO_ABORTIFHUNG,
            2000,
            &raw mut result,
        );
    }
}

/// The environment that the system would give a new process of this user ("CreateEnvironmentBlock function").
pub fn fresh_environment() -> io::Result<Vec<(OsString, OsString)>> {
    let mut token: HANDLE = ptr::null_mut();
    // SAFETY: the pseudo handle is always valid, and `token` receives a handle that is closed below.
    if unsafe { OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY | 0x2, &raw mut token) } == 0 {
        return Err(io::Error::last_os_error());
    }
    let mut block: *mut core::ffi::c_void = ptr::null_mut();
    // SAFETY: `token` is open, and `block` receives a block that is freed below.
    let made = unsafe { CreateEnvironmentBlock(&raw mut block, token, 0) };
    let error = io::Error::last_os_error();
    // SAFETY: the token is not used any more.
    unsafe { CloseHandle(token) };
    if made == 0 {
        return Err(error);
    }
    let mut variables = Vec::new();
    let mut at: *const u16 = block.cast();
    loop {
        // SAFETY: the block is a sequence of zero-ended strings that ends in an empty one.
        let length = (0..).take_while(|i| unsafe { *at.add(*i) } != 0).count();
        if length == 0 {
            break;
        }
        // SAFETY: `length` units before the zero were just counted.
        let entry = OsString::from_wide(unsafe { std::slice::from_raw_parts(at, length) });
        let units: Vec<u16> = entry.encode_wide().collect();
        // The name of a drive's current folder begins with "=", so the search begins after the first unit.
        if let Some(equals) = units.iter().skip(1).position(|u| *u == u16::from(b'=')).map(|i| i + 1) {
            variables.push((OsString::from_wide(&units[..equals]), OsString::from_wide(&units[equals + 1..])));
        }
        // SAFETY: the next string begins after the zero.
        at = unsafe { at.add(length + 1) };
    }
    // SAFETY: the block came from CreateEnvironmentBlock and is not used any more.
    unsafe { DestroyEnvironmentBlock(block) };
    Ok(variables)
}

/// Removes a key of the current user if it has neither values nor keys below it.
pub fn remove_registry_key_if_empty(key: &str) -> io::Result<()> {
    let root = RegKey::predef(HKEY_CURRENT_USER);
    match root.open_subkey(key) {
        Ok(open) if open.enum_keys().next().is_none() && open.enum_values().next().is_none() => root.delete_subkey(key),
        _ => Ok(()),
    }
}

/// Records of what is installed, by key, with the text values of each ("Uninstall Registry Key"): the machine's, those of
/// 32-bit programs, and the user's.
pub fn uninstall_records() -> Vec<(String, std::collections::HashMap<String, String>)> {
    const BELOW: &str = r"Microsoft\Windows\CurrentVersion\Uninstall";
    let places = [
        (HKEY_LOCAL_MACHINE, format!(r"Software\{BELOW}")),
        (HKEY_LOCAL_MACHINE, format!(r"Software\WOW6432Node\{BELOW}")),
        (HKEY_CURRENT_USER, format!(r"Software\{BELOW}")),
    ];
    let mut records = Vec::new();
    for (root, place) in places {
        let Ok(key) = RegKey::predef(root).open_subkey_with_flags(&place, KEY_READ) else { continue };
        for name in key.enum_keys().flatten() {
            let Ok(record) = key.open_subkey_with_flags(&name, KEY_READ) else { continue };
            let text = |value: &str| record.get_value::<String, _>(value).ok().map(|text| (value.to_owned(), text));
            let values = ["DisplayName", "DisplayVersion", "InstallLocation", "UninstallString"];
            records.push((name, values.into_iter().filter_map(text).collect()));
        }
    }
    records
}

/// The bytes with something behind them: where a text lacks its zero and the memory behind it has one, the system takes that as
/// well (seen under Wine, which follows Windows there).
fn marked(bytes: &[u8]) -> Vec<u8> {
    [bytes, &[0xff, 0xff]].concat()
}
