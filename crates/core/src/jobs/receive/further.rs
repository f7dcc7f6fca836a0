//! A further archive of a tool, unpacked over the same root.

use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

use super::error::ReceiveError;
use super::request::{FurtherArchive, ReceiveRequest, source_file};
use super::stages::{Staged, unpack};
use crate::archive::{Entry, EntryKind, Listing, MemberPath, Source};
use crate::error::FileContext as _;
use crate::jobs::summing::while_summing;
use crate::jobs::tool_names::file_name;
use crate::layout;
use crate::os;
use crate::progress::{Processor, Progress};
use crate::session::{JobError, Session};
use crate::system::System;
use crate::yard::OtherSource;

impl Staged {
    /// Unpacks a further archive and lays it over what is there. The same file in both is fine, another one is refused.
    pub(super) fn lay_over(
        &mut self,
        session: &Session,
        request: &ReceiveRequest,
        further: &FurtherArchive,
        progress: &dyn Progress,
    ) -> Result<(), JobError> {
        let file = &further.file;
        let source = Source::open(file, &std::env::temp_dir(), &session.stop)?;
        let published = further.trust.published(file)?;
        let unpack = |other: &Processor| unpack(&source, session, request, progress, other);
        let (summed, (root, listing)) = while_summing(&source, published, &session.stop, unpack)?;
        let root = root.as_ref().map(tempfile::TempDir::path);
        let base = layout::wrapper(&self.listing);
        let merge = Merge {
            file,
            from: shared_wrapper(&listing, file, &base),
            to: base,
            roots: self.root.as_ref().map(tempfile::TempDir::path).zip(root),
            system: session.system(),
        };
        merge.merge(&mut self.listing, listing)?;
        let absolute = std::path::absolute(file).unwrap_or_else(|_| file.clone());
        self.with.push(OtherSource {
            file: source_file(&absolute, further.address.as_ref()),
            address: further.address.as_ref().map(ToString::to_string),
            sha256: summed.sha256.value,
        });
        Ok(())
    }
}

/// The folder of a further archive that stands for the tool's home: one around everything that is called like the tool's
/// own, or like the archive itself. A folder of another name is a part of the tool.
fn shared_wrapper(listing: &Listing, file: &Path, base: &Path) -> PathBuf {
    let wrapper = layout::wrapper(listing);
    let Some(first) = wrapper.iter().next() else { return PathBuf::new() };
    let is_of_tool = base.iter().any(|part| part == first);
    let is_of_file = file_name(file).starts_with(&*first.to_string_lossy());
    if is_of_tool || is_of_file { PathBuf::from(first) } else { PathBuf::new() }
}

struct Merge<'a> {
    file: &'a Path,
    /// The folder of the further archive that stands for the home.
    from: PathBuf,
    to: PathBuf,
    /// Where both are unpacked: the tool, and the further archive.
    roots: Option<(&'a Path, &'a Path)>,
    system: System,
}

impl Merge<'_> {
    /// Moves the files, and adds the entries to the tool's listing.
    fn merge(&self, base: &mut Listing, further: Listing) -> Result<(), JobError> {
        let mut there: HashMap<PathBuf, Option<Entry>> = HashMap::new();
        for entry in &base.entries {
            for above in entry.path.as_path().ancestors().skip(1) {
                there.entry(self.key(above)).or_insert(None);
            }
            let is_folder = entry.kind == EntryKind::Folder;
            there.insert(self.key(entry.path.as_path()), (!is_folder).then(|| entry.clone()));
        }
        for entry in further.entries {
            let Some(below) = entry.path.below(&self.from).filter(|below| !below.as_os_str().is_empty()) else {
                continue;
            };
            let place = self.to.join(below);
            let clash = || ReceiveError::Clash { file: self.file.to_owned(), place: below.to_owned() };
            let mut above = place.ancestors().skip(1);
            if above.any(|above| matches!(there.get(&self.key(above)), Some(Some(_)))) {
                return Err(clash().into());
            }
            match there.get(&self.key(&place)) {
                Some(None) if entry.kind == EntryKind::Folder => continue,
                Some(None) => return Err(clash().into()),
                Some(Some(same)) if self.is_same(same, &entry)? => continue,
                Some(Some(_)) => return Err(clash().into()),
                None => {}
            }
            if let Some((root, other)) = self.roots {
                bring(&entry, other, &root.join(&place))?;
            }
            let name = MemberPath::new(place.as_os_str().as_encoded_bytes()).ok().flatten().ok_or_else(clash)?;
            for above in place.ancestors().skip(1) {
                there.entry(self.key(above)).or_insert(None);
            }
            let entry = Entry { path: name, ..entry };
            let is_folder = entry.kind == EntryKind::Folder;
            there.insert(self.key(&place), (!is_folder).then(|| entry.clone()));
            base.entries.push(entry);
        }
        base.left_out.extend(further.left_out);
        base.without_modes |= further.without_modes;
        Ok(())
    }

    /// What tells two places apart.
    fn key(&self, path: &Path) -> PathBuf {
        match self.system {
            System::Windows => PathBuf::from(path.to_string_lossy().to_lowercase()),
            System::Unix => path.to_owned(),
        }
    }

    /// Whether two entries are the same file or link. Of what was only listed no more than the size is known.
    fn is_same(&self, base: &Entry, further: &Entry) -> Result<bool, JobError> {
        if base.kind != further.kind || base.bytes != further.bytes {
            return Ok(false);
        }
        let (EntryKind::File, Some((root, other))) = (&base.kind, self.roots) else { return Ok(true) };
        let (one, two) = (base.path.under(root), further.path.under(other));
        let read = |path: &Path| fs::read(path).at("read", path);
        Ok(read(&one)? == read(&two)?)
    }
}

/// Moves what was unpacked to its place in the tool. Links are made later.
fn bring(entry: &Entry, other: &Path, place: &Path) -> Result<(), JobError> {
    let folder = if entry.kind == EntryKind::Folder { Some(place) } else { place.parent() };
    if let Some(folder) = folder {
        os::make_folders(folder).at("make the folder", folder)?;
    }
    if entry.kind == EntryKind::File {
        let from = entry.path.under(other);
        fs::rename(&from, place).at("move", &from)?;
    }
    Ok(())
}
