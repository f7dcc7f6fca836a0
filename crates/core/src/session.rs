//! What every job is handed: the machine, the yard with its settings and its stock, the shells, and the user's wish to end.

use std::error::Error;
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, OnceLock, PoisonError};

use crate::change::LedgerError;
use crate::environment::Environment;
use crate::error::{Classified, ErrorClass, FileContext as _, classified};
use crate::folders::commands;
use crate::machine::Machine;
use crate::os;
use crate::process::{SealLevel, Sealer};
use crate::progress::Stop;
use crate::registration::{Registrar, RegistrationError};
use crate::resolve::Shell;
use crate::scope::Scope;
use crate::shells::StartupFolders;
use crate::start_policy::NotStarted;
use crate::store;
use crate::system::System;
use crate::terminal::{self, Asking, InstalledShell};
use crate::yard::{Settings, Stock, Yard, YardError, YardLock};

/// What any job can meet: a file, rights, the lock, an interruption.
#[derive(Debug, thiserror::Error)]
pub enum SessionError {
    #[error("{} would be in every user's PATH, but {} is owned or writable by another user", folder.display(), untrusted.display())]
    Untrusted {
        folder: PathBuf,
        /// What is not trusted: it, or a folder on the way to it.
        untrusted: PathBuf,
    },
    #[error("no shell answered")]
    NoAnswer,
    #[error("interrupted; nothing was changed")]
    Interrupted,
}

classified!(SessionError {
    Self::Untrusted { .. } => Machine, "use --trust-folder to add it anyway";
    Self::NoAnswer => Machine, "check the startup files, or 'shells' in settings.toml";
    Self::Interrupted => Interrupted;
});

/// Why a job could not do what it was asked: any error that says who has to act. As it can hold every one of them, it is none
/// itself.
#[derive(Debug)]
pub struct JobError(Box<dyn Classified>);

impl JobError {
    pub fn of<E: Classified>(&self) -> Option<&E> {
        (self.error() as &dyn Error).downcast_ref()
    }

    pub fn error(&self) -> &dyn Classified {
        &*self.0
    }

    pub fn into_source(self) -> Box<dyn Error + Send + Sync> {
        self.0
    }

    pub fn is_interruption(&self) -> bool {
        self.0.class() == ErrorClass::Interrupted
    }
}

impl<E: Classified> From<E> for JobError {
    fn from(error: E) -> Self {
        Self(Box::new(error))
    }
}

impl fmt::Display for JobError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

/// A question to the user: whether the tool of this name may be started, although it would not be for this reason.
#[derive(Debug, Clone, Copy)]
pub struct StartQuestion(pub fn(&str, NotStarted) -> bool);

/// Made once from the command line, and handed to every job.
#[derive(Debug)]
pub struct Session {
    pub machine: Machine,
    pub yard: Yard,
    pub stop: Stop,
    /// Whether this program makes seals when it is called with [`os::SEAL_ARGUMENT`].
    pub makes_seals: bool,
    /// Whether the user wants shells and programs started that nothing here keeps from the machine.
    pub unsealed: bool,
    /// Whether the user has agreed to have received programs started.
    pub agrees_to_starts: bool,
    /// Asks the user for that, of a tool, where somebody is there to ask.
    pub start_question: Option<StartQuestion>,
    /// Whether the questions to terminals and their raw answers are reported.
    pub keeps_evidence: bool,
    /// The shells that this call is about, where they were named.
    pub only_shells: Option<Vec<Shell>>,
    /// The change that all others of this call are parts of.
    pub group: OnceLock<u64>,
    /// Where the shells said that startup files are.
    startup: Mutex<Option<StartupFolders>>,
    settings: OnceLock<Settings>,
    shells: OnceLock<Vec<InstalledShell>>,
    sealer: OnceLock<Sealer>,
}

impl Session {
    /// For a machine. Nothing is read yet, so that jobs which need no settings do not fail for them.
    pub fn new(machine: Machine, stop: Stop) -> Self {
        let yard = Yard::at(&machine.yard);
        Self {
            machine,
            yard,
            stop,
            makes_seals: false,
            unsealed: false,
            agrees_to_starts: false,
            start_question: None,
            keeps_evidence: false,
            only_shells: None,
            group: OnceLock::new(),
            startup: Mutex::default(),
            settings: OnceLock::new(),
            shells: OnceLock::new(),
            sealer: OnceLock::new(),
        }
    }

    pub fn system(&self) -> System {
        self.machine.system()
    }

    pub fn settings(&self) -> Result<&Settings, YardError> {
        if let Some(settings) = self.settings.get() {
            return Ok(settings);
        }
        let settings = self.yard.settings()?;
        Ok(self.settings.get_or_init(|| settings))
    }

    /// The shells that are installed and meant, looked for once: those asked for in this call, those that the settings name,
    /// or else the user's.
    pub fn shells(&self) -> Result<&[InstalledShell], YardError> {
        let named = self.only_shells.as_ref().or(self.settings()?.shells.as_ref());
        Ok(self.shells.get_or_init(|| match named {
            Some(named) => terminal::installed(&self.machine, named),
            None => terminal::installed(&self.machine, &terminal::of_user(&self.machine)),
        }))
    }

    pub fn asking(&self) -> Result<Asking<'_>, YardError> {
        Ok(Asking { startup: Some(&self.startup), ..self.asking_of(self.shells()?)? })
    }

    /// Has shells asked again where startup files are: an installer may have changed that.
    pub fn forget_startup_folders(&self) {
        *self.startup.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }

    pub fn asking_of<'a>(&'a self, shells: &'a [InstalledShell]) -> Result<Asking<'a>, YardError> {
        let (machine, limit, stop) = (&self.machine, self.settings()?.shell_limit(), &self.stop);
        Ok(Asking {
            machine,
            shells,
            limit,
            stop,
            sealer: self.sealer()?,
            unsealed: self.unsealed,
            keeps_evidence: self.keeps_evidence,
            own: self.makes_seals.then(os::own_place).flatten(),
            startup: None,
        })
    }

    /// What keeps shells and programs from leaving traces, tried out once. With the user's word they are started as they are.
    pub fn sealer(&self) -> Result<&Sealer, YardError> {
        let best = self.settings()?.seal;
        Ok(self.sealer.get_or_init(|| match self.makes_seals {
            true => {
                let best = if self.unsealed { SealLevel::None } else { best };
                Sealer::find(&self.machine.environment, writable_folders(&self.machine), best, &self.stop)
            }
            false => Sealer::none(),
        }))
    }

    pub fn environment(&self) -> Result<Environment, JobError> {
        let environment = self.asking()?.environment();
        let why = || if self.stop.requested() { SessionError::Interrupted } else { SessionError::NoAnswer };
        Ok(environment.ok_or_else(why)?)
    }

    /// The cards, those that cannot be read noted beside the others: for jobs that look.
    pub fn stock(&self) -> Result<Stock, YardError> {
        self.yard.stock()
    }

    /// The cards, every one of which can be read: for jobs that write from them.
    pub fn cards(&self) -> Result<Stock, YardError> {
        self.yard.stock()?.whole()
    }

    /// The yard's lock; for a dry run none is needed.
    pub fn lock_unless(&self, dry_run: bool) -> Result<Option<YardLock>, YardError> {
        if dry_run { Ok(None) } else { self.lock().map(Some) }
    }

    pub fn lock(&self) -> Result<YardLock, YardError> {
        let lock = self.yard.lock(&self.machine, &|| self.startup_files())?;
        Ok(lock.part_of(self.group.get().copied()))
    }

    /// Every file that this user's shells could read at their start, as far as it can be known.
    pub fn startup_files(&self) -> Vec<PathBuf> {
        let in_home = || StartupFolders { home: self.machine.home.clone(), ..StartupFolders::default() };
        store::all_startup_files(&self.asking().map_or_else(|_| in_home(), |asking| asking.startup_folders()))
    }

    /// What brings the stores to what these cards say.
    pub fn registrar<'a>(&'a self, stock: &'a Stock) -> Result<Registrar<'a>, YardError> {
        Ok(Registrar { yard: &self.yard, stock, asking: self.asking()? })
    }

    /// Whether PATH of a scope can be changed with these rights; looked at before anything is written.
    pub fn check_scope(&self, scope: Scope) -> Result<(), RegistrationError> {
        crate::registration::check_scope(&self.machine, scope)
    }

    /// Whether there is a folder for temporary files, which every check needs; looked at before anything is written.
    pub fn check_scratch(&self) -> Result<(), JobError> {
        let folder = std::env::temp_dir();
        tempfile::tempdir_in(&folder).map(drop).at("make a temporary folder in", &folder).map_err(Into::into)
    }

    /// Whether a folder may stand in PATH: in everybody's only where nobody else can put programs into it or write to those
    /// that are there, unless the user trusts it.
    pub fn check_folder(&self, folder: &Path, trusts: bool) -> Result<(), JobError> {
        let counts = self.machine.is_for_everybody() && self.machine.sandbox.is_none() && !trusts;
        match counts.then(|| untrusted(folder, self.system())).flatten() {
            Some(untrusted) => Err(SessionError::Untrusted { folder: folder.to_owned(), untrusted }.into()),
            None => Ok(()),
        }
    }

    pub fn bail_if_interrupted(&self) -> Result<(), JobError> {
        if self.stop.requested() { Err(SessionError::Interrupted.into()) } else { Ok(()) }
    }

    /// What an earlier call has begun and not finished, in words, where nobody is at work on it.
    pub fn unfinished(&self) -> Result<Option<String>, LedgerError> {
        let ledger = self.yard.ledger();
        if !ledger.is_open()? || self.yard.is_locked() {
            return Ok(None);
        }
        let contents = ledger.read()?;
        let open = contents.unfinished();
        Ok(open
            .map(|open| format!("\"{}\" was interrupted; the next command that writes will settle it", open.command)))
    }
}

/// The folders in which startup files and programs of this user may write.
fn writable_folders(machine: &Machine) -> Vec<PathBuf> {
    const NAMED: [&str; 7] = [
        "ZDOTDIR",
        "XDG_CONFIG_HOME",
        "XDG_DATA_HOME",
        "XDG_CACHE_HOME",
        "XDG_STATE_HOME",
        "XDG_RUNTIME_DIR",
        "TMPDIR",
    ];
    let mut folders = vec![machine.home.clone(), machine.yard.clone(), std::env::temp_dir()];
    folders.extend(machine.sandbox.clone());
    folders.extend(["/tmp", "/var/tmp", "/dev/shm"].map(PathBuf::from));
    folders.extend(NAMED.iter().filter_map(|name| machine.environment.folder(name)));
    folders
}

/// What others could change: the folder, one on the way to it, or a program in it.
fn untrusted(folder: &Path, system: System) -> Option<PathBuf> {
    let programs = commands(folder, system).unwrap_or_default().into_iter().map(|typed| typed.file);
    std::iter::once(folder.to_owned()).chain(programs).find_map(|place| os::untrusted_for_everybody(&place))
}
