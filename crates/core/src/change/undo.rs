//! What takes changes back: our part of each thing, whatever others have done to the same thing since.

use std::collections::{BTreeSet, HashSet};

use super::content::Recorded;
use super::operation::{Changeset, Operation, StoredValue};
use super::records::{LedgerContents, State};
use crate::error::FileError;
use crate::path_list::windows;
use crate::registry::{PathBefore, RegistryPlaces, ValueKind};
use crate::scope::Scope;

/// Something else was written since, on top of what would be taken back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ChangedSince;

impl LedgerContents {
    /// The changes that are taken back, and not brought back since.
    pub fn taken_back(&self) -> HashSet<u64> {
        let mut undone = HashSet::new();
        for record in self.records.iter().filter(|record| record.state == State::Done) {
            if let Some(id) = record.undoes {
                undone.insert(id);
                let earlier = self.records.iter().find(|other| other.id == id).and_then(|other| other.undoes);
                if let Some(back_again) = earlier {
                    undone.remove(&back_again);
                }
            }
        }
        // A change that others are parts of is undone with all of them, and they with it.
        let groups: BTreeSet<u64> = self.records.iter().filter_map(|record| record.part_of).collect();
        for group in groups {
            if undone.contains(&group) {
                undone.extend(self.parts(group).map(|part| part.id));
            } else if self.parts(group).all(|part| undone.contains(&part.id)) {
                undone.insert(group);
            }
        }
        undone
    }

    /// The last change after `id` that stands and touches this file.
    pub fn later(&self, id: u64, file: &std::path::Path) -> Option<u64> {
        let touches =
            |operation: &Operation<Recorded>| matches!(operation, Operation::File { path, .. } if path == file);
        let undone = self.taken_back();
        let mut after = self.records.iter().filter(|r| r.id > id && r.state == State::Done);
        after.rfind(|r| !undone.contains(&r.id) && r.operations.iter().any(touches)).map(|r| r.id)
    }
}

/// A record that is a table, key by key: what a change wrote goes back to what it was, and what was written since stays.
/// `None` where the record goes.
pub fn table_back(
    was: Option<toml::Table>,
    became: Option<toml::Table>,
    is: Option<toml::Table>,
) -> Result<Option<toml::Table>, ChangedSince> {
    match (was, became, is) {
        (None, Some(became), Some(is)) if became == is => Ok(None),
        (Some(was), None, None) => Ok(Some(was)),
        (Some(was), Some(became), Some(mut is)) => {
            let keys: BTreeSet<String> = was.keys().chain(became.keys()).cloned().collect();
            for key in keys.iter().filter(|key| was.get(*key) != became.get(*key)) {
                if is.get(key) != became.get(key) {
                    return Err(ChangedSince);
                }
                match was.get(key) {
                    Some(value) => is.insert(key.clone(), value.clone()),
                    None => is.remove(key),
                };
            }
            Ok(Some(is))
        }
        _ => Err(ChangedSince),
    }
}

/// A list, with those entries gone that a change added and those back that it took away.
pub fn list_back<T: Clone + PartialEq>(now: &[T], was: &[T], became: &[T]) -> Result<Vec<T>, ChangedSince> {
    if now == became {
        return Ok(was.to_vec());
    }
    let mut all = now.to_vec();
    for added in became.iter().filter(|entry| !was.contains(entry)) {
        let at = all.iter().position(|entry| entry == added).ok_or(ChangedSince)?;
        all.remove(at);
    }
    for (at, taken) in was.iter().enumerate().filter(|(_, entry)| !became.contains(entry)) {
        all.insert(at.min(all.len()), taken.clone());
    }
    Ok(all)
}

/// What takes back the values of the registry that these operations have changed. Where `last` says what `Path` of a scope
/// was before our first entry, nothing of ours is left there: it is again of the kind that it was, or goes.
pub fn values_back(
    operations: &[Operation],
    places: &RegistryPlaces,
    last: impl Fn(Scope) -> Option<PathBefore>,
) -> Result<Changeset, FileError> {
    let mut back = Changeset::default();
    for operation in operations.iter().rev() {
        let Operation::Value { scope, name, before, after } = operation else { continue };
        let now = places.value(*scope, name)?.as_ref().map(StoredValue::from);
        let is_path = name.eq_ignore_ascii_case("Path");
        let mut wanted = if now == *after {
            before.clone()
        } else if is_path {
            list_value_back(now.as_ref(), after.as_ref(), before.as_ref()).or_else(|| now.clone())
        } else {
            // Somebody else has set it since, and it is theirs.
            now.clone()
        };
        if is_path && now != *after {
            let text = wanted.as_ref().and_then(StoredValue::text).unwrap_or_default();
            match last(*scope) {
                Some(PathBefore::Missing) if text.is_empty() => wanted = None,
                Some(PathBefore::Plain) if !text.contains('%') => {
                    if let Some(value) = &mut wanted {
                        value.kind = ValueKind::Plain.number();
                    }
                }
                _ => {}
            }
        }
        if wanted != now {
            back.push(Operation::Value { scope: *scope, name: name.clone(), before: now, after: wanted });
        }
    }
    Ok(back)
}

/// The value that is there now, with our part of a list of folders taken back: what we added goes, what we took away comes
/// back behind what it stood behind. `None` where the value is gone, or only the order was changed.
pub fn list_value_back(
    now: Option<&StoredValue>,
    after: Option<&StoredValue>,
    before: Option<&StoredValue>,
) -> Option<StoredValue> {
    let now = now?;
    let parts = |value: Option<&StoredValue>| -> Option<Vec<String>> {
        let text = value.map_or_else(|| Some(String::new()), StoredValue::text)?;
        Some(windows::parts(&text).into_iter().filter(|part| !part.is_empty()).map(str::to_owned).collect())
    };
    let (old, new) = (parts(before)?, parts(after)?);
    let (added, taken) = (less(&new, &old), less(&old, &new));
    if added.is_empty() && taken.is_empty() {
        return None;
    }
    let mut all: Vec<String> = windows::parts(&now.text()?).into_iter().map(str::to_owned).collect();
    for part in &added {
        if let Some(at) = all.iter().position(|other| other == part) {
            all.remove(at);
        }
    }
    for part in &taken {
        let before_it = old.iter().position(|other| other == part).unwrap_or(0);
        let anchor = old[..before_it].iter().rev().find_map(|other| all.iter().position(|there| there == other));
        all.insert(anchor.map_or(0, |at| at + 1), part.clone());
    }
    Some(StoredValue::of_text(now.kind, all.join(";")))
}

/// The value that is there now, with what makes `after` of `before` done to it. `None` where that is no change of a list.
pub(super) fn list_value_forth(
    now: Option<&StoredValue>,
    before: Option<&StoredValue>,
    after: Option<&StoredValue>,
) -> Option<StoredValue> {
    let empty = StoredValue::of_text(after?.kind, String::new());
    let done = list_value_back(now.or(Some(&empty)), before, after)?;
    // Our entry may refer to a variable.
    Some(StoredValue::of_text(after?.kind, done.text()?))
}

/// The first list without the second, each entry as often as it stands there more.
fn less(some: &[String], others: &[String]) -> Vec<String> {
    let mut left = others.to_vec();
    let mut rest = some.to_vec();
    rest.retain(|part| match left.iter().position(|other| other == part) {
        Some(at) => {
            left.remove(at);
            false
        }
        None => true,
    });
    rest
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn our_part_goes_into_a_list_that_has_changed() {
        let value = |text: &str| StoredValue::of_text(1, text.to_owned());
        for (before, after, now, expected) in [
            ("a;b", "t;a;b", "a;b;new", "t;a;b;new"),
            ("t;a;b", "a;b", "t;new;a;b", "new;a;b"),
            ("a", "t;a", "t;a", "t;t;a"),
            ("", "t", "new", "t;new"),
        ] {
            let forth = list_value_forth(Some(&value(now)), Some(&value(before)), Some(&value(after)));
            assert_eq!(forth.and_then(|value| value.text()).as_deref(), Some(expected), "{before} {after} {now}");
        }
        assert_eq!(list_value_forth(None, Some(&value("a")), Some(&value("t;a"))).and_then(|v| v.text()).unwrap(), "t");
        assert_eq!(list_value_forth(Some(&value("a")), Some(&value("b")), None), None);
    }

    #[test]
    fn only_our_part_of_a_list_is_taken_back() {
        let value = |text: &str| StoredValue::of_text(2, text.to_owned());
        for (before, after, now, expected) in [
            (r"C:\a;C:\b", r"C:\t;C:\a;C:\b", r"C:\x;C:\t;C:\a", Some(r"C:\x;C:\a")),
            (r"C:\a;C:\b", r"C:\a", r"C:\a;C:\x", Some(r"C:\a;C:\b;C:\x")),
            (r"C:\a;C:\b", r"C:\b;C:\a", r"C:\b;C:\a;C:\x", None),
            ("", r"C:\t", r"C:\x;C:\t", Some(r"C:\x")),
        ] {
            let back = list_value_back(Some(&value(now)), Some(&value(after)), Some(&value(before)));
            assert_eq!(back.and_then(|value| value.text()).as_deref(), expected, "{now}");
        }
    }

    #[test]
    fn a_table_goes_back_key_by_key() {
        let table = |text: &str| Some(toml::from_str::<toml::Table>(text).unwrap());
        for (was, became, is, back) in [
            (table("a = 1"), table("a = 2"), table("a = 2"), Ok(table("a = 1"))),
            (table("a = 1"), table("a = 2"), table("a = 2\nb = 3"), Ok(table("a = 1\nb = 3"))),
            (table("a = 1"), table("a = 2"), table("a = 3"), Err(ChangedSince)),
            (None, table("a = 1"), table("a = 1"), Ok(None)),
            (None, table("a = 1"), table("a = 2"), Err(ChangedSince)),
            (table("a = 1"), None, None, Ok(table("a = 1"))),
            (table("a = 1"), None, table("a = 1"), Err(ChangedSince)),
        ] {
            assert_eq!(table_back(was.clone(), became, is), back, "{was:?}");
        }
    }

    #[test]
    fn a_list_loses_what_was_added_and_gets_back_what_was_taken() {
        assert_eq!(list_back(&["x", "t", "a"], &["a"], &["t", "a"]), Ok(vec!["x", "a"]));
        assert_eq!(list_back(&["b", "x"], &["a", "b"], &["b"]), Ok(vec!["a", "b", "x"]));
        assert_eq!(list_back(&["a"], &["a"], &["t", "a"]), Err(ChangedSince));
    }
}
