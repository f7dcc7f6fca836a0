//! Finding wrapper, command folders and commands in a listing.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::error::LayoutError;
use super::wrapper::find;
use super::{command_folders, completions, programs};
use crate::archive::{EntryKind, Listing};
use crate::naming::{extension_rank, typed};
use crate::os;
use crate::path_list;
use crate::program::{Program, ProgramKind};
use crate::report::ReportPath;
use crate::system::System;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct Command {
    pub name: String,
    /// Its file, relative to the tool's home.
    pub path: ReportPath,
    pub program: ProgramKind,
    /// The system it was built for, where its header says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub os: Option<String>,
    /// The processor it was built for, where its header says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub arch: Option<String>,
}

/// The innermost folder of an archive that holds everything but litter; empty where there is none.
pub fn wrapper(listing: &Listing) -> PathBuf {
    find(listing)
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layout {
    /// The folder of the archive that becomes the home; empty when the archive has no wrapper.
    pub wrapper: PathBuf,
    /// The command folders, relative to the home; an empty path is the home itself.
    pub command_folders: Vec<PathBuf>,
    pub commands: Vec<Command>,
    /// The files that complete them in shells, relative to the home.
    pub completions: Vec<PathBuf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Target<'a> {
    /// Its family, which decides what can be a command.
    pub system: System,
    /// The system's own name, as programs are built for it.
    pub os: &'a str,
    pub arch: &'a str,
    /// Whether programs for other machines are taken as well.
    pub foreign: bool,
}

impl Target<'static> {
    /// This machine, under the rules of its system.
    pub fn here(system: System, foreign: bool) -> Self {
        Self { system, os: os::SYSTEM, arch: os::processor(), foreign }
    }
}

/// The file at the home by which source code is built.
fn build_file(listing: &Listing, home: &Path) -> Option<String> {
    const NAMES: [&str; 14] = [
        "configure",
        "configure.ac",
        "makefile",
        "cmakelists.txt",
        "meson.build",
        "build.ninja",
        "cargo.toml",
        "go.mod",
        "pyproject.toml",
        "setup.py",
        "pom.xml",
        "build.gradle",
        "package.json",
        "build.zig",
    ];
    let mut names =
        listing.entries.iter().filter(|e| e.kind == EntryKind::File).filter_map(|e| e.path.below(home)?.to_str());
    names.find(|name| NAMES.contains(&&*name.to_ascii_lowercase())).map(str::to_owned)
}

/// What an archive holds for PowerShell: modules by their manifest or script module, else scripts ("about_Modules").
fn powershell_parts(listing: &Listing) -> Option<String> {
    let files = listing.entries.iter().filter(|e| e.kind == EntryKind::File);
    let names: Vec<String> = files.map(|e| e.path.file_name()).collect();
    let ending = |end: &str| {
        let mut found = names.iter().filter(|name| name.to_ascii_lowercase().ends_with(end));
        Some((found.next()?.clone(), found.count()))
    };
    let (what, (first, more)) =
        [("the PowerShell module", ".psd1"), ("the PowerShell module", ".psm1"), ("the PowerShell script", ".ps1")]
            .into_iter()
            .find_map(|(what, end)| Some((what, ending(end)?)))?;
    Some(if more == 0 { format!("{what} {first}") } else { format!("{what} {first} and {more} more") })
}

/// Finds wrapper, command folders and commands. `given` are the folders of `--command-folder`, relative to the home;
/// none means: find them. Where an archive has programs for several machines, those for the target are taken.
pub fn analyse(listing: &Listing, given: &[PathBuf], target: Target) -> Result<Layout, LayoutError> {
    let wrapper = find(listing);
    let Target { mut system, .. } = target;
    let mut found = programs::programs(listing, &wrapper, system);
    if found.is_empty() {
        let other = if system == System::Unix { System::Windows } else { System::Unix };
        let foreign = programs::programs(listing, &wrapper, other);
        if !foreign.is_empty() && target.foreign {
            (system, found) = (other, foreign);
        } else if !foreign.is_empty() {
            return Err(LayoutError::Foreign(programs::machines(&foreign)));
        }
    }
    let runs = |program: &Program| program.is_native(target.os, target.arch);
    if found.iter().any(|(_, program)| runs(program)) {
        found.retain(|(_, program)| runs(program));
    } else if !target.foreign && found.iter().any(|(path, _)| !command_folders::sets_up(path)) {
        return Err(LayoutError::Foreign(programs::machines(&found)));
    }
    let command_folders =
        if given.is_empty() { command_folders::choose(&found, listing.without_modes) } else { given.to_vec() };
    if command_folders.is_empty() {
        let of_powershell = || powershell_parts(listing).map_or(LayoutError::NoCommands, LayoutError::PowerShell);
        return Err(build_file(listing, &wrapper).map_or_else(of_powershell, LayoutError::Source));
    }
    let mut commands = Vec::new();
    for folder in &command_folders {
        path_list::check_entry(folder, system)
            .map_err(|source| LayoutError::Folder { folder: folder.clone(), source })?;
        let before = commands.len();
        let mut inside: Vec<_> = found.iter().filter(|(path, _)| path.parent() == Some(folder)).collect();
        if given.is_empty() {
            inside.retain(|(path, _)| !command_folders::sets_up(path));
        }
        // Of two with the same name the one whose extension comes first in PATHEXT runs.
        inside.sort_by_key(|(path, _)| extension_rank(&path.to_string_lossy()));
        for (path, program) in inside {
            commands.push(Command {
                name: typed(path, system),
                path: path.clone().into(),
                program: program.kind,
                os: program.os.map(str::to_owned),
                arch: program.arch.map(str::to_owned),
            });
        }
        if commands.len() == before {
            return Err(LayoutError::FolderWithoutCommands(folder.clone()));
        }
    }
    // Of two folders with the same command the first wins in PATH, so the second's is none.
    let mut seen = std::collections::HashSet::new();
    let key = |name: &str| if system == System::Windows { name.to_lowercase() } else { name.to_owned() };
    commands.retain(|c| seen.insert(key(&c.name)));
    commands.sort_by(|a, b| a.name.cmp(&b.name));
    let names: Vec<&str> = commands.iter().map(|command| command.name.as_str()).collect();
    let completions = completions::completions(listing, &wrapper, &names);
    Ok(Layout { wrapper, command_folders, commands, completions })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::archive::{Entry, MemberPath};

    const UNIX: Target = Target { system: System::Unix, os: "linux", arch: "x86_64", foreign: false };
    const WINDOWS: Target = Target { system: System::Windows, os: "windows", arch: "x86_64", foreign: false };

    /// A listing from lines: `x path` is an executable script, `- path` a plain file, `d path` a folder, `e path` an
    /// executable ELF program, `p path` a PE program, `l path target` a link.
    pub(super) fn listing(lines: &[&str]) -> Listing {
        let entries = lines.iter().map(|line| {
            let mut words = line.split(' ');
            let (mark, path, target) = (words.next().unwrap(), words.next().unwrap(), words.next());
            let mut elf = vec![0u8; 64];
            elf[..8].copy_from_slice(b"\x7fELF\x02\x01\x01\x00");
            elf[18] = 62;
            let mut pe = vec![0u8; 512];
            pe[..2].copy_from_slice(b"MZ");
            pe[0x3c] = 0x80;
            pe[0x80..0x86].copy_from_slice(b"PE\0\0\x64\x86");
            pe[0x98..0x9a].copy_from_slice(&[0x0b, 0x02]);
            let head: &[u8] = match mark {
                "p" => &pe,
                "x" => b"#!/bin/sh\n",
                "e" => &elf,
                _ => b"text\n",
            };
            Entry {
                path: MemberPath::new(path.as_bytes()).unwrap().unwrap(),
                kind: match mark {
                    "d" => EntryKind::Folder,
                    "l" => EntryKind::Link(target.unwrap().into()),
                    _ => EntryKind::File,
                },
                bytes: 1,
                mode: Some(if matches!(mark, "x" | "e" | "t") { 0o755 } else { 0o644 }),
                needs: None,
                program: (!matches!(mark, "d" | "l")).then(|| Program::identify(path, head).into()),
            }
        });
        Listing { entries: entries.collect(), without_modes: false, left_out: Vec::new() }
    }

    fn slashed(path: &Path) -> String {
        path.to_str().unwrap().replace('\\', "/")
    }

    #[test]
    fn a_native_program_wins_over_a_script_that_nobody_marked_as_executable() {
        for (without_modes, folders) in [(true, "tools"), (false, "extras/bin")] {
            let lines = ["e w/tools/t", "x w/extras/bin/u.sh", "- w/README"];
            let listing = Listing { without_modes, ..listing(&lines) };
            let layout = analyse(&listing, &[], UNIX).unwrap();
            assert_eq!(slashed(&layout.command_folders[0]), folders, "without modes: {without_modes}");
        }
    }

    #[test]
    fn layouts_met_in_practice() {
        type Case<'a> = (&'a [&'a str], &'a str, &'a [&'a str], &'a [&'a str]);
        let cases: [Case; 39] = [
            (&["x t-4/bin/tidelog", "x t-4/bin/tidelogc", "- t-4/README"], "t-4", &["bin"], &["tidelog", "tidelogc"]),
            (&["x shoal"], "", &[""], &["shoal"]),
            (&["x shoal-2/shoal", "- shoal-2/LICENSE"], "shoal-2", &[""], &["shoal"]),
            (&["x a/b/bin/t", "- a/b/doc"], "a/b", &["bin"], &["t"]),
            // Only a `bin`: it is no wrapper.
            (&["x bin/t"], "", &["bin"], &["t"]),
            (&["x w/bin/t"], "w", &["bin"], &["t"]),
            // Litter beside the wrapper.
            (&["x w/bin/t", "- __MACOSX/w/._t", "- .DS_Store", "- w/.DS_Store"], "w", &["bin"], &["t"]),
            (&["x bin/t", "x sbin/td", "- lib/t.so"], "", &["bin", "sbin"], &["t", "td"]),
            // Programs under lib, share, tests and examples are not for typing.
            (&["x w/t", "x w/lib/helper", "x w/tests/run", "x w/examples/e"], "w", &[""], &["t"]),
            (&["x w/bin/t", "x w/install.sh", "x w/configure"], "w", &["bin"], &["t"]),
            // What sets a tool up is never started by a check.
            (&["x w/t", "x w/install.sh", "e w/uninstall"], "w", &[""], &["t"]),
            (&["x w/bin/t", "e w/t-server"], "w", &["bin", ""], &["t", "t-server"]),
            (&["x w/client/bin/c", "x w/server/bin/s", "- w/r"], "w", &["client/bin", "server/bin"], &["c", "s"]),
            (&["x w/usr/bin/t", "- w/usr/share/x", "- w/r"], "w", &["usr/bin"], &["t"]),
            (&["l w/bin/t ../lib/t.sh", "x w/lib/t.sh"], "w", &["bin"], &["t"]),
            (&["e w/bin/libx.so", "e w/bin/libx.so.1", "e w/bin/t"], "w", &["bin"], &["t"]),
            (&["e w/bin/t", "- w/bin/t.bat", "t w/bin/README.md"], "w", &["bin"], &["t"]),
            (&["e w/bin/t", "e w/jre/bin/j"], "w", &["bin"], &["t"]),
            (&["e w/tools/t", "- w/readme"], "w", &["tools"], &["t"]),
            (&["e w/t", "e w/libx.so", "- w/data.bin"], "w", &[""], &["t"]),
            (&["e w/t", "e w/u", "- w/LICENSE", "- w/man/t.1"], "w", &[""], &["t", "u"]),
            (&["e w/sdk/tools/t", "- w/sdk/lib/x", "- w/r"], "w", &["sdk/tools"], &["t"]),
            // Programs of the compiler itself, under the name of the machine it compiles for.
            (&["e w/bin/t", "e w/arm-shore-eabi/bin/as", "- w/lib/x"], "w", &["bin"], &["t"]),
            (&["e w/x86_64-shore/bin/as", "e w/bin/t", "x w/bin/t-config"], "w", &["bin"], &["t", "t-config"]),
            (&["e w/bin/t", "e w/cmd/t", "e w/usr/bin/inner"], "w", &["cmd"], &["t"]),
            (&["e w/t", "x w/Scripts/u"], "w", &["Scripts", ""], &["t", "u"]),
            // A bundle of macOS works only as a whole.
            (&["e T.app/Contents/MacOS/t", "- T.app/Contents/Info.plist"], "", &["T.app/Contents/MacOS"], &["t"]),
            (&["x tidelog-main/bin/t", "- tidelog-main/README"], "tidelog-main", &["bin"], &["t"]),
            (&["x tidelog-main/bin/t", "- tidelog-main/Makefile"], "tidelog-main", &["bin"], &["t"]),
            (&["d w", "d w/bin", "x w/bin/t"], "w", &["bin"], &["t"]),
            (&["d empty", "x w/bin/t"], "", &["w/bin"], &["t"]),
            (&["x w/bin/t", "l w/bin/u t", "l w/bin/broken nowhere"], "w", &["bin"], &["t", "u"]),
            (&["x w/bin/.hidden", "x w/bin/t"], "w", &["bin"], &["t"]),
            (&["- w/bin/t", "x w/bin/u"], "w", &["bin"], &["u"]),
            (&["t w/bin/t", "e w/bin/u"], "w", &["bin"], &["t", "u"]),
            (&["e w/libexec/t/inner", "e w/bin/t"], "w", &["bin"], &["t"]),
            (&["e opt/tide/bin/t", "- opt/tide/lib/x"], "", &["opt/tide/bin"], &["t"]),
            (&["e w/Contents/t", "e w/doc/u"], "w", &["Contents"], &["t"]),
            // Everything executable, as from a disk without modes: only the programs count.
            (&["t w/README", "t w/LICENSE", "e w/t"], "w", &[""], &["t"]),
        ];
        for (lines, wrapper, folders, commands) in cases {
            let layout = analyse(&listing(lines), &[], UNIX).unwrap_or_else(|e| panic!("{lines:?}: {e}"));
            assert_eq!(layout.wrapper, Path::new(wrapper), "{lines:?}");
            let found: Vec<_> = layout.command_folders.iter().map(|f| slashed(f)).collect();
            assert_eq!(found, folders, "{lines:?}");
            let found: Vec<_> = layout.commands.iter().map(|c| c.name.as_str()).collect();
            assert_eq!(found, commands, "{lines:?}");
        }
    }

    #[test]
    fn on_windows_the_extension_makes_the_command() {
        type Case<'a> = (&'a [&'a str], &'a [&'a str], &'a [&'a str]);
        let cases: [Case; 6] = [
            (&["p w/bin/tidelog.exe", "p w/bin/shore.dll", "x w/bin/tidelog"], &["bin"], &["bin/tidelog.exe"]),
            (&["- w/bin/t.bat", "- w/bin/u.CMD", "- w/bin/read.me"], &["bin"], &["bin/t.bat", "bin/u.CMD"]),
            // Of the same name the one that PATHEXT puts first.
            (&["- w/t.cmd", "p w/T.exe", "- w/t.bat"], &[""], &["T.exe"]),
            (&["p w/t.exe", "- w/install.bat", "p w/setup.exe"], &[""], &["t.exe"]),
            (&["p w/bin/t.exe", "- w/start.bat"], &["bin"], &["bin/t.exe"]),
            (&["- w/t.exe", "p w/u", "p w/v.exe"], &[""], &["v.exe"]),
        ];
        for (lines, folders, commands) in cases {
            let layout = analyse(&listing(lines), &[], WINDOWS).unwrap_or_else(|e| panic!("{lines:?}: {e}"));
            let found: Vec<_> = layout.command_folders.iter().map(|f| slashed(f)).collect();
            assert_eq!(found, folders, "{lines:?}");
            let mut found: Vec<_> = layout.commands.iter().map(|c| slashed(&c.path)).collect();
            found.sort();
            assert_eq!(found, commands, "{lines:?}");
            assert!(layout.commands.iter().all(|c| !c.name.contains('.')), "{lines:?}");
        }
    }

    #[test]
    fn what_has_no_command_is_refused() {
        assert!(matches!(analyse(&listing(&["- w/README", "x w/lib/x"]), &[], UNIX), Err(LayoutError::NoCommands)));
        for build in ["w/configure", "w/CMakeLists.txt", "w/Cargo.toml"] {
            let lines = [format!("- {build}"), "- w/src/main.src".to_owned()];
            let source = listing(&lines.iter().map(String::as_str).collect::<Vec<_>>());
            assert!(matches!(analyse(&source, &[], UNIX), Err(LayoutError::Source(_))), "{build}");
        }
        for (lines, told) in [
            (&["- w/Tide.psd1", "- w/Tide.psm1", "- w/more.ps1"][..], "the PowerShell module Tide.psd1"),
            (&["- w/rise.ps1", "- w/fall.ps1"], "the PowerShell script rise.ps1 and 1 more"),
        ] {
            match analyse(&listing(lines), &[], UNIX) {
                Err(LayoutError::PowerShell(what)) => assert_eq!(what, told),
                other => panic!("{other:?}"),
            }
        }
        let suite: Vec<String> = (0..100).map(|i| format!("x w/bin/c{i:02}")).collect();
        let suite = listing(&suite.iter().map(String::as_str).collect::<Vec<_>>());
        assert_eq!(analyse(&suite, &[], UNIX).unwrap().commands.len(), 100);
        let given = [PathBuf::from("tools")];
        let lines = ["x w/bin/t", "- w/tools/x"];
        assert!(matches!(analyse(&listing(&lines), &given, UNIX), Err(LayoutError::FolderWithoutCommands(_))));
        let lines = ["- w/a;b/bin/t.bat", "- w/r"];
        let separated = analyse(&listing(&lines), &[], WINDOWS);
        assert!(matches!(separated, Err(LayoutError::Folder { .. })), "{separated:?}");
    }

    #[test]
    fn the_programs_for_the_target_are_taken_and_no_others() {
        let both = ["e w/linux/bin/t", "p w/windows/bin/t.exe", "- w/r"];
        let folder = |target| {
            let layout = analyse(&listing(&both), &[], target)?;
            Ok::<_, LayoutError>(layout.command_folders.iter().map(|f| slashed(f)).collect::<Vec<_>>())
        };
        assert_eq!(folder(UNIX).unwrap(), ["linux/bin"]);
        assert_eq!(folder(WINDOWS).unwrap(), ["windows/bin"]);
        let arm = Target { arch: "aarch64", ..UNIX };
        assert!(folder(arm).unwrap_err().to_string().contains("linux on x86_64"));
        assert_eq!(folder(Target { foreign: true, ..arm }).unwrap(), ["linux/bin"]);
        let only = listing(&["p w/t.exe", "- w/r"]);
        assert!(matches!(analyse(&only, &[], UNIX), Err(LayoutError::Foreign(_))));
        let layout = analyse(&only, &[], Target { foreign: true, ..UNIX }).unwrap();
        assert_eq!(layout.commands[0].name, "t");
    }

    #[test]
    fn a_given_command_folder_is_taken() {
        let layout = analyse(&listing(&["x w/bin/t", "x w/lib/tools/u"]), &["lib/tools".into()], UNIX).unwrap();
        assert_eq!(layout.commands.len(), 1);
        assert_eq!(layout.commands[0].name, "u");
    }
}
