//! A change of the registry's environment: planned whole from what is there, checked, then written value by value.

use std::path::PathBuf;

use super::edit::{Edit, Tool, ValueChange};
use super::environment::Background;
use super::error::RegistryError;
use super::findings;
use crate::change::{Changeset, Operation, StoredValue};
use crate::finding::Finding;
use crate::registry::{PathBefore, RegistryPlaces, RegistryValue, Replaced, ValueKind, same_name};
use crate::scope::Scope;

#[derive(Debug)]
#[must_use = "a plan changes nothing until it is applied"]
pub struct RegistryPlan {
    pub scope: Scope,
    /// The changes, home variables before `Path`.
    pub changes: Vec<ValueChange>,
    pub findings: Vec<Finding>,
    /// What home variables of ours will replace.
    pub replaced: Vec<Replaced>,
    /// The command folders that are in `Path` without us.
    pub were_there: Vec<PathBuf>,
    /// What `Path` is now.
    pub path_is: PathBefore,
}

impl RegistryPlan {
    /// Plans to take tools out and to put one in first. `restore` is what `Path` was before our first entry, given when
    /// nothing of ours is left afterwards.
    pub fn make(
        places: &RegistryPlaces,
        scope: Scope,
        background: &Background,
        taken: &[Tool<'_>],
        put: Option<Tool<'_>>,
        restore: Option<PathBefore>,
    ) -> Result<Self, RegistryError> {
        let mut edit = Edit::new(background, scope, places.of_scope(scope).to_string());
        let path_name = edit.path_name();
        let path_is = PathBefore::of(edit.get(&path_name)?.as_ref());
        for tool in taken {
            edit.take_out(&path_name, *tool)?;
        }
        let (mut replaced, mut were_there) = (Vec::new(), Vec::new());
        if let Some(tool) = put {
            replaced = edit.put_variables(tool.registered)?;
            were_there = edit.there(&path_name, tool.registered)?;
            edit.put_entries(&path_name, tool.registered)?;
        }
        if let Some(before) = restore {
            edit.restore(&path_name, before)?;
        }
        let whole_after = findings::whole_length(&edit.background_after());
        let changes = edit.changes();
        let after = changes.iter().find(|c| same_name(&c.name, &path_name)).and_then(|c| c.after.as_ref());
        let mut findings = findings::length(after, &places.of_scope(scope))?;
        findings.extend(whole_after);
        findings.extend(findings::strays(&background.registry, places));
        findings.extend(findings::references_across(background, places));
        Ok(Self { scope, changes, findings, replaced, were_there, path_is })
    }

    /// Plans another text for `Path`, of the kind that it has; a new value is an expandable one. Where it was not there
    /// before ours and nothing is left in it, it goes.
    pub fn with_path(
        places: &RegistryPlaces,
        scope: Scope,
        background: &Background,
        text: String,
        was: Option<PathBefore>,
    ) -> Result<Self, RegistryError> {
        let mut edit = Edit::new(background, scope, places.of_scope(scope).to_string());
        let path_name = edit.path_name();
        let before = edit.get(&path_name)?;
        let path_is = PathBefore::of(before.as_ref());
        let value = before.unwrap_or_else(|| RegistryValue::new(ValueKind::Expandable, ""));
        let goes = text.is_empty() && was == Some(PathBefore::Missing);
        edit.set(&path_name, (!goes).then(|| value.with_text(text)));
        let changes = edit.changes();
        let after = changes.first().and_then(|change| change.after.as_ref());
        let findings = findings::length(after, &places.of_scope(scope))?;
        Ok(Self { scope, changes, findings, replaced: Vec::new(), were_there: Vec::new(), path_is })
    }

    pub fn changeset(&self) -> Changeset {
        let mut changeset = Changeset::default();
        for change in &self.changes {
            let stored = |value: &Option<RegistryValue>| {
                value.as_ref().map(|value| StoredValue::new(value.kind.number(), &value.bytes()))
            };
            let (before, after) = (stored(&change.before), stored(&change.after));
            changeset.push(Operation::Value { scope: self.scope, name: change.name.clone(), before, after });
        }
        changeset
    }
}

#[cfg(test)]
mod tests {
    use super::super::environment::tests::key;
    use super::super::environment::{Builder, RegistryEnvironments};
    use super::*;

    #[test]
    fn what_cannot_be_edited_without_loss_is_refused() {
        let mut user = key(&["Path:=x"]);
        user.0[0].bytes = vec![0x00, 0xd8, 0, 0];
        let registry = RegistryEnvironments { user, ..RegistryEnvironments::default() };
        let background = Background { given: Vec::new(), registry, builder: Builder::Windows };
        let edit = Edit::new(&background, Scope::User, "K".to_owned());
        assert!(matches!(edit.get("PATH"), Err(RegistryError::NotText { .. })));
    }
}
