//! The level at which nothing can be written: Landlock (landlock(7)) for files, and a filter of system calls (seccomp(2)) for
//! what Landlock does not cover.

use std::io;
use std::path::Path;

use landlock::{
    ABI, Access as _, AccessFs, BitFlags, CompatLevel, Compatible as _, PathBeneath, PathFd, Ruleset, RulesetAttr as _,
    RulesetCreatedAttr as _, RulesetStatus, Scope,
};
use seccompiler::{SeccompAction, SeccompFilter, TargetArch};

use super::capabilities::{READING, keep_only};
use super::refused::{Refused, Step as _};
use crate::os::unix;

const DEVICES: [&str; 6] = ["/dev/null", "/dev/zero", "/dev/full", "/dev/tty", "/dev/ptmx", "/dev/pts"];

const LEAST: ABI = ABI::V3;

/// fchmodat2(2), which libc does not name for every processor; from 424 on a number means the same on all of them
/// (Linux, "Adding a New System Call").
const FCHMODAT2: i64 = 452;

/// Metadata calls that Landlock does not cover; they are faked as successful.
const PRETENDED: &[i64] = &[
    libc::SYS_fchmod,
    libc::SYS_fchmodat,
    FCHMODAT2,
    libc::SYS_fchown,
    libc::SYS_fchownat,
    libc::SYS_utimensat,
    libc::SYS_setxattr,
    libc::SYS_lsetxattr,
    libc::SYS_fsetxattr,
    libc::SYS_removexattr,
    libc::SYS_lremovexattr,
    libc::SYS_fremovexattr,
    #[cfg(target_arch = "x86_64")]
    libc::SYS_chmod,
    #[cfg(target_arch = "x86_64")]
    libc::SYS_chown,
    #[cfg(target_arch = "x86_64")]
    libc::SYS_lchown,
    #[cfg(target_arch = "x86_64")]
    libc::SYS_utime,
    #[cfg(target_arch = "x86_64")]
    libc::SYS_utimes,
    #[cfg(target_arch = "x86_64")]
    libc::SYS_futimesat,
];

/// Takes from this process, and all it starts, the means to write.
pub(super) fn restrict() -> Result<(), Refused> {
    if unix::is_superuser() {
        // Landlock leaves the rest to those who have it.
        keep_only(READING).step("capabilities")?;
    }
    files().map_err(io::Error::other).step("landlock")?;
    calls().map_err(io::Error::other).step("seccomp")
}

fn files() -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
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
    let status = created.restrict_self()?;
    if status.ruleset == RulesetStatus::NotEnforced { Err("not enforced".into()) } else { Ok(()) }
}

fn calls() -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    let filters = [(PRETENDED, SeccompAction::Errno(0)), (&[libc::SYS_io_uring_setup][..], SeccompAction::Errno(38))];
    for (calls, action) in filters {
        let rules = calls.iter().map(|call| (*call, Vec::new())).collect();
        let arch = TargetArch::try_from(std::env::consts::ARCH)?;
        let filter = SeccompFilter::new(rules, SeccompAction::Allow, action, arch)?;
        let program: seccompiler::BpfProgram = filter.try_into()?;
        seccompiler::apply_filter(&program)?;
    }
    Ok(())
}
