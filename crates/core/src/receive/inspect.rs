//! Looking into a downloaded file without unpacking it, and at what receiving it would bring here.

use std::cell::LazyCell;
use std::collections::HashSet;
use std::path::{Path, PathBuf};

use serde::Serialize;

use super::contents::{is_document, is_installer, is_sample, tree};
use super::download::{self, Summed, Trust};
use super::{ReceiveError, file_name, guess_names};
use crate::archive::{self, Compression, Container, Entry, EntryKind, LeftOut, Listing, Options, Source};
use crate::check;
use crate::checksum::Published;
use crate::finding::{Code, Finding};
use crate::layout::{self, Layout, LayoutError, Target, ToolName};
use crate::machine::{Environment, Machine};
use crate::os;
use crate::path_list::windows;
use crate::program::{Program, ProgramKind};
use crate::progress::Stop;
use crate::resolve::{self, Caller, Disk, Standing, Surroundings};
use crate::store::registry::RegistryKey;
use crate::system::System;
use crate::terminal;
use crate::yard::Yard;

/// What the file's names suggest.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Suggested {
    /// The tool.
    pub name: Option<String>,
    /// Its version.
    pub version: Option<String>,
    /// The system it is for.
    pub os: Option<&'static str>,
    /// The processor it is for.
    pub arch: Option<&'static str>,
    /// The variable that would point to its home.
    pub home_variable: Option<String>,
}

/// A command the file would bring.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct InspectedCommand {
    /// What a person types.
    pub name: String,
    /// Its file, relative to the home.
    pub path: PathBuf,
    /// The kind of program.
    pub program: ProgramKind,
    /// The system it was built for.
    pub os: Option<String>,
    /// The processor it was built for.
    pub arch: Option<String>,
    /// Why it would not run here; null where it would.
    pub hindrance: Option<String>,
    /// The files of that name in this terminal's PATH, the one that runs first.
    pub here: Vec<PathBuf>,
    /// The version that the first of them states.
    pub here_version: Option<String>,
    /// Whether one of those would still run once the tool is registered.
    pub stays_hidden: bool,
}

/// The report of `inspect`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct InspectReport {
    /// The format number.
    pub format: u32,
    /// `inspect`.
    pub report: &'static str,
    /// The file.
    pub file: PathBuf,
    /// The kind of archive.
    pub container: Container,
    /// What is around it.
    pub compression: Compression,
    /// The archive inside, where the file holds just that.
    pub inner: Option<String>,
    /// The file's size in bytes.
    pub bytes: u64,
    /// Its SHA-256 in hex; null for a large file of which only a part was read.
    pub sha256: Option<String>,
    /// The published checksums it was compared with.
    pub published: Vec<Published>,
    /// Files, folders and links.
    pub entries: usize,
    /// Files.
    pub files: usize,
    /// Their sizes together, in bytes.
    pub unpacked_bytes: u64,
    /// The wrapper folder; empty for none.
    pub wrapper: PathBuf,
    /// What lies in the home and one level below, folders ending in `/` with the number of files in them.
    pub tree: Vec<(String, usize)>,
    /// The command folders, relative to the home.
    pub command_folders: Vec<PathBuf>,
    /// The commands.
    pub commands: Vec<InspectedCommand>,
    /// What the names suggest.
    pub suggested: Suggested,
    /// The versions of the tool that the yard holds.
    pub held: Vec<String>,
    /// Sample settings, to be copied and edited.
    pub sample_settings: Vec<PathBuf>,
    /// Texts that tell how to set the tool up.
    pub documents: Vec<PathBuf>,
    /// Installers that lie in the archive.
    pub installers: Vec<PathBuf>,
    /// Entries that could do harm: `receive` refuses the archive for them.
    pub hazards: Vec<LeftOut>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// What is wanted.
#[derive(Debug, Clone, Default)]
pub struct InspectRequest {
    /// The file.
    pub file: PathBuf,
    /// What the publisher says of it.
    pub trust: Trust,
    /// Whether a large file is read to its end as well, for its checksum.
    pub whole: bool,
    /// Whether commands that are here already are not asked for their version.
    pub no_run: bool,
}

/// So many commands that are here already are asked for their version: who looks at a suite does not wait for all.
const MOST_ASKED: usize = 32;

/// Sample settings further down belong to something inside, in names on the way.
const DEEPEST_TOLD: usize = 4;

/// Up to this size the whole file is read in any case, in bytes.
const READ_WHOLE: u64 = 128 << 20;

/// Looks into a file. Of an archive whose parts can be read by themselves no more is read than is needed, unless there is
/// a published checksum to compare, or more is asked for.
///
/// # Errors
/// When it is nothing that can be unpacked, is not what was published, or cannot be read.
pub fn inspect(machine: &Machine, request: &InspectRequest, stop: &Stop) -> Result<InspectReport, ReceiveError> {
    let file = &request.file;
    let source = Source::open(file, &std::env::temp_dir(), stop)?;
    let published = download::published(file, &request.trust)?;
    let options = Options { leave_out_hazards: true, ..Options::default() };
    let format = &source.format;
    let in_parts = format.container != Container::Deb && format.compression == Compression::None;
    let (summed, mut listing) = if in_parts && published.is_empty() && format.bytes > READ_WHOLE && !request.whole {
        (None, archive::list(&source, options, stop)?)
    } else {
        let list = |_: &_| Ok(archive::list(&source, options, stop)?);
        let (summed, listing) = download::while_summing(&source, published, stop, list)?;
        (Some(summed), listing)
    };
    listing.leave_out_links(&layout::wrapper(&listing), None)?;
    let (layout, mut findings) = lay_out(&listing)?;
    findings.extend(summed.as_ref().and_then(Summed::finding));
    let guess = guess_names(file, &source.format).or(layout::guess(&file_name(&layout.wrapper)));
    let name: Option<ToolName> = guess.name.as_deref().and_then(|name| name.parse().ok());
    let home_variable = name.as_ref().and_then(|n| n.home_variable().ok()).map(|v| v.to_string());
    let held = match &name {
        Some(name) => Yard::of(machine).cards()?.into_iter().filter(|c| c.name == *name).collect(),
        None => Vec::new(),
    };
    let only_files = listing.entries.iter().filter(|e| e.kind == EntryKind::File);
    let files: Vec<&Path> = only_files.filter_map(|e| e.path.below(&layout.wrapper)).collect();
    let (mut sample_settings, mut documents, mut installers) = (Vec::new(), Vec::new(), Vec::new());
    for &file in &files {
        let depth = file.as_os_str().as_encoded_bytes().split(|b| std::path::is_separator(char::from(*b))).count();
        if depth > DEEPEST_TOLD {
            continue;
        }
        let name = file_name(file).to_ascii_lowercase();
        for (found, deepest, is) in [
            (&mut sample_settings, DEEPEST_TOLD, is_sample as fn(&str) -> bool),
            (&mut documents, 1, is_document),
            (&mut installers, 2, is_installer),
        ] {
            if depth <= deepest && is(&name) {
                found.push(file.to_owned());
            }
        }
    }
    for (path, fixed) in fixed_paths(&listing, &layout) {
        let seen = format!("{path} points to {fixed}, which may be nowhere here");
        findings.push(Finding::new(Code::FixedPath, seen).remedy("look into that file once it is unpacked"));
    }
    let mut commands = commands(&listing, &layout, &machine.environment, &system_folders(machine)?);
    if !request.no_run {
        let asked = commands.iter_mut().filter(|command| !command.here.is_empty()).take(MOST_ASKED);
        let (programs, places): (Vec<_>, Vec<_>) =
            asked.map(|command| ((command.name.clone(), command.here[0].clone()), &mut command.here_version)).unzip();
        for (place, version) in places.into_iter().zip(check::versions(&programs, &machine.environment, stop)) {
            *place = version;
        }
    }
    Ok(InspectReport {
        format: 1,
        report: "inspect",
        file: file.to_owned(),
        container: source.format.container,
        compression: source.format.compression,
        inner: source.format.inner.clone(),
        bytes: source.format.bytes,
        sha256: summed.as_ref().map(|summed| summed.sha256.to_string()),
        published: summed.map_or_else(Vec::new, |summed| summed.published),
        entries: listing.entries.len(),
        files: listing.files(),
        unpacked_bytes: listing.unpacked_bytes(),
        tree: tree(&files),
        commands,
        sample_settings,
        documents,
        installers,
        suggested: Suggested {
            name: guess.name,
            version: guess.version,
            os: guess.os,
            arch: guess.arch,
            home_variable,
        },
        held: held.into_iter().map(|card| card.version.to_string()).collect(),
        hazards: listing.left_out.clone(),
        wrapper: layout.wrapper,
        command_folders: layout.command_folders,
        findings,
    })
}

/// The layout, with programs for other machines where there are no others; none at all is told as a finding.
fn lay_out(listing: &Listing) -> Result<(Layout, Vec<Finding>), ReceiveError> {
    match layout::analyse(listing, &[], Target::here(true)) {
        Ok(layout) => Ok((layout, Vec::new())),
        Err(e @ (LayoutError::NoCommands | LayoutError::Source(_))) => {
            let told = crate::error::Blamed::hint(&e).unwrap_or_default();
            let wrapper = layout::wrapper(listing);
            let layout = Layout { wrapper, command_folders: Vec::new(), commands: Vec::new() };
            Ok((layout, vec![Finding::new(Code::NoCommands, e.to_string()).remedy(told)]))
        }
        Err(e) => Err(e.into()),
    }
}

/// The file at a place, or at the end of the link there.
fn file_of<'a>(listing: &'a Listing, place: &Path) -> Option<&'a Entry> {
    let entry = listing.entries.iter().find(|e| e.path.as_path() == place)?;
    match entry.kind {
        EntryKind::Link(_) => listing.link_ends().get(place).copied(),
        _ => Some(entry),
    }
}

fn commands(listing: &Listing, layout: &Layout, environment: &Environment, system: &[String]) -> Vec<InspectedCommand> {
    let around = Surroundings::of(environment, &std::env::current_dir().unwrap_or_default());
    let name = |entry: &Entry| entry.path.file_name().to_lowercase();
    // Only programs that need something ask for it.
    let brought: LazyCell<HashSet<String>, _> =
        LazyCell::new(|| listing.entries.iter().filter(|e| e.kind != EntryKind::Folder).map(name).collect());
    let caller = match os::HERE {
        System::Unix => Caller::Sh,
        System::Windows => Caller::Cmd,
    };
    let one = |command: &layout::Command| {
        let entry = file_of(listing, &layout.wrapper.join(&command.path));
        let missing = || entry?.needs.as_ref()?.missing(&brought, environment).into_iter().next();
        let candidates = resolve::candidates(caller, &command.name, &around, &Disk);
        let mut here: Vec<PathBuf> = Vec::new();
        for candidate in candidates.iter().filter(|c| c.standing != Standing::Skipped) {
            if !here.contains(&candidate.path) {
                here.push(candidate.path.clone());
            }
        }
        let winner = candidates.iter().find(|c| c.standing == Standing::Winner);
        let in_system = winner.is_some_and(|c| c.path.parent().is_some_and(|folder| is_of_system(folder, system)));
        InspectedCommand {
            name: command.name.clone(),
            path: command.path.clone(),
            program: command.program,
            os: command.os.clone(),
            arch: command.arch.clone(),
            hindrance: entry
                .and_then(|entry| hindrance(entry.program.as_ref()?))
                .or_else(|| missing().map(|what| format!("it needs {what}, which is neither in the file nor here"))),
            here,
            here_version: None,
            stays_hidden: in_system || resolve::builtin(caller, &command.name),
        }
    };
    layout.commands.iter().map(one).collect()
}

/// The folders of the system's PATH on Windows, which come before the user's, and so before what is registered there.
fn system_folders(machine: &Machine) -> Result<Vec<String>, ReceiveError> {
    if os::HERE == System::Unix {
        return Ok(Vec::new());
    }
    let mut background = terminal::background(machine)?;
    background.registry.user = RegistryKey::default();
    let variables = background.variables();
    let path = variables.iter().find(|(name, _)| name.eq_ignore_ascii_case("Path"));
    Ok(path.map_or_else(Vec::new, |(_, path)| windows::parts(path).into_iter().map(windows::folder).collect()))
}

fn is_of_system(folder: &Path, system: &[String]) -> bool {
    let plain = |text: &str| text.trim_end_matches('\\').to_lowercase();
    system.iter().any(|one| plain(one) == plain(&folder.to_string_lossy()))
}

/// Why a program does not run here.
fn hindrance(program: &Program) -> Option<String> {
    if !program.is_native(os::SYSTEM, std::env::consts::ARCH) {
        let words = match (program.os, program.arch) {
            (Some(os), Some(arch)) => format!("it is for {os} on {arch}"),
            (Some(os), None) => format!("it is for {os}"),
            _ => "it is for another machine".to_owned(),
        };
        return Some(words);
    }
    let interpreter = program.interpreter.as_ref()?.split_whitespace().next()?;
    (os::HERE == System::Unix && !Path::new(interpreter).exists())
        .then(|| format!("its interpreter {interpreter} is not here"))
}

fn fixed_paths(listing: &Listing, layout: &Layout) -> Vec<(String, String)> {
    let fixed = |command: &layout::Command| {
        let program = file_of(listing, &layout.wrapper.join(&command.path))?.program.as_ref()?;
        Some((command.path.to_string_lossy().into_owned(), program.fixed_path.clone()?))
    };
    layout.commands.iter().filter_map(fixed).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_of_the_system_is_known_however_it_is_spelled() {
        let system = [r"C:\Windows\system32\".to_owned()];
        assert!(is_of_system(Path::new(r"c:\windows\System32"), &system));
        assert!(!is_of_system(Path::new(r"C:\Windows\system32\x"), &system));
    }
}
