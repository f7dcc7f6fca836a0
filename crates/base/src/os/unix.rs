//! Unix: rights, links, ids, exact bytes of names.

use std::ffi::{OsStr, OsString};
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::os::unix::process::ExitStatusExt;
use std::path::Path;
use std::process::ExitStatus;

use rustix::fs::{Access, AtFlags, CWD};

use crate::system::System;

pub const HERE: System = System::Unix;

/// The name this program was built for, as archives write it: `linux`, `macos`, `windows`.
pub const SYSTEM: &str = std::env::consts::OS;

/// Whether names that differ only in case are one file, as on most disks of this system.
pub const FOLDS_CASE: bool = cfg!(target_os = "macos");

/// Whether symbolic links can be made in a folder.
pub fn can_link(_folder: &Path) -> bool {
    true
}

/// Opens a file for reading; the other end of a pipe, or a device, is not waited for (open(2), `O_NONBLOCK`).
pub fn open_at_once(file: &Path) -> io::Result<File> {
    use std::os::unix::fs::OpenOptionsExt as _;
    File::options().read(true).custom_flags(libc::O_NONBLOCK | libc::O_NOCTTY).open(file)
}

/// Whether a file has no content of its own, but is made up by the kernel for whoever reads it (proc(5), sysfs(5), "Tracefs" and
/// "debugfs" of the kernel's documentation).
pub fn is_made_when_read(_file: &Path) -> bool {
    #[cfg(target_os = "linux")]
    {
        const MADE_UP: [u64; 4] = [0x9fa0, 0x6265_6572, 0x7472_6163, 0x6462_6720];
        rustix::fs::statfs(_file).is_ok_and(|seen| MADE_UP.contains(&(seen.f_type as u64)))
    }
    #[cfg(not(target_os = "linux"))]
    false
}

/// Whether a file is an app-execution alias, which this system does not have.
pub fn is_app_alias(_path: &Path) -> bool {
    false
}

/// Keeps the system from showing a dialog when a started program cannot be loaded; here it never does.
pub fn keep_failures_quiet() {}

/// When a file was last changed in any way, in seconds and nanoseconds (inode(7), "ctime"); nobody can set it.
pub fn changed_at(seen: &fs::Metadata) -> Option<(i64, i64)> {
    Some((seen.ctime(), seen.ctime_nsec()))
}

/// Whether the effective user may execute the file (faccessat(2) with `X_OK`, effective ids). For the superuser one
/// execute bit of any class must be set.
pub fn may_execute(path: &Path) -> bool {
    rustix::fs::accessat(CWD, path, Access::EXEC_OK, AtFlags::EACCESS).is_ok()
}

/// Why the system's policy keeps a program from starting, where the error says so: `EPERM` comes from security modules
/// (execve(2), "ERRORS").
pub fn refused_by_policy(error: &io::Error) -> Option<&'static str> {
    (error.raw_os_error() == Some(rustix::io::Errno::PERM.raw_os_error())).then_some("it is not permitted here")
}

/// Whether the disk that a file lies on is mounted so that no program on it may run (mount(8), `noexec`).
#[cfg(not(target_vendor = "apple"))]
pub fn forbids_programs(file: &Path) -> bool {
    rustix::fs::statvfs(file).is_ok_and(|seen| seen.f_flag.contains(rustix::fs::StatVfsMountFlags::NOEXEC))
}

/// Whether the disk is mounted so; here statvfs(3) does not tell.
#[cfg(target_vendor = "apple")]
pub fn forbids_programs(_file: &Path) -> bool {
    false
}

/// Whether the effective user may write to the file or create entries in the folder.
pub fn may_write(path: &Path) -> bool {
    rustix::fs::accessat(CWD, path, Access::WRITE_OK, AtFlags::EACCESS).is_ok()
}

/// Whether somebody other than its owner and the superuser may make files in a folder: by the mode, where the sticky bit
/// is no help, since it only protects what is there already (chmod(2)).
pub fn others_may_write(folder: &Path) -> bool {
    fs::metadata(folder).is_ok_and(|seen| seen.mode() & 0o002 != 0)
}

/// Reads from a place of a file, whatever others read of it meanwhile (pread(2)).
pub fn read_at(file: &File, buffer: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::unix::fs::FileExt::read_at(file, buffer, at)
}

/// How many bytes this user may still write where a folder lies; `None` where that is not known.
pub fn free_space(folder: &Path) -> Option<u64> {
    let seen = rustix::fs::statvfs(folder).ok()?;
    seen.f_bavail.checked_mul(seen.f_frsize)
}

/// Makes a new file with these permission bits, less those that the user's mask takes off (open(2), `O_EXCL`).
pub fn create_new(path: &Path, mode: u32) -> io::Result<File> {
    std::os::unix::fs::OpenOptionsExt::mode(File::options().write(true).create_new(true), mode).open(path)
}

/// The permission bits that the user's mask takes off new files, seen from a file without a name in `folder`.
pub fn masked_bits(folder: &Path) -> io::Result<u32> {
    let probe = tempfile::Builder::new().permissions(fs::Permissions::from_mode(0o777)).tempfile_in(folder)?;
    Ok(0o777 & !probe.as_file().metadata()?.mode())
}

/// Takes room on the disk for a file that is about to be written, without changing its length (fallocate(2) with
/// `FALLOC_FL_KEEP_SIZE`); a file system that cannot do that is left alone.
#[cfg(target_os = "linux")]
pub fn allocate(file: &File, bytes: u64) -> io::Result<()> {
    use rustix::io::Errno;
    match rustix::fs::fallocate(file, rustix::fs::FallocateFlags::KEEP_SIZE, 0, bytes) {
        Err(e @ (Errno::NOSPC | Errno::DQUOT | Errno::FBIG)) => Err(e.into()),
        _ => Ok(()),
    }
}

/// Takes room on the disk for a file that is about to be written, which is left to the system here.
#[cfg(not(target_os = "linux"))]
pub fn allocate(_file: &File, _bytes: u64) -> io::Result<()> {
    Ok(())
}

/// Opens a file so that nobody can write to it or put another in its place while it is open; `None` where, as here, the
/// system knows no such thing.
pub fn open_unchanging(_path: &Path) -> io::Result<Option<File>> {
    Ok(None)
}

pub fn set_mode(file: &File, mode: u32) -> io::Result<()> {
    file.set_permissions(fs::Permissions::from_mode(mode))
}

pub fn set_folder_mode(path: &Path, mode: u32) -> io::Result<()> {
    fs::set_permissions(path, fs::Permissions::from_mode(mode))
}

/// Makes a folder and those above it that are missing: for others to read at most, whatever the umask.
pub fn make_folders(folder: &Path) -> io::Result<()> {
    use std::os::unix::fs::DirBuilderExt as _;
    fs::DirBuilder::new().recursive(true).mode(0o755).create(folder)
}

pub fn make_link(target: &Path, link: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(target, link)
}

/// Swaps two folders in one step (renameat2(2) `RENAME_EXCHANGE`, and its like on macOS); `false` where the system or the
/// file system cannot.
#[cfg(any(target_os = "linux", target_os = "macos"))]
pub fn exchange(one: &Path, other: &Path) -> io::Result<bool> {
    use rustix::io::Errno;
    match rustix::fs::renameat_with(CWD, one, CWD, other, rustix::fs::RenameFlags::EXCHANGE) {
        Ok(()) => Ok(true),
        Err(Errno::INVAL | Errno::NOSYS | Errno::OPNOTSUPP) => Ok(false),
        Err(e) => Err(e.into()),
    }
}

/// Swaps two folders in one step, which this system cannot.
#[cfg(not(any(target_os = "linux", target_os = "macos")))]
pub fn exchange(_one: &Path, _other: &Path) -> io::Result<bool> {
    Ok(false)
}

pub fn flush_folder(path: &Path) -> io::Result<()> {
    File::open(path)?.sync_all()
}

pub fn is_superuser() -> bool {
    rustix::process::geteuid().is_root()
}

/// Whether a file or folder belongs to another user than the effective one; one that is not there belongs to nobody.
pub fn belongs_to_another(path: &Path) -> bool {
    fs::metadata(path).is_ok_and(|seen| seen.uid() != rustix::process::geteuid().as_raw())
}

/// Whether an ancestor of this process was called with this first argument (proc_pid_cmdline(5), proc_pid_stat(5)).
pub fn is_started_by(argument: &str) -> bool {
    let parent_of = |pid: u32| -> Option<u32> {
        let stat = fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
        // The name before it stands in parentheses, and may hold anything.
        stat.rsplit_once(')')?.1.split_whitespace().nth(1)?.parse().ok()
    };
    let is_called = |pid: u32| {
        let line = fs::read(format!("/proc/{pid}/cmdline")).unwrap_or_default();
        line.split(|byte| *byte == 0).nth(1) == Some(argument.as_bytes())
    };
    std::iter::successors(Some(std::process::id()), |pid| parent_of(*pid).filter(|parent| *parent > 0)).any(is_called)
}

/// The folder below which the system's own settings are. In builds for tests those may be other ones, so that a test says what
/// its machine has.
pub fn system_root() -> std::path::PathBuf {
    let of_test = if cfg!(debug_assertions) { std::env::var_os("WYARD_TEST_ROOT") } else { None };
    of_test.unwrap_or_else(|| "/".into()).into()
}

/// The shell on record for the effective user (passwd(5), the seventh field).
pub fn shell_on_record() -> Option<std::path::PathBuf> {
    let users = fs::read_to_string(system_root().join("etc/passwd")).ok()?;
    let own = rustix::process::geteuid().as_raw().to_string();
    let shell = users.lines().map(|line| line.split(':').collect::<Vec<_>>()).find_map(|fields| {
        (fields.get(2) == Some(&own.as_str())).then(|| fields.get(6).map(|shell| (*shell).to_owned())).flatten()
    })?;
    (!shell.is_empty()).then(|| shell.into())
}

pub fn superuser_home() -> &'static str {
    if cfg!(target_vendor = "apple") { "/var/root" } else { "/root" }
}

/// Makes what this process creates from now on readable by everybody (umask(2)).
pub fn create_for_everybody() {
    rustix::process::umask(rustix::fs::Mode::from_raw_mode(0o022));
}

/// Records of what is installed; this system keeps none that we read.
pub fn uninstall_records() -> Vec<(String, std::collections::HashMap<String, String>)> {
    Vec::new()
}

pub fn end_at_once() -> ! {
    std::process::abort()
}

pub fn ending_signal(status: ExitStatus) -> Option<i32> {
    status.signal()
}

/// Programs that this process has started are ended by it here; one that is killed itself leaves them to end by themselves.
pub fn end_children_with_us() {}

/// What a sealed program is given is closed where its seal is made; any other program gets what its caller has open, as is usual here.
pub fn keep_handles_to_us() {}

/// The processes at work in the group of this one, which has ended. Those that wait to be cleared away do not count.
pub fn at_work(first: Option<u32>) -> Vec<u32> {
    let group = first.and_then(|first| i32::try_from(first).ok()).and_then(rustix::process::Pid::from_raw);
    let Some(group) = group.filter(|group| rustix::process::test_kill_process_group(*group).is_ok()) else {
        return Vec::new();
    };
    // proc_pid_stat(5): behind the name, in parentheses, the state, the parent and the group.
    let is_of_group = |process: &u32| {
        let stat = fs::read_to_string(format!("/proc/{process}/stat")).unwrap_or_default();
        let mut fields = stat.rsplit_once(')').map_or("", |(_, rest)| rest).split_whitespace();
        let works = fields.next().is_some_and(|state| !matches!(state, "Z" | "X"));
        works && fields.nth(1).and_then(|field| field.parse().ok()) == Some(group.as_raw_pid())
    };
    match fs::read_dir("/proc") {
        Ok(processes) => processes
            .flatten()
            .filter_map(|entry| entry.file_name().to_str()?.parse().ok())
            .filter(is_of_group)
            .collect(),
        // Without such a folder there are some as long as the group can be signalled (kill(2)).
        Err(_) => first.into_iter().collect(),
    }
}

/// Prepares a command to run in a session of its own: no controlling terminal it could read from or be stopped by, and
/// one process group that can be ended whole (setsid(2)).
pub fn in_own_session(command: std::process::Command) -> process_wrap::std::CommandWrap {
    let mut wrapped = process_wrap::std::CommandWrap::from(command);
    wrapped.wrap(process_wrap::std::ProcessSession);
    wrapped
}

/// Prepares a command to run in a process group of its own, which can be ended whole and gets no Ctrl-C. Unlike a session it
/// needs no copy of this process to begin with (posix_spawn(3)).
pub fn in_own_group(command: std::process::Command) -> process_wrap::std::CommandWrap {
    let mut wrapped = process_wrap::std::CommandWrap::from(command);
    wrapped.wrap(process_wrap::std::ProcessGroup::leader());
    wrapped
}

/// Whether a start failed only because somebody still has the program open for writing (`ETXTBSY`).
pub fn is_busy(error: &io::Error) -> bool {
    error.kind() == io::ErrorKind::ExecutableFileBusy
}

/// Does something to names. Nobody who holds a file open is in the way of that here.
pub fn retry_while_held<T>(mut action: impl FnMut() -> io::Result<T>) -> io::Result<T> {
    action()
}

/// Nobody keeps others from giving files another name here.
pub fn is_held(_error: &io::Error) -> bool {
    false
}

/// Adds text to a command line, which has words here and no form of its own.
pub fn add_as_written(command: &mut std::process::Command, text: &str) {
    command.arg(text);
}

/// The processor of this machine, as archives write it.
pub fn processor() -> &'static str {
    std::env::consts::ARCH
}

/// Sets the name a program is called by (its `argv[0]`).
pub fn set_called_name(command: &mut std::process::Command, name: &OsStr) {
    std::os::unix::process::CommandExt::arg0(command, name);
}

fn no_registry() -> io::Error {
    io::Error::new(io::ErrorKind::Unsupported, "this system has no registry")
}

/// This system has no registry.
pub fn registry_values(_hive: super::raw_registry::Hive, _key: &str) -> io::Result<Vec<super::raw_registry::RawValue>> {
    Err(no_registry())
}

pub fn write_registry_value(
    _hive: super::raw_registry::Hive,
    _key: &str,
    _name: &str,
    _value: Option<(u32, &[u8])>,
) -> io::Result<()> {
    Err(no_registry())
}

pub fn exchange_registry_value(
    _hive: super::raw_registry::Hive,
    _key: &str,
    _name: &str,
    _expected: Option<(u32, &[u8])>,
    _value: Option<(u32, &[u8])>,
) -> io::Result<bool> {
    Err(no_registry())
}

pub fn remove_registry_key(_key: &str) -> io::Result<()> {
    Err(no_registry())
}

pub fn may_write_registry(_hive: super::raw_registry::Hive, _key: &str) -> bool {
    false
}

/// Nobody is waiting to be told here.
pub fn announce_environment() {}

/// This system builds no environment for others.
pub fn fresh_environment() -> io::Result<Vec<(OsString, OsString)>> {
    Err(no_registry())
}

pub fn remove_registry_key_if_empty(_key: &str) -> io::Result<()> {
    Err(no_registry())
}

/// Starts a program by its bare name, as Windows does.
pub fn start_by_name(_name: &OsStr) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

pub fn is_wine() -> bool {
    false
}
