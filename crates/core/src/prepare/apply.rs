//! Steps applied to the files of a tool, in memory; the caller writes what came of it.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use super::error::{MOST, PrepareError};
use super::format::{Edit, PrepareStep, SettingValue, Step};
use super::placeholders::Placeholders;
use super::settings::edited;
use crate::error::FileContext as _;
use crate::given;

/// Where the content of a prepared file comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Origin {
    /// The tool's archive, or what was there already.
    Tool,
    /// A sample, or the waybill.
    Made,
    Carried,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PreparedFile {
    /// The file, relative to the home.
    pub file: PathBuf,
    /// Its content before; `None` where it was not there.
    pub before: Option<Vec<u8>>,
    pub after: Vec<u8>,
    pub origin: Origin,
    /// The file whose permission bits a new one gets, relative to the home.
    pub like: Option<PathBuf>,
}

#[derive(Debug)]
struct State {
    before: Option<Vec<u8>>,
    now: Option<Vec<u8>>,
    origin: Origin,
    like: Option<PathBuf>,
}

#[derive(Debug)]
pub struct Preparing<'a> {
    folder: &'a Path,
    placeholders: &'a Placeholders,
    files: BTreeMap<PathBuf, State>,
}

impl<'a> Preparing<'a> {
    pub fn new(folder: &'a Path, placeholders: &'a Placeholders) -> Self {
        Self { folder, placeholders, files: BTreeMap::new() }
    }

    /// Applies a step. `may_replace` says of a file that a step would write over whether its content may go.
    pub fn apply(
        &mut self,
        step: &PrepareStep,
        may_replace: &dyn Fn(&Path, &[u8]) -> bool,
    ) -> Result<(), PrepareError> {
        let step =
            step.step().map_err(|why| PrepareError::Content { file: step.file.clone().unwrap_or_default(), why })?;
        let file = step.file();
        match step {
            Step::Copy { from, to } => {
                if self.now(to)?.is_none() {
                    let sample = self.needed(from)?;
                    self.set(to, sample, Origin::Made, Some(from));
                }
            }
            Step::Settings { section, edit, .. } => {
                let is_properties = file.extension().is_some_and(|e| e.eq_ignore_ascii_case("properties"));
                // A backslash is an escape there (java.util.Properties, "load").
                let escape = |text: String| if is_properties { text.replace('\\', "\\\\") } else { text };
                let value = match edit {
                    Edit::Set(_, SettingValue::Text(text)) => {
                        Some(SettingValue::Text(self.placeholders.fill(text, escape)?))
                    }
                    _ => None,
                };
                let edit = match (edit, &value) {
                    (Edit::Set(key, _), Some(value)) => Edit::Set(key, value),
                    (other, _) => other,
                };
                let content = self.needed(file)?;
                let content = edited(file, &content, section, edit)
                    .map_err(|why| PrepareError::Content { file: file.to_owned(), why })?;
                self.change(file, content);
            }
            Step::Replace { old, new, .. } => {
                let new = self.placeholders.fill(new, |text| text)?;
                let content = self.needed(file)?;
                let places = places(&content, old.as_bytes(), new.as_bytes());
                match places[..] {
                    [at] => self.change(file, [&content[..at], new.as_bytes(), &content[at + old.len()..]].concat()),
                    [] if !new.is_empty() && memchr::memmem::find(&content, new.as_bytes()).is_some() => {}
                    _ => {
                        let (file, old) = (file.to_owned(), old.to_owned());
                        return Err(PrepareError::NotOnce { file, old, times: places.len() });
                    }
                }
            }
            Step::Write { text, .. } => {
                let text = self.placeholders.fill(text, |text| text)?.into_bytes();
                match self.now(file)? {
                    Some(now) if *now == text => {}
                    Some(now) if !may_replace(file, now) => return Err(PrepareError::Edited(file.to_owned())),
                    _ => self.set(file, text, Origin::Made, None),
                }
            }
        }
        Ok(())
    }

    /// Puts a content in place of what is there, as the version in use had it.
    pub(super) fn carry(&mut self, file: &Path, content: Vec<u8>, sample: &Path) {
        self.set(file, content, Origin::Carried, Some(sample));
    }

    pub fn finish(self) -> Vec<PreparedFile> {
        let prepared = |(file, state): (PathBuf, State)| {
            let after = state.now.filter(|now| state.before.as_ref() != Some(now))?;
            Some(PreparedFile { file, before: state.before, after, origin: state.origin, like: state.like })
        };
        self.files.into_iter().filter_map(prepared).collect()
    }

    /// The content of a file as it is by now; `None` where there is none.
    pub(super) fn now(&mut self, file: &Path) -> Result<Option<&Vec<u8>>, PrepareError> {
        if !self.files.contains_key(file) {
            let before = read(self.folder, file)?;
            let now = before.clone();
            self.files.insert(file.to_owned(), State { before, now, origin: Origin::Tool, like: None });
        }
        Ok(self.files.get(file).and_then(|state| state.now.as_ref()))
    }

    fn needed(&mut self, file: &Path) -> Result<Vec<u8>, PrepareError> {
        self.now(file)?.cloned().ok_or_else(|| PrepareError::NoFile(file.to_owned()))
    }

    fn change(&mut self, file: &Path, content: Vec<u8>) {
        if let Some(state) = self.files.get_mut(file) {
            state.now = Some(content);
        }
    }

    fn set(&mut self, file: &Path, content: Vec<u8>, origin: Origin, like: Option<&Path>) {
        if let Some(state) = self.files.get_mut(file) {
            (state.now, state.origin) = (Some(content), origin);
            state.like = like.map(Path::to_owned);
        }
    }
}

/// Where a text is to be replaced: each place but those inside of what it was replaced by already.
fn places(content: &[u8], old: &[u8], new: &[u8]) -> Vec<usize> {
    let done: Vec<usize> = match new.is_empty() {
        true => Vec::new(),
        false => memchr::memmem::find_iter(content, new).collect(),
    };
    let is_done = |at: usize| done.iter().any(|begin| *begin <= at && at + old.len() <= begin + new.len());
    memchr::memmem::find_iter(content, old).filter(|at| !is_done(*at)).collect()
}

/// The content of a file of a tool; `None` where there is none. Links may not lead out of the tool.
pub(super) fn read(folder: &Path, file: &Path) -> Result<Option<Vec<u8>>, PrepareError> {
    let path = folder.join(file);
    let real = match fs::canonicalize(&path) {
        Ok(real) => real,
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            // A link that leads nowhere is no place for a file, nor is a folder outside.
            let is_link = fs::symlink_metadata(&path).is_ok();
            return if is_link || !is_below(folder, &path) {
                Err(PrepareError::NotAFile(file.to_owned()))
            } else {
                Ok(None)
            };
        }
        Err(error) => return Err(error).at("find", &path).map_err(Into::into),
    };
    let length = fs::metadata(&real).at("read", &real)?;
    if !length.is_file() || !is_below(folder, &real) {
        return Err(PrepareError::NotAFile(file.to_owned()));
    }
    if length.len() > MOST {
        return Err(PrepareError::TooLarge(file.to_owned()));
    }
    Ok(Some(given::content(&real).at("read", &real)?))
}

/// Whether the nearest folder of a path that is there lies in this one, links resolved.
fn is_below(folder: &Path, path: &Path) -> bool {
    let there = path.ancestors().find_map(|above| fs::canonicalize(above).ok());
    fs::canonicalize(folder).is_ok_and(|folder| there.is_some_and(|there| there.starts_with(folder)))
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use super::*;
    use crate::environment;
    use crate::os;
    use crate::system::System;

    fn steps(text: &str) -> Vec<PrepareStep> {
        #[derive(serde::Deserialize)]
        struct Steps {
            prepare: Vec<PrepareStep>,
        }
        toml::from_str::<Steps>(text).unwrap().prepare
    }

    #[test]
    fn steps_build_on_each_other_and_hold_when_done_twice() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("conf")).unwrap();
        fs::write(folder.path().join("conf/t.sample"), "#data=/d\nversion=0\n").unwrap();
        fs::write(folder.path().join("run"), "H=/opt/tide\n").unwrap();
        let placeholders =
            Placeholders { home: "/opt/tide/4".into(), version: "4.2.1".parse().unwrap(), homes: HashMap::new() };
        let steps = steps(
            r#"prepare = [
                { copy = "conf/t.sample", to = "conf/t.ini" },
                { file = "conf/t.ini", set = { key = "version", value = "{version}" } },
                { file = "conf/t.ini", uncomment = "data" },
                { file = "run", replace = "/opt/tide", by = "{home}" },
                { file = "new/note", write = "{home}\n" },
            ]"#,
        );
        let run = |may: bool| {
            let mut preparing = Preparing::new(folder.path(), &placeholders);
            steps.iter().try_for_each(|step| preparing.apply(step, &|_, _| may))?;
            Ok::<_, PrepareError>(preparing.finish())
        };
        let files = run(false).unwrap();
        let told: Vec<_> =
            files.iter().map(|f| (f.file.to_str().unwrap(), String::from_utf8_lossy(&f.after))).collect();
        let expected =
            [("conf/t.ini", "data=/d\nversion=4.2.1\n"), ("new/note", "/opt/tide/4\n"), ("run", "H=/opt/tide/4\n")];
        assert_eq!(told, expected.map(|(file, text)| (file, text.into())));
        fs::create_dir(folder.path().join("new")).unwrap();
        for file in &files {
            fs::write(folder.path().join(&file.file), &file.after).unwrap();
        }
        assert_eq!(run(false), Ok(Vec::new()));
        // What the user has edited stays, as far as the steps say nothing of it.
        fs::write(folder.path().join("conf/t.ini"), "data=/mine\nversion=4.2.1\n").unwrap();
        assert_eq!(run(false), Ok(Vec::new()));
        fs::write(folder.path().join("new/note"), "mine").unwrap();
        assert_eq!(run(false), Err(PrepareError::Edited("new/note".into())));
        assert_eq!(run(true).unwrap().len(), 1);
        fs::write(folder.path().join("run"), "H=/opt/tide:/opt/tide\n").unwrap();
        let twice = PrepareError::NotOnce { file: "run".into(), old: "/opt/tide".into(), times: 2 };
        assert_eq!(run(true), Err(twice));
        fs::remove_file(folder.path().join("run")).unwrap();
        assert_eq!(run(true), Err(PrepareError::NoFile("run".into())));
    }

    #[test]
    fn links_out_of_the_tool_are_no_way_out() {
        if environment::host_system() == System::Windows {
            return;
        }
        let outside = tempfile::tempdir().unwrap();
        fs::write(outside.path().join("rc"), "x").unwrap();
        let folder = tempfile::tempdir().unwrap();
        os::make_link(outside.path(), &folder.path().join("conf")).unwrap();
        os::make_link(&outside.path().join("none"), &folder.path().join("dangling")).unwrap();
        for file in ["conf/rc", "conf/new", "dangling"] {
            assert_eq!(read(folder.path(), Path::new(file)), Err(PrepareError::NotAFile(file.into())), "{file}");
        }
    }
}
