//! Whether an alias, a function or an abbreviation of the same name leads to a file in the end: the name is typed, with a
//! stand-in in the file's place that does nothing but say that it was started.

use std::collections::HashSet;
use std::fs;
use std::path::{Path, PathBuf};

use super::answer::Answer;
use super::asking::Asking;
use super::quoting::{marker, quoted};
use super::start_mode::StartMode;
use crate::process::{Surroundings, Typing};
use crate::resolve::Shell;

impl Asking<'_> {
    /// The names among these that start their file when they are typed where that answer was given. None do where a seal
    /// throws away nothing, since nothing can stand in for a file there.
    #[must_use]
    pub fn leading_to(&self, answer: &Answer, names: &[(&str, &Path)]) -> HashSet<String> {
        let Some(shell) = self.shells.iter().find(|shell| shell.shell == answer.shell) else { return HashSet::new() };
        let Ok(folder) = tempfile::Builder::new().prefix("wyard-ask-").tempdir() else { return HashSet::new() };
        if names.is_empty() || !self.sealer.level().throws_away() {
            return HashSet::new();
        }
        let marker = marker();
        let mut surroundings = Surroundings::cut_off();
        let mut lines = Vec::new();
        for (number, (name, file)) in names.iter().enumerate() {
            let content = format!("#!/bin/sh\nprintf '\\n%s\\0' {marker}-{number}-started\n").into_bytes();
            let mut places: Vec<PathBuf> = vec![file.to_path_buf()];
            places.extend(fs::canonicalize(file).ok().filter(|real| real != file));
            surroundings.stand_ins.extend(places.into_iter().map(|place| (place, content.clone())));
            let end = folder.path().join(format!("end{number}"));
            let text = match answer.shell {
                Shell::Fish => format!("builtin printf '\\n%s\\0' {marker}-{number}-end\n"),
                _ => format!("/usr/bin/printf '\\n%s\\0' {marker}-{number}-end\n"),
            };
            if fs::write(&end, text).is_err() {
                return HashSet::new();
            }
            let read = if answer.shell == Shell::Tcsh { "source" } else { "." };
            lines.push(format!(" {name} --version; {read} {}", quoted(answer.shell, &end.to_string_lossy())));
        }
        let said = |output: &[u8], number: usize, what: &str| {
            let text = format!("{marker}-{number}-{what}\0");
            output.windows(text.len()).any(|window| window == text.as_bytes())
        };
        let is_answered = |output: &[u8], count: usize| said(output, count - 1, "end");
        let typing = Typing { lines: &lines, is_answered: &is_answered, is_begun: &|_| false, ahead: false };
        let outcome = match answer.mode {
            // Nobody types there.
            StartMode::LoginCommand => {
                let start = self.for_text(shell, answer.mode, &answer.base, &lines.join("\n"));
                self.sealer.run(&start, surroundings, self.limit, self.stop)
            }
            _ => {
                let start = self.at_terminal(shell, answer.mode, &answer.base);
                self.sealer.run_typed(&start, typing, surroundings, self.limit, self.stop)
            }
        };
        let started = names.iter().enumerate().filter(|(number, _)| said(&outcome.stdout, *number, "started"));
        started.map(|(_, (name, _))| (*name).to_owned()).collect()
    }
}
