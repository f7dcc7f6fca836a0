//! The map: PATH as tracks in order, and the table that says the same.

use std::borrow::Cow;
use std::fmt::Write as _;

use maud::{Markup, html};
use wagon_yard_core::jobs::page::{PageContent, PageMachine};
use wagon_yard_core::resolve::Standing;
use wagon_yard_core::snapshot::{Track, TrackStop, TrackTerminal, TrackedName};

use crate::view::count;
use crate::view::{escape, trace};

/// What is drawn beside or instead of each other: a machine, or one of its kinds of terminals.
struct Yard<'a> {
    label: String,
    terminal: &'a TrackTerminal,
    machine: usize,
    at: usize,
    /// For each track the number of its entry, which is the same in all yards.
    entries: Vec<usize>,
}

pub(super) fn section(content: &PageContent) -> Markup {
    let yards = yards(&content.machines);
    let is_one = content.machines.len() == 1;
    html! {
        section aria-labelledby="map" {
            h2 #map tabindex="-1" { "Map of PATH" }
            p {
                "Each entry of PATH is a track, searched from the top. Aliases and functions of shells are not recorded: \
                 what runs is predicted from PATH."
            }
            div.controls {
                label {
                    "Command"
                    input #search type="search" autocomplete="off" autocapitalize="none" spellcheck="false";
                }
                @if is_one && yards.len() > 1 {
                    fieldset {
                        legend { "New terminals of" }
                        @for (view, yard) in yards.iter().enumerate() {
                            label {
                                input type="radio" name="terminal" value=(view) checked[view == 0];
                                (yard.label)
                            }
                        }
                    }
                } @else if let (true, [only]) = (is_one, &yards[..]) {
                    p.dim { "New terminals of " (only.label) }
                }
            }
            p #answer.answer role="status" {}
            div.yards {
                @for (view, yard) in yards.iter().enumerate() { (drawn(view, yard, &yards, is_one)) }
            }
            (commands(content, &yards))
        }
    }
}

fn yards(machines: &[PageMachine]) -> Vec<Yard<'_>> {
    let mut yards = Vec::new();
    let mut known: Vec<(&str, usize)> = Vec::new();
    for (machine, drawn) in machines.iter().enumerate() {
        // Of several machines the login shells' terminals are compared.
        let most = if machines.len() == 1 { usize::MAX } else { 1 };
        for (at, terminal) in drawn.map.terminals.iter().enumerate().take(most) {
            let label = if machines.len() == 1 { label(terminal, &drawn.map.terminals) } else { escape(&drawn.name) };
            // An entry that is there twice has two numbers.
            let all: Vec<&str> = terminal.tracks.iter().map(|track| track.entry.as_str()).collect();
            let numbered =
                all.iter().enumerate().map(|(at, entry)| (*entry, all[..at].iter().filter(|e| *e == entry).count()));
            let entries = numbered.map(|entry| {
                known.iter().position(|one| *one == entry).unwrap_or_else(|| {
                    known.push(entry);
                    known.len() - 1
                })
            });
            let entries = entries.collect();
            yards.push(Yard { label, terminal, machine, at, entries });
        }
    }
    yards
}

/// The shells of a kind of terminal; with their ways of starting where a shell is of several kinds.
fn label(terminal: &TrackTerminal, all: &[TrackTerminal]) -> String {
    let shell = |(shell, modes): &(String, Vec<String>)| {
        let kinds = all.iter().filter(|kind| kind.shells.iter().any(|(other, _)| other == shell));
        match kinds.count() > 1 {
            true => format!("{} ({})", escape(shell), escape(&modes.join(", "))),
            false => escape(shell),
        }
    };
    terminal.shells.iter().map(shell).collect::<Vec<_>>().join(", ")
}

fn drawn(view: usize, yard: &Yard<'_>, yards: &[Yard<'_>], is_one: bool) -> Markup {
    let first = yards.first().filter(|_| is_one && view > 0);
    html! {
        div.yard data-view=(view) data-label=(if is_one { "" } else { &yard.label }) hidden[is_one && view > 0] {
            @if !is_one { h3 { (yard.label) } }
            ol.tracks aria-label={ "PATH of " (yard.label) } {
                @for (at, one) in yard.terminal.tracks.iter().enumerate() {
                    (track((view, at, yard.entries[at]), one, first))
                }
            }
            @if yard.terminal.tracks.is_empty() { p { "PATH is empty." } }
            @if let Some(first) = first { (gone(yard.terminal, first)) }
        }
    }
}

/// The entries of the first kind of terminal that this one does not have.
fn gone(terminal: &TrackTerminal, first: &Yard<'_>) -> Markup {
    let is_here = |track: &Track| terminal.tracks.iter().any(|here| here.entry == track.entry);
    let gone = first.terminal.tracks.iter().enumerate().filter(|(_, track)| !is_here(track));
    let gone: Vec<String> =
        gone.map(|(at, track)| format!("{} (track {} there)", escape(&track.folder), at + 1)).collect();
    html! {
        @if !gone.is_empty() {
            p.moved { "Missing here, present in terminals of " (first.label) ": " (gone.join(", ")) }
        }
    }
}

fn track((view, at, entry): (usize, usize, usize), track: &Track, first: Option<&Yard<'_>>) -> Markup {
    let put_by = put_by(track);
    let class = match (track.entry.is_empty(), track.exists) {
        (true, _) => "track blank",
        (false, false) => "track missing",
        (false, true) => "track",
    };
    let moved = first.and_then(|first| {
        let there = first.terminal.tracks.iter().position(|known| known.entry == track.entry);
        match there {
            Some(there) if there == at => None,
            Some(there) => Some(format!("track {} in terminals of {}", there + 1, first.label)),
            None => Some(format!("not in terminals of {}", first.label)),
        }
    });
    html! {
        li class=(class) data-at=(at) data-entry=(entry) data-folder=(escape(&track.folder)) data-by=(put_by.as_deref().unwrap_or_default()) {
            span.number aria-hidden="true" { (at + 1) }
            div.line {
                details {
                    summary {
                        span.path {
                            @if track.entry.is_empty() { "(empty)" } @else { (escape(&track.folder)) }
                        }
                        span.about.dim {
                            @if !track.exists && !track.entry.is_empty() { span.caution { "missing" } }
                            @if let Some(put_by) = &put_by { span { (put_by) } }
                            span.programs { (count(track.programs, "command", "commands")) }
                        }
                    }
                    dl {
                        dt { "Added by" }
                        dd { (put_by.as_deref().unwrap_or("not known")) }
                        @if let Some(line) = &track.line { dt { "Its line" } dd { code { (escape(line.trim())) } } }
                        @if track.entry != track.folder { dt { "As written" } dd { code { (escape(&track.entry)) } } }
                        @if let Some(real) = &track.leads_to { dt { "Leads to" } dd { (escape(real)) } }
                        @if track.is_of_system { dt { "Scope" } dd { "the system's PATH, before the user's" } }
                    }
                    @if track.programs > 0 {
                        p { button.list type="button" { u { "List its " (count(track.programs, "command", "commands")) } } }
                    }
                }
                div.wagons {}
                @if let Some(moved) = moved { span.moved { (moved) } }
            }
            p.detail id={ "detail-" (view) "-" (at) } hidden {}
        }
    }
}

fn put_by(track: &Track) -> Option<String> {
    match (&track.tool, &track.put_by) {
        (Some(tool), _) => Some(format!("Wagon Yard, for {}", escape(tool))),
        (None, put_by) => put_by.as_deref().map(escape),
    }
}

fn commands(content: &PageContent, yards: &[Yard<'_>]) -> Markup {
    let names = names(&content.machines);
    let is_one = content.machines.len() == 1;
    html! {
        h2 #commands { "Commands" }
        div.controls {
            p #shown role="status" { (names.len()) " of " (names.len()) " commands" }
            button #everything type="button" hidden { u { "Show all commands" } }
        }
        div.many tabindex="0" role="region" aria-label="Table of commands" {
            table.commands {
                thead {
                    tr {
                        th scope="col" { "Command" }
                        @if is_one {
                            th scope="col" { "Track" }
                            th scope="col" { "Version" }
                            th scope="col" { "Shadowed on" }
                        } @else {
                            @for yard in yards { th scope="col" { "Track on " (yard.label) } }
                        }
                    }
                }
                tbody {
                    @for name in &names { (row(name, &content.machines, yards)) }
                }
            }
        }
    }
}

/// The names of all machines, each once, in order.
fn names(machines: &[PageMachine]) -> Vec<&str> {
    let mut names: Vec<&str> =
        machines.iter().flat_map(|machine| &machine.map.names).map(|name| name.name.as_str()).collect();
    names.sort_unstable();
    names.dedup();
    names
}

fn row(name: &str, machines: &[PageMachine], yards: &[Yard<'_>]) -> Markup {
    let of = |yard: &Yard<'_>| -> &[TrackStop] {
        let names: &[TrackedName] = &machines[yard.machine].map.names;
        let found = names.binary_search_by(|known| known.name.as_str().cmp(name)).ok();
        found.and_then(|at| names[at].stops.get(yard.at)).map(Vec::as_slice).unwrap_or_default()
    };
    let lists: Vec<&[TrackStop]> = yards.iter().map(of).collect();
    let place = |stop: &TrackStop| stop.track.map_or_else(|| "~".to_owned(), |at| (at + 1).to_string());
    let winner = |stops: &[TrackStop]| stops.iter().position(|stop| stop.standing == Standing::Winner);
    let runs = |stops: &[TrackStop]| winner(stops).map(|at| place(&stops[at])).unwrap_or_default();
    let written: Vec<String> = lists.iter().zip(yards).map(|(stops, yard)| coded(name, stops, &yard.entries)).collect();
    // The attributes are numbered, which the macro cannot write.
    let mut attributes = String::new();
    for (view, text) in written.iter().enumerate().filter(|(view, text)| *view == 0 || **text != written[0]) {
        let text = html! { (text) }.into_string();
        let _ = write!(attributes, " data-v{view}=\"{}\"", text.replace('"', "&quot;"));
    }
    html! {
        (maud::PreEscaped(format!("<tr{attributes}>")))
        th scope="row" { button { (escape(name)) } }
        @if let ([stops, ..], true) = (&lists[..], machines.len() == 1) {
            td { (runs(stops)) }
            td { @if let Some(version) = winner(stops).and_then(|at| stops[at].version.as_deref()) { (escape(version)) } }
            td {
                (stops.iter().filter(|stop| stop.standing == Standing::Shadowed).map(place).collect::<Vec<_>>().join(", "))
            }
        } @else {
            @for stops in &lists { td { (runs(stops)) } }
        }
        (maud::PreEscaped("</tr>"))
    }
}

/// Stops as the script reads them: `ENTRY STANDING|FILE|VERSION|LEADS-TO|REASON`, without what is empty at the end. `entries`
/// has for each track the number of its entry.
fn coded(name: &str, stops: &[TrackStop], entries: &[usize]) -> String {
    let field = |text: &str| -> String {
        let escaped = escape(text);
        escaped.chars().fold(String::with_capacity(escaped.len()), |mut coded, c| {
            match c {
                '%' | '|' | ';' => coded.push_str(&format!("%{:02X}", u32::from(c))),
                c => coded.push(c),
            }
            coded
        })
    };
    let stop = |stop: &TrackStop| {
        let standing = match stop.standing {
            Standing::Winner => 'w',
            Standing::Shadowed => 's',
            Standing::Skipped => 'k',
        };
        let track = stop.track.and_then(|at| entries.get(at)).map(ToString::to_string).unwrap_or_default();
        let file = if stop.file == name { "" } else { &stop.file };
        let (version, leads_to) =
            (stop.version.as_deref().unwrap_or_default(), stop.leads_to.as_deref().unwrap_or_default());
        let reason: Cow<'_, str> = stop.reason.map(trace::reason).unwrap_or_default().into();
        let fields = [format!("{track}{standing}"), field(file), field(version), field(leads_to), field(&reason)];
        fields.join("|").trim_end_matches('|').to_owned()
    };
    stops.iter().map(stop).collect::<Vec<_>>().join(";")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_separates_is_coded_where_it_is_part_of_a_name() {
        let stop = |track, standing, file: &str| TrackStop {
            track,
            standing,
            reason: None,
            file: file.to_owned(),
            version: None,
            leads_to: None,
        };
        let stops = [stop(Some(4), Standing::Winner, "t"), stop(None, Standing::Skipped, "t;|%.exe")];
        assert_eq!(coded("t", &stops, &[0, 1, 2, 3, 7]), "7w;k|t%3B%7C%25.exe");
    }
}
