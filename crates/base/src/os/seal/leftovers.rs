//! The processes that are still there when a program has ended, and their end.

use std::fs;

use rustix::process::{Pid, Signal, WaitOptions, getpid, kill_process, wait};

/// What `/proc` says of a process (proc_pid_stat(5)).
struct Process {
    pid: Pid,
    parent: i32,
    name: String,
    is_dead: bool,
}

fn all() -> Vec<Process> {
    let entries = fs::read_dir("/proc").into_iter().flatten().flatten();
    let look = |entry: fs::DirEntry| {
        let pid = Pid::from_raw(entry.file_name().to_str()?.parse().ok()?)?;
        let stat = String::from_utf8_lossy(&fs::read(entry.path().join("stat")).ok()?).into_owned();
        // The name stands in parentheses, and may hold some itself.
        let (begin, end) = (stat.find('(')?, stat.rfind(')')?);
        let mut fields = stat[end + 1..].split_whitespace();
        let state = fields.next()?;
        let parent = fields.next()?.parse().ok()?;
        let name = stat[begin + 1..end].replace(['\t', '\n'], " ");
        Some(Process { pid, parent, name, is_dead: matches!(state, "Z" | "X") })
    };
    entries.filter_map(look).collect()
}

/// This process as `/proc` counts, which may count for another namespace (proc(5), "/proc/self").
fn own_number() -> i32 {
    let link = fs::read_link("/proc/self").ok();
    let number = link.and_then(|link| link.to_str()?.parse().ok());
    number.unwrap_or_else(|| getpid().as_raw_nonzero().get())
}

fn children() -> Vec<Process> {
    let own = own_number();
    all().into_iter().filter(|process| process.parent == own && !process.is_dead).collect()
}

/// Whether there are processes whose parents have ended, so that they are now this one's. The program itself is one until it is
/// over.
pub(super) fn adopted(is_over: bool) -> bool {
    children().len() > usize::from(!is_over)
}

/// Ends all that is left, and gives the names. What this process does not end itself ends with it, where it is the first of a
/// namespace (pid_namespaces(7)); else what comes to it when its parent has ended is its own
/// (prctl(2), `PR_SET_CHILD_SUBREAPER`).
pub(super) fn end() -> Vec<String> {
    if getpid().is_init() {
        return descendants();
    }
    let mut names = Vec::new();
    loop {
        for child in children() {
            if kill_process(child.pid, Signal::KILL).is_ok() {
                names.push(child.name);
            }
        }
        // Errors mean that no child is left.
        match wait(WaitOptions::NOHANG) {
            Ok(Some(_)) => {}
            Ok(None) => std::thread::sleep(std::time::Duration::from_millis(1)),
            Err(_) => return names,
        }
    }
}

fn descendants() -> Vec<String> {
    let (all, mut known) = (all(), vec![own_number()]);
    let mut at = 0;
    while let Some(parent) = known.get(at).copied() {
        known.extend(
            all.iter().filter(|process| process.parent == parent).map(|process| process.pid.as_raw_nonzero().get()),
        );
        at += 1;
    }
    let left =
        all.into_iter().filter(|process| !process.is_dead && known[1..].contains(&process.pid.as_raw_nonzero().get()));
    left.map(|process| process.name).collect()
}
