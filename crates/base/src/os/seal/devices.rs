//! The devices that are shown to an administrator's program.

use std::fs::{self, File, Permissions};
use std::io;
use std::os::fd::OwnedFd;
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};

use rustix::mount::{MountFlags, mount, mount_bind};

use super::places::{by_descriptor, open};

/// Devices that a program can do no harm with.
const DEVICES: [&str; 7] = ["null", "zero", "full", "random", "urandom", "tty", "ptmx"];

/// What else programs expect there, as links.
const LINKS: [&str; 4] = ["fd", "stdin", "stdout", "stderr"];

/// The folder for shared memory (shm_overview(7)).
pub(super) const SHARED: &str = "/dev/shm";

pub(super) struct Devices {
    opened: Vec<(String, OwnedFd)>,
    links: Vec<(String, PathBuf)>,
}

impl Devices {
    pub fn open() -> Self {
        let names = DEVICES.iter().chain(&LINKS);
        let link = |name: &&str| Some(((*name).to_owned(), fs::read_link(Path::new("/dev").join(name)).ok()?));
        let links: Vec<(String, PathBuf)> = names.filter_map(link).collect();
        let names = DEVICES.iter().chain(&["pts"]).filter(|name| !links.iter().any(|(link, _)| link == *name));
        let opened = names.filter_map(|name| Some(((*name).to_owned(), open(&Path::new("/dev").join(name)).ok()?)));
        Self { opened: opened.collect(), links }
    }

    pub fn put(self) -> io::Result<()> {
        let dev = Path::new("/dev");
        mount("wyard", dev, "tmpfs", MountFlags::NOSUID, Some(c"size=64m,mode=755"))?;
        for (name, fd) in self.opened {
            let (from, at) = (by_descriptor(&fd), dev.join(name));
            if from.is_dir() {
                fs::create_dir(&at)?;
            } else {
                drop(File::create(&at)?);
            }
            mount_bind(&from, &at)?;
        }
        for (name, leads_to) in self.links {
            symlink(leads_to, dev.join(name))?;
        }
        fs::create_dir(SHARED)?;
        fs::set_permissions(SHARED, Permissions::from_mode(0o1777))
    }
}
