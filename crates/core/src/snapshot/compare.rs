//! What commands mean on two machines.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use super::format::{RecordedEntry, RecordedTerminal, Snapshot};
use super::lookup::Lookup;
use crate::naming::typed;
use crate::path_list::is_spelled_alike;
use crate::report::report_body;
use crate::resolve::{Caller, FileKind};
use crate::system::System;

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Difference {
    pub machines: Vec<String>,
    pub same: usize,
    /// The commands that mean something else, those that matter first.
    pub commands: Vec<CommandDifference>,
    /// Tools of the yards that are there in other versions, or on one machine only.
    pub tools: Vec<ToolDifference>,
    /// Entries of PATH that only one machine has, in the login shell's terminal.
    pub entries: Vec<EntryDifference>,
    /// Whether the entries that both have come in another order.
    pub other_order: bool,
    pub variables: Vec<VariableDifference>,
}

report_body!(Difference = "compare");

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct CommandDifference {
    pub name: String,
    /// Whether it matters: it is a command of a received tool, or its content is known to be another one.
    pub matters: bool,
    pub why: CompareWhy,
    /// What it means on each machine, in their order; null for nothing.
    pub means: Vec<Option<Meant>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, schemars::JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CompareWhy {
    OtherVersion,
    OtherContent,
    /// It is there on one machine only.
    OnOneOnly,
    /// It lies in another folder, and nothing is known of its content.
    OtherPlace,
    /// It lies in another folder, with the same content.
    SameContent,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Meant {
    pub path: String,
    pub version: Option<String>,
    /// What puts its folder into PATH, where that is known.
    pub put_by: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct ToolDifference {
    pub name: String,
    /// The version in use on each machine; null for none.
    pub versions: Vec<Option<String>>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct EntryDifference {
    pub entry: String,
    pub only_on: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct VariableDifference {
    pub name: String,
    /// Its value on each machine; null where it is not set.
    pub values: Vec<Option<String>>,
}

/// Compares what the login shells' terminals of two machines find.
pub fn compare(machines: [(&str, &Snapshot); 2]) -> Difference {
    let lookups = machines.map(|(_, snapshot)| Lookup::new(snapshot));
    let [one, two] = &lookups;
    let terminals = [one, two].map(|lookup| lookup.terminals().next());
    let received: BTreeSet<Cow<'_, str>> = machines
        .iter()
        .flat_map(|(_, snapshot)| snapshot.tools.iter().map(|tool| (snapshot.family(), tool)))
        .filter(|(_, tool)| tool.registered.is_some())
        .flat_map(|(system, tool)| tool.commands.iter().map(move |name| name_key(name, system)))
        .collect();
    let mut difference =
        Difference { machines: machines.map(|(name, _)| name.to_owned()).to_vec(), ..Difference::default() };
    let mut names: BTreeMap<String, String> = BTreeMap::new();
    for (lookup, terminal) in [one, two].into_iter().zip(terminals) {
        for name in self::names(lookup, terminal) {
            names.entry(name_key(&name, lookup.snapshot.family()).into_owned()).or_insert(name);
        }
    }
    for (key, name) in names {
        let means = [meaning(one, terminals[0], &name), meaning(two, terminals[1], &name)];
        let [of_one, of_two] = [0, 1].map(|at| means[at].as_ref());
        match why([of_one, of_two], [one.snapshot.family(), two.snapshot.family()]) {
            None => difference.same += 1,
            Some(why) => {
                let matters = why.matters(received.contains(key.as_str()));
                let means = means.map(|known| known.map(|known| known.meant())).to_vec();
                difference.commands.push(CommandDifference { name, matters, why, means });
            }
        }
    }
    difference.commands.sort_by(|a, b| (!a.matters, a.why, &a.name).cmp(&(!b.matters, b.why, &b.name)));
    difference.tools = tools(machines);
    (difference.entries, difference.other_order) = entries(machines, terminals);
    difference.variables = variables(machines);
    difference
}

impl CompareWhy {
    /// Whether it matters, of a command that belongs to a received tool or does not.
    pub(super) fn matters(self, is_received: bool) -> bool {
        match self {
            Self::SameContent => false,
            Self::OtherVersion | Self::OtherContent => true,
            Self::OnOneOnly | Self::OtherPlace => is_received,
        }
    }
}

pub(super) fn name_key(name: &str, system: System) -> Cow<'_, str> {
    if system == System::Windows { name.to_lowercase().into() } else { name.into() }
}

/// What is known of the file that a name means.
#[derive(Debug, Clone)]
pub(super) struct Known<'a> {
    pub path: String,
    pub version: Option<Cow<'a, str>>,
    pub put_by: Option<(Cow<'a, str>, Option<u32>)>,
    pub bytes: Option<u64>,
    pub sha256: Option<Cow<'a, str>>,
}

impl Known<'_> {
    pub fn meant(&self) -> Meant {
        Meant {
            path: self.path.clone(),
            version: self.version.as_deref().map(str::to_owned),
            put_by: self.put_by.as_ref().map(|(place, line)| put_by(place, *line)),
        }
    }
}

pub(super) fn meaning<'a>(lookup: &Lookup<'a>, terminal: Terminal<'a>, name: &str) -> Option<Known<'a>> {
    let (caller, terminal) = terminal?;
    let found = lookup.meaning(caller, terminal, name)?;
    let put_by = found.entry.and_then(|entry| Some((entry.origin.as_deref()?.into(), entry.line)));
    Some(Known {
        path: found.path,
        version: found.file.and_then(|file| Some(file.version.as_deref()?.into())),
        put_by,
        bytes: found.file.map(|file| file.bytes),
        sha256: found.file.and_then(|file| Some(file.sha256.as_deref()?.into())),
    })
}

/// What puts an entry into PATH, in one text.
pub(super) fn put_by(place: &str, line: Option<u32>) -> String {
    line.map_or_else(|| place.to_owned(), |line| format!("{place}:{line}"))
}

/// In what two meanings differ; `None` where they do not, as far as it is known.
pub(super) fn why(means: [Option<&Known<'_>>; 2], systems: [System; 2]) -> Option<CompareWhy> {
    let [Some(one), Some(two)] = means else {
        return means.iter().any(Option::is_some).then_some(CompareWhy::OnOneOnly);
    };
    let system = systems[0];
    let is_same_place = systems[0] == systems[1] && is_spelled_alike(one.path.as_ref(), two.path.as_ref(), system);
    if let (Some(a), Some(b)) = (&one.version, &two.version)
        && a != b
    {
        return Some(CompareWhy::OtherVersion);
    }
    match (&one.sha256, &two.sha256) {
        (Some(a), Some(b)) if a == b => (!is_same_place).then_some(CompareWhy::SameContent),
        (Some(_), Some(_)) => Some(CompareWhy::OtherContent),
        _ if is_same_place && one.bytes == two.bytes => None,
        _ if is_same_place => Some(CompareWhy::OtherContent),
        // Another length is another content, but two systems build the same program differently.
        _ if systems[0] == systems[1] && one.bytes.is_some() && two.bytes.is_some() && one.bytes != two.bytes => {
            Some(CompareWhy::OtherContent)
        }
        _ => Some(CompareWhy::OtherPlace),
    }
}

pub(super) fn names(lookup: &Lookup<'_>, terminal: Terminal<'_>) -> Vec<String> {
    if terminal.is_none() {
        return Vec::new();
    }
    let system = lookup.snapshot.family();
    let files = lookup.snapshot.folders.iter().flat_map(|folder| &folder.files);
    let runs = files.filter(|file| matches!(file.kind, FileKind::Program | FileKind::AppAlias));
    runs.map(|file| typed(file.name.as_ref(), system)).collect()
}

fn tools(machines: [(&str, &Snapshot); 2]) -> Vec<ToolDifference> {
    let in_use = machines.map(|(_, snapshot)| {
        let used = snapshot.tools.iter().filter(|tool| tool.in_service);
        used.map(|tool| (tool.name.clone(), tool.version.clone())).collect::<BTreeMap<_, _>>()
    });
    let names: BTreeSet<&String> = in_use.iter().flat_map(BTreeMap::keys).collect();
    let versions = |name: &String| in_use.iter().map(|used| used.get(name).cloned()).collect::<Vec<_>>();
    let differing = names.into_iter().map(|name| ToolDifference { name: name.clone(), versions: versions(name) });
    differing.filter(|tool| tool.versions[0] != tool.versions[1]).collect()
}

pub(super) type Terminal<'a> = Option<(Caller, &'a RecordedTerminal)>;

fn entries(machines: [(&str, &Snapshot); 2], terminals: [Terminal<'_>; 2]) -> (Vec<EntryDifference>, bool) {
    let lists = terminals.map(|terminal| {
        let entries = terminal.map(|(_, terminal)| &terminal.entries[..]).unwrap_or_default();
        entries.iter().map(|entry| entry.raw.as_str()).collect::<Vec<_>>()
    });
    let mut only = Vec::new();
    for (at, (name, _)) in machines.iter().enumerate() {
        let missing = lists[at].iter().filter(|entry| !lists[1 - at].contains(entry));
        only.extend(missing.map(|entry| EntryDifference {
            entry: RecordedEntry::literal(entry).unwrap_or(entry).to_owned(),
            only_on: (*name).to_owned(),
        }));
    }
    let shared = |at: usize| lists[at].iter().filter(|entry| lists[1 - at].contains(entry)).collect::<Vec<_>>();
    (only, shared(0) != shared(1))
}

fn variables(machines: [(&str, &Snapshot); 2]) -> Vec<VariableDifference> {
    let names: BTreeSet<&String> = machines.iter().flat_map(|(_, snapshot)| snapshot.variables.keys()).collect();
    let values = |name: &String| machines.map(|(_, snapshot)| snapshot.variables.get(name).cloned()).to_vec();
    let differing = names.into_iter().map(|name| VariableDifference { name: name.clone(), values: values(name) });
    differing.filter(|variable| variable.values[0] != variable.values[1]).collect()
}
