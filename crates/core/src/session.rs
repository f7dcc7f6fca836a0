//! What every job is handed: the machine, the yard with its settings and its stock, the shells, and the user's wish to end.

use std::sync::OnceLock;

use crate::change::{LedgerError, Settled};
use crate::environment::Environment;
use crate::error::{Blame, Blamed, FileError};
use crate::machine::Machine;
use crate::progress::Stop;
use crate::registration::{Registrar, RegistrationError};
use crate::scope::Scope;
use crate::store::StorePlanError;
use crate::system::System;
use crate::terminal::{self, Asking, InstalledShell};
use crate::yard::{Settings, Stock, Yard, YardError, YardLock};

/// What any job can meet: a file, rights, the lock, an interruption.
#[derive(Debug, thiserror::Error)]
pub enum SessionError {
    /// A file.
    #[error(transparent)]
    File(#[from] FileError),
    /// The yard.
    #[error(transparent)]
    Yard(#[from] YardError),
    /// The ledger.
    #[error(transparent)]
    Ledger(#[from] LedgerError),
    /// The stores.
    #[error(transparent)]
    Registration(#[from] RegistrationError),
    /// No shell gave an answer.
    #[error("no shell could be asked what a new terminal has")]
    NoAnswer,
    /// The user asked to stop.
    #[error("interrupted; nothing was changed")]
    Interrupted,
}

impl Blamed for SessionError {
    fn blame(&self) -> Blame {
        match self {
            Self::File(e) => e.blame(),
            Self::Yard(e) => e.blame(),
            Self::Ledger(e) => e.blame(),
            Self::Registration(e) => e.blame(),
            Self::NoAnswer => Blame::Machine,
            Self::Interrupted => Blame::Interrupted,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::File(e) => e.hint(),
            Self::Yard(e) => e.hint(),
            Self::Ledger(e) => e.hint(),
            Self::Registration(e) => e.hint(),
            Self::NoAnswer => Some("look at the shells' startup files, or at shells in settings.toml".to_owned()),
            Self::Interrupted => None,
        }
    }
}

impl From<StorePlanError> for SessionError {
    fn from(error: StorePlanError) -> Self {
        Self::Registration(error.into())
    }
}

/// Lets an error enum take what any job can meet into its variant `Session`.
macro_rules! meets_session {
    ($error:ty: $($source:ty),*) => {
        $(impl From<$source> for $error {
            fn from(error: $source) -> Self {
                Self::Session(error.into())
            }
        })*
    };
}
pub(crate) use meets_session;

/// Made once from the command line, and handed to every job.
#[derive(Debug)]
pub struct Session {
    /// The machine.
    pub machine: Machine,
    /// The yard.
    pub yard: Yard,
    /// The user's wish to end.
    pub stop: Stop,
    settings: OnceLock<Settings>,
    shells: OnceLock<Vec<InstalledShell>>,
}

impl Session {
    /// For a machine. Nothing is read yet, so that jobs which need no settings do not fail for them.
    #[must_use]
    pub fn new(machine: Machine, stop: Stop) -> Self {
        let yard = Yard::at(&machine.yard);
        Self { machine, yard, stop, settings: OnceLock::new(), shells: OnceLock::new() }
    }

    /// Which system's rules hold.
    #[must_use]
    pub fn system(&self) -> System {
        self.machine.system()
    }

    /// The yard's settings, read once.
    ///
    /// # Errors
    /// When the file is there and cannot be read.
    pub fn settings(&self) -> Result<&Settings, YardError> {
        if let Some(settings) = self.settings.get() {
            return Ok(settings);
        }
        let settings = self.yard.settings()?;
        Ok(self.settings.get_or_init(|| settings))
    }

    /// The shells that are installed and meant, looked for once.
    ///
    /// # Errors
    /// When the settings cannot be read.
    pub fn shells(&self) -> Result<&[InstalledShell], YardError> {
        let wanted = &self.settings()?.shells;
        Ok(self.shells.get_or_init(|| terminal::installed(&self.machine, wanted)))
    }

    /// New terminals, to be asked.
    ///
    /// # Errors
    /// When the settings cannot be read.
    pub fn asking(&self) -> Result<Asking<'_>, YardError> {
        Ok(self.asking_of(self.shells()?, self.settings()?))
    }

    /// New terminals of these shells only.
    #[must_use]
    pub fn asking_of<'a>(&'a self, shells: &'a [InstalledShell], settings: &Settings) -> Asking<'a> {
        Asking { machine: &self.machine, shells, limit: settings.shell_limit(), stop: &self.stop }
    }

    /// The whole environment that a new terminal hands to programs.
    ///
    /// # Errors
    /// When no shell could be asked, or the user asked to stop.
    pub fn environment(&self) -> Result<Environment, SessionError> {
        let environment = self.asking()?.environment();
        environment.ok_or(if self.stop.requested() { SessionError::Interrupted } else { SessionError::NoAnswer })
    }

    /// The cards, those that cannot be read noted beside the others: for jobs that look.
    ///
    /// # Errors
    /// When a folder of the yard cannot be listed.
    pub fn stock(&self) -> Result<Stock, YardError> {
        self.yard.stock()
    }

    /// The cards, every one of which can be read: for jobs that write from them.
    ///
    /// # Errors
    /// When a card cannot be read.
    pub fn cards(&self) -> Result<Stock, YardError> {
        self.yard.stock()?.whole()
    }

    /// The yard's lock; for a dry run none is needed.
    ///
    /// # Errors
    /// When the yard is not this user's to write to, or is locked.
    pub fn lock_unless(&self, dry_run: bool) -> Result<Option<YardLock>, YardError> {
        if dry_run { Ok(None) } else { self.lock().map(Some) }
    }

    /// The yard's lock.
    ///
    /// # Errors
    /// When the yard is not this user's to write to, or is locked.
    pub fn lock(&self) -> Result<YardLock, YardError> {
        self.yard.lock(&self.machine)
    }

    /// What brings the stores to what these cards say.
    ///
    /// # Errors
    /// When the settings cannot be read.
    pub fn registrar<'a>(&'a self, stock: &'a Stock) -> Result<Registrar<'a>, YardError> {
        Ok(Registrar { yard: &self.yard, stock, asking: self.asking()? })
    }

    /// Whether PATH of a scope can be changed with these rights; looked at before anything is written.
    ///
    /// # Errors
    /// When it cannot.
    pub fn check_scope(&self, scope: Scope) -> Result<(), RegistrationError> {
        crate::registration::check_scope(&self.machine, scope)
    }

    /// Ends with an error where the user asked to stop.
    ///
    /// # Errors
    /// When so.
    pub fn go_on(&self) -> Result<(), SessionError> {
        if self.stop.requested() { Err(SessionError::Interrupted) } else { Ok(()) }
    }

    /// Settles what an earlier call has left open, where nobody else is at work.
    ///
    /// # Errors
    /// When that cannot be done.
    pub fn settle(&self) -> Result<Vec<Settled>, LedgerError> {
        if !self.yard.ledger().is_open()? {
            return Ok(Vec::new());
        }
        match self.yard.lock_at_once(&self.machine) {
            Some(lock) => lock.settle(),
            // Somebody is at work, and the open record is theirs.
            None => Ok(Vec::new()),
        }
    }
}
