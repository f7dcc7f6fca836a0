//! The card: the record of one received tool.

use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::error::{FORMAT, YardError};
use super::trial::Trial;
use crate::clock;
use crate::layout::{Command, Layout};
use crate::naming::{ToolName, Variable, Version, is_called_as_archive};
use crate::prepare::{Launcher, PrepareStep};
use crate::registry::Replaced;
use crate::report::ReportPath;
use crate::scope::Scope;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Card {
    pub card: u32,
    pub name: ToolName,
    pub version: Version,
    /// When it was received (RFC 3339).
    pub received: String,
    pub source: Source,
    pub layout: CardLayout,
    pub commands: Vec<Command>,
    /// Where it lies, where that is not the stock: it was there already, and was adopted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub folder: Option<PathBuf>,
    /// The command that removes it, where an installer has brought it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub uninstaller: Option<Vec<ReportPath>>,
    /// What that installer put into startup files.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub added: Vec<StartupText>,
    /// How its commands are asked for their version, where that was set.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub probe: Option<CardProbe>,
    #[serde(default, skip_serializing_if = "Requires::is_empty")]
    pub requires: Requires,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub prepare: Vec<PrepareStep>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub prepared: Vec<WrittenFile>,
    #[serde(default, rename = "launcher", skip_serializing_if = "Vec::is_empty")]
    pub launchers: Vec<Launcher>,
    #[serde(default, rename = "trial", skip_serializing_if = "Vec::is_empty")]
    pub trials: Vec<Trial>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub registration: Option<Registration>,
}

impl Card {
    /// Of a tool that is received now; nothing is registered, prepared or settled yet.
    pub fn new(name: ToolName, version: Version, source: Source, layout: &Layout) -> Self {
        Self {
            card: 1,
            name,
            version,
            received: clock::now(),
            source,
            layout: CardLayout {
                wrapper: layout.wrapper.clone(),
                command_folders: layout.command_folders.clone(),
                completions: layout.completions.clone(),
            },
            commands: layout.commands.clone(),
            folder: None,
            uninstaller: None,
            added: Vec::new(),
            probe: None,
            requires: Requires::default(),
            prepare: Vec::new(),
            prepared: Vec::new(),
            launchers: Vec::new(),
            trials: Vec::new(),
            registration: None,
        }
    }
}

impl Card {
    /// Whether it was received as a program by itself, and no archive, package or installer.
    pub fn is_bare_program(&self) -> bool {
        self.folder.is_none() && !is_called_as_archive(&self.source.file)
    }

    /// Whether an installer put it where it is.
    pub fn is_of_installer(&self) -> bool {
        self.folder.is_some() && (self.uninstaller.is_some() || !self.source.sha256.is_empty())
    }
}

/// A file of a tool as Wagon Yard has written it: one with another checksum was edited since.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct WrittenFile {
    /// The file, relative to the home.
    pub file: PathBuf,
    /// Its SHA-256; empty where the user had edited it before.
    pub sha256: String,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct CardProbe {
    /// The arguments; none means the usual ways of asking.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub arguments: Option<Vec<String>>,
    /// What the answer has to hold; none means the card's version.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expect: Option<String>,
    /// The exit status with which they end when all is well; none means 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub status: Option<i32>,
}

impl CardProbe {
    /// The same, with what is given here in its place.
    pub fn changed(self, by: &Self) -> Self {
        Self {
            arguments: by.arguments.clone().or(self.arguments),
            expect: by.expect.clone().or(self.expect),
            status: by.status.or(self.status),
        }
    }
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Requires {
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub commands: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub variables: Vec<Variable>,
}

impl Requires {
    pub fn is_empty(&self) -> bool {
        self.commands.is_empty() && self.variables.is_empty()
    }
}

/// A piece of a startup file: whole lines.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StartupText {
    pub file: PathBuf,
    /// The lines, with their ends.
    pub text: String,
    /// Whether the file was not there before, and goes when nothing else is in it.
    #[serde(default)]
    pub made: bool,
}

impl StartupText {
    /// The content of the file without the piece, which was put there so many times; `None` where it does not stand there,
    /// or more often.
    pub fn taken_out(&self, content: &str, times: usize) -> Option<String> {
        let starts_line = |at: &usize| *at == 0 || content[..*at].ends_with('\n');
        let places: Vec<usize> = content.match_indices(&self.text).map(|(at, _)| at).filter(starts_line).collect();
        if self.text.is_empty() || places.is_empty() || places.len() > times {
            return None;
        }
        let (mut rest, mut from) = (String::new(), 0);
        for at in places {
            rest.push_str(&content[from..at]);
            from = at + self.text.len();
        }
        Some(rest + &content[from..])
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    pub file: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    pub bytes: u64,
    /// Its SHA-256, in lower-case hex.
    pub sha256: String,
    /// Whether that was compared with a published one.
    pub compared: bool,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub with: Vec<OtherSource>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OtherSource {
    pub file: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// Its SHA-256, in lower-case hex.
    pub sha256: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CardLayout {
    /// The wrapper folder that was removed; empty for none.
    pub wrapper: PathBuf,
    /// The command folders, relative to the home; an empty one is the home itself.
    pub command_folders: Vec<PathBuf>,
    /// The files that complete its commands in shells, relative to the home.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub completions: Vec<PathBuf>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Registration {
    pub scope: Scope,
    /// Since when (RFC 3339); what was registered later comes first in PATH.
    pub since: String,
    pub home_variables: Vec<Variable>,
    /// What those replaced in the registry.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub replaced: Vec<Replaced>,
    /// The command folders that were in the registry's `Path` before, each as often as it was there.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub were_there: Vec<PathBuf>,
}

/// Reads a card; the format number is looked at before anything else.
pub(super) fn read(text: &str, file: &Path) -> Result<Card, YardError> {
    #[derive(Deserialize)]
    struct Numbered {
        card: u32,
    }
    let record = |source| YardError::Record { file: file.to_owned(), source };
    let found = toml::from_str::<Numbered>(text).map_err(record)?.card;
    if found != FORMAT {
        return Err(YardError::Format { file: file.to_owned(), found });
    }
    let card: Card = toml::from_str(text).map_err(record)?;
    let paths = card.commands.iter().map(|command| &*command.path);
    let mut places = card.layout.command_folders.iter().map(PathBuf::as_path).chain(paths);
    if let Some(place) = places.find(|place| !place.components().all(|part| matches!(part, Component::Normal(_)))) {
        return Err(YardError::Outside { file: file.to_owned(), place: place.to_owned() });
    }
    Ok(card)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_piece_is_taken_out_where_it_is_known_to_be_all_the_installers() {
        let piece = StartupText { file: "/h/.profile".into(), text: "b\nc\n".to_owned(), made: false };
        for (content, times, expected) in [
            ("a\nb\nc\nd\n", 1, Some("a\nd\n")),
            ("b\nc\n", 1, Some("")),
            ("b\nc\nd\nb\nc\n", 2, Some("d\n")),
            ("b\nc\nd\n", 2, Some("d\n")),
            // Somebody has copied it.
            ("b\nc\nd\nb\nc\n", 1, None),
            ("xb\nc\n", 1, None),
            ("b\nx\nc\n", 1, None),
        ] {
            assert_eq!(piece.taken_out(content, times).as_deref(), expected, "{content:?} {times}");
        }
    }
}
