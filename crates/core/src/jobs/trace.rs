//! `trace`: what a command name means to each caller. A name that nothing answers to makes the report fail.

use crate::error::classified;
use crate::report::Report;
use crate::resolve::Caller;
use crate::session::{JobError, Session};
use crate::snapshot::{Snapshot, SnapshotError, traced};
pub use crate::trace::TraceRequest;
use crate::trace::{self, CommandTrace, TracedCommands};

#[derive(Debug, thiserror::Error)]
pub enum TraceError {
    /// The caller exists on other systems only, or its shell is not installed.
    #[error("{} does not exist on this machine", caller.name())]
    NoSuchCaller { caller: Caller, here: Vec<&'static str> },
}

classified!(TraceError {
    Self::NoSuchCaller { here, .. } => Call, format!("--as takes one of: {}", here.join(", "));
});

pub fn recorded(
    snapshot: &Snapshot,
    names: &[String],
    caller: Option<Caller>,
) -> Result<Report<TracedCommands>, SnapshotError> {
    let terminals = snapshot.terminals.iter().filter(|terminal| terminal.answered);
    let mut recorded: Vec<String> = terminals.map(|terminal| terminal.shell.clone()).collect();
    recorded.dedup();
    if let Some(caller) = caller.map(Caller::name).filter(|name| recorded.iter().all(|shell| shell != name)) {
        return Err(SnapshotError::NoTerminal { caller, recorded });
    }
    let traced = traced(snapshot, names, caller);
    let is_answered = traced.commands.iter().all(CommandTrace::is_answered);
    Ok(Report::new(traced).failed_if(!is_answered))
}

pub fn run(session: &Session, request: &TraceRequest) -> Result<Report<TracedCommands>, JobError> {
    if let Some(caller) = request.caller {
        let shells = session.shells()?;
        let is_here = |caller: &Caller| {
            let is_installed = |shell| shells.iter().any(|installed| installed.shell == shell);
            caller.system() == session.system() && caller.shell().is_none_or(is_installed)
        };
        if !is_here(&caller) {
            let here = Caller::all().filter(is_here).map(Caller::name).collect();
            return Err(TraceError::NoSuchCaller { caller, here }.into());
        }
    }
    trace::trace(session, request)
}
