//! What the yard holds.

use super::look::{Looked, look};
use super::report::{StockReport, StockTool, ToolStock};
use crate::naming::compare_versions;
use crate::report::Report;
use crate::session::{JobError, Session};
use crate::yard::Card;

pub(super) fn list(session: &Session, asks: bool) -> Result<Report<StockReport>, JobError> {
    let stock = session.stock()?;
    let in_service = stock.in_service();
    let registered: Vec<&Card> =
        in_service.iter().copied().filter(|card| asks && card.registration.is_some()).collect();
    let Looked { mut meanings, elsewhere } =
        if registered.is_empty() { Looked::default() } else { look(session, &registered)? };
    let tools = stock.iter().map(|card| StockTool {
        name: card.name.to_string(),
        version: card.version.to_string(),
        in_service: in_service.iter().any(|c| c.name == card.name && c.version == card.version),
        registered: card.registration.as_ref().map(|r| r.scope),
        new_terminals: meanings.remove(&(card.name.to_string(), card.version.to_string())),
        home_variables: card.registration.as_ref().map(|r| r.home_variables.clone()).unwrap_or_default(),
        home: session.yard.home_of(card).into(),
        commands: card.commands.iter().map(|c| c.name.clone()).collect(),
        received: card.received.clone(),
    });
    let mut tools: Vec<StockTool> = tools.collect();
    tools.sort_by(|a, b| a.name.cmp(&b.name).then_with(|| compare_versions(&a.version, &b.version)));
    let findings = stock.findings();
    let failed = !findings.is_empty();
    let held = ToolStock { yard: session.yard.root().into(), tools, elsewhere };
    Ok(Report::new(StockReport::Held(held)).with_findings(findings).failed_if(failed))
}
