//! Records that name places where no change of ours would write: somebody else has made them.

use std::path::{Component, Path, PathBuf};

use super::error::LedgerError;
use super::ledger::Ledger;
use super::operation::{Operation, Role};

impl Ledger {
    /// Refuses a record that would write outside of the yard to anything but a startup file, `startup_files` being all that
    /// could be one. A folder that is moved comes from the yard or goes there.
    pub(crate) fn check_places(
        &self,
        id: u64,
        operations: &[Operation],
        startup_files: &dyn Fn() -> Vec<PathBuf>,
    ) -> Result<(), LedgerError> {
        let yard = self.file().parent().unwrap_or(Path::new(""));
        let is_inside =
            |path: &Path| path.starts_with(yard) && !path.components().any(|part| part == Component::ParentDir);
        let outside: Vec<&Path> = operations.iter().filter_map(|operation| written(operation, &is_inside)).collect();
        if outside.is_empty() {
            return Ok(());
        }
        let startup_files = startup_files();
        match outside.into_iter().find(|path| !startup_files.iter().any(|file| file == path)) {
            Some(place) => Err(LedgerError::Strange { id, place: place.to_owned(), ledger: self.file().to_owned() }),
            None => Ok(()),
        }
    }
}

/// Where an operation writes outside of the yard. Only an empty folder goes when the making of one is taken back.
fn written<'a>(operation: &'a Operation, is_inside: &dyn Fn(&Path) -> bool) -> Option<&'a Path> {
    match operation {
        Operation::Startup { path, .. } | Operation::File { path, role: Role::Restored, .. } => Some(path),
        Operation::File { path, .. } => Some(path.as_path()).filter(|path| !is_inside(path)),
        Operation::Move { from, to } if !is_inside(from) && !is_inside(to) => Some(to),
        Operation::Move { .. } | Operation::Folder { .. } | Operation::Value { .. } => None,
    }
}
