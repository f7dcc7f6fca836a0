//! The lookup rules of Windows: `cmd`, PowerShell, and a program that starts another.

use std::path::{Path, PathBuf};

use super::caller::{Caller, Shell};
use super::candidate::{Candidate, Reason, Standing};
use super::context::LookupContext;
use super::view::{FileKind, FileView};
use crate::path_list::windows;

/// A folder to look in, and the entry of PATH it comes from.
type SearchFolder = (PathBuf, Option<(String, usize)>);

/// Lists the files that a name could mean, in order.
///
/// - `cmd`: the current folder, unless `NoDefaultCurrentDirectoryInExePath` is set, then PATH, quotes dropped. In each
///   folder a name with an extension as it is, then the name with each extension of PATHEXT ("cmd"; "path").
/// - PowerShell: PATH only, in each folder `.ps1` and then PATHEXT ("about_Command_Precedence").
/// - A program (CreateProcess): its own folder, the current folder, the system's folders, then PATH, split at every
///   `;` and quotes kept; `.exe` is added to a name without a dot and nothing else ("CreateProcessW function").
/// - What runs a name for a user (ShellExecuteEx): the current folder, the Windows folder, the system's, PATH, then the program
///   registered for the name ("Application Registration", "Finding an Application Executable").
pub(super) fn candidates(caller: Caller, name: &str, context: &LookupContext, view: &dyn FileView) -> Vec<Candidate> {
    let has_folder = name.contains(['\\', '/', ':']);
    let places = if has_folder { vec![(PathBuf::new(), None)] } else { places(caller, context) };
    let names = names(caller, name, context);
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
                (true, true) => join(&context.current_folder, &file),
                (true, false) => PathBuf::from(&file),
                (false, _) => join(&folder, &file),
            };
            let seen = view.look(&path);
            let reason = match seen {
                FileKind::Missing => continue,
                FileKind::Program | FileKind::File | FileKind::AppAlias if listed => None,
                FileKind::Program | FileKind::File | FileKind::AppAlias => Some(Reason::ExtensionNotListed),
                FileKind::Folder if !listed => continue,
                FileKind::Folder => Some(Reason::IsAFolder),
                FileKind::BrokenLink => Some(Reason::BrokenLink),
                FileKind::Unreadable => Some(Reason::Unreadable),
            };
            let standing = Standing::next(reason, &mut won);
            let entry = entry.clone().map(|(raw, index)| (raw.into(), index));
            found.push(Candidate { path, entry, standing, reason, app_alias: seen == FileKind::AppAlias });
        }
    }
    if let Some(path) = context.registered.clone().filter(|_| caller == Caller::Run) {
        let reason = (view.look(&path) == FileKind::Missing).then_some(Reason::BrokenLink);
        let standing = Standing::next(reason, &mut won);
        found.push(Candidate { path, entry: None, standing, reason, app_alias: false });
    }
    found
}

/// Joins as text, so that the rules mean the same on every system they are tested on.
fn join(folder: &Path, file: &str) -> PathBuf {
    let folder = folder.to_string_lossy();
    let end = if folder.ends_with(['\\', '/']) { "" } else { "\\" };
    PathBuf::from(format!("{folder}{end}{file}"))
}

fn places(caller: Caller, context: &LookupContext) -> Vec<SearchFolder> {
    let text = context.path.to_string_lossy();
    let mut places: Vec<SearchFolder> = Vec::new();
    match caller {
        Caller::Shell(Shell::Cmd) if !context.forbids_current_folder => {
            places.push((context.current_folder.clone(), None));
        }
        Caller::CreateProcess => {
            places.extend(context.program_folder.clone().map(|folder| (folder, None)));
            places.push((context.current_folder.clone(), None));
            if let Some(root) = &context.system_root {
                places.extend([join(root, "System32"), join(root, "System"), root.clone()].map(|f| (f, None)));
            }
        }
        Caller::Run => {
            places.push((context.current_folder.clone(), None));
            places.extend(
                context.system_root.iter().flat_map(|root| [root.clone(), join(root, "System32")]).map(|f| (f, None)),
            );
        }
        _ => {}
    }
    let raw: Vec<&str> =
        if caller == Caller::CreateProcess { text.split(';').collect() } else { windows::parts(&text) };
    for (index, part) in raw.into_iter().enumerate() {
        let folder = if caller == Caller::CreateProcess { part.to_owned() } else { windows::folder(part) };
        if !folder.is_empty() {
            let folder = if is_relative(&folder) { join(&context.current_folder, &folder) } else { folder.into() };
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
fn names(caller: Caller, name: &str, context: &LookupContext) -> Vec<String> {
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
    if caller.shell().is_some_and(Shell::is_powershell) {
        names.push(format!("{name}.ps1"));
    }
    names.extend(context.path_extensions.iter().map(|extension| format!("{name}{extension}")));
    names
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    /// Files by their path in lower case, as the system compares them.
    struct Made(BTreeMap<String, FileKind>);

    impl FileView for Made {
        fn look(&self, path: &Path) -> FileKind {
            self.0.get(&path.to_str().unwrap().to_lowercase()).copied().unwrap_or(FileKind::Missing)
        }
    }

    #[test]
    fn each_caller_looks_in_its_own_way() {
        use Caller::CreateProcess;
        const CMD: Caller = Caller::Shell(Shell::Cmd);
        const POWERSHELL: Caller = Caller::Shell(Shell::PowerShell);
        let context = |path: &str, forbids_current_folder| LookupContext {
            path: path.into(),
            path_extensions: [".COM", ".EXE", ".CMD"].map(str::to_owned).to_vec(),
            current_folder: r"C:\now".into(),
            program_folder: Some(r"C:\prog".into()),
            system_root: Some(r"C:\Windows".into()),
            forbids_current_folder,
            ..LookupContext::new(crate::system::System::Windows)
        };
        type Case<'a> = (Caller, &'a str, &'a str, &'a [&'a str], bool, Option<&'a str>);
        let cases: [Case; 23] = [
            (CMD, "t", r"C:\a;C:\b", &[r"c:\b\t.exe"], false, Some(r"C:\b\t.EXE")),
            (CMD, "t", r"C:\a;C:\b", &[r"c:\a\t.cmd", r"c:\b\t.exe"], false, Some(r"C:\a\t.CMD")),
            (CMD, "t", r"C:\a", &[r"c:\a\t.cmd", r"c:\a\t.exe"], false, Some(r"C:\a\t.EXE")),
            (CMD, "t", r"C:\a", &[r"c:\now\t.cmd", r"c:\a\t.exe"], false, Some(r"C:\now\t.CMD")),
            (CMD, "t", r"C:\a", &[r"c:\now\t.cmd", r"c:\a\t.exe"], true, Some(r"C:\a\t.EXE")),
            (CMD, "t.cmd", r"C:\a", &[r"c:\a\t.cmd", r"c:\a\t.exe"], false, Some(r"C:\a\t.cmd")),
            (CMD, "t.x", r"C:\a", &[r"c:\a\t.x.exe"], false, Some(r"C:\a\t.x.EXE")),
            (CMD, "t", r"C:\a", &[r"c:\a\t"], false, None),
            (CMD, "t", r#""C:\a;b";C:\c"#, &[r"c:\a;b\t.exe", r"c:\c\t.exe"], false, Some(r"C:\a;b\t.EXE")),
            (CMD, r"C:\x\t", r"C:\a", &[r"c:\x\t.exe", r"c:\a\t.exe"], false, Some(r"C:\x\t.EXE")),
            (CMD, "t", r"C:\a\", &[r"c:\a\t.exe"], false, Some(r"C:\a\t.EXE")),
            (CMD, "t", "", &[r"c:\a\t.exe"], false, None),
            (CMD, "t", r"C:\a;bin", &[r"c:\now\bin\t.exe"], true, Some(r"C:\now\bin\t.EXE")),
            (POWERSHELL, "t", r"C:\a", &[r"c:\now\t.exe"], false, None),
            (POWERSHELL, "t", r"C:\a", &[r"c:\a\t.ps1", r"c:\a\t.exe"], false, Some(r"C:\a\t.ps1")),
            (POWERSHELL, "t", r"C:\a;C:\b", &[r"c:\b\t.ps1", r"c:\a\t.cmd"], false, Some(r"C:\a\t.CMD")),
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
            let made = Made(files.iter().map(|f| ((*f).to_owned(), FileKind::Program)).collect());
            let found = super::super::lookup::candidates(caller, name, &context(path, forbids), &made);
            let seen = super::super::winner(&found).map(|p| p.to_str().unwrap());
            assert_eq!(seen, winner, "{caller:?} {name} {path} {files:?}");
        }
        for (files, registered, expected) in [
            (&[r"c:\a\t.exe"][..], r"C:\app\t.exe", r"C:\a\t.EXE"),
            (&[r"c:\a\t.exe", r"c:\windows\t.exe"], r"C:\app\t.exe", r"C:\Windows\t.EXE"),
            (&[r"c:\app\t.exe"], r"C:\app\t.exe", r"C:\app\t.exe"),
        ] {
            let context = LookupContext { registered: Some(registered.into()), ..context(r"C:\a", false) };
            let made = Made(files.iter().map(|file| ((*file).to_owned(), FileKind::File)).collect());
            let found = candidates(Caller::Run, "t", &context, &made);
            assert_eq!(super::super::winner(&found), Some(Path::new(expected)), "{files:?}");
            let by_cmd = candidates(CMD, "t", &context, &made);
            assert!(by_cmd.iter().all(|one| one.path != Path::new(registered)), "cmd knows nothing of it");
        }
        let alias = Made(BTreeMap::from([(r"c:\apps\t.exe".to_owned(), FileKind::AppAlias)]));
        let found = super::super::lookup::candidates(CMD, "t", &context(r"C:\apps", true), &alias);
        assert!(found[0].app_alias && found[0].standing == Standing::Winner, "it runs, and is named for what it is");
        let made = Made(BTreeMap::from([
            (r"c:\a\t".to_owned(), FileKind::Program),
            (r"c:\a\t.exe".to_owned(), FileKind::Folder),
        ]));
        let found = super::super::lookup::candidates(CMD, "t", &context(r"C:\a", true), &made);
        let reasons: Vec<_> = found.iter().map(|c| c.reason).collect();
        assert_eq!(reasons, [Some(Reason::IsAFolder), Some(Reason::ExtensionNotListed)]);
    }
}
