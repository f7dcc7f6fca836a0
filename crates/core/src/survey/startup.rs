//! Lines of startup files that undo what is registered.

use std::path::Path;

use crate::finding::{Code, Finding};
use crate::machine::Machine;
use crate::progress::Stop;
use crate::store::{self, Dialect};
use crate::terminal::{self, Asking};
use crate::yard::{Card, Settings};

/// The lines that could be why a registered command is not what a new terminal runs. `undone` says whether one is not, by
/// PATH: lines about PATH are harmless in many a file, and told only then.
pub(super) fn undoing(
    machine: &Machine,
    settings: &Settings,
    cards: &[Card],
    undone: bool,
    stop: &Stop,
) -> Vec<Finding> {
    let shells = terminal::installed(machine, &settings.shells);
    let asking = Asking { machine, shells: &shells, limit: settings.shell_limit(), stop };
    let shells: Vec<_> = shells.iter().map(|shell| shell.shell).collect();
    let commands: Vec<&str> = cards.iter().flat_map(|card| &card.commands).map(|c| c.name.as_str()).collect();
    let files = store::startup_files(&shells, &asking.startup_folders(), &|file| file.is_file());
    let mut findings = Vec::new();
    for file in files {
        let Ok(bytes) = std::fs::read(&file.path) else { continue };
        let text = String::from_utf8_lossy(&bytes);
        let suspects = suspects(&text, file.dialect, &commands).into_iter();
        let told = suspects.filter(|(_, what)| undone || matches!(what, Undoes::Name(_)));
        findings.extend(told.map(|(line, what)| finding(&file.path, line, &what)));
    }
    findings
}

/// What a line does.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Undoes {
    /// It sets PATH after our block.
    Path,
    /// It ends the file before our block.
    File,
    /// It makes a command of ours an alias.
    Name(String),
}

fn finding(file: &Path, line: usize, what: &Undoes) -> Finding {
    let does = match what {
        Undoes::Path => "sets PATH after Wagon Yard's block".to_owned(),
        Undoes::File => "ends the file before Wagon Yard's block".to_owned(),
        Undoes::Name(name) => format!("makes {name} an alias"),
    };
    let remedy = match what {
        Undoes::Name(_) => "take that line out, where the received tool is wanted",
        Undoes::Path | Undoes::File => "move Wagon Yard's block to the end of that file, or change the line",
    };
    Finding::new(Code::StartupUndoes, format!("line {line} of {} {does}", file.display())).remedy(remedy)
}

/// The suspect lines of a startup file, from 1, with what they do.
fn suspects(text: &str, dialect: Dialect, commands: &[&str]) -> Vec<(usize, Undoes)> {
    let lines: Vec<&str> = text.lines().collect();
    let block = lines.iter().position(|line| line.starts_with(store::BLOCK_BEGINS));
    let sets_path = |line: &str| match dialect {
        Dialect::Posix => {
            ["PATH=", "export PATH=", "path=(", "path+=(", "typeset -x PATH="].iter().any(|b| line.starts_with(b))
        }
        Dialect::Fish => line.starts_with("set ") && line.contains(" PATH "),
        Dialect::Csh => ["setenv PATH ", "set path"].iter().any(|begin| line.starts_with(begin)),
    };
    let mut found = Vec::new();
    for (at, line) in lines.iter().enumerate() {
        let trimmed = line.trim_start();
        let what = match block {
            Some(block) if at > block && sets_path(trimmed) => Undoes::Path,
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
        assert!(suspects("PATH=/bin\n", Dialect::Posix, &[]).is_empty(), "without our block nothing is undone");
    }
}
