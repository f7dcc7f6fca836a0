//! Command lines of this program for the user to type. Names in them come from outside: each is quoted so that every shell
//! of the system takes it as it is.

use std::ffi::OsStr;

use crate::quote;
use crate::system::System;
use crate::visible::is_hidden;

/// Stands for a word that no quoting makes safe.
const LEFT_OUT: &str = "…";

/// The line that `template` makes with `words` in the places of its `{}`, between quotation marks for a sentence.
pub fn suggested<W: AsRef<OsStr>>(system: System, template: &str, words: &[W]) -> String {
    let line = suggested_line(system, template, words);
    if line.contains(LEFT_OUT) {
        format!("'{line}' (this name cannot be quoted safely; type it by hand)")
    } else {
        format!("'{line}'")
    }
}

/// The same line alone. A word that cannot be quoted for every shell stands in it as `…`.
pub fn suggested_line<W: AsRef<OsStr>>(system: System, template: &str, words: &[W]) -> String {
    let mut line = "wyard ".to_owned();
    let mut words = words.iter();
    for (at, part) in template.split("{}").enumerate() {
        if at > 0 {
            // What looks like an option would be taken for one.
            let word = words.next().map(AsRef::as_ref).filter(|word| !word.as_encoded_bytes().starts_with(b"-"));
            line.push_str(&word.map_or_else(|| LEFT_OUT.to_owned(), |word| quoted(system, word)));
        }
        line.push_str(part);
    }
    line
}

pub fn typed_again<W: AsRef<OsStr>>(system: System, words: &[W]) -> String {
    let words: Vec<String> = words.iter().map(|word| quoted(system, word.as_ref())).collect();
    words.join(" ")
}

fn quoted(system: System, word: &OsStr) -> String {
    word.to_str().and_then(|word| quoted_text(system, word)).unwrap_or_else(|| LEFT_OUT.to_owned())
}

/// `None` for what no line can hold.
fn quoted_text(system: System, word: &str) -> Option<String> {
    if word.contains(is_hidden) {
        return None;
    }
    let plain = |c: char| c.is_alphanumeric() || "_-./:+@".contains(c) && !(c == '@' && word.starts_with('@'));
    match system {
        _ if word.is_empty() => Some("\"\"".to_owned()),
        System::Unix if word.chars().all(plain) => Some(word.to_owned()),
        System::Unix => Some(quote::for_every_unix_shell(word)),
        System::Windows if word.chars().all(|c| plain(c) || c == '\\') => Some(word.to_owned()),
        System::Windows => quote::for_every_windows_shell(word),
    }
}

#[cfg(test)]
mod tests {
    use std::process::Command;

    use proptest::prelude::*;
    use proptest::test_runner::{Config, TestRunner};

    use super::*;

    #[test]
    fn names_that_need_it_are_quoted() {
        for (system, word, expected) in [
            (System::Unix, "/opt/tide-1.0/bin", "'wyard path drop /opt/tide-1.0/bin'"),
            (System::Unix, "/opt/tide log's", "'wyard path drop \"/opt/tide log's\"'"),
            (System::Unix, "t$(touch pwn)", "'wyard path drop 't$(touch pwn)''"),
            (System::Unix, "it's!\\", "'wyard path drop 'it'\\''s'\\!\\\\'"),
            (System::Windows, r"C:\Tide\bin", r"'wyard path drop C:\Tide\bin'"),
            (System::Windows, r"C:\Tide & log\", r#"'wyard path drop "C:\Tide & log\\"'"#),
            (System::Windows, "C:\\100% tide", "'wyard path drop \"C:\\100% tide\"'"),
        ] {
            assert_eq!(suggested(system, "path drop {}", &[word]), expected);
        }
        for (system, word) in [
            (System::Unix, "-rf"),
            (System::Unix, "a\nb"),
            (System::Unix, "a\u{200b}b"),
            (System::Windows, "C:\\$(calc)"),
            (System::Windows, "C:\\%TEMP%"),
            (System::Windows, "C:\\“x"),
        ] {
            assert!(suggested(system, "trace {}", &[word]).starts_with("'wyard trace …' ("), "{word}");
        }
        assert_eq!(typed_again(System::Unix, &["sudo", "wyard", "-v", "", "a b"]), "sudo wyard -v \"\" \"a b\"");
        let two = suggested(System::Unix, "path move {} --before {}", &["/a b", "/c"]);
        assert_eq!(two, "'wyard path move \"/a b\" --before /c'");
    }

    const PRINT: &str = "/usr/bin/printf '%s\\n'";

    /// Real shells run the lines, with another program in the place of this one.
    #[test]
    #[cfg_attr(windows, ignore = "the shells are those of Unix")]
    #[allow(clippy::print_stderr, reason = "what is skipped is to be seen")]
    fn every_shell_takes_every_name_as_it_is() {
        let word = proptest::string::string_regex("[a-z $`\"'\\\\!;&|<>(){}\\[\\]*?~#%^=@,äß-]{1,12}").unwrap();
        let words = proptest::collection::vec(word.prop_filter("an option", |word| !word.starts_with('-')), 60);
        for (shell, arguments) in [
            ("sh", &["-s"][..]),
            ("bash", &["--norc", "-i"]),
            ("zsh", &["-f", "-i", "-s"]),
            ("fish", &["--no-config"]),
            ("ksh", &["-i", "-s"]),
            ("tcsh", &["-f", "-s"]),
        ] {
            if Command::new(shell).args(["-c", "true"]).output().is_err() {
                assert!(std::env::var_os("CI").is_none(), "{shell} is not installed");
                eprintln!("skipped: {shell} is not installed");
                continue;
            }
            let mut runner = TestRunner::new(Config { cases: 4, failure_persistence: None, ..Config::default() });
            let outcome = runner.run(&words, |words| {
                let line = |word: &String| suggested_line(System::Unix, "{}\n", &[word]).replacen("wyard", PRINT, 1);
                let text: String = words.iter().map(line).collect();
                prop_assert_eq!(said(shell, arguments, &text), format!("{}\n", words.join("\n")), "{}", text);
                Ok(())
            });
            outcome.unwrap_or_else(|e| panic!("{shell}: {e}"));
        }
    }

    fn said(shell: &str, arguments: &[&str], text: &str) -> String {
        use std::io::Write as _;
        use std::process::Stdio;
        let mut command = Command::new(shell);
        command.args(arguments).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
        let home = tempfile::tempdir().unwrap();
        command
            .env("HOME", home.path())
            .env_remove("XDG_CONFIG_HOME")
            .env_remove("XDG_DATA_HOME")
            .env("LC_ALL", "C.UTF-8");
        let mut child = command.spawn().unwrap();
        child.stdin.take().unwrap().write_all(text.as_bytes()).unwrap();
        String::from_utf8_lossy(&child.wait_with_output().unwrap().stdout).into_owned()
    }
}
