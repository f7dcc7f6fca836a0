//! The system's records of what is installed.

use std::collections::HashMap;

use serde::Serialize;

use crate::os;

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, schemars::JsonSchema)]
pub struct UninstallRecord {
    pub key: String,
    /// What it is called.
    pub name: String,
    pub version: String,
    /// Where it is installed, where that is told.
    pub folder: String,
    pub command: String,
}

impl UninstallRecord {
    pub fn all() -> Vec<Self> {
        os::uninstall_records().into_iter().map(record).collect()
    }
}

fn record((key, values): (String, HashMap<String, String>)) -> UninstallRecord {
    let text = |name: &str| values.get(name).cloned().unwrap_or_default();
    UninstallRecord {
        key,
        name: text("DisplayName"),
        version: text("DisplayVersion"),
        folder: text("InstallLocation"),
        command: text("UninstallString"),
    }
}
