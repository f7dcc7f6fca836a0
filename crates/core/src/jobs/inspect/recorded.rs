//! What a download would bring to a recorded machine.

use super::commands::hindrance;
use super::report::InspectedCommand;
use crate::jobs::fit::Unplaced;
use crate::layout::{self, Target};
use crate::program::{Program, ProgramKind};
use crate::report::ReportPath;
use crate::resolve::{self, Standing};
use crate::snapshot::{Lookup, Snapshot};

/// The machine of a snapshot, as the one that programs are chosen for.
pub(super) fn target(snapshot: &Snapshot) -> Target<'_> {
    Target { system: snapshot.family(), os: &snapshot.system, arch: &snapshot.processor, foreign: true }
}

/// The commands of a tool, each with what new terminals of a recorded machine find under its name. Aliases, functions and
/// libraries are not in a snapshot, so that a program's start stays unknown.
pub(super) fn commands(tool: &Unplaced<'_>, snapshot: &Snapshot) -> Vec<InspectedCommand> {
    let lookup = Lookup::new(snapshot);
    let one = |command: &layout::Command| {
        let entry = tool.files.at(&tool.layout.wrapper.join(&command.path));
        let program = entry.and_then(|entry| entry.program.as_deref());
        let hindrance = program.and_then(|program| hindrance(program, &snapshot.system, &snapshot.processor));
        let (mut here, mut here_version, mut stays_hidden): (Vec<ReportPath>, _, bool) = (Vec::new(), None, false);
        for (caller, terminal) in lookup.terminals() {
            for candidate in lookup.candidates(caller, terminal, &command.name) {
                if candidate.standing == Standing::Skipped {
                    continue;
                }
                let is_first = candidate.standing == Standing::Winner;
                let entry = candidate.entry.as_ref().map(|(_, at)| *at);
                stays_hidden |= is_first && entry.is_some_and(|at| at < terminal.of_system);
                let file = ReportPath::from(lookup.shown(&candidate.path));
                if here.is_empty() {
                    here_version = lookup.file(&candidate.path).and_then(|file| file.version.clone());
                }
                if !here.contains(&file) {
                    here.push(file);
                }
            }
            stays_hidden |= resolve::builtin(caller, &command.name);
        }
        InspectedCommand {
            name: command.name.clone(),
            path: command.path.clone(),
            program: command.program,
            os: command.os.clone(),
            arch: command.arch.clone(),
            unknown: program.filter(|_| hindrance.is_none()).and_then(unknown),
            hindrance,
            is_translated: false,
            here,
            here_version,
            stays_hidden,
        }
    };
    tool.layout.commands.iter().map(one).collect()
}

fn unknown(program: &Program) -> Option<String> {
    let needs = match program.kind {
        ProgramKind::Script => "its interpreter",
        ProgramKind::Elf | ProgramKind::Pe | ProgramKind::Macho => "the libraries it loads",
        ProgramKind::Batch | ProgramKind::Other => return None,
    };
    Some(format!("a snapshot does not record {needs}"))
}
