//! Bringing a folder that is already in place under the yard's records, and looking for such folders.

use std::path::{Path, PathBuf};

use serde::Serialize;

use super::{HomeVariables, ReceiveError, Registrar, names_or, now, registration};
use crate::check::{self, ToolCheck, Verdict, check};
use crate::error::FileContext as _;
use crate::finding::{Code, Finding};
use crate::layout::{self, Command, Layout, Target, ToolName, Variable, Version};
use crate::machine::{Environment, Machine};
use crate::os;
use crate::path_list;
use crate::progress::Stop;
use crate::resolve::same_file;
use crate::store::{RegistryChange, StartupChange, StorePlan};
use crate::survey::cleaned_place;
use crate::terminal::{self, Answer, Asking, Question};
use crate::yard::{Acts, Card, CardLayout, Change, Scope, Settings, Source, StartupText, Yard, YardError};

/// What the user asks for.
#[derive(Debug, Clone, Default)]
pub struct AdoptRequest {
    /// The folder.
    pub folder: PathBuf,
    /// The tool's name, where it is not to be guessed.
    pub name: Option<ToolName>,
    /// Its version, where it is not to be guessed.
    pub version: Option<Version>,
    /// Its command folders, where they are not to be found; absolute, or relative to the folder.
    pub command_folders: Vec<PathBuf>,
    /// Its home variables.
    pub home_variables: HomeVariables,
    /// Whose PATH.
    pub scope: Scope,
    /// The only commands in it that are the tool's: others share the folder.
    pub only: Option<Vec<String>>,
    /// Whether a tool that is on record in this folder is taken as replaced by what is there now.
    pub renew: bool,
    /// Whether the folder is moved into the yard.
    pub move_in: bool,
    /// How its programs are removed, where an installer has brought them.
    pub uninstaller: Option<Vec<String>>,
    /// What its installer put into startup files.
    pub added: Vec<StartupText>,
    /// What the card says of where it came from; the folder itself where nothing else is known.
    pub source: Option<Source>,
    /// Whether only the plan is wanted.
    pub dry_run: bool,
}

/// The report of `adopt`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct AdoptReport {
    /// The format number.
    pub format: u32,
    /// `adopt`.
    pub report: &'static str,
    /// Whether this is only what would be done.
    pub dry_run: bool,
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Its home: the folder, or its new place in the yard.
    pub home: PathBuf,
    /// Whether it was moved there.
    pub moved: bool,
    /// The command folders, absolute.
    pub command_folders: Vec<PathBuf>,
    /// The commands.
    pub commands: Vec<Command>,
    /// The variables that point to the home.
    pub home_variables: Vec<Variable>,
    /// Whether new terminals had all of it already, so that nothing was registered.
    pub was_registered: bool,
    /// The version that was on record here, and is replaced by this; null for none.
    pub renewed: Option<String>,
    /// Whose PATH.
    pub scope: Scope,
    /// What happens to the startup files.
    pub startup_files: Vec<StartupChange>,
    /// What happens to values of the registry.
    pub registry_values: Vec<RegistryChange>,
    /// The check at the end; null for a dry run.
    pub check: Option<ToolCheck>,
    /// Its verdict; null for a dry run.
    pub verdict: Option<Verdict>,
    /// The number of the change; null for a dry run.
    pub change: Option<u64>,
    /// What else is worth telling.
    pub findings: Vec<Finding>,
}

/// Adopts a folder: its layout is found as that of an archive, a card is written, what is not registered is registered,
/// and everything is checked.
///
/// # Errors
/// When it holds no tool, or something is in the way; nothing is changed then.
pub fn adopt(machine: &Machine, request: &AdoptRequest, stop: &Stop) -> Result<AdoptReport, ReceiveError> {
    let yard = Yard::of(machine);
    let settings = yard.settings()?;
    if !request.dry_run {
        registration::check_scope(machine, request.scope)?;
    }
    let folder = std::path::absolute(&request.folder).at("find", &request.folder).map_err(YardError::from)?;
    let (root, layout) = look(&folder, &request.command_folders, request.only.as_deref())?;
    if root.starts_with(yard.root()) {
        return Err(ReceiveError::InYard(root));
    }
    path_list::check_entry(&root, os::HERE).map_err(|source| ReceiveError::YardPlace { yard: root.clone(), source })?;
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let lock = if request.dry_run { None } else { Some(yard.lock()?) };
    let is_known =
        |card: &Card| yard.home_of(card) == root && (request.only.is_none() || shares_command(card, &layout));
    let old = yard.cards()?.into_iter().find(is_known);
    let (name, version) = named(request, old.as_ref(), &root, &layout, &asking)?;
    if let Some(known) = old.as_ref().filter(|known| !request.renew || known.name != name) {
        let (name, version) = (known.name.clone(), known.version.clone());
        return Err(ReceiveError::OnRecord { folder: root, name, version });
    }
    let replaces_itself = old.as_ref().is_some_and(|known| known.version == version);
    if !replaces_itself && let Ok(known) = yard.find(&format!("{name}@{version}")) {
        return Err(ReceiveError::OnRecordElsewhere { name, version, home: yard.home_of(&known) });
    }
    let home = if request.move_in { yard.home(&name, &version) } else { root.clone() };
    let of_old = old.as_ref().and_then(|known| known.registration.as_ref());
    let home_variables = match &request.home_variables {
        HomeVariables::Usual if of_old.is_some() => of_old.map(|r| r.home_variables.clone()).unwrap_or_default(),
        HomeVariables::Usual => vec![name.home_variable().map_err(ReceiveError::HomeVariable)?],
        HomeVariables::None => Vec::new(),
        HomeVariables::These(given) => given.clone(),
    };
    // What was registered by us stays ours.
    let was_registered =
        !request.move_in && of_old.is_none() && is_registered(&asking, &root, &layout, &home_variables);
    let scope = of_old.map_or(request.scope, |registration| registration.scope);
    let card = Card {
        card: 1,
        name: name.clone(),
        version: version.clone(),
        received: now(),
        source: request.source.clone().unwrap_or_else(|| of_folder(&root)),
        layout: CardLayout { wrapper: PathBuf::new(), command_folders: layout.command_folders.clone() },
        commands: layout.commands.clone(),
        folder: (!request.move_in).then(|| root.clone()),
        uninstaller: request.uninstaller.clone().or_else(|| old.as_ref()?.uninstaller.clone()),
        added: old.iter().flat_map(|known| &known.added).chain(&request.added).cloned().collect(),
        probe: old.as_ref().and_then(|known| known.probe.clone()),
        answers: std::collections::BTreeMap::new(),
        requires: old.as_ref().map(|known| known.requires.clone()).unwrap_or_default(),
        trials: old.as_ref().map(|known| known.trials.clone()).unwrap_or_default(),
        registration: (!was_registered).then(|| registration::registration(scope, home_variables.clone())),
    };
    let registrar = Registrar::new(machine, &yard, &settings, stop);
    let plan = card.registration.is_some().then(|| registrar.plan(Some(&card), None)).transpose()?;
    let mut report = AdoptReport {
        format: 1,
        report: "adopt",
        dry_run: request.dry_run,
        name: name.to_string(),
        version: version.to_string(),
        moved: request.move_in,
        command_folders: layout.command_folders.iter().map(|below| below_home(&home, below)).collect(),
        commands: layout.commands,
        home_variables,
        was_registered,
        renewed: old.as_ref().map(|known| known.version.to_string()),
        scope,
        startup_files: plan.as_ref().map(StorePlan::startup_files).unwrap_or_default(),
        registry_values: plan.as_ref().map(StorePlan::registry_values).unwrap_or_default(),
        check: None,
        verdict: None,
        change: None,
        findings: plan.as_ref().map(StorePlan::findings).unwrap_or_default(),
        home,
    };
    if let Some(place) = cleaned_place(&root, &machine.home).filter(|_| !request.move_in) {
        let seen = format!("{} lies in {place}, where things get cleaned up", root.display());
        let remedy = format!("wyard retire {name}, then: wyard adopt \"{}\" --move", root.display());
        report.findings.push(Finding::new(Code::CleanedPlace, seen).remedy(remedy));
    }
    let Some(lock) = lock else { return Ok(report) };
    let mut acts = Acts::default();
    match &plan {
        Some(plan) => acts.extend(registrar.acts(plan, Some(&card), None)?),
        None => yard.put_card(&mut acts, &card)?,
    }
    if let Some(old) = old.filter(|_| !replaces_itself) {
        yard.remove_card(&mut acts, &old)?;
    }
    if request.move_in {
        acts.shift(&root, &report.home);
    }
    let does = if report.renewed.is_some() { "renew" } else { "adopt" };
    report.change = lock.carry_out(Change { does: format!("{does} {name} {version}"), undoes: None, acts })?;
    drop(lock);
    let checked = check(machine, &yard, &settings, &[card], true, stop)?;
    report.verdict = Some(checked.verdict);
    report.check = checked.tools.into_iter().next();
    Ok(report)
}

/// The tool's home in a folder, and its layout; of a folder that others share, only with these commands.
fn look(folder: &Path, given: &[PathBuf], only: Option<&[String]>) -> Result<(PathBuf, Layout), ReceiveError> {
    if !folder.is_dir() {
        return Err(ReceiveError::NoFolder(folder.to_owned()));
    }
    if let Some(only) = only {
        let listing = layout::list_files(folder).map_err(YardError::from)?;
        let mut layout = layout::analyse(&listing, &[PathBuf::new()], Target::here(false))?;
        layout.commands.retain(|command| only.contains(&command.name));
        return Ok((folder.to_owned(), layout));
    }
    let listing = layout::list_folder(folder).map_err(YardError::from)?;
    let below = |given: &PathBuf| given.strip_prefix(folder).unwrap_or(given).to_owned();
    let layout = layout::analyse(&listing, &given.iter().map(below).collect::<Vec<_>>(), Target::here(false))?;
    let root = if layout.wrapper.as_os_str().is_empty() { folder.to_owned() } else { folder.join(&layout.wrapper) };
    Ok((root, layout))
}

/// The home of the tool in a folder, and its command folders below that.
pub(crate) fn look_for_tool(folder: &Path, given: &[PathBuf]) -> Result<(PathBuf, Vec<PathBuf>), ReceiveError> {
    look(folder, given, None).map(|(root, layout)| (root, layout.command_folders))
}

fn shares_command(card: &Card, layout: &Layout) -> bool {
    card.commands.iter().any(|known| layout.commands.iter().any(|command| command.name == known.name))
}

fn below_home(home: &Path, below: &Path) -> PathBuf {
    if below.as_os_str().is_empty() { home.to_owned() } else { home.join(below) }
}

/// Name and version: as given, as the folder's name tells, or the version as the first command states it.
fn named(
    request: &AdoptRequest,
    old: Option<&Card>,
    root: &Path,
    layout: &Layout,
    asking: &Asking<'_>,
) -> Result<(ToolName, Version), ReceiveError> {
    let part = |path: Option<&Path>| {
        path.and_then(Path::file_name).map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
    };
    let mut guess = layout::guess(&part(Some(root)));
    if guess.version.is_none() {
        // NAME/VERSION is as usual as NAME-VERSION.
        let above = layout::guess(&format!("{}-{}", part(root.parent()), part(Some(root))));
        guess = if above.version.is_some() { above } else { guess };
    }
    if request.version.is_none() && guess.version.is_none() {
        guess.version = stated(root, layout, asking);
    }
    let name = request.name.as_ref().or(old.map(|known| &known.name));
    names_or(name, request.version.as_ref(), &guess, root)
}

fn stated(root: &Path, layout: &Layout, asking: &Asking<'_>) -> Option<String> {
    let first = layout.commands.first()?;
    let environment: Environment = asking.environment()?;
    let programs = [(first.name.clone(), root.join(&first.path))];
    check::versions(&programs, &environment, asking.stop).pop()?
}

/// Whether every new terminal has all command folders in PATH, and each home variable where it should point, as it is.
fn is_registered(asking: &Asking<'_>, root: &Path, layout: &Layout, variables: &[Variable]) -> bool {
    let names: Vec<String> = layout.commands.iter().map(|command| command.name.clone()).collect();
    let variables: Vec<String> = variables.iter().map(ToString::to_string).collect();
    let answers = asking.everywhere(Question { commands: &names, variables: &variables });
    let has_all = |answer: &Answer| {
        let Ok(said) = &answer.said else { return false };
        let runs = said.meanings.iter().zip(&layout.commands).all(|(meaning, command)| {
            meaning.file.as_ref().is_some_and(|file| same_file(file, &root.join(&command.path)))
        });
        runs && said.variables.iter().all(|value| value.as_deref().is_some_and(|value| Path::new(value) == root))
    };
    !answers.is_empty() && answers.iter().all(has_all)
}

fn of_folder(root: &Path) -> Source {
    Source { file: root.to_string_lossy().into_owned(), bytes: 0, sha256: String::new(), compared: false }
}

/// The report of `adopt --search`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SearchReport {
    /// The format number.
    pub format: u32,
    /// `adopt-search`.
    pub report: &'static str,
    /// The tools that were found and are not on record.
    pub found: Vec<FoundTool>,
    /// The places that were looked through.
    pub places: Vec<PathBuf>,
}

/// A folder that looks like a tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct FoundTool {
    /// Its home.
    pub folder: PathBuf,
    /// The name that its folder tells.
    pub name: Option<String>,
    /// The version that its folder tells.
    pub version: Option<String>,
    /// Its commands.
    pub commands: Vec<String>,
    /// Whether a command folder of it is in a new terminal's PATH.
    pub in_path: bool,
}

/// Looks through the usual places and a new terminal's PATH for tools that are not on record.
///
/// # Errors
/// When the records cannot be read.
pub fn search(machine: &Machine, stop: &Stop) -> Result<SearchReport, ReceiveError> {
    let yard = Yard::of(machine);
    let settings: Settings = yard.settings()?;
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let environment = asking.environment().unwrap_or_default();
    let around = crate::resolve::Surroundings::of(&environment, &machine.home);
    let known: Vec<PathBuf> = yard.cards()?.iter().map(|card| yard.home_of(card)).collect();
    let system = check::system_folders(machine);
    let mut roots: Vec<(PathBuf, bool)> = Vec::new();
    for entry in crate::path::folders(&around) {
        let real = std::fs::canonicalize(&entry).unwrap_or_else(|_| entry.clone());
        if system.contains(&real) || entry.starts_with("/usr/local") && entry.components().count() == 4 {
            continue;
        }
        let named_bin = entry.file_name().is_some_and(|n| ["bin", "cmd", "Scripts"].iter().any(|b| n == *b));
        let root = if named_bin { entry.parent().map(Path::to_owned).unwrap_or(entry) } else { entry };
        roots.push((root, true));
    }
    let places = usual_places(machine);
    for place in &places {
        let inside = std::fs::read_dir(place).into_iter().flatten().flatten();
        let mut folders: Vec<PathBuf> = inside.map(|entry| entry.path()).filter(|path| path.is_dir()).collect();
        folders.sort();
        roots.extend(folders.into_iter().map(|folder| (folder, false)));
    }
    let mut found: Vec<FoundTool> = Vec::new();
    for (folder, in_path) in roots {
        if stop.requested() {
            return Err(check::CheckError::Interrupted.into());
        }
        let is_home = folder == machine.home || machine.home.starts_with(&folder);
        if is_home || folder.starts_with(yard.root()) {
            continue;
        }
        let Ok((root, layout)) = look(&folder, &[], None) else { continue };
        if known.contains(&root) || found.iter().any(|tool| same_file(&tool.folder, &root)) {
            continue;
        }
        let guess = layout::guess(&root.file_name().unwrap_or_default().to_string_lossy());
        let commands = layout.commands.into_iter().map(|command| command.name).collect();
        found.push(FoundTool { folder: root, name: guess.name, version: guess.version, commands, in_path });
    }
    Ok(SearchReport { format: 1, report: "adopt-search", found, places })
}

/// Where people and installers put tools: below these folders, one folder each.
fn usual_places(machine: &Machine) -> Vec<PathBuf> {
    let in_home = |names: &[&str]| names.iter().map(|name| machine.home.join(name)).collect::<Vec<_>>();
    let mut places = in_home(&["tools", "Tools", "opt", "apps", "programs", "Downloads", ".local/opt"]);
    match os::HERE {
        crate::system::System::Unix => places.extend([machine.root.join("opt"), machine.root.join("usr/local/lib")]),
        crate::system::System::Windows => {
            let variables = ["ProgramFiles", "ProgramFiles(x86)", "ProgramW6432"];
            places.extend(variables.iter().filter_map(|name| machine.folder_variable(name)));
            places.extend(machine.folder_variable("LOCALAPPDATA").map(|folder| folder.join("Programs")));
            places.push(r"C:\Tools".into());
        }
    }
    places.retain(|place| place.is_dir());
    places.dedup_by(|a, b| same_file(a, b));
    places
}
