//! The lines of generated files by which shells complete the commands of tools that bring completions. They are read when
//! somebody first completes such a command, and never in place of completions that are there already.

use crate::layout::CompletionShell;
use crate::quote;
use crate::shells::Dialect;
use crate::yard::{Registered, ToolCompletion};

/// The lines of a dialect; none where no tool has completions for its shells.
pub(super) fn lines(dialect: Dialect, tools: &[Registered]) -> Vec<u8> {
    let of = |shell: CompletionShell| -> Vec<&ToolCompletion> {
        tools.iter().flat_map(|tool| &tool.completions).filter(|one| one.shell == shell).collect()
    };
    match dialect {
        Dialect::Posix => [bash(&of(CompletionShell::Bash)), zsh(&of(CompletionShell::Zsh))].concat(),
        Dialect::Fish => fish(&of(CompletionShell::Fish)),
        Dialect::Csh => Vec::new(),
    }
}

/// Bash calls a function when it first completes one of the commands, which reads the tool's file; 124 makes it begin again
/// with what the file has defined (bash(1), "Programmable Completion").
fn bash(completions: &[&ToolCompletion]) -> Vec<u8> {
    if completions.is_empty() {
        return Vec::new();
    }
    let mut text =
        b"if [ \"${BASH_VERSION-}\" ] && case $- in *i*) :;; *) false;; esac; then\n  _wyard_complete() {\n    \
        complete -r -- \"$1\" 2>/dev/null\n    case \"${1##*/}\" in\n"
            .to_vec();
    for one in completions {
        let (name, file) =
            (quote::posix(one.command.as_bytes()), quote::posix(one.file.as_os_str().as_encoded_bytes()));
        text.extend([b"      ", &name[..], b") . ", &file, b" ;;\n"].concat());
    }
    text.extend(b"    esac\n    complete -p -- \"$1\" >/dev/null 2>&1 && return 124\n  }\n");
    for one in completions {
        let name = quote::posix(one.command.as_bytes());
        let line =
            [b"  complete -p -- ", &name[..], b" >/dev/null 2>&1 || complete -F _wyard_complete -- ", &name, b"\n"];
        text.extend(line.concat());
    }
    text.extend(b"fi\n");
    text
}

/// Zsh loads a function by the file's whole path (zshmisc(1), "Autoloading Functions") once its completion is set up; where a
/// startup file does that later, the block in the next one comes after it.
fn zsh(completions: &[&ToolCompletion]) -> Vec<u8> {
    if completions.is_empty() {
        return Vec::new();
    }
    let mut code = b"if (( $+functions[compdef] )); then".to_vec();
    for one in completions {
        let file = quote::posix(one.file.as_os_str().as_encoded_bytes());
        let function = quote::posix(format!("_{}", one.command).as_bytes());
        let name = quote::posix(one.command.as_bytes());
        let known = [b"(( $+_comps[", one.command.as_bytes(), b"] ))"].concat();
        let load = [b"{ autoload -Uz -- ", &file[..], b" && compdef ", &function, b" ", &name, b" }"].concat();
        code.extend([b" ", &known[..], b" || ", &load, b";"].concat());
    }
    code.extend(b" fi");
    // Other shells read this file too, and would stumble over the syntax.
    [b"if [ \"${ZSH_VERSION-}\" ]; then eval ", &quote::posix(&code)[..], b"; fi\n"].concat()
}

/// Fish looks for the file of a command in these folders, the last of all (fish-completions(1), "Where to put completions").
fn fish(completions: &[&ToolCompletion]) -> Vec<u8> {
    let mut folders: Vec<Vec<u8>> = Vec::new();
    for folder in completions.iter().filter_map(|one| one.file.parent()) {
        let folder = quote::fish(folder.as_os_str().as_encoded_bytes());
        if !folders.contains(&folder) {
            folders.push(folder);
        }
    }
    let line = |folder: Vec<u8>| {
        [b"contains -- ", &folder[..], b" $fish_complete_path; or set -ga fish_complete_path ", &folder, b"\n"].concat()
    };
    folders.into_iter().flat_map(line).collect()
}
