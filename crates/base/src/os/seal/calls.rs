//! System calls that a seal answers itself (seccomp(2)).
//!
//! The filter is made here since one seal runs programs of two architectures, as a 64-bit system does, and since a call that is
//! newer than this list must not come through.
#![allow(unsafe_code)]

use std::io;

use libc::{BPF_ABS, BPF_ALU, BPF_AND, BPF_JA, BPF_JEQ, BPF_JGT, BPF_JMP, BPF_K, BPF_LD, BPF_RET, BPF_W, sock_filter};

use super::level::SealLevel;
use super::request::Network;

/// Where a filter finds the number of the call and the architecture (seccomp(2), `struct seccomp_data`).
const NUMBER: u32 = 0;
const ARCHITECTURE: u32 = 4;

/// The newest call that is known here, `file_setattr` of Linux 6.17. From 403 on a number means the same on all architectures
/// (Linux, "Adding a New System Call").
const NEWEST: u32 = 469;

const FCHMODAT2: i64 = 452;
const SETXATTRAT: i64 = 463;
const REMOVEXATTRAT: i64 = 466;
const FILE_SETATTR: i64 = 469;

/// Which values of an argument a rule is about.
enum When {
    Always,
    /// The argument of this number is none of these, as far as the mask shows.
    IsNot(u32, u32, &'static [u32]),
    Is(u32, u32),
}

struct Rule {
    call: u32,
    when: When,
    /// The error that the call ends with; 0 pretends success.
    errno: i32,
}

/// What changes the looks of a file, which Landlock does not cover.
const LOOKS: &[i64] = &[
    libc::SYS_fchmod,
    libc::SYS_fchmodat,
    FCHMODAT2,
    libc::SYS_fchown,
    libc::SYS_fchownat,
    libc::SYS_utimensat,
    libc::SYS_setxattr,
    libc::SYS_lsetxattr,
    libc::SYS_fsetxattr,
    SETXATTRAT,
    libc::SYS_removexattr,
    libc::SYS_lremovexattr,
    libc::SYS_fremovexattr,
    REMOVEXATTRAT,
    FILE_SETATTR,
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

/// Keys outlive who made them (keyrings(7)), and a ring (io_uring(7)) does what other calls do, past any filter.
const ALWAYS_UNKNOWN: [i64; 4] = [libc::SYS_add_key, libc::SYS_request_key, libc::SYS_keyctl, libc::SYS_io_uring_setup];

/// Memory, semaphores and messages that outlive who made them (sysvipc(7), mq_overview(7)), which namespaces keep apart elsewhere.
const LASTING: [i64; 13] = [
    libc::SYS_shmget,
    libc::SYS_shmat,
    libc::SYS_shmctl,
    libc::SYS_msgget,
    libc::SYS_msgsnd,
    libc::SYS_msgrcv,
    libc::SYS_msgctl,
    libc::SYS_semget,
    libc::SYS_semop,
    libc::SYS_semtimedop,
    libc::SYS_semctl,
    libc::SYS_mq_open,
    libc::SYS_mq_unlink,
];

/// Families that a network namespace keeps apart, those with names in the file system not among them (socket(2)).
const APART: &[u32] = &[libc::AF_INET as u32, libc::AF_INET6 as u32, libc::AF_NETLINK as u32];

/// Operations of terminals and sockets (ioctl_list(2)): the second byte says whose they are. What file systems offer changes files
/// without a right to write.
const DEVICE_KIND: u32 = 0xff00;
const OF_TERMINALS_AND_SOCKETS: &[u32] = &[0x5400, 0x8900];

const MYSELF: &[u32] = &[0];

fn rules(level: SealLevel, network: Network) -> Vec<Rule> {
    let rule = |call: i64, when, errno| Rule { call: u32::try_from(call).unwrap_or(u32::MAX), when, errno };
    let always = |calls: &[i64], errno| calls.iter().map(|call| rule(*call, When::Always, errno)).collect::<Vec<_>>();
    let mut rules = always(&ALWAYS_UNKNOWN, libc::ENOSYS);
    if level != SealLevel::Full {
        rules.push(rule(libc::SYS_prlimit64, When::IsNot(0, u32::MAX, MYSELF), libc::EPERM));
        rules.push(rule(libc::SYS_setpriority, When::IsNot(1, u32::MAX, MYSELF), libc::EPERM));
    }
    if level == SealLevel::NoWrites {
        rules.extend(always(LOOKS, 0));
        rules.extend(always(&LASTING, libc::ENOSYS));
        rules.push(rule(libc::SYS_ioctl, When::IsNot(1, DEVICE_KIND, OF_TERMINALS_AND_SOCKETS), libc::ENOTTY));
    }
    if network == Network::Closed {
        let when = if level == SealLevel::NoWrites { When::Always } else { When::IsNot(0, u32::MAX, APART) };
        rules.push(rule(libc::SYS_socket, when, libc::EACCES));
    }
    rules
}

/// The same for programs of the other architecture that this processor runs.
fn rules_of_other(network: Network) -> Vec<Rule> {
    let unknown = OTHER_KEYS.iter().map(|call| Rule { call: *call, when: When::Always, errno: libc::ENOSYS });
    let mut rules: Vec<Rule> = unknown.collect();
    if network == Network::Closed {
        rules.push(Rule { call: OTHER_SOCKET, when: When::IsNot(0, u32::MAX, APART), errno: libc::EACCES });
        // One call for all of them, whose arguments no filter can see (socketcall(2)).
        #[cfg(target_arch = "x86_64")]
        rules.push(Rule { call: 102, when: When::Is(0, 1), errno: libc::EACCES });
    }
    rules
}

/// Architectures as the kernel numbers them (Linux, "include/uapi/linux/audit.h"): ours, and the 32-bit one of the same processor;
/// and the latter's numbers of `add_key`, `request_key`, `keyctl`, `io_uring_setup`, and `socket`.
#[cfg(target_arch = "x86_64")]
const ARCHITECTURES: [u32; 2] = [0xc000_003e, 0x4000_0003];
#[cfg(target_arch = "x86_64")]
const OTHER_KEYS: [u32; 4] = [286, 287, 288, 425];
#[cfg(target_arch = "x86_64")]
const OTHER_SOCKET: u32 = 359;
#[cfg(target_arch = "aarch64")]
const ARCHITECTURES: [u32; 2] = [0xc000_00b7, 0x4000_0028];
#[cfg(target_arch = "aarch64")]
const OTHER_KEYS: [u32; 4] = [309, 310, 311, 425];
#[cfg(target_arch = "aarch64")]
const OTHER_SOCKET: u32 = 281;

fn instruction(code: u32, value: u32) -> sock_filter {
    jump(code, value, 0, 0)
}

fn jump(code: u32, value: u32, jt: u8, jf: u8) -> sock_filter {
    sock_filter { code: u16::try_from(code).unwrap_or(u16::MAX), jt, jf, k: value }
}

fn load(offset: u32) -> sock_filter {
    instruction(BPF_LD | BPF_W | BPF_ABS, offset)
}

/// Ends the call with an error, or with success that is none.
fn refuse(errno: i32) -> sock_filter {
    instruction(BPF_RET | BPF_K, libc::SECCOMP_RET_ERRNO | errno.unsigned_abs())
}

fn equals(value: u32, jt: u8, jf: u8) -> sock_filter {
    jump(BPF_JMP | BPF_JEQ | BPF_K, value, jt, jf)
}

/// The lower half of an argument: each has eight bytes.
fn argument(number: u32) -> sock_filter {
    load(16 + 8 * number)
}

/// The instructions of a rule, from and to a state in which the call's number is loaded.
fn compiled(rule: &Rule) -> Vec<sock_filter> {
    let mut body = match &rule.when {
        When::Always => Vec::new(),
        When::Is(number, value) => vec![argument(*number), equals(*value, 0, 1)],
        When::IsNot(number, mask, values) => {
            let mut body = vec![argument(*number), instruction(BPF_ALU | BPF_AND | BPF_K, *mask)];
            let left = (1..=u8::try_from(values.len()).unwrap_or(u8::MAX)).rev();
            body.extend(values.iter().zip(left).map(|(value, left)| equals(*value, left, 0)));
            body
        }
    };
    body.push(refuse(rule.errno));
    if !matches!(rule.when, When::Always) {
        body.push(load(NUMBER));
    }
    let length = u8::try_from(body.len()).unwrap_or(u8::MAX);
    body.insert(0, equals(rule.call, 0, length));
    body
}

fn of_architecture(rules: &[Rule]) -> Vec<sock_filter> {
    let mut program = vec![load(NUMBER), jump(BPF_JMP | BPF_JGT | BPF_K, NEWEST, 0, 1), refuse(libc::ENOSYS)];
    program.extend(rules.iter().flat_map(compiled));
    program.push(instruction(BPF_RET | BPF_K, libc::SECCOMP_RET_ALLOW));
    program
}

fn program(level: SealLevel, network: Network) -> Vec<sock_filter> {
    let other = match level {
        // What has no rules can do nothing.
        SealLevel::NoWrites => vec![refuse(libc::ENOSYS)],
        _ => of_architecture(&rules_of_other(network)),
    };
    let mut program = vec![load(ARCHITECTURE)];
    for (architecture, block) in ARCHITECTURES.into_iter().zip([of_architecture(&rules(level, network)), other]) {
        program.push(equals(architecture, 1, 0));
        program.push(instruction(BPF_JMP | BPF_JA, u32::try_from(block.len()).unwrap_or(u32::MAX)));
        program.extend(block);
    }
    program.push(refuse(libc::ENOSYS));
    program
}

/// Has this process, and all it starts, make its calls through the filter.
pub(super) fn restrict(level: SealLevel, network: Network) -> io::Result<()> {
    let mut program = program(level, network);
    let filter = libc::sock_fprog {
        len: u16::try_from(program.len()).map_err(|_| io::Error::from(io::ErrorKind::InvalidInput))?,
        filter: program.as_mut_ptr(),
    };
    // SAFETY: the filter and its program outlive the call, which copies them.
    let done = unsafe { libc::syscall(libc::SYS_seccomp, libc::SECCOMP_SET_MODE_FILTER, 0, &raw const filter) };
    if done == 0 { Ok(()) } else { Err(io::Error::last_os_error()) }
}
