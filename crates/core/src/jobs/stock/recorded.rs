//! The stock of a recorded machine.

use super::report::{ForeignCopy, NewTerminals, OtherMeaning, StockReport, StockTool, ToolStock};
use crate::naming::compare_versions;
use crate::report::{Report, ReportPath};
use crate::resolve::Standing;
use crate::scope::Scope;
use crate::snapshot::{Lookup, RecordedTool, Snapshot};

/// What the yard of a recorded machine holds, and what its new terminals made of it.
pub fn recorded(snapshot: &Snapshot) -> Report<StockReport> {
    let mut tools: Vec<StockTool> = snapshot.tools.iter().map(tool).collect();
    tools.sort_by(|a, b| a.name.cmp(&b.name).then_with(|| compare_versions(&a.version, &b.version)));
    let elsewhere = elsewhere(snapshot);
    let yard = snapshot.yard.as_deref().unwrap_or("(not recorded)");
    Report::new(StockReport::Held(ToolStock { yard: ReportPath::from(yard), tools, elsewhere }))
}

fn tool(tool: &RecordedTool) -> StockTool {
    let others = tool.others.iter().flatten().map(|other| OtherMeaning {
        command: other.command.clone(),
        kind: other.kind,
        file: other.file.as_deref().map(ReportPath::from),
    });
    let others: Vec<OtherMeaning> = others.collect();
    let scope = |text: &String| Scope::ALL.into_iter().find(|scope| scope.as_str() == text);
    StockTool {
        name: tool.name.clone(),
        version: tool.version.clone(),
        in_service: tool.in_service,
        registered: tool.registered.as_ref().and_then(scope),
        new_terminals: tool.others.is_some().then_some(NewTerminals { this: others.is_empty(), others }),
        home_variables: tool.home_variables.iter().filter_map(|name| name.parse().ok()).collect(),
        home: ReportPath::from(tool.home.as_deref().unwrap_or_default()),
        commands: tool.commands.clone(),
        received: tool.received.clone().unwrap_or_default(),
    }
}

/// The copies of each tool's first command that are in PATH, outside the yard.
fn elsewhere(snapshot: &Snapshot) -> Vec<ForeignCopy> {
    let lookup = Lookup::new(snapshot);
    let mut copies: Vec<ForeignCopy> = Vec::new();
    for tool in snapshot.tools.iter().filter(|tool| tool.in_service && tool.registered.is_some()) {
        let (Some(name), Some(home)) = (tool.commands.first(), &tool.home) else { continue };
        for (caller, terminal) in lookup.terminals() {
            for candidate in lookup.candidates(caller, terminal, name) {
                let path = lookup.shown(&candidate.path);
                let is_own = [Some(path.clone()), lookup.real(&candidate.path)]
                    .iter()
                    .flatten()
                    .any(|path| path.strip_prefix(home.as_str()).is_some_and(|rest| rest.starts_with(['/', '\\'])));
                let is_known = copies.iter().any(|copy| copy.path.text() == path);
                if !is_own && !is_known && candidate.standing != Standing::Skipped {
                    let version = lookup.file(&candidate.path).and_then(|file| file.version.clone());
                    copies.push(ForeignCopy { name: name.clone(), version, path: ReportPath::from(path) });
                }
            }
        }
    }
    copies
}
