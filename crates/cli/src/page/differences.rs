//! How machines differ, in tables.

use maud::{Markup, html};
use wagon_yard_core::jobs::compare::{Compared, Fleet};
use wagon_yard_core::snapshot::{CommandDifference, CompareWhy, Difference, Meant};

use crate::view::count;
use crate::view::{compare, escape};

/// At most this many machines are named beside what a command means there.
const MOST_NAMED: usize = 40;

/// At most this many commands of a fleet have a table row.
const MOST_COMMANDS: usize = 200;

pub(super) fn section(compared: &Compared) -> Markup {
    html! {
        section aria-labelledby="differences" {
            h2 #differences { "Differences" }
            @match compared {
                Compared::Two(difference) => (two(difference)),
                Compared::Many(fleet) => (many(fleet)),
            }
        }
    }
}

fn two(difference: &Difference) -> Markup {
    let mut matter: Vec<&CommandDifference> = difference.commands.iter().filter(|command| command.matters).collect();
    // What means something else comes before what is missing.
    matter.sort_by_key(|command| command.why == CompareWhy::OnOneOnly);
    let others: Vec<&CommandDifference> = difference.commands.iter().filter(|command| !command.matters).collect();
    html! {
        @match matter.len() {
            0 => p.good { "No difference that matters; " (difference.same) " commands are the same." },
            number => p {
                span.bad { (count(number, "command differs", "commands differ")) }
                "; " (difference.same) " are the same."
            },
        }
        @if !matter.is_empty() { (command_table(difference, &matter)) }
        @if !difference.tools.is_empty() || !difference.variables.is_empty() {
            table.wide {
                caption { "Tools in use, and variables" }
                (machine_heads("Name", &difference.machines))
                tbody {
                    @for tool in &difference.tools { (values_row(&tool.name, &tool.versions, &difference.machines)) }
                    @for one in &difference.variables { (values_row(&one.name, &one.values, &difference.machines)) }
                }
            }
        }
        @if !difference.entries.is_empty() {
            @for machine in &difference.machines {
                @let only: Vec<_> = difference.entries.iter().filter(|entry| entry.only_on == *machine).collect();
                @if !only.is_empty() {
                    p { "Only in PATH of " (escape(machine)) ":" }
                    ul { @for entry in only { li.path { (escape(&entry.entry)) } } }
                }
            }
        }
        @if difference.other_order { p { "Entries that both have are in a different order." } }
        @if !others.is_empty() {
            details {
                summary { (count(others.len(), "difference that does not matter", "differences that do not matter")) }
                (command_table(difference, &others))
            }
        }
    }
}

fn machine_heads(first: &str, machines: &[String]) -> Markup {
    html! {
        thead {
            tr {
                th scope="col" { (first) }
                @for machine in machines { th scope="col" { (escape(machine)) } }
            }
        }
    }
}

fn values_row(name: &str, values: &[Option<String>], machines: &[String]) -> Markup {
    html! {
        tr {
            th scope="row" { (escape(name)) }
            @for (value, machine) in values.iter().zip(machines) {
                td data-label=(escape(machine)) {
                    @match value { Some(value) => (escape(value)), None => span.dim { "none" } }
                }
            }
        }
    }
}

fn command_table(difference: &Difference, commands: &[&CommandDifference]) -> Markup {
    html! {
        table.wide {
            thead {
                tr {
                    th scope="col" { "Command" }
                    th scope="col" { "Difference" }
                    @for machine in &difference.machines { th scope="col" { (escape(machine)) } }
                }
            }
            tbody {
                @for command in commands {
                    tr {
                        th scope="row" { (escape(&command.name)) }
                        td { (compare::why(command.why)) }
                        @for (means, machine) in command.means.iter().zip(&difference.machines) {
                            td data-label=(escape(machine)) { (meant(means.as_ref())) }
                        }
                    }
                }
            }
        }
    }
}

fn meant(means: Option<&Meant>) -> Markup {
    let Some(means) = means else { return html! { span.caution { "not found" } } };
    html! {
        @if let Some(version) = &means.version { strong { (escape(version)) } ", " }
        span.path { (escape(&means.path)) }
        @if let Some(by) = &means.put_by { span.dim { ", added to PATH by " (escape(by)) } }
    }
}

fn many(fleet: &Fleet) -> Markup {
    let class = if fleet.agree == fleet.machines { "good" } else { "bad" };
    html! {
        p.(class) { (fleet.agree) " of " (fleet.machines) " agree with " (escape(&fleet.base)) "." }
        @if !fleet.commands.is_empty() {
            table.wide {
                thead { tr { th scope="col" { "Command" } th scope="col" { "Machines" } th scope="col" { "What runs" } } }
                tbody {
                    @for command in fleet.commands.iter().take(MOST_COMMANDS) {
                        tr {
                            th scope="row" { (escape(&command.name)) }
                            td { (command.agree) " of " (fleet.machines) ", as on " (escape(&fleet.base)) }
                            td { (meant(command.base.as_ref())) }
                        }
                        @for other in &command.others {
                            tr {
                                td {}
                                td { (machines(&other.machines)) }
                                td {
                                    @if other.means == command.base { span.caution { (compare::why(CompareWhy::OtherContent)) } }
                                    @else { (meant(other.means.as_ref())) }
                                }
                            }
                        }
                    }
                }
            }
            @if fleet.commands.len() > MOST_COMMANDS {
                p { "And " (fleet.commands.len() - MOST_COMMANDS) " more; 'wyard compare --json' has all." }
            }
        }
        @if !fleet.unread.is_empty() {
            p { "Not read:" }
            ul { @for unread in &fleet.unread { li { (escape(unread)) } } }
        }
    }
}

fn machines(all: &[std::sync::Arc<str>]) -> Markup {
    let named: Vec<String> = all.iter().take(MOST_NAMED).map(|name| escape(name)).collect();
    html! {
        (all.len()) ": " (named.join(", "))
        @if all.len() > named.len() { " and " (all.len() - named.len()) " more" }
    }
}
