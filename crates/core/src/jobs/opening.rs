//! A download that is opened: an archive, a program, or a file for an interpreter, which stays whole.

use std::path::Path;

use super::tool_names::guess_names;
use crate::archive::{ArchiveError, Source};
use crate::naming::{Guess, ToolName, guess};
use crate::prepare::{Launcher, SingleFileTool, lone};
use crate::session::Session;
use crate::system::System;

#[derive(Debug)]
pub(super) struct Opened {
    pub source: Source,
    /// How it is started, where only an interpreter can.
    pub lone: Option<SingleFileTool>,
    pub guess: Guess,
}

impl Opened {
    pub fn open(session: &Session, file: &Path, system: System) -> Result<Self, ArchiveError> {
        let Some(lone) = lone(file, system) else {
            let source = Source::open(file, &std::env::temp_dir(), &session.stop)?;
            let guess = guess_names(file, &source.format);
            return Ok(Self { source, lone: None, guess });
        };
        let guess = guess(&file.file_stem().unwrap_or_default().to_string_lossy());
        Ok(Self { source: Source::open_whole(file)?, lone: Some(lone), guess })
    }

    pub fn launchers(&self, system: System) -> Vec<Launcher> {
        let name: Option<ToolName> = self.guess.name.as_deref().and_then(|name| name.parse().ok());
        self.lone.zip(name).map(|(lone, name)| lone.launcher(&name, &self.source.path, system)).into_iter().collect()
    }
}
