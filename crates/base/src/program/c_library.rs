//! The C libraries of a machine, by their loaders.

use std::borrow::Cow;
use std::fs;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::loading::{LoaderView, SeenFile, newest_like};
use crate::report::ReportPath;

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
pub struct CLibrary {
    /// `glibc` or `musl`.
    pub kind: Cow<'static, str>,
    /// The newest version of symbols that it defines; null where it has none.
    pub version: Option<String>,
    pub loader: ReportPath,
    pub is_64_bit: bool,
}

/// Those whose loaders are where programs name them.
pub fn c_libraries(view: &dyn LoaderView) -> Vec<CLibrary> {
    let entries = ["/lib64", "/lib"].iter().flat_map(|folder| fs::read_dir(folder).into_iter().flatten().flatten());
    let mut loaders: Vec<PathBuf> = entries.map(|entry| entry.path()).filter(|path| kind(path).is_some()).collect();
    loaders.sort();
    // `/lib64` may be a link to a folder of `/lib`.
    loaders.dedup_by_key(|path| path.canonicalize().ok());
    loaders.into_iter().filter_map(|loader| of_loader(&loader, view)).collect()
}

fn kind(loader: &Path) -> Option<&'static str> {
    let name = loader.file_name()?.to_str()?;
    match name {
        _ if name.starts_with("ld-musl-") => Some("musl"),
        _ if name.starts_with("ld-linux") && name.contains(".so.") => Some("glibc"),
        _ => None,
    }
}

fn of_loader(loader: &Path, view: &dyn LoaderView) -> Option<CLibrary> {
    let kind = kind(loader)?;
    let SeenFile::Elf(of_loader) = view.look(loader) else { return None };
    let libraries = view.folders().iter().map(|folder| view.look(&folder.join("libc.so.6")));
    let version = libraries.filter(|_| kind == "glibc").find_map(|seen| match seen {
        SeenFile::Elf(facts) if facts.fits(&of_loader) => {
            let newest = newest_like("GLIBC_", &facts.defined_versions)?;
            newest.strip_prefix("GLIBC_").map(str::to_owned)
        }
        _ => None,
    });
    Some(CLibrary { kind: kind.into(), version, loader: loader.into(), is_64_bit: of_loader.is_64_bit })
}
