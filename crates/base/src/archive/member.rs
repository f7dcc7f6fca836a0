//! The name of an archive's entry, checked: only a [`MemberPath`] is ever joined to a folder on disk.

use std::ffi::OsStr;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

use crate::environment;
use crate::naming::reserved::{self, WindowsNameError};
use crate::os;
use crate::system::System;

/// The longest part of a name, in bytes (`NAME_MAX` of common file systems).
const LONGEST: usize = 255;
/// The longest name with all its folders, and the longest target of a link, in bytes: what is left of `PATH_MAX` (limits.h(0P),
/// 4096 on Linux) for the folder that it is unpacked into.
const LONGEST_WHOLE: usize = 3072;
const DEEPEST: usize = 100;

/// A relative path of plain components: no root, no drive, no `..`, no `.`, not empty. A clone shares its text.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct MemberPath(Arc<OsStr>);

#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum MemberError {
    #[error("its name is absolute")]
    Absolute,
    /// It has a `..` component.
    #[error("its name leads outside the archive")]
    Climbs,
    #[error("its name contains a zero byte")]
    Nul,
    #[error("a part of its name is longer than {LONGEST} bytes")]
    TooLong,
    #[error("its name is longer than {LONGEST_WHOLE} bytes")]
    TooLongWhole,
    #[error("its link target is empty, contains a zero byte, or is longer than {LONGEST_WHOLE} bytes")]
    Target,
    #[error("it is more than {DEEPEST} folders deep")]
    TooDeep,
    #[error(transparent)]
    Windows(#[from] WindowsNameError),
}

impl MemberPath {
    /// Checks a name as the archive has it, with `/` between components. A trailing `/`, repeated `/` and `.`
    /// components are dropped; `None` is the archive's own root (`./`).
    pub fn new(name: &[u8]) -> Result<Option<Self>, MemberError> {
        Self::on(environment::host_system(), name)
    }

    /// The same under the rules of a given system: Windows also takes `\` for a separator and has names that mean
    /// something else.
    fn on(system: System, name: &[u8]) -> Result<Option<Self>, MemberError> {
        let windows = system == System::Windows;
        if name.contains(&0) {
            return Err(MemberError::Nul);
        }
        let drive = name.len() >= 2 && name[0].is_ascii_alphabetic() && name[1] == b':';
        if name.starts_with(b"/") || name.starts_with(b"\\") || (drive && matches!(name.get(2), Some(b'/' | b'\\'))) {
            return Err(MemberError::Absolute);
        }
        let mut joined = Vec::with_capacity(name.len());
        let mut depth = 0;
        for part in name.split(|b| *b == b'/' || (windows && *b == b'\\')) {
            match part {
                b"" | b"." => {}
                b".." => return Err(MemberError::Climbs),
                plain if plain.len() > LONGEST => return Err(MemberError::TooLong),
                plain => {
                    if windows {
                        reserved::check(&String::from_utf8_lossy(plain))?;
                    }
                    if depth > 0 {
                        joined.extend_from_slice(std::path::MAIN_SEPARATOR_STR.as_bytes());
                    }
                    joined.extend_from_slice(plain);
                    depth += 1;
                }
            }
        }
        if joined.len() > LONGEST_WHOLE {
            return Err(MemberError::TooLongWhole);
        }
        if depth > DEEPEST {
            return Err(MemberError::TooDeep);
        }
        let path = os::name_from_bytes(joined);
        // On a system with other separators or prefixes a "plain" part can still be more than that.
        if environment::host_system() == System::Windows
            && Path::new(&path).components().any(|c| !matches!(c, Component::Normal(_)))
        {
            return Err(MemberError::Climbs);
        }
        Ok((depth > 0).then(|| Self(path.into())))
    }

    /// Whether a link can be made to this target, wherever it leads.
    pub(super) fn check_target(target: &[u8]) -> Result<(), MemberError> {
        let fits = !target.is_empty() && target.len() <= LONGEST_WHOLE && !target.contains(&0);
        let parts = target.split(|byte| *byte == b'/').all(|part| part.len() <= LONGEST);
        if fits && parts { Ok(()) } else { Err(MemberError::Target) }
    }

    pub fn as_path(&self) -> &Path {
        Path::new(&*self.0)
    }

    /// The path from a folder on; `None` where it does not lie in it.
    pub fn below(&self, folder: &Path) -> Option<&Path> {
        // Both are plain: where they are text, no part needs to be looked at by itself.
        let (Some(own), Some(folder)) = (self.0.to_str(), folder.to_str()) else {
            return self.as_path().strip_prefix(folder).ok();
        };
        if folder.is_empty() {
            return Some(self.as_path());
        }
        let rest = own.strip_prefix(folder)?;
        if rest.is_empty() {
            Some(Path::new(rest))
        } else {
            rest.strip_prefix(std::path::MAIN_SEPARATOR).map(Path::new)
        }
    }

    /// The same as text, which is shared and not copied.
    pub(super) fn shared(&self) -> Arc<OsStr> {
        Arc::clone(&self.0)
    }

    pub fn under(&self, root: &Path) -> PathBuf {
        root.join(self.as_path())
    }

    pub fn file_name(&self) -> String {
        self.as_path().file_name().unwrap_or_default().to_string_lossy().into_owned()
    }

    /// The whole, lossy, for people, with `/` between components as in archives.
    pub fn display(&self) -> String {
        let parts: Vec<_> = self.as_path().iter().map(|part| part.to_string_lossy()).collect();
        parts.join("/")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn names_are_checked_by_component() {
        let ok = |path: &str| Ok(Some(path.to_owned()));
        type Case<'a> = (&'a [u8], Result<Option<String>, MemberError>);
        let (dirs, long) = ("dir/".repeat(99), b"a-long-folder-it-is-to-be-in-here/".repeat(95));
        let cases: [Case; 14] = [
            (b"bin/tidelog", ok("bin/tidelog")),
            (b"./bin//tidelog/", ok("bin/tidelog")),
            (b"./", Ok(None)),
            (b"a/..b/c..", ok("a/..b/c..")),
            (b"/etc/passwd", Err(MemberError::Absolute)),
            (b"\\\\host\\share\\x", Err(MemberError::Absolute)),
            (b"C:/x", Err(MemberError::Absolute)),
            (b"c:\\x", Err(MemberError::Absolute)),
            (b"../x", Err(MemberError::Climbs)),
            (b"a/../../x", Err(MemberError::Climbs)),
            (b"a/..", Err(MemberError::Climbs)),
            (b"a\0b", Err(MemberError::Nul)),
            (dirs.as_bytes(), ok(dirs.trim_end_matches('/'))),
            (&long, Err(MemberError::TooLongWhole)),
        ];
        for (name, expected) in cases {
            let seen = MemberPath::on(System::Unix, name).map(|m| m.map(|m| m.display()));
            assert_eq!(seen, expected, "{}", String::from_utf8_lossy(name));
        }
    }

    #[test]
    fn windows_has_more_separators_and_fewer_names() {
        use WindowsNameError::{Character, Device, End};
        type Case<'a> = (&'a [u8], Result<&'a str, MemberError>);
        let cases: [Case; 7] = [
            (b"w\\bin\\t.exe", Ok("w/bin/t.exe")),
            (b"w\\..\\..\\t", Err(MemberError::Climbs)),
            (b"w/nul.txt", Err(Device.into())),
            (b"w/doc./t", Err(End.into())),
            (b"w/t:stream", Err(Character.into())),
            (b"c:t", Err(Character.into())),
            ("w/tidal übersicht".as_bytes(), Ok("w/tidal übersicht")),
        ];
        for (name, expected) in cases {
            let seen = MemberPath::on(System::Windows, name).map(|m| m.unwrap().display());
            assert_eq!(seen, expected.map(str::to_owned), "{}", String::from_utf8_lossy(name));
        }
    }

    proptest! {
        #[test]
        fn a_join_never_leaves_its_root(name in proptest::collection::vec(any::<u8>(), 0..40)) {
            if let Ok(Some(member)) = MemberPath::new(&name) {
                let joined = member.under(Path::new("/root"));
                prop_assert!(joined.starts_with("/root") && joined != Path::new("/root"));
                prop_assert!(joined.components().skip(1).all(|c| matches!(c, Component::Normal(_))));
            }
        }
    }
}
