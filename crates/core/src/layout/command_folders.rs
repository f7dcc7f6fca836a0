//! Which folders of a tool hold what a person types.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use crate::program::{Program, ProgramKind};

/// Folders whose programs are for the tool itself, for its makers, or for reading.
const NEVER: [&str; 22] = [
    "lib",
    "lib64",
    "libexec",
    "share",
    "test",
    "tests",
    "testing",
    "example",
    "examples",
    "sample",
    "samples",
    "demo",
    "doc",
    "docs",
    "src",
    "include",
    "etc",
    "contrib",
    "node_modules",
    "completions",
    "completion",
    "man",
];

/// Beginnings of scripts at a tool's root that set it up or build it.
const SET_UP: [&str; 8] = ["install", "uninstall", "setup", "configure", "build", "make", "bootstrap", "autogen"];

/// Whether a folder's name says that it holds programs.
pub(super) fn is_named_for_programs(folder: &Path) -> bool {
    folder.file_name().is_some_and(|n| n == "bin" || n == "sbin")
}

/// Folders at the root that hold what a person types, in the order of importance. `Scripts` is where some packages of
/// Windows have what others have in `bin`.
const AT_ROOT: [&str; 3] = ["bin", "sbin", "Scripts"];

/// Finds the command folders. Of an archive without modes a script counts as a program by its first line alone; where only
/// such scripts lie in the folders found, and native programs elsewhere, those decide.
pub(super) fn choose(programs: &[(PathBuf, &Program)], without_modes: bool) -> Vec<PathBuf> {
    let is_native = |program: &Program| matches!(program.kind, ProgramKind::Elf | ProgramKind::Macho);
    let found = find(programs);
    let holds_native = |folder: &PathBuf| {
        programs.iter().any(|(path, program)| is_native(program) && path.parent() == Some(folder.as_path()))
    };
    if !without_modes || found.iter().any(holds_native) {
        return found;
    }
    let native: Vec<(PathBuf, &Program)> = programs.iter().filter(|(_, program)| is_native(program)).cloned().collect();
    let of_native = find(&native);
    if of_native.is_empty() { found } else { of_native }
}

/// Finds the command folders, the more important first:
/// 1. `bin`, `sbin` and `Scripts` at the root, where they hold programs; `cmd` in place of `bin`, where both do: it is
///    what such packages keep for PATH; and the root too, where a compiled program lies there;
/// 2. else the root, where programs lie there that do not just set the tool up;
/// 3. else the folders named `bin` or `sbin` that lie least deep;
/// 4. else the folders with programs that lie least deep.
fn find(programs: &[(PathBuf, &Program)]) -> Vec<PathBuf> {
    let root = Path::new("");
    let with_programs: BTreeSet<&Path> = programs.iter().filter_map(|(path, _)| path.parent()).collect();
    let there = |name: &str| {
        let same = |folder: &&Path| folder.as_os_str().eq_ignore_ascii_case(name);
        with_programs.iter().copied().find(same)
    };
    let mut found: Vec<&Path> = AT_ROOT.iter().filter_map(|name| there(name)).collect();
    if let (Some(bin), Some(cmd)) = (there("bin"), there("cmd")) {
        found.iter_mut().filter(|folder| **folder == bin).for_each(|folder| *folder = cmd);
    }
    let at_root = |only_compiled: bool| {
        programs.iter().any(|(path, program)| {
            path.parent() == Some(root)
                && !(only_compiled && matches!(program.kind, ProgramKind::Script | ProgramKind::Batch))
                && !sets_up(path)
        })
    };
    if at_root(!found.is_empty()) {
        found.push(root);
    }
    if found.is_empty() {
        let open = |f: &&Path| !f.iter().any(|part| NEVER.iter().any(|n| part.eq_ignore_ascii_case(n)));
        let below: Vec<&Path> = with_programs.into_iter().filter(|f| *f != root).filter(open).collect();
        let named: Vec<&Path> = below.iter().copied().filter(|f| is_named_for_programs(f)).collect();
        let choice = if named.is_empty() { below } else { named };
        let least = choice.iter().map(|f| f.iter().count()).min();
        found = choice.into_iter().filter(|f| Some(f.iter().count()) == least).collect();
    }
    found.into_iter().map(Path::to_owned).collect()
}

/// Whether a program at the root sets the tool up or builds it, by its name.
pub(super) fn sets_up(program: &Path) -> bool {
    let name = program.to_string_lossy();
    let stem = name.split(['.', '-', '_']).next().unwrap_or_default();
    SET_UP.iter().any(|s| stem.eq_ignore_ascii_case(s))
}
