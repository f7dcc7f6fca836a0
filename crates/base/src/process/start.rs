//! What is to be started.

use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::environment::Environment;
use crate::os::{self, TerminalContext};

/// A program to be started; nothing but what is said here reaches it.
#[derive(Debug, Clone)]
pub struct Start {
    /// The program, an absolute path.
    pub program: PathBuf,
    /// The name it is called by (its `argv[0]`), where that is not its path.
    pub called: Option<OsString>,
    pub arguments: Vec<OsString>,
    pub environment: Environment,
    pub folder: PathBuf,
    /// What else it sees of the terminal that starts it; `None` for what this process has.
    pub context: Option<TerminalContext>,
}

impl Start {
    pub fn new(program: &Path, environment: &Environment, folder: &Path) -> Self {
        let (program, folder) = (program.to_owned(), folder.to_owned());
        Self { program, called: None, arguments: Vec::new(), environment: environment.clone(), folder, context: None }
    }

    pub fn with<A: Into<OsString>>(mut self, arguments: impl IntoIterator<Item = A>) -> Self {
        self.arguments.extend(arguments.into_iter().map(Into::into));
        self
    }

    pub fn called(mut self, name: &str) -> Self {
        self.called = Some(name.into());
        self
    }

    /// The same in the context of a terminal, its folder too.
    pub fn in_context(mut self, context: &TerminalContext) -> Self {
        self.folder = os::name_from_bytes(context.folder.clone()).into();
        self.context = Some(context.clone());
        self
    }

    pub fn command(&self) -> Command {
        let mut command = Command::new(&self.program);
        command.args(&self.arguments).env_clear().envs(&self.environment).current_dir(&self.folder);
        if let Some(called) = &self.called {
            os::set_called_name(&mut command, called);
        }
        if let Some(context) = &self.context {
            os::set_context(&mut command, context);
        }
        command
    }
}
