//! Learning the context of a terminal, and starting a program in one.
#![allow(unsafe_code)]

use std::ffi::CString;
use std::fs;
use std::io::{self, IsTerminal as _, Write as _};
use std::os::fd::BorrowedFd;
use std::os::unix::ffi::OsStrExt as _;
use std::os::unix::process::CommandExt as _;
use std::process::Command;
use std::sync::atomic::{AtomicU8, Ordering};

use super::terminal_context::{Descriptor, TerminalContext};
use super::unix::may_execute;

/// Signals have numbers up to this one (signal(7)).
const SIGNALS: i32 = 64;

/// Where the limits end (getrlimit(2)).
const LIMITS: u32 = if cfg!(target_os = "linux") { 16 } else { 9 };

/// What the standard library changes before `main`: it opens what is closed of the three streams, and ignores `SIGPIPE`. A bit
/// for each stream that was closed, and one for the signal where it was ignored.
static BEFORE_MAIN: AtomicU8 = AtomicU8::new(0);

const PIPE_IGNORED: u8 = 8;

/// Run by the loader before `main` (ELF gABI, "Initialization and Termination Functions"; Mach-O, `S_MOD_INIT_FUNC_POINTERS`).
#[used]
#[cfg_attr(target_os = "macos", unsafe(link_section = "__DATA,__mod_init_func"))]
#[cfg_attr(not(target_os = "macos"), unsafe(link_section = ".init_array"))]
static LOOK_BEFORE_MAIN: extern "C" fn() = look_before_main;

extern "C" fn look_before_main() {
    let mut seen = 0;
    for stream in 0..3 {
        // SAFETY: only asks for the flags of a number.
        if unsafe { libc::fcntl(stream, libc::F_GETFD) } < 0 {
            seen |= 1 << stream;
        }
    }
    if is_ignored(libc::SIGPIPE) {
        seen |= PIPE_IGNORED;
    }
    BEFORE_MAIN.store(seen, Ordering::Relaxed);
}

fn is_ignored(signal: i32) -> bool {
    // SAFETY: only asks, into a structure of its own.
    unsafe {
        let mut action: libc::sigaction = std::mem::zeroed();
        libc::sigaction(signal, std::ptr::null(), &raw mut action) == 0 && action.sa_sigaction == libc::SIG_IGN
    }
}

/// Prints every variable, each ended by a zero byte (env(1), `-0`), then the context as one more such field, which the
/// argument names. It is all that a call with [`super::CONTEXT_ARGUMENT`] does.
pub fn print_context(name: &std::ffi::OsStr) -> io::Result<()> {
    let mut bytes = Vec::new();
    for (variable, value) in std::env::vars_os() {
        bytes.extend_from_slice(&[variable.as_bytes(), b"=", value.as_bytes(), b"\0"].concat());
    }
    bytes.extend_from_slice(&[name.as_bytes(), b"\0", context().to_text().as_bytes(), b"\0"].concat());
    io::stdout().write_all(&bytes)?;
    io::stdout().flush()
}

/// The context of this process. Called while there is one thread.
fn context() -> TerminalContext {
    let before = BEFORE_MAIN.load(Ordering::Relaxed);
    // SAFETY: sets the mask back at once, and nobody else makes files meanwhile.
    let umask = unsafe {
        let umask = libc::umask(0o77);
        libc::umask(umask);
        umask
    };
    let is_kept =
        |signal: &i32| if *signal == libc::SIGPIPE { before & PIPE_IGNORED != 0 } else { is_ignored(*signal) };
    let ignored = (1..=SIGNALS).filter(is_kept).fold(0, |all, signal| all | 1 << (signal - 1));
    let limits = (0..LIMITS).filter_map(|number| limit(number).map(|(soft, hard)| (number, soft, hard))).collect();
    let numbers = fs::read_dir(if cfg!(target_os = "linux") { "/proc/self/fd" } else { "/dev/fd" });
    let numbers = numbers.into_iter().flatten().flatten().filter_map(|entry| entry.file_name().to_str()?.parse().ok());
    let mut numbers: Vec<i32> = numbers.collect();
    numbers.sort_unstable();
    let was_closed = |number: i32| number < 3 && before & (1 << number) != 0;
    let descriptors =
        numbers.into_iter().filter(|number| !was_closed(*number)).filter_map(|number| Some((number, look(number)?)));
    let descriptors = descriptors.collect();
    let folder = std::env::current_dir().map(|folder| folder.as_os_str().as_bytes().to_vec()).unwrap_or_default();
    TerminalContext { umask: umask as _, ignored, limits, descriptors, folder }
}

fn limit(number: u32) -> Option<(u64, u64)> {
    // SAFETY: only asks, into a structure of its own.
    unsafe {
        let mut limit: libc::rlimit = std::mem::zeroed();
        (libc::getrlimit(number as _, &raw mut limit) == 0).then_some((limit.rlim_cur as _, limit.rlim_max as _))
    }
}

/// What a descriptor leads to; `None` where it is closed by now, as the folder that listed it is, or closes by itself.
fn look(number: i32) -> Option<Descriptor> {
    // SAFETY: it is borrowed for this call, and nothing here closes descriptors.
    let descriptor = unsafe { BorrowedFd::borrow_raw(number) };
    let flags = rustix::io::fcntl_getfd(descriptor).ok()?;
    if flags.contains(rustix::io::FdFlags::CLOEXEC) {
        return None;
    }
    if descriptor.is_terminal() {
        return Some(Descriptor::Terminal);
    }
    let place = fs::read_link(format!("/proc/self/fd/{number}")).ok();
    let place = place.filter(|place| place.is_absolute() && fs::symlink_metadata(place).is_ok());
    Some(place.map_or(Descriptor::Other, |place| Descriptor::File(place.as_os_str().as_bytes().to_vec())))
}

/// Lets a command start its program in a context: the streams are the ones it has, less those that are closed there.
pub fn set_context(command: &mut Command, context: &TerminalContext) {
    let c_string = |path: &[u8]| CString::new(path).ok();
    let (umask, ignored, limits) = (context.umask, context.ignored, context.limits.clone());
    let files: Vec<(i32, Option<CString>)> = context
        .descriptors
        .iter()
        .filter(|(number, leads_to)| *number > 2 || matches!(leads_to, Descriptor::File(_)))
        .map(|(number, leads_to)| match leads_to {
            Descriptor::Terminal => (*number, None),
            Descriptor::File(path) => (*number, c_string(path)),
            Descriptor::Other => (*number, Some(c"/dev/null".to_owned())),
        })
        .collect();
    let terminal = context.descriptors.iter().find(|(number, to)| *number < 3 && *to == Descriptor::Terminal);
    let terminal = terminal.map_or(-1, |(number, _)| *number);
    let closed: Vec<i32> =
        (0..3).filter(|stream| context.descriptors.iter().all(|(number, _)| number != stream)).collect();
    let work = move || {
        set_signals(ignored);
        // SAFETY: these calls are safe between fork and exec (signal-safety(7)), and what they are given outlives them.
        unsafe {
            libc::umask(umask as _);
            for (number, path) in &files {
                let opened = match path {
                    Some(path) => open(path),
                    None => terminal,
                };
                if opened >= 0 && opened != *number {
                    libc::dup2(opened, *number);
                    if path.is_some() {
                        libc::close(opened);
                    }
                }
            }
            for stream in &closed {
                libc::close(*stream);
            }
        }
        set_limits(&limits)
    };
    // SAFETY: it allocates nothing, and calls only what is safe there.
    unsafe { command.pre_exec(work) };
}

/// Opens a file as a shell that redirects there would have, as far as that is allowed.
fn open(path: &CString) -> i32 {
    for flags in [libc::O_RDWR | libc::O_APPEND, libc::O_RDONLY] {
        // SAFETY: the path ends in a zero.
        let opened = unsafe { libc::open(path.as_ptr(), flags | libc::O_NOCTTY) };
        if opened >= 0 {
            return opened;
        }
    }
    -1
}

fn set_signals(ignored: u64) {
    for signal in 1..=SIGNALS {
        let handler = if ignored & 1 << (signal - 1) == 0 { libc::SIG_DFL } else { libc::SIG_IGN };
        // SAFETY: none of the two is a function; numbers that cannot be set are refused.
        unsafe { libc::signal(signal, handler) };
    }
}

/// Sets limits, those last that may keep a program from what comes before its start.
fn set_limits(limits: &[(u32, u64, u64)]) -> io::Result<()> {
    for (number, soft, hard) in limits {
        if limit(*number) == Some((*soft, *hard)) {
            continue;
        }
        let limit = libc::rlimit { rlim_cur: *soft as _, rlim_max: *hard as _ };
        // SAFETY: the structure outlives the call.
        if unsafe { libc::setrlimit(*number as _, &raw const limit) } != 0 {
            return Err(io::Error::last_os_error());
        }
    }
    Ok(())
}

/// The place of this program, for others to start it; `None` where its file was replaced or removed.
pub fn own_place() -> Option<std::path::PathBuf> {
    std::env::current_exe().ok().filter(|program| may_execute(program))
}
