//! The tools in the yard, as their cards have them.

use std::fs;
use std::ops::Deref;
use std::path::{Path, PathBuf};
use std::sync::PoisonError;

use super::card::{self, Card};
use super::error::YardError;
use super::place::{Yard, list};
use crate::error::FileContext as _;
use crate::finding::{Code, Finding};
use crate::naming::{ToolName, Version, compare_versions, did_you_mean};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BrokenCard {
    pub file: PathBuf,
    pub why: String,
}

/// All cards whose tool is there, by name and then by time of receiving. A card without its folder is the trace of a
/// receiving that was broken off, and does not count.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Stock {
    cards: Vec<Card>,
    pub broken: Vec<BrokenCard>,
}

impl Deref for Stock {
    type Target = [Card];

    fn deref(&self) -> &[Card] {
        &self.cards
    }
}

impl Yard {
    /// Reads the cards. One that cannot be read is noted, and those beside it count.
    pub fn stock(&self) -> Result<Stock, YardError> {
        let mut stock = Stock::default();
        for file in card_files(self)? {
            match self.read_again(&file) {
                Ok(card) if self.home_of(&card).is_dir() => stock.cards.push(card),
                Ok(_) => {}
                Err(error) => stock.broken.push(BrokenCard { why: why(&error), file }),
            }
        }
        stock.sort();
        Ok(stock)
    }

    /// Reads a card; one whose text is the same as last time is not parsed again.
    fn read_again(&self, file: &Path) -> Result<Card, YardError> {
        let text = fs::read_to_string(file).at("read", file)?;
        let mut read = self.read.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, card)) = read.get(file).filter(|(known, _)| *known == text) {
            return Ok(card.clone());
        }
        let card = card::read(&text, file)?;
        read.insert(file.to_owned(), (text, card.clone()));
        Ok(card)
    }
}

impl Stock {
    /// The stock, where every card of it can be read: what is written from cards must not leave a tool out.
    pub fn whole(self) -> Result<Self, YardError> {
        match self.broken.first() {
            // Read again, for the error as it is; a card that has become whole meanwhile is somebody else's work.
            Some(broken) => read_card(&broken.file).and(Ok(self)),
            None => Ok(self),
        }
    }

    pub fn findings(&self) -> Vec<Finding> {
        let told = |broken: &BrokenCard| {
            let seen = format!("the card {} cannot be read: {}", broken.file.display(), broken.why);
            let remedy = "correct that file, or remove it and receive the tool again";
            Finding::new(Code::CardUnreadable, seen).remedy(remedy)
        };
        self.broken.iter().map(told).collect()
    }

    /// Finds the card of `NAME` (the version in service) or `NAME@VERSION`.
    pub fn find(&self, wanted: &str) -> Result<&Card, YardError> {
        let (name, version) = wanted.split_once('@').map_or((wanted, None), |(n, v)| (n, Some(v)));
        let no_tool = || {
            let all = self.cards.iter().map(|card| card.name.to_string()).collect::<std::collections::BTreeSet<_>>();
            YardError::NoTool { name: name.to_owned(), meant: did_you_mean(name, all) }
        };
        let tool: ToolName = name.parse().map_err(|_| no_tool())?;
        let held = self.versions(&tool);
        let of_tool = |broken: &&BrokenCard| broken.file.parent().is_some_and(|folder| folder.ends_with(tool.as_str()));
        let broken = || match self.broken.iter().find(of_tool) {
            Some(broken) => read_card(&broken.file).map(drop),
            None => Ok(()),
        };
        let Some(version) = version else {
            broken()?;
            return in_service(held.iter()).ok_or_else(no_tool);
        };
        let parsed: Option<Version> = version.parse().ok();
        if let Some(card) = held.iter().find(|c| Some(&c.version) == parsed.as_ref()) {
            return Ok(card);
        }
        broken()?;
        if held.is_empty() {
            return Err(no_tool());
        }
        let mut versions: Vec<&str> = held.iter().map(|c| c.version.as_str()).collect();
        versions.sort_by(|a, b| compare_versions(a, b));
        Err(YardError::NoVersion { name: tool, version: version.to_owned(), held: versions.join(", ") })
    }

    fn sort(&mut self) {
        self.cards.sort_by(|a, b| (&a.name, &a.received).cmp(&(&b.name, &b.received)));
    }

    /// The cards of a tool, the one received last at the end.
    pub fn versions(&self, name: &ToolName) -> &[Card] {
        let begin = self.cards.partition_point(|card| card.name < *name);
        let rest = &self.cards[begin..];
        &rest[..rest.partition_point(|card| card.name == *name)]
    }

    pub fn version(&self, name: &ToolName, version: &Version) -> Option<&Card> {
        self.versions(name).iter().find(|card| card.version == *version)
    }

    pub fn in_service(&self) -> Vec<&Card> {
        self.cards.chunk_by(|a, b| a.name == b.name).filter_map(|versions| in_service(versions.iter())).collect()
    }

    /// The registered tools, the one that comes first in PATH first: what was registered later.
    pub fn registered(&self) -> Vec<&Card> {
        let since = |card: &Card| card.registration.as_ref().map(|r| r.since.clone());
        let mut cards: Vec<&Card> = self.cards.iter().filter(|card| card.registration.is_some()).collect();
        cards.sort_by_key(|card| std::cmp::Reverse(since(card)));
        cards
    }

    /// The stock as it will be with these cards in place of those of the same version, or beside them.
    pub fn with(mut self, written: Vec<Card>) -> Self {
        for card in written {
            self.take_out(&card.name, &card.version);
            self.cards.push(card);
        }
        self.sort();
        self
    }

    pub fn take_out(&mut self, name: &ToolName, version: &Version) {
        self.cards.retain(|card| !(card.name == *name && card.version == *version));
    }
}

/// The version in service of one tool: the one that is registered, else the one received last.
fn in_service<'a>(versions: impl Iterator<Item = &'a Card> + Clone) -> Option<&'a Card> {
    let since = |card: &&Card| card.registration.as_ref().map(|r| r.since.clone());
    versions.clone().filter(|card| since(card).is_some()).max_by_key(since).or_else(|| versions.last())
}

pub(super) fn card_files(yard: &Yard) -> Result<Vec<PathBuf>, YardError> {
    let mut files = Vec::new();
    for folder in list(&yard.cards_folder())? {
        files.extend(list(&folder)?.into_iter().filter(|f| f.extension().is_some_and(|e| e == "toml")));
    }
    Ok(files)
}

pub(super) fn read_card(file: &Path) -> Result<Card, YardError> {
    card::read(&fs::read_to_string(file).at("read", file)?, file)
}

fn why(error: &YardError) -> String {
    let mut reason: &dyn std::error::Error = error;
    while let Some(source) = reason.source() {
        reason = source;
    }
    let text = reason.to_string();
    let lines: Vec<&str> = text.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    // What TOML's reader says last is what is wrong; before it stands where.
    match lines[..] {
        [place, .., last] if place.starts_with("TOML") => format!("{place}: {last}"),
        [first, ..] => first.to_owned(),
        [] => "unknown reason".to_owned(),
    }
}
