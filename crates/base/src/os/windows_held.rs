//! A folder that is written in, by its place: this system opens nothing relative to a folder by the usual calls.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

use super::windows::{create_new, make_folders, make_link, retry_while_held};

#[derive(Debug)]
pub struct HeldFolder(PathBuf);

impl HeldFolder {
    pub fn open(folder: &Path) -> io::Result<Self> {
        Ok(Self(folder.to_owned()))
    }

    pub fn place(&self) -> &Path {
        &self.0
    }

    /// Moves what the folder holds under `name` to another place.
    pub fn move_out(&self, name: &Path, to: &Path) -> io::Result<()> {
        retry_while_held(|| fs::rename(self.0.join(name), to))
    }

    pub fn create_new(&self, below: &Path, mode: u32) -> io::Result<File> {
        create_new(&self.0.join(below), mode)
    }

    pub fn open_file(&self, below: &Path) -> io::Result<File> {
        File::open(self.0.join(below))
    }

    pub fn make_folders(&self, below: &Path) -> io::Result<()> {
        make_folders(&self.0.join(below))
    }

    pub fn make_link(&self, target: &Path, below: &Path) -> io::Result<()> {
        make_link(target, &self.0.join(below))
    }

    pub fn make_hard_link(&self, file: &Path, below: &Path) -> io::Result<()> {
        fs::hard_link(self.0.join(file), self.0.join(below))
    }

    pub fn remove_file(&self, below: &Path) -> io::Result<()> {
        fs::remove_file(self.0.join(below))
    }
}
