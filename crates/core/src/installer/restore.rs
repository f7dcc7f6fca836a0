//! Taking back what an installer did to the stores, and nothing that somebody else did to them while it ran or since.

use std::collections::HashSet;

use similar::{Algorithm, DiffOp, capture_diff_slices};

use super::blame::{Owner, Whose};
use super::watch::{Watch, startup_seen, value_seen};
use crate::change::{Changeset, Content, StoredValue, list_value_back};
use crate::scope::Scope;

/// What takes back what changed between `before` and `after` and is the installer's, where the stores are as in `now`.
pub fn restore(before: &Watch, after: &Watch, now: &Watch, whose: &Whose<'_>) -> Changeset {
    let mut changeset = Changeset::default();
    for (path, became) in &after.startup {
        let was = before.startup.get(path).cloned().flatten();
        let is = now.startup.get(path).cloned().flatten();
        let seen = startup_seen(path, was.as_deref(), became.as_deref());
        let strange = whose.strange_lines(&seen);
        let added: HashSet<&str> = seen.added.iter().map(String::as_str).collect();
        let owner = |line: &str| match Owner::of_line(line) {
            Some(owner) => owner,
            None if added.contains(line) && !strange.contains(&line) => Owner::Installer,
            None => Owner::Other,
        };
        let wanted = lines_back(was.as_deref(), became.as_deref(), is.as_deref(), &owner);
        if wanted != is {
            changeset.restore(path, is.map(Content::from), wanted.map(Content::from));
        }
    }
    for scope in Scope::ALL {
        for name in before.registry.names_beside(&after.registry, scope) {
            let [was, became, is] = [before, after, now].map(|watch| watch.registry.of(scope).raw(&name));
            let stored = |raw: Option<_>| raw.map(StoredValue::from);
            if stored(was) == stored(became) {
                continue;
            }
            let spelled = became.or(was).map_or_else(|| name.clone(), |raw| raw.name.clone());
            let text = |raw: Option<_>| stored(raw).and_then(|value| value.text());
            let seen = value_seen(scope, &spelled, text(was), text(became));
            let strange = whose.strange_texts(&seen);
            let is_list = spelled.eq_ignore_ascii_case("Path");
            let wanted = match stored(is) {
                same if same == stored(became) && strange.is_empty() => stored(was),
                same if is_list => {
                    let own = text(became).unwrap_or_default();
                    let own: Vec<&str> =
                        own.split(';').filter(|part| !strange.iter().any(|other| other == part)).collect();
                    let own = StoredValue::of_text(same.as_ref().map_or(1, |value| value.kind), own.join(";"));
                    list_value_back(same.as_ref(), Some(&own), stored(was).as_ref()).or(same)
                }
                same => same,
            };
            if wanted != stored(is) {
                changeset.value(scope, spelled, stored(is), wanted);
            }
        }
    }
    changeset
}

/// A file as it is now, with the installer's lines taken out and those that it took out put back. `owner` says whose a line
/// is that the installer's run brought; one that does nothing belongs to what comes after it.
fn lines_back(
    was: Option<&[u8]>,
    became: Option<&[u8]>,
    is: Option<&[u8]>,
    owner: &dyn Fn(&str) -> Owner,
) -> Option<Vec<u8>> {
    let Some(after) = became.filter(|_| was != became) else {
        // Gone by the installer, and nobody has made it since.
        return if became.is_none() && is.is_none() { was } else { is }.map(<[u8]>::to_vec);
    };
    let is = is?;
    let texts = [was.unwrap_or_default(), after, is].map(with_end);
    let [before, after, now] = [&texts[0], &texts[1], &texts[2]].map(|text| lines(text));
    let (mut own, mut back) = (vec![false; after.len()], vec![Vec::<&[u8]>::new(); after.len() + 1]);
    for change in capture_diff_slices(Algorithm::Myers, &before, &after) {
        if matches!(change, DiffOp::Equal { .. }) {
            continue;
        }
        let owners: Vec<Owner> = after[change.new_range()]
            .iter()
            .map(|line| owner(String::from_utf8_lossy(line).trim_end_matches(['\r', '\n'])))
            .collect();
        let all_own = owners.contains(&Owner::Installer) && !owners.contains(&Owner::Other);
        let mut next = if all_own { Owner::Installer } else { Owner::Other };
        for (at, owner) in change.new_range().zip(&owners).rev() {
            next = if *owner == Owner::Nobody { next } else { *owner };
            own[at] = next == Owner::Installer;
        }
        back[change.new_range().start].extend(&before[change.old_range()]);
    }
    let changes = capture_diff_slices(Algorithm::Myers, &after, &now);
    let is_new = |change: &&DiffOp| !matches!(change, DiffOp::Equal { .. });
    let since: HashSet<&[u8]> =
        changes.iter().filter(is_new).flat_map(|change| &now[change.new_range()]).copied().collect();
    let mut returned = |at: usize| {
        let lines = std::mem::take(&mut back[at]);
        lines.into_iter().filter(|line| !since.contains(line))
    };
    let mut wanted = Vec::new();
    for change in &changes {
        wanted.extend(returned(change.old_range().start));
        for at in change.old_range() {
            wanted.extend(returned(at));
            if matches!(change, DiffOp::Equal { .. }) && !own[at] {
                wanted.push(after[at]);
            }
        }
        if is_new(&change) {
            wanted.extend(&now[change.new_range()]);
        }
    }
    wanted.extend(returned(after.len()));
    if wanted == before {
        return was.map(<[u8]>::to_vec);
    }
    let mut text = wanted.concat();
    if wanted.last() == now.last() && !is.ends_with(b"\n") {
        text.pop();
    }
    Some(text)
}

fn with_end(text: &[u8]) -> Vec<u8> {
    let end: &[u8] = if text.is_empty() || text.ends_with(b"\n") { b"" } else { b"\n" };
    [text, end].concat()
}

fn lines(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|byte| *byte == b'\n').collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Lines of the installer begin with `i`, remarks with `#`.
    fn back(was: Option<&str>, became: Option<&str>, is: Option<&str>) -> Option<String> {
        let owner = |line: &str| match line.as_bytes().first() {
            Some(b'i') => Owner::Installer,
            None | Some(b'#') => Owner::Nobody,
            _ => Owner::Other,
        };
        let bytes = lines_back(was.map(str::as_bytes), became.map(str::as_bytes), is.map(str::as_bytes), &owner);
        bytes.map(|bytes| String::from_utf8(bytes).unwrap())
    }

    #[test]
    fn only_what_the_installer_did_is_taken_back() {
        for (was, became, is, expected) in [
            (Some("a\n"), Some("a\ni\n"), Some("a\ni\n"), Some("a\n")),
            (Some("a"), Some("a\ni\n"), Some("a\ni\n"), Some("a")),
            (Some("a"), Some("a\ni\n"), Some("a\ni\nuser\n"), Some("a\nuser\n")),
            (Some("a\n"), Some("a\n# of it\ni\n# end\n"), Some("a\n# of it\ni\n# end\n"), Some("a\n")),
            // By others while it ran, and since.
            (Some("a\n"), Some("a\ni\n# mine\nuser\n"), Some("a\ni\n# mine\nuser\n"), Some("a\n# mine\nuser\n")),
            (Some("a\n"), Some("a\nuser\n"), Some("a\nuser\nlater"), Some("a\nuser\nlater")),
            (Some("a\nb\n"), Some("a\ni\nb\n"), Some("new\na\ni\n"), Some("new\na\n")),
            (None, Some("i\n"), Some("i\n"), None),
            (None, Some("i\n"), Some("i\nuser\n"), Some("user\n")),
            (None, Some("i\n"), None, None),
            // What it took out.
            (Some("a\nb\n"), Some("a\n"), Some("a\nuser\n"), Some("a\nb\nuser\n")),
            (Some("a\nb\nc\n"), Some("a\ni\nc\n"), Some("a\ni\nb\nc\n"), Some("a\nb\nc\n")),
            (Some("a\n"), None, None, Some("a\n")),
            (Some("a\n"), None, Some("user\n"), Some("user\n")),
        ] {
            let told = back(was, became, is);
            assert_eq!(told.as_deref(), expected, "{was:?} {became:?} {is:?}");
        }
    }

    proptest! {
        #[test]
        fn nobody_elses_line_is_lost(
            was in proptest::collection::vec("[a-c]{1,2}", 0..8),
            added in proptest::collection::vec(("i[xyz]", 0usize..9), 1..4),
            users in proptest::collection::vec(("u[0-9]{3}", 0usize..12), 0..5),
        ) {
            let put = |into: &[String], more: &[(String, usize)]| {
                let mut lines = into.to_vec();
                for (line, at) in more {
                    lines.insert((*at).min(lines.len()), line.clone());
                }
                lines
            };
            let text = |lines: &[String]| lines.iter().map(|line| format!("{line}\n")).collect::<String>();
            let became = put(&was, &added);
            let is = put(&became, &users);
            let told = back(Some(&text(&was)), Some(&text(&became)), Some(&text(&is))).unwrap();
            let expected: Vec<String> = is.iter().filter(|line| !line.starts_with('i')).cloned().collect();
            prop_assert_eq!(told, text(&expected));
        }
    }
}
