//! Adopting a folder: its layout is found as that of an archive, a card is written, what is not registered is registered,
//! and everything is checked.

use std::path::{Path, PathBuf};

use super::error::AdoptError;
use super::report::{AdoptRequest, AdoptedFolder, Installed};
use crate::change::{Change, Changeset};
use crate::check::{self, check};
use crate::error::FileContext as _;
use crate::finding::{Code, Finding};
use crate::folders::cleaned_place;
use crate::installer::UninstallRecord;
use crate::jobs::tool_names::{NotGuessed, tool_names};
use crate::layout::{HomeVariables, Layout, tool_in_place};
use crate::naming::{self, ToolName, Variable, Version};
use crate::path_list;
use crate::registration::registration;
use crate::report::Report;
use crate::resolve::same_file;
use crate::session::{JobError, Session};
use crate::store::StorePlan;
use crate::suggestion::suggested;
use crate::terminal::{Answer, Asking, Question};
use crate::yard::{Card, Registration, Source, Stock, Yard};

/// Adopts a folder.
///
/// # Errors
/// When it holds no tool, or something is in the way; nothing is changed then.
pub fn run(session: &Session, request: &AdoptRequest) -> Result<Report<AdoptedFolder>, JobError> {
    let yard = &session.yard;
    if !request.dry_run {
        session.check_scratch()?;
        session.check_scope(request.scope)?;
    }
    let installed = request.installed.as_ref();
    let only = installed.and_then(|installed| installed.only.as_deref());
    let (root, layout) = in_place(session, request, only)?;
    let asking = session.asking()?;
    let lock = session.lock_unless(request.dry_run)?;
    let stock = session.cards()?;
    let is_known = |card: &&Card| yard.home_of(card) == root && (only.is_none() || shares_command(card, &layout));
    let old = stock.iter().find(is_known);
    let (name, version) = named(request, old, &root, &layout, session)?;
    let replaces_itself = old.is_some_and(|known| known.version == version);
    refuse_known(
        yard,
        &stock,
        (&name, &version),
        old.filter(|known| installed.is_none() || known.name != name),
        replaces_itself,
    )?;
    let home = if request.move_in { yard.home(&name, &version) } else { root.clone() };
    let of_old = old.and_then(|known| known.registration.as_ref());
    let home_variables = home_variables(request, of_old, &name)?;
    // What was registered by us stays ours.
    let was_registered =
        !request.move_in && of_old.is_none() && is_registered(&asking, &root, &layout, &home_variables);
    let scope = of_old.map_or(request.scope, |registration| registration.scope);
    let mut card = card((&name, &version), &root, &layout, installed, old);
    card.folder = (!request.move_in).then(|| root.clone());
    card.registration = (!was_registered).then(|| registration(scope, home_variables.clone()));
    let registrar = session.registrar(&stock)?;
    let plan = card.registration.is_some().then(|| registrar.plan(Some(&card), None)).transpose()?;
    let mut findings = plan.as_ref().map(StorePlan::findings).unwrap_or_default();
    findings.extend(in_cleaned_place(session, request, &root, &name));
    let mut change = None;
    if let Some(lock) = &lock {
        let mut changeset = match &plan {
            Some(plan) => registrar.changeset(plan, Some(&card), None)?,
            None => Changeset::default(),
        };
        if plan.is_none() {
            yard.put_card(&mut changeset, &card)?;
        }
        if let Some(old) = old.filter(|_| !replaces_itself) {
            yard.remove_card(&mut changeset, old)?;
        }
        if request.move_in {
            changeset.shift(&root, &home);
        }
        let does = if old.is_some() { "renew" } else { "adopt" };
        change = lock.carry_out(Change { does: format!("{does} {name} {version}"), undoes: None, changeset })?;
    }
    let adopted = AdoptedFolder {
        dry_run: request.dry_run,
        name: name.to_string(),
        version: version.to_string(),
        moved: request.move_in,
        command_folders: layout.command_folders.iter().map(|below| below_home(&home, below).into()).collect(),
        commands: layout.commands,
        home_variables,
        was_registered,
        renewed: old.map(|known| known.version.to_string()),
        scope,
        stores: plan.as_ref().map(StorePlan::changes).unwrap_or_default(),
        check: None,
        change,
        home: home.into(),
    };
    let check = match lock {
        None => None,
        Some(lock) => {
            drop(lock);
            check(session, &[card], true)?.into_body().tools.into_iter().next()
        }
    };
    Ok(Report::new(AdoptedFolder { check, ..adopted }).with_findings(findings))
}

/// The tool in the folder, where it may stay there or be moved.
fn in_place(session: &Session, request: &AdoptRequest, only: Option<&[String]>) -> Result<(PathBuf, Layout), JobError> {
    let system = session.system();
    let folder = std::path::absolute(&request.folder).at("find", &request.folder)?;
    let (root, layout) = tool_in_place(&folder, &request.command_folders, only, system)?;
    if root.starts_with(session.yard.root()) {
        return Err(AdoptError::InYard(root).into());
    }
    path_list::check_entry(&root, system).map_err(|source| AdoptError::Entry { folder: root.clone(), source })?;
    session.check_folder(&root, request.trusts || request.move_in)?;
    Ok((root, layout))
}

/// Refuses what is on record already: `here` at this place, or elsewhere under this name and version.
fn refuse_known(
    yard: &Yard,
    stock: &Stock,
    (name, version): (&ToolName, &Version),
    here: Option<&Card>,
    replaces_itself: bool,
) -> Result<(), AdoptError> {
    if let Some(known) = here {
        let (folder, name, version) = (yard.home_of(known), known.name.clone(), known.version.clone());
        return Err(AdoptError::OnRecord { folder, name, version });
    }
    match stock.version(name, version).filter(|_| !replaces_itself) {
        Some(known) => {
            let home = yard.home_of(known);
            Err(AdoptError::OnRecordElsewhere { name: name.clone(), version: version.clone(), home })
        }
        None => Ok(()),
    }
}

fn home_variables(
    request: &AdoptRequest,
    old: Option<&Registration>,
    name: &ToolName,
) -> Result<Vec<Variable>, AdoptError> {
    match (&request.home_variables, old) {
        (HomeVariables::Usual, Some(registration)) => Ok(registration.home_variables.clone()),
        (wanted, _) => wanted.of(name).map_err(AdoptError::HomeVariable),
    }
}

/// Its card, but for place and registration; of one that is on record already it keeps what was settled later.
fn card(
    (name, version): (&ToolName, &Version),
    root: &Path,
    layout: &Layout,
    installed: Option<&Installed>,
    old: Option<&Card>,
) -> Card {
    let source = installed.map_or_else(|| of_folder(root), |installed| installed.source.clone());
    let mut card = Card::new(name.clone(), version.clone(), source, layout);
    card.layout.wrapper = PathBuf::new();
    if let Some(old) = old.cloned() {
        let Card { uninstaller, added, probe, requires, prepare, prepared, launchers, trials, .. } = old;
        card = Card { uninstaller, added, probe, requires, prepare, prepared, launchers, trials, ..card };
    }
    if let Some(installed) = installed {
        card.uninstaller = installed.uninstaller.clone().or(card.uninstaller);
        card.added.extend(installed.added.iter().cloned());
    }
    if card.uninstaller.is_none() {
        let command = UninstallRecord::of_folder(root).map(|record| record.command);
        card.uninstaller = command.filter(|command| !command.is_empty()).map(|command| vec![command.into()]);
    }
    card
}

fn in_cleaned_place(session: &Session, request: &AdoptRequest, root: &Path, name: &ToolName) -> Option<Finding> {
    let place = cleaned_place(root, &session.machine.home).filter(|_| !request.move_in)?;
    let seen = format!("{} is in {place}, which is cleaned regularly", root.display());
    let to_move = suggested(session.system(), "adopt {} --move", &[root]);
    let remedy = format!("run 'wyard retire {name}', then {to_move}");
    Some(Finding::new(Code::CleanedPlace, seen).remedy(remedy))
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
    session: &Session,
) -> Result<(ToolName, Version), NotGuessed> {
    let part = |path: Option<&Path>| {
        path.and_then(Path::file_name).map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
    };
    let mut guess = naming::guess(&part(Some(root)));
    if guess.version.is_none() {
        // NAME/VERSION is as usual as NAME-VERSION.
        let above = naming::guess(&format!("{}-{}", part(root.parent()), part(Some(root))));
        guess = if above.version.is_some() { above } else { guess };
    }
    if request.version.is_none() && guess.version.is_none() {
        guess.version = stated(session, root, layout);
    }
    let name = request.name.as_ref().or(old.map(|known| &known.name));
    tool_names(name, request.version.as_ref(), &guess, root)
}

fn stated(session: &Session, root: &Path, layout: &Layout) -> Option<String> {
    let first = layout.commands.first()?;
    let environment = session.asking().ok()?.environment()?;
    let programs = [(first.name.clone(), root.join(&first.path))];
    check::versions(session, &programs, &environment).ok()?.into_values().next()
}

/// Whether every new terminal has all command folders in PATH, and each home variable where it should point, as it is.
fn is_registered(asking: &Asking<'_>, root: &Path, layout: &Layout, variables: &[Variable]) -> bool {
    let names: Vec<String> = layout.commands.iter().map(|command| command.name.clone()).collect();
    let variables: Vec<String> = variables.iter().map(ToString::to_string).collect();
    let answers = asking.everywhere(Question { commands: &names, variables: &variables });
    let has_all = |answer: &Answer| {
        let Ok(said) = &answer.said else { return false };
        let runs = layout.commands.iter().all(|command| {
            let file = &said.meaning(&command.name).file;
            file.as_ref().is_some_and(|file| same_file(file, &root.join(&command.path)))
        });
        runs && variables.iter().all(|name| said.variable(name).is_some_and(|value| Path::new(value) == root))
    };
    !answers.is_empty() && answers.iter().all(has_all)
}

fn of_folder(root: &Path) -> Source {
    Source {
        file: root.to_string_lossy().into_owned(),
        address: None,
        bytes: 0,
        sha256: String::new(),
        compared: false,
        with: Vec::new(),
    }
}
