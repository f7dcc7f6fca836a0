//! Whether an alias, a function or an abbreviation of the same name leads to a file in the end: the name is typed, with a
//! stand-in in the file's place that does nothing but say that it was started.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use memchr::memmem;

use super::answer::Answer;
use super::asking::Asking;
use super::marker::marker;
use crate::os;
use crate::process::{Line, Network, Typing};
use crate::shells::{StartMode, unix_rules};

/// How long a terminal may take at most for all that is typed: one that does something else with the lines never ends.
const LIMIT: Duration = Duration::from_secs(15);

/// What is typed behind a name: what people ask for, nothing, and a word that no tool knows. A function may look at that.
const WORDS: [&str; 3] = [" --version", "", " tide-mark-7"];

impl Asking<'_> {
    /// The names among these that start their file when they are typed where that answer was given. None do where a seal
    /// throws away nothing, since nothing can stand in for a file there.
    pub fn leading_to(&self, answer: &Answer, names: &[(&str, &Path)]) -> HashSet<String> {
        let shell = self.shells.iter().find(|shell| shell.shell == answer.shell);
        let Some((shell, rules)) = shell.zip(unix_rules(answer.shell)) else { return HashSet::new() };
        let Ok(folder) = tempfile::Builder::new().prefix(&os::temporary_name(std::process::id())).tempdir() else {
            return HashSet::new();
        };
        if names.is_empty() || !self.sealer.level().throws_away() {
            return HashSet::new();
        }
        let marker = marker();
        // The line that has any shell say something: that reads a file.
        let says = |what: &str| {
            let file = folder.path().join(what);
            fs::write(&file, format!("{} '\\n%s\\0' {marker}-{what}\n", rules.printf)).ok()?;
            Some(format!("{} {}", rules.read, (rules.word)(&file.to_string_lossy())))
        };
        let mut options = self.base(answer.base.clone()).options;
        options.network = Network::Closed;
        let mut lines = Vec::new();
        for (number, (name, file)) in names.iter().enumerate() {
            let content = format!("#!/bin/sh\nprintf '\\n%s\\0' {marker}-{number}-started\n").into_bytes();
            let mut places: Vec<PathBuf> = vec![file.to_path_buf()];
            places.extend(fs::canonicalize(file).ok().filter(|real| real != file));
            options.stand_ins.extend(places.into_iter().map(|place| (place, content.clone())));
            // A name that has to be quoted is no alias.
            let is_plain = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"._+-".contains(&byte));
            let typed = if is_plain { (*name).to_owned() } else { (rules.word)(name) };
            for words in WORDS {
                let Some(end) = says(&format!("{}-end", lines.len())) else { return HashSet::new() };
                // By itself, as people type it: hooks and widgets look at the whole line.
                lines.push([format!("{typed}{words}"), end]);
            }
        }
        let Some(ready) = says("ready") else { return HashSet::new() };
        let find = |output: &[u8], text: String| memmem::find(output, format!("{marker}-{text}\0").as_bytes());
        let ended = |output: &[u8], line: usize| find(output, format!("{line}-end"));
        // The first line is typed until somebody answers. The others once: what starts counts for the line before its end.
        let is_answered = |output: &[u8], count: usize| match count {
            1 => find(output, "ready".to_owned()).is_some(),
            _ => ended(output, count - 2).is_some(),
        };
        let next = |answered: usize, _: &[u8]| match answered {
            0 => Some(Line::from(ready.clone())),
            _ => lines.get(answered - 1).map(|typed| Line::from(typed.join("\r"))),
        };
        let typing = Typing { next: &next, is_answered: &is_answered, is_begun: &|_, count| count > 1, ahead: false };
        let limit = self.limit.min(LIMIT);
        let outcome = match answer.mode {
            // Nobody types there.
            StartMode::LoginCommand => {
                let start = self.for_text(shell, answer.mode, &answer.base, &lines.concat().join("\n"));
                self.sealer.run(&start, options, limit, self.stop)
            }
            StartMode::Login | StartMode::Interactive => {
                let start = self.at_terminal(shell, answer.mode, &answer.base);
                self.sealer.run_typed(&start, typing, options, limit, self.stop)
            }
        };
        let output = &outcome.stdout[..];
        // What was written between the end of the line before and its own.
        let has_started = |number: usize, line: usize| {
            let begin = line.checked_sub(1).map_or(Some(0), |before| ended(output, before))?;
            let answer = output.get(begin..ended(output, line)?)?;
            find(answer, format!("{number}-started")).map(drop)
        };
        let leads =
            |number: &usize| (0..WORDS.len()).all(|word| has_started(*number, number * WORDS.len() + word).is_some());
        (0..names.len()).filter(leads).map(|number| names[number].0.to_owned()).collect()
    }
}
