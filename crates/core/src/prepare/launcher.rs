//! Launchers: commands that start an interpreter with a file of the tool. They lie in a folder of their own in the tool's
//! home.

use std::path::{Path, PathBuf};

use super::error::PrepareError;
use super::format::Launcher;
use super::placeholders::{Part, Placeholders, in_text, parts};
use crate::archive::MemberPath;
use crate::layout::Command;
use crate::program::ProgramKind;
use crate::quote;
use crate::system::System;

/// The folder of launchers, in a tool's home.
pub const LAUNCHERS: &str = "launchers";

/// Exit code where the interpreter is missing (POSIX.1-2017, 2.8.2).
const NOT_FOUND: u8 = 127;

impl Launcher {
    /// Its file, relative to the home.
    pub fn file(&self, system: System) -> PathBuf {
        let ending = if system == System::Windows { ".cmd" } else { "" };
        Path::new(LAUNCHERS).join(format!("{}{ending}", self.command))
    }

    /// The files of the tool that it names as words of their own, relative to the home.
    pub fn files(&self) -> impl Iterator<Item = PathBuf> {
        let files = self.runs.iter().filter_map(|word| match parts(word)[..] {
            [Part::Home, Part::Text(rest)] => rest.strip_prefix(['/', '\\']),
            _ => None,
        });
        files.filter(|file| !file.is_empty()).map(PathBuf::from)
    }

    /// What it is as a command of the tool.
    pub fn as_command(&self, system: System) -> Command {
        let program = if system == System::Windows { ProgramKind::Batch } else { ProgramKind::Script };
        Command { name: self.command.clone(), path: self.file(system).into(), program, os: None, arch: None }
    }

    /// What cannot be in it on any system.
    pub fn check(&self) -> Result<(), String> {
        let is_name = MemberPath::new(self.command.as_bytes())
            .is_ok_and(|path| path.is_some_and(|path| path.as_path().as_os_str() == self.command.as_str()))
            && !self.command.contains(['/', '\\'])
            && !self.command.starts_with(['.', '-']);
        if !is_name {
            return Err(format!("\"{}\" is not a command name", self.command.escape_debug()));
        }
        if self.runs.first().is_none_or(String::is_empty) {
            return Err(format!("launcher {}: runs is empty", self.command));
        }
        if self.runs.iter().any(|word| word.contains(|c: char| c.is_control())) {
            return Err(format!("launcher {}: runs has a control character", self.command));
        }
        Ok(())
    }

    pub fn text(&self, system: System, placeholders: &Placeholders) -> Result<Vec<u8>, PrepareError> {
        match system {
            System::Unix => self.for_sh(placeholders).map(String::into_bytes),
            System::Windows => self.for_cmd(placeholders).map(String::into_bytes),
        }
    }

    fn failed(&self, why: impl Into<String>) -> PrepareError {
        PrepareError::Launcher { command: self.command.clone(), why: why.into() }
    }

    fn variables(word: &str) -> impl Iterator<Item = &str> {
        parts(word).into_iter().filter_map(|part| if let Part::Variable(name) = part { Some(name) } else { None })
    }

    /// The interpreter's own name, where it is found by a variable or by PATH.
    fn interpreter(&self) -> Option<&str> {
        let program = self.runs.first()?;
        let is_looked_up = Self::variables(program).next().is_some() || !program.contains(['/', '\\', '{']);
        program.rsplit(['/', '\\']).next().filter(|name| is_looked_up && !name.contains('{'))
    }

    /// For POSIX shells. The interpreter takes the shell's place, so that signals and its exit code are its own.
    fn for_sh(&self, placeholders: &Placeholders) -> Result<String, PrepareError> {
        let quoted = |word: &str| self.word_for_sh(word, placeholders);
        let command = &self.command;
        let mut text =
            format!("#!/bin/sh\n# Launcher of {} {}, written by Wagon Yard.\n", command, placeholders.version);
        let say = |what: &str| format!("    echo \"{command}: {what}\" >&2\n    exit {NOT_FOUND}\n");
        let [program, arguments @ ..] = &self.runs[..] else { return Err(self.failed("runs is empty")) };
        for name in arguments.iter().flat_map(|word| Self::variables(word)) {
            text.push_str(&format!("if [ -z \"${{{name}-}}\" ]; then\n{}fi\n", say(&format!("{name} is not set"))));
        }
        let mut words = vec![quoted(program)?];
        if let Some(name) = self.interpreter() {
            let by_path = String::from_utf8_lossy(&quote::posix(name.as_bytes())).into_owned();
            let found = format!("wyard_program=$(command -v {by_path}) || wyard_program=\n");
            let (set, told) = match Self::variables(program).next() {
                Some(variable) => (
                    format!(
                        "if [ -n \"${{{variable}-}}\" ]; then\n    wyard_program={}\nelse\n    {found}fi\n",
                        quoted(program)?
                    ),
                    format!("cannot find {name}; set {variable}, or add its folder to PATH"),
                ),
                None => (found, format!("cannot find {name}; add its folder to PATH")),
            };
            let check = "if ! [ -f \"$wyard_program\" ] || ! [ -x \"$wyard_program\" ]; then\n";
            text.push_str(&format!("{set}{check}{}fi\n", say(&told)));
            words[0] = "\"$wyard_program\"".to_owned();
        }
        for word in arguments {
            words.push(quoted(word)?);
        }
        text.push_str(&format!("exec {} \"$@\"\n", words.join(" ")));
        Ok(text)
    }

    fn word_for_sh(&self, word: &str, placeholders: &Placeholders) -> Result<String, PrepareError> {
        let literal = |text: &str| String::from_utf8_lossy(&quote::posix(text.as_bytes())).into_owned();
        let mut quoted = String::new();
        for part in parts(word) {
            quoted.push_str(&match part {
                Part::Text(text) => literal(text),
                Part::Home => literal(&in_text(&placeholders.home)?),
                Part::Version => literal(placeholders.version.as_str()),
                Part::HomeOf(name) => literal(&in_text(placeholders.home_of(name)?)?),
                Part::Variable(name) if is_variable(name) => format!("\"${name}\""),
                Part::Variable(name) => return Err(self.failed(format!("sh cannot read a variable {name}"))),
            });
        }
        Ok(if quoted.is_empty() { "''".to_owned() } else { quoted })
    }

    /// For `cmd`. The interpreter is the last command, so that the exit code is its own, whatever kind of program it is.
    fn for_cmd(&self, placeholders: &Placeholders) -> Result<String, PrepareError> {
        let command = &self.command;
        let [program, arguments @ ..] = &self.runs[..] else { return Err(self.failed("runs is empty")) };
        let mut lines = vec![
            "@echo off".to_owned(),
            format!("rem Launcher of {command} {}, written by Wagon Yard.", placeholders.version),
            // Else a `!` in an argument could go.
            "setlocal DisableDelayedExpansion".to_owned(),
        ];
        let mut rest = String::new();
        for word in arguments {
            rest.push_str(&format!(" {}", self.word_for_cmd(word, placeholders)?));
        }
        for name in arguments.iter().flat_map(|word| Self::variables(word)) {
            lines.push(format!("if not defined {name} echo {command}: {name} is not set 1>&2 & exit /b {NOT_FOUND}"));
        }
        let run = format!("{}{rest} %*", self.word_for_cmd(program, placeholders)?);
        let mut missing = None;
        if let Some(name) = self.interpreter() {
            let stem = if is_variable(name) || name.chars().all(|c| c.is_alphanumeric() || "._-+".contains(c)) {
                name
            } else {
                return Err(self.failed(format!("cmd cannot look up \"{name}\"")));
            };
            let candidates = if Path::new(stem).extension().is_some() {
                stem.to_owned()
            } else {
                format!("{stem}.com {stem}.exe {stem}.bat {stem}.cmd")
            };
            let by_path = format!("for %%P in ({candidates}) do if not \"%%~$PATH:P\"==\"\" goto by_path");
            let mut hint = "add its folder to PATH".to_owned();
            match Self::variables(program).next() {
                Some(variable) => {
                    hint = format!("set {variable}, or add its folder to PATH");
                    let word = self.word_for_cmd(program, placeholders)?;
                    let word = word.trim_matches('"').to_owned();
                    lines.push(format!("if not defined {variable} goto look"));
                    let endings = if Path::new(stem).extension().is_some() { "\"\"" } else { ".com .exe .bat .cmd" };
                    lines.push(format!("for %%E in ({endings}) do if exist \"{word}%%~E\" goto run"));
                    lines.push("goto missing".to_owned());
                    lines.push(":look".to_owned());
                    lines.push(by_path);
                }
                None => lines.push(by_path),
            }
            lines.push(":missing".to_owned());
            lines.push(format!("echo {command}: cannot find {stem}; {hint} 1>&2"));
            lines.push(format!("exit /b {NOT_FOUND}"));
            missing = Some(format!("{stem}{rest} %*"));
        }
        if let Some(by_path) = missing {
            lines.push(":by_path".to_owned());
            // Another command behind it would hide its exit code; a batch file does not come back at all.
            lines.push(format!("{by_path} & exit /b"));
        }
        lines.push(":run".to_owned());
        lines.push(run);
        Ok(lines.join("\r\n") + "\r\n")
    }

    fn word_for_cmd(&self, word: &str, placeholders: &Placeholders) -> Result<String, PrepareError> {
        let mut quoted = String::new();
        // A word that begins with a folder is a path; cmd takes `/` for an option.
        let is_path = matches!(parts(word).first(), Some(Part::Home | Part::HomeOf(_) | Part::Variable(_)));
        for part in parts(word) {
            let text = match part {
                Part::Text(text) => text.replace('%', "%%"),
                // By its own place: cmd reads a batch file in the console's code page, which lacks most letters.
                Part::Home => "%~dp0..".to_owned(),
                Part::Version => placeholders.version.to_string(),
                Part::HomeOf(name) => in_text(placeholders.home_of(name)?)?.replace('%', "%%"),
                Part::Variable(name) if is_variable(name) => format!("%{name}%"),
                Part::Variable(name) => return Err(self.failed(format!("cmd cannot read a variable {name}"))),
            };
            quoted.push_str(&text);
        }
        if quoted.contains('"') {
            return Err(self.failed("cmd cannot pass on a double quote"));
        }
        if !quoted.is_ascii() {
            return Err(self.failed(format!("\"{word}\" is not ASCII; cmd would misread it; use {{variable:NAME}}")));
        }
        if is_path {
            quoted = quoted.replace('/', "\\");
        }
        // A backslash before the quote would be taken for one that belongs to the text ("Parsing C command-line arguments").
        if quoted.ends_with('\\') {
            quoted.push('\\');
        }
        Ok(format!("\"{quoted}\""))
    }
}

/// Whether both systems' shells can read a variable of this name.
fn is_variable(name: &str) -> bool {
    !name.starts_with(|c: char| c.is_ascii_digit())
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && !name.is_empty()
}
