//! The order in which tools are delivered: what a tool requires comes before it.

use std::collections::HashMap;

use super::format::WaybillTool;
use crate::naming::ToolName;

/// The tools, each behind those that it requires, and otherwise as they are written; or the members of a circle.
pub fn in_order(tools: &[WaybillTool]) -> Result<Vec<&WaybillTool>, Vec<String>> {
    let places: HashMap<&ToolName, usize> = tools.iter().enumerate().map(|(at, tool)| (&tool.name, at)).collect();
    let required = |at: usize| {
        let mut required: Vec<usize> =
            tools[at].requires.tools.iter().filter_map(|name| places.get(name).copied()).collect();
        required.sort_unstable();
        required.into_iter()
    };
    let mut ordered = Vec::with_capacity(tools.len());
    let mut states = vec![State::Unseen; tools.len()];
    for first in 0..tools.len() {
        if states[first] != State::Unseen {
            continue;
        }
        // By hand, since a chain of requirements may be longer than the stack is deep.
        states[first] = State::OnTheWay;
        let mut way = vec![(first, required(first))];
        while let Some((at, rest)) = way.last_mut() {
            let at = *at;
            match rest.next() {
                None => {
                    states[at] = State::Ordered;
                    ordered.push(&tools[at]);
                    way.pop();
                }
                Some(next) => match states[next] {
                    State::Ordered => {}
                    State::Unseen => {
                        states[next] = State::OnTheWay;
                        way.push((next, required(next)));
                    }
                    State::OnTheWay => {
                        let circle = way.iter().map(|(at, _)| *at).skip_while(|at| *at != next).chain([next]);
                        return Err(circle.map(|at| tools[at].name.to_string()).collect());
                    }
                },
            }
        }
    }
    Ok(ordered)
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum State {
    Unseen,
    OnTheWay,
    Ordered,
}
