//! The order in which tools are delivered: what a tool requires comes before it.

use super::format::WaybillTool;

/// The tools, each behind those that it requires, and otherwise as they are written.
pub fn in_order(tools: &[WaybillTool]) -> Result<Vec<&WaybillTool>, Vec<String>> {
    let mut ordered: Vec<&WaybillTool> = Vec::new();
    for tool in tools {
        put(tool, tools, &mut ordered, &mut Vec::new())?;
    }
    Ok(ordered)
}

fn put<'a>(
    tool: &'a WaybillTool,
    tools: &'a [WaybillTool],
    ordered: &mut Vec<&'a WaybillTool>,
    on_the_way: &mut Vec<&'a WaybillTool>,
) -> Result<(), Vec<String>> {
    if ordered.iter().any(|there| there.name == tool.name) {
        return Ok(());
    }
    if let Some(at) = on_the_way.iter().position(|there| there.name == tool.name) {
        let members = on_the_way[at..].iter().chain([&tool]);
        return Err(members.map(|tool| tool.name.to_string()).collect());
    }
    on_the_way.push(tool);
    for required in tools.iter().filter(|other| tool.requires.tools.contains(&other.name)) {
        put(required, tools, ordered, on_the_way)?;
    }
    on_the_way.pop();
    ordered.push(tool);
    Ok(())
}
