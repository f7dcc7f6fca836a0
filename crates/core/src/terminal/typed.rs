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
use super::question;
use crate::os;
use crate::quote;
use crate::resolve::Shell;
use crate::shells::{StartMode, UnixRules, unix_rules};

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
        for rules in Shell::ALL.into_iter().filter_map(unix_rules) {
            let text = question::text(rules, StartMode::Interactive, &typed.marker_of(rules), question, own);
            // Of several names any: what a hook does with the line is seldom more than to show it.
            let line = question.commands.first().map_or("", String::as_str);
            let hook = rules.line_hook.replace("LINE", &(rules.word)(line));
            fs::write(typed.file(rules.shell.name()), format!("{hook}{text}\n"))?;
            if rules.shares_question {
                // Each line is the same to all of them, fish included.
                let file = typed.file(rules.shell.name());
                let file = quote::posix(file.as_os_str().as_encoded_bytes());
                first.push_str(&format!("test {} && . {}\n", rules.is_running, String::from_utf8_lossy(&file)));
            }
        }
        fs::write(typed.file("ask"), first)?;
        Ok(typed)
    }

    /// The line to be typed. A blank in front keeps it out of many histories.
    pub fn line(&self, rules: &UnixRules) -> String {
        let file = self.file(if rules.shares_question { "ask" } else { rules.shell.name() });
        format!("{} {} {}", rules.before_reading, rules.read, (rules.word)(&file.to_string_lossy()))
    }

    /// What that line has a shell do.
    pub fn text(&self, rules: &UnixRules) -> String {
        fs::read_to_string(self.file(rules.shell.name())).unwrap_or_default()
    }

    /// Whether an answer of this shell, or one in its place, has begun: nothing more is to be typed, since terminals show it
    /// in the middle of what is written.
    pub fn is_begun(&self, rules: &UnixRules, output: &[u8]) -> bool {
        answering(rules).any(|by| !begins(&self.marker_of(by), output).is_empty())
    }

    /// Whether the output has a whole answer.
    pub fn is_answered(&self, rules: &UnixRules, output: &[u8]) -> bool {
        answering(rules).any(|by| self.answer(by, output).is_some())
    }

    /// What was answered, by whichever shell.
    pub fn parse(&self, rules: &UnixRules, output: &[u8], question: Question<'_>, home: &Path) -> Option<ShellReply> {
        // At the terminals of some shells a line ends with two characters.
        let output = without_returns(output);
        let (by, answer) = answering(rules).find_map(|by| Some((by, self.answer(by, &output)?)))?;
        question::parse(by, &self.marker_of(by), answer, question, home)
    }

    /// The first whole answer of a shell that nothing typed was shown in the middle of.
    fn answer<'a>(&self, by: &UnixRules, output: &'a [u8]) -> Option<&'a [u8]> {
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

    fn marker_of(&self, rules: &UnixRules) -> String {
        format!("{}-{}", self.marker, rules.shell.name())
    }

    fn file(&self, name: &str) -> std::path::PathBuf {
        self.folder.path().join(name)
    }
}

/// The shells that may answer where this one was started: a startup file can hand over to another one.
fn answering(rules: &UnixRules) -> impl Iterator<Item = &'static UnixRules> {
    let (shell, shares) = (rules.shell, rules.shares_question);
    Shell::ALL.into_iter().filter_map(unix_rules).filter(move |by| by.shell == shell || shares && by.shares_question)
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
        let (question, fish) = (Question::default(), unix_rules(Shell::Fish).unwrap());
        let typed = Typed::write("M".to_owned(), question, None).unwrap();
        let whole = b"\r\nM-fish\0/bin\0/h\0A=b\0M-fish\0".to_vec();
        let line = typed.line(fish);
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
                (typed.is_begun(fish, &output), typed.is_answered(fish, &output)),
                (is_begun, is_answered),
                "{output:?}"
            );
            let said = typed.parse(fish, &output, question, Path::new("/h"));
            assert_eq!(said.map(|said| said.context.path), is_answered.then(|| "/bin".into()));
        }
    }
}
