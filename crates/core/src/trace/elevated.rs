//! What programs find that are started in a new terminal, also with an administrator's rights.

use super::answers::{predicted, unanswered};
use super::origins::Origins;
use super::report::CallerTrace;
use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::os;
use crate::path_list::windows;
use crate::registry;
use crate::resolve::{self, Caller, Disk, LookupContext, same_file};
use crate::shells::TerminalKind;
use crate::system::System;
use crate::terminal::{self, Answer, ElevatedPath};

/// A context with the program that the system has registered for a name.
pub(super) fn with_registered(name: &str, context: &LookupContext, machine: &Machine) -> LookupContext {
    let file = if name.contains('.') { name.to_owned() } else { format!("{name}.exe") };
    let value_of = |name: &str| Some(machine.environment.get(name)?.to_string_lossy().into_owned());
    let registered = registry::app_path(&file, &|text| windows::expand(text, &value_of, windows::Unknown::MayOpenNext));
    LookupContext { registered, ..context.clone() }
}

/// What programs find that are started in a new terminal, also with an administrator's rights.
pub(super) fn programs(
    machine: &Machine,
    name: &str,
    answer: &Answer,
    wanted: &dyn Fn(Caller) -> bool,
    origins: &mut Origins<'_>,
) -> Vec<CallerTrace> {
    let mut traced = Vec::new();
    let Ok(said) = &answer.said else { return traced };
    let program = Caller::program(machine.system());
    let asked_for = !wanted(program);
    if wanted(program) {
        let mut one = predicted(program, name, &said.context, TerminalKind::New);
        origins.put_in(&mut one, answer, said);
        traced.push(one);
    }
    if machine.system() == System::Windows && wanted(Caller::Run) {
        let context = with_registered(name, &said.context, machine);
        let mut one = predicted(Caller::Run, name, &context, TerminalKind::New);
        origins.put_in(&mut one, answer, said);
        traced.push(one);
    }
    if machine.system() == System::Windows || !wanted(Caller::Elevated) {
        return traced;
    }
    let context = match terminal::elevated_path(machine.sandbox.as_deref().unwrap_or(&os::system_root())) {
        Some(ElevatedPath::Own(path)) => LookupContext { path, ..said.context.clone() },
        Some(ElevatedPath::Kept) => said.context.clone(),
        Some(ElevatedPath::Unknown) => {
            let mut unknown = unanswered(Caller::Elevated, Vec::new());
            let seen = "only an administrator may read which folders elevated commands search";
            unknown.findings.push(Finding::new(Code::ElevatedUnknown, seen));
            traced.push(unknown);
            return traced;
        }
        None if asked_for => {
            let mut unknown = unanswered(Caller::Elevated, Vec::new());
            let seen = "this machine has no rules for elevated commands";
            unknown.findings.push(Finding::new(Code::ElevatedUnknown, seen));
            traced.push(unknown);
            return traced;
        }
        None => return traced,
    };
    let mut one = predicted(Caller::Elevated, name, &context, TerminalKind::New);
    let usual = resolve::candidates(program, name, &said.context, &Disk);
    if let (Some(theirs), Some(usual)) = (&one.winner, resolve::winner(&usual))
        && !same_file(theirs, usual)
    {
        let seen = format!("elevated, {name} is {}, not {}", theirs.display(), usual.display());
        let remedy = format!("use the full path where it matters: {}", usual.display());
        one.findings.push(Finding::new(Code::ElevatedDiffers, seen).remedy(remedy));
    } else if let (None, Some(usual)) = (&one.winner, resolve::winner(&usual)) {
        let seen = format!("elevated, {name} is not found: another list of folders is searched");
        let remedy = format!("use the full path: {}", usual.display());
        one.findings.push(Finding::new(Code::ElevatedDiffers, seen).remedy(remedy));
    }
    traced.push(one);
    traced
}
