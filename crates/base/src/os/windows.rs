//! Windows: rights, links, processes.
#![allow(unsafe_code)]

use std::ffi::OsString;
use std::fs::{self, File};
use std::io;
use std::os::windows::ffi::OsStrExt as _;
use std::os::windows::io::AsRawHandle as _;
use std::path::Path;
use std::process::{Command, ExitStatus};
use std::ptr;

use windows_sys::Win32::Foundation::{
    CloseHandle, ERROR_ACCESS_DENIED, ERROR_SHARING_VIOLATION, HANDLE, INVALID_HANDLE_VALUE,
};
use windows_sys::Win32::Security::{GetTokenInformation, TOKEN_ELEVATION, TOKEN_QUERY, TokenElevation};
use windows_sys::Win32::Storage::FileSystem::{
    FILE_ALLOCATION_INFO, FILE_ATTRIBUTE_REPARSE_POINT, FileAllocationInfo, FindClose, FindFirstFileW,
    GetDiskFreeSpaceExW, SetFileInformationByHandle, WIN32_FIND_DATAW,
};
use windows_sys::Win32::System::LibraryLoader::{GetModuleHandleW, GetProcAddress};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};

use crate::system::System;

pub const HERE: System = System::Windows;

/// The name this program was built for, as archives write it: `linux`, `macos`, `windows`.
pub const SYSTEM: &str = std::env::consts::OS;

/// Whether names that differ only in case are one file, as on most disks of this system.
pub const FOLDS_CASE: bool = true;

pub fn open_at_once(file: &Path) -> io::Result<File> {
    File::open(file)
}

/// Whether the system makes up a file while it is read: here none is.
pub fn is_made_when_read(_file: &Path) -> bool {
    false
}

/// Whether this user may make symbolic links in a folder, and they can be read through: tried out.
pub fn can_link(folder: &Path) -> bool {
    let (file, link) = (folder.join(".wyard-link-try"), folder.join(".wyard-link-made"));
    let made = fs::write(&file, "try").and_then(|()| std::os::windows::fs::symlink_file(".wyard-link-try", &link));
    let works = made.is_ok() && fs::read(&link).is_ok_and(|content| content == b"try");
    for made in [link, file] {
        let _ = fs::remove_file(made);
    }
    works
}

/// Whether a file is an app-execution alias: a reparse point of a kind of its own that no program can read through
/// ("Reparse Point Tags", `IO_REPARSE_TAG_APPEXECLINK`).
pub fn is_app_alias(path: &Path) -> bool {
    const APP_EXECUTION_LINK: u32 = 0x8000_001B;
    let name: Vec<u16> = path.as_os_str().encode_wide().chain([0]).collect();
    // The call would take these for wildcards; no file has them in its name.
    if name.iter().any(|unit| [u16::from(b'*'), u16::from(b'?')].contains(unit)) {
        return false;
    }
    let mut found = WIN32_FIND_DATAW::default();
    // SAFETY: `name` ends in a zero, `found` is written by the call, and the search is closed at once.
    unsafe {
        let search = FindFirstFileW(name.as_ptr(), &raw mut found);
        if search == INVALID_HANDLE_VALUE {
            return false;
        }
        FindClose(search);
    }
    // The tag stands there for reparse points ("WIN32_FIND_DATAW structure", dwReserved0).
    found.dwFileAttributes & FILE_ATTRIBUTE_REPARSE_POINT != 0 && found.dwReserved0 == APP_EXECUTION_LINK
}

/// The mark of a download: a stream of the file beside its content ("Zone.Identifier Stream Name").
pub fn read_download_mark(file: &Path) -> Option<Vec<u8>> {
    use std::io::Read as _;
    const MOST: u64 = 64 * 1024;
    let mut bytes = Vec::new();
    File::open(download_mark(file)).ok()?.take(MOST).read_to_end(&mut bytes).ok()?;
    Some(bytes)
}

pub fn write_download_mark(file: &Path, mark: &[u8]) -> io::Result<()> {
    fs::write(download_mark(file), mark)
}

fn download_mark(file: &Path) -> OsString {
    let mut name = file.as_os_str().to_owned();
    name.push(":Zone.Identifier");
    name
}

/// Whether a file may be executed as far as rights go; which files are programs is a matter of their extension.
pub fn may_execute(path: &Path) -> bool {
    path.is_file()
}

/// Whether the file or folder is not marked read-only. Other rights show themselves only when writing.
pub fn may_write(path: &Path) -> bool {
    path.is_dir() || fs::metadata(path).is_ok_and(|seen| !seen.permissions().readonly())
}

/// Reads from a place of a file, whatever others read of it meanwhile.
pub fn read_at(file: &File, buffer: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::windows::fs::FileExt::seek_read(file, buffer, at)
}

/// How many bytes this user may still write where a folder lies; `None` where that is not known.
pub fn free_space(folder: &Path) -> Option<u64> {
    let name: Vec<u16> = folder.as_os_str().encode_wide().chain([0]).collect();
    let mut free = 0;
    // SAFETY: `name` ends in a zero, and the other two results are not asked for.
    let told = unsafe { GetDiskFreeSpaceExW(name.as_ptr(), &raw mut free, ptr::null_mut(), ptr::null_mut()) };
    (told != 0).then_some(free)
}

/// Makes a new file; it has no permission bits here.
pub fn create_new(path: &Path, _mode: u32) -> io::Result<File> {
    File::create_new(path)
}

/// No mask takes permission bits off new files here.
pub fn masked_bits(_folder: &Path) -> io::Result<u32> {
    Ok(0)
}

/// Takes room on the disk for a file that is about to be written, without changing its length
/// (`SetFileInformationByHandle`, `FileAllocationInfo`); a file system that cannot do that is left alone.
pub fn allocate(file: &File, bytes: u64) -> io::Result<()> {
    let wanted = FILE_ALLOCATION_INFO { AllocationSize: i64::try_from(bytes).unwrap_or(i64::MAX) };
    let size = u32::try_from(size_of::<FILE_ALLOCATION_INFO>()).unwrap_or(u32::MAX);
    // SAFETY: the handle is open, and the structure and its size are those that the call names.
    let done = unsafe {
        SetFileInformationByHandle(file.as_raw_handle(), FileAllocationInfo, (&raw const wanted).cast(), size)
    };
    match io::Error::last_os_error() {
        full if done == 0 && full.kind() == io::ErrorKind::StorageFull => Err(full),
        _ => Ok(()),
    }
}

/// Opens a file so that nobody can write to it or put another in its place while it is open: it is shared for reading
/// only ("CreateFileW function", `dwShareMode`).
pub fn open_unchanging(path: &Path) -> io::Result<Option<File>> {
    use std::os::windows::fs::OpenOptionsExt as _;
    File::options().read(true).share_mode(windows_sys::Win32::Storage::FileSystem::FILE_SHARE_READ).open(path).map(Some)
}

/// Files have no permission bits here.
pub fn set_mode(_file: &File, _mode: u32) -> io::Result<()> {
    Ok(())
}

pub fn make_folders(folder: &Path) -> io::Result<()> {
    fs::create_dir_all(folder)
}

pub fn set_folder_mode(_path: &Path, _mode: u32) -> io::Result<()> {
    Ok(())
}

/// A replaced file takes its rights from the folder, as the one before it did.
pub fn copy_all_but_content(_like: &Path, _target: &File) -> io::Result<bool> {
    Ok(true)
}

pub fn make_link(target: &Path, link: &Path) -> io::Result<()> {
    if link.parent().unwrap_or(Path::new(".")).join(target).is_dir() {
        std::os::windows::fs::symlink_dir(target, link)
    } else {
        std::os::windows::fs::symlink_file(target, link)
    }
}

/// Swaps two folders in one step, which this system cannot.
pub fn exchange(_one: &Path, _other: &Path) -> io::Result<bool> {
    Ok(false)
}

/// A folder's record of names is flushed by the file system itself.
pub fn flush_folder(_path: &Path) -> io::Result<()> {
    Ok(())
}

/// Whether this process is elevated (`TokenElevation`, "TOKEN_ELEVATION structure").
pub fn is_superuser() -> bool {
    let mut token: HANDLE = ptr::null_mut();
    // SAFETY: the pseudo-handle of this process is always valid, and `token` is written before it is read.
    if unsafe { OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY, &raw mut token) } == 0 {
        return false;
    }
    let mut elevation = TOKEN_ELEVATION { TokenIsElevated: 0 };
    let mut length = 0;
    let size = u32::try_from(size_of::<TOKEN_ELEVATION>()).unwrap_or(4);
    // SAFETY: the buffer is a TOKEN_ELEVATION of the stated size, and the token was just opened for this query.
    let known =
        unsafe { GetTokenInformation(token, TokenElevation, (&raw mut elevation).cast(), size, &raw mut length) };
    // SAFETY: the token was opened above and is not used any more.
    unsafe { CloseHandle(token) };
    known != 0 && elevation.TokenIsElevated != 0
}

/// Processes are not ended by signals here.
pub fn ending_signal(_status: ExitStatus) -> Option<i32> {
    None
}

/// Owners are not told apart here: an elevated process is the same user.
pub fn belongs_to_another(_path: &Path) -> bool {
    false
}

/// There is no such user here.
pub fn superuser_home() -> &'static str {
    ""
}

/// Who may read a file follows from its folder here.
pub fn create_for_everybody() {}

/// The folder below which a system of Unix has its settings.
pub fn system_root() -> std::path::PathBuf {
    "/".into()
}

/// Where this user can write, which only seals ask for.
pub fn writable_places() -> Vec<std::path::PathBuf> {
    Vec::new()
}

/// Opens a pseudo-terminal, which no shell of this system asks for.
pub fn open_terminal() -> io::Result<(File, [std::process::Stdio; 3])> {
    Err(io::ErrorKind::Unsupported.into())
}

/// What a second pseudo-terminal would be handed on as.
#[derive(Debug)]
pub struct OwnedFd(std::convert::Infallible);

/// Opens a second pseudo-terminal, which no shell of this system asks for.
pub fn open_second_terminal() -> io::Result<(File, OwnedFd)> {
    Err(io::ErrorKind::Unsupported.into())
}

pub fn descriptor_number(descriptor: &OwnedFd) -> Option<i32> {
    match descriptor.0 {}
}

pub fn untrusted_on_way(_place: &Path) -> Option<std::path::PathBuf> {
    None
}

pub fn is_started_by(_argument: &str) -> bool {
    false
}

pub fn shell_on_record() -> Option<std::path::PathBuf> {
    None
}

/// There is no pseudo-terminal that could be.
pub fn reads_by_character(_ours: &File) -> bool {
    false
}

/// When a file was last changed in any way, which this system does not tell with the rest.
pub fn changed_at(_seen: &fs::Metadata) -> Option<(i64, i64)> {
    None
}

/// Disks are not mounted so here.
pub fn forbids_programs(_file: &Path) -> bool {
    false
}

/// Whether a start failed only because somebody still has the program open for writing.
pub fn is_busy(error: &io::Error) -> bool {
    error.raw_os_error().map(i32::cast_unsigned) == Some(ERROR_SHARING_VIOLATION)
}

/// How long others are waited for that hold a file: scanners and indexers look at what is new for some seconds.
const OTHERS_HOLD: std::time::Duration = std::time::Duration::from_secs(4);

/// Does something to names, and tries it again for some seconds while another program holds what it is about ("System Error
/// Codes": `ERROR_ACCESS_DENIED` and `ERROR_SHARING_VIOLATION`).
pub fn retry_while_held<T>(mut action: impl FnMut() -> io::Result<T>) -> io::Result<T> {
    let start = std::time::Instant::now();
    loop {
        match action() {
            Err(e) if is_held(&e) && start.elapsed() < OTHERS_HOLD => {
                std::thread::sleep(std::time::Duration::from_millis(50));
            }
            other => return other,
        }
    }
}

/// Whether something failed, perhaps, because another program holds the file, or one in the folder.
pub fn is_held(error: &io::Error) -> bool {
    let code = error.raw_os_error().map(i32::cast_unsigned);
    matches!(code, Some(ERROR_ACCESS_DENIED | ERROR_SHARING_VIOLATION))
}

/// There is no Linux here.
pub fn kernel_version() -> Option<[u32; 3]> {
    None
}

/// Prints nothing: shells of this system are not asked in which context they start programs.
pub fn print_context(_name: &std::ffi::OsStr) -> io::Result<()> {
    Ok(())
}

/// There are no contexts here but variables and the folder.
pub fn set_context(_command: &mut Command, _context: &super::terminal_context::TerminalContext) {}

/// The place of this program, for others to start it.
pub fn own_place() -> Option<std::path::PathBuf> {
    std::env::current_exe().ok()
}

pub fn set_called_name(_command: &mut Command, _name: &std::ffi::OsStr) {}

/// Whether the system is Wine, whose own library says so; it differs from Windows in a few answers.
pub fn is_wine() -> bool {
    let library: Vec<u16> = "ntdll.dll\0".encode_utf16().collect();
    // SAFETY: both names end in a zero and outlive the calls; the library is in every process and stays there.
    unsafe {
        let library = GetModuleHandleW(library.as_ptr());
        GetProcAddress(library, c"wine_get_version".as_ptr().cast()).is_some()
    }
}
