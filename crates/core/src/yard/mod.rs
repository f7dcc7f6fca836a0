//! The yard: stock, cards, settings, and the lock that keeps two writers apart.

mod card;
mod lock;
mod settings;
mod trial;

use std::fs;
use std::path::{Path, PathBuf};

pub use card::{Card, CardLayout, CardProbe, Registration, Requires, Scope, Source};
pub use lock::YardLock;
pub use settings::Settings;
pub use trial::{Left, LeftFile, Trial, TrialStep};

use crate::error::{Blame, Blamed, FileContext, FileError};
use crate::layout::{ToolName, Version, compare_versions};
use crate::store::registry::PathBefore;
use crate::store::{OwnEntry, Registered};
use crate::whole_file;

/// Why the yard could not be read or written.
#[derive(Debug, thiserror::Error)]
pub enum YardError {
    /// A file or folder of it.
    #[error(transparent)]
    File(#[from] FileError),
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
    #[error("another wyard is changing the yard {} and did not end within {seconds} s", yard.display())]
    Locked {
        /// The yard.
        yard: PathBuf,
        /// How long we waited.
        seconds: u64,
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
            Self::NoTool(_) | Self::NoVersion { .. } => Blame::Call,
            Self::Record { .. } | Self::Format { .. } | Self::Write(_) | Self::Locked { .. } => Blame::Machine,
        }
    }

    fn hint(&self) -> Option<String> {
        match self {
            Self::File(e) => e.hint(),
            Self::NoTool(_) => Some("'wyard stock' lists what it holds".to_owned()),
            Self::Format { .. } => Some("use the newer wyard that wrote it".to_owned()),
            Self::Record { .. } => Some("mend that file, or remove it and receive the tool again".to_owned()),
            Self::Locked { .. } => Some("wait until it has ended, then try again".to_owned()),
            Self::NoVersion { .. } | Self::Write(_) => None,
        }
    }
}

/// The record of [`Yard::path_before`], by scope.
#[derive(Debug, Default, serde::Serialize, serde::Deserialize)]
struct KeptPaths {
    #[serde(skip_serializing_if = "Option::is_none")]
    user: Option<PathBefore>,
    #[serde(skip_serializing_if = "Option::is_none")]
    system: Option<PathBefore>,
}

impl KeptPaths {
    fn of(&mut self, scope: Scope) -> &mut Option<PathBefore> {
        match scope {
            Scope::User => &mut self.user,
            Scope::System => &mut self.system,
        }
    }
}

/// The record of [`Yard::own_entries`].
#[derive(Debug, serde::Serialize, serde::Deserialize)]
struct OwnEntries {
    format: u32,
    entry: Vec<OwnEntry>,
}

/// The yard's folder.
#[derive(Debug, Clone)]
pub struct Yard {
    root: PathBuf,
}

impl Yard {
    /// The yard at this place; it need not exist.
    #[must_use]
    pub fn at(root: &Path) -> Self {
        Self { root: root.to_owned() }
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
                if self.home(&card.name, &card.version).is_dir() {
                    cards.push(card);
                }
            }
        }
        cards.sort_by(|a, b| (&a.name, &a.received).cmp(&(&b.name, &b.received)));
        Ok(cards)
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

    /// What `Path` of a scope in the registry was before our first entry, where that was kept.
    ///
    /// # Errors
    /// When the record is there and cannot be read.
    pub fn path_before(&self, scope: Scope) -> Result<Option<PathBefore>, YardError> {
        Ok(*self.kept_paths()?.of(scope))
    }

    fn kept_paths(&self) -> Result<KeptPaths, YardError> {
        let file = self.path_before_file();
        match fs::read_to_string(&file) {
            Ok(text) => toml::from_str(&text).map_err(|source| YardError::Record { file, source }),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(KeptPaths::default()),
            Err(e) => Err(e).at("read", &file).map_err(Into::into),
        }
    }

    /// Keeps what `Path` of a scope is before our first entry; later calls change nothing.
    ///
    /// # Errors
    /// When the record cannot be read or written.
    pub fn keep_path_before(&self, scope: Scope, path_before: PathBefore) -> Result<(), YardError> {
        let mut kept = self.kept_paths()?;
        if kept.of(scope).is_some() {
            return Ok(());
        }
        *kept.of(scope) = Some(path_before);
        self.write_kept_paths(&kept)
    }

    /// Forgets it for every scope in which nothing of ours is registered any more.
    ///
    /// # Errors
    /// When the cards or the record cannot be read or written.
    pub fn forget_path_before(&self) -> Result<(), YardError> {
        let file = self.path_before_file();
        if !file.exists() {
            return Ok(());
        }
        let mut kept = self.kept_paths()?;
        let used: Vec<Scope> = self.cards()?.iter().filter_map(|c| Some(c.registration.as_ref()?.scope)).collect();
        for scope in Scope::ALL.into_iter().filter(|scope| !used.contains(scope)) {
            *kept.of(scope) = None;
        }
        if kept.user.is_none() && kept.system.is_none() {
            return Ok(fs::remove_file(&file).at("remove", &file)?);
        }
        self.write_kept_paths(&kept)
    }

    fn write_kept_paths(&self, kept: &KeptPaths) -> Result<(), YardError> {
        let text = toml::to_string_pretty(kept).map_err(YardError::Write)?;
        Ok(whole_file::replace(&self.path_before_file(), text.as_bytes())?)
    }

    fn path_before_file(&self) -> PathBuf {
        self.terminal().join("registry.toml")
    }

    /// The folders that the user has put into PATH or moved in it, in the order in which that was done.
    ///
    /// # Errors
    /// When the record is there and cannot be read.
    pub fn own_entries(&self) -> Result<Vec<OwnEntry>, YardError> {
        let file = self.own_entries_file();
        let text = match fs::read_to_string(&file) {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
            Err(e) => return Err(e).at("read", &file).map_err(Into::into),
        };
        let kept: OwnEntries =
            toml::from_str(&text).map_err(|source| YardError::Record { file: file.clone(), source })?;
        if kept.format != card::FORMAT {
            return Err(YardError::Format { file, found: kept.format });
        }
        Ok(kept.entry)
    }

    /// Records them.
    ///
    /// # Errors
    /// When the record cannot be written.
    pub fn keep_own_entries(&self, entry: Vec<OwnEntry>) -> Result<(), YardError> {
        let file = self.own_entries_file();
        if entry.is_empty() {
            return if file.exists() { Ok(fs::remove_file(&file).at("remove", &file)?) } else { Ok(()) };
        }
        let text = toml::to_string_pretty(&OwnEntries { format: card::FORMAT, entry }).map_err(YardError::Write)?;
        Ok(whole_file::replace(&file, text.as_bytes())?)
    }

    fn own_entries_file(&self) -> PathBuf {
        self.root.join("path.toml")
    }

    /// Writes a card.
    ///
    /// # Errors
    /// When it holds something that text cannot, or the disk refuses.
    pub fn write_card(&self, card: &Card) -> Result<(), YardError> {
        let text = toml::to_string_pretty(card).map_err(YardError::Write)?;
        Ok(whole_file::replace(&self.card_file(&card.name, &card.version), text.as_bytes())?)
    }

    /// A tool as the stores need it.
    #[must_use]
    pub fn registered(&self, card: &Card) -> Option<Registered> {
        let registration = card.registration.as_ref()?;
        let home = self.home(&card.name, &card.version);
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
