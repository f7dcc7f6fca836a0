//! A pseudo-terminal (pty(7)).

use std::fs::File;
use std::io;
use std::os::fd::AsRawFd as _;
pub use std::os::fd::OwnedFd;
use std::process::Stdio;

use rustix::fs::{Mode, OFlags};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{LocalModes, OptionalActions, OutputModes, Winsize, tcgetattr, tcsetattr, tcsetwinsize};

/// Opens one: our end, and the other as the three streams of a program. It hands on what is written as it is, and shows
/// nothing of what is typed. To none of the two who open it is it the terminal that signals come from.
pub fn open_terminal() -> io::Result<(File, [Stdio; 3])> {
    let (ours, theirs) = open()?;
    Ok((ours, [theirs.try_clone()?.into(), theirs.try_clone()?.into(), theirs.into()]))
}

/// Opens one whose other end is handed on by its number to what is started next.
pub fn open_second_terminal() -> io::Result<(File, OwnedFd)> {
    let (ours, theirs) = open()?;
    // A copy of it in another child is no harm: makers of seals close what they were not told of.
    rustix::io::fcntl_setfd(&theirs, rustix::io::FdFlags::empty())?;
    Ok((ours, theirs))
}

pub fn descriptor_number(descriptor: &OwnedFd) -> Option<i32> {
    Some(descriptor.as_raw_fd())
}

fn open() -> io::Result<(File, OwnedFd)> {
    let ours = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY)?;
    grantpt(&ours)?;
    unlockpt(&ours)?;
    let name = ptsname(&ours, Vec::new())?;
    let flags = OFlags::RDWR | OFlags::NOCTTY | OFlags::CLOEXEC;
    let theirs: OwnedFd = rustix::fs::open(name, flags, Mode::empty())?;
    let mut modes = tcgetattr(&theirs)?;
    modes.output_modes.remove(OutputModes::OPOST);
    tcsetattr(&theirs, OptionalActions::Now, &modes)?;
    tcsetwinsize(&theirs, Winsize { ws_row: 24, ws_col: 80, ws_xpixel: 0, ws_ypixel: 0 })?;
    rustix::io::fcntl_setfd(&ours, rustix::io::FdFlags::CLOEXEC)?;
    Ok((ours.into(), theirs))
}

/// Whether what is typed at a terminal is read as it comes, as shells do that wait at their prompt (termios(3), `ICANON`).
pub fn reads_by_character(ours: &File) -> bool {
    tcgetattr(ours).is_ok_and(|modes| !modes.local_modes.contains(LocalModes::ICANON))
}
