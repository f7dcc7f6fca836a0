//! The lookup rules of Unix: shells, and a program that starts another.

use std::borrow::Cow;
use std::ffi::{OsStr, OsString};
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
    let mut won = false;
    let mut found = Vec::new();
    let mut look = |folder: &Path, name: &str, entry: Option<(&OsStr, usize)>| {
        let folder = from(&context.current_folder, folder);
        let reason = match view.look_in(&folder, name) {
            FileKind::Missing => return,
            FileKind::Program | FileKind::AppAlias => None,
            FileKind::File => Some(Reason::NotExecutable),
            FileKind::Folder => Some(Reason::IsAFolder),
            FileKind::BrokenLink => Some(Reason::BrokenLink),
            FileKind::Unreadable => Some(Reason::Unreadable),
        };
        let standing = Standing::next(reason, &mut won);
        let (path, entry) = (folder.join(name), entry.map(|(raw, index)| (raw.to_owned(), index)));
        found.push(Candidate { path, entry, standing, reason, app_alias: false });
    };
    if name.contains('/') {
        let path = from(&context.current_folder, Path::new(name));
        if let (Some(folder), Some(last)) = (path.parent(), path.file_name().and_then(OsStr::to_str)) {
            look(folder, last, None);
        }
        return found;
    }
    let home = context.home.as_deref().filter(|_| caller == Caller::Shell(Shell::Bash));
    for entry in PathList::parse(&context.path).entries() {
        let of_home = home.and_then(|home| in_home(&entry.raw, home));
        look(of_home.as_deref().unwrap_or(Path::new(&entry.raw)), name, Some((&entry.raw, entry.index)));
    }
    if context.path.is_empty() && takes_empty_path_for_current_folder(caller) {
        look(Path::new(""), name, Some((OsStr::new(""), 0)));
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

fn from<'a>(current_folder: &Path, folder: &'a Path) -> Cow<'a, Path> {
    match folder.is_absolute() {
        true => Cow::Borrowed(folder),
        false => Cow::Owned(current_folder.join(folder).components().collect()),
    }
}
