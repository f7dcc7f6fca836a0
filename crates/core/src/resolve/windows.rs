//! The lookup rules of Windows: `cmd`, PowerShell, and a program that starts another.

use std::path::{Path, PathBuf};

use super::{Caller, Candidate, FileView, Reason, Seen, Standing, Surroundings};
use crate::path_list::windows;

/// The extensions that `cmd` tries when PATHEXT is not set ("PATHEXT", `cmd`).
pub const USUAL_EXTENSIONS: &str = ".COM;.EXE;.BAT;.CMD";

/// A folder to look in, and the entry of PATH it comes from.
type Place = (PathBuf, Option<(String, usize)>);

/// Lists the files that a name could mean, in order.
///
/// - `cmd`: the current folder, unless `NoDefaultCurrentDirectoryInExePath` is set, then PATH, quotes dropped. In each
///   folder a name with an extension as it is, then the name with each extension of PATHEXT ("cmd"; "path").
/// - PowerShell: PATH only, in each folder `.ps1` and then PATHEXT ("about_Command_Precedence").
/// - A program (CreateProcess): its own folder, the current folder, the system's folders, then PATH, split at every
///   `;` and quotes kept; `.exe` is added to a name without a dot and nothing else ("CreateProcessW function").
pub(super) fn candidates(caller: Caller, name: &str, around: &Surroundings, view: &dyn FileView) -> Vec<Candidate> {
    let has_folder = name.contains(['\\', '/', ':']);
    let places = if has_folder { vec![(PathBuf::new(), None)] } else { places(caller, around) };
    let names = names(caller, name, around);
    let mut won = false;
    let mut found = Vec::new();
    for (folder, entry) in places {
        let mut tried: Vec<(String, bool)> = names.iter().map(|n| (n.clone(), true)).collect();
        // Tells of a file that has the bare name and cannot be run by it.
        if !tried.iter().any(|(n, _)| n.eq_ignore_ascii_case(name)) {
            tried.push((name.to_owned(), false));
        }
        for (file, listed) in tried {
            let path = match (folder.as_os_str().is_empty(), is_relative(&file)) {
                (true, true) => join(&around.current_folder, &file),
                (true, false) => PathBuf::from(&file),
                (false, _) => join(&folder, &file),
            };
            let seen = view.look(&path);
            let reason = match seen {
                Seen::Missing => continue,
                Seen::Program | Seen::File | Seen::AppAlias if listed => None,
                Seen::Program | Seen::File | Seen::AppAlias => Some(Reason::ExtensionNotListed),
                Seen::Folder if !listed => continue,
                Seen::Folder => Some(Reason::IsAFolder),
                Seen::BrokenLink => Some(Reason::BrokenLink),
                Seen::Unreadable => Some(Reason::Unreadable),
            };
            let standing = Standing::next(reason, &mut won);
            let entry = entry.clone().map(|(raw, index)| (raw.into(), index));
            found.push(Candidate { path, entry, standing, reason, app_alias: seen == Seen::AppAlias });
        }
    }
    found
}

/// Joins as text, so that the rules mean the same on every system they are tested on.
fn join(folder: &Path, file: &str) -> PathBuf {
    let folder = folder.to_string_lossy();
    let end = if folder.ends_with(['\\', '/']) { "" } else { "\\" };
    PathBuf::from(format!("{folder}{end}{file}"))
}

fn places(caller: Caller, around: &Surroundings) -> Vec<Place> {
    let text = around.path.to_string_lossy();
    let mut places: Vec<Place> = Vec::new();
    match caller {
        Caller::Cmd if !around.forbids_current_folder => places.push((around.current_folder.clone(), None)),
        Caller::CreateProcess => {
            places.extend(around.program_folder.clone().map(|folder| (folder, None)));
            places.push((around.current_folder.clone(), None));
            if let Some(root) = &around.system_root {
                places.extend([join(root, "System32"), join(root, "System"), root.clone()].map(|f| (f, None)));
            }
        }
        _ => {}
    }
    let raw: Vec<&str> =
        if caller == Caller::CreateProcess { text.split(';').collect() } else { windows::parts(&text) };
    for (index, part) in raw.into_iter().enumerate() {
        let folder = if caller == Caller::CreateProcess { part.to_owned() } else { windows::folder(part) };
        if !folder.is_empty() {
            let folder = if is_relative(&folder) { join(&around.current_folder, &folder) } else { folder.into() };
            places.push((folder, Some((part.to_owned(), index))));
        }
    }
    places
}

/// Whether a folder begins neither with a separator nor with a drive.
fn is_relative(folder: &str) -> bool {
    !folder.starts_with(['\\', '/']) && folder.chars().nth(1) != Some(':')
}

/// The file names that are tried in a folder, in order.
fn names(caller: Caller, name: &str, around: &Surroundings) -> Vec<String> {
    let last = name.rsplit(['\\', '/']).next().unwrap_or(name);
    let has_extension = last.contains('.');
    if caller == Caller::CreateProcess {
        let plain = name.strip_suffix('.').unwrap_or(name);
        return vec![if has_extension { plain.to_owned() } else { format!("{name}.exe") }];
    }
    let mut names = Vec::new();
    if has_extension {
        names.push(name.to_owned());
    }
    if caller == Caller::PowerShell {
        names.push(format!("{name}.ps1"));
    }
    names.extend(around.path_extensions.iter().map(|extension| format!("{name}{extension}")));
    names
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    /// Files by their path in lower case, as the system compares them.
    struct Made(BTreeMap<String, Seen>);

    impl FileView for Made {
        fn look(&self, path: &Path) -> Seen {
            self.0.get(&path.to_str().unwrap().to_lowercase()).copied().unwrap_or(Seen::Missing)
        }
    }

    #[test]
    fn each_caller_looks_in_its_own_way() {
        use Caller::{Cmd, CreateProcess, PowerShell};
        let around = |path: &str, forbids_current_folder| Surroundings {
            path: path.into(),
            path_extensions: [".COM", ".EXE", ".CMD"].map(str::to_owned).to_vec(),
            current_folder: r"C:\now".into(),
            home: None,
            program_folder: Some(r"C:\prog".into()),
            system_root: Some(r"C:\Windows".into()),
            forbids_current_folder,
        };
        type Case<'a> = (Caller, &'a str, &'a str, &'a [&'a str], bool, Option<&'a str>);
        let cases: [Case; 23] = [
            (Cmd, "t", r"C:\a;C:\b", &[r"c:\b\t.exe"], false, Some(r"C:\b\t.EXE")),
            (Cmd, "t", r"C:\a;C:\b", &[r"c:\a\t.cmd", r"c:\b\t.exe"], false, Some(r"C:\a\t.CMD")),
            (Cmd, "t", r"C:\a", &[r"c:\a\t.cmd", r"c:\a\t.exe"], false, Some(r"C:\a\t.EXE")),
            (Cmd, "t", r"C:\a", &[r"c:\now\t.cmd", r"c:\a\t.exe"], false, Some(r"C:\now\t.CMD")),
            (Cmd, "t", r"C:\a", &[r"c:\now\t.cmd", r"c:\a\t.exe"], true, Some(r"C:\a\t.EXE")),
            (Cmd, "t.cmd", r"C:\a", &[r"c:\a\t.cmd", r"c:\a\t.exe"], false, Some(r"C:\a\t.cmd")),
            (Cmd, "t.x", r"C:\a", &[r"c:\a\t.x.exe"], false, Some(r"C:\a\t.x.EXE")),
            (Cmd, "t", r"C:\a", &[r"c:\a\t"], false, None),
            (Cmd, "t", r#""C:\a;b";C:\c"#, &[r"c:\a;b\t.exe", r"c:\c\t.exe"], false, Some(r"C:\a;b\t.EXE")),
            (Cmd, r"C:\x\t", r"C:\a", &[r"c:\x\t.exe", r"c:\a\t.exe"], false, Some(r"C:\x\t.EXE")),
            (Cmd, "t", r"C:\a\", &[r"c:\a\t.exe"], false, Some(r"C:\a\t.EXE")),
            (Cmd, "t", "", &[r"c:\a\t.exe"], false, None),
            (Cmd, "t", r"C:\a;bin", &[r"c:\now\bin\t.exe"], true, Some(r"C:\now\bin\t.EXE")),
            (PowerShell, "t", r"C:\a", &[r"c:\now\t.exe"], false, None),
            (PowerShell, "t", r"C:\a", &[r"c:\a\t.ps1", r"c:\a\t.exe"], false, Some(r"C:\a\t.ps1")),
            (PowerShell, "t", r"C:\a;C:\b", &[r"c:\b\t.ps1", r"c:\a\t.cmd"], false, Some(r"C:\a\t.CMD")),
            (CreateProcess, "t", r"C:\a", &[r"c:\a\t.cmd"], false, None),
            (CreateProcess, "t", r"C:\a", &[r"c:\a\t.exe"], false, Some(r"C:\a\t.exe")),
            (CreateProcess, "t", r"C:\a", &[r"c:\a\t.exe", r"c:\prog\t.exe"], false, Some(r"C:\prog\t.exe")),
            (
                CreateProcess,
                "t",
                r"C:\a",
                &[r"c:\a\t.exe", r"c:\windows\system32\t.exe"],
                false,
                Some(r"C:\Windows\System32\t.exe"),
            ),
            (CreateProcess, "t", r#""C:\a""#, &[r"c:\a\t.exe"], false, None),
            (CreateProcess, "t.cmd", r"C:\a", &[r"c:\a\t.cmd"], false, Some(r"C:\a\t.cmd")),
            (CreateProcess, "t.", r"C:\a", &[r"c:\a\t"], false, Some(r"C:\a\t")),
        ];
        for (caller, name, path, files, forbids, winner) in cases {
            let made = Made(files.iter().map(|f| ((*f).to_owned(), Seen::Program)).collect());
            let found = super::super::candidates(caller, name, &around(path, forbids), &made);
            let seen = super::super::winner(&found).map(|p| p.to_str().unwrap());
            assert_eq!(seen, winner, "{caller:?} {name} {path} {files:?}");
        }
        let alias = Made(BTreeMap::from([(r"c:\apps\t.exe".to_owned(), Seen::AppAlias)]));
        let found = super::super::candidates(Cmd, "t", &around(r"C:\apps", true), &alias);
        assert!(found[0].app_alias && found[0].standing == Standing::Winner, "it runs, and is named for what it is");
        let made =
            Made(BTreeMap::from([(r"c:\a\t".to_owned(), Seen::Program), (r"c:\a\t.exe".to_owned(), Seen::Folder)]));
        let found = super::super::candidates(Cmd, "t", &around(r"C:\a", true), &made);
        let reasons: Vec<_> = found.iter().map(|c| c.reason).collect();
        assert_eq!(reasons, [Some(Reason::IsAFolder), Some(Reason::ExtensionNotListed)]);
    }
}
