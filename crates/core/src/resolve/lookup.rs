//! A lookup by the rules of its caller.

use super::caller::Caller;
use super::candidate::Candidate;
use super::context::LookupContext;
use super::view::FileView;
use super::{unix, windows};
use crate::system::System;

/// Lists the files that `name` could mean to a caller, in order, the winner marked.
pub fn candidates(caller: Caller, name: &str, context: &LookupContext, view: &dyn FileView) -> Vec<Candidate> {
    match caller.system() {
        _ if name.is_empty() => Vec::new(),
        System::Unix => unix::candidates(caller, name, context, view),
        System::Windows => windows::candidates(caller, name, context, view),
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use std::path::Path;

    use super::super::candidate::{Reason, Standing};
    use super::super::view::FileKind;
    use super::*;

    struct Made(BTreeMap<&'static str, FileKind>);

    impl FileView for Made {
        fn look(&self, path: &Path) -> FileKind {
            self.0.get(&*path.to_str().unwrap().replace('\\', "/")).copied().unwrap_or(FileKind::Missing)
        }
    }

    #[test]
    fn the_first_program_wins_and_the_rest_is_told() {
        let made = Made(BTreeMap::from([
            ("/a/t", FileKind::Folder),
            ("/b/t", FileKind::File),
            ("/c/t", FileKind::Program),
            ("/now/t", FileKind::Program),
            ("/d/t", FileKind::BrokenLink),
            ("/e/t", FileKind::Program),
        ]));
        let context = |path: &str| LookupContext {
            path: path.into(),
            current_folder: "/now".into(),
            ..LookupContext::new(System::Unix)
        };
        let list = |path: &str, name: &str| -> Vec<(String, Standing, Option<Reason>)> {
            candidates(Caller::Exec, name, &context(path), &made)
                .into_iter()
                .map(|c| (c.path.to_str().unwrap().replace('\\', "/"), c.standing, c.reason))
                .collect()
        };
        assert_eq!(
            list("/a:/b:/c::/d:/e", "t"),
            [
                ("/a/t".into(), Standing::Skipped, Some(Reason::IsAFolder)),
                ("/b/t".into(), Standing::Skipped, Some(Reason::NotExecutable)),
                ("/c/t".into(), Standing::Winner, None),
                ("/now/t".into(), Standing::Shadowed, None),
                ("/d/t".into(), Standing::Skipped, Some(Reason::BrokenLink)),
                ("/e/t".into(), Standing::Shadowed, None),
            ]
        );
        assert_eq!(list("/x:", "t")[0].0, "/now/t");
        assert_eq!(list("", "t")[0].0, "/now/t", "a PATH of nothing is one empty entry to most");
        assert_eq!(list("/c", "/e/t"), [("/e/t".into(), Standing::Winner, None)]);
        assert!(list("/c", "").is_empty());
    }
}
