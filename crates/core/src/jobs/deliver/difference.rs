//! In what a tool differs from what a waybill says.

use super::report::DeliveryStep;
use crate::layout::HomeVariables;
use crate::naming::NameError;
use crate::scope::Scope;
use crate::waybill::{Place, WaybillArchive, WaybillSource, WaybillTool};
use crate::yard::{Card, OtherSource, Requires, Stock, Trial};

/// A card with what the waybill says of probes, requirements and trials. Of what it does not mention the card keeps its own.
pub(super) fn recorded(tool: &WaybillTool, card: &Card) -> Card {
    let mut card = card.clone();
    if tool.probe.is_some() {
        card.probe.clone_from(&tool.probe);
    }
    let requires = requires(tool);
    if !requires.is_empty() {
        card.requires = requires;
    }
    for trial in tool.trials.iter().map(Trial::from) {
        match card.trials.iter_mut().find(|there| there.name == trial.name) {
            Some(there) => *there = trial,
            None => card.trials.push(trial),
        }
    }
    card
}

pub(super) fn requires(tool: &WaybillTool) -> Requires {
    Requires { commands: tool.requires.commands.clone(), variables: tool.requires.variables.clone() }
}

pub(super) fn home_variables(tool: &WaybillTool) -> HomeVariables {
    match &tool.home_variables {
        None => HomeVariables::Usual,
        Some(none) if none.is_empty() => HomeVariables::None,
        Some(given) => HomeVariables::These(given.clone()),
    }
}

pub(super) fn scope(tool: &WaybillTool) -> Scope {
    tool.scope.unwrap_or_default()
}

/// A command that the waybill names and the tool does not have, in words.
pub(super) fn missing_command(tool: &WaybillTool, card: &Card) -> Option<String> {
    let has: Vec<&str> = card.commands.iter().map(|command| command.name.as_str()).collect();
    let missing = tool.commands.iter().find(|wanted| !has.contains(&wanted.as_str()))?;
    Some(format!("has no command {missing}; it has {}", has.join(", ")))
}

/// Whether a tool came from other files than a source names.
fn is_of_other_files(source: &WaybillSource, card: &Card) -> bool {
    let differs = |published: Option<&String>, sha256: &str| {
        published.is_some_and(|sum| !sha256.is_empty() && !sum.eq_ignore_ascii_case(sha256))
    };
    let is_other = |(wanted, there): (&WaybillArchive, &OtherSource)| differs(wanted.sha256.as_ref(), &there.sha256);
    let is_folder = card.folder.is_some();
    differs(source.sha256.as_ref(), &card.source.sha256)
        || (source.with.len() != card.source.with.len() && !is_folder)
        || source.with.iter().zip(&card.source.with).any(is_other)
}

pub(super) fn steps(
    tool: &WaybillTool,
    source: Option<&WaybillSource>,
    stock: &Stock,
) -> Result<Vec<DeliveryStep>, NameError> {
    let Some(card) = stock.version(&tool.name, &tool.version) else {
        let is_folder = source.and_then(WaybillSource::place).is_some_and(|place| matches!(place, Place::Folder(_)));
        return Ok(vec![if is_folder { DeliveryStep::Adopt } else { DeliveryStep::Receive }]);
    };
    if source.is_some_and(|source| is_of_other_files(source, card)) {
        return Ok(vec![DeliveryStep::Replace]);
    }
    let mut steps = Vec::new();
    let wanted = home_variables(tool).of(&tool.name)?;
    let is_other_in_use =
        stock.versions(&card.name).iter().any(|other| other.version != card.version && other.registration.is_some());
    match &card.registration {
        None if is_other_in_use => steps.push(DeliveryStep::Switch),
        Some(registration) if registration.scope == scope(tool) && registration.home_variables == wanted => {}
        _ => steps.push(DeliveryStep::Register),
    }
    if recorded(tool, card) != *card {
        steps.push(DeliveryStep::Record);
    }
    Ok(steps)
}
