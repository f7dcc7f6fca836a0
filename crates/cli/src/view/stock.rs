//! The stock, as a table.

use std::io::{self, Write};

use wagon_yard_core::jobs::stock::{MendedStock, NewTerminals, OtherMeaning, StockReport, StockTool, ToolStock};
use wagon_yard_core::report::Report;
use wagon_yard_core::resolve::Kind;
use wagon_yard_core::scope::Scope;

use super::style;
use super::text::{Page, count, escape};

pub fn write(report: &Report<StockReport>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    match &**report {
        StockReport::Held(stock) => held(stock, report.passes(), page, out)?,
        StockReport::Mended(mended) => settled(mended, page, out)?,
    }
    page.all_findings(out, report)
}

fn held(report: &ToolStock, whole: bool, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let yard = page.shown(&report.yard);
    if report.tools.is_empty() {
        page.labelled(out, "yard ", 5, &yard)?;
        writeln!(out)?;
        let text = if whole { "No tools yet. To add one: wyard receive FILE" } else { "No tools." };
        return writeln!(out, "{text}");
    }
    page.labelled(
        out,
        "",
        0,
        &format!("{} in {yard}: {}", count(in_use(report).count(), "tool", "tools"), all(report)),
    )?;
    writeln!(out)?;
    let rows = report.tools.iter().map(|tool| {
        vec![
            if tool.in_service { style::STRONG.over(&escape(&tool.name)) } else { escape(&tool.name) },
            escape(&tool.version),
            if tool.in_service { "in use".to_owned() } else { "-".to_owned() },
            tool.registered.map_or("-", Scope::as_str).to_owned(),
            tool.new_terminals.as_ref().map_or_else(|| "-".to_owned(), |seen| runs(seen, page)),
            tool.commands.iter().map(|c| escape(c)).collect::<Vec<_>>().join(", "),
        ]
    });
    page.table(out, &["tool", "version", "state", "registered", "new terminals run", "commands"], rows.collect())?;
    if !report.elsewhere.is_empty() {
        writeln!(out, "\nIn PATH, outside the yard:")?;
        // They are not started, so that only a snapshot knows any.
        let knows_versions = report.elsewhere.iter().any(|copy| copy.version.is_some());
        let rows = report.elsewhere.iter().map(|copy| {
            let version = copy.version.as_deref().map_or_else(|| "-".to_owned(), escape);
            let file = page.short(&copy.path.to_string_lossy());
            [Some(escape(&copy.name)), knows_versions.then_some(version), Some(file)].into_iter().flatten().collect()
        });
        let heads = if knows_versions { &["command", "version", "file"][..] } else { &["command", "file"] };
        page.table(out, heads, rows.collect())?;
    }
    Ok(())
}

fn in_use(report: &ToolStock) -> impl Iterator<Item = &StockTool> {
    report.tools.iter().filter(|tool| tool.in_service)
}

/// Whether new terminals run what is in use, in a few words.
fn all(report: &ToolStock) -> String {
    let in_use: Vec<_> = in_use(report).collect();
    let seen: Vec<&NewTerminals> = in_use.iter().filter_map(|tool| tool.new_terminals.as_ref()).collect();
    let other = seen.iter().filter(|seen| !seen.this).count();
    let unregistered = in_use.iter().filter(|tool| tool.registered.is_none()).count();
    let not_registered = match unregistered {
        0 => String::new(),
        number => format!("; {number} not registered"),
    };
    let words = if seen.len() + unregistered < in_use.len() {
        "new terminals not asked".to_owned()
    } else if other > 0 {
        style::BAD.over(&format!("new terminals do not run {other} of {}", in_use.len()))
    } else if seen.is_empty() {
        return "none registered".to_owned();
    } else if unregistered > 0 {
        style::GOOD.over(&format!("new terminals run {}", seen.len()))
    } else {
        style::GOOD.over("all run in new terminals")
    };
    words + &not_registered
}

fn runs(seen: &NewTerminals, page: &Page) -> String {
    if seen.this {
        return style::GOOD.over("this one");
    }
    let text = match seen.others.first() {
        Some(OtherMeaning { command, file: Some(file), .. }) => {
            format!("{}: {}", escape(command), page.short(&file.to_string_lossy()))
        }
        Some(other) if other.kind == Kind::None => format!("{}: nothing", escape(&other.command)),
        Some(other) => format!("{}: shell builtin, function or alias", escape(&other.command)),
        None => "unknown".to_owned(),
    };
    style::BAD.over(&text)
}

fn settled(report: &MendedStock, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    if let Some(ledger) = &report.ledger {
        let text = format!("its previous history is in {}; register the tools you use", page.shown(ledger));
        return page.labelled(out, "history", 8, &text);
    }
    if report.cards.is_empty() && report.folders.is_empty() {
        return writeln!(out, "The stock is consistent.");
    }
    let verb = |done: &str| if report.dry_run { format!("would be {done}") } else { done.to_owned() };
    for card in &report.cards {
        let text = format!("{} {}: its folder is missing", page.shown(card), verb("removed"));
        page.labelled(out, "card", 8, &text)?;
    }
    for folder in &report.folders {
        let text = format!("{} {} for 30 days: it has no card", page.shown(folder), verb("set aside"));
        page.labelled(out, "folder", 8, &text)?;
    }
    Ok(())
}
