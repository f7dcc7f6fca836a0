//! A trial on a card: files to lay out, commands to run, and what must come of it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Trial {
    pub name: String,
    /// The files it begins with: their places in the trial's folder, and their text.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub files: BTreeMap<String, String>,
    #[serde(flatten)]
    pub first: TrialStep,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub then: Vec<TrialStep>,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct TrialStep {
    /// The command as typed, and its arguments. One with a separator in it lies in the trial's folder.
    pub run: Vec<String>,
    /// Expected exit status; 0 where nothing is said.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub status: i32,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub prints: Option<String>,
    /// The regular expression that its output must match.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub matches: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub leaves: Vec<Left>,
    /// How many seconds it may take, where the settings' limit does not suit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seconds: Option<u64>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Left {
    There(String),
    /// It must be there, and be so.
    So(LeftFile),
}

/// What a file that a step leaves must be like.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LeftFile {
    pub file: String,
    /// Whether it must have something in it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub not_empty: bool,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub holds: Option<String>,
    /// What it must print when it is run without arguments.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub prints: Option<String>,
}

impl Left {
    /// What the file must be like.
    pub fn wanted(&self) -> LeftFile {
        match self {
            Self::There(file) => LeftFile { file: file.clone(), ..LeftFile::default() },
            Self::So(left) => left.clone(),
        }
    }
}

impl Trial {
    /// All its commands, in order.
    pub fn steps(&self) -> impl Iterator<Item = &TrialStep> {
        std::iter::once(&self.first).chain(&self.then)
    }
}

// Serde asks with a reference.
#[allow(clippy::trivially_copy_pass_by_ref)]
fn is_zero(status: &i32) -> bool {
    *status == 0
}
