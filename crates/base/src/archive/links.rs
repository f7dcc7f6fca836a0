//! Where the symbolic links of an archive lead, worked out before any of them is made.

use std::collections::HashMap;
use std::ffi::OsString;
use std::fs;
use std::path::{Component, Path, PathBuf};

use super::error::ArchiveError;
use super::left_out::LeftOut;
use super::listing::{Entry, EntryKind, Listing};
use crate::error::FileContext as _;
use crate::os;

/// How many links may be followed for one target, as on Linux (path_resolution(7)).
const MOST_STEPS: usize = 40;

/// The entries that lie behind a link, and the links that lead out of `root` (a folder of the archive, empty for the
/// whole), directly or by way of other links: each by its index, with the reason.
pub(super) fn faults(listing: &Listing, root: &Path) -> Vec<(usize, ArchiveError)> {
    let links = links_of(listing);
    if links.is_empty() {
        return Vec::new();
    }
    let fault = |entry: &Entry| {
        let parents = entry.path.as_path().ancestors().skip(1);
        if let Some(link) = parents.filter(|p| links.contains_key(p)).last() {
            let (entry, link) = (entry.path.display(), link.to_string_lossy().into_owned());
            return Some(ArchiveError::ThroughLink { entry, link });
        }
        let EntryKind::Link(target) = &entry.kind else { return None };
        let inside = entry.path.as_path().starts_with(root);
        (inside && destination(&links, root, entry.path.as_path()).is_none()).then(|| ArchiveError::LinkOutside {
            entry: entry.path.display(),
            target: target.to_string_lossy().into_owned(),
        })
    };
    listing.entries.iter().enumerate().filter_map(|(index, entry)| Some((index, fault(entry)?))).collect()
}

/// The member a link ends at, all links on the way followed; `None` when the way leads out of `root` or never ends.
fn destination(links: &HashMap<&Path, PathBuf>, root: &Path, link: &Path) -> Option<PathBuf> {
    let mut place = link.parent()?.to_owned();
    let mut ahead: Vec<OsString> = Vec::new();
    let mut steps = 0;
    queue(&mut ahead, &links[link])?;
    while let Some(part) = ahead.pop() {
        if part == ".." {
            if place == root || !place.pop() {
                return None;
            }
            continue;
        }
        place.push(&part);
        if let Some(target) = links.get(place.as_path()) {
            steps += 1;
            if steps > MOST_STEPS {
                return None;
            }
            place.pop();
            queue(&mut ahead, target)?;
        }
    }
    Some(place)
}

/// Puts the components of a target on the way ahead, first on top; `None` when it is absolute.
fn queue(ahead: &mut Vec<OsString>, target: &Path) -> Option<()> {
    for component in target.components().rev() {
        match component {
            Component::Normal(part) => ahead.push(part.to_owned()),
            Component::ParentDir => ahead.push("..".into()),
            Component::CurDir => {}
            Component::RootDir | Component::Prefix(_) => return None,
        }
    }
    Some(())
}

/// Puts a copy of what a link ends at in the link's place under `root`; `false` where it leads to nothing.
pub(super) fn copy(listing: &Listing, link: &Entry, root: &Path) -> Result<bool, ArchiveError> {
    let links = links_of(listing);
    let Some(end) = destination(&links, Path::new(""), link.path.as_path()) else { return Ok(false) };
    let from = root.join(&end);
    if from.is_file() {
        let place = link.path.under(root);
        fs::copy(&from, &place).at("copy", &from)?;
        return Ok(true);
    }
    copy_folder(listing, &links, &end, &link.path.under(root), root, &mut vec![end.clone()])
        .map_err(|error| error.unwrap_or_else(|| ArchiveError::Endless { entry: link.path.display() }))
}

/// Copies what the listing has below `from` to `place`. `None` as the error means that a folder holds itself.
fn copy_folder(
    listing: &Listing,
    links: &HashMap<&Path, PathBuf>,
    from: &Path,
    place: &Path,
    root: &Path,
    above: &mut Vec<PathBuf>,
) -> Result<bool, Option<ArchiveError>> {
    let mut any = false;
    for entry in &listing.entries {
        let Ok(below) = entry.path.as_path().strip_prefix(from) else { continue };
        let target = place.join(below);
        let end = match entry.kind {
            EntryKind::Link(_) => destination(links, Path::new(""), entry.path.as_path()),
            EntryKind::File | EntryKind::Folder => Some(entry.path.as_path().to_owned()),
        };
        any = true;
        let Some(end) = end else { continue };
        let source = root.join(&end);
        let made = if entry.kind == EntryKind::Folder {
            os::make_folders(&target).at("make the folder", &target)
        } else if source.is_file() {
            target
                .parent()
                .map_or(Ok(()), os::make_folders)
                .at("make the folder", &target)
                .and_then(|()| fs::copy(&source, &target).map(|_| ()).at("copy", &source))
        } else {
            // A folder that lies above the place it is to be copied to would be copied into itself.
            if above.iter().any(|open| open.starts_with(&end)) || above.len() > MOST_STEPS {
                return Err(None);
            }
            above.push(end.clone());
            copy_folder(listing, links, &end, &target, root, above)?;
            above.pop();
            Ok(())
        };
        made.map_err(|e| Some(e.into()))?;
    }
    Ok(any)
}

impl Listing {
    /// Takes out the links that lead out of `wrapper` and what lies behind links, also from under `root` where it was
    /// unpacked, and notes what was left out.
    pub fn leave_out_links(&mut self, wrapper: &Path, root: Option<&Path>) -> Result<(), ArchiveError> {
        for (index, fault) in faults(self, wrapper).into_iter().rev() {
            let entry = self.entries.remove(index);
            if let (EntryKind::File, Some(root)) = (&entry.kind, root) {
                let place = entry.path.under(root);
                fs::remove_file(&place).at("remove", &place)?;
            }
            self.left_out.push(LeftOut { entry: entry.path.display(), reason: fault.to_string() });
        }
        // The folders that were made for what lay behind a link stand in the link's place.
        let links = self.entries.iter().filter(|e| matches!(e.kind, EntryKind::Link(_)));
        for place in links.filter_map(|link| Some(link.path.under(root?))).filter(|place| place.is_dir()) {
            fs::remove_dir_all(&place).at("remove", &place)?;
        }
        Ok(())
    }

    /// For each link, by its path, the entry it ends at, where that is one of the listing's.
    pub fn link_ends(&self) -> HashMap<&Path, &Entry> {
        let links = links_of(self);
        if links.is_empty() {
            return HashMap::new();
        }
        let entries: HashMap<&Path, &Entry> = self.entries.iter().map(|e| (e.path.as_path(), e)).collect();
        let end = |link: &Path| entries.get(destination(&links, Path::new(""), link)?.as_path()).copied();
        links.keys().filter_map(|link| Some((*link, end(link)?))).collect()
    }
}

fn links_of(listing: &Listing) -> HashMap<&Path, PathBuf> {
    let link = |e: &'_ Entry| match &e.kind {
        EntryKind::Link(target) => Some(PathBuf::from(target)),
        EntryKind::File | EntryKind::Folder => None,
    };
    listing.entries.iter().filter_map(|e| Some((e.path.as_path(), link(e)?))).collect()
}

#[cfg(test)]
mod tests {
    use super::super::MemberPath;
    use super::*;

    fn listing(entries: &[(&str, Option<&str>)]) -> Listing {
        let entries = entries
            .iter()
            .map(|(path, target)| Entry {
                path: MemberPath::new(path.as_bytes()).unwrap().unwrap(),
                kind: target.map_or(EntryKind::File, |t| EntryKind::Link(t.into())),
                bytes: 0,
                mode: None,
                needs: None,
                program: None,
            })
            .collect();
        Listing { entries, without_modes: false, left_out: Vec::new() }
    }

    #[test]
    fn links_may_lead_anywhere_inside_and_nowhere_else() {
        type Case<'a> = (&'a [(&'a str, Option<&'a str>)], &'a str, bool);
        let cases: [Case; 12] = [
            (&[("bin/a", Some("../lib/a")), ("lib/a", None)], "", true),
            (&[("a", Some("nowhere"))], "", true),
            (&[("a", Some("/etc/passwd"))], "", false),
            (&[("a", Some("../x"))], "", false),
            (&[("d/a", Some("../../x"))], "", false),
            (&[("a", Some("b")), ("b", Some("a"))], "", false),
            // `p` is the root seen from deep inside, so `p/..` is outside although the text does not look it.
            (&[("a/b/p", Some("../..")), ("q", Some("a/b/p/../x"))], "", false),
            (&[("a/b/p", Some("../..")), ("q", Some("a/b/p/x"))], "", true),
            (&[("d", Some("e")), ("d/f", None)], "", false),
            (&[("d", Some(".")), ("e", Some("d/d/d"))], "", true),
            // Inside the archive, but out of the wrapper that will become the home.
            (&[("w/a", Some("../w/b")), ("w/b", None)], "w", false),
            (&[("w/a", Some("b")), ("w/b", None)], "w", true),
        ];
        for (entries, root, fine) in cases {
            assert_eq!(faults(&listing(entries), Path::new(root)).is_empty(), fine, "{entries:?}");
        }
    }

    #[test]
    fn a_link_becomes_a_copy_where_none_can_be_made() {
        let made = listing(&[
            ("w/lib/t", None),
            ("w/bin/t", Some("../lib/t")),
            ("w/u", Some("bin/t")),
            ("w/all", Some("lib")),
            ("w/lib/again", Some("../all/t")),
            ("w/none", Some("nowhere")),
            ("w/lib/up", Some("..")),
        ]);
        let copied = |name: &str| {
            let folder = tempfile::tempdir().unwrap();
            for below in ["w/lib", "w/bin"] {
                fs::create_dir_all(folder.path().join(below)).unwrap();
            }
            fs::write(folder.path().join("w/lib/t"), "tide").unwrap();
            let entries =
                made.entries.iter().filter(|e| e.path.as_path() != Path::new("w/lib/up") || name == "w/lib/up");
            let listing = Listing { entries: entries.cloned().collect(), without_modes: false, left_out: Vec::new() };
            let link = listing.entries.iter().find(|e| e.path.as_path() == Path::new(name)).unwrap();
            let result = copy(&listing, link, folder.path()).map_err(|e| e.to_string());
            let read = |below: &str| fs::read_to_string(folder.path().join(name).join(below)).ok();
            (result, fs::read_to_string(folder.path().join(name)).ok(), read("t"), read("again"))
        };
        let tide = Some("tide".to_owned());
        for name in ["w/bin/t", "w/u"] {
            assert_eq!(copied(name), (Ok(true), tide.clone(), None, None), "{name}");
        }
        assert_eq!(copied("w/all"), (Ok(true), None, tide.clone(), tide));
        assert_eq!(copied("w/none"), (Ok(false), None, None, None));
        assert!(copied("w/lib/up").0.unwrap_err().contains("contains it"));
    }
}
