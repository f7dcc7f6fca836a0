//! What was downloaded, in the yard's folder `downloads` until it is received: `SHA-256/NAME` for whole files, each beside a
//! record of where it came from, and `parts/` for those that broke off.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use serde::{Deserialize, Serialize};

use super::address::Address;
use super::error::DownloadError;
use super::fetch::{Fetched, fetch};
use super::headers::file_name;
use super::transport::Transport;
use crate::checksum::Computed;
use crate::error::{FileContext as _, FileError};
use crate::os;
use crate::progress::{Progress, Stop};

/// No file is longer, in bytes.
const LARGEST: u64 = 32 << 30;

/// The longest list of checksums, in bytes.
const LARGEST_LIST: u64 = 4 << 20;

/// What nobody comes back for goes after so long.
const KEPT: Duration = Duration::from_secs(30 * 24 * 60 * 60);

/// The name of the record beside a file.
const RECORD: &str = "source.toml";

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Download {
    pub file: PathBuf,
    pub bytes: u64,
    pub address: Address,
    /// Whether it was there already, from an earlier call.
    pub was_there: bool,
}

#[derive(Debug, Serialize, Deserialize)]
struct Source {
    address: String,
    from: String,
    name: String,
}

#[derive(Debug)]
pub struct Downloads {
    root: PathBuf,
}

impl Downloads {
    /// In this folder, which is made when it is needed.
    pub fn at(root: PathBuf) -> Self {
        Self { root }
    }

    /// The file of an address: the one that is there from an earlier call, or fetched now.
    pub fn get(
        &self,
        address: &Address,
        transport: &Transport,
        progress: &dyn Progress,
        stop: &Stop,
    ) -> Result<Download, DownloadError> {
        os::make_folders(&self.root).at("make the folder", &self.root)?;
        self.clear();
        if let Some(file) = self.there(address) {
            let bytes = file.metadata().at("read", &file)?.len();
            return Ok(Download { file, bytes, address: address.clone(), was_there: true });
        }
        let sum = Computed::of(address.as_str().as_bytes(), &[], stop).at("compute the checksum for", &self.root)?;
        let parts = self.root.join("parts").join(&sum.sha256.value[..16]);
        os::make_folders(&parts).at("make the folder", &parts)?;
        let lock = parts.join("lock");
        let held = File::create(&lock).at("make", &lock)?;
        if let Err(fs::TryLockError::WouldBlock) = held.try_lock() {
            return Err(DownloadError::Busy(address.clone()));
        }
        let part = parts.join("part");
        let fetched = fetch(transport, address, &part, LARGEST, progress, stop)?;
        let file = self.keep(address, &fetched, &part, stop)?;
        drop(held);
        remove(&parts)?;
        Ok(Download { file, bytes: fetched.bytes, address: address.clone(), was_there: false })
    }

    /// Fetches a list of checksums beside a file that was downloaded, under a name of its own; `None` where the server has
    /// none.
    pub fn get_beside(
        download: &Path,
        address: &Address,
        transport: &Transport,
        progress: &dyn Progress,
        stop: &Stop,
    ) -> Result<Option<PathBuf>, DownloadError> {
        let folder = download.parent().unwrap_or(Path::new("."));
        let mut name = file_name(None, address);
        if folder.join(&name).exists() {
            name = format!("published-{name}");
        }
        let (part, file) = (folder.join(format!("{name}.part")), folder.join(&name));
        match fetch(transport, address, &part, LARGEST_LIST, progress, stop) {
            Ok(_) => {
                fs::rename(&part, &file).at("rename", &part)?;
                let _ = fs::remove_file(part.with_extension("record"));
                Ok(Some(file))
            }
            Err(DownloadError::Status { status, .. }) if status < 500 => Ok(None),
            Err(DownloadError::Page { .. }) => Ok(None),
            Err(error) => Err(error),
        }
    }

    pub fn drop(&self, download: &Download) -> Result<(), FileError> {
        match download.file.parent().filter(|folder| folder.parent() == Some(&self.root)) {
            Some(folder) => remove(folder),
            None => Ok(()),
        }
    }

    fn there(&self, address: &Address) -> Option<PathBuf> {
        let folders = fs::read_dir(&self.root).ok()?.flatten().map(|entry| entry.path());
        folders.into_iter().find_map(|folder| {
            let source: Source = toml::from_str(&fs::read_to_string(folder.join(RECORD)).ok()?).ok()?;
            let file = folder.join(Path::new(&source.name).file_name()?);
            (source.address == address.as_str() && file.is_file()).then_some(file)
        })
    }

    fn keep(&self, address: &Address, fetched: &Fetched, part: &Path, stop: &Stop) -> Result<PathBuf, DownloadError> {
        let computed = match Computed::of(File::open(part).at("read", part)?, &[], stop) {
            Err(error) if error.kind() == io::ErrorKind::Interrupted => return Err(DownloadError::Interrupted),
            computed => computed.at("read", part)?,
        };
        let folder = self.root.join(&computed.sha256.value);
        os::make_folders(&folder).at("make the folder", &folder)?;
        let is_record = fetched.name.eq_ignore_ascii_case(RECORD);
        let name = if is_record { format!("_{RECORD}") } else { fetched.name.clone() };
        let file = folder.join(&name);
        fs::rename(part, &file).at("rename", part)?;
        let source = Source { address: address.to_string(), from: fetched.from.to_string(), name };
        let record = folder.join(RECORD);
        fs::write(&record, toml::to_string(&source).unwrap_or_default()).at("write", &record)?;
        Ok(file)
    }

    /// Removes what nobody came back for. What cannot be removed stays until the next time.
    fn clear(&self) {
        let is_old = |path: &Path| {
            let changed = path.metadata().and_then(|metadata| metadata.modified()).ok();
            changed.and_then(|at| SystemTime::now().duration_since(at).ok()).is_some_and(|age| age > KEPT)
        };
        let folders = [self.root.clone(), self.root.join("parts")];
        let inside = folders.iter().flat_map(|folder| fs::read_dir(folder).into_iter().flatten().flatten());
        for path in inside.map(|entry| entry.path()).filter(|path| !path.ends_with("parts") && is_old(path)) {
            let _ = fs::remove_dir_all(path);
        }
    }
}

fn remove(folder: &Path) -> Result<(), FileError> {
    fs::remove_dir_all(folder).at("remove", folder)
}
