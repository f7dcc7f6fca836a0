//! What is worth telling about the registry's environment.

use super::environment::{Background, RegistryEnvironments};
use super::error::{MOST, RegistryError};
use crate::finding::{Code, Finding};
use crate::path_list::windows;
use crate::registry::{RegistryPlace, RegistryPlaces, RegistryValue, same_name};
use crate::scope::Scope;

/// The longest command line, and so the longest variable, that `cmd` works with ("Command prompt line string
/// limitation").
const MOST_FOR_CMD: usize = 8_191;
/// What older dialogs of the system cut a value to when somebody edits it there.
const MOST_FOR_DIALOGS: usize = 2_047;

/// All that is worth telling of both keys as they are.
pub fn findings(background: &Background, places: &RegistryPlaces) -> Vec<Finding> {
    let registry = &background.registry;
    let mut found = strays(registry, places);
    found.extend(references_across(background, places));
    found.extend(whole_length(background));
    for (scope, key) in [(Scope::System, &registry.system), (Scope::User, &registry.user)] {
        found.extend(length(key.get("Path").as_ref(), &places.of_scope(scope)).unwrap_or_default());
    }
    found
}

/// Looks at the length that `Path` will have, in characters of UTF-16 as the system counts them.
pub(super) fn length(path: Option<&RegistryValue>, key: &RegistryPlace) -> Result<Vec<Finding>, RegistryError> {
    let length = path.map_or(0, |value| value.text.encode_utf16().count());
    if length > MOST {
        return Err(RegistryError::TooLong { key: key.to_string(), length });
    }
    let remedy = "remove entries that you no longer need";
    Ok(if length > MOST_FOR_CMD {
        let seen = format!("Path in {key} has {length} characters, and cmd can use {MOST_FOR_CMD}");
        vec![Finding::new(Code::PathTooLongForCmd, seen).remedy(remedy)]
    } else if length > MOST_FOR_DIALOGS {
        let seen = format!("Path in {key} has {length} characters; older dialogs truncate it to {MOST_FOR_DIALOGS}");
        vec![Finding::new(Code::PathTooLongForDialogs, seen)]
    } else {
        Vec::new()
    })
}

/// Looks at the length of what a new process gets as PATH, references expanded and both values joined, where neither value is too
/// long by itself.
pub(super) fn whole_length(background: &Background) -> Option<Finding> {
    let registry = &background.registry;
    let text = |scope| registry.of(scope).get("Path").map_or(0, |value| value.text.encode_utf16().count());
    if text(Scope::System).max(text(Scope::User)) > MOST_FOR_CMD {
        return None;
    }
    let variables = background.variables();
    let (_, path) = variables.iter().find(|(name, _)| same_name(name, "Path"))?;
    let length = path.encode_utf16().count();
    let limit = match length {
        _ if length > MOST => "a variable can hold",
        _ if length > MOST_FOR_CMD => "cmd can use",
        _ => return None,
    };
    let most = if length > MOST { MOST } else { MOST_FOR_CMD };
    let seen = format!("PATH of a new terminal has {length} characters, both values together, and {limit} {most}");
    let remedy = "remove entries that you no longer need";
    Some(Finding::new(Code::PathTooLongForCmd, seen).remedy(remedy))
}

/// Variables that somebody made who meant to edit `Path`.
pub(super) fn strays(registry: &RegistryEnvironments, places: &RegistryPlaces) -> Vec<Finding> {
    let stray = |name: &str| {
        let plain = name.trim_matches(|c: char| c.is_whitespace() || ";%\"'".contains(c));
        !same_name(name, "Path") && (same_name(plain, "Path") || same_name(plain, "Paths"))
    };
    let mut found = Vec::new();
    for (scope, key) in [(Scope::User, &registry.user), (Scope::System, &registry.system)] {
        for raw in key.0.iter().filter(|raw| stray(&raw.name)) {
            let seen = format!(
                "the variable \"{}\" in {} is not Path, and no program uses it",
                raw.name,
                places.of_scope(scope)
            );
            let remedy = "move its folders to Path, then remove it";
            found.push(Finding::new(Code::StrayVariable, seen).remedy(remedy));
        }
    }
    found
}

/// Entries of the system's `Path` that refer to a variable only the user has: they are expanded before it is there.
pub(super) fn references_across(background: &Background, places: &RegistryPlaces) -> Vec<Finding> {
    let registry = &background.registry;
    let Some(path) = registry.system.get("Path") else { return Vec::new() };
    let of_system = |name: &str| {
        registry.system.raw(name).is_some() || background.given.iter().any(|(given, _)| same_name(given, name))
    };
    let mut found = Vec::new();
    for part in windows::parts(&path.text) {
        // Every second piece between "%" is a name.
        let names = part.split('%').skip(1).step_by(2);
        for name in names.filter(|name| !of_system(name) && registry.user.raw(name).is_some()) {
            let seen = format!(
                "the entry {part} of the system's Path refers to the user variable {name}, which is never expanded there"
            );
            let remedy = format!("define {name} in {}, or write the folder out", places.of_scope(Scope::System));
            found.push(Finding::new(Code::ReferenceAcrossScopes, seen).remedy(remedy));
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::super::environment::Builder;
    use super::super::environment::tests::key;
    use super::*;
    use crate::registry::ValueKind;

    #[test]
    fn lengths_are_looked_at_before_anything_is_written() {
        for (length, fine, codes) in [
            (2047, true, &[][..]),
            (2048, true, &[Code::PathTooLongForDialogs]),
            (8191, true, &[Code::PathTooLongForDialogs]),
            (8192, true, &[Code::PathTooLongForCmd]),
            (32_767, true, &[Code::PathTooLongForCmd]),
            (32_768, false, &[]),
        ] {
            let value = RegistryValue::new(ValueKind::Plain, "x".repeat(length));
            let seen = super::length(Some(&value), &RegistryPlaces::of(None).of_scope(Scope::User));
            assert_eq!(seen.is_ok(), fine, "{length}");
            let seen: Vec<_> = seen.unwrap_or_default().iter().map(|f| f.code).collect();
            assert_eq!(seen, codes, "{length}");
        }
    }

    #[test]
    fn the_length_of_both_values_together_counts() {
        for (system, user, told) in [
            (4000, 4000, None),
            (5000, 5000, Some("10001 characters, both values together, and cmd can use 8191")),
            (20_000, 100, None),
        ] {
            let of = |length: usize| key(&[&*format!("Path={}", "x".repeat(length))]);
            let registry = RegistryEnvironments { system: of(system), user: of(user) };
            let background = Background { given: Vec::new(), registry, builder: Builder::Windows };
            let seen = whole_length(&background).map(|finding| finding.seen);
            assert_eq!(seen.is_some(), told.is_some(), "{seen:?}");
            assert!(seen.is_none_or(|seen| seen.contains(told.unwrap())), "{system} {user}");
        }
    }

    #[test]
    fn what_cannot_work_is_told() {
        let registry = RegistryEnvironments {
            user: key(&["PATH =C:\\a", "Paths=C:\\b", "Path=C:\\c", "PathExtra=1", "T_HOME=C:\\t", "BOTH=1"]),
            system: key(&["Path:=%T_HOME%\\bin;%BOTH%\\x;%W%\\y;%NOBODY%", "BOTH=2"]),
        };
        let keys = RegistryPlaces::of(None);
        let seen: Vec<String> = strays(&registry, &keys).into_iter().map(|f| f.seen).collect();
        assert_eq!(seen.len(), 2, "{seen:?}");
        assert!(seen[0].contains("\"PATH \"") && seen[1].contains("\"Paths\""), "{seen:?}");
        let given = vec![("W".to_owned(), "C:\\W".to_owned())];
        let background = Background { given, registry, builder: Builder::Windows };
        let seen: Vec<String> = references_across(&background, &keys).into_iter().map(|f| f.seen).collect();
        assert_eq!(seen.len(), 1, "{seen:?}");
        assert!(seen[0].contains("%T_HOME%\\bin"), "{seen:?}");
    }
}
