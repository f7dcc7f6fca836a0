//! What the yard holds.

use std::path::PathBuf;

use serde::Serialize;

use crate::layout::{Variable, compare_versions};
use crate::machine::Machine;
use crate::yard::{Scope, Yard, YardError};

/// The report of `stock`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct StockReport {
    /// The format number.
    pub format: u32,
    /// `stock`.
    pub report: &'static str,
    /// The yard's folder.
    pub yard: PathBuf,
    /// The tools, by name and then by version, older ones first.
    pub tools: Vec<StockTool>,
}

/// A received version of a tool.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct StockTool {
    /// The tool.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Whether `NAME` alone means this version.
    pub in_service: bool,
    /// Whose PATH it is registered in; null for none.
    pub registered: Option<Scope>,
    /// The variables that point to its home.
    pub home_variables: Vec<Variable>,
    /// Its home.
    pub home: PathBuf,
    /// Its commands.
    pub commands: Vec<String>,
    /// When it was received (RFC 3339).
    pub received: String,
}

/// Lists the stock.
///
/// # Errors
/// When the cards cannot be read.
pub fn stock(machine: &Machine) -> Result<StockReport, YardError> {
    let yard = Yard::at(&machine.yard);
    let in_service = yard.in_service()?;
    let tools = yard.cards()?.into_iter().map(|card| StockTool {
        in_service: in_service.iter().any(|c| c.name == card.name && c.version == card.version),
        registered: card.registration.as_ref().map(|r| r.scope),
        home: yard.home(&card.name, &card.version),
        home_variables: card.registration.map(|r| r.home_variables).unwrap_or_default(),
        commands: card.commands.into_iter().map(|c| c.name).collect(),
        name: card.name.into(),
        version: card.version.into(),
        received: card.received,
    });
    let mut tools: Vec<StockTool> = tools.collect();
    tools.sort_by(|a, b| a.name.cmp(&b.name).then_with(|| compare_versions(&a.version, &b.version)));
    Ok(StockReport { format: 1, report: "stock", yard: yard.root().to_owned(), tools })
}
