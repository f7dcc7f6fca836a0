//! PATH in the registry: edits of one scope's value part by part.

use std::path::{Path, PathBuf};

use crate::path_list::windows;
use crate::registry::RegistryPlaces;
use crate::resolve::same_place;
use crate::scope::Scope;
use crate::session::{JobError, Session};
use crate::store::registry::{Background, RegistryPlan};
use crate::system::System;
use crate::terminal;

pub(super) struct Parts {
    places: RegistryPlaces,
    background: Background,
}

impl Parts {
    pub fn read(session: &Session) -> Result<Self, JobError> {
        let background = terminal::background(&session.machine)?;
        Ok(Self { places: session.machine.registry(), background })
    }

    /// As written, in order; empty ones are among them.
    pub fn of(&self, scope: Scope) -> Vec<String> {
        let text = self.background.registry.of(scope).get("Path").map(|value| value.text).unwrap_or_default();
        windows::parts(&text).into_iter().map(str::to_owned).collect()
    }

    /// The folder that a part of a scope's value means in a new process.
    pub fn folder(&self, scope: Scope, part: &str) -> PathBuf {
        self.background.folder(scope, part)
    }

    pub fn first_place(&self, scope: Scope) -> usize {
        self.background.first_place(scope, &self.of(scope).join(";"))
    }

    /// The first part of a scope that leads to a folder.
    pub fn find(&self, scope: Scope, folder: &Path) -> Option<usize> {
        self.of(scope)
            .iter()
            .position(|part| !part.is_empty() && same_place(&self.folder(scope, part), folder, System::Windows))
    }

    pub fn plan(&self, session: &Session, scope: Scope, parts: &[String]) -> Result<RegistryPlan, JobError> {
        let was = session.yard.path_before(scope)?;
        Ok(RegistryPlan::with_path(&self.places, scope, &self.background, parts.join(";"), was)?)
    }
}
