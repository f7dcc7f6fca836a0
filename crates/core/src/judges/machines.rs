//! Random machines: folders with programs and what looks like them, a PATH, and a name to look up.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use fastrand::Rng;

use crate::os;
use crate::quote;
use crate::system::System;

#[derive(Debug)]
pub struct MadeMachine {
    /// What it was made from.
    pub seed: u64,
    /// The folder of all its folders.
    pub root: PathBuf,
    pub current: PathBuf,
    pub path: String,
    pub name: String,
    /// What is in its folders, for people.
    pub files: Vec<String>,
}

impl MadeMachine {
    /// A path below the machine's folder in lower case, or the whole text: systems write the way to that folder in several ways.
    pub(super) fn below(&self, text: &str) -> String {
        let text = text.to_lowercase();
        let names = self.root.iter().rev().take(2).map(|part| part.to_string_lossy().to_lowercase());
        let [own, parent] = names.collect::<Vec<_>>().try_into().unwrap_or_default();
        let mark = format!("\\{parent}\\{own}\\");
        text.rfind(&mark).map_or(text.clone(), |at| text[at + mark.len()..].to_owned())
    }
}

pub type PutProgram<'a> = &'a mut dyn FnMut(&Path) -> io::Result<()>;

/// Makes a machine below `root`: the same seed makes the same one. A `plain` one has only what any implementation of its
/// system looks up alike.
pub fn make(root: &Path, seed: u64, system: System, plain: bool, put: PutProgram<'_>) -> io::Result<MadeMachine> {
    let mut chance = Rng::with_seed(seed);
    let text = root.to_str().ok_or_else(|| io::Error::other("the folder's name is not UTF-8"))?;
    let mut maker = Maker { root, files: Vec::new(), put };
    let (path, name) = match system {
        System::Unix => maker.unix(text, &mut chance)?,
        System::Windows => maker.windows(text, plain, &mut chance)?,
    };
    Ok(MadeMachine { current: root.join("now"), root: root.to_owned(), seed, path, name, files: maker.files })
}

struct Maker<'a> {
    root: &'a Path,
    files: Vec<String>,
    put: PutProgram<'a>,
}

impl Maker<'_> {
    fn note(&mut self, folder: &str, name: &str, what: &str) {
        self.files.push(format!("{folder}/{name}: {what}"));
    }

    fn unix(&mut self, root: &str, chance: &mut Rng) -> io::Result<(String, String)> {
        let folders = ["now", "now/d 1", "d2", "d$3", "ä4", "now/~", "now/~/d5", "home/d5", "now/\"d6\""];
        // Where case is folded, two of these would be one file.
        let names: &[&str] = if os::FOLDS_CASE { &["t", "t*", "ü t", "tt"] } else { &["t", "T", "t*", "ü t", "tt"] };
        for folder in folders {
            let place = self.root.join(folder);
            fs::create_dir_all(&place)?;
            for name in names {
                let file = place.join(name);
                match chance.usize(..9) {
                    0 | 1 => {
                        (self.put)(&file)?;
                        self.note(folder, name, "program");
                    }
                    2 => {
                        fs::write(&file, "#!/bin/sh\necho no\n")?;
                        self.note(folder, name, "not executable");
                    }
                    3 => {
                        fs::create_dir(&file)?;
                        self.note(folder, name, "folder");
                    }
                    4 => {
                        os::make_link(Path::new("nowhere"), &file)?;
                        self.note(folder, name, "link to nothing");
                    }
                    5 => {
                        let real = place.join(format!("{name}.real"));
                        (self.put)(&real)?;
                        os::make_link(&real, &file)?;
                        self.note(folder, name, "link to a program");
                    }
                    _ => {}
                }
            }
        }
        fs::write(self.root.join("file"), "")?;
        let entries: Vec<String> = (0..chance.usize(..7))
            .map(|_| match chance.usize(..14) {
                0 => String::new(),
                1 => ".".to_owned(),
                2 => "d 1".to_owned(),
                3 => "~/d5".to_owned(),
                4 => "\"d6\"".to_owned(),
                5 => format!("{root}/none"),
                6 => format!("{root}/file"),
                7 => "~".to_owned(),
                8 => format!("{root}/d2/"),
                9 => format!("{root}//d2/../ä4"),
                _ => format!("{root}/{}", one_of(&folders, chance)),
            })
            .collect();
        let name = match chance.usize(..12) {
            0 => "./t".to_owned(),
            1 => "d 1/t".to_owned(),
            2 => format!("{root}/d2/t"),
            3 => String::new(),
            4 => "../d2/t".to_owned(),
            _ => one_of(names, chance).to_owned(),
        };
        Ok((entries.join(":"), name))
    }

    fn windows(&mut self, root: &str, plain: bool, chance: &mut Rng) -> io::Result<(String, String)> {
        let folders = ["now", "now\\d 1", "prog", "a", "b c", "d;e"];
        let names = ["t.exe", "t.cmd", "T.COM", "t.bat", "t.py", "t", "tt.exe", "t.x.exe", "u.com", "u.exe", "u.cmd"];
        for folder in folders {
            let place = self.root.join(folder);
            fs::create_dir_all(&place)?;
            for name in names {
                let file = place.join(name);
                match chance.usize(..10) {
                    0 | 1 if matches!(name, "t" | "t.py") && !plain => {
                        fs::write(&file, "")?;
                        self.note(folder, name, "a file");
                    }
                    0 | 1 if matches!(name, "t" | "t.py") => {}
                    0 | 1 => {
                        (self.put)(&file)?;
                        self.note(folder, name, "program");
                    }
                    2 if !plain => {
                        fs::create_dir(&file)?;
                        self.note(folder, name, "folder");
                    }
                    _ => {}
                }
            }
        }
        fs::write(self.root.join("file"), "")?;
        let entries: Vec<String> = (0..chance.usize(1..6))
            .map(|_| match chance.usize(..12) {
                0 if !plain => String::new(),
                1 => "..\\a".to_owned(),
                2 => format!("\"{root}\\d;e\""),
                3 => format!("{root}\\none"),
                4 => format!("{root}\\file"),
                5 => format!("{root}\\A\\"),
                6 => format!("\"{root}\\b c\""),
                _ => format!("{root}\\{}", one_of(&["now", "now\\d 1", "prog", "a", "b c"], chance)),
            })
            .collect();
        let typed = ["t", "T", "t.exe", "t.cmd", "tt", "t.x", "u", "u.com", "..\\a\\t", "v"];
        Ok((entries.join(";"), one_of(&typed, chance).to_owned()))
    }
}

fn one_of<'a>(all: &[&'a str], chance: &mut Rng) -> &'a str {
    all[chance.usize(..all.len())]
}

pub(super) struct Programs {
    /// On Windows, a copy of this program on the disk of the machines.
    copied: Option<PathBuf>,
}

impl Programs {
    pub fn new(system: System, work: &Path, program: &Path) -> io::Result<Self> {
        let copied = match system {
            System::Unix => None,
            System::Windows => {
                let copied = work.join("judge.exe");
                fs::copy(program, &copied)?;
                Some(copied)
            }
        };
        Ok(Self { copied })
    }

    pub fn copied(&self) -> &Path {
        self.copied.as_deref().unwrap_or(Path::new(""))
    }

    /// Writes one: a script, a batch file, or one more name of the copy.
    pub fn put(&self, file: &Path) -> io::Result<()> {
        let Some(copied) = &self.copied else {
            let said = String::from_utf8_lossy(&quote::posix(file.as_os_str().as_encoded_bytes())).into_owned();
            fs::write(file, format!("#!/bin/sh\nprintf %s {said}\n"))?;
            return os::set_mode(&fs::File::open(file)?, 0o755);
        };
        match file.extension().and_then(|extension| extension.to_str()) {
            Some("cmd" | "bat") => fs::write(file, "@echo %~f0\r\n"),
            _ => fs::hard_link(copied, file).or_else(|_| fs::copy(copied, file).map(drop)),
        }
    }
}

/// The home of who looks up, with programs of the same name.
pub(super) fn make_home(home: &Path, system: System, programs: &Programs) -> io::Result<()> {
    fs::create_dir_all(home.join("d5"))?;
    if system == System::Unix {
        programs.put(&home.join("d5/t"))?;
        programs.put(&home.join("t"))?;
    }
    Ok(())
}
