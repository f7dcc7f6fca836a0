//! Names of one archive that a file system without case would take for one.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

#[derive(Debug, Default)]
pub(super) struct Spellings(HashMap<String, PathBuf>);

impl Spellings {
    /// Notes a path and the folders it lies in; gives the two that differ only in case, where there are such.
    pub fn meet(&mut self, path: &Path) -> Option<(PathBuf, PathBuf)> {
        for part in path.ancestors().filter(|p| !p.as_os_str().is_empty()) {
            match self.0.get(&part.to_string_lossy().to_lowercase()) {
                // All folders above were met together with it.
                Some(earlier) if earlier == part => return None,
                Some(earlier) => return Some((earlier.clone(), part.to_owned())),
                None => self.0.insert(part.to_string_lossy().to_lowercase(), part.to_owned()),
            };
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_case_makes_a_difference_worth_telling() {
        let met = |paths: &[&str]| {
            let mut spellings = Spellings::default();
            let clash = paths.iter().find_map(|path| spellings.meet(Path::new(path)));
            clash.map(|(one, other)| format!("{} {}", one.display(), other.display()))
        };
        assert_eq!(met(&["w/a", "w/b", "w/a", "w"]), None);
        assert_eq!(met(&["w/Read", "w/read"]).as_deref(), Some("w/Read w/read"));
        assert_eq!(met(&["w/bin/t", "W/bin/u"]).as_deref(), Some("w/bin W/bin"));
        assert_eq!(met(&["w/Ä", "w/ä"]).as_deref(), Some("w/Ä w/ä"));
    }
}
