//! Moving a file or folder, also a folder whose programs run at that moment.

use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use crate::os;

/// Moves a file or folder to a place where nothing is.
///
/// Windows gives no folder another name while a file in it is open, but the file of a running program may get one: the loader
/// opens it with `FILE_SHARE_DELETE` ("`CreateFile`", sharing modes). A folder that is held is so moved file by file; should
/// that fail half way, all goes back to where it was.
pub(super) fn move_whole(from: &Path, to: &Path) -> io::Result<()> {
    match os::retry_while_held(|| fs::rename(from, to)) {
        Err(held) if os::is_held(&held) && from.is_dir() && !to.exists() => {
            tracing::info!(folder = %from.display(), "in use by a running program; moving it file by file");
            move_by_files(from, to, &|from, to| fs::rename(from, to))
        }
        done => done,
    }
}

/// Brings back what a call that was ended half way has moved file by file; says whether there was such a thing.
pub(super) fn bring_back(from: &Path, to: &Path) -> io::Result<bool> {
    let mark = mark(to);
    if !mark.exists() {
        return Ok(false);
    }
    put_back(from, to, &|from, to| fs::rename(from, to))?;
    fs::remove_file(mark)?;
    Ok(true)
}

/// Stands beside a folder while it is filled file by file.
fn mark(to: &Path) -> PathBuf {
    let mut name = OsString::from(".moving-");
    name.push(to.file_name().unwrap_or_default());
    to.with_file_name(name)
}

type Rename<'a> = &'a dyn Fn(&Path, &Path) -> io::Result<()>;

fn move_by_files(from: &Path, to: &Path, rename: Rename<'_>) -> io::Result<()> {
    let mark = mark(to);
    fs::write(&mark, [])?;
    let moved = move_files(from, to, rename).and_then(|()| remove_folders(from));
    if let Err(e) = moved {
        put_back(from, to, rename)?;
        fs::remove_file(mark)?;
        return Err(e);
    }
    fs::remove_file(mark)
}

/// What is in `to` goes to the same places in `from`, where there is still nothing.
fn put_back(from: &Path, to: &Path, rename: Rename<'_>) -> io::Result<()> {
    if !to.exists() {
        return Ok(());
    }
    move_files(to, from, rename)?;
    remove_folders(to)
}

/// Makes the folders of `from` in `to` and moves the files.
fn move_files(from: &Path, to: &Path, rename: Rename<'_>) -> io::Result<()> {
    os::make_folders(to)?;
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        let (here, there) = (entry.path(), to.join(entry.file_name()));
        if entry.file_type()?.is_dir() {
            move_files(&here, &there, rename)?;
        } else if there.symlink_metadata().is_ok() {
            return Err(io::Error::new(io::ErrorKind::AlreadyExists, format!("{} is there", there.display())));
        } else {
            rename(&here, &there)?;
        }
    }
    Ok(())
}

fn remove_folders(folder: &Path) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        remove_folders(&entry?.path())?;
    }
    os::retry_while_held(|| fs::remove_dir(folder))
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    fn tree(root: &Path) -> BTreeMap<PathBuf, Option<Vec<u8>>> {
        let mut found = BTreeMap::new();
        let mut folders = vec![root.to_owned()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
                let path = entry.path();
                if path.is_dir() {
                    folders.push(path.clone());
                }
                found.insert(path.strip_prefix(root).unwrap().to_owned(), fs::read(&path).ok());
            }
        }
        found
    }

    /// A tool, and the place it shall go to.
    fn made(root: &Path) -> (PathBuf, PathBuf, BTreeMap<PathBuf, Option<Vec<u8>>>) {
        let from = root.join("stock/tide");
        for file in ["bin/tide.exe", "lib/a/b.dll", "empty/x"] {
            let file = from.join(file);
            fs::create_dir_all(file.parent().unwrap()).unwrap();
            fs::write(&file, file.as_os_str().as_encoded_bytes()).unwrap();
        }
        fs::remove_file(from.join("empty/x")).unwrap();
        fs::create_dir(root.join("retired")).unwrap();
        let all = tree(&from);
        (from, root.join("retired/tide"), all)
    }

    #[test]
    fn a_held_folder_goes_file_by_file_whole_or_not_at_all() {
        // The file at which the system refuses, by its place among those that are moved; none.
        for refused in [None, Some(0), Some(1)] {
            let root = tempfile::tempdir().unwrap();
            let (from, to, all) = made(root.path());
            let count = std::cell::Cell::new(0);
            let done = move_by_files(&from, &to, &|from, to| {
                count.set(count.get() + 1);
                match refused == Some(count.get() - 1) {
                    true => Err(io::ErrorKind::PermissionDenied.into()),
                    false => fs::rename(from, to),
                }
            });
            assert_eq!(done.is_ok(), refused.is_none());
            let (full, gone) = if refused.is_none() { (&to, &from) } else { (&from, &to) };
            assert_eq!(tree(full), all);
            assert!(!gone.exists());
            assert_eq!(fs::read_dir(root.path().join("retired")).unwrap().count(), usize::from(refused.is_none()));
        }
    }

    #[test]
    fn what_was_cut_short_comes_back() {
        let root = tempfile::tempdir().unwrap();
        let (from, to, all) = made(root.path());
        assert!(!bring_back(&from, &to).unwrap(), "nothing was begun");
        fs::write(mark(&to), []).unwrap();
        fs::create_dir_all(to.join("bin")).unwrap();
        fs::rename(from.join("bin/tide.exe"), to.join("bin/tide.exe")).unwrap();
        fs::remove_dir(from.join("bin")).unwrap();
        assert!(bring_back(&from, &to).unwrap());
        assert_eq!(tree(&from), all);
        assert_eq!(fs::read_dir(root.path().join("retired")).unwrap().count(), 0);
    }
}
