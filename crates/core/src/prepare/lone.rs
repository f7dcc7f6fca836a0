//! A download that is a single file for an interpreter: a class archive or a script that does not name one.

use std::ffi::OsStr;
use std::io::Read as _;
use std::path::Path;

use super::format::Launcher;
use crate::given;
use crate::naming::ToolName;
use crate::system::System;

struct Interpreter {
    ending: &'static str,
    /// The interpreter on Unix, and on Windows.
    programs: [&'static str; 2],
    before: &'static [&'static str],
}

/// The kinds of files. A class archive is found by `JAVA_HOME` as well ("The java Command": `-jar`).
const INTERPRETERS: [Interpreter; 7] = [
    Interpreter { ending: "jar", programs: ["{variable:JAVA_HOME}/bin/java"; 2], before: &["-jar"] },
    Interpreter { ending: "py", programs: ["python3", "python"], before: &[] },
    Interpreter { ending: "pyz", programs: ["python3", "python"], before: &[] },
    Interpreter { ending: "pl", programs: ["perl"; 2], before: &[] },
    Interpreter { ending: "rb", programs: ["ruby"; 2], before: &[] },
    Interpreter { ending: "js", programs: ["node"; 2], before: &[] },
    Interpreter { ending: "lua", programs: ["lua"; 2], before: &[] },
];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SingleFileTool {
    at: usize,
}

/// Whether a file is one that only an interpreter can start: by its ending, and its content.
pub fn lone(file: &Path, system: System) -> Option<SingleFileTool> {
    let ending = file.extension().and_then(OsStr::to_str)?.to_ascii_lowercase();
    let at = INTERPRETERS.iter().position(|known| known.ending == ending)?;
    if given::without_content(file).is_some() {
        return None;
    }
    let mut head = [0; 4];
    let read = given::open(file).ok()?.read(&mut head).ok()?;
    let is_zip = head.starts_with(b"PK\x03\x04");
    let is_for_it = match ending.as_str() {
        "jar" => is_zip,
        "pyz" => true,
        _ => read > 0 && !is_zip && head[..read].iter().all(|byte| *byte != 0),
    };
    // A script that names its interpreter is a program of its own there.
    let starts_itself = system == System::Unix && head.starts_with(b"#!");
    (is_for_it && !starts_itself).then_some(SingleFileTool { at })
}

impl SingleFileTool {
    /// A launcher for it: a command called like the tool.
    pub fn launcher(self, name: &ToolName, file: &Path, system: System) -> Launcher {
        let Interpreter { programs: [unix, windows], before, .. } = INTERPRETERS[self.at];
        let program = if system == System::Windows { windows } else { unix };
        let file = file.file_name().unwrap_or_default().to_string_lossy();
        let words = [program].into_iter().chain(before.iter().copied()).map(str::to_owned);
        Launcher { command: name.to_string(), runs: words.chain([format!("{{home}}/{file}")]).collect() }
    }
}
