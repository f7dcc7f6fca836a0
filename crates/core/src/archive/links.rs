//! Where the symbolic links of an archive lead, worked out before any of them is made.

use std::collections::HashMap;
use std::ffi::OsString;
use std::path::{Component, Path, PathBuf};

use super::ArchiveError;
use super::listing::{Entry, EntryKind, Listing};

/// How many links may be followed for one target, as on Linux (path_resolution(7)).
const MOST_STEPS: usize = 40;

/// Checks that no link of the listing leads out of `root` (a folder of the archive, empty for the whole), directly or
/// by way of other links, and that no entry lies behind a link.
pub(super) fn check(listing: &Listing, root: &Path) -> Result<(), ArchiveError> {
    let links = links_of(listing);
    if links.is_empty() {
        return Ok(());
    }
    for entry in &listing.entries {
        let parents = entry.path.as_path().ancestors().skip(1);
        if let Some(link) = parents.filter(|p| links.contains_key(p)).last() {
            return Err(ArchiveError::ThroughLink {
                entry: entry.path.display(),
                link: link.to_string_lossy().into_owned(),
            });
        }
        if let EntryKind::Link(target) = &entry.kind
            && entry.path.as_path().starts_with(root)
            && destination(&links, root, entry.path.as_path()).is_none()
        {
            return Err(ArchiveError::LinkOutside {
                entry: entry.path.display(),
                target: target.to_string_lossy().into_owned(),
            });
        }
    }
    Ok(())
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

impl Listing {
    /// For each link, by its path, the entry it ends at, where that is one of the listing's.
    #[must_use]
    pub fn link_ends(&self) -> HashMap<&Path, &Entry> {
        let links = links_of(self);
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
                program: None,
            })
            .collect();
        Listing { entries, without_modes: false }
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
            assert_eq!(check(&listing(entries), Path::new(root)).is_ok(), fine, "{entries:?}");
        }
    }
}
