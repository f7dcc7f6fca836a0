//! What a sealed program may reach beyond what is covered: files by Landlock (landlock(7)), other calls by a filter.

use std::io::{self, IsTerminal as _};
use std::os::fd::AsFd;
use std::path::{Path, PathBuf};

use landlock::{
    ABI, Access as _, AccessFs, BitFlags, CompatLevel, Compatible as _, PathBeneath, PathFd, Ruleset, RulesetAttr as _,
    RulesetCreated, RulesetCreatedAttr as _, RulesetStatus, Scope,
};

use super::calls;
use super::capabilities::{READING, keep_only};
use super::level::SealLevel;
use super::refused::{Refused, Step as _};
use super::request::SealRequest;
use crate::os::unix;

type Anything = Box<dyn std::error::Error + Send + Sync>;

const DEVICES: [&str; 5] = ["/dev/null", "/dev/zero", "/dev/full", "/dev/tty", "/dev/ptmx"];

const LEAST: ABI = ABI::V3;

/// From this version on Landlock keeps signals and abstract sockets to those who share a domain.
const SCOPES: i64 = 6;

/// The version of Landlock in this kernel; 0 where there is none (landlock_create_ruleset(2)).
#[allow(unsafe_code)]
fn version() -> i64 {
    const ASK_VERSION: u32 = 1;
    // SAFETY: with this flag the call takes nothing and makes nothing.
    let version = unsafe {
        libc::syscall(libc::SYS_landlock_create_ruleset, std::ptr::null::<libc::c_void>(), 0usize, ASK_VERSION)
    };
    version.max(0)
}

/// Whether a program can be kept from signalling those outside that it sees.
pub(super) fn has_signal_scope() -> bool {
    version() >= SCOPES
}

/// Takes from this process, and all it starts, what is not its own: `covered` are the folders whose layers are thrown away.
pub(super) fn restrict(request: &SealRequest, covered: &[PathBuf]) -> Result<(), Refused> {
    if request.level == SealLevel::NoWrites {
        if unix::is_superuser() {
            // Landlock leaves the rest to those who have it.
            keep_only(READING).step("capabilities")?;
        }
        nothing_written().map_err(io::Error::other).step("landlock")?;
    } else {
        only_covered(covered, request.level).map_err(io::Error::other).step("landlock")?;
    }
    calls::restrict(request.level, request.network).step("seccomp")
}

/// Nothing is written but to devices that keep nothing, and to the terminal that it has.
fn nothing_written() -> Result<(), Anything> {
    let devices: BitFlags<AccessFs> = AccessFs::WriteFile | AccessFs::Truncate;
    let ruleset = Ruleset::default()
        .set_compatibility(CompatLevel::HardRequirement)
        .handle_access(AccessFs::from_write(LEAST))?
        .set_compatibility(CompatLevel::BestEffort)
        .scope(Scope::from_all(ABI::V6))?;
    let mut created = ruleset.create()?.no_new_privs(true);
    for device in DEVICES.iter().map(Path::new).filter(|device| device.exists()) {
        created = created.add_rule(PathBeneath::new(PathFd::new(device)?, devices))?;
    }
    let status = with_terminal(created)?.restrict_self()?;
    if status.ruleset == RulesetStatus::NotEnforced { Err("not enforced".into()) } else { Ok(()) }
}

/// Read-only mounts keep nobody from pipes and devices on them: only what lies in a layer, or was made for the seal, is opened for
/// writing. Where the kernel has no Landlock that is left.
fn only_covered(covered: &[PathBuf], level: SealLevel) -> Result<(), Anything> {
    let mut scopes = BitFlags::from(Scope::AbstractUnixSocket);
    if level == SealLevel::SharedProcesses {
        scopes |= Scope::Signal;
    }
    let writing = AccessFs::WriteFile;
    // Whoever handles nothing of it forbids to rename from folder to folder.
    let renaming = AccessFs::Refer;
    let ruleset = Ruleset::default()
        .set_compatibility(CompatLevel::BestEffort)
        .handle_access(writing | renaming)?
        .scope(scopes)?;
    let mut created = ruleset.create()?.no_new_privs(true);
    created = created.add_rule(PathBeneath::new(PathFd::new("/")?, renaming))?;
    for place in covered.iter().map(PathBuf::as_path).chain([Path::new("/dev"), Path::new("/proc")]) {
        created = created.add_rule(PathBeneath::new(PathFd::new(place)?, writing))?;
    }
    with_terminal(created)?.restrict_self()?;
    Ok(())
}

/// The terminal at which it sits was opened outside, and is opened again by its descriptor.
fn with_terminal(mut created: RulesetCreated) -> Result<RulesetCreated, Anything> {
    for stream in [io::stdin().as_fd(), io::stdout().as_fd(), io::stderr().as_fd()] {
        if stream.is_terminal() {
            created = created.add_rule(PathBeneath::new(stream, AccessFs::WriteFile))?;
        }
    }
    Ok(created)
}
