//! The devices that a program is shown: a folder of its own, with terminals of its own (devpts(5)).

use std::fs::{self, File, Permissions};
use std::io;
use std::os::fd::{AsRawFd, OwnedFd};
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};

use rustix::mount::{MountFlags, mount, mount_bind};

use super::places::{by_descriptor, open};

/// Devices that a program can do no harm with.
const DEVICES: [&str; 6] = ["null", "zero", "full", "random", "urandom", "tty"];

/// What else programs expect there, as links.
const LINKS: [&str; 4] = ["fd", "stdin", "stdout", "stderr"];

/// The folder for shared memory (shm_overview(7)).
pub(super) const SHARED: &str = "/dev/shm";

/// Where the terminals lie that a program opens for itself.
const OWN_TERMINALS: &str = "/dev/.terminals";

/// As many of those can be opened by the names that they are given.
const NAMED: u32 = 16;

pub(super) struct Devices {
    opened: Vec<(String, OwnedFd)>,
    links: Vec<(String, PathBuf)>,
}

impl Devices {
    /// The second terminal is one that it may get later.
    pub fn open(second: Option<&OwnedFd>) -> Self {
        let names = DEVICES.iter().chain(&LINKS);
        let link = |name: &&str| Some(((*name).to_owned(), fs::read_link(Path::new("/dev").join(name)).ok()?));
        let links: Vec<(String, PathBuf)> = names.filter_map(link).collect();
        let devices = DEVICES.iter().filter(|name| !links.iter().any(|(link, _)| link == *name));
        let mut names: Vec<String> = devices.map(|name| (*name).to_owned()).collect();
        names.extend((0..3).chain(second.map(AsRawFd::as_raw_fd)).filter_map(terminal));
        names.sort();
        names.dedup();
        let opened =
            names.into_iter().filter_map(|name| Some((name.clone(), open(&Path::new("/dev").join(name)).ok()?)));
        Self { opened: opened.collect(), links }
    }

    pub fn put(self) -> io::Result<()> {
        let dev = Path::new("/dev");
        mount("wyard", dev, "tmpfs", MountFlags::NOSUID, Some(c"size=64m,mode=755"))?;
        fs::create_dir(dev.join("pts"))?;
        for (name, fd) in &self.opened {
            let at = dev.join(name);
            drop(File::create(&at)?);
            mount_bind(by_descriptor(fd), &at)?;
        }
        for (name, leads_to) in &self.links {
            symlink(leads_to, dev.join(name))?;
        }
        own_terminals(dev)?;
        fs::create_dir(SHARED)?;
        fs::set_permissions(SHARED, Permissions::from_mode(0o1777))
    }
}

/// The name in `/dev` of the terminal that a descriptor leads to.
fn terminal(descriptor: i32) -> Option<String> {
    let place = fs::read_link(format!("/proc/self/fd/{descriptor}")).ok()?;
    let number = place.strip_prefix("/dev/pts").ok()?.to_str()?;
    number.parse::<u32>().ok().map(|number| format!("pts/{number}"))
}

/// Terminals that nobody else has. Where the system refuses them there are none.
fn own_terminals(dev: &Path) -> io::Result<()> {
    fs::create_dir(OWN_TERMINALS)?;
    let options = c"newinstance,ptmxmode=0666,mode=620";
    let flags = MountFlags::NOSUID | MountFlags::NOEXEC;
    if mount("wyard", OWN_TERMINALS, "devpts", flags, Some(options)).is_err() {
        return Ok(());
    }
    symlink(".terminals/ptmx", dev.join("ptmx"))?;
    for number in 0..NAMED {
        // The terminal at which it sits may have the number.
        let _ = symlink(format!("../.terminals/{number}"), dev.join(format!("pts/{number}")));
    }
    Ok(())
}
