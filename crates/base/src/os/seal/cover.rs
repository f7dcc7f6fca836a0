//! The folders that can be written in, each with a layer over it that is thrown away (overlay filesystem,
//! "Documentation/filesystems/overlayfs.rst" of the kernel), and all else read-only.
#![allow(unsafe_code)]

use std::collections::{BTreeMap, BTreeSet};
use std::ffi::{CString, OsString};
use std::fs::{self, File};
use std::io;
use std::os::fd::OwnedFd;
use std::os::unix::fs::{MetadataExt as _, symlink};
use std::path::{Path, PathBuf};

use rustix::mount::{
    MountFlags, MountPropagationFlags, mount, mount_bind, mount_bind_recursive, mount_change, mount_remount,
};

use super::devices::{Devices, SHARED};
use super::level::SealLevel;
use super::mount_table::{below, mount_points};
use super::places::{by_descriptor, copy_looks, open, special, stand_in};
use super::refused::{Refused, Rights, Step as _};
use super::request::{Network, SealRequest};
use crate::os::temporary::temporary_name;
use crate::os::unix;

/// The number that stands for users and groups which a namespace does not know (proc_sys_kernel(5), `overflowuid`).
const NOBODY: u32 = 65534;

/// At most this many entries that nobody named are shown in a folder for temporary files that has disks mounted in it.
const MOST_OF_OTHERS: usize = 64;

const LAYERS: &str = "size=256m,mode=755";

/// Folders in which an administrator's startup files may write.
const OF_ADMINISTRATORS: [&str; 6] = ["/etc", "/usr", "/var", "/opt", "/home", "/srv"];

/// What an administrator could change the machine by (proc(5)).
const DOORS: [&str; 4] = ["sys", "sysrq-trigger", "irq", "bus"];

/// A file of a folder with mounts in it that is copied; a larger one is shown as it is.
const COPIED: u64 = 1 << 20;

pub(super) struct Layers {
    folder: OwnedFd,
    /// Those of overlays, which are empty until something is written.
    over: Vec<String>,
    anew: Vec<String>,
    /// When all was covered (inode(7), "ctime").
    covered: (i64, i64),
    /// The folders that are covered.
    pub places: Vec<PathBuf>,
}

impl Layers {
    /// Whether anything was written since all was covered.
    pub fn were_written(&self) -> bool {
        let place = |name: &String| by_descriptor(&self.folder).join(name);
        let is_newer =
            |at: &Path| fs::symlink_metadata(at).is_ok_and(|seen| (seen.ctime(), seen.ctime_nsec()) > self.covered);
        let entries = |name| fs::read_dir(place(name)).into_iter().flatten().flatten();
        self.over.iter().any(|name| entries(name).next().is_some())
            || self.anew.iter().any(|name| is_newer(&place(name)) || entries(name).any(|entry| is_newer(&entry.path())))
    }
}

pub(super) fn cover(request: &SealRequest, rights: Rights, second: Option<&OwnedFd>) -> Result<Layers, Refused> {
    mount_change("/", MountPropagationFlags::PRIVATE | MountPropagationFlags::REC).step("private mounts")?;
    let points = mount_points().step("mount table")?;
    let mut folders = request.folders.clone();
    if request.network == Network::Closed {
        // Sockets in a covered folder answer nobody.
        folders.push("/run".into());
    }
    let needed_layers = targets(folders.clone(), &points, rights);
    folders.extend(request.places.clone());
    if rights == Rights::Superuser {
        folders.extend(OF_ADMINISTRATORS.map(PathBuf::from));
    }
    let mut folders = targets(folders, &points, rights);
    // Those that a layer over another place would cover as well: that one may be refused.
    folders.extend(needed_layers.iter().filter(|folder| !folders.contains(folder)).cloned().collect::<Vec<_>>());
    folders.sort();
    let opened = open_all(&folders, &points)?;
    let devices = Devices::open(second);
    read_only("/").step("read-only mounts")?;
    let temporary = std::env::temp_dir();
    let first = folders.first().unwrap_or(&temporary);
    mount("wyard", first, "tmpfs", MountFlags::NOSUID | MountFlags::NODEV, Some(&*c_string(LAYERS)))
        .step("tmpfs for layers")?;
    let layers = open(first).step("tmpfs for layers")?;
    devices.put().step("devices")?;
    let own_names = temporary_name(request.asker);
    let mut needed = vec![request.program.clone(), request.folder.clone()];
    needed.extend(std::env::current_exe());
    needed.extend(request.named.clone());
    let mut cover =
        Cover { layers, made: 0, over: Vec::new(), anew: Vec::new(), opened, points, rights, own_names, needed };
    let mut covered: Vec<&PathBuf> = Vec::new();
    for folder in &folders {
        // It is covered with the one around it, unless it has to be by itself.
        let is_within = covered
            .iter()
            .any(|outer| targets(vec![(*outer).clone(), folder.clone()], &cover.points, rights).len() == 1);
        if is_within {
            continue;
        }
        match cover.folder(folder) {
            Ok(()) => covered.push(folder),
            Err(e) if needed_layers.contains(folder) => return Err(e).step("overlay"),
            // It stays as it is, which is read-only.
            Err(_) => {}
        }
    }
    if rights == Rights::Superuser {
        // A superuser's mounts are not locked together: each gets a layer of its own.
        let nested: Vec<PathBuf> = cover.opened.keys().filter(|place| !folders.contains(place)).cloned().collect();
        for place in nested {
            cover.nested(&place);
        }
    }
    if request.level == SealLevel::Full {
        show_own_processes(rights).step("proc")?;
    }
    for (file, content) in &request.stand_ins {
        stand_in(file, content).step("stand-in")?;
    }
    let places = covered.into_iter().cloned().collect();
    cover.finish(places).step("layers")
}

/// All are opened before the first is covered.
fn open_all(folders: &[PathBuf], points: &[PathBuf]) -> Result<BTreeMap<PathBuf, OwnedFd>, Refused> {
    let mut opened = BTreeMap::new();
    for folder in folders {
        opened.insert(folder.clone(), open(folder).step("open a folder")?);
    }
    for point in folders.iter().flat_map(|folder| below(points, folder)) {
        if let Ok(fd) = open(point) {
            opened.insert(point.clone(), fd);
        }
    }
    Ok(opened)
}

/// Only the processes in the seal are seen, and a superuser changes nothing of the system through files there.
fn show_own_processes(rights: Rights) -> rustix::io::Result<()> {
    mount("proc", "/proc", "proc", MountFlags::NOSUID | MountFlags::NODEV | MountFlags::NOEXEC, None)?;
    if rights == Rights::Superuser {
        for door in DOORS.map(|door| Path::new("/proc").join(door)).iter().filter(|door| door.exists()) {
            mount_bind(door, door)?;
            mount_remount(door, MountFlags::BIND | MountFlags::RDONLY, c"")?;
        }
    }
    Ok(())
}

/// The real folders among these that are there, those that hold others first. What lies in one of them is covered with
/// it, unless another disk is mounted in between, or a folder on the way belongs to somebody whom a user namespace does not
/// know: nothing below that could be written (overlayfs.rst, "Non-directories"; user_namespaces(7), `EOVERFLOW`).
fn targets(folders: Vec<PathBuf>, points: &[PathBuf], rights: Rights) -> Vec<PathBuf> {
    let real = folders.into_iter().filter_map(|folder| folder.canonicalize().ok());
    let mut real: Vec<PathBuf> = real.filter(|folder| folder.is_dir() && folder != Path::new("/")).collect();
    // The devices are made anew.
    real.retain(|folder| !folder.starts_with("/dev") || folder.starts_with(SHARED));
    real.sort();
    real.dedup();
    let (user, group) = (rustix::process::geteuid().as_raw(), rustix::process::getegid().as_raw());
    // Whom a namespace does not know is shown as nobody.
    let is_known = ![user, group].contains(&NOBODY);
    let is_own =
        |folder: &Path| is_known && fs::metadata(folder).is_ok_and(|seen| seen.uid() == user && seen.gid() == group);
    let mut covering: Vec<PathBuf> = Vec::new();
    for folder in real {
        let is_covered = |outer: &PathBuf| {
            folder.starts_with(outer)
                && !below(points, outer).any(|point| folder.starts_with(point))
                && (rights == Rights::Superuser
                    || folder.ancestors().take_while(|above| *above != outer.as_path()).all(is_own))
        };
        if !covering.iter().any(is_covered) {
            covering.push(folder);
        }
    }
    covering
}

fn c_string(text: &str) -> CString {
    CString::new(text).unwrap_or_default()
}

/// Makes all mounts below a place read-only (mount_setattr(2)).
fn read_only(place: &str) -> io::Result<()> {
    let place = c_string(place);
    let attributes = libc::mount_attr { attr_set: libc::MOUNT_ATTR_RDONLY, attr_clr: 0, propagation: 0, userns_fd: 0 };
    // SAFETY: the path ends in a zero, and the structure lives as long as the call, which is told its size.
    let done = unsafe {
        libc::syscall(
            libc::SYS_mount_setattr,
            libc::AT_FDCWD,
            place.as_ptr(),
            libc::AT_RECURSIVE,
            &raw const attributes,
            size_of::<libc::mount_attr>(),
        )
    };
    if done == 0 { Ok(()) } else { Err(io::Error::last_os_error()) }
}

struct Cover {
    layers: OwnedFd,
    made: u32,
    over: Vec<String>,
    anew: Vec<String>,
    opened: BTreeMap<PathBuf, OwnedFd>,
    points: Vec<PathBuf>,
    rights: Rights,
    own_names: String,
    needed: Vec<PathBuf>,
}

impl Cover {
    fn finish(self, places: Vec<PathBuf>) -> io::Result<Layers> {
        let now = by_descriptor(&self.layers).join("now");
        let seen = File::create(now)?.metadata()?;
        let covered = (seen.ctime(), seen.ctime_nsec());
        Ok(Layers { folder: self.layers, over: self.over, anew: self.anew, covered, places })
    }

    fn folder(&mut self, place: &Path) -> io::Result<()> {
        let lower = by_descriptor(&self.opened[place]);
        // In a user namespace a folder with mounts in it can't be shown without them (mount_namespaces(7)).
        if self.rights == Rights::Own && below(&self.points, place).next().is_some() {
            return self.piece_by_piece(place, &lower);
        }
        self.overlay(place, &lower)
    }

    /// A mount in a covered folder: under a layer, or else as it is, which is read-only.
    fn nested(&mut self, place: &Path) {
        let lower = by_descriptor(&self.opened[place]);
        if !lower.is_dir() || self.overlay(place, &lower).is_err() {
            let _ = mount_bind(&lower, place);
        }
    }

    fn new_layer(&mut self, like: &Path) -> io::Result<PathBuf> {
        self.made += 1;
        let folder = by_descriptor(&self.layers).join(self.made.to_string());
        fs::create_dir(&folder)?;
        copy_looks(like, &folder)?;
        Ok(folder)
    }

    fn overlay(&mut self, place: &Path, lower: &Path) -> io::Result<()> {
        let upper = self.new_layer(lower)?;
        self.over.push(self.made.to_string());
        let work = by_descriptor(&self.layers).join(format!("{}w", self.made));
        fs::create_dir(&work)?;
        let own = if self.rights == Rights::Own { ",userxattr" } else { "" };
        let options =
            format!("lowerdir={},upperdir={},workdir={}{own}", lower.display(), upper.display(), work.display());
        let flags = MountFlags::NOSUID | MountFlags::NODEV | forbidding(lower);
        Ok(mount("wyard", place, "overlay", flags, Some(&*c_string(&options)))?)
    }

    /// A folder that is made anew, with layers over the folders in it and its mounts beside them.
    fn piece_by_piece(&mut self, place: &Path, lower: &Path) -> io::Result<()> {
        let skeleton = self.new_layer(lower)?;
        self.anew.push(self.made.to_string());
        mount_bind(&skeleton, place)?;
        if !forbidding(lower).is_empty() {
            let flags = MountFlags::BIND | MountFlags::NOSUID | MountFlags::NODEV | MountFlags::NOEXEC;
            mount_remount(place, flags, c"")?;
        }
        // Where everybody leaves things, each seal would take as long as they are many.
        let is_everybodys = fs::metadata(lower)?.mode() & 0o1002 == 0o1002;
        let next_on_way =
            |below: &PathBuf| Some(below.strip_prefix(place).ok()?.components().next()?.as_os_str().to_owned());
        let on_way: BTreeSet<OsString> = self.opened.keys().chain(&self.needed).filter_map(next_on_way).collect();
        let mut others = 0;
        for entry in fs::read_dir(lower)?.flatten() {
            let name = entry.file_name();
            let is_needed = on_way.contains(&name) || name.to_string_lossy().starts_with(&self.own_names);
            others += usize::from(!is_needed);
            if is_everybodys && !is_needed && others > MOST_OF_OTHERS {
                continue;
            }
            // What cannot be shown is missing there, and nothing else.
            let _ = self.piece(&entry, place);
        }
        // What was made in it has changed its times.
        copy_looks(lower, place)
    }

    fn piece(&mut self, entry: &fs::DirEntry, place: &Path) -> io::Result<()> {
        let (from, at) = (entry.path(), place.join(entry.file_name()));
        let seen = entry.file_type()?;
        if seen.is_symlink() {
            symlink(fs::read_link(&from)?, &at)?;
        } else if seen.is_dir() {
            fs::create_dir(&at)?;
            if !self.opened.contains_key(&at) {
                self.opened.insert(at.clone(), open(&from)?);
            }
            self.inside(&at)?;
        } else if seen.is_file() {
            File::create(&at)?;
            let is_small = entry.metadata().is_ok_and(|seen| seen.len() <= COPIED);
            if is_small && fs::copy(&from, &at).is_ok() {
                copy_looks(&from, &at)?;
            } else {
                mount_bind(&from, &at)?;
            }
        } else {
            special(seen, &at)?;
        }
        Ok(())
    }

    /// A folder in one that is made anew. One that cannot be covered is shown as it is, which is read-only.
    fn inside(&mut self, place: &Path) -> io::Result<()> {
        let lower = by_descriptor(&self.opened[place]);
        copy_looks(&lower, place)?;
        if self.folder(place).is_err() {
            mount_bind_recursive(&lower, place)?;
        }
        Ok(())
    }
}

/// What a layer forbids as well, where the disk under it does: to run programs on it (mount(8), `noexec`).
fn forbidding(lower: &Path) -> MountFlags {
    if unix::forbids_programs(lower) { MountFlags::NOEXEC } else { MountFlags::empty() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_are_covered_from_the_outside_in() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        fs::create_dir_all(at("h/x")).unwrap();
        fs::write(at("file"), "").unwrap();
        symlink(at("h"), at("link")).unwrap();
        let given = vec![at("h/x"), at("link"), at("h"), at("file"), at("none"), "/".into()];
        let real = |name: &str| at(name).canonicalize().unwrap();
        let all = vec![real("h"), real("h/x")];
        for (points, covering) in [(vec![], &all[..1]), (vec![real("h")], &all[..1]), (vec![real("h/x")], &all)] {
            assert_eq!(targets(given.clone(), &points, Rights::Superuser), covering, "{points:?}");
        }
    }
}
