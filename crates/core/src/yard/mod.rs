//! The yard: stock, cards, settings, and the lock that keeps two writers apart.

mod card;
mod kept;
mod ledger;
mod lock;
mod settings;
mod trial;

use std::fs;
use std::path::{Path, PathBuf};

pub use card::{Card, CardLayout, CardProbe, Registration, Requires, Scope, Source, StartupText};
pub use ledger::{Act, Acts, Change, Content, Ledger, LedgerError, Record, Role, Settled, State, StoredValue, Told};
pub use lock::YardLock;
pub use settings::Settings;
pub use trial::{Left, LeftFile, Trial, TrialStep};

use crate::error::{Blame, Blamed, FileContext, FileError};
use crate::layout::{ToolName, Version, compare_versions};
use crate::machine::Machine;
use crate::store::Registered;
use crate::store::registry::Keys;

/// Why the yard could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum YardError {
    /// A file or folder of it.
    #[error(transparent)]
    File(#[from] FileError),
    /// The ledger.
    #[error(transparent)]
    Ledger(#[from] LedgerError),
    /// A record cannot be understood.
    #[error("the record {} can't be read", file.display())]
    Record {
        /// The file.
        file: PathBuf,
        /// What is wrong with it.
        #[source]
        source: toml::de::Error,
    },
    /// A record of a later version of this program.
    #[error("the record {} has format {found}; this version of wyard reads format {}", file.display(), card::FORMAT)]
    Format {
        /// The file.
        file: PathBuf,
        /// Its format number.
        found: u32,
    },
    /// A record cannot be written, as with a name that is not Unicode.
    #[error("a record can't be written")]
    Write(#[source] toml::ser::Error),
    /// Somebody else is writing.
    #[error("{holder} is changing the yard {} and did not end within {seconds} s", yard.display())]
    Locked {
        /// The yard.
        yard: PathBuf,
        /// Who holds it.
        holder: String,
        /// How long we waited.
        seconds: u64,
    },
    /// The system's files are changed with the superuser's rights only.
    #[error("the system's startup files and its yard may be changed by the superuser only; nothing was changed")]
    NotSuperuser {
        /// The call to repeat.
        command: String,
    },
    /// The superuser works in somebody else's home.
    #[error("{} belongs to another user than the one at work, the superuser; nothing was changed", home.display())]
    ForeignHome {
        /// The home folder.
        home: PathBuf,
    },
    /// No tool of this name.
    #[error("the yard holds no tool called \"{0}\"")]
    NoTool(String),
    /// The tool, but not this version.
    #[error("the yard holds {name}, but not in version \"{version}\"; it holds {held}")]
    NoVersion {
        /// The tool.
        name: ToolName,
        /// The version asked for.
        version: String,
        /// The versions there are.
        held: String,
    },
}

impl Blamed for YardError {
    fn blame(&self) -> Blame {
        match self {
            Self::File(e) => e.blame(),
            Self::Ledger(e) => e.blame(),
            Self::NoTool(_) | Self::NoVersion { .. } => Blame::Call,
            Self::Record { .. }
            | Self::Format { .. }
            | Self::Write(_)
            | Self::Locked { .. }
            | Self::NotSuperuser { .. }
            | Self::ForeignHome { .. } => Blame::Machine,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::File(e) => e.hint(),
            Self::Ledger(e) => e.hint(),
            Self::NoTool(_) => Some("'wyard stock' lists what it holds".to_owned()),
            Self::Format { .. } => Some("use the newer wyard that wrote it".to_owned()),
            Self::Record { .. } => Some("mend that file, or remove it and receive the tool again".to_owned()),
            Self::Locked { .. } => Some("wait until it has ended, then try again".to_owned()),
            Self::NotSuperuser { command } => Some(format!("repeat it as the superuser: {command}")),
            Self::ForeignHome { .. } => {
                Some("call it as that user, without elevation, or for everybody with --scope system".to_owned())
            }
            Self::NoVersion { .. } | Self::Write(_) => None,
        }
    }
}

/// What of a yard does not belong together.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Strays {
    /// The files of cards whose folder is not there.
    pub cards: Vec<PathBuf>,
    /// The folders of the stock that have no card.
    pub folders: Vec<PathBuf>,
}

/// The yard's folder.
#[derive(Debug, Clone)]
pub struct Yard {
    root: PathBuf,
    sandbox: Option<PathBuf>,
    home: PathBuf,
    for_everybody: bool,
    command: String,
}

impl Yard {
    /// The yard of a machine; it need not exist.
    #[must_use]
    pub fn of(machine: &Machine) -> Self {
        Self {
            root: machine.yard.clone(),
            sandbox: machine.sandbox.clone(),
            home: machine.home.clone(),
            for_everybody: machine.is_for_everybody(),
            command: machine.command_line.clone(),
        }
    }

    /// The registry keys that belong to it.
    #[must_use]
    pub fn keys(&self) -> Keys {
        Keys::of(self.sandbox.as_deref())
    }

    /// The command line that is at work.
    pub(crate) fn command(&self) -> &str {
        &self.command
    }

    /// Its folder.
    #[must_use]
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The folder a received version lies in: its home.
    #[must_use]
    pub fn home(&self, name: &ToolName, version: &Version) -> PathBuf {
        self.root.join("stock").join(name.as_str()).join(version.as_str())
    }

    /// The home of a card's tool: in the stock, or where it was adopted.
    #[must_use]
    pub fn home_of(&self, card: &Card) -> PathBuf {
        card.folder.clone().unwrap_or_else(|| self.home(&card.name, &card.version))
    }

    /// The folder for what is not finished yet.
    #[must_use]
    pub fn staging(&self) -> PathBuf {
        self.root.join("staging")
    }

    /// The folder of the generated shell files.
    #[must_use]
    pub fn terminal(&self) -> PathBuf {
        self.root.join("terminal")
    }

    fn card_file(&self, name: &ToolName, version: &Version) -> PathBuf {
        // Not `with_extension`: a version has dots of its own.
        self.root.join("cards").join(name.as_str()).join(format!("{version}.toml"))
    }

    /// The settings, or the usual ones where there are none.
    ///
    /// # Errors
    /// When the file is there and cannot be read.
    pub fn settings(&self) -> Result<Settings, YardError> {
        let file = self.root.join("settings.toml");
        match fs::read_to_string(&file) {
            Ok(text) => toml::from_str(&text).map_err(|source| YardError::Record { file, source }),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(Settings::default()),
            Err(e) => Err(e).at("read", &file).map_err(Into::into),
        }
    }

    /// All cards whose tool is there, by name and then by time of receiving. A card without its folder is the trace of
    /// a receiving that was broken off, and does not count.
    ///
    /// # Errors
    /// When a folder or a card cannot be read.
    pub fn cards(&self) -> Result<Vec<Card>, YardError> {
        let mut cards = Vec::new();
        for folder in list(&self.root.join("cards"))? {
            for file in list(&folder)?.into_iter().filter(|f| f.extension().is_some_and(|e| e == "toml")) {
                let text = fs::read_to_string(&file).at("read", &file)?;
                let card = card::read(&text, &file)?;
                if self.home_of(&card).is_dir() {
                    cards.push(card);
                }
            }
        }
        cards.sort_by(|a, b| (&a.name, &a.received).cmp(&(&b.name, &b.received)));
        Ok(cards)
    }

    /// What does not belong together: cards whose folder is not there, and folders of the stock that have no card.
    ///
    /// # Errors
    /// When a folder or a card cannot be read.
    pub fn strays(&self) -> Result<Strays, YardError> {
        let mut strays = Strays::default();
        for folder in list(&self.root.join("cards"))? {
            for file in list(&folder)?.into_iter().filter(|f| f.extension().is_some_and(|e| e == "toml")) {
                let card = card::read(&fs::read_to_string(&file).at("read", &file)?, &file)?;
                if !self.home_of(&card).is_dir() {
                    strays.cards.push(file);
                }
            }
        }
        for name in list(&self.root.join("stock"))?.into_iter().filter(|path| path.is_dir()) {
            for home in list(&name)?.into_iter().filter(|path| path.is_dir()) {
                let part = |path: &Path| path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                let card = self.root.join("cards").join(part(&name)).join(format!("{}.toml", part(&home)));
                if !card.exists() {
                    strays.folders.push(home);
                }
            }
        }
        Ok(strays)
    }

    /// Finds the card of `NAME` (the version in service) or `NAME@VERSION`.
    ///
    /// # Errors
    /// When there is none.
    pub fn find(&self, wanted: &str) -> Result<Card, YardError> {
        let (name, version) = wanted.split_once('@').map_or((wanted, None), |(n, v)| (n, Some(v)));
        let tool: ToolName = name.parse().map_err(|_| YardError::NoTool(name.to_owned()))?;
        let held: Vec<Card> = self.cards()?.into_iter().filter(|c| c.name == tool).collect();
        let Some(version) = version else {
            return in_service(held).ok_or_else(|| YardError::NoTool(name.to_owned()));
        };
        let mut versions: Vec<&str> = held.iter().map(|c| c.version.as_str()).collect();
        versions.sort_by(|a, b| compare_versions(a, b));
        let versions = versions.join(", ");
        let parsed: Option<Version> = version.parse().ok();
        match held.into_iter().find(|c| Some(&c.version) == parsed.as_ref()) {
            Some(card) => Ok(card),
            None if versions.is_empty() => Err(YardError::NoTool(name.to_owned())),
            None => Err(YardError::NoVersion { name: tool, version: version.to_owned(), held: versions }),
        }
    }

    /// Of each tool the version in service.
    ///
    /// # Errors
    /// As [`Yard::cards`].
    pub fn in_service(&self) -> Result<Vec<Card>, YardError> {
        let cards = self.cards()?;
        Ok(cards.chunk_by(|a, b| a.name == b.name).filter_map(|versions| in_service(versions.to_vec())).collect())
    }

    /// Adds the writing of a card to a change.
    ///
    /// # Errors
    /// When it holds something that text cannot, or what is there cannot be read.
    pub fn put_card(&self, acts: &mut Acts, card: &Card) -> Result<(), YardError> {
        let text = toml::to_string_pretty(card).map_err(YardError::Write)?;
        Ok(acts.file(&self.card_file(&card.name, &card.version), Role::Card, Some(text.into_bytes()))?)
    }

    /// Adds the removal of a card to a change.
    ///
    /// # Errors
    /// When what is there cannot be read.
    pub fn remove_card(&self, acts: &mut Acts, card: &Card) -> Result<(), YardError> {
        Ok(acts.file(&self.card_file(&card.name, &card.version), Role::Card, None)?)
    }

    /// The folder for tools that were taken out of the stock.
    #[must_use]
    pub fn retired(&self) -> PathBuf {
        self.root.join("retired")
    }

    /// Where a tool goes that the change of this number takes out of the stock.
    #[must_use]
    pub fn retired_home(&self, name: &ToolName, version: &Version, change: u64) -> PathBuf {
        self.retired().join(format!("{name}@{version}.{change}"))
    }

    /// The folder for startup files as they were before their first change.
    #[must_use]
    pub fn startup_before(&self) -> PathBuf {
        self.root.join("startup-before")
    }

    /// Changes what a card says, and nothing else.
    ///
    /// # Errors
    /// When there is no such card, or it cannot be written.
    pub fn change_card(&self, wanted: &str, does: &str, edit: impl FnOnce(&mut Card)) -> Result<Card, YardError> {
        // Looked for before the lock, so that a wrong name makes no yard.
        self.find(wanted)?;
        let lock = self.lock()?;
        let mut card = self.find(wanted)?;
        edit(&mut card);
        let mut acts = Acts::default();
        self.put_card(&mut acts, &card)?;
        let does = format!("{does} {} {}", card.name, card.version);
        lock.carry_out(Change { does, undoes: None, acts })?;
        Ok(card)
    }

    /// A tool as the stores need it.
    #[must_use]
    pub fn registered(&self, card: &Card) -> Option<Registered> {
        let registration = card.registration.as_ref()?;
        let home = self.home_of(card);
        let folder = |f: &PathBuf| if f.as_os_str().is_empty() { home.clone() } else { home.join(f) };
        Some(Registered {
            command_folders: card.layout.command_folders.iter().map(folder).collect(),
            home_variables: registration.home_variables.iter().map(ToString::to_string).collect(),
            home,
        })
    }
}

/// The version in service of one tool: the one that is registered, else the one received last.
fn in_service(mut versions: Vec<Card>) -> Option<Card> {
    let at = |card: &Card| card.registration.as_ref().map(|r| r.since.clone());
    let best = versions.iter().enumerate().filter(|(_, c)| at(c).is_some()).max_by_key(|(_, c)| at(c)).map(|(i, _)| i);
    let best = best.or(versions.len().checked_sub(1))?;
    Some(versions.swap_remove(best))
}

fn list(folder: &Path) -> Result<Vec<PathBuf>, FileError> {
    let entries = match fs::read_dir(folder) {
        Ok(entries) => entries,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(e).at("list the folder", folder),
    };
    let mut paths = Vec::new();
    for entry in entries {
        paths.push(entry.at("list the folder", folder)?.path());
    }
    paths.sort();
    Ok(paths)
}
