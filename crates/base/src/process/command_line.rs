//! Command lines as text: split into words, and put together for people to read and to type.

use std::ffi::OsStr;
use std::path::Path;

use crate::quote;
use crate::system::System;

/// The words of a line by the rules of a system: those of the plain shell on Unix (POSIX.1-2017, 2.2), those of C programs
/// on Windows ("Parsing C++ command-line arguments"). Where a line of Windows begins with a program that is not quoted,
/// its name may hold spaces: the shortest beginning that is a file counts ("CreateProcessW function", `lpCommandLine`).
/// `None` where a quote is left open.
pub fn split(line: &str, system: System, is_file: &dyn Fn(&Path) -> bool) -> Option<Vec<String>> {
    match system {
        System::Unix => shell_words::split(line).ok(),
        System::Windows => {
            let line = line.trim_start();
            let ends = line.match_indices(' ').map(|(at, _)| at).chain([line.len()]);
            let is_program = |begin: &str| is_file(Path::new(begin)) || is_file(Path::new(&format!("{begin}.exe")));
            let program = ends.map(|end| line.split_at(end)).find(|(begin, _)| is_program(begin));
            match program.filter(|_| !line.starts_with('"')) {
                Some((program, rest)) => Some(std::iter::once(program.to_owned()).chain(windows_words(rest)).collect()),
                None => Some(windows_words(line)),
            }
        }
    }
}

/// The words of a line as C programs on Windows take it apart ("Parsing C++ command-line arguments"): backslashes count
/// half before a quote, an odd one makes the quote a character, and so do two quotes within a quoted part. An empty word
/// in quotes is a word.
fn windows_words(line: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let (mut backslashes, mut quoted) = (0, false);
    let mut chars = line.chars().peekable();
    while let Some(c) = chars.next() {
        if c == '\\' {
            backslashes += 1;
            continue;
        }
        let kept = if c == '"' { backslashes / 2 } else { backslashes };
        if kept > 0 {
            word.get_or_insert_default().push_str(&"\\".repeat(kept));
        }
        let escaped = backslashes % 2 == 1;
        backslashes = 0;
        match c {
            '"' if escaped => word.get_or_insert_default().push('"'),
            '"' if quoted && chars.peek() == Some(&'"') => {
                chars.next();
                word.get_or_insert_default().push('"');
            }
            '"' => {
                word.get_or_insert_default();
                quoted = !quoted;
            }
            ' ' | '\t' if !quoted => words.extend(word.take()),
            c => word.get_or_insert_default().push(c),
        }
    }
    if backslashes > 0 {
        word.get_or_insert_default().push_str(&"\\".repeat(backslashes));
    }
    words.extend(word);
    words
}

/// Words as one line that [`split`] takes apart again; what is not Unicode is replaced.
pub fn join<W: AsRef<OsStr>>(words: &[W], system: System) -> String {
    let words: Vec<String> = words.iter().map(|word| word.as_ref().to_string_lossy().into_owned()).collect();
    match system {
        System::Unix => shell_words::join(words),
        System::Windows => words.iter().map(|word| quote::for_programs_of_c(word)).collect::<Vec<_>>().join(" "),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn the_command_of_a_windows_record_is_split_as_the_system_does() {
        let is_file = |path: &Path| path == Path::new(r"C:\Program Files\buoy\remove.exe");
        for (line, expected) in [
            ("MsiExec.exe /I{B0}", &["MsiExec.exe", "/I{B0}"][..]),
            (r#""C:\Program Files\buoy\remove.exe" /S"#, &[r"C:\Program Files\buoy\remove.exe", "/S"]),
            (r"C:\Program Files\buoy\remove.exe /S", &[r"C:\Program Files\buoy\remove.exe", "/S"]),
            (r"C:\Program Files\buoy\remove /S", &[r"C:\Program Files\buoy\remove", "/S"]),
            (r"C:\buoy\remove.exe", &[r"C:\buoy\remove.exe"]),
            (r#"C:\b\r.exe /D="C:\new place" /S"#, &[r"C:\b\r.exe", r"/D=C:\new place", "/S"]),
            (r#"r "" "a""b" \"c\\"d e\\" f"#, &["r", "", "a\"b", r#""c\d e\"#, "f"]),
        ] {
            assert_eq!(split(line, System::Windows, &is_file).unwrap(), expected, "{line}");
        }
        assert_eq!(split("'open", System::Unix, &|_| false), None);
    }

    proptest! {
        #[test]
        fn what_is_joined_is_split_again(words in proptest::collection::vec("[ -~äö\t]{0,12}", 1..6)) {
            for system in [System::Unix, System::Windows] {
                let line = join(&words, system);
                prop_assert_eq!(split(&line, system, &|_| false).unwrap(), words.clone(), "{:?} {}", system, line);
            }
        }
    }
}
