//! The maker of a seal: a process of its own, with one thread, that ends when all is over.
#![allow(unsafe_code)]

use std::fs;
use std::io::{self, IsTerminal as _, Read as _, Write as _};
use std::os::fd::{AsFd as _, AsRawFd as _, FromRawFd as _, OwnedFd};
use std::os::unix::net::UnixStream;
use std::os::unix::process::CommandExt as _;
use std::path::PathBuf;
use std::process::Command;
use std::time::Duration;

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::process::{Pid, PidfdFlags, Signal, WaitOptions, pidfd_open, wait, waitpid};
use rustix::thread::UnshareFlags;

use super::capabilities::{OF_FILES, keep_only};
use super::level::SealLevel;
use super::refused::{Refused, Rights, Step as _, StepReported};
use super::request::{Network, SealRequest};
use super::{cover, leftovers, reach};
use crate::os::unix;
use crate::os::unix_context::set_context;

/// Reads from the channel what to start, makes the seal, starts it, and tells what comes of it. Gives the exit code of this
/// process; what counts goes through the channel.
pub fn serve_seal(channel: i32) -> u8 {
    // SAFETY: the caller names a descriptor that it was started with for this; one that is none gives errors.
    let owned = unsafe { OwnedFd::from_raw_fd(channel) };
    if rustix::io::fcntl_setfd(&owned, rustix::io::FdFlags::CLOEXEC).is_err() {
        return 2;
    }
    let mut stream = UnixStream::from(owned);
    let Ok(request) = SealRequest::read(&mut stream) else { return 2 };
    // Copies of other channels, and whatever else was left open.
    close_others(&[Some(channel), request.second_terminal].map(Option::unwrap_or_default));
    // SAFETY: as above.
    let second = request.second_terminal.map(|number| unsafe { OwnedFd::from_raw_fd(number) });
    if second.as_ref().is_some_and(|fd| rustix::io::fcntl_setfd(fd, rustix::io::FdFlags::CLOEXEC).is_err()) {
        return 2;
    }
    u8::from(serve(&request, stream, second).is_err())
}

/// A descriptor's number that shells do not use.
const OUT_OF_WAY: i32 = 200;

/// A program that has a user namespace of its own says so.
const TO_BE_MAPPED: u8 = 1;

fn serve(request: &SealRequest, channel: UnixStream, second: Option<OwnedFd>) -> Result<(), StepReported> {
    let begun = begin(request).and_then(|rights| Ok((rights, fork().step("fork")?)));
    let (rights, first) = begun.map_err(|refused| refused.tell(&channel))?;
    let Some(first) = first else {
        let watched = watch(request, &channel, rights, second).map_err(|refused| refused.tell(&channel));
        exit(i32::from(watched.is_err()))
    };
    // The first process in the seal has them.
    drop((channel, second));
    leave_streams();
    while waitpid(Some(first), WaitOptions::empty()).is_err_and(|e| e == rustix::io::Errno::INTR) {}
    Ok(())
}

/// What a process namespace needs before its first process, which is the next child.
fn begin(request: &SealRequest) -> Result<Rights, Refused> {
    // Programs look at who started them.
    rustix::thread::set_name(c"wyard").step("name")?;
    // Where memory runs out, what is tried goes before what the user works with (proc_pid_oom_score_adj(5)).
    let _ = fs::write("/proc/self/oom_score_adj", "1000");
    if request.level.throws_away() { namespaces(request) } else { Ok(Rights::Own) }
}

/// Enters new namespaces (namespaces(7)).
fn namespaces(request: &SealRequest) -> Result<Rights, Refused> {
    let (user, group) = (rustix::process::geteuid(), rustix::process::getegid());
    let mut flags = UnshareFlags::NEWNS | UnshareFlags::NEWIPC;
    // Where others are seen, and none can be signalled, numbers that are those of `/proc` are less of a surprise.
    if request.level == SealLevel::Full || !reach::has_signal_scope() {
        flags |= UnshareFlags::NEWPID;
    }
    if request.network == Network::Closed {
        flags |= UnshareFlags::NEWNET;
    }
    // Without a `/proc` of its own nobody can be given a full map later: all is read-only then.
    if unix::is_superuser() && request.level == SealLevel::Full && unshare(flags).is_ok() {
        return Ok(Rights::Superuser);
    }
    unshare(flags | UnshareFlags::NEWUSER).step("namespaces")?;
    // Without the first line nobody without rights may write the third (user_namespaces(7)).
    fs::write("/proc/self/setgroups", "deny").step("setgroups")?;
    fs::write("/proc/self/uid_map", format!("{user} {user} 1", user = user.as_raw())).step("uid_map")?;
    fs::write("/proc/self/gid_map", format!("{group} {group} 1", group = group.as_raw())).step("gid_map")?;
    Ok(Rights::Own)
}

fn unshare(flags: UnshareFlags) -> rustix::io::Result<()> {
    // SAFETY: the descriptor table stays shared with nobody, since this process has one thread.
    unsafe { rustix::thread::unshare_unsafe(flags) }
}

/// The first process in the seal: covers the folders, starts the program, and stays until nobody asks any more.
fn watch(
    request: &SealRequest,
    mut channel: &UnixStream,
    rights: Rights,
    second: Option<OwnedFd>,
) -> Result<(), Refused> {
    rustix::process::set_parent_process_death_signal(Some(Signal::KILL)).step("death signal")?;
    rustix::process::set_child_subreaper(Some(rustix::process::getpid())).step("subreaper")?;
    let layers = match request.level.throws_away() {
        true => Some(cover::cover(request, rights, second.as_ref())?),
        false => None,
    };
    let covered = layers.as_ref().map(|layers| layers.places.as_slice()).unwrap_or_default();
    let program = launch(request, channel, rights, covered, None)?;
    leave_streams();
    wait_for(program, channel, |is_over| match (&second, &layers) {
        (Some(terminal), Some(layers)) if leftovers::adopted(is_over) || layers.were_written() => {
            launch(request, channel, rights, covered, Some(terminal)).map(Some)
        }
        _ => Ok(None),
    })?;
    let mut left = leftovers::end();
    left.sort();
    let _ = writeln!(channel, "L{}", left.join("\t"));
    Ok(())
}

/// Starts the program: with the streams of this process, or at a terminal of its own.
fn launch(
    request: &SealRequest,
    channel: &UnixStream,
    rights: Rights,
    covered: &[PathBuf],
    terminal: Option<&OwnedFd>,
) -> Result<Pid, Refused> {
    let to_map = (rights == Rights::Superuser).then(UnixStream::pair).transpose().step("pair")?;
    let Some(program) = fork().step("fork")? else {
        if let Some(terminal) = terminal {
            for stream in 0..3 {
                // SAFETY: nothing here reads or writes these streams.
                unsafe { libc::dup2(terminal.as_raw_fd(), stream) };
            }
        }
        start(request, channel, covered, to_map.map(|(_, theirs)| theirs))
    };
    if let Some((mut ours, theirs)) = to_map {
        drop(theirs);
        let mut told = [0];
        ours.read_exact(&mut told).step("user namespace")?;
        if told == [TO_BE_MAPPED] {
            // In its own user namespace everybody is who they are, and nobody can harm the machine.
            for map in ["uid_map", "gid_map"] {
                let all = fs::read_to_string(format!("/proc/self/{map}")).step(map)?;
                fs::write(format!("/proc/{}/{map}", program.as_raw_nonzero()), all).step(map)?;
            }
            ours.write_all(&[0]).step("user namespace")?;
        }
    }
    Ok(program)
}

/// Waits until the asking process closes the channel, and tells it before that when the program has ended, or the second
/// one, which is started where that is asked for and `again` does it, who is told whether the first is over.
fn wait_for(
    program: Pid,
    mut channel: &UnixStream,
    again: impl Fn(bool) -> Result<Option<Pid>, Refused>,
) -> Result<(), Refused> {
    let mut started: Vec<(Pid, OwnedFd)> = vec![(program, pidfd_open(program, PidfdFlags::empty()).step("wait")?)];
    let mut told: Vec<Pid> = Vec::new();
    let mut buffer = [0; 1];
    loop {
        let mut fds = vec![PollFd::new(&channel, PollFlags::IN)];
        let running = started.iter().filter(|(pid, _)| !told.contains(pid));
        fds.extend(running.map(|(_, ended)| PollFd::from_borrowed_fd(ended.as_fd(), PollFlags::IN)));
        let until = Timespec { tv_sec: 1, tv_nsec: 0 };
        match poll(&mut fds, Some(&until)) {
            Ok(_) | Err(rustix::io::Errno::INTR) => {}
            Err(e) => return Err(e).step("wait"),
        }
        let is_heard = !fds[0].revents().is_empty();
        while let Ok(Some((pid, status))) = wait(WaitOptions::NOHANG) {
            if let Some(at) = started.iter().position(|(of, _)| *of == pid) {
                told.push(pid);
                // Nobody listens any more: that is seen below.
                let _ = writeln!(channel, "{}{}", if at == 0 { 'X' } else { 'Y' }, status.as_raw());
            }
        }
        if !is_heard {
            continue;
        }
        if channel.read(&mut buffer).step("wait")? == 0 {
            return Ok(());
        }
        match again(told.contains(&program))? {
            Some(second) => {
                started.push((second, pidfd_open(second, PidfdFlags::empty()).step("wait")?));
                let _ = writeln!(channel, "A");
            }
            None => {
                let _ = writeln!(channel, "S");
            }
        }
    }
}

fn start(request: &SealRequest, channel: &UnixStream, covered: &[PathBuf], to_map: Option<UnixStream>) -> ! {
    let mut command = Command::new(&request.program);
    command.arg0(&request.called).args(&request.arguments).current_dir(&request.folder);
    command.env_clear().envs(request.variables.iter().map(|(name, value)| (name, value)));
    // What the program finds open may have the channel's number.
    let out_of_way = rustix::io::fcntl_dupfd_cloexec(channel, OUT_OF_WAY).map(UnixStream::from);
    let mut channel = out_of_way.as_ref().unwrap_or(channel);
    if let Some(context) = &request.context {
        set_context(&mut command, context);
    }
    let refused = match prepare(request, covered, to_map) {
        Err(refused) => refused,
        Ok(()) => loop {
            let error = command.exec();
            // Another process may still have the program open for writing.
            if !unix::is_busy(&error) {
                let _ = writeln!(channel, "N{}", error.raw_os_error().unwrap_or_default());
                exit(127);
            }
            std::thread::sleep(Duration::from_millis(5));
        },
    };
    refused.tell(channel);
    exit(127)
}

fn prepare(request: &SealRequest, covered: &[PathBuf], to_map: Option<UnixStream>) -> Result<(), Refused> {
    rustix::process::set_parent_process_death_signal(Some(Signal::KILL)).step("death signal")?;
    if let Some(mut theirs) = to_map {
        // Whose root is not that of the mounts gets none (user_namespaces(7), chroot(2)), and does without what could harm.
        if unshare(UnshareFlags::NEWUSER).is_ok() {
            theirs.write_all(&[TO_BE_MAPPED]).step("user namespace")?;
            theirs.read_exact(&mut [0]).step("user namespace")?;
        } else {
            keep_only(OF_FILES).step("capabilities")?;
            theirs.write_all(&[!TO_BE_MAPPED]).step("user namespace")?;
        }
    }
    // Ctrl-C is for those who ask.
    rustix::process::setsid().step("session")?;
    if io::stdin().is_terminal() {
        rustix::process::ioctl_tiocsctty(io::stdin()).step("terminal")?;
    }
    rustix::thread::set_no_new_privs(true).step("privileges")?;
    if request.level != SealLevel::None {
        reach::restrict(request, covered)?;
    }
    rustix::process::set_parent_process_death_signal(None).step("death signal")
}

/// Gives up the three streams, so that they end with the program.
fn leave_streams() {
    let null = fs::File::options().read(true).write(true).open("/dev/null");
    for stream in 0..3 {
        // SAFETY: nothing here reads or writes them any more.
        unsafe {
            match &null {
                Ok(null) => libc::dup2(null.as_raw_fd(), stream),
                Err(_) => libc::close(stream),
            }
        };
    }
}

/// Closes every descriptor beyond the three streams but these (close_range(2)).
fn close_others(but: &[i32]) {
    let mut kept: Vec<u32> = but.iter().map(|number| number.cast_unsigned()).filter(|number| *number > 2).collect();
    kept.sort_unstable();
    let begins = std::iter::once(3).chain(kept.iter().map(|number| number + 1));
    let ends = kept.iter().map(|number| number - 1).chain([u32::MAX]);
    for (first, last) in begins.zip(ends) {
        if first <= last {
            // SAFETY: this process has just begun, and uses none of them.
            unsafe { libc::syscall(libc::SYS_close_range, first, last, 0) };
        }
    }
}

/// `None` in the child.
fn fork() -> io::Result<Option<Pid>> {
    // SAFETY: this process has one thread, so that the child is as whole as its parent.
    match unsafe { libc::fork() } {
        -1 => Err(io::Error::last_os_error()),
        pid => Ok(Pid::from_raw(pid)),
    }
}

fn exit(code: i32) -> ! {
    // SAFETY: nothing that is to happen at an end of the parent happens here.
    unsafe { libc::_exit(code) }
}
