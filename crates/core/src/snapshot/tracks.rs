//! PATH drawn: each entry a track, and for each name the way its lookup takes over them.

use std::collections::BTreeMap;

use super::compare::{name_key, names};
use super::format::{RecordedEntry, RecordedTerminal, Snapshot};
use super::lookup::Lookup;
use crate::progress::Stop;
use crate::resolve::{Caller, Candidate, FileKind, Reason, Standing};
use crate::system::System;

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TrackMap {
    /// The kinds of new terminals, the login shell's first.
    pub terminals: Vec<TrackTerminal>,
    pub names: Vec<TrackedName>,
}

/// A kind of new terminal: those in which every name means the same, by the same PATH.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrackTerminal {
    /// The shells, each with its ways of starting.
    pub shells: Vec<(String, Vec<String>)>,
    pub tracks: Vec<Track>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Track {
    pub entry: String,
    /// The folder, with the home as `~`.
    pub folder: String,
    pub put_by: Option<String>,
    pub line: Option<String>,
    pub tool: Option<String>,
    pub exists: bool,
    /// Whether it is in the system's PATH; Windows only.
    pub is_of_system: bool,
    pub leads_to: Option<String>,
    pub programs: usize,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrackedName {
    pub name: String,
    /// For each kind of terminal the files that it could mean, in order.
    pub stops: Vec<Vec<TrackStop>>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TrackStop {
    /// The track it lies on, from 0; `None` for the folder that a terminal opens in.
    pub track: Option<usize>,
    pub standing: Standing,
    pub reason: Option<Reason>,
    pub file: String,
    pub version: Option<String>,
    pub leads_to: Option<String>,
}

/// Draws a machine. Where the user asks to stop meanwhile, the drawing is of no use.
pub fn tracks(snapshot: &Snapshot, stop: &Stop) -> TrackMap {
    let lookup = Lookup::new(snapshot);
    let mut all: BTreeMap<String, String> = BTreeMap::new();
    for name in names(&lookup, lookup.terminals().next()) {
        all.entry(name_key(&name, snapshot.family()).into_owned()).or_insert(name);
    }
    if snapshot.family() == System::Windows {
        for file in extended(&lookup, all.values()) {
            all.entry(file.to_lowercase()).or_insert(file);
        }
    }
    let mut map = TrackMap::default();
    map.names = all.into_values().map(|name| TrackedName { name, stops: Vec::new() }).collect();
    for (caller, terminal) in lookup.terminals() {
        let found = map.names.iter().map(|name| match stop.requested() {
            true => Vec::new(),
            false => stops(&lookup, caller, terminal, &name.name),
        });
        let found: Vec<Vec<TrackStop>> = found.collect();
        let drawn: Vec<Track> = terminal.entries.iter().enumerate().map(|at| track(&lookup, terminal, at)).collect();
        let shell = (terminal.shell.clone(), terminal.modes.clone());
        let is_same = |at: &usize| {
            let same_names = || map.names.iter().zip(&found).all(|(name, found)| name.stops[*at] == *found);
            map.terminals[*at].tracks == drawn && same_names()
        };
        if let Some(at) = (0..map.terminals.len()).find(is_same) {
            let shells = &mut map.terminals[at].shells;
            match shells.iter_mut().find(|(known, _)| *known == shell.0) {
                Some((_, modes)) => modes.extend(shell.1),
                None => shells.push(shell),
            }
            continue;
        }
        map.terminals.push(TrackTerminal { shells: vec![shell], tracks: drawn });
        for (name, found) in map.names.iter_mut().zip(found) {
            name.stops.push(found);
        }
    }
    map.names.retain(|name| name.stops.iter().any(|stops| !stops.is_empty()));
    map.names.sort_by(|a, b| a.name.cmp(&b.name));
    map
}

/// The files that share a name with others but for the extension: typed with it, each means itself.
fn extended<'n>(lookup: &Lookup<'_>, names: impl Iterator<Item = &'n String>) -> Vec<String> {
    let mut extended = Vec::new();
    for name in names {
        let found = lookup.terminals().flat_map(|(caller, terminal)| stops(lookup, caller, terminal, name));
        let mut files: Vec<String> = found.map(|stop| stop.file).collect();
        files.sort_by_key(|file| file.to_lowercase());
        files.dedup_by(|a, b| a.eq_ignore_ascii_case(b));
        if files.len() > 1 {
            extended.extend(files);
        }
    }
    extended
}

fn track(lookup: &Lookup<'_>, terminal: &RecordedTerminal, (at, entry): (usize, &RecordedEntry)) -> Track {
    let folder = lookup.folder(entry);
    let line = entry.line.and_then(|line| {
        let mut stores = lookup.snapshot.stores.iter();
        let is_it =
            |place: &str, at: Option<usize>| Some(place) == entry.origin.as_deref() && at == usize::try_from(line).ok();
        stores.find(|store| is_it(&store.place, store.line)).map(|store| store.text.clone())
    });
    let runs = |kind: FileKind| matches!(kind, FileKind::Program | FileKind::AppAlias);
    Track {
        entry: entry.written().to_owned(),
        folder: lookup.entry_folder(entry),
        put_by: entry.origin.as_deref().map(|place| super::compare::put_by(place, entry.line)),
        line,
        tool: entry.tool.clone(),
        exists: folder.is_some_and(|folder| folder.exists),
        is_of_system: at < terminal.of_system,
        leads_to: folder.and_then(|folder| folder.leads_to.clone()),
        programs: folder.map_or(0, |folder| folder.files.iter().filter(|file| runs(file.kind)).count()),
    }
}

fn stops(lookup: &Lookup<'_>, caller: Caller, terminal: &RecordedTerminal, name: &str) -> Vec<TrackStop> {
    let stop = |candidate: &Candidate| {
        let file = lookup.file(&candidate.path);
        let shown = lookup.shown(&candidate.path);
        let separators: &[char] = if lookup.snapshot.family() == System::Windows { &['\\', '/'] } else { &['/'] };
        TrackStop {
            track: candidate.entry.as_ref().map(|(_, at)| *at),
            standing: candidate.standing,
            reason: candidate.reason,
            file: shown.rsplit(separators).next().unwrap_or_default().to_owned(),
            version: file.and_then(|file| file.version.clone()),
            leads_to: file.and_then(|file| file.leads_to.clone()),
        }
    };
    lookup.candidates(caller, terminal, name).iter().map(stop).collect()
}
