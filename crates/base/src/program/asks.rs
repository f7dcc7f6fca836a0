//! What texts beside and in a tool say of the runtime that it asks for: its least version.

use serde_json::Value;

use super::identify::{Program, ProgramKind};

/// Files up to this many bytes are read for what they say.
pub const MOST_READ: u64 = 64 << 10;

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Runtime {
    Java,
    Node,
    Python,
    /// .NET, by the name of a framework.
    DotNet(String),
}

impl Runtime {
    pub fn describe(&self) -> &str {
        match self {
            Self::Java => "Java",
            Self::Node => "Node.js",
            Self::Python => "Python",
            Self::DotNet(framework) => framework,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Asks {
    Version {
        runtime: Runtime,
        least: String,
        /// Whether only later versions of the same number before the first dot do.
        same_major: bool,
    },
    /// The least Java for the class that is called first, or for any where none is named, and the least for all (The Java
    /// Virtual Machine Specification, 4.1: 45 stands for Java 1).
    Classes { least: u16, most: u16 },
    StartsJava {
        archives: Vec<String>,
        /// Whether it looks at `JAVA_HOME`.
        by_home: bool,
    },
}

impl Asks {
    /// Whether a file of this name may say something by itself.
    pub fn is_said_by(file_name: &str) -> bool {
        matches!(file_name, "package.json" | "pyproject.toml") || file_name.ends_with(".runtimeconfig.json")
    }

    /// Reads a small text: one of those files, or a script.
    pub fn of(file_name: &str, program: Option<&Program>, content: &[u8]) -> Vec<Self> {
        let text = String::from_utf8_lossy(content);
        let version = |runtime, least: String| Self::Version { runtime, least, same_major: false };
        match file_name {
            "package.json" => of_package(&text).map(|least| version(Runtime::Node, least)).into_iter().collect(),
            "pyproject.toml" => of_project(&text).map(|least| version(Runtime::Python, least)).into_iter().collect(),
            _ if file_name.ends_with(".runtimeconfig.json") => of_runtime_config(&text),
            // Most scripts speak of neither.
            _ if !["java", "/// script"].iter().any(|word| text.contains(word)) => Vec::new(),
            _ if program.is_some_and(|p| matches!(p.kind, ProgramKind::Script | ProgramKind::Batch)) => {
                let inline = of_script_metadata(&text).map(|least| version(Runtime::Python, least));
                inline.into_iter().chain(starts_java(&text)).collect()
            }
            _ => Vec::new(),
        }
    }
}

/// `engines` of a package ("package.json", npm documentation).
fn of_package(text: &str) -> Option<String> {
    let package: Value = serde_json::from_str(text).ok()?;
    least_of(package.get("engines")?.get("node")?.as_str()?)
}

/// `requires-python` of a project (Python Packaging User Guide, "pyproject.toml specification").
fn of_project(text: &str) -> Option<String> {
    let project: toml::Table = toml::from_str(text).ok()?;
    least_of(project.get("project")?.get("requires-python")?.as_str()?)
}

/// `requires-python` in a script itself (Python Packaging User Guide, "Inline script metadata").
fn of_script_metadata(text: &str) -> Option<String> {
    let block = text.lines().skip_while(|line| line.trim_end() != "# /// script").skip(1);
    let lines = block.take_while(|line| line.trim_end() != "# ///").filter_map(|line| line.strip_prefix('#'));
    let table: toml::Table = toml::from_str(&lines.collect::<Vec<_>>().join("\n")).ok()?;
    least_of(table.get("requires-python")?.as_str()?)
}

/// The frameworks that a program of .NET is started with (Microsoft, ".NET runtime configuration settings" and "Select the .NET
/// version to use": by default a later minor version does, a later major one not).
fn of_runtime_config(text: &str) -> Vec<Asks> {
    let Ok(config) = serde_json::from_str::<Value>(text) else { return Vec::new() };
    let options = &config["runtimeOptions"];
    let one = options.get("framework").into_iter();
    let all = one.chain(options.get("frameworks").and_then(Value::as_array).into_iter().flatten());
    let rolls = |framework: &Value| framework.get("rollForward").or(options.get("rollForward")).cloned();
    let asked = |framework: &Value| {
        let rolls = rolls(framework);
        let same_major = !rolls.as_ref().and_then(Value::as_str).is_some_and(|how| how.ends_with("Major"));
        Some(Asks::Version {
            runtime: Runtime::DotNet(framework.get("name")?.as_str()?.to_owned()),
            least: framework.get("version")?.as_str()?.to_owned(),
            same_major,
        })
    };
    all.filter_map(asked).collect()
}

/// Whether a script starts Java, and with what.
fn starts_java(text: &str) -> Option<Asks> {
    let is_comment = |line: &str| {
        let lower = line.trim_start().to_ascii_lowercase();
        ["#", "::", "rem ", "@rem "].iter().any(|mark| lower.starts_with(mark))
    };
    let code: Vec<&str> = text.lines().filter(|line| !is_comment(line)).collect();
    let words = || {
        let ends = |c: char| c.is_whitespace() || "\"'=;:,()&|".contains(c);
        code.iter().flat_map(move |line| line.split(ends)).map(|word| word.rsplit(['/', '\\']).next().unwrap_or(word))
    };
    let is_java = |word: &str| {
        let lower = word.to_ascii_lowercase();
        ["java", "java.exe", "javaw", "javaw.exe"].contains(&&*lower)
    };
    let by_home = code.iter().any(|line| line.contains("JAVA_HOME"));
    if !words().any(is_java) {
        return None;
    }
    let is_archive = |word: &&str| {
        let lower = word.to_ascii_lowercase();
        lower.ends_with(".jar") && lower.len() > 4 && !lower.contains(['$', '%', '*'])
    };
    let mut archives: Vec<String> = words().filter(is_archive).map(str::to_owned).collect();
    archives.sort();
    archives.dedup();
    (by_home || !archives.is_empty() || text.contains("-jar")).then_some(Asks::StartsJava { archives, by_home })
}

/// The least version that a range allows (PEP 440, "Version specifiers"; npm documentation, "semver"); none where it sets no
/// lower bound, or is not understood.
fn least_of(range: &str) -> Option<String> {
    let bounds = range.split("||").map(|alternative| {
        // `>= 18` may be written apart.
        let joined = ["<", ">", "=", "~", "^"].iter().fold(alternative.to_owned(), |text, operator| {
            let mut text = text;
            while text.contains(&format!("{operator} ")) {
                text = text.replace(&format!("{operator} "), operator);
            }
            text
        });
        let parts = joined.split([',', ' ']).filter(|part| !part.is_empty() && *part != "-").collect::<Vec<_>>();
        let is_span = alternative.contains(" - ");
        let bound = |part: &&str| {
            let version = part.trim_start_matches(['>', '=', '~', '^', 'v']);
            let is_upper = part.starts_with(['<', '!']);
            let numbers = version.split(['.', '+', '-']).take_while(|number| number.parse::<u32>().is_ok());
            let numbers: Vec<&str> = numbers.collect();
            (!is_upper && !numbers.is_empty()).then(|| numbers.join("."))
        };
        let parts = if is_span { &parts[..1] } else { &parts[..] };
        parts.iter().filter_map(bound).max_by(|one, other| crate::naming::compare_versions(one, other))
    });
    // The least of all alternatives; one without a bound allows everything.
    let bounds: Option<Vec<String>> = bounds.collect();
    bounds?.into_iter().min_by(|one, other| crate::naming::compare_versions(one, other))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_least_version_of_a_range() {
        for (range, least) in [
            (">=3.11", Some("3.11")),
            (">= 3.8, <4", Some("3.8")),
            ("~=3.9.2", Some("3.9.2")),
            ("==3.11.*", Some("3.11")),
            ("!=3.9.0,>=3.8", Some("3.8")),
            ("<4", None),
            ("^18.2 || >=20", Some("18.2")),
            (">=14 <21", Some("14")),
            ("16 - 18", Some("16")),
            ("18.x", Some("18")),
            ("^16 || *", None),
            ("*", None),
            ("", None),
            ("tide", None),
        ] {
            assert_eq!(least_of(range).as_deref(), least, "{range}");
        }
    }

    #[test]
    fn files_say_what_they_ask_for() {
        let script = Program::identify("tide", b"#!/bin/sh\n");
        let batch = Program::identify("tide.cmd", b"@echo off\r\n");
        let version =
            |runtime, least: &str, same_major| vec![Asks::Version { runtime, least: least.to_owned(), same_major }];
        let java = |archives: &[&str], by_home| {
            vec![Asks::StartsJava { archives: archives.iter().map(ToString::to_string).collect(), by_home }]
        };
        let net = |name: &str| Runtime::DotNet(name.to_owned());
        for (name, program, text, expected) in [
            ("package.json", None, r#"{"engines": {"node": ">=18"}}"#, version(Runtime::Node, "18", false)),
            ("package.json", None, r#"{"name": "tide"}"#, vec![]),
            (
                "pyproject.toml",
                None,
                "[project]\nrequires-python = '>=3.11'\n",
                version(Runtime::Python, "3.11", false),
            ),
            ("pyproject.toml", None, "[project\n", vec![]),
            (
                "tide",
                Some(&script),
                "#!/usr/bin/env python3\n# /// script\n# requires-python = \">=3.12\"\n# ///\n",
                version(Runtime::Python, "3.12", false),
            ),
            (
                "t.runtimeconfig.json",
                None,
                r#"{"runtimeOptions": {"framework": {"name": "Tide.App", "version": "8.0.0"}}}"#,
                version(net("Tide.App"), "8.0.0", true),
            ),
            (
                "t.runtimeconfig.json",
                None,
                r#"{"runtimeOptions": {"rollForward": "LatestMajor", "frameworks": [{"name": "A", "version": "6.0"}]}}"#,
                version(net("A"), "6.0", false),
            ),
            ("t.runtimeconfig.json", None, r#"{"runtimeOptions": {"includedFrameworks": [{"name": "A"}]}}"#, vec![]),
            (
                "tide",
                Some(&script),
                "#!/bin/sh\nexec java -jar \"$here/lib/tide.jar\" \"$@\"\n",
                java(&["tide.jar"], false),
            ),
            (
                "tide",
                Some(&script),
                "#!/bin/sh\nJ=${JAVA_HOME:+$JAVA_HOME/bin/}java\n\"$J\" -cp \"$here/lib/*\" Tide\nexec java\n",
                java(&[], true),
            ),
            (
                "tide.cmd",
                Some(&batch),
                "@\"%JAVA_HOME%\\bin\\java.exe\" -jar %~dp0\\tide.jar %*\r\n",
                java(&["tide.jar"], true),
            ),
            ("tide", Some(&script), "#!/bin/sh\n# needs java and x.jar\necho\n", vec![]),
            ("tide", None, "java -jar tide.jar", vec![]),
        ] {
            assert_eq!(Asks::of(name, program, text.as_bytes()), expected, "{name} {text}");
        }
    }
}
