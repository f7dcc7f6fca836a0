//! Windows: how text reaches what reads it from this process.
#![allow(unsafe_code)]

use std::ptr;

use windows_sys::Win32::Globalization::{CP_UTF8, GetOEMCP, WideCharToMultiByte};
use windows_sys::Win32::Storage::FileSystem::{FILE_TYPE_DISK, GetFileType};
use windows_sys::Win32::System::Console::{GetConsoleOutputCP, GetStdHandle, STD_OUTPUT_HANDLE};

/// A text as `cmd` reads it from a file or a pipe: in the code page of the console ("Console Code Pages"). `None` where that has
/// no form for a character of it.
pub fn in_console_code_page(text: &str) -> Option<Vec<u8>> {
    let units: Vec<u16> = text.encode_utf16().collect();
    let length = i32::try_from(units.len()).ok().filter(|length| *length > 0)?;
    // SAFETY: the calls take plain numbers, and buffers of the lengths that are told. UTF-8 has every character, and there the
    // last result may not be asked for ("WideCharToMultiByte function").
    unsafe {
        let page = match GetConsoleOutputCP() {
            0 => GetOEMCP(),
            page => page,
        };
        if page == CP_UTF8 {
            return Some(text.as_bytes().to_vec());
        }
        let mut bytes = vec![0u8; units.len() * 4];
        let room = i32::try_from(bytes.len()).ok()?;
        let mut is_lost = 0;
        const NO_BEST_FIT: u32 = 0x400;
        let written = WideCharToMultiByte(
            page,
            NO_BEST_FIT,
            units.as_ptr(),
            length,
            bytes.as_mut_ptr(),
            room,
            ptr::null(),
            &raw mut is_lost,
        );
        bytes.truncate(usize::try_from(written).ok().filter(|written| *written > 0)?);
        (is_lost == 0).then_some(bytes)
    }
}

pub fn output_is_file() -> bool {
    // SAFETY: the handle is asked for and only looked at.
    unsafe { GetFileType(GetStdHandle(STD_OUTPUT_HANDLE)) == FILE_TYPE_DISK }
}
