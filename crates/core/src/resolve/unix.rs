//! The lookup rules of Unix: shells, and a program that starts another.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use super::caller::{Caller, Shell};
use super::candidate::{Candidate, Reason, Standing};
use super::context::LookupContext;
use super::view::{FileKind, FileView};
use crate::path_list::PathList;

/// Lists the files that a name could mean, in order.
///
/// Rules: POSIX.1-2017, "Shell Command Language" 2.9.1.1 and "Environment Variables", PATH; execvp(3). A name with a
/// slash is a path and not searched for. What is not an executable regular file is passed over.
pub(super) fn candidates(caller: Caller, name: &str, context: &LookupContext, view: &dyn FileView) -> Vec<Candidate> {
    let places: Vec<(PathBuf, Option<(OsString, usize)>)> = if name.contains('/') {
        vec![(PathBuf::from(name), None)]
    } else {
        let list = PathList::parse(&context.path);
        let home = context.home.as_deref().filter(|_| caller == Caller::Shell(Shell::Bash));
        let folder = |raw: &OsString| home.and_then(|home| in_home(raw, home)).unwrap_or_else(|| PathBuf::from(raw));
        let mut places: Vec<_> =
            list.entries().map(|e| (folder(&e.raw).join(name), Some((e.raw.clone(), e.index)))).collect();
        if context.path.is_empty() && takes_empty_path_for_current_folder(caller) {
            places.push((PathBuf::from(name), Some((OsString::new(), 0))));
        }
        places
    };
    let mut won = false;
    let mut found = Vec::new();
    for (path, entry) in places {
        let path = from(&context.current_folder, &path);
        let reason = match view.look(&path) {
            FileKind::Missing => continue,
            FileKind::Program | FileKind::AppAlias => None,
            FileKind::File => Some(Reason::NotExecutable),
            FileKind::Folder => Some(Reason::IsAFolder),
            FileKind::BrokenLink => Some(Reason::BrokenLink),
            FileKind::Unreadable => Some(Reason::Unreadable),
        };
        let standing = Standing::next(reason, &mut won);
        found.push(Candidate { path, entry, standing, reason, app_alias: false });
    }
    found
}

/// Whether a PATH that is set to nothing means one empty entry to a caller.
fn takes_empty_path_for_current_folder(caller: Caller) -> bool {
    !matches!(caller, Caller::Shell(Shell::Ksh) | Caller::Shell(Shell::Fish))
}

/// An entry that begins with `~`, as bash reads it, quoted or not, whenever it looks a command up (bash(1), "Tilde
/// Expansion"; judged by running it).
fn in_home(raw: &OsString, home: &Path) -> Option<PathBuf> {
    let rest = Path::new(raw).strip_prefix("~").ok()?;
    Some(home.join(rest))
}

/// A relative path as the current folder makes it.
fn from(current_folder: &Path, path: &Path) -> PathBuf {
    if path.is_absolute() { path.to_owned() } else { current_folder.join(path).components().collect() }
}
