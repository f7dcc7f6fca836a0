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

/// The processes whose parents have ended, so that they are now this one's.
pub(super) fn adopted() -> Vec<Pid> {
    let own = getpid().as_raw_nonzero().get();
    all().into_iter().filter(|process| process.parent == own && !process.is_dead).map(|process| process.pid).collect()
}

/// In a namespace of their own: the names of all but this one, which takes the others along when it ends.
pub(super) fn in_namespace() -> Vec<String> {
    let others = all().into_iter().filter(|process| process.pid != getpid() && !process.is_dead);
    others.map(|process| process.name).collect()
}

/// Ends all children, and what comes to this process when its parent has ended (prctl(2), `PR_SET_CHILD_SUBREAPER`), until
/// none is left; gives their names.
pub(super) fn end_children() -> Vec<String> {
    let mut names = Vec::new();
    loop {
        let own = getpid().as_raw_nonzero().get();
        for child in all().into_iter().filter(|process| process.parent == own && !process.is_dead) {
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
