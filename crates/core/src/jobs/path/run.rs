//! The job: PATH is shown or changed, and what a tidying only offers is done where somebody agrees.

use super::change::change;
use super::lines;
use super::report::{PathAction, PathState, Step};
use super::request::{PathEdit, PathRequest};
use crate::report::Report;
use crate::session::{JobError, Session};

/// Is asked whether an entry goes although a command will mean another file without it.
pub type Agrees<'a> = &'a dyn Fn(&Step) -> bool;

/// Shows PATH as a new terminal has it, or changes it.
///
/// # Errors
/// When records, shells or the registry give no answer, or the change cannot be made; nothing is changed then.
pub fn run(session: &Session, request: &PathRequest, agrees: Agrees<'_>) -> Result<Report<PathState>, JobError> {
    match request {
        PathRequest::Show => {
            let sight = lines::look(session)?;
            let state = PathState { scopes: sight.scopes(), ..PathState::new(PathAction::Show, false) };
            Ok(Report::new(state).with_findings(sight.findings))
        }
        PathRequest::Change { edit: edit @ PathEdit::Tidy { .. }, dry_run: false } => tidy(session, edit, agrees),
        PathRequest::Change { edit, dry_run } => change(session, edit, *dry_run),
    }
}

/// Tidies, and then drops one by one the entries that somebody agrees to lose.
fn tidy(session: &Session, edit: &PathEdit, agrees: Agrees<'_>) -> Result<Report<PathState>, JobError> {
    let before = lines::look(session)?;
    let mut report = change(session, edit, false)?;
    let offered = report.steps.iter().enumerate().filter(|(_, step)| step.command.is_some());
    let agreed: Vec<usize> = offered.filter(|(_, step)| agrees(step)).map(|(at, _)| at).collect();
    for at in agreed {
        let (entry, scope) = (report.steps[at].entry.to_path_buf(), report.steps[at].scope);
        let edit = PathEdit::Drop { entry, scope };
        let dropped = change(session, &edit, false)?;
        report = report.failed_if(!dropped.passes());
        for finding in &dropped.findings {
            if !report.findings.contains(finding) {
                report.findings.push(finding.clone());
            }
        }
        let PathState { scopes, stores, .. } = dropped.into_body();
        (report.changed, report.scopes) = (true, scopes);
        report.stores.startup_files.extend(stores.startup_files);
        report.stores.registry_values.extend(stores.registry_values);
        (report.steps[at].done, report.steps[at].command) = (true, None);
    }
    let after = report.scopes.iter().flat_map(|scope| &scope.entries).map(|line| line.expanded.to_path_buf());
    report.meanings = lines::meanings(before.system, &before.folders(), &after.collect::<Vec<_>>());
    Ok(report)
}
