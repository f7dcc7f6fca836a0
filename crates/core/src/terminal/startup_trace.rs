//! Where the entries of a new terminal's PATH come from: which line of which startup file put them there.
//!
//! bash and zsh are made to trace their own startup; what they traced counts only where it ends in the PATH that the
//! same shell really has. Of the others, and where that fails, the startup files are read for the folder's name.

use std::cell::OnceCell;
use std::collections::VecDeque;
use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};

use memchr::memmem;

use super::asking::Asking;
use super::base;
use super::installed::InstalledShell;
use super::marker::marker;
use super::origin::{Found, Origin};
use crate::environment::Environment;
use crate::folders::{Below, files_in, mention};
use crate::os;
use crate::path_list::PathList;
use crate::process::{SealLevel, Start};
use crate::resolve::Shell;
use crate::shells::{StartMode, StartupFolders, unix_rules};
use crate::store::{macos_path_lists, startup_files, system_startup_files};
use crate::whole_file;
use crate::yard::Yard;

/// A moment at which PATH changed: what did it, and what it became.
struct Step {
    file: String,
    line: u32,
    path: OsString,
}

impl Asking<'_> {
    /// What put each entry of `path` there, which is the PATH of this shell started in this way from this environment;
    /// `None` where nobody can say. `folders` keeps the startup folders from call to call: shells are started to learn them.
    pub fn origins(
        &self,
        shell: &InstalledShell,
        (mode, base): (StartMode, &Environment),
        path: &OsStr,
        folders: &OnceCell<StartupFolders>,
    ) -> Vec<Option<Origin>> {
        let begin = base.get("PATH").unwrap_or_default().to_owned();
        let session = base::login_path().1;
        let lists: Vec<(PathBuf, String)> = texts(macos_path_lists(Path::new("/")));
        let of_session = |raw: OsString| {
            let origin = listed_in(&lists, &raw).or_else(|| session.clone());
            (raw, origin)
        };
        let start: Vec<(OsString, Option<Origin>)> = entries(&begin).map(of_session).collect();
        let steps = match shell.shell {
            Shell::Bash => self.bash_steps(shell, mode, base),
            Shell::Zsh => self.zsh_steps(shell, mode, base),
            // These cannot be traced.
            Shell::Sh | Shell::Fish | Shell::Ksh | Shell::Tcsh | Shell::Cmd | Shell::PowerShell | Shell::Pwsh => {
                Vec::new()
            }
        };
        if steps.last().map_or(begin == path, |last| last.path == path) {
            return follow(start, &steps).into_iter().map(|(_, origin)| self.or_ours(origin)).collect();
        }
        let mut files = system_startup_files(shell.shell);
        files.extend(self.own_startup_files(shell.shell, folders.get_or_init(|| self.startup_folders())));
        let files = texts(files);
        let one = |raw: OsString| {
            let given = start.iter().find(|(entry, _)| *entry == raw).and_then(|(_, origin)| origin.clone());
            self.or_ours(given.or_else(|| named_in(&files, &raw, &self.machine.home)))
        };
        entries(path).map(one).collect()
    }

    /// Marks what the yard's own files have put there.
    fn or_ours(&self, origin: Option<Origin>) -> Option<Origin> {
        let mut origin = origin?;
        if Path::new(&origin.place).starts_with(Yard::at(&self.machine.yard).terminal()) {
            origin.found = Found::Yard;
        }
        Some(origin)
    }

    /// The steps of bash. It does not take the prefix of its trace from the environment when an administrator runs it, so
    /// that its startup is gone through by hand (bash(1), "INVOCATION"), with a trap that tells each change.
    fn bash_steps(&self, shell: &InstalledShell, mode: StartMode, base: &Environment) -> Vec<Step> {
        let marker = marker();
        let files = match mode {
            StartMode::Interactive => {
                "for _w_s in /etc/bash.bashrc ~/.bashrc; do [ -r \"$_w_s\" ] && . \"$_w_s\"; done"
            }
            StartMode::Login | StartMode::LoginCommand => {
                "[ -r /etc/profile ] && . /etc/profile\n\
                 for _w_s in ~/.bash_profile ~/.bash_login ~/.profile; do [ -r \"$_w_s\" ] && { . \"$_w_s\"; break; }; done"
            }
        };
        let script = format!("{}{files}\n:\n:", BASH_TRAP.replace("MARKER", &marker));
        let mut start = Start::new(&shell.program, base, &self.start_folder()).with(["--noprofile", "--norc"]);
        if mode != StartMode::LoginCommand {
            start = start.with(["-i"]);
        }
        self.steps(&start.with(["-c", &script]), &marker)
    }

    /// The steps of zsh, from its own trace.
    fn zsh_steps(&self, shell: &InstalledShell, mode: StartMode, base: &Environment) -> Vec<Step> {
        let marker = marker();
        let mut environment = base.clone();
        environment.set("PS4", format!("\n{marker}\x1f%x\x1f%I\x1f${{PATH}}\x1f"));
        let start = Start::new(&shell.program, &environment, &self.start_folder());
        let start = start.with(match mode {
            StartMode::Login => &["-l", "-i"][..],
            StartMode::Interactive => &["-i"],
            StartMode::LoginCommand => &["-l"],
        });
        let mut steps = self.steps(&start.with(["-x", "-o", "promptsubst", "-c", ":"]), &marker);
        // The trace tells before each command what PATH is: what changed it is the command before.
        for at in (1..steps.len()).rev() {
            (steps[at].file, steps[at].line) = (steps[at - 1].file.clone(), steps[at - 1].line);
        }
        steps
    }

    fn steps(&self, start: &Start, marker: &str) -> Vec<Step> {
        if self.sealer.level() == SealLevel::None && !self.unsealed {
            return Vec::new();
        }
        let outcome = self.sealer.run(start, self.base(start.environment.clone()).options, self.limit, self.stop);
        let told = [&outcome.stdout[..], b"\n", &outcome.stderr].concat();
        let begin = format!("{marker}\x1f");
        let step = |line: &[u8]| {
            let mut fields = line.strip_prefix(begin.as_bytes())?.split(|b| *b == 0x1f);
            let file = String::from_utf8_lossy(fields.next()?).into_owned();
            let number = std::str::from_utf8(fields.next()?).ok()?.parse().ok()?;
            Some(Step { file, line: number, path: os::name_from_bytes(fields.next()?.to_vec()) })
        };
        told.split(|b| *b == b'\n').filter_map(step).collect()
    }

    /// The startup files of this user that a shell may read.
    fn own_startup_files(&self, shell: Shell, folders: &StartupFolders) -> Vec<PathBuf> {
        let mut files: Vec<PathBuf> =
            startup_files(&[shell], folders, &|file| file.is_file()).into_iter().map(|file| file.path).collect();
        files.extend(files_in(&Yard::at(&self.machine.yard).terminal()));
        files.extend(unix_rules(shell).into_iter().flat_map(|rules| (rules.more_files)(folders)));
        files
    }
}

/// Tells of each change of PATH the line that made it, outside of functions. The number of the line is right only on the
/// first line of a trap.
const BASH_TRAP: &str = r#"_w_p=$PATH _w_f= _w_l=0
set -o functrace
trap '_w_n=$LINENO; builtin [ "$PATH" = "$_w_p" ] || { builtin printf "\nMARKER\x1f%s\x1f%s\x1f%s\x1f\n" "$_w_f" "$_w_l" "$PATH"; _w_p=$PATH; }
_w_l=$_w_n _w_f=${BASH_SOURCE[0]}
for _w_i in "${!FUNCNAME[@]}"; do _w_f=${BASH_SOURCE[_w_i]}; case ${FUNCNAME[_w_i]} in source|main) break ;; esac; _w_l=${BASH_LINENO[_w_i]}; done' DEBUG
"#;

fn texts(files: Vec<PathBuf>) -> Vec<(PathBuf, String)> {
    files
        .into_iter()
        .filter_map(|file| Some((file.clone(), String::from_utf8(whole_file::read(&file).ok()?).ok()?)))
        .collect()
}

/// The line of a list of folders that is just this one.
fn listed_in(lists: &[(PathBuf, String)], raw: &OsStr) -> Option<Origin> {
    lists.iter().find_map(|(file, text)| {
        let at = text.lines().position(|line| raw == line)?;
        let (place, line) = (file.display().to_string(), u32::try_from(at + 1).ok());
        Some(Origin { place, line, found: Found::Session })
    })
}

fn entries(path: &OsStr) -> impl Iterator<Item = OsString> + use<> {
    PathList::parse(path).entries().map(|entry| entry.raw.clone()).collect::<Vec<_>>().into_iter()
}

/// The entries after all steps, each with what put it there. An entry that a step leaves in the list keeps its origin,
/// wherever it stands afterwards.
fn follow(start: Vec<(OsString, Option<Origin>)>, steps: &[Step]) -> Vec<(OsString, Option<Origin>)> {
    let mut list = start;
    for step in steps {
        let mut before: VecDeque<(OsString, Option<Origin>)> = list.into();
        let origin = Origin { place: step.file.clone(), line: Some(step.line), found: Found::Traced };
        let kept = |raw: OsString| match before.iter().position(|(entry, _)| *entry == raw) {
            Some(at) => before.remove(at).unwrap_or((raw, None)),
            None => (raw, Some(origin.clone())),
        };
        list = entries(&step.path).map(kept).collect();
    }
    list
}

/// The last line of the files that names a folder, as it is, from the home, or by a variable for the home.
fn named_in(files: &[(PathBuf, String)], raw: &OsStr, home: &Path) -> Option<Origin> {
    let folder = raw.to_str().filter(|folder| folder.len() > 1)?;
    let mut spellings = vec![folder.to_owned()];
    if let Ok(below) = Path::new(folder).strip_prefix(home) {
        spellings.extend(["~", "$HOME", "${HOME}"].map(|begin| format!("{begin}/{}", below.display())));
    }
    files.iter().rev().find_map(|(file, text)| {
        let at = spellings.iter().filter_map(|folder| last_naming(text, folder)).max()?;
        let (place, line) = (file.display().to_string(), u32::try_from(at + 1).ok());
        Some(Origin { place, line, found: Found::Read })
    })
}

/// The last line, counted from 0, that names a folder and is no comment.
fn last_naming(text: &str, folder: &str) -> Option<usize> {
    let bare = folder.trim_end_matches(['/', '\\']);
    let names = |line: &str| !line.trim_start().starts_with('#') && mention(line, folder, Below::No).is_some();
    let line_around = |at: usize| {
        let begin = text[..at].rfind('\n').map_or(0, |end| end + 1);
        let end = text[at..].find('\n').map_or(text.len(), |end| at + end);
        (begin, &text[begin..end])
    };
    // Most lines of a long file need not be looked at.
    let mut found = memmem::rfind_iter(text.as_bytes(), bare.as_bytes()).map(line_around);
    let (begin, _) = found.find(|(_, line)| names(line))?;
    Some(text[..begin].matches('\n').count())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_entry_keeps_what_put_it_there() {
        let step = |line, path: &str| Step { file: "f".to_owned(), line, path: path.into() };
        let steps = [step(3, "/a:/x"), step(5, "/b:/a:/x"), step(7, "/a:/b:/x:/a"), step(9, "/a:/x:/a")];
        let told: Vec<_> = follow(vec![("/x".into(), None)], &steps)
            .into_iter()
            .map(|(raw, origin)| (raw.into_string().unwrap(), origin.and_then(|o| o.line)))
            .collect();
        assert_eq!(told, [("/a".into(), Some(3)), ("/x".into(), None), ("/a".into(), Some(7))]);
    }

    #[test]
    fn a_folder_is_found_by_its_name_in_a_line() {
        let text = "# PATH=/h/tide/bin\nPATH=\"$HOME/tide/bin:$PATH\"\nset path = ( /opt/ebb/ $path )\n/opt/ebb/lib";
        let files = [(PathBuf::from("/h/.x"), text.to_owned())];
        let line = |folder: &str| named_in(&files, OsStr::new(folder), Path::new("/h")).and_then(|o| o.line);
        assert_eq!(line("/h/tide/bin"), Some(2));
        assert_eq!(line("/opt/ebb"), Some(3));
        assert_eq!(line("/opt/ebb/lib"), Some(4));
        assert_eq!((line("/h/tide"), line("/opt"), line("/")), (None, None, None));
    }
}
