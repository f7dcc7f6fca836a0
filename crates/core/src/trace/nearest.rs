//! The commands nearest to a name that nothing has.

use std::collections::{BTreeSet, HashSet};
use std::path::PathBuf;

use crate::folders::commands_in;
use crate::naming::similar;
use crate::resolve::LookupContext;

/// The commands in these PATHs that are most similar to the name, nearest first.
pub(super) fn nearest<'a>(name: &str, context: impl Iterator<Item = &'a LookupContext>) -> Vec<String> {
    let (mut names, mut met) = (BTreeSet::new(), HashSet::<PathBuf>::new());
    for context in context {
        context
            .folders()
            .into_iter()
            .filter(|folder| met.insert(folder.clone()))
            .for_each(|f| names.extend(commands_in(&f, context.system)));
    }
    similar(name, names)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg_attr(windows, ignore = "the programs are those of Unix")]
    fn the_nearest_come_first() {
        let folder = tempfile::tempdir().unwrap();
        for name in ["tidelog", "tidelogc", "shoal", "tl"] {
            let file = folder.path().join(name);
            std::fs::write(&file, "").unwrap();
            crate::os::set_folder_mode(&file, 0o755).unwrap();
        }
        let context = LookupContext { path: folder.path().into(), ..LookupContext::new(crate::system::System::Unix) };
        let near = |name: &str| nearest(name, [&context].into_iter());
        assert_eq!(near("tideolg"), ["tidelog", "tidelogc"]);
    }
}
