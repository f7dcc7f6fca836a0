//! Lines of startup files that undo what is registered.

use std::path::{Path, PathBuf};

use crate::change::{BLOCK_BEGINS, BLOCK_ENDS};
use crate::finding::{Code, Finding};
use crate::shells::Dialect;
use crate::store;
use crate::terminal::{Again, Asking};
use crate::whole_file;

#[derive(Debug, Clone)]
pub struct StartupLines {
    files: Vec<(PathBuf, Dialect, String)>,
    /// A file that a shell reads in place of others, and that keeps nothing.
    void: Option<PathBuf>,
}

impl StartupLines {
    pub fn read(asking: &Asking<'_>) -> Self {
        let shells: Vec<_> = asking.shells.iter().map(|shell| shell.shell).collect();
        let files = store::startup_files(&shells, &asking.startup_folders(), &|file| file.is_file());
        let text =
            |file: &Path| whole_file::read(file).map(|b| String::from_utf8_lossy(&b).into_owned()).unwrap_or_default();
        let read = store::startup_files(&shells, &asking.startup_folders(), &|file| file.exists());
        let void = read.into_iter().map(|file| file.path).find(|file| keeps_nothing(file));
        let files = files.into_iter().map(|file| (file.path.clone(), file.dialect, text(&file.path))).collect();
        Self { files, void }
    }

    /// Whether one of them has no block, so that registering a tool again changes something.
    pub fn lacks_block(&self) -> bool {
        self.files.iter().any(|(.., text)| !text.contains(BLOCK_BEGINS))
    }

    /// What to do where PATH does not lead to a registered tool; `None` where no line explains it.
    pub fn remedy(&self) -> Option<String> {
        if let Some(file) = &self.void {
            let file = file.display();
            return Some(format!(
                "replace {file} with a regular file: it links to /dev/null, and the shell reads it instead of others"
            ));
        }
        let (file, line, what) = self.suspects(&[]).find(|(.., what)| !matches!(what, Undoes::Name(_)))?;
        Some(format!("change line {line} of {}: it {}", file.display(), what.describe()))
    }

    /// The lines that could be why a registered command is not what a new terminal runs. `by_path` says whether one is not,
    /// by PATH: lines about PATH are harmless in many a file, and told only then.
    pub fn findings(&self, commands: &[&str], by_path: bool) -> Vec<Finding> {
        let told = self.suspects(commands).filter(|(.., what)| by_path || matches!(what, Undoes::Name(_)));
        told.map(|(file, line, what)| finding(file, line, &what)).collect()
    }

    /// The line that could be why terminals of one kind differ, in words: one that leaves something and looks for it, or one
    /// that does something later.
    pub fn about(&self, when: Again) -> Option<String> {
        let marks: &[&str] = match when {
            Again::SecondTerminal => {
                &["[ -", "test -", "[[ -", "-f ", "-e ", "touch ", "> ~", ">~", ">> ", "> $HOME", "> \"$HOME"]
            }
            Again::NextPrompt => {
                &["sched ", "zle -F", "trap ", "PROMPT_COMMAND", "precmd", "preexec", "fish_prompt", "--on-signal"]
            }
        };
        let changes = |line: &str| ["PATH", "path", "alias", "hash", "()"].iter().any(|word| line.contains(word));
        let found = |only_changes: bool| {
            self.files.iter().find_map(|(file, _, text)| {
                let mut is_ours = false;
                let mut lines = text.lines().enumerate().filter(|(_, line)| {
                    is_ours = line.starts_with(BLOCK_BEGINS) || is_ours && !line.starts_with(BLOCK_ENDS);
                    !is_ours && !line.trim_start().starts_with('#')
                });
                let is_it =
                    |line: &str| marks.iter().any(|mark| line.contains(mark)) && (!only_changes || changes(line));
                let at = lines.find(|(_, line)| is_it(line))?.0;
                Some(format!("line {} of {}", at + 1, file.display()))
            })
        };
        found(true).or_else(|| found(false))
    }

    fn suspects<'a>(&'a self, commands: &'a [&str]) -> impl Iterator<Item = (&'a Path, usize, Undoes)> {
        self.files.iter().flat_map(move |(file, dialect, text)| {
            suspects(text, *dialect, commands).into_iter().map(move |(line, what)| (file.as_path(), line, what))
        })
    }
}

/// Whether a startup file leads to the device that keeps nothing (null(4)).
fn keeps_nothing(file: &Path) -> bool {
    std::fs::canonicalize(file).is_ok_and(|real| real == Path::new("/dev/null"))
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Undoes {
    Path,
    File,
    /// It lets nobody change PATH any more.
    ReadOnly,
    Name(String),
}

impl Undoes {
    fn describe(&self) -> String {
        match self {
            Self::Path => "sets PATH after Wagon Yard's block".to_owned(),
            Self::File => "ends the file before Wagon Yard's block".to_owned(),
            Self::ReadOnly => "makes PATH read-only before Wagon Yard's block".to_owned(),
            Self::Name(name) => format!("makes {name} an alias"),
        }
    }
}

fn finding(file: &Path, line: usize, what: &Undoes) -> Finding {
    let does = what.describe();
    let remedy = match what {
        Undoes::Name(_) => "remove that line to use the received tool",
        Undoes::ReadOnly => "remove that line, or move it after Wagon Yard's block",
        Undoes::Path | Undoes::File => "move Wagon Yard's block to the end of that file, or change the line",
    };
    Finding::new(Code::StartupUndoes, format!("line {line} of {} {does}", file.display())).remedy(remedy)
}

/// The suspect lines of a startup file, from 1, with what they do.
fn suspects(text: &str, dialect: Dialect, commands: &[&str]) -> Vec<(usize, Undoes)> {
    let lines: Vec<&str> = text.lines().collect();
    let block = lines.iter().position(|line| line.starts_with(BLOCK_BEGINS));
    let sets_path = |line: &str| match dialect {
        Dialect::Posix => {
            ["PATH=", "export PATH=", "path=(", "path+=(", "typeset -x PATH="].iter().any(|b| line.starts_with(b))
        }
        Dialect::Fish => line.starts_with("set ") && line.contains(" PATH "),
        Dialect::Csh => ["setenv PATH ", "set path"].iter().any(|begin| line.starts_with(begin)),
    };
    let locks_path = |line: &str| {
        let begins =
            ["readonly ", "typeset -r", "declare -r", "typeset -xr", "set -r "].iter().any(|b| line.starts_with(b));
        begins
            && line.split(|c: char| !c.is_ascii_alphanumeric() && c != '_').any(|word| matches!(word, "PATH" | "path"))
    };
    let mut found = Vec::new();
    for (at, line) in lines.iter().enumerate() {
        let trimmed = line.trim_start();
        let what = match block {
            Some(block) if at > block && sets_path(trimmed) => Undoes::Path,
            Some(block) if at < block && locks_path(trimmed) => Undoes::ReadOnly,
            // Inside of a condition it may well be meant for other terminals.
            Some(block) if at < block && matches!(*line, "return" | "exit" | "return 0" | "exit 0") => Undoes::File,
            _ => {
                let alias = trimmed.strip_prefix("alias ").and_then(|rest| rest.split(['=', ' ']).next());
                match alias.filter(|name| commands.contains(name)) {
                    Some(name) => Undoes::Name(name.to_owned()),
                    None => continue,
                }
            }
        };
        found.push((at + 1, what));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lines_that_undo_us_are_found() {
        let text = "PATH=/a:$PATH\nreturn\nalias tidelog='x'\nif x; then\n  return\nfi\n# Wagon Yard: begin\nif\n\
                    # Wagon Yard: end\n  export PATH=/usr/bin\nalias ll=ls\n";
        let lines: Vec<usize> =
            suspects(text, Dialect::Posix, &["tidelog"]).into_iter().map(|(line, _)| line).collect();
        assert_eq!(lines, [2, 3, 10]);
        let csh = "# Wagon Yard: begin\nx\n# Wagon Yard: end\nset path = ( /bin )\nalias tidelog x\n";
        assert_eq!(suspects(csh, Dialect::Csh, &["tidelog"]).len(), 2);
        let locked = "readonly PATH\n# Wagon Yard: begin\nx\n# Wagon Yard: end\n";
        assert_eq!(suspects(locked, Dialect::Posix, &[]), [(1, Undoes::ReadOnly)]);
        assert!(suspects("PATH=/bin\n", Dialect::Posix, &[]).is_empty(), "without our block nothing is undone");
    }
}
