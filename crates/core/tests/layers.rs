//! The layers of the core, held against the list that `docs/architecture.md` prints: a module uses only what stands before
//! it, the files of a module use each other in one direction only, and one place asks which system this is.
#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;

use regex_lite::Regex;

static COMMENT: LazyLock<Regex> = LazyLock::new(|| Regex::new(r"//[^\n]*|pub\(in [\w:]+\)").unwrap());
/// A `use` statement, or a path in the code.
static USE: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"(?s)\buse\s+((?:crate|super|self)::[^;]+);|\b(?:crate|super)(?:::\w+)+").unwrap());

/// A place in the code that uses another: file, line, and the path from the crate's root.
struct Use {
    file: PathBuf,
    line: usize,
    path: Vec<String>,
}

impl Use {
    fn words(&self) -> String {
        format!("{}:{} uses {}", self.file.display(), self.line, self.path.join("::"))
    }
}

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// All files of the core's two crates.
fn all_files() -> Vec<PathBuf> {
    ["base/src", "core/src"].iter().flat_map(|folder| files(&crates().join(folder))).collect()
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            found.extend(files(&path));
        } else if path.extension().is_some_and(|e| e == "rs") && !path.to_string_lossy().ends_with("_tests.rs") {
            found.push(path);
        }
    }
    found.sort();
    found
}

/// The module that a file is, from its crate's root.
fn module(file: &Path) -> Vec<String> {
    let below = file.strip_prefix(crates()).unwrap().with_extension("");
    let mut parts: Vec<String> = below.iter().skip(2).map(|part| part.to_string_lossy().into_owned()).collect();
    if parts.last().is_some_and(|last| last == "mod" || last == "lib") {
        parts.pop();
    }
    parts
}

/// The paths of a tree such as `a::{b, c::{d, e}}`.
fn expanded(tree: &str) -> Vec<String> {
    let Some((before, rest)) = tree.split_once('{') else {
        return vec![tree.split(" as ").next().unwrap_or_default().trim().to_owned()];
    };
    let (mut parts, mut depth) = (vec![String::new()], 0);
    for c in rest[..rest.rfind('}').unwrap()].chars() {
        match c {
            ',' if depth == 0 => parts.push(String::new()),
            c => {
                depth += i32::from(c == '{') - i32::from(c == '}');
                parts.last_mut().unwrap().push(c);
            }
        }
    }
    let parts = parts.iter().filter(|part| !part.trim().is_empty());
    parts.flat_map(|part| expanded(part)).map(|part| format!("{before}{part}")).collect()
}

/// What a file uses of the crate, outside its tests.
fn uses(file: &Path) -> Vec<Use> {
    let text = fs::read_to_string(file).unwrap();
    let code = text.split("#[cfg(test)]").next().unwrap();
    let code = COMMENT.replace_all(code, "");
    let me = module(file);
    let mut found = Vec::new();
    for met in USE.captures_iter(&code) {
        let whole = met.get(0).unwrap();
        let line = code[..whole.start()].matches('\n').count() + 1;
        for path in expanded(met.get(1).unwrap_or(whole).as_str()) {
            let mut parts: Vec<&str> = path.split("::").map(str::trim).collect();
            let mut from = me.clone();
            while parts.first() == Some(&"super") {
                parts.remove(0);
                from.pop();
            }
            match parts.first() {
                Some(&"crate") => {
                    parts.remove(0);
                    from.clear();
                }
                Some(&"self") => _ = parts.remove(0),
                _ => {}
            }
            from.extend(parts.into_iter().map(str::to_owned));
            found.push(Use { file: file.strip_prefix(crates()).unwrap().to_owned(), line, path: from });
        }
    }
    found
}

/// The modules in the order of the page, each with its line there.
fn layers() -> Vec<String> {
    let page = crates().join("../docs/architecture.md");
    let page = fs::read_to_string(&page).unwrap();
    let block = page.split("```layers\n").nth(1).and_then(|rest| rest.split("```").next()).expect("a block of layers");
    let modules = block.lines().map(|line| line.split("   ").next().unwrap_or_default());
    modules.flat_map(|names| names.split_whitespace().map(|name| name.trim_end_matches('/').to_owned())).collect()
}

#[test]
fn a_module_uses_only_what_stands_before_it() {
    let layers = layers();
    let at = |name: &str| layers.iter().position(|layer| layer == name);
    let there: BTreeSet<String> = all_files().iter().filter_map(|file| module(file).first().cloned()).collect();
    assert_eq!(there, layers.iter().cloned().collect(), "the page lists other modules than there are");
    let mut broken = Vec::new();
    for file in all_files() {
        let Some(me) = module(&file).first().cloned() else { continue };
        for used in uses(&file) {
            let Some(other) = used.path.first().filter(|other| **other != me) else { continue };
            if at(other).is_some_and(|other| Some(other) > at(&me)) {
                broken.push(format!("{}, which stands above {me}", used.words()));
            }
        }
    }
    assert!(broken.is_empty(), "{}", broken.join("\n"));
}

#[test]
fn the_files_of_a_module_use_each_other_in_one_direction() {
    // Of the modules of the core the other test speaks.
    let mut broken = circles(&all_files(), |folder| !folder.is_empty());
    broken.extend(circles(&files(&crates().join("cli/src")), |_| true));
    assert!(broken.is_empty(), "{}", broken.join("\n"));
}

/// Files that use the folder they stand in, and circles among the files and folders of a folder, of those that count.
fn circles(all: &[PathBuf], counts: impl Fn(&[String]) -> bool) -> Vec<String> {
    // Of each folder its files and folders, and what they use of each other.
    let mut graphs: BTreeMap<Vec<String>, BTreeMap<String, BTreeMap<String, String>>> = BTreeMap::new();
    let mut broken = Vec::new();
    let modules: BTreeSet<Vec<String>> = all.iter().map(|file| module(file)).collect();
    for file in all {
        let me = module(file);
        for used in uses(file) {
            let shared = me.iter().zip(&used.path).take_while(|(one, other)| one == other).count();
            let (Some(mine), Some(theirs)) = (me.get(shared), used.path.get(shared)) else {
                if shared > 0 && shared == used.path.len() && shared < me.len() {
                    broken.push(format!("{}, the folder it stands in", used.words()));
                }
                continue;
            };
            let folder = me[..shared].to_vec();
            if modules.iter().any(|module| module.starts_with(&[&folder[..], std::slice::from_ref(theirs)].concat())) {
                let of = graphs.entry(folder).or_default().entry(mine.clone()).or_default();
                of.entry(theirs.clone()).or_insert_with(|| used.words());
            } else if shared > 0 {
                broken.push(format!("{}, by way of the folder it stands in", used.words()));
            }
        }
    }
    for (folder, mut graph) in graphs.into_iter().filter(|(folder, _)| counts(folder)) {
        // What uses nothing that is left goes, and what nothing that is left uses, until only circles are left.
        loop {
            let left: BTreeSet<String> = graph.keys().cloned().collect();
            let used: BTreeSet<String> = graph.values().flat_map(BTreeMap::keys).cloned().collect();
            graph.values_mut().for_each(|used| used.retain(|name, _| left.contains(name)));
            graph.retain(|name, of| !of.is_empty() && used.contains(name));
            if graph.len() == left.len() {
                break;
            }
        }
        let circle = graph
            .values()
            .flat_map(BTreeMap::values)
            .map(|line| format!("in a circle of {}: {line}", folder.join("/")));
        broken.extend(circle);
    }
    broken
}

#[test]
fn one_place_asks_which_system_this_is() {
    let asks = |file: &PathBuf| fs::read_to_string(file).unwrap().contains("os::HERE");
    let asking: Vec<PathBuf> =
        all_files().into_iter().filter(asks).map(|file| file.file_name().unwrap().into()).collect();
    assert_eq!(asking, [Path::new("environment.rs")]);
}
