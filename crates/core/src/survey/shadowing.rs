//! Commands that come before others of the same name.

use std::collections::{BTreeMap, HashMap};
use std::ffi::OsStr;
use std::fs;
use std::path::{Path, PathBuf};

use super::entries::{Entry, Inspected};
use crate::finding::{Code, Finding, Severity};
use crate::folders::{SystemFolders, Typed};
use crate::given;
use crate::resolve::same_file;
use crate::suggestion::suggested;
use crate::system::System;

/// No two larger files are compared byte by byte, in bytes; where their sizes are the same they are taken for different.
const LARGEST_COMPARED: u64 = 16 << 20;

/// The commands of which an earlier entry has another one, folder by folder. Left out is what a system arranges among its own
/// folders, and the same program reached twice. That what was built on the machine comes before the system's own is usual
/// (Filesystem Hierarchy Standard 3.0, 4.9) and only noted.
pub(super) fn hidden(seen: &[Inspected], system_folders: &SystemFolders) -> Vec<Finding> {
    let mut first: HashMap<&OsStr, (usize, &Typed)> = HashMap::new();
    let mut pairs: BTreeMap<(PathBuf, PathBuf), Vec<(&Typed, &Typed)>> = BTreeMap::new();
    for (place, commands) in seen.iter().enumerate() {
        for typed in &commands.commands {
            let Some((earlier, winner)) = first.get(&*typed.name) else {
                first.insert(&typed.name, (place, typed));
                continue;
            };
            // On Windows several files of one folder can be typed by the same name.
            let matters = *earlier != place && !(system_folders.hold(&typed.file) && system_folders.hold(&winner.file));
            if matters && !same(&winner.file, &typed.file) {
                let folder = |typed: &'_ Typed| typed.file.parent().unwrap_or(Path::new("")).to_owned();
                let (front, behind) = (folder(winner), folder(typed));
                pairs.entry((front, behind)).or_default().push((winner, typed));
            }
        }
    }
    let finding = |((front, behind), hidden): ((PathBuf, PathBuf), Vec<(&Typed, &Typed)>)| {
        let name = |(_, typed): &(&Typed, &Typed)| typed.name.to_string_lossy().into_owned();
        let seen = match &hidden[..] {
            [one] => format!("{} is {}, before {}", name(one), one.0.file.display(), one.1.file.display()),
            all => format!("{} commands in {} hide those in {}", all.len(), front.display(), behind.display()),
        };
        let is_usual = front.starts_with("/usr/local") && system_folders.hold(&behind.join("x"));
        let remedy = "if that is wrong, 'wyard trace COMMAND' shows what puts its folder first";
        let mut finding = Finding::new(Code::HidesOther, seen).remedy(remedy);
        if hidden.len() > 1 {
            finding.names = hidden.iter().map(name).collect();
        }
        if is_usual {
            finding.severity = Severity::Note;
        }
        finding
    };
    pairs.into_iter().map(finding).collect()
}

/// Folders of which some commands win and others lose to one and the same other folder: two copies of a tool, mixed. The
/// system's own folders are left out.
pub(super) fn split(
    entries: &[Entry],
    seen: &[Inspected],
    system_folders: &SystemFolders,
    system: System,
) -> Vec<Finding> {
    let mut first: HashMap<&OsStr, usize> = HashMap::new();
    let mut findings = Vec::new();
    for (place, commands) in seen.iter().enumerate() {
        // For each earlier folder a command that comes from there, and one of those that come from here.
        let (mut lost, mut won): (Vec<(usize, &Typed)>, Option<&Typed>) = (Vec::new(), None);
        for typed in &commands.commands {
            match first.get(&*typed.name) {
                Some(earlier) if *earlier != place => lost.push((*earlier, typed)),
                Some(_) => {}
                None => {
                    first.insert(&typed.name, place);
                    won = won.or(Some(typed));
                }
            }
        }
        let Some(won) = won.filter(|_| !system_folders.hold(&entries[place].folder)) else { continue };
        let mut told = Vec::new();
        for (earlier, typed) in lost {
            let folder = &entries[earlier].folder;
            if system_folders.hold(folder)
                || told.contains(&earlier)
                || same_file(&folder.join(&typed.name), &typed.file)
            {
                continue;
            }
            told.push(earlier);
            let (here, there) = (typed.name.to_string_lossy(), won.name.to_string_lossy());
            let seen = format!(
                "{here} is from {}, but {there} from {}, which has both",
                folder.display(),
                entries[place].folder.display()
            );
            let to_move = suggested(system, "path move {} --before {}", &[&entries[place].folder, folder]);
            let remedy = format!("run {to_move}, or remove one of them");
            findings.push(Finding::new(Code::CompanionsSplit, seen).remedy(remedy));
        }
    }
    findings
}

/// Whether two files are one, or hold the same.
fn same(one: &Path, other: &Path) -> bool {
    if same_file(one, other) {
        return true;
    }
    let (Ok(a), Ok(b)) = (fs::metadata(one), fs::metadata(other)) else { return false };
    a.len() == b.len()
        && a.len() <= LARGEST_COMPARED
        && matches!((given::content(one), given::content(other)), (Ok(a), Ok(b)) if a == b)
}
