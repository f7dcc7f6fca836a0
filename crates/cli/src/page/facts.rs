//! What else is known of a machine: findings, tools, where PATH is set, and the machine itself.

use maud::{Markup, html};
use wagon_yard_core::facts::{FoundProgram, MachineFacts};
use wagon_yard_core::finding::{Finding, Severity};
use wagon_yard_core::jobs::page::PageMachine;
use wagon_yard_core::jobs::stock::{self, StockReport, StockTool, ToolStock};
use wagon_yard_core::resolve::Kind;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::snapshot::Snapshot;
use wagon_yard_core::survey::all_findings;

use crate::view::count;
use crate::view::{escape, severity};

/// All of it; where there are several machines, without controls and under the machine's name.
pub(super) fn sections(machine: &PageMachine, is_one_of_several: bool) -> Markup {
    let snapshot = &machine.snapshot;
    html! {
        @if is_one_of_several {
            section aria-label=(escape(&machine.name)) {
                h2 { (escape(&machine.name)) }
                (tools(snapshot, None))
                (stores(snapshot, None))
            }
        } @else {
            (findings(snapshot))
            (tools(snapshot, Some("tools")))
            (stores(snapshot, Some("stores")))
            (facts(snapshot))
        }
    }
}

/// A heading that can be jumped to, or one below a machine's name.
fn heading(id: Option<&str>, text: &str) -> Markup {
    html! {
        @match id {
            Some(id) => h2 id=(id) { (text) },
            None => h3 { (text) },
        }
    }
}

fn findings(snapshot: &Snapshot) -> Markup {
    let Some(survey) = &snapshot.survey else {
        return html! { h2 #findings { "Findings" } p { "This snapshot has no survey." } };
    };
    let report = survey.report(Severity::Problem);
    let mut all: Vec<&Finding> = all_findings(&report).collect();
    all.sort_by_key(|finding| (finding.severity, finding.code.as_str()));
    html! {
        section aria-labelledby="findings" {
            h2 #findings { "Findings" }
            @if all.is_empty() {
                p.good { "No findings." }
            } @else {
                div.controls {
                    label {
                        "Severity"
                        select #severity {
                            option value="" { "all" }
                            @for one in [Severity::Problem, Severity::Caution, Severity::Note] {
                                option { (severity(one).0) }
                            }
                        }
                    }
                    label { "Containing" input #words type="search" autocomplete="off"; }
                    p #found role="status" { (count(all.len(), "finding", "findings")) }
                }
                table.wide.findings {
                    thead {
                        tr {
                            th scope="col" aria-sort="ascending" { button type="button" { "Severity" } }
                            th scope="col" aria-sort="none" { button type="button" { "Finding" } }
                            th scope="col" { "Why it matters" }
                            th scope="col" { "What to do" }
                        }
                    }
                    tbody { @for finding in all { (row(finding)) } }
                }
            }
        }
    }
}

fn row(finding: &Finding) -> Markup {
    let (word, class) = match finding.severity {
        Severity::Problem => ("problem", "bad"),
        Severity::Caution => ("caution", "caution"),
        Severity::Note => ("note", "dim"),
    };
    let rank = match finding.severity {
        Severity::Problem => 0,
        Severity::Caution => 1,
        Severity::Note => 2,
    };
    html! {
        tr data-severity=(severity(finding.severity).0) data-rank=(rank) {
            td.(class) { (word) }
            td {
                (escape(&finding.seen))
                @if !finding.names.is_empty() { ": " (finding.names.iter().map(|name| escape(name)).collect::<Vec<_>>().join(", ")) }
                " " span.dim { "[" (finding.code.as_str()) "]" }
            }
            td data-label="Why it matters" { (finding.why) }
            td data-label="What to do" { @if let Some(remedy) = &finding.remedy { (escape(remedy)) } }
        }
    }
}

fn tools(snapshot: &Snapshot, id: Option<&str>) -> Markup {
    let report = stock::recorded(snapshot);
    let StockReport::Held(held) = &*report else { return html! {} };
    html! {
        (heading(id, "Tools"))
        @if held.tools.is_empty() { p { "No tools in the yard." } } @else { (tool_table(held)) }
        @if !held.elsewhere.is_empty() {
            p { "In PATH, outside the yard:" }
            ul {
                @for copy in &held.elsewhere {
                    li {
                        (escape(&copy.name)) " "
                        @if let Some(version) = &copy.version { (escape(version)) ", " }
                        span.path { (escape(&copy.path.text())) }
                    }
                }
            }
        }
    }
}

fn tool_table(held: &ToolStock) -> Markup {
    html! {
        table.wide {
            thead {
                tr {
                    @for text in ["Tool", "Version", "State", "Registered", "New terminals run", "Commands", "Folder"] {
                        th scope="col" { (text) }
                    }
                }
            }
            tbody {
                @for tool in &held.tools {
                    tr {
                        th scope="row" { (escape(&tool.name)) }
                        td data-label="Version" { (escape(&tool.version)) }
                        td data-label="State" { (if tool.in_service { "in use" } else { "not in use" }) }
                        td data-label="Registered" { (tool.registered.map_or("no", Scope::as_str)) }
                        td data-label="New terminals run" { (runs(tool)) }
                        td data-label="Commands" {
                            (tool.commands.iter().map(|name| escape(name)).collect::<Vec<_>>().join(", "))
                        }
                        td.path data-label="Folder" { (escape(&tool.home.text())) }
                    }
                }
            }
        }
    }
}

/// What new terminals made of a tool's commands when the snapshot was taken.
fn runs(tool: &StockTool) -> Markup {
    let Some(seen) = &tool.new_terminals else { return html! { "-" } };
    if seen.this {
        return html! { span.good { "this one" } };
    }
    html! {
        @for (at, other) in seen.others.iter().enumerate() {
            @if at > 0 { ", " }
            span.bad {
                (escape(&other.command)) ": "
                @match (&other.file, other.kind) {
                    (Some(file), _) => (escape(&file.text())),
                    (None, Kind::None) => "nothing",
                    (None, _) => "shell builtin, function or alias",
                }
            }
        }
    }
}

fn stores(snapshot: &Snapshot, id: Option<&str>) -> Markup {
    html! {
        (heading(id, "Where PATH is set"))
        @if snapshot.stores.is_empty() { p { "No startup file or registry value sets PATH." } }
        @else {
            table.wide {
                thead { tr { th scope="col" { "Place" } th scope="col" { "Text" } } }
                tbody {
                    @for store in &snapshot.stores {
                        tr {
                            td.path {
                                (escape(&store.place))
                                @if let Some(line) = store.line { ":" (line) }
                                @if let Some(value) = &store.value { ", " (escape(value)) }
                            }
                            td data-label="Text" { code { (escape(store.text.trim())) } }
                        }
                    }
                }
            }
        }
        @if !snapshot.variables.is_empty() {
            dl {
                @for (name, value) in &snapshot.variables { dt { (escape(name)) } dd.path { (escape(value)) } }
            }
        }
    }
}

fn facts(snapshot: &Snapshot) -> Markup {
    let Some(facts) = &snapshot.machine else { return html! {} };
    html! {
        h2 { "Machine" }
        dl {
            dt { "System" } dd { (escape(facts.system_name.as_deref().unwrap_or(&facts.system))) }
            @if let Some(kernel) = &facts.kernel { dt { "Kernel" } dd { (escape(kernel)) } }
            dt { "Processor" }
            dd {
                (escape(&facts.processor))
                @if let Some(level) = facts.processor_level { ", level x86-64-v" (level) }
            }
            @if !facts.c_libraries.is_empty() { dt { "C library" } dd { (libraries(facts)) } }
            @if !facts.emulates.is_empty() { dt { "Emulates" } dd { (escape(&facts.emulates.join(", "))) } }
            (programs("Shells", &facts.shells))
            (programs("Interpreters", &facts.interpreters))
        }
    }
}

fn libraries(facts: &MachineFacts) -> String {
    let library = |one: &wagon_yard_core::program::CLibrary| {
        let version = one.version.as_ref().map(|version| format!(" {version}")).unwrap_or_default();
        escape(&format!("{}{version}", one.kind))
    };
    facts.c_libraries.iter().map(library).collect::<Vec<_>>().join(", ")
}

fn programs(label: &str, programs: &[FoundProgram]) -> Markup {
    let program = |one: &FoundProgram| {
        let version = one.version.as_ref().map(|version| format!(" {version}")).unwrap_or_default();
        escape(&format!("{}{version} ({})", one.name, one.file.text()))
    };
    html! {
        @if !programs.is_empty() {
            dt { (label) }
            dd { (programs.iter().map(program).collect::<Vec<_>>().join(", ")) }
        }
    }
}
