//! Comparing many machines with one. Where all that a lookup depends on is equal, so is its outcome: only other names are
//! looked up.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::BTreeSet;

use foldhash::{HashMap, HashSet};

use super::brief::{Baseline, First, SnapshotView, Text};
use super::compare::{CompareWhy, Known, Meant, Terminal, meaning, name_key, names, why};
use super::format::{FORMAT, Snapshot};
use super::lookup::Lookup;
use crate::system::System;

pub struct Base<'b> {
    lookup: Lookup<'b>,
    terminal: Terminal<'b>,
    ground: Option<Baseline<'b>>,
    received: HashSet<Cow<'b, str>>,
    /// Its names as it spells them, by what tells them apart; Windows only.
    spellings: HashMap<String, String>,
    /// What its names mean, as far as somebody has asked, by what tells names apart.
    meanings: HashMap<String, Option<Known<'b>>>,
}

/// A command that means something else than on the base, in a way that matters.
pub struct DifferingCommand {
    pub name: String,
    /// What it means; `None` for nothing.
    pub means: Option<Meant>,
    pub why: CompareWhy,
}

/// The text of a snapshot, read as far as a comparison needs it.
pub struct BriefSnapshot<'a>(SnapshotView<'a>);

impl<'a> BriefSnapshot<'a> {
    /// Reads a document; `None` where [`super::read`] has to say what is wrong with it.
    pub fn of(text: &'a [u8]) -> Option<Self> {
        let brief: SnapshotView<'a> = serde_json::from_slice(text).ok()?;
        (brief.snapshot == FORMAT).then_some(Self(brief))
    }

    pub fn name(&self) -> Option<&str> {
        self.0.name.as_ref().map(Text::as_str)
    }
}

impl<'b> Base<'b> {
    /// Of a snapshot, and the same read briefly.
    pub fn new(snapshot: &'b Snapshot, brief: &'b BriefSnapshot<'b>) -> Self {
        let lookup = Lookup::new(snapshot);
        let terminal = lookup.terminals().next();
        let registered = snapshot.tools.iter().filter(|tool| tool.registered.is_some());
        let keys = registered.flat_map(|tool| tool.commands.iter().map(|name| name_key(name, snapshot.family())));
        let received = keys.collect();
        let spelled = |name: String| (name.to_lowercase(), name);
        let spellings = match snapshot.family() {
            System::Unix => HashMap::default(),
            System::Windows => names(&lookup, terminal).into_iter().map(spelled).collect(),
        };
        Self { lookup, terminal, ground: Baseline::of(&brief.0), received, spellings, meanings: HashMap::default() }
    }

    /// What a name means on the base, where another machine differs in it.
    pub fn meaning(&self, name: &str) -> Option<Meant> {
        let known = self.meanings.get(&*name_key(name, self.lookup.snapshot.family()))?;
        known.as_ref().map(Known::meant)
    }

    /// The commands that mean something else on another machine, in a way that matters. `whole` reads all of its snapshot.
    pub fn differing<E>(
        &mut self,
        other: &BriefSnapshot<'_>,
        whole: impl Fn() -> Result<Snapshot, E>,
    ) -> Result<Vec<DifferingCommand>, E> {
        let ground = Baseline::of(&other.0);
        let registered = other.0.tools.iter().filter(|tool| tool.registered.is_some());
        let commands = registered.flat_map(|tool| &tool.commands);
        let received: HashSet<Cow<'_, str>> = commands.map(|name| name_key(name.as_str(), other.0.system())).collect();
        let (read, looked_up) = (OnceCell::new(), OnceCell::new());
        let snapshot = || or_init(&read, &whole);
        let systems = [self.lookup.snapshot.family(), other.0.system()];
        let suspects = match (&self.ground, &ground) {
            (Some(base), Some(other)) => base.differing(other),
            _ => self.all_names(snapshot()?).into_iter().map(Into::into).collect(),
        };
        let suspects: Vec<Cow<'_, str>> = match systems[0] {
            System::Unix => suspects.into_iter().collect(),
            // Of several spellings the base's.
            System::Windows => {
                let keys: BTreeSet<String> = suspects.into_iter().map(|name| name.to_lowercase()).collect();
                keys.into_iter().map(|key| self.spellings.get(&key).cloned().unwrap_or(key).into()).collect()
            }
        };
        let places = ground.as_ref().and_then(|ground| ground.places(self.ground.as_ref()));
        let mut differing = Vec::new();
        for name in suspects {
            let there = match places.as_ref().and_then(|places| places.first(&name)) {
                Some(first) => first.map(|first| known(&first)),
                None => {
                    let lookup = or_init(&looked_up, || Ok(Lookup::new(snapshot()?)))?;
                    meaning(lookup, lookup.terminals().next(), &name)
                }
            };
            let key = name_key(&name, systems[0]);
            if !self.meanings.contains_key(&*key) {
                let here = meaning(&self.lookup, self.terminal, &name);
                self.meanings.insert(key.clone().into_owned(), here);
            }
            let here = self.meanings.get(&*key).and_then(Option::as_ref);
            let why = why([here, there.as_ref()], systems);
            let is_received = self.received.contains(&*key) || received.contains(&*key);
            if let Some(why) = why.filter(|why| why.matters(is_received)) {
                differing.push(DifferingCommand {
                    name: name.into_owned(),
                    means: there.as_ref().map(Known::meant),
                    why,
                });
            }
        }
        if ground.as_ref().is_some_and(Baseline::is_broken) {
            // That says what is wrong with it.
            snapshot()?;
        }
        Ok(differing)
    }

    /// All names that could be typed on either machine.
    fn all_names(&self, other: &Snapshot) -> BTreeSet<String> {
        let other = Lookup::new(other);
        let machines = [(&self.lookup, self.terminal), (&other, other.terminals().next())];
        machines.into_iter().flat_map(|(lookup, terminal)| names(lookup, terminal)).collect()
    }
}

fn or_init<T, E>(cell: &OnceCell<T>, make: impl FnOnce() -> Result<T, E>) -> Result<&T, E> {
    if let Some(made) = cell.get() {
        return Ok(made);
    }
    let made = make()?;
    Ok(cell.get_or_init(|| made))
}

fn known<'g>(first: &First<'g>) -> Known<'g> {
    let text = |text: &'g Option<Text<'g>>| text.as_ref().map(|text| text.as_str().into());
    Known {
        path: first.path(),
        version: text(&first.file.version),
        put_by: first.entry.origin.as_ref().map(|origin| (origin.as_str().into(), first.entry.line)),
        bytes: Some(first.file.bytes),
        sha256: text(&first.file.sha256),
    }
}
