//! Windows: processes, and the jobs they run in.
#![allow(unsafe_code)]

use std::ffi::OsStr;
use std::io;
use std::mem;
use std::os::windows::ffi::OsStrExt as _;
use std::process::Command;
use std::ptr;

use windows_sys::Win32::Foundation::{
    CloseHandle, ERROR_ACCESS_DISABLED_BY_POLICY, ERROR_ELEVATION_REQUIRED, ERROR_SYSTEM_INTEGRITY_POLICY_VIOLATION,
    ERROR_VIRUS_DELETED, ERROR_VIRUS_INFECTED, HANDLE, HANDLE_FLAG_INHERIT, SetHandleInformation,
};
use windows_sys::Win32::System::Diagnostics::Debug::{SEM_FAILCRITICALERRORS, SEM_NOGPFAULTERRORBOX, SetErrorMode};
use windows_sys::Win32::System::LibraryLoader::{GetModuleHandleW, GetProcAddress};
use windows_sys::Win32::System::Threading::{
    CreateProcessW, GetCurrentProcess, INFINITE, PROCESS_INFORMATION, STARTUPINFOW, TerminateProcess,
    WaitForSingleObject,
};

/// Keeps the system from showing a dialog, which nobody may see, when a started program cannot be loaded or crashes:
/// started programs inherit the setting ("SetErrorMode function").
pub fn keep_failures_quiet() {
    // SAFETY: the call takes and returns plain numbers.
    unsafe { SetErrorMode(SEM_FAILCRITICALERRORS | SEM_NOGPFAULTERRORBOX) };
}

/// Keeps what this process was given open, by whoever called it, from the programs that it starts: of handles that may be inherited
/// a started program gets all. The streams that it is given are made for it ("SetHandleInformation function").
pub fn keep_handles_to_us() {
    // A handle is a multiple of four, and their table grows only when it is full: so wide a gap is its end.
    const GAP: usize = 4 * 1024;
    static KEPT: std::sync::Once = std::sync::Once::new();
    KEPT.call_once(|| {
        let (mut handle, mut last) = (0, 0);
        while handle < last + GAP {
            handle += 4;
            // SAFETY: what is no handle is refused; nothing but the flag of one that is there changes.
            if unsafe { SetHandleInformation(handle as HANDLE, HANDLE_FLAG_INHERIT, 0) } != 0 {
                last = handle;
            }
        }
    });
}

/// Puts this process into a job that ends with it, so that programs it has started do not outlive it, however it ends
/// ("Job Objects"). Where that is refused all is as without.
pub fn end_children_with_us() {
    own_job();
}

/// The processes at work in this process's job, but for itself and what the system adds to any program: the host of its
/// console, and the desktop. Without a job there are none.
pub fn at_work(_first: Option<u32>) -> Vec<u32> {
    use windows_sys::Win32::System::JobObjects::{JobObjectBasicProcessIdList, QueryInformationJobObject};
    const MOST: usize = 1024;
    /// `JOBOBJECT_BASIC_PROCESS_ID_LIST`.
    #[repr(C)]
    struct List {
        assigned: u32,
        listed: u32,
        ids: [usize; MOST],
    }
    let Some(job) = own_job() else { return Vec::new() };
    let mut list = List { assigned: 0, listed: 0, ids: [0; MOST] };
    let size = u32::try_from(size_of::<List>()).unwrap_or_default();
    // SAFETY: the job stays open as long as the process; the structure is of the size that is told. Of more processes than
    // fit the first are told.
    unsafe {
        QueryInformationJobObject(job as _, JobObjectBasicProcessIdList, (&raw mut list).cast(), size, ptr::null_mut());
    }
    let ids = list.ids.iter().take(usize::try_from(list.listed).unwrap_or_default());
    let ids = ids.filter_map(|id| u32::try_from(*id).ok()).filter(|id| *id != std::process::id());
    ids.filter(|id| !image_of(*id).is_some_and(|image| is_of_system(&image))).collect()
}

/// Whether a program is one that the system starts beside others: `conhost.exe` hosts a console, `explorer.exe` shows a desktop
/// or a folder.
fn is_of_system(image: &str) -> bool {
    let name = image.rsplit('\\').next().unwrap_or(image);
    ["conhost.exe", "explorer.exe"].iter().any(|own| name.eq_ignore_ascii_case(own))
}

/// The program of a process ("QueryFullProcessImageNameW").
fn image_of(process: u32) -> Option<String> {
    use windows_sys::Win32::System::Threading::{
        OpenProcess, PROCESS_QUERY_LIMITED_INFORMATION, QueryFullProcessImageNameW,
    };
    let mut name = [0u16; 1024];
    let mut length = u32::try_from(name.len()).unwrap_or_default();
    // SAFETY: the handle is checked and closed; the buffer is as long as is told.
    unsafe {
        let handle = OpenProcess(PROCESS_QUERY_LIMITED_INFORMATION, 0, process);
        if handle.is_null() {
            return None;
        }
        let told = QueryFullProcessImageNameW(handle, 0, name.as_mut_ptr(), &raw mut length);
        CloseHandle(handle);
        (told != 0).then(|| String::from_utf16_lossy(&name[..usize::try_from(length).unwrap_or_default()]))
    }
}

/// The handle of the job that this process is in, made once.
fn own_job() -> Option<usize> {
    use windows_sys::Win32::System::JobObjects::{
        AssignProcessToJobObject, CreateJobObjectW, JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE,
        JOBOBJECT_EXTENDED_LIMIT_INFORMATION, JobObjectExtendedLimitInformation, SetInformationJobObject,
    };
    static JOB: std::sync::OnceLock<Option<usize>> = std::sync::OnceLock::new();
    *JOB.get_or_init(|| {
        // SAFETY: the structure is plain data and of the size that is told; the handle is checked, and stays open until
        // the system closes it when the process ends, which is what ends the job.
        unsafe {
            let job = CreateJobObjectW(ptr::null(), ptr::null());
            if job.is_null() {
                return None;
            }
            let mut limits: JOBOBJECT_EXTENDED_LIMIT_INFORMATION = mem::zeroed();
            limits.BasicLimitInformation.LimitFlags = JOB_OBJECT_LIMIT_KILL_ON_JOB_CLOSE;
            let size = u32::try_from(size_of::<JOBOBJECT_EXTENDED_LIMIT_INFORMATION>()).unwrap_or_default();
            let limits = ptr::from_ref(&limits).cast();
            let is_set = SetInformationJobObject(job, JobObjectExtendedLimitInformation, limits, size) != 0;
            (is_set && AssignProcessToJobObject(job, GetCurrentProcess()) != 0).then_some(job as usize)
        }
    })
}

/// Prepares a command to run in a job of its own, which can be ended whole, and with a console of its own that nobody sees: what
/// it sets there is not the user's ("Process Creation Flags").
pub fn in_own_session(command: Command) -> process_wrap::std::CommandWrap {
    let mut wrapped = process_wrap::std::CommandWrap::from(command);
    wrapped.wrap(process_wrap::std::CreationFlags(windows::Win32::System::Threading::CREATE_NO_WINDOW));
    wrapped.wrap(process_wrap::std::JobObject);
    wrapped
}

/// The same: a job is both here.
pub fn in_own_group(command: Command) -> process_wrap::std::CommandWrap {
    in_own_session(command)
}

/// Adds text to a command line as it is: `cmd` takes its own apart in its own way.
pub fn add_as_written(command: &mut Command, text: &str) {
    use std::os::windows::process::CommandExt as _;
    command.raw_arg(text);
}

/// Why the system's policy keeps a program from starting, where the error says so ("System Error Codes").
pub fn refused_by_policy(error: &io::Error) -> Option<&'static str> {
    Some(match error.raw_os_error()?.cast_unsigned() {
        ERROR_ACCESS_DISABLED_BY_POLICY => "a policy blocks it",
        ERROR_SYSTEM_INTEGRITY_POLICY_VIOLATION => "application control blocks it",
        ERROR_VIRUS_INFECTED | ERROR_VIRUS_DELETED => "the virus scanner blocks it",
        ERROR_ELEVATION_REQUIRED => "it requires administrator rights",
        _ => return None,
    })
}

/// Starts a program by its bare name and waits for its end: what is searched is the system's business, and nothing of it is done
/// here ("CreateProcessW function").
pub fn start_by_name(name: &OsStr) -> io::Result<()> {
    let mut line: Vec<u16> = [u16::from(b'"')].into_iter().chain(name.encode_wide()).collect();
    line.extend([u16::from(b'"'), 0]);
    // SAFETY: both structures are plain numbers and pointers, for which zero means "nothing".
    let (mut how, mut started): (STARTUPINFOW, PROCESS_INFORMATION) = unsafe { (mem::zeroed(), mem::zeroed()) };
    how.cb = u32::try_from(size_of::<STARTUPINFOW>()).unwrap_or_default();
    // SAFETY: the line ends in a zero and may be written to; the structures live until the call returns; the handles that it
    // gives are closed once.
    unsafe {
        let line = line.as_mut_ptr();
        let (any, none) = (ptr::null(), ptr::null());
        if CreateProcessW(none, line, any, any, 1, 0, ptr::null(), none, &raw const how, &raw mut started) == 0 {
            return Err(io::Error::last_os_error());
        }
        WaitForSingleObject(started.hProcess, INFINITE);
        CloseHandle(started.hThread);
        CloseHandle(started.hProcess);
    }
    Ok(())
}

/// Ends this process as a kill would: an abort brings up a debugger here.
pub fn end_at_once() -> ! {
    // SAFETY: the handle is this process's own, which is always valid; nothing of it is used afterwards.
    unsafe {
        TerminateProcess(GetCurrentProcess(), 70);
    }
    std::process::abort()
}

/// What this machine is called in its network, as its sessions know it ("Environment Variables").
pub fn host_name() -> Option<String> {
    std::env::var("COMPUTERNAME").ok().filter(|name| !name.is_empty())
}

/// The processor of this machine, as archives write it: not that of this program, which may be emulated
/// ("IsWow64Process2 function", from Windows 10 on).
pub fn processor() -> &'static str {
    static NATIVE: std::sync::OnceLock<&str> = std::sync::OnceLock::new();
    NATIVE.get_or_init(|| native_machine().and_then(processor_of).unwrap_or(std::env::consts::ARCH))
}

fn native_machine() -> Option<u16> {
    type Asked = unsafe extern "system" fn(HANDLE, *mut u16, *mut u16) -> i32;
    let (mut own, mut native) = (0, 0);
    let library: Vec<u16> = "kernel32.dll\0".encode_utf16().collect();
    // SAFETY: the names end in a zero; the function has this form wherever there is one of this name.
    unsafe {
        let library = GetModuleHandleW(library.as_ptr());
        let ask = GetProcAddress(library, c"IsWow64Process2".as_ptr().cast())?;
        let ask: Asked = mem::transmute(ask);
        (ask(GetCurrentProcess(), &raw mut own, &raw mut native) != 0).then_some(native)
    }
}

/// A machine's number in words ("Image File Machine Constants").
fn processor_of(machine: u16) -> Option<&'static str> {
    Some(match machine {
        0x014c => "x86",
        0x8664 => "x86_64",
        0xaa64 => "aarch64",
        _ => return None,
    })
}
