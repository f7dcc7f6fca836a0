//! The job: reads no more of the file than is needed, and says what receiving it would bring here.

use std::path::{Path, PathBuf};

use super::commands::commands;
use super::contents::{is_document, is_installer, is_sample, tree};
use super::error::InspectError;
use super::recorded;
use super::report::{Inspected, InspectedCommand, InspectedFile, Suggested};
use crate::archive::{self, Compression, Container, EntryKind, Listing, Options};
use crate::check;
use crate::checksum::{Summed, Trust, TrustError};
use crate::error::Classified as _;
use crate::finding::{Code, Finding};
use crate::installer::{look_first, recognise};
use crate::jobs::fit::{Files, Unplaced};
use crate::jobs::opening::Opened;
use crate::jobs::preparing::add_launchers;
use crate::jobs::summing::while_summing;
use crate::jobs::tool_names::file_name;
use crate::layout::{self, Layout, LayoutError, Target};
use crate::naming::{self, ToolName};
use crate::prepare::Launcher;
use crate::program::{DownloadMark, MarkFate};
use crate::progress::Processor;
use crate::report::{Report, ReportPath};
use crate::session::{JobError, Session};
use crate::snapshot::Snapshot;
use crate::terminal::{self, Question};

/// What is asked of `inspect`.
#[derive(Debug, Clone, Default)]
pub struct InspectRequest {
    pub file: PathBuf,
    pub trust: Trust,
    /// Whether a large file is read to its end as well, for its checksum.
    pub whole: bool,
    /// Whether commands that are here already are asked for their version.
    pub versions: bool,
    /// The machine that it is for, where that is not this one.
    pub there: Option<Snapshot>,
}

/// At most this many commands that are here already are asked for their version, so that a suite does not take long.
const MOST_ASKED: usize = 32;

/// Shells are asked of at most this many commands whether they are aliases or functions.
const MOST_NAMES: usize = 200;

/// Sample settings further down belong to something inside, in names on the way.
const DEEPEST_TOLD: usize = 4;

/// Up to this size the whole file is read in any case, in bytes.
const READ_WHOLE: u64 = 128 << 20;

/// Looks into a file. Of an archive whose parts can be read by themselves no more is read than is needed, unless there is
/// a published checksum to compare, or more is asked for.
pub fn run(session: &Session, request: &InspectRequest) -> Result<Report<Inspected>, JobError> {
    match recognise(&request.file)? {
        Some(_) if request.there.is_some() => Err(InspectError::InstallerElsewhere.into()),
        Some(installer) => {
            let installer = Box::new(look_first(session, &request.file, installer, request.versions)?);
            let mark = DownloadMark::of(&request.file).map(|mark| mark.finding(MarkFate::Seen));
            Ok(Report::new(Inspected::Installer { installer }).with_findings(mark.into_iter().collect()))
        }
        None => archive(session, request),
    }
}

fn archive(session: &Session, request: &InspectRequest) -> Result<Report<Inspected>, JobError> {
    let stop = &session.stop;
    let file = &request.file;
    let there = request.there.as_ref();
    let target = there.map_or_else(|| Target::here(session.system(), true), recorded::target);
    let opened = Opened::open(session, file, target.system)?;
    let launchers = opened.launchers(target.system);
    let Opened { source, guess, .. } = opened;
    let published = request.trust.published(file).map_err(TrustError::from)?;
    let options = Options { leave_out_hazards: true, ..Options::default() };
    let format = &source.format;
    let in_parts = format.container != Container::Deb && format.compression == Compression::None;
    let (summed, mut listing) = if in_parts && published.is_empty() && format.bytes > READ_WHOLE && !request.whole {
        (None, archive::list(&source, options, stop)?)
    } else {
        let list = |_: &Processor| Ok::<_, JobError>(archive::list(&source, options, stop)?);
        let (summed, listing) = while_summing(&source, published, stop, list)?;
        (Some(summed), listing)
    };
    listing.leave_out_links(&layout::wrapper(&listing), None)?;
    let (layout, mut findings) = lay_out(&listing, target, &launchers)?;
    findings.extend(summed.iter().flat_map(Summed::findings));
    findings.extend(DownloadMark::of(file).map(|mark| mark.finding(MarkFate::Seen)));
    let guess = guess.or(naming::guess(&file_name(&layout.wrapper)));
    let name: Option<ToolName> = guess.name.as_deref().and_then(|name| name.parse().ok());
    let home_variable = name.as_ref().and_then(|n| n.home_variable().ok()).map(|v| v.to_string());
    let held = match (&name, there) {
        (Some(name), Some(there)) => {
            there.tools.iter().filter(|tool| tool.name == name.as_str()).map(|tool| tool.version.clone()).collect()
        }
        (Some(name), None) => {
            session.stock()?.iter().filter(|c| c.name == *name).map(|card| card.version.to_string()).collect()
        }
        (None, _) => Vec::new(),
    };
    let only_files = listing.entries.iter().filter(|e| e.kind == EntryKind::File);
    let files: Vec<&Path> = only_files.filter_map(|e| e.path.below(&layout.wrapper)).collect();
    let [sample_settings, documents, installers] =
        [(is_sample as fn(&str) -> bool, DEEPEST_TOLD), (is_document, 1), (is_installer, 2)]
            .map(|(is, deepest)| named_so(&files, is, deepest));
    let by_place = Files::of(&listing);
    for (path, fixed) in fixed_paths(&by_place, &layout) {
        let seen = format!("{path} refers to {fixed}, which may not exist here");
        findings.push(Finding::new(Code::FixedPath, seen).remedy("check that file after unpacking"));
    }
    let tool = Unplaced { listing: &listing, files: &by_place, layout: &layout, root: None };
    let commands = match there {
        Some(there) => recorded::commands(&tool, there),
        None => here(session, request, &tool)?,
    };
    let inspected = InspectedFile {
        file: file.clone().into(),
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
        held,
        hazards: listing.left_out.clone(),
        wrapper: layout.wrapper.into(),
        command_folders: layout.command_folders.into_iter().map(Into::into).collect(),
    };
    Ok(Report::new(Inspected::File(Box::new(inspected))).with_findings(findings))
}

/// The files of such names that lie no deeper.
fn named_so(files: &[&Path], is: fn(&str) -> bool, deepest: usize) -> Vec<ReportPath> {
    let depth =
        |file: &Path| file.as_os_str().as_encoded_bytes().split(|b| std::path::is_separator(char::from(*b))).count();
    let found = files.iter().filter(|file| depth(file) <= deepest && is(&file_name(file).to_ascii_lowercase()));
    found.map(|file| ReportPath::from(*file)).collect()
}

/// The commands with what becomes of them on this machine.
fn here(session: &Session, request: &InspectRequest, tool: &Unplaced<'_>) -> Result<Vec<InspectedCommand>, JobError> {
    let machine = &session.machine;
    let mut names: Vec<String> = tool.layout.commands.iter().map(|command| command.name.clone()).collect();
    // Of a large suite what the files say is enough: a shell takes long over thousands of names.
    names.truncate(MOST_NAMES);
    let answers = session.asking()?.everywhere(Question { commands: &names, variables: &[] });
    let of_terminal = answers.iter().find_map(|answer| answer.said.as_ref().ok());
    let environment = of_terminal.map_or(&machine.environment, |said| &said.environment);
    let fits = match request.versions {
        true => tool.fits_by_answers(session, environment)?,
        false => tool.fits_by_files(environment),
    };
    let mut commands = commands(tool, fits, machine, &answers, &terminal::system_path(machine)?);
    if request.versions {
        let asked =
            commands.iter().filter_map(|command| Some((command.name.clone(), command.here.first()?.to_path_buf())));
        let asked: Vec<(String, PathBuf)> = asked.take(MOST_ASKED).collect();
        let versions = check::versions(session, &asked, environment)?;
        for command in &mut commands {
            command.here_version = command.here.first().and_then(|first| versions.get(&**first).cloned());
        }
    }
    Ok(commands)
}

/// The layout, with programs for other machines where there are no others; none at all is told as a finding.
pub(super) fn lay_out(
    listing: &Listing,
    target: Target<'_>,
    launchers: &[Launcher],
) -> Result<(Layout, Vec<Finding>), LayoutError> {
    match layout::analyse(listing, &[], target) {
        Ok(layout) => Ok((layout, Vec::new())),
        Err(LayoutError::NoCommands) if !launchers.is_empty() => {
            let wrapper = layout::wrapper(listing);
            let mut layout =
                Layout { wrapper, command_folders: Vec::new(), commands: Vec::new(), completions: Vec::new() };
            add_launchers(&mut layout.command_folders, &mut layout.commands, launchers, target.system);
            Ok((layout, Vec::new()))
        }
        Err(e @ (LayoutError::NoCommands | LayoutError::Source(_))) => {
            let told = e.hint().unwrap_or_default();
            let wrapper = layout::wrapper(listing);
            let layout = Layout { wrapper, command_folders: Vec::new(), commands: Vec::new(), completions: Vec::new() };
            Ok((layout, vec![Finding::new(Code::NoCommands, e.to_string()).remedy(told)]))
        }
        Err(e) => Err(e),
    }
}

fn fixed_paths(files: &Files<'_>, layout: &Layout) -> Vec<(String, String)> {
    let fixed = |command: &layout::Command| {
        let program = files.at(&layout.wrapper.join(&command.path))?.program.as_ref()?;
        Some((command.path.to_string_lossy().into_owned(), program.fixed_path.clone()?))
    };
    layout.commands.iter().filter_map(fixed).collect()
}
