//! The question typed at a prompt, as people type: whatever a shell does for a person it does then, its hooks before and
//! after the prompt, its traps and its abbreviations, and startup files find a terminal and a person at it.
//!
//! What is typed is one short line that reads a file, since long ones do not pass a terminal whole (termios(3),
//! "Canonical and noncanonical mode"). Another shell may sit there by then, where a startup file hands over to one; each
//! reads its own question.

use std::fs;
use std::io;
use std::path::Path;

use memchr::memmem;

use super::answer::{Question, ShellReply};
use super::quoting::quoted;
use super::start_mode::StartMode;
use super::{line_hooks, question};
use crate::os;
use crate::resolve::Shell;

/// The shells that may answer in another's place.
const OTHERS: [Shell; 5] = [Shell::Bash, Shell::Zsh, Shell::Fish, Shell::Ksh, Shell::Sh];

/// A question that lies ready to be read, by any shell.
pub(super) struct Typed {
    folder: tempfile::TempDir,
    marker: String,
}

impl Typed {
    pub fn write(marker: String, question: Question<'_>, own: Option<&Path>) -> io::Result<Self> {
        let typed = Self {
            folder: tempfile::Builder::new().prefix(&os::temporary_name(std::process::id())).tempdir()?,
            marker,
        };
        let mut first = "set +u 2>/dev/null\n".to_owned();
        for other in OTHERS.iter().chain(&[Shell::Tcsh]) {
            let text = question::text(*other, StartMode::Interactive, &typed.marker_of(*other), question, own);
            // Of several names any: what a hook does with the line is seldom more than to show it.
            let line = question.commands.first().map_or("", String::as_str);
            fs::write(typed.file(other.name()), format!("{}{text}\n", line_hooks::text(*other, line)))?;
            // Each line is the same to all of them, fish included.
            let read = format!(". {}", quoted(Shell::Sh, &typed.file(other.name()).to_string_lossy()));
            let test = match other {
                Shell::Bash => "-n \"$BASH_VERSION\"",
                Shell::Zsh => "-n \"$ZSH_VERSION\"",
                Shell::Fish => "-n \"$FISH_VERSION\"",
                Shell::Ksh => "-n \"$KSH_VERSION\"",
                // It is asked by its own line.
                Shell::Tcsh => continue,
                _ => "-z \"$BASH_VERSION$ZSH_VERSION$FISH_VERSION$KSH_VERSION\"",
            };
            first.push_str(&format!("test {test} && {read}\n"));
        }
        fs::write(typed.file("ask"), first)?;
        Ok(typed)
    }

    /// The line to be typed. A blank in front keeps it out of many histories.
    pub fn line(&self, shell: Shell) -> String {
        let file = |name| quoted(shell, &self.file(name).to_string_lossy());
        match shell {
            Shell::Tcsh => format!(" source {}", file("tcsh")),
            Shell::Bash => format!("{}. {}", line_hooks::BASH_FIRST, file("ask")),
            _ => format!(" . {}", file("ask")),
        }
    }

    /// What that line has a shell do.
    pub fn text(&self, shell: Shell) -> String {
        fs::read_to_string(self.file(shell.name())).unwrap_or_default()
    }

    /// Whether an answer of this shell, or one in its place, has begun: nothing more is to be typed, since terminals show it
    /// in the middle of what is written.
    pub fn is_begun(&self, shell: Shell, output: &[u8]) -> bool {
        answering(shell).iter().any(|by| !begins(&self.marker_of(*by), output).is_empty())
    }

    /// Whether the output has a whole answer.
    pub fn is_answered(&self, shell: Shell, output: &[u8]) -> bool {
        answering(shell).iter().any(|by| self.answer(*by, output).is_some())
    }

    /// What was answered, by whichever shell.
    pub fn parse(&self, shell: Shell, output: &[u8], question: Question<'_>, home: &Path) -> Option<ShellReply> {
        // At the terminals of some shells a line ends with two characters.
        let output = without_returns(output);
        let by = answering(shell).iter().find_map(|by| Some((*by, self.answer(*by, &output)?)));
        by.and_then(|(by, answer)| question::parse(by, &self.marker_of(by), answer, question, home))
    }

    /// The first whole answer of a shell that nothing typed was shown in the middle of.
    fn answer<'a>(&self, by: Shell, output: &'a [u8]) -> Option<&'a [u8]> {
        let marker = self.marker_of(by);
        let end = format!("\0{marker}\0");
        let typed = self.folder.path().as_os_str().as_encoded_bytes();
        let starts = begins(&marker, output);
        let ends = starts.iter().skip(1).copied().chain([output.len()]);
        let whole = |(at, until): (&usize, usize)| {
            let answer = &output[*at..until];
            let answer = &answer[..memmem::find(answer, end.as_bytes())? + end.len()];
            let is_spoiled = memmem::find(answer, typed).is_some();
            (!is_spoiled).then_some(answer)
        };
        starts.iter().zip(ends).find_map(whole)
    }

    fn marker_of(&self, shell: Shell) -> String {
        format!("{}-{}", self.marker, shell.name())
    }

    fn file(&self, name: &str) -> std::path::PathBuf {
        self.folder.path().join(name)
    }
}

/// The shells that may answer where this one was started.
fn answering(shell: Shell) -> &'static [Shell] {
    if shell == Shell::Tcsh { &[Shell::Tcsh] } else { &OTHERS }
}

fn begins(marker: &str, output: &[u8]) -> Vec<usize> {
    memmem::find_iter(output, &format!("\n{marker}\0")).collect()
}

/// The text without the first of each pair of a return and a line's end.
fn without_returns(text: &[u8]) -> Vec<u8> {
    let next = text.iter().skip(1).map(Some).chain([None]);
    text.iter()
        .zip(next)
        .filter(|(byte, next)| (**byte, *next) != (b'\r', Some(&b'\n')))
        .map(|(byte, _)| *byte)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[cfg_attr(windows, ignore = "the files are named as Unix shells quote them")]
    fn an_answer_with_something_typed_in_it_is_none() {
        let question = Question::default();
        let typed = Typed::write("M".to_owned(), question, None).unwrap();
        let whole = b"\r\nM-fish\0/bin\0/h\0A=b\0M-fish\0".to_vec();
        let line = typed.line(Shell::Fish);
        let spoiled = [b"\nM-fish\0/bin", line.as_bytes(), b"\0/h\0A=b\0M-fish\0"].concat();
        for (output, is_begun, is_answered) in [
            (whole.clone(), true, true),
            (spoiled.clone(), true, false),
            ([&whole[..], &spoiled].concat(), true, true),
            ([&spoiled[..], &whole].concat(), true, true),
            (whole[..20].to_vec(), true, false),
            (line.as_bytes().to_vec(), false, false),
        ] {
            assert_eq!(
                (typed.is_begun(Shell::Fish, &output), typed.is_answered(Shell::Fish, &output)),
                (is_begun, is_answered),
                "{output:?}"
            );
            let said = typed.parse(Shell::Fish, &output, question, Path::new("/h"));
            assert_eq!(said.map(|said| said.context.path), is_answered.then(|| "/bin".into()));
        }
    }
}
