//! Random machines: folders with programs and what looks like them, and a PATH.

use std::fs;
#[cfg(unix)]
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};

use fastrand::Rng;
#[cfg(unix)]
use wagon_yard_core::quote;

/// A made machine: a folder that is the current one, a PATH, and a name to look up.
pub struct MadeMachine {
    pub current: PathBuf,
    pub path: String,
    pub name: String,
}

#[cfg(unix)]
pub fn program(file: &Path) {
    fs::write(
        file,
        format!(
            "#!/bin/sh\nprintf %s {}\n",
            String::from_utf8(quote::posix(file.as_os_str().as_encoded_bytes())).unwrap()
        ),
    )
    .unwrap();
    fs::set_permissions(file, fs::Permissions::from_mode(0o755)).unwrap();
}

#[cfg(unix)]
pub fn make(root: &Path, chance: &mut Rng) -> MadeMachine {
    let current = root.join("now");
    let folders = ["now", "now/d 1", "d2", "d$3", "ä4", "now/~", "now/~/d5", "home/d5", "now/\"d6\""];
    for folder in folders {
        fs::create_dir_all(root.join(folder)).unwrap();
        for name in ["t", "T", "t*", "ü t", "tt"] {
            let file = root.join(folder).join(name);
            match chance.usize(..9) {
                0 | 1 => program(&file),
                2 => fs::write(&file, "#!/bin/sh\necho no\n").unwrap(),
                3 => fs::create_dir(&file).unwrap(),
                4 => symlink("nowhere", &file).unwrap(),
                5 => {
                    let real = root.join(folder).join(format!("{name}.real"));
                    program(&real);
                    symlink(real, &file).unwrap();
                }
                _ => {}
            }
        }
    }
    fs::write(root.join("file"), "").unwrap();
    let root_text = root.to_str().unwrap();
    let entries: Vec<String> = (0..chance.usize(..7))
        .map(|_| match chance.usize(..14) {
            0 => String::new(),
            1 => ".".to_owned(),
            2 => "d 1".to_owned(),
            3 => "~/d5".to_owned(),
            4 => "\"d6\"".to_owned(),
            5 => format!("{root_text}/none"),
            6 => format!("{root_text}/file"),
            7 => "~".to_owned(),
            8 => format!("{root_text}/d2/"),
            9 => format!("{root_text}//d2/../ä4"),
            _ => format!("{root_text}/{}", chance.choice(folders).unwrap()),
        })
        .collect();
    let name = match chance.usize(..12) {
        0 => "./t".to_owned(),
        1 => "d 1/t".to_owned(),
        2 => format!("{root_text}/d2/t"),
        3 => String::new(),
        4 => "../d2/t".to_owned(),
        _ => chance.choice(["t", "T", "t*", "ü t", "tt"]).unwrap().to_owned(),
    };
    MadeMachine { current, path: entries.join(":"), name }
}

#[cfg(windows)]
pub fn make(root: &Path, chance: &mut Rng) -> MadeMachine {
    let current = root.join("now");
    let folders = ["now", "now\\d 1", "d2", "d;3", "ä4"];
    let names = ["t.exe", "t.cmd", "T.COM", "t.bat", "t.py", "t", "tt.exe", "t.x.exe", "ü t.exe"];
    for folder in folders {
        fs::create_dir_all(root.join(folder)).unwrap();
        for name in names {
            match chance.usize(..8) {
                0 | 1 => fs::write(root.join(folder).join(name), "").unwrap(),
                2 => fs::create_dir(root.join(folder).join(name)).unwrap(),
                _ => {}
            }
        }
    }
    fs::write(root.join("file"), "").unwrap();
    let root_text = root.to_str().unwrap();
    let entries: Vec<String> = (0..chance.usize(..7))
        .map(|_| match chance.usize(..10) {
            0 => String::new(),
            1 => "d 1".to_owned(),
            2 => format!("\"{root_text}\\d;3\""),
            3 => format!("{root_text}\\none"),
            4 => format!("{root_text}\\file"),
            5 => format!("{root_text}\\D2\\"),
            6 => format!("{root_text}/ä4"),
            _ => format!("{root_text}\\{}", chance.choice(["now", "now\\d 1", "d2", "ä4"]).unwrap()),
        })
        .collect();
    let typed = ["t", "T", "t.exe", "t.cmd", "tt", "t.x", "t.py", "ü t", "t.x.exe"];
    MadeMachine { current, path: entries.join(";"), name: chance.choice(typed).unwrap().to_owned() }
}
