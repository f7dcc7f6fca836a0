//! PATH in the registry: edits of one scope's value entry by entry.

use std::path::{Path, PathBuf};

use super::error::PathError;
use super::lines::{ListedPath, PathLine};
use crate::registry::{RegistryPlaces, ValueKind};
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::store::registry::{Background, RegistryEntry, RegistryPlan};
use crate::system::System;
use crate::terminal;

pub(super) struct Entries {
    places: RegistryPlaces,
    background: Background,
}

impl Entries {
    pub fn read(session: &Session) -> Result<Self, JobError> {
        let background = terminal::background(&session.machine)?;
        Ok(Self { places: session.machine.registry(), background })
    }

    /// As written, in order; empty ones are among them.
    pub fn of(&self, scope: Scope) -> Vec<String> {
        self.background.entries(scope).into_iter().map(|entry| entry.raw).collect()
    }

    /// What a text would become as the only entry of a scope.
    pub fn alone(&self, scope: Scope, text: &str) -> Option<RegistryEntry> {
        self.background.entries_of(scope, text).into_iter().next()
    }

    /// Whether references in a scope's value are not expanded.
    pub fn is_plain(&self, scope: Scope) -> bool {
        self.background.registry.of(scope).get("Path").is_some_and(|path| path.kind == ValueKind::Plain)
    }

    pub fn first_place(&self, scope: Scope) -> usize {
        self.background.first_place(scope, &self.of(scope).join(";"))
    }

    pub fn plan(&self, session: &Session, scope: Scope, entries: &[String]) -> Result<RegistryPlan, JobError> {
        let was = session.yard.path_before(scope)?;
        Ok(RegistryPlan::with_path(&self.places, scope, &self.background, entries.join(";"), was)?)
    }

    /// PATH of a new process as it is, by the value as a whole.
    pub fn folders(&self) -> Vec<PathBuf> {
        self.background.folders()
    }

    /// PATH of a new process after a change, by the value as a whole. The change is refused where that is another one than its
    /// entries say, but for a folder that comes or goes once more, as where an entry repeats `%Path%`.
    pub fn proved(&self, changed: &[(Scope, Vec<String>)], told: &[PathBuf]) -> Result<Vec<PathBuf>, PathError> {
        let with =
            |before: Background, (scope, entries): &(Scope, Vec<String>)| before.with_path(*scope, &entries.join(";"));
        let after = changed.iter().fold(self.background.clone(), with).folders();
        let before = self.folders();
        let times = |folders: &[PathBuf], wanted: &PathBuf| folders.iter().filter(|folder| *folder == wanted).count();
        let is_meant = |folder: &&PathBuf| times(&before, folder) != times(told, folder);
        let others = |folders: &[PathBuf]| -> Vec<PathBuf> {
            folders.iter().filter(|f| !f.as_os_str().is_empty() && !is_meant(f)).cloned().collect()
        };
        let (real, said) = (others(&after), others(told));
        if real == said {
            return Ok(after);
        }
        let same = real.iter().zip(&said).take_while(|(real, said)| real == said).count();
        let folder = real.get(same).or(said.get(same)).cloned().unwrap_or_default();
        Err(PathError::Unexplained { folder })
    }
}

/// The entry that a call means, in the scope that it changes: by its folder, or as it is written.
pub(super) fn entry_in(sight: &ListedPath, wanted: &Path, scope: Scope) -> Result<usize, PathError> {
    let lines = sight.named(wanted);
    let own = lines.iter().find(|at| sight.lines[**at].0 == scope);
    match (own, lines.first()) {
        (Some(at), _) => Ok(*at),
        (None, Some(_)) => Err(PathError::OtherScope { entry: wanted.to_owned(), asked: scope }),
        (None, None) => Err(PathError::NotInPath(wanted.to_owned())),
    }
}

/// Refuses to lose what every terminal needs.
pub(super) fn keeps_the_systems(
    sight: &ListedPath,
    after: &[(Scope, PathLine)],
    needed: impl Fn(&Path) -> bool,
) -> Result<(), PathError> {
    let stays = |folder: &Path| after.iter().any(|(_, line)| same_place(&line.expanded, folder, System::Windows));
    let lost = sight.lines.iter().find(|(_, line)| needed(&line.expanded) && !stays(&line.expanded));
    lost.map_or(Ok(()), |(_, line)| Err(PathError::OfSystem { folder: line.expanded.to_path_buf() }))
}
